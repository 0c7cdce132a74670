#include "core/program/Route.h"

#include <unordered_map>

namespace anhinga {

namespace {

/// Whether what a pattern is opened from, beside itself, is the same in both plans.
bool sameGround(const Plan& a, const Plan& b) {
    return a.home == b.home && a.camera == b.camera && a.defaults == b.defaults && a.fences == b.fences &&
           a.vehicle.climb_mps == b.vehicle.climb_mps && a.vehicle.descent_mps == b.vehicle.descent_mps;
}

Route compute(const Plan& plan, const Terrain* terrain, const Route* before) {
    std::unordered_map<ItemId, const OpenedPattern*> known;
    if (before != nullptr)
        for (const OpenedPattern& o : before->patterns) known[o.item.id] = &o;
    Route route;
    route.steps.reserve(plan.items.size() + 16);
    for (const Item& item : plan.items) {
        const Height height = effectiveHeight(plan, item);
        RouteNav nav{item.kind,
                     item.position,
                     height,
                     effectiveSpeed(plan, item),
                     item.acceptance_m.value_or(plan.defaults.acceptance_m),
                     effectiveHold_s(plan, item),
                     item.kind == ItemKind::waypoint && item.spline,
                     item.turns,
                     item.radius_m,
                     item.straight};
        if (isPattern(item.kind)) {
            const auto at = known.find(item.id);
            OpenedPattern opened{item, nullptr};
            if (at != known.end() && at->second->item == item)
                opened.flight = at->second->flight;
            else
                opened.flight = std::make_shared<const PatternFlight>(openPattern(plan, item, terrain));
            route.area_m2 += opened.flight->area_m2;
            route.photos += opened.flight->photos.size();
            nav.kind = ItemKind::waypoint;
            nav.spline = nav.straight = false;
            for (const PatternPoint& point : opened.flight->points) {
                nav.position = point.place;
                nav.height = point.height;
                route.steps.push_back({item.id, nav});
                for (const Action& action : point.actions) route.steps.push_back({item.id, action});
            }
            route.patterns.push_back(std::move(opened));
        } else {
            if (item.kind == ItemKind::takeOff || item.kind == ItemKind::returnHome)
                nav.position = plan.home ? plan.home->position : GeoPoint{};
            if (item.kind == ItemKind::returnHome) nav.height = Height::aboveHome(plan.return_height_m);
            route.steps.push_back({item.id, nav});
        }
        for (const Action& action : item.actions) route.steps.push_back({item.id, action});
    }
    return route;
}

}  // namespace

const PatternFlight* Route::flightOf(ItemId id) const {
    for (const OpenedPattern& o : patterns)
        if (o.item.id == id) return o.flight.get();
    return nullptr;
}

Route expand(const Plan& plan, const Terrain* terrain) {
    return compute(plan, terrain, nullptr);
}

Route expand(const Plan& plan, const Terrain* terrain, const Plan& plan_before, const Route& before) {
    return compute(plan, terrain, sameGround(plan, plan_before) ? &before : nullptr);
}

}  // namespace anhinga
