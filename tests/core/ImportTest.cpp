// Other programs' files: what is read, what it becomes, and that damaged ones end in a clear error.
#include <catch2/catch.hpp>

#include <gdal_priv.h>
#include <ogrsf_frmts.h>

#include "Planned.h"
#include "core/exchange/Archive.h"
#include "core/exchange/Export.h"
#include "core/exchange/Import.h"
#include "core/exchange/OpenAir.h"
#include "core/plan/PlanFile.h"
#include "support.h"

using namespace anhinga;
using namespace anhinga::testing;

namespace {

const char* kKml = R"(<?xml version="1.0"?><kml xmlns="http://www.opengis.net/kml/2.2"><Document><Folder>
<Placemark><name>wall</name><LineString><altitudeMode>absolute</altitudeMode>
<coordinates>-20.12,47.31,55 -20.11,47.312,60.5
-20.1,47.313,61</coordinates></LineString></Placemark>
<Placemark><name>field</name><Polygon><outerBoundaryIs><LinearRing><coordinates>
-20.12,47.31 -20.11,47.31 -20.11,47.32 -20.12,47.31</coordinates></LinearRing></outerBoundaryIs></Polygon></Placemark>
<Placemark><name>eye</name><Camera><longitude>-20.12</longitude><latitude>47.31</latitude><altitude>80</altitude>
<heading>-90</heading><tilt>60</tilt><altitudeMode>relativeToGround</altitudeMode></Camera></Placemark>
<Placemark><name>tower</name><LookAt><longitude>-20.12</longitude><latitude>47.31</latitude><altitude>0</altitude>
<heading>0</heading><tilt>45</tilt><range>100</range></LookAt></Placemark>
<Placemark><name>Home</name><Point><coordinates>-20.13,47.3</coordinates></Point></Placemark>
<NetworkLink><name>x</name></NetworkLink></Folder></Document></kml>)";

std::vector<Item> waypoints(const Plan& plan) {
    std::vector<Item> out;
    for (const Item& i : plan.items)
        if (i.kind == ItemKind::waypoint) out.push_back(i);
    return out;
}

/// What GDAL's own readers find in a file we wrote: layers' feature counts, or -1 when it cannot be opened.
long gdalFeatures(const std::string& path) {
    GDALAllRegister();
    GDALDatasetUniquePtr set(GDALDataset::Open(path.c_str(), GDAL_OF_VECTOR));
    if (!set) return -1;
    long n = 0;
    for (OGRLayer* layer : set->GetLayers()) n += static_cast<long>(layer->GetFeatureCount());
    return n;
}

}  // namespace

TEST_CASE("areas with holes of KML become Blocks with holes, and come back", "[exchange][import]") {
    const std::string ring = "-20.114,47.312 -20.112,47.312 -20.112,47.314 -20.114,47.312";
    const auto polygon = [&](const std::string& inner) {
        return "<kml><Placemark><name>marsh</name><Polygon><outerBoundaryIs><LinearRing><coordinates>-20.12,47.31 "
               "-20.11,47.31 -20.11,47.32 -20.12,47.32 -20.12,47.31</coordinates></LinearRing></outerBoundaryIs>" +
               inner + "</Polygon></Placemark></kml>";
    };
    const auto hole = [&](const std::string& coordinates) {
        return "<innerBoundaryIs><LinearRing><coordinates>" + coordinates +
               "</coordinates></LinearRing></innerBoundaryIs>";
    };
    const auto file = readKml(polygon(hole(ring) + hole("-20.118,47.316 -20.117,47.316 -20.117,47.317")), "t.kml");
    REQUIRE(file);
    REQUIRE(file->shapes.size() == 1);
    REQUIRE(file->shapes[0].holes.size() == 2);
    CHECK(file->shapes[0].holes[0].size() == 3);
    CHECK(file->shapes[0].points.size() == 4);
    Plan plan;
    addShape(plan, file->shapes[0], ShapeRole::block);
    const Item* block = nullptr;
    for (const Item& i : plan.items)
        if (i.kind == ItemKind::block) block = &i;
    REQUIRE(block != nullptr);
    CHECK(block->pattern->holes == file->shapes[0].holes);
    const auto again = readPlanText(writePlanText(plan), "again");
    REQUIRE(again);
    CHECK(*again == plan);
    CHECK_FALSE(readKml(polygon(hole("-20.1,x")), "bad.kml"));
    CHECK(readKml(polygon(hole("")), "empty.kml")->shapes[0].holes.empty());
}

TEST_CASE("KML becomes lines, areas, views and places with their heights", "[exchange][import]") {
    const auto file = readKml(kKml, "t.kml");
    REQUIRE(file);
    REQUIRE(file->shapes.size() == 5);
    CHECK(file->shapes[0].kind == ShapeKind::line);
    CHECK(file->shapes[0].heights[1] == Height::amsl(60.5));
    CHECK(file->shapes[1].kind == ShapeKind::area);
    CHECK(file->shapes[1].points.size() == 3);
    CHECK_FALSE(file->shapes[1].heights[0]);
    const ImportedShape& eye = file->shapes[2];
    CHECK(eye.kind == ShapeKind::view);
    CHECK(eye.heights[0] == Height::aboveGround(80));
    CHECK(*eye.heading_deg == 270);
    CHECK(*eye.pitch_deg == -30);
    // A LookAt at 45 degrees from 100 m: 70.7 m back to the south, 70.7 m up.
    const ImportedShape& tower = file->shapes[3];
    CHECK(distance_m(tower.points[0], {47.31, -20.12}) == Approx(70.71).margin(0.1));
    CHECK(tower.points[0].lat_deg < 47.31);
    CHECK(tower.heights[0]->value_m == Approx(70.71).margin(0.1));
    CHECK(file->notes.size() == 1);
    Plan plan;
    const auto roles = suggestedRoles(*file);
    for (std::size_t i = 0; i < roles.size(); ++i) addShape(plan, file->shapes[i], roles[i]);
    CHECK(plan.home->position == GeoPoint{47.3, -20.13});
    CHECK(waypoints(plan).size() == 5);
    CHECK(std::holds_alternative<GimbalPitch>(waypoints(plan)[3].actions[1]));
    CHECK(plan.items[3].kind == ItemKind::block);
    CHECK(readPlanText(writePlanText(plan), "t"));
}

TEST_CASE("every role makes what it says, before a last landing", "[exchange][import]") {
    ImportedShape area{ShapeKind::area, "wood", "", {{47, -20}, {47, -19.99}, {47.01, -19.99}}, {{}, {}, {}}, {}, {}};
    for (const ShapeRole role : rolesFor(ShapeKind::area)) {
        Plan plan = rowPlan(1);
        const auto made = addShape(plan, area, role);
        INFO(roleText(role));
        CHECK(made.size() == (role == ShapeRole::leaveOut ? 0 : role == ShapeRole::waypoints ? 3 : 1));
        CHECK(plan.items.back().kind == ItemKind::returnHome);
        for (const ItemId id : made) CHECK(plan.holds(id));
    }
    ImportedShape point{ShapeKind::point, "radio mast", "", {{47, -20}}, {Height::aboveGround(31)}, {}, {}};
    CHECK(suggestedRole(point) == ShapeRole::mast);
    Plan plan;
    addShape(plan, point, ShapeRole::mast);
    CHECK(plan.obstacles.at(0).height_m == 31);
    addShape(plan, point, ShapeRole::rally);
    CHECK(plan.rally.at(0).height == Height::aboveGround(31));
}

TEST_CASE("a plan written as KML, KMZ, GPX, GeoJSON or CSV is read back with its places and true heights",
          "[exchange][import][roundtrip]") {
    TempDir dir;
    Plan plan = rowPlan(4);
    plan.home->amsl_m = 12;
    plan.items[2].height = Height::amsl(99);
    Fence fence;
    fence.id = plan.newId();
    fence.kind = FenceKind::keepOut;
    fence.name = "colony";
    fence.outline = {{47.3, -20.1}, {47.3, -20.09}, {47.31, -20.09}};
    plan.fences = {fence};
    plan.title = "row & \"quotes\" <äö>";
    const Path path = pathIn(plan);
    for (const char* ending : {".kml", ".kmz", ".gpx", ".geojson", ".csv"}) {
        INFO(ending);
        const auto text = planExport(plan, path, std::string("x") + ending);
        REQUIRE(text);
        spit(dir / (std::string("plan") + ending), *text);
        CHECK(gdalFeatures(dir / (std::string("plan") + ending)) > 0);
        const auto file = readShapes(dir / (std::string("plan") + ending));
        REQUIRE(file);
        Plan back;
        const auto roles = suggestedRoles(*file);
        for (std::size_t i = 0; i < roles.size(); ++i) addShape(back, file->shapes[i], roles[i]);
        int found = 0;
        for (const Item& item : plan.items) {
            if (item.kind != ItemKind::waypoint) continue;
            const double amsl = *amslOf(plan, nullptr, item.position, effectiveHeight(plan, item));
            for (const Item& b : back.items)
                if (distance_m(b.position, item.position) < 0.02 && b.height) {
                    Plan at_home = back;
                    at_home.home = plan.home;
                    if (std::abs(*amslOf(at_home, nullptr, b.position, *b.height) - amsl) < 0.02) {
                        ++found;
                        break;
                    }
                }
        }
        CHECK(found == 4);
        const std::string kind = ending;
        if (kind == ".kml" || kind == ".kmz" || kind == ".geojson") {
            CHECK(waypoints(back).size() == 4);  // the line through the points is not a second route
            REQUIRE(back.fences.size() == 1);
            CHECK(back.fences[0].kind == FenceKind::keepOut);
            CHECK(back.fences[0].outline.size() == 3);
        }
    }
    CHECK_FALSE(planExport(plan, path, "x.doc"));
}

TEST_CASE("the plan file itself is a valid GeoJSON for others, circles included", "[plan][file][gdal]") {
    TempDir dir;
    Plan plan = rowPlan(3);
    Fence circle;
    circle.id = plan.newId();
    circle.outline = {plan.home->position};
    circle.radius_m = 250;
    plan.fences = {circle};
    plan.rally = {{plan.newId(), "r", plan.home->position, Height::aboveHome(50), ""}};
    Obstacle wire;
    wire.id = plan.newId();
    wire.kind = ObstacleKind::wire;
    wire.points = {plan.home->position, destination(plan.home->position, 0, 100)};
    plan.obstacles = {wire};
    REQUIRE(savePlan(plan, dir / "p.anhinga.geojson"));
    CHECK(gdalFeatures(dir / "p.anhinga.geojson") == 9);
    const auto back = loadPlan(dir / "p.anhinga.geojson");
    REQUIRE(back);
    CHECK(*back == plan);
}

TEST_CASE("CSV columns are found by their names, and what heights mean is said", "[exchange][import][csv]") {
    const auto a = readCsv("Name;Latitude;Longitude;Altitude\nA;47.31;-20.12;50\n\n\"B;x\";47.32;-20.11;60\n", "t");
    REQUIRE(a);
    REQUIRE(a->shapes.size() == 2);
    CHECK(a->shapes[1].name == "B;x");
    CHECK(a->shapes[0].heights[0] == Height::aboveHome(50));
    CHECK(a->notes.size() == 1);
    const auto b = readCsv("lat,lng,height,ref,heading,gimbal pitch\n47,-20,50,ground,90,-45\n", "t");
    REQUIRE(b);
    CHECK(b->shapes[0].kind == ShapeKind::view);
    CHECK(b->shapes[0].heights[0] == Height::aboveGround(50));
    CHECK(readCsv("a,b\n1,2\n", "t").error().message.find("line 1") != std::string::npos);
    CHECK(readCsv("lat,lon\n47,x\n", "t").error().message.find("line 2") != std::string::npos);
    CHECK_FALSE(readCsv("lat,lon\n", "t"));
    CHECK_FALSE(readCsv("lat,lon,height,ref\n47,-20,1e9,home\n", "t"));
}

TEST_CASE("damaged files of every format give an error or a shorter result, never a crash",
          "[exchange][import][hostile]") {
    TempDir dir;
    Plan plan = rowPlan(3);
    const Path path = pathIn(plan);
    int errors = 0, total = 0;
    for (const char* ending : {".kml", ".kmz", ".gpx", ".geojson", ".csv"}) {
        const std::string whole = *planExport(plan, path, std::string("x") + ending);
        std::mt19937 random(11);
        for (int i = 0; i < 60; ++i) {
            std::string bad = whole;
            if (i < 20)
                bad.resize(whole.size() * static_cast<std::size_t>(i) / 20);
            else
                for (int k = 0; k < 1 + i / 10; ++k) bad[random() % bad.size()] = static_cast<char>(random());
            const std::string file = dir / (std::string("bad") + ending);
            spit(file, bad);
            const auto r = readShapes(file);
            ++total;
            if (!r) {
                ++errors;
                CHECK(r.error().message.find(file) != std::string::npos);
                continue;
            }
            for (const ImportedShape& s : r->shapes)
                for (const GeoPoint& p : s.points) CHECK(isValid(p));
        }
    }
    CHECK(errors > total / 4);
    CHECK_FALSE(readShapes(dir.path()));
    CHECK_FALSE(readShapes(dir / "none.kml"));
    std::string deep = "<kml>";
    for (int i = 0; i < 5000; ++i) deep += "<Folder>";
    CHECK_FALSE(readKml(deep, "deep"));
    for (int i = 0; i < 5000; ++i) deep += "</Folder>";
    CHECK_FALSE(readKml(deep + "</kml>", "deep"));
    CHECK_FALSE(readGeoJson("{\"type\":\"Feature\",\"geometry\":{\"type\":\"Point\",\"coordinates\":[400,0]}}", "t"));
    CHECK_FALSE(readGeoJson("[1]", "t"));
    CHECK(readKmz("PK\x03\x04 nothing", "t.kmz").error().message.find("t.kmz") != std::string::npos);
}

TEST_CASE("OpenAir text becomes zones with class, floor and ceiling", "[exchange][airspace]") {
    const auto a = readOpenAir(
        "* made for a test\nAC R\nAN Range North\nAL GND\nAH 1500 ft MSL\nDP 47:18:36 N 020:07:12 W\nDP 47:20:00 N "
        "020:07:12 W\nDP 47:20:00 N 020:05:00 W\n\nAC D\nAN Circle\nAL 500 ft AGL\nAH FL65\nV X=47:30:00 N 020:00:00 "
        "W\nDC 2\nAC Q\nAN Arc\nAL 100m AGL\nAH UNL\nV D=-\nV X=47:00:00N 020:00:00W\nDB 47:10:00N 020:00:00W, "
        "47:00:00N "
        "020:15:00W\nDP 47:00:00N 020:00:00W\n",
        "t");
    REQUIRE(a);
    REQUIRE(a->zones.size() == 3);
    CHECK(a->zones[0].name == "Range North");
    CHECK(a->zones[0].zone_class == "R");
    CHECK(a->zones[0].floor == Height::aboveGround(0));
    CHECK(a->zones[0].ceiling->value_m == Approx(457.2));
    CHECK(distance_m(a->zones[0].outline[0], {47.31, -20.12}) < 1);
    for (const GeoPoint& p : a->zones[1].outline) CHECK(distance_m(p, {47.5, -20}) == Approx(3704).margin(1));
    CHECK(a->zones[1].floor.value_m == Approx(152.4));
    CHECK(a->zones[1].ceiling->value_m == Approx(1981.2));
    CHECK(a->notes.size() == 1);  // flight levels
    CHECK_FALSE(a->zones[2].ceiling);
    CHECK(a->zones[2].floor.value_m == Approx(100));
    Plan plan;
    addAirspace(plan, *a, "test", {{47, -21}, {47, -19}, {48, -20}});
    CHECK(plan.zones.size() == 3);
    CHECK(plan.covers.size() == 1);
    CHECK(readPlanText(writePlanText(plan), "t"));
}

TEST_CASE("a line of airspace that cannot be understood stops the import, with its number",
          "[exchange][airspace][hostile]") {
    const std::pair<const char*, const char*> rows[] = {
        {"AC R\nDP 99:00:00 N 020:00:00 W\n", "line 2"},
        {"AC R\nAL high\n", "line 2"},
        {"DP 47:00:00 N 020:00:00 W\n", "line 1"},
        {"AC R\nAN two\nDP 47:00:00 N 020:00:00 W\nDP 47:10:00 N 020:00:00 W\n", "2 corners"},
        {"AC R\nDC 3\n", "centre"},
        {"AC R\nV X=nowhere\n", "line 2"},
        {"AC R\nV X=47:00:00N 020:00:00W\nDA 1,2\n", "line 3"},
        {"* only words\n", "no airspace"},
    };
    for (const auto& [text, says] : rows) {
        INFO(text);
        const auto r = readOpenAir(text, "t");
        REQUIRE_FALSE(r);
        CHECK(r.error().message.find(says) != std::string::npos);
    }
    std::mt19937 random(8);
    const std::string good =
        "AC R\nAN x\nAL GND\nAH 900m MSL\nDP 47:18:36 N 020:07:12 W\nDP 47:20:00 N 020:07:12 W\nDP 47:20 N 20:05 W\n";
    REQUIRE(readOpenAir(good, "t"));
    for (int i = 0; i < 400; ++i) {
        std::string bad = good;
        for (int k = 0; k < 3; ++k) bad[random() % bad.size()] = static_cast<char>(32 + random() % 90);
        if (const auto r = readOpenAir(bad, "t"))
            for (const Zone& z : r->zones) CHECK(z.outline.size() >= 3);
    }
    const auto g = readAirspaceGeoJson(
        R"({"type":"FeatureCollection","features":[{"type":"Feature","properties":{"name":"z","class":"R","floor_m":10,"floor_ref":"ground","ceiling_m":300},"geometry":{"type":"Polygon","coordinates":[[[-20,47],[-19,47],[-19,48],[-20,47]]]}}]})",
        "t");
    REQUIRE(g);
    CHECK(g->zones[0].floor == Height::aboveGround(10));
    CHECK(*g->zones[0].ceiling == Height::amsl(300));
    CHECK_FALSE(readAirspaceGeoJson("{\"features\":[{\"geometry\":{\"type\":\"Polygon\",\"coordinates\":[]}}]}", "t"));
}
