#include "app/band/Band.h"
#include "core/geo/Polygon.h"
#include "ui/Driver.h"

using namespace anhinga;
using namespace anhinga::testing;

namespace {
void wheel(QWidget& w, QPoint at, int delta) {
    QWheelEvent e(at, w.mapToGlobal(at), {}, {0, delta}, Qt::NoButton, Qt::NoModifier, Qt::NoScrollPhase, false);
    QApplication::sendEvent(&w, &e);
}
}  // namespace

TEST_CASE("the wheel zooms about the pointer", "[ui][map]") {
    Driver d;
    d.openDemo();
    MapView& map = d.window.map();
    for (const QPoint at : {QPoint(120, 90), QPoint(400, 300), QPoint(600, 450)}) {
        const GeoPoint before = map.transform().toGeo(at);
        const double scale = map.transform().scale;
        wheel(map, at, 240);
        CHECK(map.transform().scale > scale * 1.2);
        CHECK(distance_m(before, map.transform().toGeo(at)) < 0.05);
        wheel(map, at, -480);
        CHECK(distance_m(before, map.transform().toGeo(at)) < 0.05);
    }
}

TEST_CASE("dragging empty ground pans and selects nothing", "[ui][map]") {
    Driver d;
    d.openDemo();
    MapView& map = d.window.map();
    const QPoint from(map.width() - 40, map.height() - 60), to = from - QPoint(90, 40);  // open sea, outside the fence
    const GeoPoint before = map.transform().toGeo(from);
    const PlanPtr plan = d.window.plan().plan();
    d.drag(&map, from, to);
    CHECK(distance_m(before, map.transform().toGeo(to)) < 1);
    CHECK(d.window.plan().plan() == plan);
    CHECK(d.window.plan().selection().empty());
}

TEST_CASE("the view goes to the plan and to the selection with one key, and never by itself", "[ui][map]") {
    Driver d;
    d.openDemo();
    MapView& map = d.window.map();
    map.zoomBy(6, {50, 50});
    const QPointF away = map.transform().centre;
    d.window.plan().edit("x", [](Plan& p) { p.items[1].position.lat_deg += 0.0001; });
    d.settle();
    CHECK(map.transform().centre == away);
    d.window.plan().select({d.plan().items[1].id});
    CHECK(map.transform().centre == away);
    d.key(Qt::Key_G);
    CHECK(distance_m(map.transform().toGeo(QPointF(map.width() / 2.0, map.height() / 2.0)),
                     d.plan().items[1].position) < 1);
    d.key(Qt::Key_P);
    for (const Item& i : d.plan().items)
        if (hasPosition(i.kind)) CHECK(map.rect().contains(d.at(i.position)));
}

TEST_CASE("the status line tells place and ground height, and unknown where it is unknown", "[ui][map]") {
    Driver d;
    d.openDemo();
    MapView& map = d.window.map();
    const auto hover = [&](QPoint p) {
        QMouseEvent move(QEvent::MouseMove, p, map.mapToGlobal(p), Qt::NoButton, Qt::NoButton, Qt::NoModifier);
        QApplication::sendEvent(&map, &move);
        return map.statusText();
    };
    const QPoint home = d.at(d.plan().home->position);
    const double ground = *d.window.plan().terrain()->sample(map.transform().toGeo(home));
    CHECK(hover(home).contains(QString("ground %1 m AMSL").arg(ground, 0, 'f', 0)));
    CHECK(hover(home).startsWith("47.3"));
    map.showPlace({10, 10});
    CHECK(hover({300, 200}).contains("ground unknown"));
}

TEST_CASE("several items are boxed, moved together and nudged by metres", "[ui][map][draft]") {
    Driver d;
    d.openDemo();
    const QPoint a = d.at(d.plan().items[4].position), b = d.at(d.plan().items[5].position);
    const QRect box = QRect(a, b).normalized().adjusted(-12, -12, 12, 12);
    d.drag(&d.window.map(), box.topLeft(), box.bottomRight(), Qt::ShiftModifier);
    CHECK(d.window.plan().selection().size() >= 2);
    CHECK(d.window.plan().isSelected(d.plan().items[4].id));
    CHECK(d.window.plan().isSelected(d.plan().items[5].id));
    const GeoPoint before = d.plan().items[4].position, other = d.plan().items[5].position;
    d.key(Qt::Key_Right, Qt::ShiftModifier);
    CHECK(distance_m(before, d.plan().items[4].position) == Approx(10).margin(0.1));
    CHECK(bearing_deg(before, d.plan().items[4].position) == Approx(90).margin(1));
    CHECK(distance_m(other, d.plan().items[5].position) == Approx(10).margin(0.1));
    d.key(Qt::Key_Down);
    CHECK(d.plan().items[4].position.lat_deg < before.lat_deg);
}

TEST_CASE("corners of a selected fence are dragged and added", "[ui][map][draft]") {
    Driver d;
    d.openDemo();
    d.window.map().showPlace(middleOf(d.plan().fences[1].outline));
    d.window.map().zoomBy(2, d.window.map().rect().center());
    const Fence fence = d.plan().fences[1];
    d.window.plan().select({fence.id});
    d.settle();
    const QPoint corner = d.at(fence.outline[0]);
    d.drag(&d.window.map(), corner, corner + QPoint(-30, -20));
    CHECK(distance_m(d.plan().fences[1].outline[0], fence.outline[0]) > 40);
    const QPoint middle = (d.at(d.plan().fences[1].outline[3]) + d.at(d.plan().fences[1].outline[4])) / 2;
    d.drag(&d.window.map(), middle, middle + QPoint(10, 30));
    CHECK(d.plan().fences[1].outline.size() == fence.outline.size() + 1);
    d.key(Qt::Key_Z, Qt::ControlModifier);
    d.key(Qt::Key_Z, Qt::ControlModifier);
    CHECK(d.plan().fences[1] == fence);
}

TEST_CASE("outside Draft nothing can be moved or drawn by hand", "[ui][map]") {
    Driver d;
    d.openDemo();
    d.key(Qt::Key_F3);
    const PlanPtr plan = d.window.plan().plan();
    const QPoint at = d.at(d.plan().items[4].position);
    d.drag(&d.window.map(), at, at + QPoint(60, 10));
    d.click({300, 300});
    CHECK(d.window.plan().plan() == plan);
    d.window.map().setTool(MapTool::waypoint);
    CHECK(d.window.map().tool() == MapTool::select);
}

TEST_CASE("pointing at the band lights up the place on the map, and back", "[ui][band][map]") {
    Driver d;
    d.openDemo();
    auto* band = d.child<ProfileBand>("profile");
    std::optional<GeoPoint> lit;
    QObject::connect(band, &ProfileBand::hovered, band, [&](std::optional<GeoPoint> p) { lit = p; });
    const QPoint p(band->width() / 2, band->height() / 2);
    QMouseEvent move(QEvent::MouseMove, p, band->mapToGlobal(p), Qt::NoButton, Qt::NoButton, Qt::NoModifier);
    QApplication::sendEvent(band, &move);
    REQUIRE(lit);
    double nearest = 1e9;
    for (const ProfileSample& s : d.window.plan().derived()->view.clearance.profile)
        nearest = std::min(nearest, distance_m(s.place, *lit));
    CHECK(nearest < 0.01);
}

TEST_CASE("text of both themes can be read on its ground", "[ui][theme]") {
    const auto luminance = [](const QColor& c) {
        const auto linear = [](double v) { return v <= 0.03928 ? v / 12.92 : std::pow((v + 0.055) / 1.055, 2.4); };
        return 0.2126 * linear(c.redF()) + 0.7152 * linear(c.greenF()) + 0.0722 * linear(c.blueF());
    };
    const auto contrast = [&](const QColor& a, const QColor& b) {
        const double x = luminance(a), y = luminance(b);
        return (std::max(x, y) + 0.05) / (std::min(x, y) + 0.05);
    };
    for (const Theme& t : {Theme::light(), Theme::dark()}) {
        CHECK(contrast(t.ink, t.panel) >= 7);
        CHECK(contrast(t.quiet, t.panel) >= 4.5);  // WCAG 2 AA
        CHECK(contrast(t.lagoon, t.panel) >= 4.5);
        CHECK(contrast(t.vermilion, t.panel) >= 4.5);
        CHECK(contrast(t.plum, t.panel) >= 4.5);
        CHECK(contrast(t.panel, t.lagoon) >= 4.5);  // selected rows
    }
}
