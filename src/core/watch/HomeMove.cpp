#include "core/base/Text.h"
#include "core/check/Check.h"
#include "core/pattern/Heights.h"
#include "core/watch/AutoChecks.h"

namespace anhinga {

namespace {
std::optional<double> firstLeg_m(const Plan& plan, const PlanView& view) {
    if (!plan.home) return std::nullopt;
    for (const RouteStep& step : view.route.steps) {
        const auto* nav = std::get_if<RouteNav>(&step.what);
        if (nav != nullptr && nav->kind != ItemKind::takeOff) return distance_m(plan.home->position, nav->position);
    }
    return std::nullopt;
}
const char* compassPoint(double bearing) {
    constexpr const char* kPoints[] = {"north", "north-east", "east", "south-east",
                                       "south", "south-west", "west", "north-west"};
    return kPoints[static_cast<int>(std::lround(bearing / 45)) % 8];
}
}  // namespace

Plan withMeasuredHome(const Plan& plan, const VehicleSnapshot& v) {
    Plan moved = plan;
    if (v.home) moved.home = Home{*v.home, v.home_amsl_m};
    if (v.home_amsl_m) moved.heights_set_at_amsl_m = v.home_amsl_m;
    return moved;
}

std::optional<HomeMove> homeMove(const Plan& plan, const Terrain* terrain, const VehicleSnapshot& v) {
    if (!plan.home || !v.home) return std::nullopt;
    HomeMove move;
    move.distance_m = distance_m(plan.home->position, *v.home);
    move.bearing_deg = bearing_deg(plan.home->position, *v.home);
    const auto planned_amsl = homeAmsl(plan, terrain);
    if (planned_amsl && v.home_amsl_m) move.higher_m = *v.home_amsl_m - *planned_amsl;
    const Plan moved = withMeasuredHome(plan, v);
    const PlanView before = viewOf(plan, terrain), after = viewOf(moved, terrain);
    move.first_leg_planned_m = firstLeg_m(plan, before).value_or(0);
    move.first_leg_m = firstLeg_m(moved, after).value_or(0);
    move.clearance_planned_m = before.clearance.lowest_m;
    move.clearance_m = after.clearance.lowest_m;
    return move;
}

std::string homeMoveText(const HomeMove& move) {
    std::string text = move.distance_m < 1 ? "At the planned home"
                                           : fmt::format("{} {} of the planned home", distanceText(move.distance_m),
                                                         compassPoint(move.bearing_deg));
    if (!move.higher_m)
        text += "; its height is unknown";
    else
        text += fmt::format(", {:.1f} m {}: every height above home is flown {:.1f} m {} over the sea",
                            std::abs(*move.higher_m), *move.higher_m >= 0 ? "higher" : "lower",
                            std::abs(*move.higher_m), *move.higher_m >= 0 ? "higher" : "lower");
    text += fmt::format(". First leg {} (planned {})", distanceText(move.first_leg_m),
                        distanceText(move.first_leg_planned_m));
    const auto metres = [](std::optional<double> m) {
        return m ? fmt::format("{:.0f} m", *m) : std::string("unknown");
    };
    return text + fmt::format(". Lowest clearance {} (planned {}).", metres(move.clearance_m),
                              metres(move.clearance_planned_m));
}

}  // namespace anhinga
