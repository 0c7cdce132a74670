#include <sys/stat.h>
#include <catch2/catch.hpp>

#include <gdal.h>
#include <ogr_srs_api.h>

#include "core/check/Clearance.h"
#include "core/terrain/Terrain.h"
#include "support.h"

using namespace anhinga;
using namespace anhinga::testing;

namespace {
/// An ASCII grid (a raster GDAL reads) of 3 x 3 cells of 0.001 degrees, south-west corner at 10 N 20 E; -9999 is a
/// hole.
const char* kGrid =
    "ncols 3\nnrows 3\nxllcorner 20\nyllcorner 10\ncellsize 0.001\nNODATA_value -9999\n"
    "10 20 30\n40 50 60\n70 80 -9999\n";
const char* kGeographic =
    "GEOGCS[\"WGS 84\",DATUM[\"WGS_1984\",SPHEROID[\"WGS "
    "84\",6378137,298.257223563]],PRIMEM[\"Greenwich\",0],UNIT[\"degree\",0.0174532925199433]]";
}  // namespace

TEST_CASE("heights are bilinear between cell centres and exact on them", "[terrain]") {
    TempDir dir;
    spit(dir / "g.asc", kGrid);
    spit(dir / "g.prj", kGeographic);
    const auto raster = ElevationRaster::open(dir / "g.asc");
    REQUIRE(raster);
    CHECK(*(*raster)->sample({10.0025, 20.0005}) == Approx(10));
    CHECK(*(*raster)->sample({10.0015, 20.0015}) == Approx(50));
    CHECK(*(*raster)->sample({10.0020, 20.0010}) == Approx((10 + 20 + 40 + 50) / 4.0));
}

TEST_CASE("a hole, the outside and a nonsense place are unknown, never zero", "[terrain]") {
    TempDir dir;
    spit(dir / "g.asc", kGrid);
    spit(dir / "g.prj", kGeographic);
    const auto raster = ElevationRaster::open(dir / "g.asc");
    REQUIRE(raster);
    CHECK_FALSE((*raster)->sample({10.0005, 20.0025}));
    CHECK_FALSE((*raster)->sample({10.0008, 20.0022}));
    CHECK_FALSE((*raster)->sample({11, 20}));
    CHECK_FALSE((*raster)->sample({NAN, 20}));
    const Terrain none;
    CHECK_FALSE(none.sample({10, 20}));
}

TEST_CASE("the first raster that knows a place answers", "[terrain]") {
    TempDir dir;
    spit(dir / "a.asc", kGrid);
    spit(dir / "a.prj", kGeographic);
    std::string other = kGrid;
    other.replace(other.find("-9999\n", 90), 5, "90   ");
    spit(dir / "b.asc", other);
    spit(dir / "b.prj", kGeographic);
    const auto terrain = Terrain::open({dir / "a.asc", dir / "b.asc"});
    REQUIRE(terrain);
    CHECK(*(*terrain)->sample({10.0015, 20.0015}) == Approx(50));
    CHECK(*(*terrain)->sample({10.0005, 20.0025}) == Approx(90));
}

TEST_CASE("the island of the demo has its shape", "[terrain][demo]") {
    const auto terrain = Terrain::open({demo("quillmere-elevation.tif")});
    REQUIRE(terrain);
    CHECK((*terrain)->cell_m() == Approx(5).margin(0.1));
    CHECK(*(*terrain)->sample({47.295, -20.148}) == Approx(0).margin(0.01));  // open sea
    CHECK(*(*terrain)->sample({47.31387, -20.12621}) > 120);                  // the summit
}

TEST_CASE("rasters that cannot be read say why and which", "[terrain][hostile]") {
    TempDir dir;
    const auto reason = [](const std::string& path) {
        const auto r = ElevationRaster::open(path);
        REQUIRE_FALSE(r);
        CHECK(r.error().message.find(path) != std::string::npos);
        return r.error().message;
    };
    spit(dir / "empty.tif", "");
    spit(dir / "rubbish.tif", rubbish(5000, 3));
    reason(dir / "empty.tif");
    reason(dir / "rubbish.tif");
    reason(dir / "missing.tif");
    CHECK(reason(dir.path()).find("directory") != std::string::npos);
    spit(dir / "placeless.asc", "ncols 2\nnrows 2\nxllcorner 0\nyllcorner 0\ncellsize 1\n1 2\n3 4\n");
    reason(dir / "placeless.asc");
    spit(dir / "locked.tif", slurp(demo("quillmere-elevation.tif")));
    chmod((dir / "locked.tif").c_str(), 0);
    chmod(dir.path().c_str(), 0755);
    withoutRights([&](bool stopped) {
        if (stopped) reason(dir / "locked.tif");
    });
}

TEST_CASE("no damaged raster crashes or hangs the reader", "[terrain][hostile]") {
    TempDir dir;
    const std::string good = slurp(demo("quillmere-elevation.tif"));
    int refused = 0;
    for (const std::string& bytes : damaged(good, 60, 11)) {
        spit(dir / "d.tif", bytes);
        const auto r = ElevationRaster::open(dir / "d.tif");
        if (!r) {
            ++refused;
            CHECK(r.error().message.size() > (dir / "d.tif").size());
        }
    }
    CHECK(refused >= 15);  // every truncation at least
}

TEST_CASE("heights above the ellipsoid become heights above the sea, feet become metres", "[terrain][geoid]") {
    TempDir dir;
    GDALAllRegister();
    // Three by three cells around a place of which EGM96's authors publish the height: -31.628 m.
    const auto write = [&](const char* name, const char* reference, const char* unit, float height) {
        GDALDatasetH set =
            GDALCreate(GDALGetDriverByName("GTiff"), (dir / name).c_str(), 3, 3, 1, GDT_Float32, nullptr);
        REQUIRE(set != nullptr);
        OGRSpatialReferenceH srs = OSRNewSpatialReference(nullptr);
        REQUIRE(OSRSetFromUserInput(srs, reference) == OGRERR_NONE);
        GDALSetSpatialRef(set, srs);
        OSRDestroySpatialReference(srs);
        double place[6] = {-90.220845 - 0.0015, 0.001, 0, 38.628155 + 0.0015, 0, -0.001};
        GDALSetGeoTransform(set, place);
        std::vector<float> cells(9, height);
        GDALRasterBandH band = GDALGetRasterBand(set, 1);
        if (*unit != '\0') GDALSetRasterUnitType(band, unit);
        REQUIRE(GDALRasterIO(band, GF_Write, 0, 0, 3, 3, cells.data(), 3, 3, GDT_Float32, 0, 0) == CE_None);
        GDALClose(set);
        const auto raster = ElevationRaster::open(dir / name);
        REQUIRE(raster);
        return *raster;
    };
    const GeoPoint place{38.628155, -90.220845};
    const auto ellipsoid = write("ellipsoid.tif", "EPSG:4979", "", 100);
    CHECK(*ellipsoid->sample(place) == Approx(131.628).margin(0.1));
    CHECK(ellipsoid->verticalReference().find("geoid") != std::string::npos);
    const auto sea = write("sea.tif", "EPSG:4326+5773", "", 100);
    CHECK(*sea->sample(place) == Approx(100));
    CHECK(sea->verticalReference() == "EGM96 height");
    const auto silent = write("silent.tif", "EPSG:4326", "", 100);
    CHECK(*silent->sample(place) == Approx(100));
    CHECK(silent->verticalReference() == "not stated");
    CHECK(*write("feet.tif", "EPSG:4326", "ft", 100)->sample(place) == Approx(30.48));
}
