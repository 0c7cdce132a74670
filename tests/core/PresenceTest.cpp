// Presence: entered when and for how long, how near, and what cannot be known.
#include <catch2/catch.hpp>

#include "core/geo/Geo.h"
#include "core/review/Presence.h"
#include "support.h"

using namespace anhinga;
using namespace anhinga::testing;

namespace {

const GeoPoint kOrigin{47.3, -20.1};

/// Straight from `from` to `to` in metres east and north of the origin, at 10 m/s, a position every `every_s`.
void fly(FlightLog& log, double& t, Vec2 from, Vec2 to, double every_s = 0.2, double height_m = 50) {
    const LocalFrame frame(kOrigin);
    const double seconds = length(to - from) / 10;
    for (double s = 0; s <= seconds + 1e-9; s += every_s, t += every_s) {
        const GeoPoint g = frame.toGeo(from + (to - from) * (s / seconds));
        log.channel("position.lat_deg", "deg").add(t, g.lat_deg);
        log.channel("position.lon_deg", "deg").add(t, g.lon_deg);
        log.channel("position.height_home_m", "m").add(t, height_m);
    }
}
GeoPoint at(double east, double north) {
    return LocalFrame(kOrigin).toGeo({east, north});
}
PresencePlace square(double half_m) {
    PresencePlace p;
    p.outline = {at(-half_m, -half_m), at(half_m, -half_m), at(half_m, half_m), at(-half_m, half_m)};
    return p;
}

}  // namespace

TEST_CASE("a flight through an area is entered and left at the times it crossed the edges", "[review][presence]") {
    FlightLog log;
    double t = 0;
    fly(log, t, {-100, 0}, {100, 0});
    const auto p = presence(log, square(30));
    REQUIRE(p);
    CHECK(p->entered);
    REQUIRE(p->visits.size() == 1);
    CHECK(p->visits[0].enter_s == Approx(7).margin(0.01));
    CHECK(p->visits[0].leave_s == Approx(13).margin(0.01));
    CHECK(p->inside_s == Approx(6).margin(0.02));
    CHECK(p->nearest_m == 0);
    CHECK(p->nearest_t_s == Approx(7).margin(0.01));
    CHECK(*p->height_home_m == 50);
    CHECK(p->visits[0].lowest_m == 50);
    CHECK(p->unknown.empty());
    CHECK(p->position_every_s == Approx(0.2));
    // Within a hole it is not inside: two visits.
    PresencePlace ring = square(30);
    ring.holes = {{at(-10, -10), at(10, -10), at(10, 10), at(-10, 10)}};
    CHECK(presence(log, ring)->visits.size() == 2);
    CHECK(presence(log, ring)->inside_s == Approx(4).margin(0.02));
    PresencePlace circle;
    circle.centre = at(0, 20);
    circle.radius_m = 25;
    const auto c = presence(log, circle);
    REQUIRE(c->visits.size() == 1);
    CHECK(c->inside_s == Approx(3).margin(0.02));  // a chord of 30 m
}

TEST_CASE("a flight that passed by says how near and when, at what height", "[review][presence]") {
    FlightLog log;
    double t = 0;
    fly(log, t, {-100, 42}, {100, 42}, 2.0, 75);  // coarse: the nearest place lies between positions
    const auto p = presence(log, square(30));
    REQUIRE(p);
    CHECK_FALSE(p->entered);
    CHECK(p->visits.empty());
    CHECK(p->nearest_m == Approx(12).margin(0.05));
    CHECK(p->nearest_t_s == Approx(10).margin(3.1));
    CHECK(*p->height_home_m == 75);
    // A corner cut by a straight way between two positions counts.
    FlightLog corner;
    t = 0;
    fly(corner, t, {-60, 0}, {0, 62}, 4.0);
    CHECK(presence(corner, square(32))->entered);
}

TEST_CASE("what was not recorded is not held to be absence", "[review][presence]") {
    FlightLog log;
    double t = 0;
    fly(log, t, {-200, 0}, {-100, 0});
    t += 20;
    fly(log, t, {-100, 5}, {-200, 5});
    const auto p = presence(log, square(30));
    REQUIRE(p);
    CHECK_FALSE(p->entered);
    REQUIRE(p->unknown.size() == 1);
    CHECK(p->unknown[0].to_s - p->unknown[0].from_s == Approx(20).margin(0.5));
    // Too short a gap to get there and back at any speed.
    CHECK(presence(log, square(30), 5, 5)->unknown.empty());
    // A log that begins or ends inside says so.
    FlightLog within;
    t = 0;
    fly(within, t, {-10, 0}, {10, 0});
    const auto w = presence(within, square(30));
    REQUIRE(w->visits.size() == 1);
    CHECK(w->visits[0].from_begin);
    CHECK(w->visits[0].to_end);
    CHECK_FALSE(presence(FlightLog(), square(30)));
}

TEST_CASE("presence holds across the 180th meridian and in the south", "[review][presence]") {
    const GeoPoint origin{-41.2, 180};
    const LocalFrame frame(origin);
    FlightLog log;
    for (int i = 0; i <= 100; ++i) {
        const GeoPoint g = frame.toGeo({-100.0 + 2 * i, 0});
        log.channel("position.lat_deg", "deg").add(i, g.lat_deg);
        log.channel("position.lon_deg", "deg").add(i, g.lon_deg);
    }
    PresencePlace place;
    place.outline = {frame.toGeo({-20, -20}), frame.toGeo({20, -20}), frame.toGeo({20, 20}), frame.toGeo({-20, 20})};
    const auto p = presence(log, place);
    REQUIRE(p);
    REQUIRE(p->visits.size() == 1);
    CHECK(p->visits[0].enter_s == Approx(40).margin(0.05));
    CHECK(p->visits[0].leave_s == Approx(60).margin(0.05));
    CHECK_FALSE(p->height_home_m);
}

TEST_CASE("a flight that comes back has a visit each time, in order, with its heights", "[review][presence]") {
    FlightLog log;
    double t = 0;
    fly(log, t, {-100, 0}, {100, 0}, 0.2, 40);
    fly(log, t, {100, 10}, {-100, 10}, 0.2, 60);
    fly(log, t, {-100, -10}, {100, -10}, 0.2, 80);
    const auto p = presence(log, square(30));
    REQUIRE(p);
    REQUIRE(p->visits.size() == 3);
    double total = 0, before = 0;
    for (std::size_t i = 0; i < 3; ++i) {
        const PresenceVisit& v = p->visits[i];
        CHECK(v.enter_s > before);
        CHECK(v.leave_s > v.enter_s);
        CHECK(v.lowest_m == 40 + 20.0 * static_cast<double>(i));
        CHECK(v.highest_m == v.lowest_m);
        CHECK_FALSE(v.from_begin);
        CHECK_FALSE(v.to_end);
        before = v.leave_s;
        total += v.leave_s - v.enter_s;
    }
    CHECK(p->inside_s == Approx(total));
    CHECK(total == Approx(18).margin(0.1));
    CHECK(*p->height_home_m == 40);
    // An area far away was not entered by any of them.
    PresencePlace elsewhere;
    elsewhere.centre = at(5000, 5000);
    elsewhere.radius_m = 100;
    CHECK_FALSE(presence(log, elsewhere)->entered);
    CHECK(presence(log, elsewhere)->nearest_m > 6500);
}
