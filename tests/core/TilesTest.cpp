// Map tiles: which ones an area needs, keeping them in MBTiles files, the small server; pictures, relief, contours.
#include <catch2/catch.hpp>

#include <gdal.h>
#include <ogr_srs_api.h>
#include <sys/wait.h>
#include <unistd.h>

#include <atomic>
#include <csignal>
#include <set>
#include <thread>

#include "core/exchange/Import.h"
#include "core/terrain/Imagery.h"
#include "core/terrain/Relief.h"
#include "core/tiles/TileStore.h"
#include "standin/TileServer.h"
#include "support.h"

using namespace anhinga;
using namespace anhinga::testing;

namespace {

std::vector<TileId> all(const GeoBox& box, int from, int to, std::size_t most = 100000) {
    TileWalk walk(box, from, to);
    std::vector<TileId> tiles;
    while (tiles.size() < most) {
        const auto t = walk.next();
        if (!t) break;
        tiles.push_back(*t);
    }
    return tiles;
}

const GeoBox kIsland{47.29, -20.15, 47.33, -20.09};
const std::string kPng = [] { return *encodePng(std::vector<std::uint8_t>(16 * 4, 200), 4, 4); }();

}  // namespace

TEST_CASE("a place lies in its tile at every zoom", "[tiles]") {
    const GeoPoint places[] = {{47.31, -20.12}, {0, 0}, {-33.9, 179.9999}, {84.9, -180}, {-89, 12}, {90, 0}};
    for (const GeoPoint& p : places)
        for (int z = 0; z <= kZoomMax; ++z) {
            const TileId t = tileAt(p, z);
            const UnitBox box = tileBox(t);
            const UnitPoint m = toUnitSquare(p);
            CAPTURE(p.lat_deg, p.lon_deg, z);
            CHECK((t.x >= 0 && t.x < (1 << z) && t.y >= 0 && t.y < (1 << z)));
            CHECK(m.x >= box.left - 1e-12);
            CHECK(m.x <= box.right + 1e-12);
            if (std::abs(p.lat_deg) < 85) {
                CHECK(m.y >= box.top - 1e-12);
                CHECK(m.y <= box.bottom + 1e-12);
            }
        }
    // A worked example: zoom 1 has four tiles, the equator's meridian their corner.
    CHECK(tileAt({10, 10}, 1) == TileId{1, 1, 0});
    CHECK(tileAt({-10, -10}, 1) == TileId{1, 0, 1});
}

TEST_CASE("an area's tiles are counted as they are walked, each once", "[tiles]") {
    const struct {
        const char* label;
        GeoBox box;
        int from, to;
    } rows[] = {{"island", kIsland, 8, 17},
                {"over the 180th meridian", {-10, 179, 10, -179}, 3, 9},
                {"the whole world", {-85, -180, 85, 179.9999}, 0, 5},
                {"nearly all the way round, west of its own west edge", {-5, 10, 5, 9}, 2, 6},
                {"to the pole", {80, 0, 90, 10}, 0, 8},
                {"one zoom", kIsland, 14, 14}};
    for (const auto& r : rows) {
        CAPTURE(r.label);
        const auto tiles = all(r.box, r.from, r.to);
        CHECK(TileWalk(r.box, r.from, r.to).count() == tiles.size());
        CHECK(std::set<TileId>(tiles.begin(), tiles.end()).size() == tiles.size());
        CHECK(!tiles.empty());
        for (const TileId& t : tiles) CHECK((t.z >= r.from && t.z <= r.to));
        for (const GeoPoint& corner : {GeoPoint{r.box.south, r.box.west}, GeoPoint{r.box.north, r.box.east}})
            CHECK(std::find(tiles.begin(), tiles.end(), tileAt(corner, r.to)) != tiles.end());
    }
    CHECK(all({1, 1, 1, 2}, 3, 5).empty());
    CHECK(all({1, 1, 2, 1}, 3, 5).empty());
    CHECK(all({NAN, 1, 2, 2}, 3, 5).empty());
    CHECK(all(kIsland, 9, 8).empty());
    // Coarse ones come first: a walk that is cut short leaves a map all the same.
    const auto tiles = all(kIsland, 8, 15);
    CHECK(std::is_sorted(tiles.begin(), tiles.end(), [](const TileId& a, const TileId& b) { return a.z < b.z; }));
    // Counting needs no walking: the finest zooms of a continent are far too many to walk here.
    CHECK(TileWalk({35, -10, 60, 30}, 0, 20).count() > 5'000'000'000ULL);
}

TEST_CASE("addresses of tile servers are checked and filled in", "[tiles]") {
    CHECK(checkTilePattern("http://127.0.0.1:8077/{z}/{x}/{y}.png"));
    CHECK(checkTilePattern("https://maps.example/t?z={z}&x={x}&y={-y}"));
    for (const char* wrong : {"", "ftp://a/{z}/{x}/{y}", "http://a/{z}/{x}", "http://a/{x}/{y}", "http://a/{z}/{y}",
                              "http://a/{z}/{x}/{y} .png", "a/{z}/{x}/{y}"}) {
        CAPTURE(wrong);
        const auto r = checkTilePattern(wrong);
        REQUIRE_FALSE(r);
        CHECK(r.error().message.size() > 20);
    }
    CHECK(tileAddress("http://a/{z}/{x}/{y}.png", {3, 5, 2}) == "http://a/3/5/2.png");
    CHECK(tileAddress("http://a/{z}/{x}/{-y}?again={z}", {3, 5, 2}) == "http://a/3/5/5?again=3");
}

TEST_CASE("tiles and areas come back from the file as they were put in", "[tiles][store]") {
    TempDir dir;
    const std::string path = dir / "deep/folder/map.mbtiles";
    std::int64_t id = 0;
    {
        const auto store = TileStore::open(path, "A map", "© its makers");
        REQUIRE(store);
        CHECK_FALSE((*store)->has({5, 3, 4}));
        CHECK_FALSE((*store)->get({5, 3, 4}));
        REQUIRE((*store)->put({5, 3, 4}, kPng));
        REQUIRE((*store)->put({5, 3, 4}, kPng));  // again: still one
        CHECK_FALSE((*store)->put({5, 3, 5}, "<html>not found</html>"));
        const auto kept = (*store)->keepArea({0, "Island", kIsland, 8, 9});
        REQUIRE(kept);
        id = *kept;
        CHECK_FALSE((*store)->keepArea({0, "Nowhere", {}, 8, 9}));
    }
    const auto store = TileStore::open(path, "A map", "© its makers");
    REQUIRE(store);
    CHECK((*store)->count() == 1);
    CHECK((*store)->bytes() == kPng.size());
    CHECK(*(*store)->get({5, 3, 4}) == kPng);
    REQUIRE((*store)->areas().size() == 1);
    StoredArea area = (*store)->areas()[0];
    CHECK(area == StoredArea{id, "Island", kIsland, 8, 9});
    area.complete = true;
    area.stored_s = 1.8e9;
    REQUIRE((*store)->keepArea(area));
    CHECK((*store)->areas() == std::vector<StoredArea>{area});
}

TEST_CASE("removing an area leaves the tiles another one needs", "[tiles][store]") {
    TempDir dir;
    const auto opened = TileStore::open(dir / "m.mbtiles", "m", "");
    REQUIRE(opened);
    TileStore& store = **opened;
    const GeoBox north{47.31, -20.15, 47.34, -20.09}, south{47.28, -20.15, 47.315, -20.09};
    const auto a = store.keepArea({0, "north", north, 13, 14}), b = store.keepArea({0, "south", south, 13, 14});
    REQUIRE((a && b && *a != *b));
    for (const GeoBox& box : {north, south})
        for (const TileId& t : all(box, 13, 14)) REQUIRE(store.put(t, kPng));
    REQUIRE(store.removeArea(*a));
    const auto kept = all(south, 13, 14);
    CHECK(store.count() == kept.size());
    for (const TileId& t : kept) CHECK(store.has(t));
    CHECK(store.areas().size() == 1);
    CHECK(store.removeArea(12345));  // not there: nothing to do
}

TEST_CASE("the cache forgets what came first", "[tiles][store]") {
    TempDir dir;
    const auto store = TileStore::open(dir / "m.mbtiles", "m", "");
    REQUIRE(store);
    for (int i = 0; i < 100; ++i) REQUIRE((*store)->put({10, i, 0}, kPng));
    (*store)->trim(kPng.size() * 50);
    CHECK((*store)->count() <= 50);
    CHECK((*store)->count() >= 40);
    CHECK_FALSE((*store)->has({10, 0, 0}));
    CHECK((*store)->has({10, 99, 0}));
}

TEST_CASE("a file that is no tile file is refused and left alone", "[tiles][store][hostile]") {
    TempDir dir;
    for (const std::string& content : {rubbish(4000, 5), std::string("SQLite format 3"), std::string("{}")}) {
        spit(dir / "m.mbtiles", content);
        const auto store = TileStore::open(dir / "m.mbtiles", "m", "");
        REQUIRE_FALSE(store);
        CHECK(store.error().message.find("m.mbtiles") != std::string::npos);
        CHECK(slurp(dir / "m.mbtiles") == content);
    }
    REQUIRE_FALSE(TileStore::open("/proc/nowhere/m.mbtiles", "m", ""));
    // Damage inside: an answer or none, never a crash.
    {
        const auto store = TileStore::open(dir / "good.mbtiles", "m", "");
        REQUIRE(store);
        for (int i = 0; i < 60; ++i) REQUIRE((*store)->put({10, i, 0}, kPng + std::string(400, 'x')));
    }
    int opened = 0;
    for (const std::string& bytes : damaged(slurp(dir / "good.mbtiles"), 40, 3)) {
        for (const char* tail : {"", "-wal", "-shm"}) std::filesystem::remove(dir / "d.mbtiles" + tail);
        spit(dir / "d.mbtiles", bytes);
        const auto store = TileStore::open(dir / "d.mbtiles", "m", "");
        if (!store) continue;
        ++opened;
        (void)(*store)->get({10, 7, 0});
        (void)(*store)->put({10, 70, 0}, kPng);
        (void)(*store)->areas();
        (void)(*store)->bytes();
    }
    CHECK(opened > 0);
}

TEST_CASE("what is stored is an MBTiles file other programs read", "[tiles][store][gdal]") {
    TempDir dir;
    const std::string picture = demo("quillmere-imagery.tif");
    const auto source = ImagerySource::open(picture);
    REQUIRE(source);
    {
        const auto store = TileStore::open(dir / "m.mbtiles", "Island", "© made up");
        REQUIRE(store);
        const GeoBox box{47.30, -20.13, 47.32, -20.11};
        REQUIRE((*store)->keepArea({0, "Island", box, 13, 15, true, 1.8e9}));
        for (const TileId& t : all(box, 13, 15)) {
            const auto pixels = (*source)->read(tileBox(t), 256, 256);
            REQUIRE(pixels);
            REQUIRE((*store)->put(t, *encodePng(*pixels, 256, 256)));
        }
    }
    // Read back through GDAL's own MBTiles driver: same colours at the same place as the picture it was cut from.
    const auto back = ImagerySource::open(dir / "m.mbtiles");
    REQUIRE(back);
    const UnitPoint m = toUnitSquare({47.31, -20.12});
    const double side = 40 / (2 * M_PI * 6378137.0);
    const UnitBox spot{m.x - side, m.y - side, m.x + side, m.y + side};
    const auto a = (*source)->read(spot, 8, 8), b = (*back)->read(spot, 8, 8);
    REQUIRE((a && b));
    double off = 0;
    for (std::size_t i = 0; i < a->size(); ++i) off += std::abs(int((*a)[i]) - int((*b)[i]));
    CHECK(off / static_cast<double>(a->size()) < 12);
}

TEST_CASE("a picture is read at any place and size, with nothing where it has nothing", "[imagery]") {
    const auto source = ImagerySource::open(demo("quillmere-imagery.tif"));
    REQUIRE(source);
    const UnitBox e = (*source)->extent();
    const auto whole = (*source)->read(e, 64, 48);
    REQUIRE(whole);
    CHECK(whole->size() == 64 * 48 * 4);
    CHECK((*whole)[(24 * 64 + 32) * 4 + 3] == 255);  // opaque in the middle
    // Twice as wide: the right half has nothing.
    const auto beside = (*source)->read({e.left, e.top, e.right + e.width(), e.bottom}, 64, 48);
    REQUIRE(beside);
    CHECK((*beside)[(24 * 64 + 16) * 4 + 3] == 255);
    CHECK((*beside)[(24 * 64 + 60) * 4 + 3] == 0);
    // Far away and far too fine are no errors; no size is.
    CHECK((*source)->read({0.1, 0.1, 0.2, 0.2}, 8, 8));
    CHECK((*source)->read(
        {e.left + e.width() / 2, e.top + e.height() / 2, e.left + e.width() / 2 + 1e-9, e.top + e.height() / 2 + 1e-9},
        8, 8));
    CHECK_FALSE((*source)->read(e, 0, 8));
    CHECK_FALSE((*source)->read({0.2, 0.2, 0.1, 0.3}, 8, 8));
    CHECK_FALSE((*source)->read(e, 100000, 8));
}

TEST_CASE("pictures of every make are shown in their colours", "[imagery]") {
    GDALAllRegister();
    TempDir dir;
    GDALDriverH tiff = GDALGetDriverByName("GTiff");
    // A square in UTM zone 27, 100 m wide: red on the left, blue on the right, made in four ways.
    const struct {
        const char* label;
        GDALDataType type;
        int bands;
        bool palette;
    } rows[] = {{"palette", GDT_Byte, 1, true}, {"colour", GDT_Byte, 3, false}, {"16 bit", GDT_UInt16, 3, false}};
    for (const auto& r : rows) {
        CAPTURE(r.label);
        const std::string path = dir / (std::string(r.label) + ".tif");
        GDALDatasetH d = GDALCreate(tiff, path.c_str(), 20, 20, r.bands, r.type, nullptr);
        REQUIRE(d != nullptr);
        double place[6] = {566600, 5, 0, 5240300, 0, -5};
        GDALSetGeoTransform(d, place);
        OGRSpatialReferenceH utm = OSRNewSpatialReference(nullptr);
        OSRImportFromEPSG(utm, 32627);
        GDALSetSpatialRef(d, utm);
        OSRDestroySpatialReference(utm);
        if (r.palette) {
            GDALColorTableH table = GDALCreateColorTable(GPI_RGB);
            const GDALColorEntry red{250, 10, 10, 255}, blue{10, 10, 250, 255};
            GDALSetColorEntry(table, 0, &red);
            GDALSetColorEntry(table, 1, &blue);
            GDALSetRasterColorTable(GDALGetRasterBand(d, 1), table);
            GDALDestroyColorTable(table);
        }
        for (int band = 1; band <= r.bands; ++band) {
            std::vector<std::uint16_t> v(400);
            for (std::size_t i = 0; i < 400; ++i) {
                const bool left = i % 20 < 10;
                const int full = r.type == GDT_UInt16 ? 9000 : 250, none = r.type == GDT_UInt16 ? 400 : 10;
                v[i] = static_cast<std::uint16_t>(r.palette   ? !left
                                                  : band == 1 ? (left ? full : none)
                                                  : band == 3 ? (left ? none : full)
                                                              : (i < 200 ? none : full / 2));
            }
            REQUIRE(GDALRasterIO(GDALGetRasterBand(d, band), GF_Write, 0, 0, 20, 20, v.data(), 20, 20, GDT_UInt16, 0,
                                 0) == CE_None);
        }
        GDALClose(d);
        const auto source = ImagerySource::open(path);
        REQUIRE(source);
        const auto p = (*source)->read((*source)->extent(), 20, 20);
        REQUIRE(p);
        const std::uint8_t *left = p->data() + (10 * 20 + 4) * 4, *right = p->data() + (10 * 20 + 15) * 4;
        CHECK(left[0] > left[2] + 100);
        CHECK(right[2] > right[0] + 100);
        CHECK(left[3] == 255);
    }
}

TEST_CASE("pictures that cannot be read say why", "[imagery][hostile][deep]") {
    TempDir dir;
    spit(dir / "r.tif", rubbish(3000, 8));
    spit(dir / "placeless.ppm", "P6 2 2 255\n" + std::string(12, 'a'));
    for (const char* name : {"r.tif", "placeless.ppm", "missing.tif"}) {
        const auto source = ImagerySource::open(dir / name);
        REQUIRE_FALSE(source);
        CHECK(source.error().message.find(name) != std::string::npos);
    }
    for (const std::string& bytes : damaged(slurp(demo("quillmere-imagery.tif")), 8 * testDepth(), 9)) {
        spit(dir / "d.tif", bytes);
        if (const auto source = ImagerySource::open(dir / "d.tif"))
            (void)(*source)->read((*source)->extent(), 200, 160);
    }
    CHECK_FALSE(encodePng({1, 2, 3}, 2, 2));
}

namespace {
/// A cone of 100 m at the middle of a 41 x 41 grid, or a plane rising to the east.
std::shared_ptr<const Terrain> shape(const TempDir& dir, bool cone) {
    std::string text = "ncols 41\nnrows 41\nxllcorner 20\nyllcorner 10\ncellsize 0.001\nNODATA_value -9999\n";
    for (int y = 0; y < 41; ++y) {
        for (int x = 0; x < 41; ++x)
            text += fmt::format("{:.3f} ", cone ? std::max(0.0, 100 - 5 * std::hypot(x - 20, y - 20)) : 10.0 * x);
        text += "\n";
    }
    const std::string path = dir / (cone ? "cone.asc" : "plane.asc");
    spit(path, text);
    spit(
        path.substr(0, path.size() - 4) + ".prj",
        "GEOGCS[\"WGS 84\",DATUM[\"WGS_1984\",SPHEROID[\"WGS 84\",6378137,298.257223563]],PRIMEM[\"Greenwich\",0],UNIT["
        "\"degree\",0.0174532925199433]]");
    const auto terrain = Terrain::open({path});
    REQUIRE(terrain);
    return *terrain;
}
UnitBox boxAround(GeoPoint sw, GeoPoint ne) {
    const UnitPoint a = toUnitSquare(sw), b = toUnitSquare(ne);
    return {a.x, b.y, b.x, a.y};
}
}  // namespace

TEST_CASE("slopes towards the north-west are light, those away from it dark", "[relief]") {
    TempDir dir;
    const auto cone = shape(dir, true);
    const UnitBox box = boxAround({10.0005, 20.0005}, {10.0405, 20.0405});
    const auto s = shadedRelief(*cone, box, 40, 40);
    REQUIRE(s.size() == 1600);
    CHECK(int(s[13 * 40 + 13]) > 10);
    CHECK(int(s[26 * 40 + 26]) < -5);
    CHECK(std::abs(int(s[1 * 40 + 1])) < 5);  // flat
    const auto nothing = shadedRelief(*cone, boxAround({30, 40}, {30.1, 40.1}), 5, 5);
    CHECK(nothing == std::vector<std::int8_t>(25, 0));
    CHECK(shadedRelief(Terrain(), box, 3, 3) == std::vector<std::int8_t>(9, 0));
    std::stop_source stop;
    stop.request_stop();
    CHECK(shadedRelief(*cone, box, 40, 40, stop.get_token()).empty());
}

TEST_CASE("contours run at their height and close around a summit", "[relief][contours]") {
    TempDir dir;
    const auto cone = shape(dir, true);
    const UnitBox box = boxAround({10.0005, 20.0005}, {10.0405, 20.0405});
    const auto lines = contours(*cone, box, 81, 81, 20);
    int closed = 0;
    for (const Contour& c : lines) {
        CHECK(std::fmod(c.amsl_m, 20) == Approx(0).margin(1e-9));
        if (c.amsl_m <= 0) continue;
        closed += c.closed;
        for (const UnitPoint& m : c.points) {
            const auto h = cone->sample(fromUnitSquare(m));
            REQUIRE(h);
            CHECK(*h == Approx(c.amsl_m).margin(3));  // straight between knots
        }
    }
    CHECK(closed == 4);  // 20, 40, 60, 80; the summit's 100 is a point
    // A plane to the east: straight lines from south to north, none closed, each in one piece.
    const auto plane = shape(dir, false);
    const auto straight = contours(*plane, box, 41, 41, 60);
    CHECK(straight.size() == 6);  // 60 ... 360
    for (const Contour& c : straight) {
        CHECK_FALSE(c.closed);
        CHECK(c.points.size() == 41);
    }
    CHECK(contours(*plane, box, 41, 41, 0).empty());
    CHECK(contours(*plane, box, 1, 41, 10).empty());
    CHECK(contours(Terrain(), box, 41, 41, 10).empty());
    // Half of the box unknown: lines end where knowledge ends.
    for (const Contour& c : contours(*plane, boxAround({10.0205, 20.0205}, {10.08, 20.08}), 61, 61, 10))
        for (const UnitPoint& m : c.points) CHECK(cone->sample(fromUnitSquare(m)).has_value());
    for (const double mpp : {0.05, 0.3, 2.0, 40.0, 9000.0}) {
        const double i = contourInterval_m(mpp);
        CHECK(i >= 1);
        const double lead = i / std::pow(10, std::floor(std::log10(i) + 1e-9));
        CHECK((lead == Approx(1) || lead == Approx(2) || lead == Approx(5)));
    }
    CHECK(contourInterval_m(2) <= contourInterval_m(4));
}

TEST_CASE("the small tile server says what is wrong and stops when it goes", "[tiles][server]") {
    CHECK_FALSE(TileServer::start({"/nowhere.tif"}));
    int port = 0;
    {
        const auto server = TileServer::start({demo("quillmere-imagery.tif")});
        REQUIRE(server);
        port = (*server)->port();
        CHECK(checkTilePattern((*server)->pattern()));
        const auto second = TileServer::start({demo("quillmere-imagery.tif"), port});
        CHECK_FALSE(second);
        CHECK((*server)->served() == 0);
    }
    CHECK(TileServer::start({demo("quillmere-imagery.tif"), port}));  // free again
}

TEST_CASE("two windows and several threads use one tile file at once", "[tiles][store]") {
    TempDir dir;
    const std::string path = dir / "m.mbtiles";
    const auto one = TileStore::open(path, "m", ""), two = TileStore::open(path, "m", "");
    REQUIRE((one && two));
    std::atomic<int> failed{0};
    std::vector<std::thread> threads;
    for (int t = 0; t < 4; ++t)
        threads.emplace_back([&, t] {
            const auto& store = t % 2 == 0 ? *one : *two;
            for (int i = 0; i < 60; ++i) {
                if (!store->put({12, t * 100 + i, 7}, kPng)) ++failed;
                (void)store->get({12, ((t + 1) % 4) * 100 + i, 7});
            }
        });
    for (std::thread& t : threads) t.join();
    CHECK(failed == 0);
    CHECK((*one)->count() == 240);
    CHECK((*two)->count() == 240);
    // An area noted by one window is seen by the other.
    REQUIRE((*one)->keepArea({0, "Island", kIsland, 10, 12}));
    CHECK((*two)->areas().size() == 1);
}

TEST_CASE("a program that is killed while storing leaves a file that goes on", "[tiles][store]") {
    TempDir dir;
    const std::string path = dir / "m.mbtiles";
    for (int round = 0; round < 6; ++round) {
        int ready[2];
        REQUIRE(pipe(ready) == 0);
        const pid_t child = fork();
        REQUIRE(child >= 0);
        if (child == 0) {
            const auto store = TileStore::open(path, "m", "");
            if (!store) _exit(3);
            (void)(*store)->keepArea({1, "Island", kIsland, 10, 14});
            for (int i = 0; i < 100000; ++i) {
                (void)(*store)->put({14, round * 1000 + i % 1000, i / 1000}, kPng + std::string(2000, 'x'));
                if (i == 5) (void)!write(ready[1], "x", 1);
            }
            _exit(0);
        }
        char go = 0;
        (void)!read(ready[0], &go, 1);
        std::this_thread::sleep_for(std::chrono::milliseconds(3 + round * 4));
        kill(child, SIGKILL);
        int status = 0;
        waitpid(child, &status, 0);
        close(ready[0]);
        close(ready[1]);
        CHECK(WIFSIGNALED(status));
        const auto store = TileStore::open(path, "m", "");
        REQUIRE(store);
        REQUIRE((*store)->areas().size() == 1);
        CHECK_FALSE((*store)->areas()[0].complete);
        const auto n = (*store)->count();
        CHECK(n >= 6);
        // Every tile that is there is whole.
        std::uint64_t whole = 0;
        for (int r = 0; r <= round; ++r)
            for (int k = 0; k < 1000; ++k)
                for (int y = 0; y < 3; ++y)
                    if (const auto t = (*store)->get({14, r * 1000 + k, y})) whole += t->size() == kPng.size() + 2000;
        CHECK(whole >= 6);
        CHECK(whole <= n);
        REQUIRE((*store)->put({14, 16000, 3}, kPng));
    }
}

TEST_CASE("the coastline that ships has land where there is land", "[world]") {
    const auto land = readShapes(std::string(DEMO_DIR) + "/../world/coastline.geojson");
    REQUIRE(land);
    CHECK(land->shapes.size() > 1000);
    const auto isLand = [&](GeoPoint p) {
        for (const ImportedShape& s : land->shapes) {
            bool inside = false;  // in degrees: the rings are given on that sheet
            for (std::size_t i = 0, j = s.points.size() - 1; i < s.points.size(); j = i++) {
                const GeoPoint &a = s.points[i], &b = s.points[j];
                if ((a.lat_deg > p.lat_deg) != (b.lat_deg > p.lat_deg) &&
                    p.lon_deg < (b.lon_deg - a.lon_deg) * (p.lat_deg - a.lat_deg) / (b.lat_deg - a.lat_deg) + a.lon_deg)
                    inside = !inside;
            }
            if (inside) return true;
        }
        return false;
    };
    const GeoPoint ground[] = {{22, 12}, {-25, 134}, {48, 2}, {40, -100}, {-10, -55}, {60, 100}, {-80, 0}, {72, -40}};
    const GeoPoint sea[] = {{47.31, -20.12}, {0, -150}, {-40, 80}, {30, -45}, {89, 10}, {-30, -15}, {0, 0}, {55, 3}};
    for (const GeoPoint& p : ground) {
        CAPTURE(p.lat_deg, p.lon_deg);
        CHECK(isLand(p));
    }
    for (const GeoPoint& p : sea) {
        CAPTURE(p.lat_deg, p.lon_deg);
        CHECK_FALSE(isLand(p));
    }
    for (const ImportedShape& s : land->shapes) {
        CHECK(s.kind == ShapeKind::area);
        CHECK(s.points.size() >= 3);
    }
}
