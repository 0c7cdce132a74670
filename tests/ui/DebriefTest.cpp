// Debrief by mouse and keys: each kind of log, sessions, traces on both axes, cursors, formulas, health report, replay,
// comparison, relation, contents, presence.
#include <catch2/catch.hpp>

#include "Driver.h"
#include "LogWriters.h"
#include "app/debrief/ContentsDialog.h"
#include "app/debrief/FlightsDialog.h"
#include "app/debrief/FormulaDialog.h"
#include "app/debrief/HealthPanel.h"
#include "app/debrief/PresenceDialog.h"
#include "app/debrief/RelationDialog.h"
#include "app/debrief/ReplayBar.h"
#include "app/debrief/TraceBand.h"
#include "app/rehearse/RehearsePanel.h"
#include "app/widgets/Instrument.h"
#include "core/exchange/Export.h"
#include "core/mavlink/Frame.h"

using namespace anhinga;
using namespace anhinga::testing;

namespace {

/// The window with one of the demo's logs open in Debrief and its health report worked out.
struct Review : Driver {
    explicit Review(const char* name = "shakedown-resonance.ulg") {
        std::filesystem::copy(demo("shakedown.anhinga.geojson"), dir / "shakedown.anhinga.geojson");
        openDemo("shakedown.anhinga.geojson");
        show(demo(name));
    }
    void show(const std::string& path) {
        REQUIRE(window.openFile(QString::fromStdString(path)));
        REQUIRE(until(10000, [&] { return window.review().path() == QString::fromStdString(path); }));
        REQUIRE(until(10000, [&] { return !window.review().diagnosing() && !window.review().health().empty(); }));
        QTest::qWait(100);
    }
    TraceModel& model() { return window.traceModel(); }
    TraceBand& band() { return *child<TraceBand>("traces"); }
    QPoint inBand(double t_s, int plot = 0) {
        return QPointF(band().xOf(t_s), band().plotRect(plot).center().y()).toPoint();
    }
    QTreeWidgetItem* channel(const QString& name) {
        auto* tree = child<QTreeWidget>("channels");
        for (QTreeWidgetItemIterator at(tree); *at != nullptr; ++at)
            if ((*at)->data(0, Qt::UserRole).toString() == name && (*at)->parent()->text(0) != "Favourites") return *at;
        return nullptr;
    }
    void clickChannel(const QString& name, Qt::KeyboardModifiers keys = Qt::NoModifier, int column = 0) {
        auto* tree = child<QTreeWidget>("channels");
        QTreeWidgetItem* item = channel(name);
        INFO(name.toStdString());
        REQUIRE(item != nullptr);
        item->parent()->setExpanded(true);
        tree->scrollToItem(item);
        const QRect r = tree->visualItemRect(item);
        const QPoint at = column == 0 ? QPoint(r.left() + 20, r.center().y())
                                      : QPoint(tree->header()->sectionPosition(column) + 8, r.center().y());
        QTest::mouseClick(tree->viewport(), Qt::LeftButton, keys, at);
    }
};

}  // namespace

TEST_CASE("the health report of a log shows the worst first and leads to the place", "[ui][debrief][health]") {
    Review d;
    auto* panel = d.child<HealthPanel>("health report");
    CHECK(panel->isVisible());
    CHECK(panel->summary().contains("bad"));
    const auto& health = d.window.review().health();
    CHECK(health.front().verdict == Verdict::bad);
    CHECK(health.back().verdict != Verdict::bad);
    auto* card = d.child<QFrame>("health card gyros");
    auto* details = card->findChild<QLabel*>("health details");
    CHECK(details->isHidden());
    auto* links = card->findChild<QLabel*>("health links");
    emit links->linkActivated("more");
    CHECK_FALSE(details->isHidden());
    CHECK(details->text().contains("next flight"));
    emit links->linkActivated("show");
    CHECK(d.model().traces().front().name.starts_with("imu.gyro_"));
    // A short place has both cursors around it.
    Review other("shakedown-gps-jump.ulg");
    auto* jump = other.child<QFrame>("health card gps-jump")->findChild<QLabel*>("health links");
    emit jump->linkActivated("show");
    REQUIRE(other.model().secondCursor());
    CHECK(*other.model().secondCursor() - other.model().cursor() == Approx(12).margin(0.5));
    CHECK(other.model().view().length_s() < 40);
    CHECK(other.child<FiguresView>("figures")->findChild<QLabel*>("headline")->text().contains("12 s"));
    // The summary stands in the top bar too.
    bool top = false;
    for (QAbstractButton* b : other.window.findChildren<QAbstractButton*>()) top |= b->text().contains("1 bad");
    CHECK(top);
}

TEST_CASE("channels go to either axis and to plots of their own, and become favourites", "[ui][debrief][traces]") {
    Review d;
    const std::size_t before = d.model().traces().size();
    d.clickChannel("attitude.roll_deg");
    REQUIRE(d.model().traces().size() == before + 1);
    CHECK_FALSE(d.model().traces().back().right);
    d.clickChannel("throttle.percent", Qt::ShiftModifier);
    CHECK(d.model().traces().back().right);
    d.clickChannel("vibration.z_mps2", Qt::ControlModifier);
    CHECK(d.model().traces().back().plot == 1);
    CHECK(d.model().plots() == 2);
    d.clickChannel("attitude.roll_deg");  // again: away
    CHECK(d.model().traces().size() == before + 2);
    d.clickChannel("throttle.percent", Qt::NoModifier, 1);
    CHECK(d.model().favourites() == QStringList{"throttle.percent"});
    auto* tree = d.child<QTreeWidget>("channels");
    CHECK(tree->topLevelItem(0)->text(0) == "Favourites");
    auto* search = d.child<QLineEdit>("channel search");
    QTest::keyClicks(search, "vibration");
    int shown = 0;
    for (QTreeWidgetItemIterator at(tree); *at != nullptr; ++at) shown += (*at)->data(0, Qt::UserRole).isValid();
    CHECK(shown == 4);
    // Presets from their menu.
    d.child<QToolButton>("presets");
    for (QAction* a : d.child<QMenu>("presets menu")->actions())
        if (a->text() == "Vibration") a->trigger();
    CHECK(d.model().traces().size() == 5);
    CHECK(d.model().traces()[3].right);
}

TEST_CASE("cursor, second cursor, box, wheel, back and all in the traces", "[ui][debrief][traces]") {
    Review d;
    TraceBand& band = d.band();
    const Stretch whole = d.model().whole();
    QTest::mouseClick(&band, Qt::LeftButton, Qt::NoModifier, d.inBand(whole.from_s + 30));
    CHECK(d.model().cursor() == Approx(whole.from_s + 30).margin(0.2));
    // The map's aircraft stands where it was then, and a click on the track brings the cursor there.
    const LogPtr log = d.window.review().log();
    const GeoPoint then{*log->find("position.lat_deg")->at(d.model().cursor()),
                        *log->find("position.lon_deg")->at(d.model().cursor())};
    REQUIRE(d.window.map().overlay().aircraft);
    CHECK(distance_m(d.window.map().overlay().aircraft->place, then) < 3);
    d.still();
    const double t = whole.from_s + 66;
    const GeoPoint wanted{*log->find("position.lat_deg")->at(t), *log->find("position.lon_deg")->at(t)};
    d.click(d.at(wanted));
    const double got = d.model().cursor();
    CHECK(distance_m({*log->find("position.lat_deg")->at(got), *log->find("position.lon_deg")->at(got)}, wanted) < 5);
    QTest::mouseClick(&band, Qt::LeftButton, Qt::ShiftModifier, d.inBand(whole.from_s + 80));
    REQUIRE(d.model().secondCursor());
    CHECK(*d.model().secondCursor() == Approx(whole.from_s + 80).margin(0.2));
    // A flat box is a stretch of time.
    d.drag(&band, d.inBand(whole.from_s + 20), d.inBand(whole.from_s + 50) + QPoint(0, 5), Qt::ControlModifier);
    CHECK(d.model().view().from_s == Approx(whole.from_s + 20).margin(0.3));
    CHECK(d.model().view().to_s == Approx(whole.from_s + 50).margin(0.3));
    const auto values = band.valueRange(0, false);
    d.drag(&band, d.inBand(whole.from_s + 30) - QPoint(0, 30), d.inBand(whole.from_s + 40) + QPoint(0, 30),
           Qt::ControlModifier);
    band.repaint();
    CHECK(band.valueRange(0, false).second - band.valueRange(0, false).first < (values.second - values.first) * 0.6);
    band.setFocus();
    QTest::keyClick(&band, Qt::Key_Backspace);
    CHECK(d.model().view().from_s == Approx(whole.from_s + 20).margin(0.3));
    QTest::keyClick(&band, Qt::Key_A);
    CHECK(d.model().view().length_s() == Approx(whole.length_s()));
    const QPointF middle = d.inBand(whole.from_s + 50);
    QWheelEvent wheel(middle, band.mapToGlobal(middle), QPoint(), QPoint(0, 240), Qt::NoButton, Qt::NoModifier,
                      Qt::NoScrollPhase, false);
    QApplication::sendEvent(&band, &wheel);
    CHECK(d.model().view().length_s() == Approx(whole.length_s() * 0.64));
    CHECK(band.timeAt(middle.x()) == Approx(whole.from_s + 50).margin(0.5));
    QTest::mouseDClick(&band, Qt::LeftButton, Qt::NoModifier, middle.toPoint());
    CHECK(d.model().view().length_s() == Approx(whole.length_s()));
    const double was = d.model().cursor();
    QTest::keyClick(&band, Qt::Key_Right);
    CHECK(d.model().cursor() > was);
    QTest::keyClick(&band, Qt::Key_Home);
    CHECK(d.model().cursor() == whole.from_s);
    QTest::keyClick(&band, Qt::Key_Escape);
    CHECK_FALSE(d.model().secondCursor());
    band.copyData();
    const QString copied = QGuiApplication::clipboard()->text();
    CHECK(copied.startsWith("t_s\tposition.height_home_m [m]"));
    CHECK(copied.count('\n') > 300);
    band.copyPicture();
    CHECK(QGuiApplication::clipboard()->pixmap().width() == band.width());
    band.repaint();
    CHECK(band.lastFrameMs() < 500);
}

TEST_CASE("a formula with an error is shown at its character, corrected and drawn", "[ui][debrief][formula]") {
    Review d;
    bool looked = false;
    QTimer::singleShot(300, [&] {
        auto* dialog = d.window.findChild<FormulaDialog*>();
        REQUIRE(dialog != nullptr);
        auto* name = dialog->findChild<QLineEdit*>("formula name");
        auto* text = dialog->findChild<QLineEdit*>("formula text");
        auto* ok = dialog->findChild<QPushButton*>("formula ok");
        auto* result = dialog->findChild<QLabel*>("formula result");
        QTest::keyClicks(name, "power");
        QTest::keyClicks(text, "battery.voltage_v * battery.curent_a");
        CHECK_FALSE(ok->isEnabled());
        CHECK(result->text().contains("At character 21"));
        CHECK(dialog->findChild<QLabel*>("formula mark")->text().contains("battery.curent_a</span>"));
        text->selectAll();
        QTest::keyClicks(text, "battery.voltage_v * battery.current_a");
        CHECK(ok->isEnabled());
        CHECK(result->text().contains("W"));
        looked = true;
        QTest::mouseClick(ok, Qt::LeftButton);
    });
    d.press("new formula");
    CHECK(looked);
    REQUIRE(d.model().traces().back().name == "power");
    CHECK(d.model().channelOf(d.model().traces().back())->unit == "W");
    CHECK(d.channel("power") != nullptr);
}

TEST_CASE("another aircraft of the same recording is chosen in the list of flights", "[ui][debrief][several]") {
    Review d("shakedown-clean.ulg");
    std::string tape;
    const auto say = [&](mavlink::Message m, double unix_s, int system) {
        m.system = static_cast<std::uint8_t>(system);
        m.component = 1;
        const auto us = static_cast<std::uint64_t>(unix_s * 1e6);
        for (int i = 7; i >= 0; --i) tape += static_cast<char>(us >> (8 * i));
        tape += mavlink::encode(m);
    };
    for (int i = 0; i < 120; ++i)
        for (const int system : {1, 2}) {
            const double at = 1.79e9 + i * 0.5 + system * 0.1, up = std::clamp(i * 0.5 - 5, 0.0, system * 20.0);
            say(mavlink::Message("HEARTBEAT")
                    .set("type", system == 1 ? 2 : 1)
                    .set("autopilot", 3)
                    .set("base_mode", 129),
                at, system);
            say(mavlink::Message("GLOBAL_POSITION_INT")
                    .set("time_boot_ms", 5000 + i * 500)
                    .set("lat", 473100000 + system * 20000 + i * 300)
                    .set("lon", -201200000 + i * 200)
                    .set("alt", 40000 + up * 1000)
                    .set("relative_alt", up * 1000),
                at + 0.01, system);
        }
    spit(d.dir / "both.tlog", tape);
    d.show(d.dir / "both.tlog");
    auto* sessions = d.child<QComboBox>("sessions");
    auto* title = d.child<QLabel>("log title");
    CHECK(title->text().contains("vehicle 1, multirotor"));
    CHECK(sessions->itemText(sessions->count() - 1) == "To vehicle 2, fixed wing");
    sessions->setFocus();
    QTest::keyClick(sessions, Qt::Key_End);
    REQUIRE(d.until(5000, [&] { return d.window.review().aircraft() == 1; }));
    REQUIRE(d.until(5000, [&] { return title->text().contains("vehicle 2, fixed wing"); }));
    // The map shows where it flew, not where the plan is; and shows it again by a key.
    auto* map = d.child<MapView>("map");
    const auto seen = [&] {
        return map->rect().contains(map->transform().toScreen(GeoPoint{47.3140, -20.1200}).toPoint()) &&
               map->rect().contains(map->transform().toScreen(GeoPoint{47.3175, -20.1177}).toPoint());
    };
    CHECK(seen());
    map->setFocus();
    QTest::keyClick(map, Qt::Key_P);
    QTest::qWait(50);
    CHECK_FALSE(seen());
    QTest::keyClick(map, Qt::Key_P, Qt::ShiftModifier);
    CHECK(seen());
    d.clickChannel("position.height_home_m");
    CHECK(d.model().channel("position.height_home_m")->value.back() == Approx(40));
    CHECK(sessions->currentText().contains("40 m home"));
    // Both are flights in the logbook, once.
    REQUIRE(d.until(5000, [&] { return d.window.logbook().book() && !d.window.logbook().busy(); }));
    const auto entries = (*d.window.logbook().book())->entries("both.tlog");
    CHECK(entries.size() == 2);
    if (const QString folder = qEnvironmentVariable("ANHINGA_SHOTS"); !folder.isEmpty()) {
        QTest::qWait(500);
        d.window.grab().save(folder + "/two-aircraft.png");
    }
    QTest::keyClick(sessions, Qt::Key_End);
    REQUIRE(d.until(5000, [&] { return title->text().contains("vehicle 1, multirotor"); }));
}

TEST_CASE("each kind of log opens, by its content, and its flights are chosen", "[ui][debrief][formats]") {
    Review d("transmitter.csv");
    auto* sessions = d.child<QComboBox>("sessions");
    REQUIRE(sessions->count() == 3);
    const double all = d.model().whole().length_s();
    sessions->setCurrentIndex(2);
    emit sessions->activated(2);
    CHECK(d.model().session() == 1);
    CHECK(d.model().whole().length_s() < all / 10);
    REQUIRE(d.until(5000, [&] { return !d.window.review().diagnosing(); }));
    bool jumped = false;
    for (const Answer& a : d.window.review().health()) jumped |= a.id == "gps-jump" && a.verdict == Verdict::bad;
    CHECK(jumped);
    CHECK(d.child<QPushButton>("table columns button")->isVisible());
    // The same flight in other kinds.
    const auto log = openLog(demo("shakedown-clean.ulg"));
    REQUIRE(log);
    for (const char* ending : {".kml", ".gpx"}) {
        const std::string path = d.dir / ("flight" + std::string(ending) + ".txt");  // told by content, not by name
        spit(path, *logExport(**log, "f", "f" + std::string(ending)));
        d.show(path);
        CHECK(d.window.review().log()->find("position.lat_deg") != nullptr);
        CHECK(d.window.workspace() == Workspace::debrief);
    }
    const SelfWriter onboard = flightWriter();
    spit(d.dir / "onboard", onboard.binary);
    spit(d.dir / "onboard.text", onboard.text);
    spit(d.dir / "predicted", predictorLog(300).bytes + predictorLog(200, 1, 2).bytes);
    // The bare stream of a recording: without the eight bytes of time before each packet.
    std::string capture;
    const std::string recording = slurp(demo("patrol-flight.tlog"));
    mavlink::Parser parser;
    parser.feed(
        {reinterpret_cast<const std::uint8_t*>(recording.data()), std::min<std::size_t>(recording.size(), 300000)},
        [&](const mavlink::Message&, std::span<const std::uint8_t> frame) {
            capture.append(reinterpret_cast<const char*>(frame.data()), frame.size());
        });
    spit(d.dir / "capture", capture);
    const std::tuple<const char*, const char*, int> kinds[] = {{"onboard", "self-describing log", 1},
                                                               {"onboard.text", "self-describing log, text", 1},
                                                               {"predicted", "predictor-encoded log", 2},
                                                               {"capture", "MAVLink capture", 1}};
    for (const auto& [name, format, flights] : kinds) {
        INFO(name);
        d.show(d.dir / name);
        CHECK(d.window.review().log()->format == format);
        CHECK(d.window.review().log()->sessions.size() == static_cast<std::size_t>(flights));
        CHECK(sessions->count() == (flights > 1 ? flights + 1 : 1));
        CHECK(d.child<QLabel>("log title")->text().contains(format));
        // Something of it can be drawn.
        d.clickChannel("position.height_home_m");
        d.band().repaint();
        CHECK(d.model().channel("position.height_home_m") != nullptr);
    }
    d.show(demo("patrol-flight.tlog"));
    CHECK(d.model().session() == -1);
}

TEST_CASE("replay moves the cursor, loops, steps from event to event; the track takes a channel's colours",
          "[ui][debrief][replay]") {
    Review d;
    auto* bar = d.child<ReplayBar>("replay bar");
    CHECK(bar->isVisible());
    d.model().setCursor(d.model().whole().from_s + 10);
    auto* speed = d.child<QComboBox>("replay speed");
    speed->setCurrentIndex(speed->findData(32.0));
    const double was = d.model().cursor();
    d.key(Qt::Key_Space);
    CHECK(bar->playing());
    REQUIRE(d.until(3000, [&] { return d.model().cursor() > was + 10; }));
    d.key(Qt::Key_Space);
    CHECK_FALSE(bar->playing());
    const double here = d.model().cursor();
    d.key(Qt::Key_Period);
    CHECK(d.model().cursor() > here);
    d.key(Qt::Key_Comma);
    d.key(Qt::Key_Comma);
    CHECK(d.model().cursor() < here);
    // To the end, where it stops; with loop it begins again.
    d.model().setCursor(d.model().whole().to_s - 5);
    d.key(Qt::Key_Space);
    REQUIRE(d.until(3000, [&] { return !bar->playing(); }));
    CHECK(d.model().cursor() == Approx(d.model().whole().to_s));
    QTest::mouseClick(d.child<QToolButton>("replay loop"), Qt::LeftButton);
    d.model().setCursor(d.model().whole().to_s - 5);
    d.key(Qt::Key_Space);
    REQUIRE(d.until(3000, [&] { return d.model().cursor() < d.model().whole().to_s - 20; }));
    d.key(Qt::Key_Space);
    auto* by = d.child<QComboBox>("track by");
    CHECK(d.window.map().overlay().colours.title == "Flown in");
    by->setCurrentIndex(by->findData("vibration.z_mps2"));
    emit by->activated(by->currentIndex());
    CHECK(d.window.map().overlay().colours.title.startsWith("vibration.z_mps2"));
    CHECK(d.window.map().overlay().colours.classes.size() >= 7);
    CHECK(d.window.map().overlay().colours.of.size() == d.window.map().overlay().track.size());
    d.window.setWorkspace(Workspace::draft);
    CHECK_FALSE(bar->isVisible());
}

TEST_CASE("two flights are compared, with what was changed in between", "[ui][debrief][compare]") {
    Review d("shakedown-new-propellers.ulg");
    d.press("compare flights");
    auto* dialog = d.window.findChild<FlightsDialog*>("flights dialog");
    REQUIRE(dialog != nullptr);
    CHECK(dialog->findChild<QLabel*>("comparison caution")->text().contains("Choose"));
    d.window.logbook().addNote("Darter 4", "new propellers");
    REQUIRE(d.window.logbook().waitUntilIdle(5000));
    dialog->openOther(QString::fromStdString(demo("shakedown-resonance.ulg")));
    REQUIRE(d.until(8000, [&] { return dialog->comparison().has_value(); }));
    CHECK(dialog->findChild<QLabel*>("compared flights")->text().contains("Before: <b>shakedown-resonance.ulg"));
    auto* measures = dialog->findChild<QTableWidget*>("measures");
    REQUIRE(measures->rowCount() >= 9);
    CHECK(measures->item(0, 5)->text() == "changed");
    CHECK(measures->item(measures->rowCount() - 1, 5)->text() == "within noise");
    auto* changes = dialog->findChild<QTableWidget*>("changes");
    REQUIRE(changes->rowCount() == 1);  // the note is of today, not of the time in between
    CHECK(changes->item(0, 0)->text() == "ROLL_RATE_GAIN");
    CHECK(dialog->findChild<QComboBox*>("compared channel")->currentText() == "vibration.z_mps2");
    dialog->openOther("/no/such/log");
    REQUIRE(
        d.until(3000, [&] { return dialog->findChild<QLabel*>("comparison caution")->text().contains("no/such"); }));
    CHECK(dialog->comparison());  // what was compared stays
}

TEST_CASE("two flights stand beside each other on one cursor, moved, hopped between, and apart again",
          "[ui][debrief][beside]") {
    Review d("shakedown-clean.ulg");
    d.key(Qt::Key_B, Qt::ControlModifier | Qt::ShiftModifier);
    auto* dialog = d.window.findChild<FlightsDialog*>();
    REQUIRE(dialog != nullptr);
    auto* button = dialog->findChild<QPushButton*>("draw beside");
    CHECK_FALSE(button->isEnabled());  // there is no other one yet
    const QString other = QString::fromStdString(demo("shakedown-resonance.ulg"));
    dialog->openOther(other);
    REQUIRE(d.until(10000, [&] { return dialog->comparison().has_value(); }));
    const QImage alone = d.band().grab().toImage();
    QTest::mouseClick(button, Qt::LeftButton);
    REQUIRE(d.model().beside());
    CHECK(d.band().grab().toImage() != alone);
    CHECK(button->text() == "No longer beside");
    // Both left the ground at the cursor: by their own heights.
    const LogPtr mine = d.window.review().log(), theirs = d.model().beside()->log;
    const auto left_ground = [](const FlightLog& log) {
        const Channel* h = log.find("position.height_home_m");
        for (std::size_t i = 0; i < h->t_s.size(); ++i)
            if (h->value[i] > 1.5) return h->t_s[i];
        return -1.0;
    };
    CHECK(left_ground(*mine) + d.model().beside()->shift_s == Approx(left_ground(*theirs)).margin(0.6));
    // The aircraft of both stand on the map, each where its own log has it.
    const double t = left_ground(*mine) + 30;
    d.model().setCursor(t);
    REQUIRE(d.window.map().overlay().beside);
    const double then = t + d.model().beside()->shift_s;
    CHECK(d.window.map().overlay().beside->place.lat_deg ==
          Approx(*theirs->find("position.lat_deg")->at(then)).margin(2e-6));
    CHECK(d.window.map().overlay().beside_track.size() > 100);
    // By hand: a second later.
    auto* shift = dialog->findChild<QDoubleSpinBox*>("beside shift");
    const double before = d.model().beside()->shift_s;
    shift->setFocus();
    shift->stepBy(2);
    CHECK(d.model().beside()->shift_s == Approx(before + 1).margin(0.051));
    auto* how = dialog->findChild<QComboBox*>("beside alignment");
    CHECK(how->currentText().contains("by hand"));
    // To the other one at the same moment, and back, by a key.
    const double moved = d.model().beside()->shift_s;
    const Stretch view = d.model().view();
    d.key(Qt::Key_H, Qt::ShiftModifier);
    CHECK(d.window.review().log() == theirs);
    CHECK(d.window.review().path() == other);
    REQUIRE(d.model().beside());
    CHECK(d.model().beside()->log == mine);
    CHECK(d.model().beside()->shift_s == Approx(-moved));
    CHECK(d.model().cursor() == Approx(t + moved));
    CHECK(d.model().view().from_s == Approx(view.from_s + moved));
    d.key(Qt::Key_H, Qt::ShiftModifier);
    CHECK(d.window.review().log() == mine);
    CHECK(d.model().cursor() == Approx(t));
    // Apart again; and with another log opened nothing stays beside.
    QTest::mouseClick(button, Qt::LeftButton);
    CHECK_FALSE(d.model().beside());
    CHECK_FALSE(d.window.map().overlay().beside);
    QTest::mouseClick(button, Qt::LeftButton);
    REQUIRE(d.model().beside());
    d.show(demo("shakedown-gps-jump.ulg"));
    CHECK_FALSE(d.model().beside());
    d.key(Qt::Key_H, Qt::ShiftModifier);
    CHECK(d.window.lastMessage().contains("No flight is drawn beside"));
}

TEST_CASE("a channel against another, its histogram, height over distance", "[ui][debrief][relation]") {
    Review d("shakedown-compass.ulg");
    d.press("relation");
    auto* dialog = d.window.findChild<RelationDialog*>("relation dialog");
    REQUIRE(dialog != nullptr);
    const auto choose = [&](const char* box, const QString& text) {
        auto* b = dialog->findChild<QComboBox*>(box);
        b->setCurrentIndex(b->findText(text));
        emit b->activated(b->currentIndex());
    };
    choose("relation x", "battery.current_a");
    choose("relation y", "mag.field_ut");
    CHECK((dialog->result().startsWith("r 0.9") || dialog->result().startsWith("r 0.8")));
    CHECK(dialog->result().contains("left out"));
    dialog->findChild<QCheckBox*>("relation steady")->setChecked(false);
    CHECK(dialog->result().contains("Turns and rolls are in it"));
    choose("relation stretch", "the whole flight");
    dialog->setView(RelationDialog::often);
    CHECK(dialog->result().contains("samples: mean"));
    CHECK(dialog->result().contains("20 values a second in steps of"));
    dialog->setView(RelationDialog::distance);
    CHECK(dialog->result().contains("climbed"));
    auto* y = dialog->findChild<QComboBox*>("relation y");
    dialog->setView(RelationDialog::often);
    y->setEditText("nonsense");
    emit y->activated(0);
    CHECK(dialog->result().contains("no channel \"nonsense\""));
}

TEST_CASE("parameters and missions of a log: searched, beside another log, opened as a plan",
          "[ui][debrief][contents]") {
    Review d("shakedown-new-propellers.ulg");
    d.press("log contents");
    auto* dialog = d.window.findChild<ContentsDialog*>("contents dialog");
    REQUIRE(dialog != nullptr);
    auto* table = dialog->findChild<QTableWidget*>("log parameters");
    CHECK(table->rowCount() == 2);
    QTest::keyClicks(dialog->findChild<QLineEdit*>("parameter search"), "motor");
    CHECK(table->rowCount() == 1);
    dialog->findChild<QLineEdit*>("parameter search")->clear();
    dialog->compareWith(QString::fromStdString(demo("shakedown-clean.ulg")));
    REQUIRE(table->rowCount() == 1);
    CHECK(table->item(0, 0)->text() == "ROLL_RATE_GAIN");
    CHECK(table->item(0, 1)->text() == "0.118");
    CHECK(dialog->saveParameters(QString::fromStdString(d.dir / "params.csv")));
    CHECK(slurp(d.dir / "params.csv").find("MOTOR_MIN_SHARE,0.12") != std::string::npos);
    // A recording of a hand-over has its mission.
    d.show(demo("patrol-flight.tlog"));
    auto* missions = dialog->findChild<QListWidget*>("log missions");
    REQUIRE(missions->count() >= 1);
    dialog->findChild<QTabWidget*>("contents tabs")->setCurrentIndex(1);
    QTest::mouseClick(dialog->findChild<QPushButton*>("open log mission"), Qt::LeftButton);
    d.settle();
    CHECK(d.window.workspace() == Workspace::draft);
    CHECK(d.plan().items.size() > 5);
    // A new plan, of no file; undo has the earlier one back in its file.
    CHECK(d.window.plan().path().isEmpty());
    CHECK(d.plan().title == "patrol-flight, mission of the log");
    REQUIRE(d.window.plan().canUndo());
    d.window.plan().undo();
    CHECK(d.plan().title != "patrol-flight, mission of the log");
}

TEST_CASE("presence over the open flight and the whole logbook, on a page to keep", "[ui][debrief][presence]") {
    Review d("shakedown-clean.ulg");
    REQUIRE(d.window.logbook().waitUntilIdle(8000));
    d.press("presence");
    auto* dialog = d.window.findChild<PresenceDialog*>("presence dialog");
    REQUIRE(dialog != nullptr);
    auto* point = dialog->findChild<QLineEdit*>("presence point");
    auto* radius = dialog->findChild<QLineEdit*>("presence radius");
    auto* look = dialog->findChild<QPushButton*>("presence look");
    auto* summary = dialog->findChild<QLabel*>("presence summary");
    point->setText("nowhere");
    QTest::mouseClick(look, Qt::LeftButton);
    CHECK(summary->text().contains("cannot be read"));
    point->setText("47.305197, -20.106806");
    radius->setText("0");
    QTest::mouseClick(look, Qt::LeftButton);
    CHECK(summary->text().contains("above 0"));
    radius->setText("20 m");
    QTest::mouseClick(look, Qt::LeftButton);
    REQUIRE(d.until(5000, [&] { return summary->text().contains("Entered in 1 of 1"); }));
    CHECK(dialog->page().flights[0].sha256.size() == 64);
    CHECK_FALSE(dialog->page().map_png.empty());
    CHECK(dialog->findChild<QTextBrowser*>("presence page")->toPlainText().contains("SHA-256"));
    CHECK(dialog->saveTo(QString::fromStdString(d.dir / "presence.html")));
    CHECK(dialog->saveTo(QString::fromStdString(d.dir / "presence.pdf")));
    CHECK(std::filesystem::file_size(d.dir / "presence.pdf") > 2000);
    CHECK_FALSE(dialog->saveTo("/no/such/folder/p.html"));
    auto* over = dialog->findChild<QComboBox*>("presence over");
    over->setCurrentIndex(1);
    point->setText("47.4, -20.1");
    QTest::mouseClick(look, Qt::LeftButton);
    REQUIRE(d.until(8000, [&] { return summary->text().contains("Not entered"); }));
}

TEST_CASE("a log is dropped onto the window; a folder is watched for new ones", "[ui][debrief][logbook]") {
    Driver d;
    d.openDemo();
    QMimeData mime;
    mime.setUrls({QUrl::fromLocalFile(QString::fromStdString(demo("shakedown-clean.ulg")))});
    QDragEnterEvent enter(QPoint(500, 400), Qt::CopyAction, &mime, Qt::LeftButton, Qt::NoModifier);
    QApplication::sendEvent(&d.window, &enter);
    CHECK(enter.isAccepted());
    QDropEvent drop(QPointF(500, 400), Qt::CopyAction, &mime, Qt::LeftButton, Qt::NoModifier);
    QApplication::sendEvent(&d.window, &drop);
    REQUIRE(d.until(5000, [&] { return d.window.review().path().endsWith("shakedown-clean.ulg"); }));
    REQUIRE(d.window.logbook().waitUntilIdle(5000));
    const auto book = d.window.logbook().book();
    REQUIRE(book);
    const std::size_t before = (*book)->count();
    std::filesystem::create_directories(d.dir / "card");
    d.window.logbook().watchFolder(QString::fromStdString(d.dir / "card"));
    FlightLog fresh;  // of content no other test has
    fresh.start_unix_s = 1784793600 + getpid();
    for (int i = 0; i < 200; ++i) {
        fresh.channel("position.lat_deg", "deg").add(i, 47.31 + i * 1e-5);
        fresh.channel("position.lon_deg", "deg").add(i, -20.12);
        fresh.channel("position.height_home_m", "m").add(i, 20);
    }
    spit(d.dir / "card/new.ulg", writeUlog(fresh));
    REQUIRE(d.until(12000, [&] { return (*book)->count() == before + 1; }));
    CHECK(QSettings().value("logbook/watched").toString().endsWith("card"));
    d.press("open logbook");
    CHECK(d.child<QPushButton>("logbook watch")->text() == "Stop watching");
    // What was set differently than on the flight before stands beside the flight.
    auto* table = d.child<QTableWidget>("logbook table");
    table->selectRow(0);
    QTest::qWait(50);
    CHECK(d.child<QLabel>("parameter changes")->text().contains("parameters"));
    QTest::mouseClick(d.child<QPushButton>("logbook watch"), Qt::LeftButton);
    CHECK(d.window.logbook().watchedFolder().isEmpty());
}

TEST_CASE("planned against flown by leg, photos that were missed, the instrument while replaying",
          "[ui][debrief][planned]") {
    Driver d;
    d.openDemo();
    REQUIRE(d.window.openFile(QString::fromStdString(demo("patrol-flight.tlog"))));
    REQUIRE(d.until(10000, [&] { return d.window.review().comparison().has_value(); }));
    auto* tabs = d.child<QTabWidget>("debrief tabs");
    tabs->setCurrentIndex(1);
    auto* legs = d.child<QTableWidget>("legs flown");
    REQUIRE(legs->rowCount() > 5);
    auto* photos = d.child<QLabel>("photos flown");
    REQUIRE(d.until(20000, [&] { return photos->text().contains("places missed"); }));
    CHECK(photos->text().contains("% shown (planned"));
    const double wanted = legs->item(3, 0)->data(Qt::UserRole).toDouble();
    QTest::mouseClick(legs->viewport(), Qt::LeftButton, Qt::NoModifier,
                      legs->visualItemRect(legs->item(3, 1)).center());
    CHECK(d.window.traceModel().cursor() == Approx(wanted));
    auto* bar = d.child<ReplayBar>("replay bar");
    bar->togglePlay();
    QTest::qWait(200);
    CHECK(d.window.findChild<Instrument*>()->isVisible());
    bar->togglePlay();
    QTest::qWait(50);
    CHECK_FALSE(d.window.findChild<Instrument*>()->isVisible());
    CHECK(d.child<FiguresView>("figures")->isVisible());
}

TEST_CASE("packets that were not believed are counted beside their recording and shown on request", "[ui][debrief]") {
    Review d;
    const std::string recording = d.dir / "day.tlog", doubted = d.dir / "day-not-believed.tlog";
    std::filesystem::copy(demo("patrol-flight.tlog"), recording);
    // The layout of recordings: eight bytes of time, one packet.
    std::string bytes;
    const auto add = [&](mavlink::Message m, int system, double unix_s) {
        m.system = static_cast<std::uint8_t>(system);
        m.component = 1;
        const auto us = static_cast<std::uint64_t>(unix_s * 1e6);
        for (int i = 7; i >= 0; --i) bytes += static_cast<char>(us >> (8 * i));
        bytes += mavlink::encode(m);
    };
    mavlink::Message says("STATUSTEXT"), beat("HEARTBEAT"), lie("STATUSTEXT");
    says.set("severity", 5).setText("text", "mark: what follows was not believed");
    beat.set("type", 2).set("autopilot", 3);
    lie.set("severity", 0).setText("text", "<b>motors off</b>");
    add(says, 255, 1.8e9);
    for (int i = 0; i < 1233; ++i) add(beat, 1, 1.8e9 + i);
    add(lie, 1, 1.8e9 + 1300);
    spit(doubted, bytes);
    d.show(recording);
    auto* title = d.child<QLabel>("log title");
    CHECK(title->text().contains("1,234 packets that were not believed"));
    const LogPtr log = d.window.review().log();
    for (const LogEvent& e : log->events) CHECK(e.text.find("motors") == std::string::npos);
    // Its link, wherever it stands.
    for (int y = 2;
         y < title->height() && !d.window.review().opening() && d.window.review().path().toStdString() == recording;
         y += 6)
        for (int x = title->width() - 4; x > 0; x -= 12) QTest::mouseClick(title, Qt::LeftButton, {}, {x, y});
    REQUIRE(d.until(5000, [&] { return d.window.review().path().toStdString() == doubted; }));
    CHECK(title->text().contains("None of this was believed"));
    CHECK_FALSE(d.window.review().log()->believed);
}
