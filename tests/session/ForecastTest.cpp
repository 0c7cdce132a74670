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
    INFO("rehearsed " << rehearsed);
    r.handOver();
    r.start();
    double least = 1000, most = -1000, rate = 0, before = -1, before_s = 0;
    REQUIRE(until(120000, [&] {
        if (const auto& p = r.field.progress(); p && p->battery_at_landing) {
            const double now = *p->battery_at_landing;
            least = std::min(least, now);
            most = std::max(most, now);
            const double now_s = r.link.vehicle().boot_s.value_or(0);
            // As quick as it changes in flight time, however seldom it is looked at.
            if (before >= 0 && now_s > before_s)
                rate = std::max(rate, std::abs(now - before) / std::max(1.0, now_s - before_s));
            before = now;
            before_s = now_s;
        }
        return r.field.landed();
    }));
    CAPTURE(least, most, rate);
    CHECK(most - least < 3);
    CHECK(rate < 0.4);  // percent a second
    CHECK(*r.link.vehicle().battery_percent == Approx(before).margin(2));
}
