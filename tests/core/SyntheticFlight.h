// Seeded flights with every sensor aboard and what can be wrong with them.
#pragma once

#include "Planned.h"
#include "core/flight/Rehearse.h"
#include "standin/SensorSuite.h"
#include "support.h"

namespace anhinga::testing {

/// Up, a zigzag, half a minute of holding, a climb, back: about two and a half minutes, different for each seed.
inline Plan healthPlan(unsigned seed) {
    std::mt19937 random(seed);
    std::uniform_real_distribution<double> bearing(0, 360), leg(60, 110), height(20, 45);
    Plan plan = rowPlan(0);
    plan.items.front().height = Height::aboveHome(height(random));
    const Item back = plan.items.back();
    plan.items.pop_back();
    GeoPoint at = plan.home->position;
    double course = bearing(random);
    for (int i = 0; i < 5; ++i) {
        Item w;
        w.id = plan.newId();
        at = destination(at, course, leg(random));
        course += i % 2 == 0 ? 80 : -60;
        w.position = at;
        w.height = Height::aboveHome(height(random));
        if (i == 2) {
            w.kind = ItemKind::hold;
            w.hold_s = 30;
        }
        plan.items.push_back(w);
    }
    plan.items.push_back(back);
    return plan;
}

/// A flight of healthPlan(seed) with these faults.
inline FlightLog syntheticFlight(unsigned seed, const SensorFaults& faults = {}) {
    const Plan plan = healthPlan(seed);
    RehearseOptions options;
    options.wind.from_deg = seed * 37 % 360;
    options.wind.speed_mps = 1 + seed % 4;
    const auto flown = rehearse(plan, programIn(plan), nullptr, options);
    REQUIRE(flown);
    REQUIRE(flown->landed);
    return withSensors(*flown->log, plan.vehicle, faults, seed);
}

}  // namespace anhinga::testing
