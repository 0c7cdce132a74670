// Map layers by hand: order, opacity, adding; storing an area and going out without a network.
#include "app/layers/Layer.h"
#include "app/layers/LayerStack.h"
#include "app/layers/LayersPanel.h"
#include "app/layers/PictureLayers.h"
#include "app/map/MapTransform.h"
#include "standin/TileServer.h"
#include "ui/Driver.h"

using namespace anhinga;
using namespace anhinga::testing;

namespace {

/// The map alone, without the panels lying over it.
QImage mapImage(MapView& map) {
    QImage image(map.size(), QImage::Format_RGB32);
    map.render(&image, {}, {}, QWidget::RenderFlags());
    return image;
}

/// Mean colour of a part of the map; without one, around its middle.
QColor mapColour(MapView& map, QRect where = {}) {
    const QImage image = mapImage(map);
    if (where.isNull()) where = QRect(image.width() / 2 - 30, image.height() / 2 - 30, 60, 60);
    double r = 0, g = 0, b = 0;
    for (int y = where.top(); y <= where.bottom(); ++y)
        for (int x = where.left(); x <= where.right(); ++x) {
            const QColor c = image.pixelColor(x, y);
            r += c.red();
            g += c.green();
            b += c.blue();
        }
    const double n = where.width() * where.height();
    return QColor(int(r / n), int(g / n), int(b / n));
}
QColor mapColour(Driver& d, QRect where = {}) {
    return mapColour(d.window.map(), where);
}

/// Open land in the west of the island, or in the south: no route, fence or label lies there, however wide the map is.
QRect openLand(MapView& map, GeoPoint middle = {47.3148, -20.1335}) {
    return {map.transform().toScreen(middle).toPoint() - QPoint(15, 15), QSize(30, 30)};
}
QRect openLand(Driver& d) {
    return openLand(d.window.map());
}

/// Waits until the layers have come in from their threads and the map stays as it is.
void calm(Driver& d) {
    QImage before;
    REQUIRE(d.until(10000, [&] {
        const QImage now = mapImage(d.window.map());
        const bool same = now == std::exchange(before, now);
        return same && d.window.map().layers().idle();
    }));
}

int rowOf(QListWidget* list, const QString& text) {
    for (int i = 0; i < list->count(); ++i)
        if (list->item(i)->text().startsWith(text)) return i;
    return -1;
}

void addWebMap(Driver& d, const std::string& pattern) {
    d.key(Qt::Key_J);
    d.press("layers add web map");
    QTest::keyClicks(d.child<QLineEdit>("web name"), "Field survey");
    QTest::keyClicks(d.child<QLineEdit>("web attribution"), "made up for the tests");
    QTest::keyClicks(d.child<QLineEdit>("web address"), QString::fromStdString(pattern));
    d.press("web add");
}

}  // namespace

TEST_CASE("layers are hidden, thinned and reordered, and remembered", "[ui][layers]") {
    {
        Driver d;
        d.openDemo();
        calm(d);
        const QColor picture = mapColour(d, openLand(d));
        d.key(Qt::Key_J);
        auto* list = d.child<QListWidget>("layer list");
        REQUIRE(list->count() == 6);
        CHECK(list->item(5)->text() == "Coastline and heights");
        const int row = rowOf(list, "Pictures of the plan");
        list->setCurrentRow(row);
        list->setFocus();
        QTest::keyClick(list, Qt::Key_Space);  // hides it
        calm(d);
        const QColor heights = mapColour(d, openLand(d));
        CHECK(std::abs(heights.green() - picture.green()) + std::abs(heights.red() - picture.red()) > 25);
        QTest::keyClick(list, Qt::Key_Space);
        d.child<QSlider>("layer opacity")->setValue(50);
        calm(d);
        const QColor half = mapColour(d, openLand(d));
        CHECK(half.red() > std::min(picture.red(), heights.red()));
        CHECK(half.red() < std::max(picture.red(), heights.red()));
        // Under the backdrop it is not seen at all.
        QTest::keyClick(list, Qt::Key_Down, Qt::AltModifier);
        calm(d);
        CHECK(rowOf(list, "Pictures of the plan") == 5);
        const QColor under = mapColour(d, openLand(d));
        CHECK(std::abs(under.red() - heights.red()) < 4);
        CHECK_FALSE(d.child<QPushButton>("layer remove")->isEnabled());
    }
    // Another run: as it was left. (The driver clears settings, so the window is made by hand.)
    MainWindow again;
    const auto& layers = again.map().layers().layers();
    REQUIRE(layers.size() == 6);
    CHECK(layers[0]->spec().kind == LayerKind::planPicture);
    CHECK(layers[0]->spec().opacity == Approx(0.5));
    QSettings().clear();
}

TEST_CASE("without any plan or picture the map shows the world's coast", "[ui][layers]") {
    Driver d;
    d.window.map().showBox(boxOf([] {
        MapTransform v;
        v.centre = toMercator({20, 10});
        v.scale = 1500;
        v.size = {600, 500};
        return v;
    }()));
    calm(d);
    // Sahara and mid-Atlantic: land and sea.
    const auto at = [&](GeoPoint p) {
        const QPoint px = d.at(p);
        return mapColour(d, QRect(px - QPoint(2, 2), QSize(5, 5)));
    };
    const QColor land = at({22, 12}), sea = at({10, -35});
    CHECK(land.red() > land.blue());
    CHECK(sea.blue() > sea.red());
}

TEST_CASE("a web address that cannot work is refused with what is missing", "[ui][layers]") {
    Driver d;
    d.openDemo();
    addWebMap(d, "http://127.0.0.1:1/{z}/{x}.png");
    CHECK(d.child<QLabel>("web problem")->text().contains("{y}"));
    CHECK(d.window.map().layers().layers().size() == 6);
}

TEST_CASE("an area stored from the tile server is there with the server stopped", "[ui][layers][store]") {
    auto started = TileServer::start({demo("quillmere-imagery.tif")});
    REQUIRE(started);
    std::unique_ptr<TileServer> server = std::move(*started);
    Driver d;
    d.openDemo();
    // Only the web map shows: the plan's own picture is hidden.
    for (const auto& l : d.window.map().layers().layers())
        if (l->spec().kind != LayerKind::backdrop) l->setVisible(false);
    calm(d);
    const GeoPoint south{47.3046, -20.1166};  // the page of layers moves labels into the west
    const QColor bare = mapColour(d, openLand(d.window.map(), south));
    addWebMap(d, server->pattern());
    calm(d);
    const QColor online = mapColour(d, openLand(d.window.map(), south));
    CHECK(std::abs(online.red() - bare.red()) + std::abs(online.green() - bare.green()) > 25);
    CHECK(d.window.map().layers().attribution() == "made up for the tests");

    d.press("store area");
    auto* cost = d.child<QLabel>("store cost");
    REQUIRE(d.until(4000, [&] { return cost->text().contains("tiles, about"); }));
    const int tiles = cost->text().section(' ', 0, 0).remove(',').toInt();
    auto* finest = d.child<QSpinBox>("store finest");
    finest->setFocus();
    QTest::keyClick(finest, Qt::Key_Up);  // one zoom more: about four times as many
    REQUIRE(d.until(4000, [&] { return cost->text().section(' ', 0, 0).remove(',').toInt() > 2 * tiles; }));
    QTest::keyClick(finest, Qt::Key_Down);
    REQUIRE(d.until(4000, [&] { return cost->text().section(' ', 0, 0).remove(',').toInt() == tiles; }));
    d.press("store start");
    auto* state = d.child<QLabel>("store state");
    REQUIRE(d.until(40000, [&] { return state->text().contains("is stored"); }));
    auto* stored = d.child<QListWidget>("store list");
    REQUIRE(stored->count() == 1);
    CHECK(stored->item(0)->text().startsWith("Quarry and summit"));
    CHECK_FALSE(d.child<QPushButton>("store resume")->isEnabled());

    // In the field: no server, another run of the window, nothing in the cache.
    server.reset();
    const QString cache = LayerStack::folders().seen;
    auto* panel = d.window.findChild<LayersPanel*>();
    REQUIRE(panel != nullptr);
    QDir(cache).removeRecursively();
    MainWindow field;
    field.resize(d.window.size());
    field.show();
    REQUIRE(QTest::qWaitForWindowExposed(&field, 5000));
    REQUIRE(field.openFile(QString::fromStdString(d.dir / "patrol.anhinga.geojson")));
    WebLayer* web = nullptr;
    for (const auto& l : field.map().layers().layers())
        if (auto* w = dynamic_cast<WebLayer*>(l.get())) web = w;
    REQUIRE(web != nullptr);
    REQUIRE(d.until(8000, [&] {
        mapImage(field.map());
        return web->lacking() == 0;
    }));
    const QImage image = mapImage(field.map());
    const QColor there = image.pixelColor(image.width() / 2 + 5, image.height() / 2 + 40);
    CHECK(there.green() > 20);
    const QColor offline = mapColour(field.map(), openLand(field.map(), south));
    CHECK(std::abs(offline.red() - online.red()) < 12);

    // Removing asks once more, then the tiles are gone.
    stored->setCurrentRow(0);
    d.press("store remove");
    CHECK(stored->count() == 1);
    d.press("store remove");
    CHECK(stored->count() == 0);
    CHECK(web->source().stored()->count() == 0);
}

TEST_CASE("storing is cancelled by its button and resumed from the list", "[ui][layers][store]") {
    auto started = TileServer::start({.picture = demo("quillmere-imagery.tif"), .delay_ms = 30});
    REQUIRE(started);
    Driver d;
    d.openDemo();
    addWebMap(d, (*started)->pattern());
    d.press("store area");
    auto* from = d.child<QComboBox>("store from");
    from->setFocus();
    QTest::keyClick(from, Qt::Key_Down);  // the plan and 500 m around
    auto* cost = d.child<QLabel>("store cost");
    REQUIRE(d.until(4000, [&] { return cost->text().contains("tiles, about"); }));
    d.press("store start");
    auto* bar = d.child<QProgressBar>("store progress");
    REQUIRE(d.until(8000, [&] { return bar->isVisible() && bar->value() > 3; }));
    d.press("store cancel");
    auto* state = d.child<QLabel>("store state");
    CHECK(state->text().contains("Cancelled"));
    auto* stored = d.child<QListWidget>("store list");
    REQUIRE(stored->count() == 1);
    CHECK(stored->item(0)->text().contains("not complete"));
    d.press("store resume");
    REQUIRE(d.until(60000, [&] { return state->text().contains("is stored"); }));
    CHECK(stored->item(0)->text().contains("tiles"));
}

TEST_CASE("an area is drawn on the map, and Esc gives the drawing up", "[ui][layers][store]") {
    auto started = TileServer::start({demo("quillmere-imagery.tif")});
    REQUIRE(started);
    Driver d;
    d.openDemo();
    addWebMap(d, (*started)->pattern());
    d.press("store area");
    auto* from = d.child<QComboBox>("store from");
    auto* cost = d.child<QLabel>("store cost");
    from->setCurrentIndex(2);
    emit from->activated(2);
    REQUIRE(d.until(3000, [&] { return cost->text().contains("Draw a rectangle"); }));
    const auto selection = d.window.plan().selection();
    const auto before = d.window.plan().plan();
    QTest::keyClick(&d.window.map(), Qt::Key_Escape);
    emit from->activated(2);
    d.drag(&d.window.map(), {170, 380}, {260, 480});
    REQUIRE(d.until(3000, [&] { return cost->text().contains("tiles"); }));
    CHECK(d.window.plan().plan() == before);
    CHECK(d.window.plan().selection() == selection);
}

TEST_CASE("terrain is added to a plan as a step that can be undone", "[ui][layers][terrain]") {
    Driver d;
    d.window.action("new")->trigger();
    REQUIRE(d.window.plan().terrain()->empty());
    const QString file = QString::fromStdString(d.dir / "quillmere-elevation.tif");
    REQUIRE(d.window.plan().addTerrain(file));
    CHECK_FALSE(d.window.plan().terrain()->empty());
    CHECK(d.window.plan().undoName() == "Add terrain");
    CHECK_FALSE(d.window.plan().addTerrain(file));  // twice is no use
    CHECK_FALSE(d.window.plan().addTerrain(QString::fromStdString(d.dir / "patrol.anhinga.geojson")));
    d.key(Qt::Key_Z, Qt::ControlModifier);
    CHECK(d.window.plan().terrain()->empty());
    d.key(Qt::Key_Z, Qt::ControlModifier | Qt::ShiftModifier);
    CHECK_FALSE(d.window.plan().terrain()->empty());
    const auto ground = d.window.plan().terrain()->sample({47.31387, -20.12621});
    REQUIRE(ground);
    CHECK(*ground > 120);
}

namespace {
/// How many pixels of the map differ between two looks at it.
int different(const QImage& a, const QImage& b) {
    int n = 0;
    for (int y = 0; y < a.height(); ++y)
        for (int x = 0; x < a.width(); ++x) n += a.pixel(x, y) != b.pixel(x, y);
    return n;
}
}  // namespace

TEST_CASE("contours, relief and the grid are drawn when they are switched on", "[ui][layers]") {
    Driver d;
    d.openDemo();
    calm(d);
    auto& stack = d.window.map().layers();
    const auto layer = [&](LayerKind kind) {
        for (const auto& l : stack.layers())
            if (l->spec().kind == kind) return l.get();
        return static_cast<Layer*>(nullptr);
    };
    for (const LayerKind kind : {LayerKind::contours, LayerKind::grid, LayerKind::relief}) {
        CAPTURE(static_cast<int>(kind));
        const bool was = layer(kind)->spec().visible;
        calm(d);
        const QImage before = mapImage(d.window.map());
        layer(kind)->setVisible(!was);
        calm(d);
        const QImage after = mapImage(d.window.map());
        CHECK(different(before, after) > 2000);
        layer(kind)->setVisible(was);
        calm(d);
        CHECK(different(before, mapImage(d.window.map())) < 200);
    }
    // The grid in each way of writing coordinates, near and far, at the equator and near a pole.
    layer(LayerKind::grid)->setVisible(true);
    for (const auto format :
         {CoordinateFormat::decimal, CoordinateFormat::dms, CoordinateFormat::utm, CoordinateFormat::mgrs}) {
        setCoordinateFormat(format);
        for (const GeoPoint& place : {GeoPoint{47.31, -20.12}, GeoPoint{0.001, 3}, GeoPoint{83, 179.99}}) {
            d.window.map().showPlace(place);
            for (const double factor : {0.01, 3.0, 30.0}) {
                d.window.map().zoomBy(factor, QPointF(300, 200));
                CHECK_FALSE(mapImage(d.window.map()).isNull());
            }
        }
    }
    setCoordinateFormat(CoordinateFormat::decimal);
}

TEST_CASE("a drawing is shown, found and removed without touching the plan", "[ui][layers]") {
    Driver d;
    d.openDemo();
    const auto plan = d.window.plan().plan();
    spit(d.dir / "paths.geojson",
         R"({"type":"FeatureCollection","features":[
            {"type":"Feature","properties":{"name":"old track"},"geometry":{"type":"LineString","coordinates":[[-20.13,47.305],[-20.11,47.315]]}},
            {"type":"Feature","properties":{},"geometry":{"type":"Polygon","coordinates":[[[-20.125,47.300],[-20.115,47.300],[-20.115,47.306],[-20.125,47.300]]]}},
            {"type":"Feature","properties":{"name":"gate"},"geometry":{"type":"Point","coordinates":[-20.12,47.31]}}]})");
    calm(d);
    const QImage before = mapImage(d.window.map());
    Layer* layer = d.window.map().layers().add(
        {LayerKind::overlay, "paths", QString::fromStdString(d.dir / "paths.geojson"), {}, 19, 1, true});
    calm(d);
    CHECK(different(before, mapImage(d.window.map())) > 500);
    CHECK(layer->problem().isEmpty());
    d.key(Qt::Key_J);
    auto* list = d.child<QListWidget>("layer list");
    list->setCurrentRow(rowOf(list, "paths"));
    // Far away, "Go there" comes back to it.
    d.window.map().showPlace({10, 10});
    d.press("layer go");
    const GeoPoint middle = fromMercator(d.window.map().transform().centre);
    CHECK(distance_m(middle, {47.3075, -20.12}) < 500);
    d.press("layer remove");
    CHECK(rowOf(list, "paths") == -1);
    CHECK(d.window.plan().plan() == plan);
    // One that cannot be read is listed with its reason.
    spit(d.dir / "bad.kml", "<kml><Placemark>");
    Layer* bad = d.window.map().layers().add(
        {LayerKind::overlay, "bad", QString::fromStdString(d.dir / "bad.kml"), {}, 19, 1, true});
    calm(d);
    CHECK(bad->problem().contains("bad.kml"));
    CHECK(list->item(rowOf(list, "bad"))->text().contains("problem"));
}

TEST_CASE("a picture file lies where it belongs, in its own reference system", "[ui][layers]") {
    Driver d;
    d.openDemo();
    for (const auto& l : d.window.map().layers().layers())
        if (l->spec().kind != LayerKind::backdrop) l->setVisible(false);
    calm(d);
    const QImage bare = mapImage(d.window.map());
    Layer* layer = d.window.map().layers().add(
        {LayerKind::picture, "again", QString::fromStdString(d.dir / "quillmere-imagery.tif"), {}, 19, 1, true});
    calm(d);
    const QImage shown = mapImage(d.window.map());
    CHECK(different(bare, shown) > 50000);
    REQUIRE(layer->extent());
    // Panned and zoomed, it stays on the ground: the same 60 m have the same colour. Nothing is drawn over them.
    d.window.action("new")->trigger();
    d.settle();
    calm(d);
    const auto colourAt = [&](GeoPoint p) {
        const int half = std::max(2, static_cast<int>(30 / d.window.map().transform().metresPerPixel()));
        return mapColour(d, QRect(d.at(p) - QPoint(half, half), QSize(2 * half + 1, 2 * half + 1)));
    };
    // Wood, meadow, and the shore: places that look different.
    const GeoPoint places[] = {{47.3063, -20.1162}, {47.3080, -20.1200}, {47.3035, -20.1150}};
    std::vector<QColor> before;
    for (const GeoPoint& p : places) before.push_back(colourAt(p));
    d.window.map().showPlace({47.3070, -20.1175});
    d.window.map().zoomBy(1.5, QPointF(300, 260));
    calm(d);
    for (std::size_t i = 0; i < before.size(); ++i) {
        const QColor after = colourAt(places[i]);
        CAPTURE(i, before[i].name().toStdString(), after.name().toStdString());
        CHECK(std::abs(before[i].red() - after.red()) < 12);
        CHECK(std::abs(before[i].green() - after.green()) < 12);
        CHECK(std::abs(before[i].blue() - after.blue()) < 12);
    }
    Layer* missing = d.window.map().layers().add({LayerKind::picture, "gone", "/nowhere/p.tif", {}, 19, 1, true});
    calm(d);
    CHECK(missing->problem().contains("/nowhere/p.tif"));
}

TEST_CASE("the next run shows the place of the last one", "[ui][layers]") {
    {
        Driver d;
        d.openDemo();
        d.window.map().showPlace({12.5, 34.25});
        d.window.close();
    }
    MainWindow again;
    const GeoPoint middle = fromMercator(again.map().transform().centre);
    CHECK(middle.lat_deg == Approx(12.5).margin(1e-6));
    CHECK(middle.lon_deg == Approx(34.25).margin(1e-6));
    QSettings().clear();
}

TEST_CASE("the view stays where it is while terrain and layers come and go", "[ui][layers]") {
    Driver d;
    d.window.action("new")->trigger();
    d.settle();
    d.window.map().showPlace({47.31, -20.12});
    d.window.map().zoomBy(40, QPointF(300, 200));
    const QPointF centre = d.window.map().transform().centre;
    REQUIRE(d.window.plan().addTerrain(QString::fromStdString(d.dir / "quillmere-elevation.tif")));
    d.settle();
    d.window.map().layers().add(
        {LayerKind::picture, "p", QString::fromStdString(d.dir / "quillmere-imagery.tif"), {}, 19, 1, true});
    calm(d);
    CHECK(d.window.map().transform().centre == centre);
}
