// The whole day in the field with a stand-in, by clicks and keys: checklist, hand-over, a refusal and its
// reason, a change in flight, the landing, the onboard log; and the dialogs on their own.
#include "ui/FieldDay.h"

#include "app/draft/Itinerary.h"
#include "app/field/CarryOver.h"
#include "app/field/CompareDialog.h"
#include "app/field/LogsDialog.h"
#include "app/field/ParametersDialog.h"
#include "app/field/PilotSticks.h"
#include "app/field/StateStrip.h"
#include "app/widgets/Instrument.h"
#include "core/plan/ChecklistTemplates.h"

using namespace anhinga;
using namespace anhinga::testing;

TEST_CASE("what the aircraft is set to is asked, compared with the plan, and set by a click", "[ui][field][safety]") {
    Day day;
    Driver& d = day.d;
    d.press("field tab Checklist");
    d.window.plan().edit("checklist", [](Plan& p) {
        addChecklist(p, checklistTemplates()[0]);
        p.return_height_m = 85;
    });
    d.settle();
    const auto entry = [&](const std::string& automatic) {
        for (const ChecklistEntry& e : d.window.field().checklist())
            if (e.item.automatic == automatic) return e;
        FAIL("no such line");
        return ChecklistEntry{};
    };
    REQUIRE(d.until(3000, [&] { return entry("return-height").text.contains("not asked"); }));
    CHECK(entry("return-height").state == CheckState::unknown);
    CHECK_FALSE(d.child<QPushButton>("set Return height")->isVisible());
    d.press("ask settings");
    REQUIRE(d.until(10000, [&] { return entry("return-height").state == CheckState::bad; }));
    CHECK(entry("return-height").text.contains("60 m"));
    CHECK(entry("fence-acts").state == CheckState::good);
    auto* set = d.child<QPushButton>("set Return height");
    REQUIRE(d.until(2000, [&] { return set->isVisible() && set->isEnabled(); }));
    CHECK(set->text().contains("RETURN_HEIGHT_M 85"));
    d.press("set Return height");
    REQUIRE(d.until(5000, [&] { return entry("return-height").state == CheckState::good; }));
    CHECK(d.window.link().parameters().at("RETURN_HEIGHT_M").value == 85);
    CHECK_FALSE(set->isVisible());
}

TEST_CASE("a key is put aboard after a question, and the link is signed from then on", "[ui][field][signing]") {
    Day day;
    Driver& d = day.d;
    d.press("field tab Link");
    auto* key = d.child<QPushButton>("signing key");
    CHECK(key->text().startsWith("Signing key"));
    d.window.link().setPassphrase("heron");
    REQUIRE(d.until(2000, [&] { return key->text().startsWith("Put the key aboard") && key->isEnabled(); }));
    const auto answer = [&](QMessageBox::StandardButton button) {
        d.press("signing key");
        QMessageBox* ask = nullptr;
        REQUIRE(d.until(2000, [&] { return (ask = d.window.findChild<QMessageBox*>("ask key")) != nullptr; }));
        QTest::mouseClick(ask->button(button), Qt::LeftButton);
        REQUIRE(d.until(2000, [&] { return d.window.findChild<QMessageBox*>("ask key") == nullptr; }));
    };
    answer(QMessageBox::No);
    CHECK_FALSE(d.window.link().isSigned());
    answer(QMessageBox::Yes);
    REQUIRE(d.until(8000, [&] { return d.window.link().isSigned(); }));
    REQUIRE(d.until(2000, [&] { return key->text() == "Signed link" && !key->isEnabled(); }));
    day.handOver();  // signed like everything else
    CHECK(d.window.link().seal() == LinkSession::Seal::sealed);
}

TEST_CASE("a day in the field from the connection to the log in Debrief", "[ui][field][day]") {
    Day day;
    Driver& d = day.d;
    // Checklist: one list, automatic lines look for themselves, one is ticked by hand.
    d.press("field tab Checklist");
    CHECK(d.child<QLabel>("checklist summary")->text().contains("No checklist yet"));
    d.window.plan().edit("checklist", [](Plan& p) {
        addChecklist(p, checklistTemplates()[0]);
        p.checklist.push_back({p.newId(), "Propellers tight", "", true, 0, {}});
    });
    d.settle();
    REQUIRE(d.until(3000, [&] { return d.window.field().openMusts().size() == 2; }));  // route, propellers
    auto* propellers = d.child<QCheckBox>("check Propellers tight");
    QTest::mouseClick(propellers, Qt::LeftButton, Qt::NoModifier, QPoint(8, propellers->height() / 2));
    CHECK(d.plan().checklist.back().ticked_unix_s > 1.7e9);
    REQUIRE(d.until(2000, [&] { return d.window.field().openMusts().size() == 1; }));
    const auto* route = d.child<QCheckBox>("check Route on the aircraft");
    CHECK_FALSE(route->isChecked());
    CHECK_FALSE(route->isEnabled());

    day.handOver();
    CHECK(d.child<QLabel>("seal")->text().contains("whether it outlives a power-off is not known"));
    d.press("field tab Link");
    d.press("store for power-off");
    REQUIRE(d.until(5000, [&] { return d.child<QLabel>("seal")->text().contains("stored for power-off, says"); }));
    CHECK_FALSE(d.child<QPushButton>("store for power-off")->isEnabled());
    REQUIRE(d.until(2000, [&] { return route->isChecked(); }));
    REQUIRE(d.plan().seals.size() == 1);
    CHECK(d.plan().seals[0].mission == static_cast<int>(d.window.plan().flownView().program.entries()));

    // Arm refused with the reason; put right; armed.
    d.press("field tab Fly");
    REQUIRE(d.until(5000, [&] { return day.vehicle().modes.size() >= 5; }));
    CHECK(day.flyInMode("mission").state == CommandNote::accepted);
    REQUIRE(d.until(3000, [&] { return modeName(day.vehicle()) == "mission"; }));
    REQUIRE(d.until(2000, [&] { return d.window.field().openMusts().size() == 1; }));
    answerWhenAsked(QMessageBox::Yes);  // one must-line is open: it asks once more
    const CommandNote refused = day.arm();
    CHECK(refused.state == CommandNote::refused);
    CHECK(refused.reason.contains("mode mission does not allow it"));
    CHECK(d.child<QLabel>("command state")->text().contains("does not allow it"));
    CHECK(day.flyInMode("manual").state == CommandNote::accepted);
    REQUIRE(d.until(3000, [&] { return d.window.field().openMusts().isEmpty(); }));
    CHECK(day.arm().state == CommandNote::accepted);
    REQUIRE(d.until(3000, [&] { return day.vehicle().armed; }));
    CHECK(day.command("command Start").state == CommandNote::accepted);

    // In flight: paused, a point ahead is lifted, sent, read back; what is flown stays.
    REQUIRE(d.until(15000, [&] { return day.vehicle().mission_item.value_or(0) >= 4; }));
    CHECK(day.command("command Hold").state == CommandNote::accepted);
    REQUIRE(d.until(5000, [&] { return modeName(day.vehicle()) == "hold"; }));
    const ItemId near = d.plan().items[2].id, far = d.plan().items[6].id;
    CHECK(d.until(1500, [&] { return d.window.plan().isFrozen(near); }));
    CHECK_FALSE(d.window.plan().isFrozen(far));
    d.window.plan().edit("lift", [&](Plan& p) { p.find(near)->height = Height::aboveHome(90); });
    CHECK(d.plan().find(near)->height == Height::aboveHome(70));
    CHECK(d.window.lastMessage().contains("cannot be changed now"));
    d.window.plan().edit("lift", [&](Plan& p) { p.find(far)->height = Height::aboveHome(95); });
    d.settle();
    REQUIRE(d.until(2000, [&] { return d.child<QPushButton>("hand over")->text() == "Send change"; }));
    CHECK(d.child<QLabel>("seal")->text().contains("Change not sent"));
    CHECK(d.window.findChild<Itinerary*>()->stateOf(far) == "kept here, not sent");
    day.handOver();
    CHECK(d.window.field().sealHolds());
    CHECK(d.child<QPushButton>("hand over")->text() == "Hand over");
    d.press("field tab Fly");
    CHECK(day.command("command Go on").state == CommandNote::accepted);
    REQUIRE(d.until(20000, [&] { return day.vehicle().height_home_m.value_or(0) > 90; }));
    REQUIRE(d.window.field().progress());
    // The pilot's transmitter is seen, the track wears the colours of its modes.
    const auto* sticks = d.window.findChild<PilotSticks*>();
    REQUIRE(sticks != nullptr);
    CHECK(sticks->text().contains("mode switch: position 2"));
    QStringList flown_in;
    for (const auto& c : d.window.map().overlay().colours.classes) flown_in << c.text;
    CHECK(flown_in.contains("mission"));
    CHECK(flown_in.contains("hold"));
    CHECK(d.window.map().overlay().colours.of.size() == d.window.map().overlay().track.size());

    // A mark, then home.
    d.child<QLineEdit>("fly note")->setText("over the ridge");
    d.press("mark");
    CHECK(day.command("command Return home").state == CommandNote::accepted);
    REQUIRE(d.until(30000, [&] { return d.window.field().landed(); }));
    REQUIRE(d.until(1500, [&] { return d.child<QFrame>("after flight")->isVisible(); }));
    CHECK(d.child<QLabel>("after flight text")->text().contains("Landed after"));
    CHECK(d.plan().seals[0].flown_unix_s > 1.7e9);
    CHECK(d.window.field().day()[0].text.contains("on the aircraft, flown"));

    // The log aboard, fetched and opened.
    d.press("after logs");
    auto* dialog = d.window.findChild<LogsDialog*>();
    REQUIRE(dialog != nullptr);
    auto* table = dialog->findChild<QTableWidget*>("logs table");
    REQUIRE(d.until(8000, [&] { return table->rowCount() == 1 && !day.link().busy(); }));
    table->selectRow(0);
    QTest::mouseClick(dialog->findChild<QPushButton*>("logs fetch"), Qt::LeftButton);
    REQUIRE(d.until(10000, [&] { return dialog->findChild<QPushButton*>("logs open")->isEnabled(); }));
    CHECK(dialog->findChild<QLabel*>("logs summary")->text().contains("Fetched"));
    QTest::mouseClick(dialog->findChild<QPushButton*>("logs open"), Qt::LeftButton);
    REQUIRE(d.until(8000, [&] { return d.window.review().log() != nullptr; }));
    CHECK(d.window.workspace() == Workspace::debrief);
    CHECK(d.window.review().log()->format.find("ULog") != std::string::npos);
    // It is in the logbook, with the plan it was flown from.
    REQUIRE(d.window.logbook().waitUntilIdle(5000));
    auto entries = (*d.window.logbook().book())->entries(".ulg");
    REQUIRE_FALSE(entries.empty());
    CHECK(entries[0].vehicle == "vehicle 1, multirotor");
    CHECK(entries[0].plan_path == d.window.plan().path().toStdString());
    CHECK(entries[0].top_height_home_m > 90);
    // The recording holds the mark.
    d.window.openFile(day.link().recordPath());
    day.link().flushRecording();
    d.window.openFile(day.link().recordPath());
    REQUIRE(d.until(8000, [&] {
        const auto log = d.window.review().log();
        return log && std::any_of(log->events.begin(), log->events.end(),
                                  [](const LogEvent& e) { return e.kind == "mark" && e.text == "over the ridge"; });
    }));
    // Disconnected, the recording is noted too; the report has figures and ticks.
    d.key(Qt::Key_F3);
    d.press("field tab Link");
    d.press("connect");
    REQUIRE(d.window.logbook().waitUntilIdle(5000));
    entries = (*d.window.logbook().book())->entries(".tlog");
    REQUIRE_FALSE(entries.empty());
    CHECK(entries[0].path == QFileInfo(day.link().recordPath()).absoluteFilePath().toStdString());
    CHECK(entries[0].top_height_home_m > 90);
    d.window.saveReport(QString::fromStdString(d.dir / "report.html"));
    const std::string report = slurp(d.dir / "report.html");
    CHECK(report.find("Propellers tight") != std::string::npos);
    CHECK(report.find("over the ridge") != std::string::npos);
    d.window.saveReport(QString::fromStdString(d.dir / "report.pdf"));
    CHECK(slurp(d.dir / "report.pdf").starts_with("%PDF"));
}

TEST_CASE("a camera that does not shoot, and a link that is lost, are said in the strip", "[ui][field][alarm]") {
    Day day(standInAt({47.3051970, -20.1068059}, 45, 4, "lost-link@44"));
    Driver& d = day.d;
    day.handOver();
    d.press("field tab Fly");
    CHECK(day.arm().state == CommandNote::accepted);
    CHECK(day.command("command Start").state == CommandNote::accepted);
    auto* strip = d.window.findChild<StateStrip*>();
    REQUIRE(strip != nullptr);
    REQUIRE(d.until(18000, [&] { return !strip->shownAlarms().filter("Link lost").isEmpty(); }));
    CHECK(strip->shownAlarms().filter("it returns home by itself").size() == 1);
    CHECK(d.child<QLabel>("state link")->text().contains("lost"));
    d.key(Qt::Key_A, Qt::ShiftModifier);
    CHECK(strip->shownAlarms().isEmpty());
    // Back after 30 s of its time; it has gone home meanwhile.
    REQUIRE(d.until(12000, [&] { return day.vehicle().heartbeat_age_s < 1; }));
    CHECK(modeName(day.vehicle()) != "mission");
}

TEST_CASE("parameters are searched, changed with read-back, saved and compared", "[ui][field][parameters]") {
    Day day(standInAt({47.3051970, -20.1068059}, 45));
    Driver& d = day.d;
    d.press("parameters");
    auto* dialog = d.window.findChild<ParametersDialog*>();
    REQUIRE(dialog != nullptr);
    auto* table = dialog->findChild<QTreeWidget*>("parameter table");
    const auto rows = [&] {
        std::vector<QTreeWidgetItem*> out;
        for (int i = 0; i < table->topLevelItemCount(); ++i)
            for (int k = 0; k < table->topLevelItem(i)->childCount(); ++k)
                out.push_back(table->topLevelItem(i)->child(k));
        return out;
    };
    REQUIRE(d.until(8000, [&] { return rows().size() > 80; }));
    CHECK(table->topLevelItem(0)->text(0).startsWith("Arming"));
    REQUIRE(dialog->saveTo(QString::fromStdString(d.dir / "before.csv")));
    auto* search = dialog->findChild<QLineEdit*>("parameter search");
    QTest::keyClicks(search, "flies back");
    REQUIRE(rows().size() == 1);
    CHECK(rows()[0]->text(4) == "RETURN_HEIGHT_M");
    CHECK(rows()[0]->text(1) == "60 m");
    CHECK(rows()[0]->text(2) == "60 m");
    // Typed into the cell, as one does; the range stands there only then.
    const auto type = [&](const QString& value) {
        QApplication::sendPostedEvents(nullptr, QEvent::DeferredDelete);  // the editor before
        table->setCurrentItem(rows()[0]);
        emit table->itemActivated(rows()[0], 0);
        auto* edit = table->findChild<QLineEdit*>("parameter value");
        REQUIRE(edit != nullptr);
        CHECK(edit->placeholderText() == "2 m to 3000 m");
        QTest::keyClicks(edit, value);
        QTest::keyClick(edit, Qt::Key_Return);
        QApplication::processEvents();
    };
    type("45");
    auto* send = dialog->findChild<QPushButton*>("parameters send");
    REQUIRE(d.until(1000, [&] { return send->isEnabled(); }));
    CHECK(rows()[0]->text(1) == "45 m  (not set yet)");
    QTest::mouseClick(send, Qt::LeftButton);
    REQUIRE(
        d.until(6000, [&] { return !day.link().busy() && day.link().parameters().at("RETURN_HEIGHT_M").value == 45; }));
    REQUIRE(d.until(1000, [&] { return rows()[0]->text(1) == "45 m"; }));
    // Out of range: said, nothing to send.
    type("99999999");
    CHECK(d.until(2000, [&] {
        return dialog->findChild<QLabel*>("parameter text")->text() == "RETURN_HEIGHT_M: 2 m to 3000 m is possible";
    }));
    CHECK(rows()[0]->text(1) == "45 m");
    CHECK_FALSE(send->isEnabled());
    search->clear();
    REQUIRE(dialog->compareWith(QString::fromStdString(d.dir / "before.csv")));
    CHECK(dialog->findChild<QLabel*>("parameter summary")->text().contains("1 differ from before.csv"));
    dialog->findChild<QCheckBox*>("only differing")->setChecked(true);
    CHECK(rows().size() == 1);
    spit(d.dir / "bad.csv", "what is this");
    CHECK_FALSE(dialog->compareWith(QString::fromStdString(d.dir / "bad.csv")));
}

TEST_CASE("aircraft and plan are compared side by side, checked and cleared with a copy kept", "[ui][field][compare]") {
    Day day(standInAt({47.3051970, -20.1068059}, 45, 1, "alter-item"));
    Driver& d = day.d;
    d.press("hand over");
    REQUIRE(d.until(12000, [&] { return !day.link().busy() && day.link().seal() == LinkSession::Seal::differs; }));
    d.press("compare");
    auto* dialog = d.window.findChild<CompareDialog*>();
    REQUIRE(dialog != nullptr);
    CHECK(dialog->findChild<QLabel*>("compare summary")->text() == "1 item differs");
    dialog->findChild<QCheckBox*>("only differences")->setChecked(true);
    auto* table = dialog->findChild<QTableWidget*>("compare table");
    REQUIRE(table->rowCount() == 1);
    CHECK(table->item(0, 3)->text().startsWith("height: plan "));
    CHECK(table->item(0, 0)->text() == "route 2");
    dialog->hide();
    answer(QMessageBox::Yes);
    d.press("clear aircraft");
    REQUIRE(d.until(8000, [&] { return !day.link().busy() && day.link().held() && day.link().held()->route() == 0; }));
    REQUIRE_FALSE(day.link().copyPath().isEmpty());
    const auto copy = loadPlan(day.link().copyPath().toStdString());
    REQUIRE(copy);
    CHECK(copy->items.size() >= 6);
}

TEST_CASE("a sealed plan is frozen, a new revision can be changed", "[ui][field][freeze]") {
    Day day(standInAt({47.3051970, -20.1068059}, 45));
    Driver& d = day.d;
    CHECK_FALSE(d.child<QPushButton>("freeze plan")->isEnabled());
    day.handOver();
    REQUIRE(d.until(2000, [&] { return d.child<QPushButton>("freeze plan")->isEnabled(); }));
    d.press("freeze plan");
    REQUIRE(d.plan().frozen);
    const ItemId id = d.plan().items[3].id;
    d.window.plan().edit("lift", [&](Plan& p) { p.find(id)->height = Height::aboveHome(88); });
    CHECK(d.plan().find(id)->height == Height::aboveHome(70));
    CHECK(d.window.lastMessage().contains("frozen"));
    d.window.plan().edit("notes", [](Plan& p) { p.notes = "wind from the sea"; });  // the paper may change
    CHECK(d.plan().notes == "wind from the sea");
    CHECK(d.window.field().sealHolds());  // at once: nothing that is flown has changed
    REQUIRE(d.until(1000, [&] { return d.child<QPushButton>("freeze plan")->text() == "New revision"; }));
    d.press("freeze plan");
    CHECK(d.plan().revision == 2);
    d.window.plan().edit("lift", [&](Plan& p) { p.find(id)->height = Height::aboveHome(88); });
    d.settle();
    CHECK(d.child<QLabel>("seal")->text().contains("Seal broken"));
    CHECK(d.child<QLabel>("seal")->text().contains("revision 2"));
    // Saved and opened again, the seal is remembered as one that does not fit any more.
    const std::string path = d.dir / "kept.anhinga.geojson";
    d.window.saveTo(QString::fromStdString(path));
    day.link().disconnectLink();
    d.openDemo("kept.anhinga.geojson");
    REQUIRE(d.plan().seals.size() == 1);
    CHECK(d.window.field().sealLine().startsWith("changed since"));
}

TEST_CASE("the plan's home becomes the measured one when that is accepted", "[ui][field][home]") {
    Day day(standInAt({47.3055, -20.1068059}, 48));
    Driver& d = day.d;
    REQUIRE(d.until(5000, [&] { return d.child<QLabel>("measured home")->isVisible(); }));
    CHECK(d.child<QLabel>("measured home")->text().contains("3.0 m higher"));
    d.press("use measured home");
    d.settle();
    CHECK(d.plan().home->position.lat_deg == Approx(47.3055).margin(1e-6));
    CHECK(*d.plan().home->amsl_m == Approx(48));
    REQUIRE(d.until(2000, [&] { return !d.child<QLabel>("measured home")->isVisible(); }));
    d.key(Qt::Key_Z, Qt::ControlModifier);
    CHECK(*d.plan().home->amsl_m == Approx(45));
}

TEST_CASE("speed, height, a place on the map and another item are ordered in flight", "[ui][field][orders]") {
    Day day(standInAt({47.3051970, -20.1068059}, 45, 8));
    Driver& d = day.d;
    day.handOver();
    d.press("field tab Fly");
    auto* instrument = d.window.findChild<Instrument*>();
    REQUIRE(instrument != nullptr);
    const auto click = [&](const QRectF& tape) {
        QTest::mouseClick(instrument, Qt::LeftButton, Qt::NoModifier, tape.center().toPoint());
        return d.child<QLineEdit>("tape value");
    };
    // On the ground the tapes take nothing.
    CHECK_FALSE(click(instrument->speedTape())->isVisible());
    CHECK_FALSE(d.child<QPushButton>("command Go there")->isEnabled());
    CHECK_FALSE(d.child<QPushButton>("command Return home")->isEnabled());
    CHECK(day.arm().state == CommandNote::accepted);
    REQUIRE(d.until(3000, [&] { return day.vehicle().armed; }));
    CHECK(day.command("command Start").state == CommandNote::accepted);
    REQUIRE(d.until(15000, [&] { return day.vehicle().mission_item.value_or(0) >= 3; }));
    // Typed on the tape: what cannot be a speed is not taken; the order is sent by Fly so alone.
    auto* typing = click(instrument->speedTape());
    REQUIRE(typing->isVisible());
    QTest::keyClicks(typing, "very fast");
    QTest::keyClick(typing, Qt::Key_Return);
    CHECK_FALSE(instrument->wishedSpeed());
    typing = click(instrument->speedTape());
    QTest::keyClicks(typing, "4");
    QTest::keyClick(typing, Qt::Key_Return);
    CHECK(instrument->wishedSpeed() == 4.0);
    CHECK(d.child<QPushButton>("command Fly so")->text() == "Fly so: 4 m/s");
    CHECK(day.command("command Fly so").state == CommandNote::accepted);
    CHECK_FALSE(instrument->wishedSpeed());
    CHECK(d.until(6000, [&] { return std::abs(day.vehicle().ground_mps.value_or(0) - 4) < 0.4; }));
    // The height is the mission's own: refused with the reason.
    const QPoint tape = instrument->heightTape().center().toPoint();
    d.drag(instrument, tape + QPoint(0, 40), tape - QPoint(0, 4));
    REQUIRE(instrument->wishedHeight());
    CHECK(*instrument->wishedHeight() > *day.vehicle().height_home_m + 5);
    QTest::mouseClick(d.child<QPushButton>("forget tapes"), Qt::LeftButton);
    CHECK_FALSE(instrument->wishedHeight());
    typing = click(instrument->heightTape());
    QTest::keyClicks(typing, "55 m");
    QTest::keyClick(typing, Qt::Key_Return);
    const CommandNote height = day.command("command Fly so");
    CHECK(height.state == CommandNote::refused);
    CHECK(height.reason.contains("pause it first"));
    // A click on the map is where it goes.
    d.child<QLineEdit>("go there height")->setText("55 m");
    d.press("command Go there");
    CHECK(d.window.map().cursor().shape() == Qt::CrossCursor);
    const GeoPoint there = destination(d.plan().home->position, 330, 250);
    QTest::mouseClick(&d.window.map(), Qt::LeftButton, Qt::NoModifier, d.at(there));
    REQUIRE(d.until(6000, [&] { return modeName(day.vehicle()) == "led from the ground"; }));
    REQUIRE(d.until(20000, [&] { return modeName(day.vehicle()) == "hold"; }));
    CHECK(distance_m(*day.vehicle().position, there) < 15);
    CHECK(*day.vehicle().height_home_m == Approx(55).margin(2));
    // Space goes on with the mission, and pauses it.
    d.key(Qt::Key_Space);
    REQUIRE(d.until(5000, [&] { return modeName(day.vehicle()) == "mission"; }));
    REQUIRE(d.until(5000, [&] { return day.link().commands().back().state != CommandNote::sent; }));
    // Straight to a later item.
    auto* go_on = d.child<QPushButton>("go on from here");
    CHECK_FALSE(go_on->isVisible());
    d.window.plan().select({d.plan().items[6].id});
    REQUIRE(d.until(2000, [&] { return go_on->isVisible(); }));
    CHECK(day.answered([&] { QTest::mouseClick(go_on, Qt::LeftButton); }).state == CommandNote::accepted);
    REQUIRE(d.until(3000, [&] { return day.vehicle().mission_item.value_or(0) >= 7; }));
    // Cutting the motors is held and confirmed; a click alone does nothing.
    auto* stop = d.child<QPushButton>("command Cut motors");
    const auto before = day.link().commands().size();
    QTest::mouseClick(stop, Qt::LeftButton);
    QTest::qWait(200);
    CHECK(day.link().commands().size() == before);
    answerWhenAsked(QMessageBox::Yes);
    QTest::mousePress(stop, Qt::LeftButton);
    d.until(4000, [&] { return day.link().commands().size() > before; });
    QTest::mouseRelease(stop, Qt::LeftButton);
    REQUIRE(d.until(8000, [&] { return !day.vehicle().armed; }));
}

TEST_CASE("the heading test waits for a hand, and a carried plan is read back", "[ui][field][heading]") {
    StandInOptions east = standInAt({47.3051970, -20.1068059}, 45);
    east.heading_deg = 75;
    Day day(east);
    Driver& d = day.d;
    d.press("field tab Checklist");
    REQUIRE(d.until(2000, [&] { return d.child<QPushButton>("heading test")->isEnabled(); }));
    d.press("heading test");
    REQUIRE(d.until(
        4000, [&] { return d.child<QLabel>("heading test text")->text().contains("Turn the aircraft half round"); }));
    CHECK(d.window.field().headingTest().stage() == HeadingTest::Stage::turning);
    d.press("heading test");  // stopped
    REQUIRE(d.until(1000, [&] { return d.window.field().headingTest().stage() == HeadingTest::Stage::idle; }));
    CarryOverDialog dialog(&d.window.plan());
    REQUIRE(dialog.write(QString::fromStdString(d.dir / "carried.kml")));
    CHECK(dialog.findChild<QLabel*>("carry result")->text().contains("Read back, agrees"));
    CHECK(std::filesystem::exists(d.dir / "carried-sheet.html"));
    CHECK_FALSE(dialog.write("/no/such/folder/x.kml"));
}
