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
