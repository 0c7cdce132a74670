// The values of every channel: of a log at the cursor, of an aircraft now; found by typing, pinned, drawn.
#include "Driver.h"
#include "FieldDay.h"
#include "app/debrief/ValuesPanel.h"
#include "app/field/ValuesDialog.h"

using namespace anhinga;
using namespace anhinga::testing;

namespace {

struct Table {
    explicit Table(ValuesView& v) : view(v), table(v.findChild<QTableView*>("values")) {}
    int row(const QString& name) const {
        for (int r = 0; r < view.model().rowCount(); ++r)
            if (view.model().at(r).name == name) return r;
        return -1;
    }
    QString shown(const QString& name, int column = ValuesModel::value) const {
        const int r = row(name);
        return r < 0 ? QString() : table->model()->index(r, column).data().toString();
    }
    void filter(const QString& words) {
        auto* edit = view.findChild<QLineEdit*>("values filter");
        edit->clear();
        QTest::keyClicks(edit, words);
    }
    void click(const QString& name, int column) {
        const QModelIndex at = table->model()->index(row(name), column);
        table->scrollTo(at);
        QTest::mouseClick(table->viewport(), Qt::LeftButton, {}, table->visualRect(at).center());
    }
    ValuesView& view;
    QTableView* table;
};

}  // namespace

TEST_CASE("every channel of a log stands at the cursor with its value, rate and age", "[ui][values]") {
    Driver d;
    d.openDemo();
    // Ten values a second of 2 t + 1, and one of text height that ends after three seconds.
    std::string csv = "time_s,latitude_deg,longitude_deg,height_m,speed_mps\n";
    for (int i = 0; i <= 600; ++i)
        csv += fmt::format("{:.1f},47.30519{:02d},-20.1068,{:.1f},{}\n", i * 0.1, i % 100, i < 300 ? 0.0 : 10.0,
                           i <= 30 ? fmt::format("{:.1f}", 1 + 0.2 * i) : std::string());
    const std::string path = d.dir / "ramp.csv";
    std::ofstream(path) << csv;
    REQUIRE(d.window.openFile(QString::fromStdString(path)));
    REQUIRE(d.until(10000, [&] { return d.window.review().path() == QString::fromStdString(path); }));
    d.key(Qt::Key_V, Qt::ControlModifier | Qt::ShiftModifier);
    auto* panel = d.window.findChild<ValuesPanel*>();
    REQUIRE(panel != nullptr);
    REQUIRE(panel->isVisible());
    Table t(panel->values());
    REQUIRE(t.row("velocity.ground_mps") >= 0);
    t.filter("ground velo");
    CHECK(panel->values().model().rowCount() == 1);
    d.window.traceModel().setCursor(2.0);
    REQUIRE(d.until(5000, [&] { return t.shown("velocity.ground_mps") == "5 m/s"; }));
    CHECK(t.shown("velocity.ground_mps", ValuesModel::rate) == "10");
    CHECK(t.shown("velocity.ground_mps", ValuesModel::age) == "0.0 s");
    d.window.traceModel().setCursor(33.0);  // thirty seconds after the last one
    REQUIRE(d.until(5000, [&] { return t.shown("velocity.ground_mps", ValuesModel::age) == "30 s"; }));
    CHECK(t.shown("velocity.ground_mps") == "7 m/s");
    // Pinned: at the top whatever is looked for, and remembered.
    t.click("velocity.ground_mps", ValuesModel::pin);
    t.filter("");
    CHECK(t.row("velocity.ground_mps") == 0);
    CHECK(QSettings().value("debrief/pinned values").toStringList() == QStringList{"velocity.ground_mps"});
    t.filter("no such channel");
    CHECK(panel->values().model().rowCount() == 0);
    CHECK(panel->findChild<QLabel*>("values empty")->isVisible());
    t.filter("");
    // A double click draws it, another one takes it away.
    const auto drawn = [&] {
        const auto& traces = d.window.traceModel().traces();
        return std::any_of(traces.begin(), traces.end(), [](const Trace& x) { return x.name == "position.lat_deg"; });
    };
    REQUIRE_FALSE(drawn());
    const QModelIndex at = t.table->model()->index(t.row("position.lat_deg"), ValuesModel::name);
    t.table->scrollTo(at);
    t.table->setCurrentIndex(at);
    QTest::keyClick(t.table, Qt::Key_Return);
    CHECK(drawn());
    QTest::keyClick(t.table, Qt::Key_Space);  // pins it by keys
    CHECK(t.row("position.lat_deg") <= 1);
}

TEST_CASE("everything an aircraft says stands there now, found, pinned, with its age after the link", "[ui][values]") {
    Day day(standInAt({47.3051970, -20.1068059}, 45, 1));
    REQUIRE(day.d.until(10000, [&] { return day.d.child<QPushButton>("live values")->isEnabled(); }));
    day.d.press("live values");
    auto* dialog = day.d.window.findChild<ValuesDialog*>();
    REQUIRE(dialog != nullptr);
    Table t(dialog->values());
    REQUIRE(day.d.until(15000, [&] { return t.row("HEARTBEAT.autopilot") >= 0 && t.row("ATTITUDE.roll") >= 0; }));
    // Numbers as they came: those of the family, one heartbeat a second.
    CHECK(t.shown("HEARTBEAT.autopilot") == QString::number(day.d.window.link().vehicle().autopilot));
    REQUIRE(day.d.until(15000, [&] {
        const double hz = t.shown("HEARTBEAT.autopilot", ValuesModel::rate).toDouble();
        return hz > 0.7 && hz < 1.4;
    }));
    t.filter("attitude roll");
    CHECK(t.row("HEARTBEAT.autopilot") < 0);
    CHECK(t.shown("ATTITUDE.roll").endsWith(" rad"));
    t.click("ATTITUDE.roll", ValuesModel::pin);
    t.filter("");
    CHECK(t.row("ATTITUDE.roll") == 0);
    // The link is cut: the last values stay, and grow old.
    day.standin.reset();
    CHECK(day.d.until(20000, [&] {
        const QString age = t.shown("ATTITUDE.roll", ValuesModel::age);
        return age.endsWith(" s") && age.chopped(2).toDouble() > 4;
    }));
}
