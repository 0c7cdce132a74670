#include "ui/Driver.h"

using namespace anhinga;
using namespace anhinga::testing;

namespace {
/// A stand-in, and the window connected to it.
struct Connected {
    Driver d;
    std::unique_ptr<LinkedStandIn> standin;
    explicit Connected(const std::string& fault = {}) {
        d.openDemo();
        standin = d.connect(standInAt({47.3051970, -20.1068059}, 45, 1, fault));
        REQUIRE(d.until(8000, [&] { return d.child<QPushButton>("hand over")->isEnabled(); }));
    }
};
}  // namespace

TEST_CASE("a wrong address is explained and nothing is connected", "[ui][field]") {
    Driver d;
    d.openDemo();
    d.key(Qt::Key_F3);
    CHECK_FALSE(d.child<QPushButton>("hand over")->isEnabled());
    CHECK_FALSE(d.child<QPushButton>("command Arm")->isEnabled());
    d.child<QComboBox>("address")->setCurrentText("smoke signals");
    d.press("connect");
    CHECK(d.window.lastMessage().contains("udp-listen:PORT"));
    CHECK_FALSE(d.window.link().connected());
    CHECK(d.child<QLabel>("seal")->text().contains("kept here, not sent"));
}

TEST_CASE("differences between plan and aircraft are shown by item and field", "[ui][field][fault]") {
    Connected c("alter-item");
    c.d.press("hand over");
    REQUIRE(c.d.until(12000, [&] { return c.d.window.link().seal() == LinkSession::Seal::differs; }));
    const QString text = c.d.child<QLabel>("seal")->text();
    CHECK(text.contains("holds something else"));
    CHECK(text.contains("Waypoint 1, height"));
    CHECK(c.d.child<QPushButton>("step Field")->text().contains("aircraft differs"));
}

TEST_CASE("a plan with a stop finding is handed over only when said twice", "[ui][field]") {
    Connected c;
    c.d.window.plan().edit("low ceiling", [](Plan& p) { p.ceiling_m = 50; });
    c.d.settle();
    answer(QMessageBox::No);
    c.d.press("hand over");
    QTest::qWait(300);
    CHECK(c.d.window.link().seal() == LinkSession::Seal::none);
    CHECK_FALSE(c.d.window.link().busy());
    answer(QMessageBox::Yes);
    c.d.press("hand over");
    CHECK(c.d.until(12000, [&] { return c.d.window.link().seal() == LinkSession::Seal::sealed; }));
}

TEST_CASE("a refused command shows its reason", "[ui][field]") {
    Connected c;
    c.d.press("field tab Fly");
    // Only what can be done now stands there: the order is given by its function.
    CHECK(c.d.child<QPushButton>("command Arm")->isVisible());
    CHECK_FALSE(c.d.child<QPushButton>("command Start")->isVisible());
    c.d.window.link().command("Start the mission",
                              [](VehicleLink& l, std::stop_token s) { return commandStart(l, std::move(s)); });
    REQUIRE(c.d.until(6000, [&] {
        return !c.d.window.link().commands().empty() && c.d.window.link().commands()[0].state == CommandNote::refused;
    }));
    CHECK(c.d.child<QLabel>("command state")->text().contains("not armed"));
    CHECK(c.d.child<QLabel>("vehicle state")->text().contains("disarmed"));
}

TEST_CASE("what the aircraft holds is read into a new plan, and undo brings the old one back", "[ui][field]") {
    Connected c;
    c.d.press("hand over");
    REQUIRE(c.d.until(12000, [&] { return c.d.window.link().seal() == LinkSession::Seal::sealed; }));
    const PlanPtr before = c.d.window.plan().plan();
    const QString file = c.d.window.plan().path();
    REQUIRE_FALSE(file.isEmpty());
    c.d.window.link().fetch();
    REQUIRE(c.d.until(12000, [&] { return c.d.window.plan().plan() != before; }));
    c.d.settle();
    CHECK(c.d.window.plan().undoName() == "Read from aircraft");
    CHECK(c.d.window.plan().derived()->view.program.entries() == 41);
    CHECK(c.d.window.workspace() == Workspace::draft);
    // A plan of its own: neither the title nor the file of the one that was open.
    CHECK(c.d.window.plan().path().isEmpty());
    CHECK(c.d.window.plan().plan()->title.starts_with("Vehicle 1 as read "));
    CHECK(c.d.window.plan().plan()->title != before->title);
    CHECK(c.d.window.plan().modified());
    c.d.window.plan().undo();
    CHECK(c.d.window.plan().plan() == before);
    CHECK(c.d.window.plan().path() == file);
    c.d.window.plan().redo();
    CHECK(c.d.window.plan().path().isEmpty());
}

TEST_CASE("the address is remembered", "[ui][field]") {
    QString address;
    {
        Connected c;
        address = c.d.window.link().address();
        CHECK(QSettings().value("link/addresses").toStringList().first() == address);
    }
}

TEST_CASE("a lost link says for how long", "[ui][field]") {
    Connected c;
    c.standin.reset();
    CHECK(c.d.until(9000, [&] { return c.d.child<QLabel>("vehicle state")->text().contains("link lost for"); }));
}

TEST_CASE("camera and gimbal are ordered from the Fly page, and their state stands there and in the strip",
          "[ui][field][payload]") {
    StandInOptions options = standInAt({47.3051970, -20.1068059}, 45, 10);
    options.companions.camera = options.companions.gimbal = true;
    Day day(options);
    day.d.press("field tab Fly");
    auto* state = day.d.child<QLabel>("camera state");
    REQUIRE(day.d.until(20000, [&] { return state->text().contains("free"); }));
    CHECK(state->text().startsWith("Shoreline 20 · 1204 photos on it · "));
    // 61,000 less 1,204 photos of 9, MiB: 52.6 GB.
    CHECK(state->text().contains("52.6 GB free"));
    REQUIRE(day.command("command Photo").state == CommandNote::accepted);
    CHECK(day.d.until(9000, [&] { return state->text().contains("1205 photos on it"); }));
    CHECK(day.standin->companions()->taken() == 1);
    REQUIRE(day.command("command Film").state == CommandNote::accepted);
    auto* film = day.d.child<QPushButton>("command Film");
    CHECK(day.d.until(9000, [&] { return film->text() == "Stop filming" && film->isChecked(); }));
    CHECK(day.standin->companions()->filming());
    REQUIRE(day.command("command Film").state == CommandNote::accepted);
    CHECK(day.d.until(9000, [&] { return film->text() == "Film"; }));
    CHECK_FALSE(day.standin->companions()->filming());
    auto* tilt = day.d.child<QLineEdit>("tilt");
    tilt->selectAll();
    QTest::keyClicks(tilt, "-45");
    REQUIRE(day.command("command Tilt").state == CommandNote::accepted);
    CHECK(day.d.until(15000, [&] { return day.d.child<QLabel>("tilt state")->text() == "now -45°"; }));
    CHECK(day.standin->companions()->pitch_deg() == Approx(-45).margin(0.5));
    // What it cannot do is not sent, and said.
    const auto before = day.link().commands().size();
    tilt->selectAll();
    QTest::keyClicks(tilt, "60");
    QTest::keyClick(tilt, Qt::Key_Return);
    CHECK(day.link().commands().size() == before);
    CHECK(day.d.window.lastMessage().contains("-90° to 30°"));
    // In flight the strip tells the room on the card.
    day.handOver();
    day.d.press("field tab Fly");
    REQUIRE(day.arm().state == CommandNote::accepted);
    REQUIRE(day.command("command Start").state == CommandNote::accepted);
    auto* strip = day.d.child<QWidget>("state strip");
    CHECK(day.d.until(20000, [&] {
        for (const QLabel* l : strip->findChildren<QLabel*>())
            if (l->toolTip().contains("card: 52.6 GB free")) return true;
        return false;
    }));
}
