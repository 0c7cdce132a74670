#include "core/check/Rules.h"

namespace anhinga::rules {

void firstWaypointFar(const CheckInput& in, Out& out) {
    if (!in.plan.home) return;
    for (const RouteStep& step : in.view.route.steps) {
        const auto* nav = std::get_if<RouteNav>(&step.what);
        if (nav == nullptr || nav->kind == ItemKind::takeOff) continue;
        const double d = distance_m(in.plan.home->position, nav->position);
        if (d > in.plan.traits.first_waypoint_max_m)
            out.push_back({Severity::stop,
                           "first-waypoint-far",
                           step.source,
                           fmt::format("{} is {} from home; the autopilot starts only within {}", in.text(step.source),
                                       distanceText(d), distanceText(in.plan.traits.first_waypoint_max_m)),
                           nav->position,
                           {}});
        return;
    }
}

}  // namespace anhinga::rules
