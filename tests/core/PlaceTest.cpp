// Coordinates in every form, and the magnetic field of a place.
#include <catch2/catch.hpp>
#include <cstring>
#include <sstream>

#include "core/geo/Coordinates.h"
#include "core/geo/Geoid.h"
#include "core/geo/MagneticField.h"
#include "core/geo/Mercator.h"
#include "support.h"

using namespace anhinga;

TEST_CASE("a place survives being written and read in every form", "[geo][coordinates]") {
    const GeoPoint places[] = {{47.312, -20.118}, {-33.5, 151.25},  {0, 0},           {84.5, -179.9}, {-89.9, 40},
                               {0.0001, -0.0001}, {71.5, 179.9999}, {-0.5, -179.999}, {60.2, 5.1}};
    for (const GeoPoint& p : places)
        for (const auto format :
             {CoordinateFormat::decimal, CoordinateFormat::dms, CoordinateFormat::utm, CoordinateFormat::mgrs}) {
            const std::string text = coordinateText(p, format);
            INFO(text);
            const auto back = parseCoordinate(text);
            REQUIRE(back);
            CHECK(distance_m(*back, p) <
                  (format == CoordinateFormat::decimal || format == CoordinateFormat::dms ? 0.3 : 1.5));
        }
}

TEST_CASE("coordinates are written as the field writes them", "[geo][coordinates]") {
    const GeoPoint p{47.312, -20.118};
    CHECK(coordinateText(p, CoordinateFormat::decimal) == "47.312000, -20.118000");
    CHECK(coordinateText(p, CoordinateFormat::utm).starts_with("27N 566663"));
    CHECK(coordinateText(p, CoordinateFormat::mgrs).starts_with("27T"));
    CHECK(coordinateText(p, CoordinateFormat::dms).find("47d18'43.20\"N") == 0);
    CHECK(coordinateText({99, 0}, CoordinateFormat::utm) == "not a place");
    const std::pair<const char*, GeoPoint> rows[] = {{"47.312, -20.118", p},
                                                     {"47.312 -20.118", p},
                                                     {"  47.312;-20.118 ", p},
                                                     {"47d18'43.2\"N 20d07'04.8\"W", p},
                                                     {"20d07'04.8\"W 47d18'43.2\"N", p},
                                                     {"47:18:43.2N 20:07:04.8W", p}};
    for (const auto& [text, place] : rows) {
        INFO(text);
        const auto got = parseCoordinate(text);
        REQUIRE(got);
        CHECK(distance_m(*got, place) < 0.2);
    }
    for (const char* wrong : {"", "   ", "47", "north", "91, 0", "47,3,20,1", "27Z 1 1", "nan nan", "1e999 0"}) {
        INFO(wrong);
        REQUIRE_FALSE(parseCoordinate(wrong));
        CHECK(parseCoordinate(wrong).error().message.find("47.312") != std::string::npos);
    }
    CHECK_FALSE(parseCoordinate(std::string(100000, '4')));
}

TEST_CASE("random text is never a crash", "[geo][coordinates][hostile]") {
    std::mt19937 random(3);
    const std::string letters = "0123456789.,-+:d'\"NSEW UTM\xC2\xB0";
    for (int i = 0; i < 3000; ++i) {
        std::string text;
        for (auto k = random() % 24; k > 0; --k) text += letters[random() % letters.size()];
        if (const auto p = parseCoordinate(text)) CHECK(isValid(*p));
    }
}

TEST_CASE("the magnetic field has the values the model's authors publish", "[geo][magnetic]") {
    // Test values of the WMM2025 report: date, height (km), latitude, longitude, X, Y, Z (nT).
    struct Row {
        double year, km, lat, lon, x, y, z;
    };
    const Row rows[] = {{2025.0, 0, 80, 0, 6521.6, 145.9, 54791.5}, {2025.0, 0, 0, 120, 39677.8, -109.6, -10580.2}};
    for (const Row& r : rows) {
        INFO(r.lat << " " << r.lon);
        const MagneticField f = magneticField({r.lat, r.lon}, r.km * 1000, r.year);
        CHECK(f.north_nt == Approx(r.x).margin(1.5));
        CHECK(f.east_nt == Approx(r.y).margin(1.5));
        CHECK(f.down_nt == Approx(r.z).margin(1.5));
    }
}

TEST_CASE("the magnetic field is smooth, has no sources, and holds at the edges of the map",
          "[geo][magnetic][property]") {
    for (const GeoPoint p : {GeoPoint{47.31, -20.12}, GeoPoint{-60, 100}, GeoPoint{5, -179.9}, GeoPoint{-30, 179.9}}) {
        const MagneticField f = magneticField(p, 100, 2026.9);
        CHECK(f.field_nt == Approx(std::sqrt(f.north_nt * f.north_nt + f.east_nt * f.east_nt + f.down_nt * f.down_nt)));
        CHECK(f.field_nt > 20000);
        CHECK(f.field_nt < 70000);
        // No curl: d(down)/d(north) equals d(north)/d(down) up to the curvature term north/R.
        const double step = 2000;
        const double down = (magneticField(destination(p, 0, step), 100, 2026.9).down_nt -
                             magneticField(destination(p, 180, step), 100, 2026.9).down_nt) /
                            (2 * step);
        const double north =
            (magneticField(p, 100 - step, 2026.9).north_nt - magneticField(p, 100 + step, 2026.9).north_nt) /
            (2 * step);
        CHECK(down == Approx(north - f.north_nt / 6371000).margin(2e-4));
    }
    const MagneticField west = magneticField({10, -180}, 0, 2025), east = magneticField({10, 180}, 0, 2025);
    CHECK(west.north_nt == Approx(east.north_nt));
    CHECK(std::isfinite(magneticField({90, 0}, 0, 2025).declination_deg));
    CHECK(magneticField({90, 0}, 0, 2025).down_nt == Approx(magneticField({89.9999, 90}, 0, 2025).down_nt).margin(5));
    CHECK(isMagneticModelValid(2025));
    CHECK_FALSE(isMagneticModelValid(2031));
    CHECK_FALSE(isMagneticModelValid(2024.9));
}

TEST_CASE("the compiled coefficients are those of the published file", "[geo][magnetic]") {
    struct Row {
        int n, m;
        double g, h, g_rate, h_rate;
    };
    const Row compiled[] = {
#include "core/geo/WmmCoefficients.inc"
    };
    std::istringstream file(anhinga::testing::slurp(anhinga::testing::demo("../world/WMM2025.COF")));
    std::size_t i = 0;
    for (std::string line; std::getline(file, line);) {
        Row r{};
        std::istringstream numbers(line);
        if (!(numbers >> r.n >> r.m >> r.g >> r.h >> r.g_rate >> r.h_rate)) continue;
        REQUIRE(i < std::size(compiled));
        CHECK(compiled[i].n == r.n);
        CHECK(compiled[i].m == r.m);
        CHECK(compiled[i].g == r.g);
        CHECK(compiled[i].h == r.h);
        CHECK(compiled[i].g_rate == r.g_rate);
        CHECK(compiled[i].h_rate == r.h_rate);
        ++i;
    }
    CHECK(i == 90);
}

TEST_CASE("UTM goes there and back, also in a neighbouring zone and across the equator", "[geo][utm]") {
    const GeoPoint places[] = {{47.312, -20.118}, {-33.5, 151.25}, {0.0005, 9}, {-0.0005, 9}, {60.2, 5.1}, {79.9, 14}};
    for (const GeoPoint& p : places) {
        const auto own = utmOf(p);
        REQUIRE(own);
        CAPTURE(p.lat_deg, p.lon_deg, own->zone);
        CHECK(own->easting_m > 100e3);
        CHECK(own->easting_m < 900e3);
        const auto back = fromUtm(*own);
        REQUIRE(back);
        CHECK(distance_m(*back, p) < 0.01);
        // The grid of the zone beside goes on a little over its edge; so does that of the other hemisphere.
        if (std::abs(p.lat_deg) < 1) {
            const auto other = utmOf(p, own->zone, !own->north);
            REQUIRE(other);
            CHECK(std::abs(other->northing_m - own->northing_m) == Approx(10e6));
            const auto again = fromUtm(*other);
            REQUIRE(again);
            CHECK(distance_m(*again, p) < 0.01);
        }
    }
    // Two places 100 m apart on the ground are so in the numbers, but for the scale of the projection (0.1 %).
    const GeoPoint a{47.312, -20.118}, b = destination(a, 90, 100);
    const auto ua = utmOf(a), ub = utmOf(b, ua->zone, ua->north);
    CHECK(std::hypot(ub->easting_m - ua->easting_m, ub->northing_m - ua->northing_m) == Approx(100).margin(0.1));
    CHECK_FALSE(utmOf({NAN, 0}));
    CHECK_FALSE(utmOf({91, 0}));
    CHECK_FALSE(utmOf({10, 10}, 55, true));  // the other side of the earth
    CHECK_FALSE(fromUtm({27, true, NAN, 0}));
    CHECK_FALSE(fromUtm({99, true, 500e3, 5e6}));
    CHECK_FALSE(fromUtm({27, true, 9e9, 5e6}));
}

TEST_CASE("the unit square is the map's sheet and back", "[geo][mercator]") {
    const GeoPoint places[] = {{0, 0}, {47.31, -20.12}, {-84.9, 179.999}, {84.9, -180}, {1e-9, -1e-9}};
    for (const GeoPoint& p : places) {
        const UnitPoint m = toUnitSquare(p);
        CHECK((m.x >= 0 && m.x <= 1 && m.y >= 0 && m.y <= 1));
        const GeoPoint back = fromUnitSquare(m);
        CHECK(back.lat_deg == Approx(p.lat_deg).margin(1e-9));
        CHECK(std::abs(std::remainder(back.lon_deg - p.lon_deg, 360)) < 1e-9);
    }
    // The poles are held at the sheet's edge instead of running to infinity.
    CHECK(toUnitSquare({90, 0}).y >= 0);
    CHECK(toUnitSquare({-90, 0}).y <= 1);
    CHECK((UnitBox{0, 0, 1, 1}.meets({0.9, 0.9, 2, 2})));
    CHECK_FALSE((UnitBox{0, 0, 1, 1}.meets({1, 0, 2, 1})));  // edges alone do not count
}

TEST_CASE("the geoid has the heights its authors publish", "[geo][geoid]") {
    const auto geoid = Geoid::standard();
    REQUIRE(geoid != nullptr);
    // The test points of EGM96's own interpolation program, metres.
    const std::tuple<double, double, double> points[] = {
        {38.6281550, 269.7791550, -31.628}, {-14.6212170, 305.0211140, -2.969}, {46.8743190, 102.4487290, -43.575},
        {-23.6174460, 133.8747120, 15.871}, {38.6254730, 359.9995000, 50.066},  {-0.4667440, 0.0023000, 17.329}};
    for (const auto& [lat, lon, height] : points) {
        INFO(lat << ", " << lon);
        const auto h = geoid->height_m({lat, lon > 180 ? lon - 360 : lon});
        REQUIRE(h);
        CHECK(*h == Approx(height).margin(0.05));
    }
    // It has no seam, and ends at the poles.
    for (const double lat : {-60.0, -10.0, 33.0, 71.0})
        CHECK(*geoid->height_m({lat, 179.999999}) == Approx(*geoid->height_m({lat, -179.999999})).margin(1e-3));
    CHECK(geoid->height_m({90, 17}));
    CHECK(*geoid->height_m({-90, 17}) == Approx(-29.53).margin(0.1));
    CHECK_FALSE(geoid->height_m({91, 0}));
}

TEST_CASE("a geoid grid of one's own is read, and what is none is refused", "[geo][geoid][hostile]") {
    const auto real = [](double v) {
        std::string b(8, '\0');
        std::memcpy(b.data(), &v, 8);
        return std::string(b.rbegin(), b.rend());
    };
    const auto whole = [](std::uint32_t v) {
        return std::string{static_cast<char>(v >> 24), static_cast<char>(v >> 16), static_cast<char>(v >> 8),
                           static_cast<char>(v)};
    };
    const auto grid = [&](std::uint32_t rows, std::uint32_t columns) {
        std::string bytes = real(47) + real(-21) + real(0.5) + real(0.5) + whole(rows) + whole(columns);
        for (std::uint32_t r = 0; r < 5; ++r)
            for (std::uint32_t c = 0; c < 6; ++c) {
                const float v = 10 + 2 * static_cast<float>(r) + 3 * static_cast<float>(c);
                std::uint32_t bits = 0;
                std::memcpy(&bits, &v, 4);
                bytes += whole(bits);
            }
        return bytes;
    };
    const auto own = Geoid::read(grid(5, 6), "own");
    REQUIRE(own);
    // A plane stays one.
    CHECK(*(*own)->height_m({48, -20}) == Approx(10 + 2 * 2 + 3 * 2));
    CHECK(*(*own)->height_m({48.25, -19.75}) == Approx(10 + 2 * 2.5 + 3 * 2.5));
    CHECK_FALSE((*own)->height_m({46.9, -20}));
    CHECK_FALSE((*own)->height_m({48, -18}));
    CHECK_FALSE(Geoid::read(grid(500, 600), "cut"));
    CHECK_FALSE(Geoid::read(grid(0, 0), "empty"));
    CHECK_FALSE(Geoid::read("short", "short"));
    CHECK_FALSE(Geoid::open("/nowhere/at/all.gtx"));
    const std::string good = grid(5, 6);
    for (const std::string& bad : testing::damaged(good, 500, 3)) {
        const auto g = Geoid::read(bad, "bad");
        if (g) (void)(*g)->height_m({48, -20});
    }
}
