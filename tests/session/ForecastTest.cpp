// What is expected to be left at landing, while a flight as rehearsed goes on in calm air.
#include <catch2/catch.hpp>

#include "session/FieldRig.h"

using namespace anhinga;
using namespace anhinga::testing;

TEST_CASE("the battery forecast of a calm flight stays where it was rehearsed", "[session][field][forecast]") {
    // Small enough for the flight to use most of it.
    StandInOptions options = standInAt({47.31, -20.12}, 0, 20);
    options.vehicle.battery_wh = 45;
    Rig r(options, 24);
    REQUIRE(r.plan.edit("battery", [](Plan& p) { p.vehicle.battery_wh = 45; }));
    REQUIRE(r.plan.waitUntilDerived(5000));
    const double rehearsed = r.plan.derived()->rehearsal->energy_left_percent;
    r.handOver();
    r.start();
    double least = 1000, most = -1000, last = -1;
    REQUIRE(until(120000, [&] {
        if (const auto& p = r.field.progress(); p && p->battery_at_landing) {
            last = *p->battery_at_landing;
            least = std::min(least, last);
            most = std::max(most, last);
        }
        return r.field.landed();
    }));
    CAPTURE(rehearsed, least, most);
    CHECK(most < rehearsed + 2);
    CHECK(least > rehearsed - 2);
    CHECK(*r.link.vehicle().battery_percent == Approx(last).margin(2));
}
