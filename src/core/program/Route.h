// Plan -> Route: every pattern opened up into the points that are flown, in the order of the itinerary (repeats not
// unrolled).
#pragma once

#include <variant>
#include <vector>

#include "core/pattern/Heights.h"
#include "core/pattern/Pattern.h"
#include "core/plan/Plan.h"
#include "core/terrain/Terrain.h"

namespace anhinga {

struct RouteNav {
    ItemKind kind = ItemKind::waypoint;
    GeoPoint position;
    Height height;
    double speed_mps = 0, acceptance_m = 0, hold_s = 0;  // hold_s infinite: for ever
    bool spline = false;
    double turns = 0, radius_m = 0;  // kind holdTurns
    bool straight = false;           // does not follow the ground on the way here
};

struct RouteStep {
    ItemId source = 0;
    std::variant<RouteNav, Action> what;
};

struct Route {
    std::vector<RouteStep> steps;
    std::vector<OpenedPattern> patterns;  // in itinerary order
    double area_m2 = 0;                   // of all patterns
    std::size_t photos = 0;

    const PatternFlight* flightOf(ItemId id) const;
};

/// With what the plan says of its end.
Route expand(const Plan& plan, const Terrain* terrain);
/// The same, quicker: patterns that would be opened from the same (`plan_before`, over the same terrain) are taken from
/// `before`.
Route expand(const Plan& plan, const Terrain* terrain, const Plan& plan_before, const Route& before);

}  // namespace anhinga
