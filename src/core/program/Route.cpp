#include "core/program/Route.h"

#include <cmath>
#include <unordered_map>

namespace anhinga {

namespace {

/// Whether what a pattern is opened from, beside itself, is the same in both plans.
bool sameGround(const Plan& a, const Plan& b) {
    return a.home == b.home && a.camera == b.camera && a.defaults == b.defaults && a.fences == b.fences &&
           a.vehicle.climb_mps == b.vehicle.climb_mps && a.vehicle.descent_mps == b.vehicle.descent_mps;
}

/// What was chosen for the end, as legs of the last item.
void addEnding(const Plan& plan, Route& route) {
    if (!endsOpen(plan) || plan.at_end == AtEnd::unsaid) return;
    const RouteNav* last = nullptr;
    for (const RouteStep& step : route.steps)
        if (const auto* nav = std::get_if<RouteNav>(&step.what)) last = nav;
    const bool home = plan.at_end == AtEnd::returnAndLand || plan.at_end == AtEnd::returnAndWait;
    if (last == nullptr || (home && !plan.home)) return;
    RouteNav end = *last;
    end.spline = end.straight = false;
    end.hold_s = 0;
    if (home) {
        end.position = plan.home->position;
        end.height = Height::aboveHome(plan.return_height_m);
    }
    switch (plan.at_end) {
        case AtEnd::unsaid:
            return;
        case AtEnd::returnAndLand:
            end.kind = ItemKind::returnHome;
            break;
        case AtEnd::landThere:
            end.kind = ItemKind::land;
            break;
        case AtEnd::returnAndWait:
        case AtEnd::waitThere:
            if (last->kind != ItemKind::holdTurns || home) end.radius_m = 0;
            end.kind = ItemKind::hold;
            end.hold_s = INFINITY;
            break;
    }
    const ItemId source = plan.items.back().id;
    route.steps.push_back({source, end});
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
    addEnding(plan, route);
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
