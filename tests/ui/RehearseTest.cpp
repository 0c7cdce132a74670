// The rehearsal with something going wrong, and what follows while a plan is changed.
#include "Driver.h"
#include "app/rehearse/RehearsePanel.h"
#include "core/base/Text.h"
#include "core/plan/ProfileLibrary.h"

using namespace anhinga;
using namespace anhinga::testing;

TEST_CASE("what if: something goes wrong at the play head, and all is as planned again", "[ui][rehearse]") {
    Driver d;
    d.openDemo();
    d.key(Qt::Key_F2);
    auto* panel = d.child<RehearsePanel>("rehearse");
    auto* what = d.child<QComboBox>("what if");
    const auto planned = d.window.plan().flownRehearsal();
    panel->setPlayHead(400);
    const auto choose = [&](int row) {
        what->setCurrentIndex(row);
        emit what->activated(row);
        QApplication::processEvents();
        return d.window.plan().flownRehearsal();
    };
    std::set<double> ends;
    for (int row = 1; row < what->count(); ++row) {
        INFO(what->itemText(row).toStdString());
        const auto r = choose(row);
        REQUIRE(r != planned);
        CHECK(*r->failed_s == Approx(400).margin(0.11));
        CHECK(panel->playHead() == 400);  // it stays there to be played on from
        CHECK(what->currentIndex() == row);
        CHECK(d.child<QPushButton>("step Rehearse")->text().contains("what if"));
        ends.insert(r->energy_left_percent);
    }
    CHECK(ends.size() >= 4);  // called home and a lost link fly the same way
    // The findings and what is handed over are those of the plan, not of the trial.
    CHECK(d.window.plan().derived()->rehearsal == planned);
    CHECK(choose(0) == planned);
    CHECK_FALSE(d.child<QPushButton>("step Rehearse")->text().contains("what if"));
    choose(2);
    d.window.plan().edit("title", [](Plan& p) { p.title = "another"; });
    d.settle();
    CHECK(d.window.plan().failure());  // the flight is the same
    d.window.plan().edit("lift", [](Plan& p) { p.items[1].height = Height::aboveHome(73); });
    d.settle();
    CHECK_FALSE(d.window.plan().failure());
    CHECK(what->currentIndex() == 0);
    // Nothing to fly, nothing to try.
    d.window.plan().edit("empty", [](Plan& p) { p.items.clear(); });
    d.settle();
    choose(1);
    CHECK_FALSE(d.window.plan().failure());
    CHECK(what->currentIndex() == 0);
}

TEST_CASE("time, energy and clearance follow while a point is dragged", "[ui][rehearse][live]") {
    Driver d;
    d.openDemo();
    d.key(Qt::Key_P);
    const Item& item = d.plan().items[7];
    REQUIRE(item.kind == ItemKind::hold);
    const QPoint from = d.at(item.position);
    const double before = d.window.plan().derived()->rehearsal->duration_s;
    QTest::mousePress(&d.window.map(), Qt::LeftButton, Qt::NoModifier, from);
    std::set<double> seen;
    // As fast as a hand moves, without ever resting; on a slow machine more of it, and slower.
    const auto moveTo = [&](QPoint to) {
        QMouseEvent move(QEvent::MouseMove, to, d.window.map().mapToGlobal(to), Qt::NoButton, Qt::LeftButton,
                         Qt::NoModifier);
        QApplication::sendEvent(&d.window.map(), &move);
    };
    for (int i = 0; i < 300 && (i < 40 || seen.size() < 4); ++i) {
        moveTo(from + QPoint(1 + i % 40, (1 + i % 40) / 2));
        QTest::qWait(35 + 4 * std::max(0, i - 40));
        if (const auto& r = d.window.plan().derived()->rehearsal) seen.insert(r->duration_s);
    }
    moveTo(from + QPoint(40, 20));
    QTest::mouseRelease(&d.window.map(), Qt::LeftButton, Qt::NoModifier, from + QPoint(40, 20));
    CHECK(seen.size() >= 4);
    d.settle();
    CHECK(d.window.plan().derived()->rehearsal->duration_s != before);
}

TEST_CASE("wind, its gusts and its growth with height change the rehearsal and its findings", "[ui][rehearse][wind]") {
    Driver d;
    d.openDemo();
    d.key(Qt::Key_F2);
    const auto left = [&] {
        d.settle();
        return d.window.plan().derived()->rehearsal->energy_left_percent;
    };
    const double calm = left();
    d.child<QDoubleSpinBox>("wind speed")->setValue(6);
    const double windy = left();
    CHECK(windy < calm - 3);
    auto* shear = d.child<QCheckBox>("shear");
    QTest::mouseClick(shear, Qt::LeftButton, Qt::NoModifier, QPoint(8, shear->height() / 2));
    const double sheared = left();
    CHECK(sheared < windy - 1);
    d.child<QDoubleSpinBox>("gusts")->setValue(2.5);
    const double gusty = left();
    CHECK(gusty < sheared);
    CHECK(d.window.plan().wind().gust_mps == 2.5);
    // Gusts count where the wind is held against the vehicle.
    d.child<QDoubleSpinBox>("wind speed")->setValue(13);
    d.settle();
    const auto said = [&] {
        for (const Finding& f : d.window.plan().derived()->findings)
            if (f.rule == "wind") return true;
        return false;
    };
    CHECK(said());
    d.child<QDoubleSpinBox>("gusts")->setValue(0);
    d.child<QDoubleSpinBox>("wind speed")->setValue(0);
    QTest::mouseClick(shear, Qt::LeftButton, Qt::NoModifier, QPoint(8, shear->height() / 2));
    CHECK(left() == Approx(calm));
    CHECK_FALSE(said());
}

TEST_CASE("the list of arrivals counts passes and leads to them; the worst wind is told", "[ui][rehearse]") {
    Driver d;
    d.openDemo();
    d.key(Qt::Key_F2);
    auto* list = d.child<QTreeWidget>("arrivals");
    auto* panel = d.child<RehearsePanel>("rehearse");
    const auto r = d.window.plan().flownRehearsal();
    REQUIRE(list->topLevelItemCount() > 8);
    int again = 0, photos = 0;
    for (int i = 0; i < list->topLevelItemCount(); ++i) {
        again += list->topLevelItem(i)->text(0).contains("(2 of 2)");
        photos += list->topLevelItem(i)->text(2).toInt();
    }
    CHECK(again >= 4);  // the repeat of the demo
    CHECK(photos == r->photos);
    auto* row = list->topLevelItem(4);
    list->scrollToItem(row);
    QTest::mouseClick(list->viewport(), Qt::LeftButton, Qt::NoModifier, list->visualItemRect(row).center());
    const double at = panel->playHead();
    CHECK(at > 10);
    CHECK(QString::fromStdString(durationText(at)) == row->text(1));
    CHECK(list->currentItem() != nullptr);
    CHECK(d.child<QLabel>("now")->text().contains("heading"));
    panel->setPlayHead(r->duration_s * 0.75);
    CHECK(d.child<QLabel>("now")->text().contains("pass 2 of 2"));
    REQUIRE(d.until(8000, [&] {
        return (d.child<QLabel>("winds")->text().contains("the worst side") ||
                d.child<QLabel>("winds")->text().contains("from any side"));
    }));
    CHECK(d.child<QLabel>("winds")->text().contains("8 m/s"));
}

TEST_CASE(
    "safety actions are chosen beside the return height and rehearsed; the vehicle's kind changes what is offered",
    "[ui][rehearse][vehicle]") {
    Driver d;
    d.openDemo();
    d.window.plan().select({});
    d.settle();
    auto* lost = d.child<QComboBox>("field Link lost");
    REQUIRE(lost->count() == 4);
    auto* end = d.child<QComboBox>("field At the end");
    REQUIRE(end->count() == 5);
    end->setCurrentIndex(4);
    emit end->activated(4);
    d.settle();
    CHECK(d.plan().at_end == AtEnd::waitThere);
    d.window.plan().undo();
    d.settle();
    CHECK(end->currentIndex() == 0);
    lost->setCurrentIndex(1);
    emit lost->activated(1);
    d.settle();
    CHECK(d.plan().lost_link == SafetyAction::land);
    // The flight that follows a lost link is the one chosen.
    REQUIRE(d.window.plan().tryFailure({Failure::lostLink, 400, {}}));
    CHECK(d.window.plan().flownRehearsal()->landed_from_home_m > 50);
    d.window.plan().undo();
    d.settle();
    CHECK(d.plan().lost_link == SafetyAction::returnHome);
    REQUIRE(d.window.plan().tryFailure({Failure::lostLink, 400, {}}));
    CHECK(d.window.plan().flownRehearsal()->landed_from_home_m < 5);
    const auto kindsOf = [&] {
        QStringList all;
        auto* box = d.child<QComboBox>("field Kind");
        for (int i = 0; i < box->count(); ++i) all << box->itemText(i);
        return all;
    };
    const ItemId waypoint = d.plan().items[1].id;
    d.window.plan().select({waypoint});
    d.settle();
    CHECK(kindsOf().contains("hold"));
    d.window.plan().edit("Fixed wing", [](Plan& p) { p.vehicle = skimmer(); });
    d.settle();
    d.window.plan().select({});
    d.window.plan().select({waypoint});
    d.settle();
    CHECK(kindsOf().contains("hold, circling"));
    bool cannot = false;
    for (const Finding& f : d.window.plan().derived()->findings) cannot |= f.rule == "unsupported";
    CHECK(cannot);  // the demo's look-at
}

TEST_CASE("a profile's kind is chosen in Settings, and its numbers follow", "[ui][settings][vehicle]") {
    Driver d;
    d.window.showSettings();
    QApplication::processEvents();
    auto* kind = d.child<QComboBox>("profile Kind");
    REQUIRE(kind->count() == 3);
    CHECK(d.window.findChild<QLineEdit*>("profile Stall") == nullptr);
    kind->setCurrentIndex(1);
    emit kind->activated(1);
    REQUIRE(d.until(2000, [&] { return d.window.findChild<QLineEdit*>("profile Stall") != nullptr; }));
    CHECK(d.child<QComboBox>("profile Kind")->currentIndex() == 1);
    CHECK(d.window.findChild<QLineEdit*>("profile Rotor area") == nullptr);
    emit d.child<QComboBox>("profile Kind")->activated(0);
    REQUIRE(d.until(2000, [&] { return d.window.findChild<QLineEdit*>("profile Stall") == nullptr; }));
}
