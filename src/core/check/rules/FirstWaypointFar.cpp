#include "core/check/Rules.h"

namespace anhinga::rules {

void firstWaypointFar(const CheckInput& in, Out& out) {
    if (!in.plan.home) return;
    for (const RouteStep& step : in.view.route.steps) {
        const auto* nav = std::get_if<RouteNav>(&step.what);
        if (nav == nullptr || nav->kind == ItemKind::takeOff) continue;
        const double d = distance_m(in.plan.home->position, nav->position);
        const double most = in.plan.traits.first_waypoint_max_m;
        if (d > most) {
            // A point on the same straight way changes nothing but where the autopilot first goes.
            Item on_the_way;
            on_the_way.position =
                destination(in.plan.home->position, bearing_deg(in.plan.home->position, nav->position), most * 0.9);
            on_the_way.height = nav->height;
            if (nav->height.ref == HeightRef::ground)
                if (const auto amsl = amslOf(in.plan, in.terrain, nav->position, nav->height))
                    on_the_way.height = Height::amsl(*amsl);
            out.push_back({Severity::stop,
                           "first-waypoint-far",
                           step.source,
                           fmt::format("{} is {} from home; the autopilot starts only within {}", in.text(step.source),
                                       distanceText(d), distanceText(most)),
                           nav->position,
                           {{"Add a waypoint on the way", [on_the_way, before = step.source](Plan& plan) {
                                 const int at = plan.indexOf(before);
                                 if (at < 0) return;
                                 if (at > 0 &&
                                     plan.items[static_cast<std::size_t>(at) - 1].position == on_the_way.position)
                                     return;
                                 Item item = on_the_way;
                                 item.id = plan.newId();
                                 plan.items.insert(plan.items.begin() + at, item);
                             }}}});
        }
        return;
    }
}

}  // namespace anhinga::rules
