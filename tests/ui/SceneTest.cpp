// The Scene: the same places as the map, the same items by a click, waypoints from a view, the camera's eye.
#include <complex>

#include "Driver.h"
#include "app/map/MapTransform.h"
#include "app/rehearse/RehearsePanel.h"
#include "app/scene/SceneView.h"
#include "core/terrain/Imagery.h"

using namespace anhinga;
using namespace anhinga::testing;

namespace {

/// The Scene shown, its ground made and drawn once; false where this machine has no OpenGL at all.
bool openScene(Driver& d) {
    d.key(Qt::Key_S);
    REQUIRE(d.window.sceneShown());
    if (d.window.scene() == nullptr) {
        WARN("no OpenGL here: " << sceneProblem().toStdString());
        CHECK(d.child<QWidget>("no scene")->isVisible());
        d.window.showScene(false);
        CHECK(d.window.map().isVisible());
        return false;
    }
    SceneView& scene = *d.window.scene();
    REQUIRE(d.until(15000, [&] { return scene.groundReady(); }));
    // The window was made anew for OpenGL; without a window manager nobody makes it the active one again.
    d.window.activateWindow();
    QApplication::setActiveWindow(&d.window);
    scene.setFocus();
    scene.repaint();
    return true;
}

std::vector<GeoPoint> knownPlaces(const Plan& plan) {
    std::vector<GeoPoint> places{plan.home->position};
    for (const Item& i : plan.items)
        if (hasPosition(i.kind)) places.push_back(i.position);
    for (const Fence& f : plan.fences) places.insert(places.end(), f.outline.begin(), f.outline.end());
    for (const Obstacle& o : plan.obstacles) places.insert(places.end(), o.points.begin(), o.points.end());
    return places;
}

void click(SceneView& scene, QPointF at, Qt::KeyboardModifiers m = Qt::NoModifier) {
    QTest::mouseClick(&scene, Qt::LeftButton, m, at.toPoint());
}

}  // namespace

TEST_CASE("known places are where the map has them", "[ui][scene]") {
    Driver d;
    d.openDemo();
    const MapTransform map = d.window.map().transform();
    if (!openScene(d)) return;
    SceneView& scene = *d.window.scene();
    const auto places = knownPlaces(d.plan());
    REQUIRE(places.size() > 15);
    // Seen from straight above, places at one height are the map turned, moved and scaled: two of them tell how.
    scene.fromAbove();
    const auto fits = [&](double margin_px) {
        const QPointF a = *scene.onScreen(places[0], 0), b = *scene.onScreen(places[8], 0);
        const QPointF ma = map.toScreen(places[0]), mb = map.toScreen(places[8]);
        const std::complex<double> turn =
            std::complex<double>(b.x() - a.x(), b.y() - a.y()) / std::complex<double>(mb.x() - ma.x(), mb.y() - ma.y());
        for (const GeoPoint& p : places) {
            const QPointF m = map.toScreen(p) - ma, s = *scene.onScreen(p, 0);
            const std::complex<double> at = std::complex<double>(m.x(), m.y()) * turn;
            CHECK(std::hypot(a.x() + at.real() - s.x(), a.y() + at.imag() - s.y()) < margin_px);
        }
        return turn;
    };
    const auto turn = fits(1.0);
    CHECK(std::abs(std::arg(turn)) < 0.003);  // north is up in both
    // From the side a place of the ground is found again under the pixel it is drawn at.
    for (const double yaw : {0.0, 120.0, 245.0})
        for (const double exaggeration : {1.0, 3.0}) {
            scene.setExaggeration(exaggeration);
            scene.camera().yaw_deg = yaw;
            scene.camera().pitch_deg = -50;
            int seen = 0;
            for (const GeoPoint& p : places) {
                const double ground = d.window.plan().terrain()->sample(p).value_or(0);
                const auto at = scene.onScreen(p, ground);
                if (!at || !scene.rect().contains(at->toPoint())) continue;
                const auto back = scene.groundAt(*at);
                REQUIRE(back);
                if (distance_m(*back, p) < 3) {
                    ++seen;
                    continue;
                }
                // Then a hill stands in front: what is seen there is nearer.
                const QVector3D eye = scene.camera().eye();
                const double height = d.window.plan().terrain()->sample(*back).value_or(0);
                CHECK((scene.space().of(*back, height) - eye).length() <
                      (scene.space().of(p, ground) - eye).length() + 15);  // a thin edge may be missed
            }
            CHECK(seen >= 8);
        }
}

TEST_CASE("the picture drawn shows sea where there is sea, and land where there is land", "[ui][scene]") {
    Driver d;
    d.openDemo();
    if (!openScene(d)) return;
    SceneView& scene = *d.window.scene();
    const auto picture = ImagerySource::open(d.dir / "quillmere-imagery.tif");
    REQUIRE(picture);
    d.window.plan().edit("bare", [](Plan& p) {  // nothing drawn over the ground
        p.items.clear();
        p.fences.clear();
        p.obstacles.clear();
    });
    d.settle();
    scene.fromAbove();
    scene.camera().distance_m = 5000;
    scene.camera().pivot = {-600, 300, 0};
    const QImage shot = scene.grabFramebuffer();
    const double k = scene.devicePixelRatioF();
    const LocalFrame frame(d.plan().home->position);
    int sea = 0, land = 0, wrong = 0;
    for (int x = -2600; x <= 1400; x += 200)
        for (int y = -1200; y <= 1800; y += 200) {
            const GeoPoint p = frame.toGeo({static_cast<double>(x), static_cast<double>(y)});
            const double ground = d.window.plan().terrain()->sample(p).value_or(0);
            const auto at = scene.onScreen(p, ground);
            if (!at || !scene.rect().adjusted(10, 60, -10, -40).contains(at->toPoint())) continue;
            const UnitPoint u = toUnitSquare(p);
            const double half = 4e-7;
            const auto own = (*picture)->read({u.x - half, u.y - half, u.x + half, u.y + half}, 1, 1);
            REQUIRE(own);
            if ((*own)[3] < 128) continue;
            const QColor drawn = shot.pixelColor(static_cast<int>(at->x() * k), static_cast<int>(at->y() * k));
            const int margin = (*own)[2] - (*own)[1];  // bluer than green: water
            if (std::abs(margin) < 25) continue;
            const bool water = margin > 0;
            (water ? sea : land) += 1;
            wrong += (drawn.blue() > drawn.green()) != water;
        }
    CHECK(sea > 4);
    CHECK(land > 8);
    CHECK(wrong <= (sea + land) / 25);  // a pixel on the shore
}

TEST_CASE("a click in the Scene selects what the map selects, and views say so alike", "[ui][scene]") {
    Driver d;
    d.openDemo();
    if (!openScene(d)) return;
    SceneView& scene = *d.window.scene();
    int clicked = 0;
    for (const PathPoint& p : d.window.plan().derived()->view.path.points) {
        const Item* item = d.plan().find(p.source);
        if (item == nullptr || item->kind != ItemKind::waypoint || !p.amsl_m) continue;
        const auto at = scene.onScreen(p.position, *p.amsl_m);
        if (!at || !scene.rect().adjusted(20, 60, -20, -20).contains(at->toPoint())) continue;
        click(scene, *at);
        REQUIRE(d.window.plan().selection().size() == 1);
        const ItemId got = *d.window.plan().selection().begin();
        // Two waypoints of the demo stand at one place.
        CHECK(d.plan().find(got)->position == item->position);
        ++clicked;
    }
    CHECK(clicked >= 4);
    click(scene, {scene.width() / 2.0, scene.height() - 4.0});
    // Fences and obstacles too.
    const Obstacle& wire = *std::find_if(d.plan().obstacles.begin(), d.plan().obstacles.end(),
                                         [](const Obstacle& o) { return o.kind == ObstacleKind::wire; });
    scene.showPlace(wire.points[1]);
    scene.repaint();
    const double top = d.window.plan().terrain()->sample(wire.points[1]).value_or(0) + wire.height_m;
    click(scene, *scene.onScreen(wire.points[1], top - 5));
    CHECK(d.window.plan().isSelected(wire.id));
    QTest::keyClick(&scene, Qt::Key_Escape);
    CHECK(d.window.plan().selection().empty());
    // What is selected is brought into the picture.
    d.window.plan().select({d.plan().items[2].id});
    QTest::keyClick(&scene, Qt::Key_G);
    int inside = 0, of = 0;
    for (const PathPoint& p : d.window.plan().derived()->view.path.points) {
        if (p.source != d.plan().items[2].id || !p.amsl_m) continue;
        const auto at = scene.onScreen(p.position, *p.amsl_m);
        ++of;
        inside += at && scene.rect().contains(at->toPoint());
    }
    CHECK(of > 4);
    CHECK(inside == of);
    // Back to the map with the same key.
    QTest::keyClick(&scene, Qt::Key_S);
    CHECK_FALSE(d.window.sceneShown());
    CHECK(d.window.map().isVisible());
}

TEST_CASE("a point with this view: place, height, heading and gimbal from the view, moved or added, undone in one step",
          "[ui][scene]") {
    Driver d;
    d.openDemo();
    if (!openScene(d)) return;
    SceneView& scene = *d.window.scene();
    const Item before = d.plan().items[1];
    d.window.plan().select({before.id});
    const GeoPoint there = destination(d.plan().home->position, 300, 500);
    scene.setExaggeration(2);
    scene.camera().yaw_deg = 77;
    scene.camera().pitch_deg = -25;
    scene.camera().setEye(scene.space().of(there, 160));
    d.press("move to view");
    d.settle();
    const Item& after = *d.plan().find(before.id);
    CHECK(distance_m(after.position, there) < 0.5);
    CHECK(after.height->ref == effectiveHeight(d.plan(), before).ref);
    CHECK(*amslOf(d.plan(), d.window.plan().terrain().get(), after.position, *after.height) == Approx(160).margin(0.2));
    double heading = -1, pitch = 1;
    for (const Action& a : after.actions) {
        if (const auto* h = std::get_if<SetHeading>(&a)) heading = h->heading_deg;
        if (const auto* g = std::get_if<GimbalPitch>(&a)) pitch = g->pitch_deg;
    }
    CHECK(heading == Approx(77));
    CHECK(pitch == Approx(-25));
    // Once more changes the same two actions, and adds none.
    const std::size_t actions = after.actions.size();
    d.press("move to view");
    d.settle();
    CHECK(d.plan().find(before.id)->actions.size() == actions);
    while (d.window.plan().canUndo()) d.window.plan().undo();
    d.settle();
    CHECK(*d.plan().find(before.id) == before);
    // Nothing selected: nothing to move, and it says so.
    d.window.plan().select({});
    d.press("move to view");
    CHECK(d.window.lastMessage().contains("Select the one point"));
    // Added each time: the first before the way home, the second after the first.
    const std::size_t items = d.plan().items.size();
    d.press("add view");
    d.settle();
    CHECK(d.plan().items.size() == items + 1);
    const ItemId first = *d.window.plan().selection().begin();
    d.press("add view");
    d.settle();
    REQUIRE(d.plan().items.size() == items + 2);
    CHECK(d.plan().indexOf(*d.window.plan().selection().begin()) == d.plan().indexOf(first) + 1);
    d.key(Qt::Key_Z, Qt::ControlModifier);
    CHECK(d.plan().items.size() == items + 1);
    CHECK(d.plan().items.back().kind == ItemKind::returnHome);
    // Inside the ground nothing is set, and it says why.
    scene.camera().setEye(scene.space().of(d.plan().home->position, -20));
    d.press("add view");
    CHECK(d.plan().items.size() == items + 1);
    CHECK(d.window.lastMessage().contains("inside the ground"));
    // Only Draft edits.
    d.window.setWorkspace(Workspace::rehearse);
    CHECK_FALSE(d.child<QPushButton>("add view")->isVisible());
    CHECK_FALSE(scene.takeView(ViewTo::newPoint));
}

TEST_CASE("the camera's eye looks from the play head with the profile's field of view", "[ui][scene]") {
    Driver d;
    d.openDemo();
    d.window.setWorkspace(Workspace::rehearse);
    if (!openScene(d)) return;
    SceneView& scene = *d.window.scene();
    auto* panel = d.child<RehearsePanel>("rehearse");
    // Where photos are taken it looks straight down.
    double photo = -1;
    for (const LogEvent& e : d.window.plan().flownRehearsal()->log->events)
        if (e.kind == "photo" && photo < 0) photo = e.t_s;
    REQUIRE(photo > 0);
    panel->setPlayHead(photo + 0.3);
    QTest::keyClick(&scene, Qt::Key_K);
    CHECK(scene.eyeMode() == EyeMode::inset);
    scene.repaint();
    const std::size_t with_inset = scene.lastCost().pieces;
    CHECK(with_inset > 0);
    QTest::keyClick(&scene, Qt::Key_K);
    CHECK(scene.eyeMode() == EyeMode::full);
    const QImage full = scene.grabFramebuffer();
    CHECK(scene.lastCost().pieces > 0);
    CHECK(scene.lastCost().pieces < with_inset);
    // The middle of the picture is the ground beneath: neither sky nor the dark frame beside it.
    const QColor middle = full.pixelColor(full.width() / 2, full.height() / 2);
    CHECK(middle.green() > 40);
    QTest::keyClick(&scene, Qt::Key_Escape);
    CHECK(scene.eyeMode() == EyeMode::off);
    // A click on the track takes the play head there.
    const FlightLog& log = *d.window.plan().flownRehearsal()->log;
    const double t = panel->playHead() + 200;
    const GeoPoint place{*log.find("position.lat_deg")->at(t), *log.find("position.lon_deg")->at(t)};
    const auto at = scene.onScreen(place, *log.find("position.height_amsl_m")->at(t));
    REQUIRE(at);
    click(scene, *at);
    const GeoPoint now{*log.find("position.lat_deg")->at(panel->playHead()),
                       *log.find("position.lon_deg")->at(panel->playHead())};
    CHECK(distance_m(now, place) < 40);
    CHECK(panel->playHead() != photo + 0.3);
    // Following keeps the aircraft in the middle.
    auto* follow = d.child<QCheckBox>("follow");
    follow->setChecked(true);
    panel->setPlayHead(300);
    const GeoPoint flown{*log.find("position.lat_deg")->at(300), *log.find("position.lon_deg")->at(300)};
    CHECK(distance_m(scene.space().placeOf(scene.camera().pivot), flown) < 1);
    follow->setChecked(false);
}

TEST_CASE("the Scene is turned, moved and brought nearer by hand, and never goes below the ground", "[ui][scene]") {
    Driver d;
    d.openDemo();
    if (!openScene(d)) return;
    SceneView& scene = *d.window.scene();
    const auto eyeOver = [&] {
        const QVector3D eye = scene.camera().eye();
        return scene.space().amslOf(eye) - d.window.plan().terrain()->sample(scene.space().placeOf(eye)).value_or(0);
    };
    const QPoint middle(scene.width() / 2, scene.height() / 2);
    const double yaw = scene.camera().yaw_deg;
    QTest::mousePress(&scene, Qt::LeftButton, Qt::ShiftModifier, middle);
    const QPoint to = middle + QPoint(120, 0);
    QMouseEvent turn(QEvent::MouseMove, to, scene.mapToGlobal(to), Qt::NoButton, Qt::LeftButton, Qt::ShiftModifier);
    QApplication::sendEvent(&scene, &turn);
    QTest::mouseRelease(&scene, Qt::LeftButton, Qt::ShiftModifier, to);
    CHECK(scene.camera().yaw_deg != yaw);
    const QVector3D pivot = scene.camera().pivot;
    d.drag(&scene, middle, middle + QPoint(0, 90));
    CHECK((scene.camera().pivot - pivot).length() > 5);
    const GeoPoint under = *scene.groundAt(middle + QPoint(60, 80));
    const double far = scene.camera().distance_m;
    for (int i = 0; i < 10; ++i) {
        QWheelEvent wheel(middle + QPoint(60, 80), scene.mapToGlobal(middle + QPoint(60, 80)), {}, {0, 120},
                          Qt::NoButton, Qt::NoModifier, Qt::NoScrollPhase, false);
        QApplication::sendEvent(&scene, &wheel);
        CHECK(eyeOver() > 1);
    }
    CHECK(scene.camera().distance_m < far / 4);
    CHECK(distance_m(*scene.groundAt(middle + QPoint(60, 80)), under) < far / 15);
    for (int i = 0; i < 60; ++i) {
        QTest::keyClick(&scene, i % 2 == 0 ? Qt::Key_PageDown : Qt::Key_Up);
        CHECK(eyeOver() > 1);
    }
    QTest::keyClick(&scene, Qt::Key_Home);
    CHECK(scene.camera().pitch_deg == -90);
    QTest::keyClick(&scene, Qt::Key_P);
    CHECK(scene.camera().pitch_deg == -38);
    scene.repaint();
    CHECK(scene.lastCost().triangles > 1000);
    // Nothing loaded at all is no reason to fall over.
    d.window.plan().startNew();
    d.settle();
    scene.repaint();
    d.window.setNight(true);
    scene.repaint();
    d.window.setNight(false);
}

TEST_CASE("a display without OpenGL is told so, and the program goes on", "[ui][scene]") {
    // On a platform that has none; in a process of its own, as there is one platform to a process.
    Process without("/usr/bin/env",
                    {"QT_QPA_PLATFORM=offscreen", std::string(BIN_DIR) + "/anhinga-tests-ui", "known places*"});
    std::optional<int> status;
    for (int i = 0; i < 600 && !status; ++i) {
        std::this_thread::sleep_for(std::chrono::milliseconds(50));
        status = without.ended();
    }
    REQUIRE(status);
    CHECK(*status == 0);
}
