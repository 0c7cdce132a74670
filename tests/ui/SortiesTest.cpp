// Plans flown in sorties, with mouse and keys: cut, chosen, rehearsed, handed over, gone on with.
#include "Driver.h"
#include "app/field/FieldPanel.h"
#include "app/rehearse/RehearsePanel.h"
#include "core/base/Text.h"

using namespace anhinga;
using namespace anhinga::testing;

namespace {

ItemId blockOf(Driver& d) {
    for (const Item& i : d.plan().items)
        if (i.kind == ItemKind::block) return i.id;
    return 0;
}
QWidget* panelOf(Driver& d, const char* name) {
    auto* panel = d.window.findChild<QWidget*>(name);
    REQUIRE(panel != nullptr);
    return panel;
}
void choose(Driver& d, int sortie) {
    auto* box = panelOf(d, "rehearse")->findChild<QComboBox*>("sortie");
    REQUIRE(box != nullptr);
    box->setCurrentIndex(sortie);
    emit box->activated(sortie);
}
/// The context menu at a place of the map, its entry that begins so, clicked.
bool clickMenu(Driver& d, QPoint at, const QString& entry) {
    bool done = false;
    QTimer::singleShot(150, [&] {
        if (auto* menu = qobject_cast<QMenu*>(QApplication::activePopupWidget())) {
            for (QAction* a : menu->actions())
                if (a->text().startsWith(entry)) {
                    QTest::mouseClick(menu, Qt::LeftButton, Qt::NoModifier, menu->actionGeometry(a).center());
                    done = true;
                    return;
                }
            menu->close();
        }
    });
    QContextMenuEvent e(QContextMenuEvent::Mouse, at, d.window.map().mapToGlobal(at));
    QApplication::sendEvent(&d.window.map(), &e);
    QApplication::processEvents();
    return done;
}

}  // namespace

TEST_CASE("a plan for more than one battery is cut from its finding, rehearsed part by part, and joined again",
          "[ui][sortie]") {
    Driver d;
    d.openDemo("quarry.anhinga.geojson");
    d.window.plan().edit("battery", [](Plan& p) { p.vehicle.battery_wh = 45; });
    d.settle();
    CHECK(d.child<QPushButton>("findings count")->text().contains("stop"));
    d.press("correct energy");
    REQUIRE(d.until(20000, [&] { return !d.window.plan().cutting() && !d.plan().cuts.empty(); }));
    d.settle();
    const int n = static_cast<int>(d.plan().cuts.size()) + 1;
    CHECK(n >= 3);
    CHECK(d.window.lastMessage().contains(QString("%1 sorties").arg(n)));
    CHECK_FALSE(d.child<QPushButton>("findings count")->text().contains("stop"));
    CHECK(d.window.plan().undoName() == "Cut into sorties");
    // The first is chosen; what is rehearsed is that one, and its photos alone.
    CHECK(d.window.plan().sortie() == 1);
    d.key(Qt::Key_F2);
    CHECK(d.child<QPushButton>("step Rehearse")->text().contains(QString("sortie 1 of %1").arg(n)));
    int photos = 0;
    double longest = 0;
    for (int k = 1; k <= n; ++k) {
        choose(d, k);
        CHECK(d.window.plan().sortie() == k);
        const auto r = d.window.plan().flownRehearsal();
        REQUIRE(r);
        CHECK(r->energy_left_percent >= 20);
        photos += r->photos;
        longest = std::max(longest, r->duration_s);
        CHECK(panelOf(d, "rehearse")->findChild<QLabel*>("headline")->text() ==
              QString::fromStdString(durationText(r->duration_s)));
    }
    CHECK(photos >= 524);
    choose(d, 0);
    CHECK(d.window.plan().flownRehearsal()->reached_reserve);
    // Were the whole handed over all the same, what stops it must be asked about.
    const auto stops = [&] {
        const auto& all = d.window.plan().flownFindings();
        return std::count_if(all.begin(), all.end(), [](const Finding& f) { return f.severity == Severity::stop; });
    };
    CHECK(stops() == 1);
    CHECK(d.window.plan().flownFindings().front().rule == "energy");
    CHECK(d.window.plan().flownRehearsal() == d.window.plan().derived()->rehearsal);
    // Playing is that of the chosen sortie too.
    choose(d, 2);
    CHECK(stops() == 0);
    d.child<RehearsePanel>("rehearse")->setPlayHead(1e6);
    const QImage map = d.window.map().grab().toImage();
    choose(d, 3);
    CHECK(map != d.window.map().grab().toImage());
    auto* join = panelOf(d, "rehearse")->findChild<QPushButton*>("join sorties");
    QTest::mouseClick(join, Qt::LeftButton);
    d.settle();
    CHECK(d.plan().cuts.empty());
    CHECK(d.window.plan().sortie() == 0);
    d.key(Qt::Key_Z, Qt::ControlModifier);
    CHECK(static_cast<int>(d.plan().cuts.size()) == n - 1);
    CHECK(d.window.plan().sortie() == 1);
}

TEST_CASE("cutting can be cancelled and leaves a plan that was changed meanwhile alone", "[ui][sortie]") {
    Driver d;
    d.openDemo("quarry.anhinga.geojson");
    d.window.plan().edit("battery", [](Plan& p) { p.vehicle.battery_wh = 34; });
    d.settle();
    d.key(Qt::Key_F2);
    auto* panel = panelOf(d, "rehearse");
    QTest::mouseClick(panel->findChild<QPushButton*>("cut into sorties"), Qt::LeftButton);
    REQUIRE(d.window.plan().cutting());
    QTest::mouseClick(panel->findChild<QPushButton*>("stop cutting"), Qt::LeftButton);
    REQUIRE(d.until(10000, [&] { return !d.window.plan().cutting(); }));
    CHECK(d.plan().cuts.empty());
    CHECK(d.window.lastMessage().contains("stopped"));
    QTest::mouseClick(panel->findChild<QPushButton*>("cut into sorties"), Qt::LeftButton);
    d.window.plan().edit("title", [](Plan& p) { p.title = "precious"; });
    REQUIRE(d.until(20000, [&] { return !d.window.plan().cutting(); }));
    CHECK(d.plan().cuts.empty());
    CHECK(d.plan().title == "precious");
    CHECK(d.window.lastMessage().contains("changed meanwhile"));
}

TEST_CASE("a sortie is begun at a photo from the map's menu", "[ui][sortie][map]") {
    Driver d;
    d.openDemo("quarry.anhinga.geojson");
    const ItemId block = blockOf(d);
    d.window.plan().select({block});
    d.key(Qt::Key_G);
    const auto& photos = d.window.plan().derived()->view.route.flightOf(block)->photos;
    const QPoint at = d.at(photos[250].place);
    REQUIRE(d.window.map().rect().contains(at));
    CHECK(clickMenu(d, at, "Begin a sortie at stock piles from photo 251"));
    d.settle();
    REQUIRE(d.plan().cuts.size() == 1);
    CHECK(d.plan().cuts[0] == Cut{block, 0, 251});
    CHECK(d.window.plan().sortie() == 2);  // the one that was made
    // Outside of Draft too, and there is nothing else to change there.
    d.key(Qt::Key_F2);
    CHECK_FALSE(clickMenu(d, at, "Set home here"));
    CHECK(clickMenu(d, d.at(photos[100].place), "Begin a sortie at stock piles from photo 101"));
    d.settle();
    CHECK(d.plan().cuts.size() == 2);
    CHECK(d.window.plan().derived()->sorties.size() == 3);
    CHECK(d.window.plan().sortie() == 2);
    while (d.window.plan().canUndo()) d.key(Qt::Key_Z, Qt::ControlModifier);
    CHECK(d.plan().cuts.empty());
}

TEST_CASE("a sortie is handed over, flown, broken off and gone on with", "[ui][sortie][field]") {
    Driver d;
    d.openDemo("quarry.anhinga.geojson");
    const ItemId block = blockOf(d);
    d.window.plan().edit("cut", [&](Plan& p) { p.cuts = {{block, 9, 0}}; });
    d.settle();
    StandInOptions o = standInAt({47.3051970, -20.1068059}, 0, 40);
    o.terrain = island();
    o.home_amsl_m = o.terrain->sample(o.home).value_or(0);
    const auto standin = d.connect(o);
    auto* box = panelOf(d, "field")->findChild<QComboBox*>("sortie");
    REQUIRE(box != nullptr);
    CHECK(box->count() == 3);
    box->setCurrentIndex(2);
    emit box->activated(2);
    d.press("field tab Fly");
    CHECK_FALSE(d.child<QPushButton>("resume later")->isVisible());
    d.press("field tab Link");
    d.press("hand over");
    REQUIRE(d.until(12000, [&] { return d.window.link().seal() == LinkSession::Seal::sealed; }));
    // Sealed is the sortie, not the plan.
    CHECK(d.until(3000, [&] { return d.child<FieldPanel>("field")->sealHolds(); }));
    CHECK(d.child<QLabel>("seal")->text().contains(
        QString("%1 items").arg(d.window.plan().flownView().program.entries())));
    d.window.plan().chooseSortie(1);
    CHECK_FALSE(d.child<FieldPanel>("field")->sealHolds());
    d.window.plan().chooseSortie(2);
    CHECK(d.until(3000, [&] { return d.child<FieldPanel>("field")->sealHolds(); }));
    auto& link = d.window.link();
    const auto done = [&](const char* name, LinkSession::Command c) {
        link.command(name, std::move(c));
        return d.until(6000, [&] { return link.commands().back().state != CommandNote::sent; }) &&
               link.commands().back().state == CommandNote::accepted;
    };
    REQUIRE(done("Arm", [](VehicleLink& l, std::stop_token s) { return commandArm(l, std::move(s)); }));
    REQUIRE(done("Start", [](VehicleLink& l, std::stop_token s) { return commandStart(l, std::move(s)); }));
    REQUIRE(d.until(20000, [&] { return link.vehicle().photos >= 60; }));
    REQUIRE(done("Return", [](VehicleLink& l, std::stop_token s) { return commandReturn(l, std::move(s)); }));
    const int taken = link.vehicle().photos;
    REQUIRE(d.until(20000, [&] { return link.vehicle().heard && !link.vehicle().armed; }));
    d.press("field tab Fly");
    REQUIRE(d.until(3000, [&] { return d.child<QPushButton>("resume later")->isVisible(); }));
    d.press("resume later");
    d.settle();
    REQUIRE(d.plan().cuts.size() == 2);
    const auto& sorties = d.window.plan().derived()->sorties;
    REQUIRE(sorties.size() == 3);
    CHECK(d.window.plan().sortie() == 3);
    // What was photographed is not flown again, but for the last photo.
    CHECK(std::abs(sorties[1]->sortie.photos - taken) <= 3);
    CHECK(d.window.lastMessage().contains("not handed over yet"));
    CHECK_FALSE(d.child<FieldPanel>("field")->sealHolds());
}

TEST_CASE("a camera that is started by hand is said before hand-over and holds arming back", "[ui][field][camera]") {
    Driver d;
    d.openDemo("quarry.anhinga.geojson");
    d.window.plan().edit("camera", [](Plan& p) { p.camera.triggered = false; });
    d.settle();
    const auto standin = d.connect(standInAt({47.3051970, -20.1068059}, 45));
    d.press("field tab Fly");
    auto* running = d.child<QCheckBox>("camera by hand");
    CHECK(running->isVisible());
    CHECK_FALSE(d.child<QPushButton>("command Arm")->isEnabled());
    d.press("field tab Link");
    answer(QMessageBox::No);
    d.press("hand over");
    CHECK(d.window.link().seal() == LinkSession::Seal::none);
    CHECK_FALSE(d.window.link().busy());
    d.press("field tab Fly");
    QTest::mouseClick(running, Qt::LeftButton, Qt::NoModifier, QPoint(8, running->height() / 2));
    CHECK(d.child<QPushButton>("command Arm")->isEnabled());
    d.press("field tab Link");
    answer(QMessageBox::Yes);
    d.press("hand over");
    REQUIRE(d.until(12000, [&] { return d.window.link().seal() == LinkSession::Seal::sealed; }));
    CHECK_FALSE(running->isChecked());  // for this hand-over it must be said again
    CHECK_FALSE(d.child<QPushButton>("command Arm")->isEnabled());
    d.window.plan().edit("camera", [](Plan& p) { p.camera.triggered = true; });
    d.settle();
    d.press("field tab Fly");
    CHECK_FALSE(running->isVisible());
    CHECK(d.child<QPushButton>("command Arm")->isEnabled());
}

TEST_CASE("a rectangle is drawn with Shift from corner to corner, an area is left out of it and taken back",
          "[ui][pattern][map]") {
    Driver d;
    d.openDemo();
    const std::size_t items = d.plan().items.size();
    d.key(Qt::Key_B);
    d.drag(&d.window.map(), {400, 250}, {600, 400}, Qt::ShiftModifier);
    REQUIRE(d.plan().items.size() == items + 1);
    const ItemId id = *d.window.plan().selection().begin();
    const auto block = [&]() -> const Pattern& { return *d.plan().find(id)->pattern; };
    REQUIRE(block().outline.size() == 4);
    CHECK(d.at(block().outline[0]) == QPoint(400, 250));
    CHECK(d.at(block().outline[2]) == QPoint(600, 400));
    CHECK(block().outline[0].lat_deg == block().outline[1].lat_deg);
    CHECK(d.window.map().tool() == MapTool::select);
    const double whole = d.window.plan().derived()->view.route.flightOf(id)->area_m2;
    CHECK(clickMenu(d, {420, 265}, "Leave an area out"));
    CHECK(d.window.map().tool() == MapTool::block);
    for (const QPoint p : {QPoint(460, 300), QPoint(540, 300), QPoint(540, 360)}) d.click(p);
    d.key(Qt::Key_Return);
    REQUIRE(block().holes.size() == 1);
    CHECK(d.plan().items.size() == items + 1);
    const double left = d.window.plan().derived()->view.route.flightOf(id)->area_m2;
    CHECK(left == Approx(whole * (1 - 0.5 * 80 * 60 / (200 * 150))).epsilon(0.01));
    // A corner of it is dragged as any other.
    d.drag(&d.window.map(), {540, 360}, {540, 380});
    CHECK(d.at(block().holes[0][2]) == QPoint(540, 380));
    CHECK(d.window.plan().derived()->view.route.flightOf(id)->area_m2 < left);
    // One that reaches beyond the edge is refused.
    CHECK(clickMenu(d, {420, 390}, "Leave an area out"));
    d.drag(&d.window.map(), {380, 380}, {430, 395}, Qt::ShiftModifier);
    CHECK(block().holes.size() == 1);
    CHECK(d.window.lastMessage().contains("inside"));
    CHECK(clickMenu(d, {530, 320}, "Remove this left-out area"));
    d.settle();
    CHECK(block().holes.empty());
    CHECK(d.window.plan().derived()->view.route.flightOf(id)->area_m2 == Approx(whole));
    CHECK(clickMenu(d, {420, 265}, "Fly a lap around this Block"));
    d.settle();
    const Item* lap = d.plan().find(*d.window.plan().selection().begin());
    REQUIRE(lap->kind == ItemKind::lap);
    CHECK(lap->pattern->outline == block().outline);
    CHECK(lap->height == d.plan().find(id)->height);
    CHECK(d.plan().indexOf(lap->id) == d.plan().indexOf(id) + 1);
    d.key(Qt::Key_Z, Qt::ControlModifier);
    // Without Shift a drag pans, as before.
    d.key(Qt::Key_B);
    d.drag(&d.window.map(), {300, 300}, {340, 320});
    CHECK(d.plan().items.size() == items + 1);
    d.key(Qt::Key_Escape);
}
