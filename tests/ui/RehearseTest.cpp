// The rehearsal with something going wrong, and what follows while a plan is changed.
#include "Driver.h"

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
    QElapsedTimer all;
    all.start();
    // As fast as a hand moves, without ever resting.
    for (int i = 1; i <= 40 && all.elapsed() < 8000; ++i) {
        const QPoint to = from + QPoint(i, i / 2);
        QMouseEvent move(QEvent::MouseMove, to, d.window.map().mapToGlobal(to), Qt::NoButton, Qt::LeftButton,
                         Qt::NoModifier);
        QApplication::sendEvent(&d.window.map(), &move);
        QTest::qWait(35);
        if (const auto& r = d.window.plan().derived()->rehearsal) seen.insert(r->duration_s);
    }
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
