// Patterns drawn, changed and looked at with mouse and keys.
#include "Driver.h"
#include "app/layers/CoverLayer.h"
#include "app/layers/Layer.h"
#include "core/pattern/Coverage.h"

using namespace anhinga;
using namespace anhinga::testing;

namespace {

const Item* selectedItem(Driver& d) {
    REQUIRE(d.window.plan().selection().size() == 1);
    return d.plan().find(*d.window.plan().selection().begin());
}

const PatternFlight& flightOf(Driver& d, ItemId id) {
    const PatternFlight* flight = d.window.plan().derived()->view.route.flightOf(id);
    REQUIRE(flight != nullptr);
    return *flight;
}

}  // namespace

TEST_CASE("corridor, rings, face and lap are drawn with the mouse", "[ui][pattern]") {
    Driver d;
    d.openDemo();
    struct Row {
        Qt::Key key;
        ItemKind kind;
        std::vector<QPoint> clicks;
    };
    for (const Row& row : {Row{Qt::Key_C, ItemKind::corridor, {{300, 380}, {380, 400}, {430, 460}}},
                           Row{Qt::Key_F, ItemKind::face, {{300, 250}, {360, 270}}},
                           Row{Qt::Key_E, ItemKind::lap, {{450, 300}, {520, 310}, {500, 370}}},
                           Row{Qt::Key_N, ItemKind::rings, {{260, 330}}}}) {
        const std::size_t before = d.plan().items.size();
        d.key(row.key);
        for (const QPoint& p : row.clicks) d.click(p);
        if (row.clicks.size() > 1) d.key(Qt::Key_Return);
        INFO(kindText(row.kind));
        if (row.kind == ItemKind::face) {
            // From which side is asked: above the line, which runs to the right, is its left.
            REQUIRE(d.window.map().tool() == MapTool::side);
            CHECK_FALSE(selectedItem(d)->pattern->left_side);
            d.click({330, 225});
            CHECK(selectedItem(d)->pattern->left_side);
            d.press("face side");
            d.click({330, 300});
            CHECK_FALSE(selectedItem(d)->pattern->left_side);
            d.press("face side");
            d.key(Qt::Key_Escape);
            CHECK_FALSE(selectedItem(d)->pattern->left_side);
            d.type("Tilts", "-30, 0 ; 30°");
            CHECK(selectedItem(d)->pattern->tilts_deg == std::vector<double>{-30, 0, 30});
            d.type("Tilts", "-30, steep");  // no list: what was stays
            CHECK(selectedItem(d)->pattern->tilts_deg == std::vector<double>{-30, 0, 30});
        }
        REQUIRE(d.plan().items.size() == before + 1);
        const Item* item = selectedItem(d);
        CHECK(item->kind == row.kind);
        CHECK(item->pattern->outline.size() == row.clicks.size());
        CHECK(flightOf(d, item->id).problem == "");
        CHECK(flightOf(d, item->id).points.size() >= 3);
        CHECK(d.plan().items.back().kind == ItemKind::returnHome);  // before the way home
        CHECK(d.window.map().tool() == MapTool::select);
    }
    while (d.window.plan().canUndo()) d.key(Qt::Key_Z, Qt::ControlModifier);
    CHECK_FALSE(d.window.plan().modified());
}

TEST_CASE("a pattern's numbers are changed in the inspector, each an undo step", "[ui][pattern][inspector]") {
    Driver d;
    d.openDemo("quarry.anhinga.geojson");
    ItemId id = 0;
    for (const Item& i : d.plan().items)
        if (i.kind == ItemKind::block) id = i.id;
    d.window.plan().select({id});
    d.settle();
    const auto photos = flightOf(d, id).photos.size();
    d.type("Overlap", "60");
    CHECK(d.plan().find(id)->pattern->overlap_percent == 60);
    CHECK(flightOf(d, id).photos.size() < photos);
    d.type("Overlap", "100");  // out of range: the value stays
    CHECK(d.plan().find(id)->pattern->overlap_percent == 60);
    d.type("Ground sample", "3");
    CHECK(d.plan().find(id)->pattern->gsd_cm == 3.0);
    CHECK(flightOf(d, id).footprint.gsd_m == Approx(0.03));
    d.type("Ground sample", "");
    CHECK_FALSE(d.plan().find(id)->pattern->gsd_cm);
    d.key(Qt::Key_Z, Qt::ControlModifier);
    CHECK(d.plan().find(id)->pattern->gsd_cm == 3.0);
    const auto choose = [&](const char* name, int index) {
        auto* box = d.child<QComboBox>(name);
        box->setCurrentIndex(index);
        emit box->activated(index);
        d.settle();
    };
    choose("field Camera makes", 1);
    CHECK(d.plan().find(id)->pattern->makes == CameraMakes::film);
    CHECK(flightOf(d, id).photos.empty());
    CHECK(d.window.findChild<QComboBox*>("field Photos") == nullptr);  // film is made all the time
    d.key(Qt::Key_Z, Qt::ControlModifier);
    CHECK(d.child<QComboBox>("field Camera makes")->currentIndex() == 0);
    // Every so many metres, then seconds: the spacing follows, the overlap is told.
    d.type("every", "9");
    CHECK(flightOf(d, id).photo_spacing_m == Approx(9));
    choose("field Photos", 1);
    d.type("every", "2");
    CHECK(flightOf(d, id).photo_spacing_m == Approx(2 * effectiveSpeed(d.plan(), *d.plan().find(id))));
    choose("field Photos", 2);
    CHECK(d.plan().find(id)->pattern->stands());
    d.type("every", "");
    choose("field Photos", 0);
    CHECK(d.plan().find(id)->pattern->spacing_m == 0);
    auto* across = d.child<QCheckBox>("field Second pass across");
    const int lines = flightOf(d, id).lines;
    across->click();
    d.settle();
    CHECK(flightOf(d, id).lines > lines);
    // From a height above home to following: the number is converted to one above ground.
    d.child<QCheckBox>("field Follow the terrain")->click();
    d.settle();
    CHECK_FALSE(d.plan().find(id)->pattern->follow);
    d.type("Ground sample", "");
    auto* ref = d.child<QComboBox>("field Height reference");
    ref->setCurrentIndex(0);
    emit ref->activated(0);
    d.settle();
    const double above = flightOf(d, id).height_above_ground_m;
    d.child<QCheckBox>("field Follow the terrain")->click();
    d.settle();
    CHECK(d.plan().find(id)->height->ref == HeightRef::ground);
    CHECK(d.plan().find(id)->height->value_m == Approx(above).margin(0.06));
}

TEST_CASE("rings keep their places in the air when their reference changes", "[ui][pattern][inspector]") {
    Driver d;
    d.openDemo("lighthouse-rings.anhinga.geojson");
    const ItemId id = d.plan().items[1].id;
    d.window.plan().select({id});
    d.settle();
    const PatternFlight before = flightOf(d, id);
    REQUIRE(before.photos.size() == 54);
    auto* ref = d.child<QComboBox>("field Heights above");
    CHECK(ref->currentIndex() == 1);
    ref->setCurrentIndex(0);
    emit ref->activated(0);
    d.settle();
    const PatternFlight& after = flightOf(d, id);
    REQUIRE(after.photos.size() == before.photos.size());
    for (std::size_t i = 0; i < after.photos.size(); ++i)
        CHECK(*after.photos[i].amsl_m == Approx(*before.photos[i].amsl_m).margin(0.11));
    d.type("Radius", "30");
    CHECK(flightOf(d, id).lines == 3);
    d.type("Highest ring", QString::number(d.plan().find(id)->pattern->low_m));
    CHECK(flightOf(d, id).lines == 1);
}

TEST_CASE("corners of patterns are dragged and photos are pointed at on the map", "[ui][pattern]") {
    Driver d;
    d.openDemo("quarry.anhinga.geojson");
    ItemId id = 0;
    for (const Item& i : d.plan().items)
        if (i.kind == ItemKind::block) id = i.id;
    d.window.plan().select({id});
    d.key(Qt::Key_G);
    const GeoPoint corner = d.plan().find(id)->pattern->outline[0];
    const double area = flightOf(d, id).area_m2;
    d.drag(&d.window.map(), d.at(corner), d.at(corner) + QPoint(-30, 10));
    CHECK(distance_m(d.plan().find(id)->pattern->outline[0], corner) > 5);
    CHECK(flightOf(d, id).area_m2 > area);
    d.key(Qt::Key_Z, Qt::ControlModifier);
    CHECK(d.plan().find(id)->pattern->outline[0] == corner);
    // The photo under the pointer is drawn by itself.
    const PlannedPhoto& photo = flightOf(d, id).photos[flightOf(d, id).photos.size() / 2];
    const auto shot = [&] {
        QTest::qWait(50);
        return d.window.map().grab().toImage();
    };
    QTest::mouseMove(&d.window.map(), d.at(photo.place) + QPoint(200, 150));
    for (int i = 0; i < 30; ++i) shot();  // outlines are made a few hundred at a time
    const QImage away = shot();
    QMouseEvent move(QEvent::MouseMove, d.at(photo.place), d.window.map().mapToGlobal(d.at(photo.place)), Qt::NoButton,
                     Qt::NoButton, Qt::NoModifier);
    QApplication::sendEvent(&d.window.map(), &move);
    const QImage over = shot();
    int different = 0;
    const QPoint at = d.at(photo.place);
    for (int y = -12; y <= 12; ++y)
        for (int x = -12; x <= 12; ++x) different += away.pixel(at + QPoint(x, y)) != over.pixel(at + QPoint(x, y));
    CHECK(different > 200);
}

TEST_CASE("the cover of photos is a layer with a legend that tells gaps", "[ui][pattern][layers]") {
    Driver d;
    d.openDemo("quarry.anhinga.geojson");
    const CoverLayer* cover = nullptr;
    Layer* layer = nullptr;
    for (const auto& l : d.window.map().layers().layers())
        if ((cover = dynamic_cast<CoverLayer*>(l.get()))) {
            layer = l.get();
            break;
        }
    REQUIRE(layer != nullptr);
    CHECK_FALSE(layer->spec().visible);
    layer->setVisible(true);
    const auto counted = [&](const QString& text) {
        d.until(30000, [&] {  // it is counted when it is drawn
            d.window.map().grab();
            return cover->summary().contains(text);
        });
        return cover->summary();
    };
    const QString whole = counted("% seen");
    INFO(whole.toStdString());
    CHECK(whole.startsWith("0.0 % seen too seldom"));
    ItemId id = 0;
    for (const Item& i : d.plan().items)
        if (i.kind == ItemKind::block) id = i.id;
    d.window.plan().select({id});
    d.type("Sidelap", "0");
    d.type("Overlap", "0");
    d.window.plan().edit("level", [&](Plan& p) {
        p.find(id)->pattern.edit().follow = false;
        p.find(id)->pattern.edit().margin_m = 0;
    });
    d.settle();
    for (int i = 0; i < 200 && (cover->summary() == whole || !cover->summary().contains("% seen")); ++i) {
        d.window.map().grab();
        QTest::qWait(20);
    }
    CHECK_FALSE(cover->summary().startsWith("0.0 %"));
    d.window.plan().edit("video", [&](Plan& p) { p.find(id)->pattern.edit().makes = CameraMakes::film; });
    d.settle();
    CHECK(counted("no pattern").contains("no pattern"));
    layer->setVisible(false);
}

TEST_CASE("a pattern that gives nothing says why and its correction mends it", "[ui][pattern][findings]") {
    Driver d;
    d.openDemo("lighthouse-rings.anhinga.geojson");
    const ItemId id = d.plan().items[1].id;
    d.window.plan().edit("wrong", [&](Plan& p) {
        p.find(id)->pattern.edit().radius_m = 20;
        p.find(id)->pattern.edit().radius_step_m = -15;
    });
    d.settle();
    const auto& findings = d.window.plan().derived()->findings;
    const auto f =
        std::find_if(findings.begin(), findings.end(), [](const Finding& x) { return x.rule == "pattern-empty"; });
    REQUIRE(f != findings.end());
    CHECK(f->severity == Severity::stop);
    CHECK(f->message.find("no radius") != std::string::npos);
    REQUIRE(f->corrections.size() == 1);
    const Correction mend = f->corrections.front();
    d.window.plan().edit(QString::fromStdString(mend.text), [&](Plan& p) { mend.apply(p); });
    d.settle();
    CHECK(flightOf(d, id).problem == "");
}
