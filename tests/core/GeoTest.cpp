#include <catch2/catch.hpp>

#include "core/geo/Geo.h"
#include "core/geo/Polygon.h"

using namespace anhinga;

TEST_CASE("a degree of latitude has the length the ellipsoid gives it", "[geo]") {
    // Meridian arc lengths of WGS-84 (Karney 2013): 110574.3 m at the equator, 111693.9 m at the pole.
    CHECK(distance_m({0, 0}, {1, 0}) == Approx(110574.3886).margin(0.01));
    CHECK(distance_m({89, 0}, {90, 0}) == Approx(111693.8646).margin(0.01));
    CHECK(distance_m({0, 0}, {0, 1}) == Approx(111319.4908).margin(0.01));
}

TEST_CASE("distances and bearings hold across the 180th meridian and at the poles", "[geo]") {
    CHECK(distance_m({10, 179.9995}, {10, -179.9995}) == Approx(109.6).margin(0.3));
    CHECK(bearing_deg({10, 179.9995}, {10, -179.9995}) == Approx(90).margin(0.01));
    CHECK(bearing_deg({0, 0}, {-1, 0}) == Approx(180));
    CHECK(distance_m({90, 0}, {90, 123}) == Approx(0).margin(1e-6));
}

TEST_CASE("going out and measuring back gives the same distance and bearing", "[geo]") {
    for (const GeoPoint from : {GeoPoint{47.31, -20.12}, GeoPoint{-33, 179.99}, GeoPoint{70, -180}, GeoPoint{0, 0}})
        for (const double bearing : {0.0, 45.0, 133.0, 270.0, 359.0}) {
            const GeoPoint to = destination(from, bearing, 1234.5);
            CHECK(distance_m(from, to) == Approx(1234.5).margin(1e-6));
            CHECK(std::abs(wrapAngle(bearing_deg(from, to) - bearing)) < 1e-6);
        }
}

TEST_CASE("the tangent plane agrees with the ellipsoid within 20 km and is exact there and back", "[geo]") {
    for (const GeoPoint origin :
         {GeoPoint{47.31, -20.12}, GeoPoint{-60, 179.95}, GeoPoint{89.99, 10}, GeoPoint{0, 0}}) {
        const LocalFrame frame(origin);
        for (const double d : {1.0, 300.0, 5000.0, 20000.0})
            for (const double b : {0.0, 60.0, 200.0, 300.0}) {
                const GeoPoint p = destination(origin, b, d);
                const Vec2 v = frame.toLocal(p);
                CHECK(length(v) == Approx(d).epsilon(5e-5));
                CHECK(distance_m(frame.toGeo(v), p) < 0.02);
            }
    }
}

TEST_CASE("points that are not places are told apart", "[geo]") {
    CHECK(isValid({-90, 180}));
    CHECK_FALSE(isValid({90.1, 0}));
    CHECK_FALSE(isValid({NAN, 0}));
    CHECK_FALSE(isValid({0, INFINITY}));
    CHECK(wrapLongitude(190) == Approx(-170));
    CHECK(wrapLongitude(180) == Approx(-180));
    CHECK(wrapAngle(-180) == Approx(180));
}

TEST_CASE("a ring knows inside from outside, also where it is concave", "[geo][polygon]") {
    const Ring u{{0, 0}, {30, 0}, {30, 30}, {20, 30}, {20, 10}, {10, 10}, {10, 30}, {0, 30}};
    CHECK(contains(u, {5, 20}));
    CHECK(contains(u, {25, 20}));
    CHECK_FALSE(contains(u, {15, 20}));
    CHECK_FALSE(contains(u, {40, 5}));
    CHECK_FALSE(contains({}, {0, 0}));
    CHECK(area_m2(u) == Approx(700));
    CHECK_FALSE(selfCrossing(u));
    CHECK(selfCrossing({{0, 0}, {10, 10}, {10, 0}, {0, 10}}));
    CHECK(selfCrossing({{0, 0}, {10, 0}, {20, 0}}));
    CHECK(selfCrossing({{0, 0}, {10, 0}}));
}

TEST_CASE("a segment meets a ring where it should", "[geo][polygon]") {
    const Ring square{{0, 0}, {10, 0}, {10, 10}, {0, 10}};
    const auto cuts = crossings(square, {-5, 5}, {15, 5});
    REQUIRE(cuts.size() == 2);
    CHECK(cuts[0] == Approx(0.25));
    CHECK(cuts[1] == Approx(0.75));
    CHECK(crossings(square, {2, 2}, {8, 8}).empty());
    CHECK(distanceToSegment({5, 3}, {0, 0}, {10, 0}).distance_m == Approx(3));
    CHECK(distanceToSegment({-3, 4}, {0, 0}, {10, 0}).distance_m == Approx(5));
    CHECK(distanceToSegment({1, 1}, {0, 0}, {0, 0}).distance_m == Approx(std::sqrt(2)));
}

TEST_CASE("the middle of an outline across the 180th meridian lies on it", "[geo][polygon]") {
    const GeoPoint middle = middleOf({{10, 179.9}, {10, -179.9}, {11, 180}});
    CHECK(std::abs(std::abs(middle.lon_deg) - 180) < 1e-9);
    CHECK(middle.lat_deg == Approx(10.5));
}
