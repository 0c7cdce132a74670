#include "core/mission/Route.h"

#include <utility>

#include "core/pattern/BlockPattern.h"

namespace anhinga {

Route expand(const Plan& plan, const Terrain* terrain) {
    Route route;
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
                     item.radius_m};
        if (item.kind == ItemKind::block) {
            const BlockLines lines = blockLines(plan, item, terrain);
            route.block_area_m2 += lines.area_m2;
            route.block_photos += lines.photos;
            nav.kind = ItemKind::waypoint;
            bool first = true;
            for (const auto& [from, to] : lines.lines) {
                nav.position = from;
                route.steps.push_back({item.id, nav});
                if (std::exchange(first, false)) route.steps.push_back({item.id, Action{GimbalPitch{-90}}});
                route.steps.push_back({item.id, Action{PhotoEvery{lines.photo_spacing_m}}});
                nav.position = to;
                route.steps.push_back({item.id, nav});
                route.steps.push_back({item.id, Action{PhotoEvery{0}}});
            }
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

std::optional<double> homeAmsl(const Plan& plan, const Terrain* terrain) {
    if (!plan.home) return std::nullopt;
    if (plan.home->amsl_m) return plan.home->amsl_m;
    return terrain != nullptr ? terrain->sample(plan.home->position) : std::nullopt;
}

std::optional<double> amslOf(const Plan& plan, const Terrain* terrain, GeoPoint place, Height height) {
    std::optional<double> base = 0.0;
    if (height.ref == HeightRef::home) base = homeAmsl(plan, terrain);
    if (height.ref == HeightRef::ground) base = terrain != nullptr ? terrain->sample(place) : std::nullopt;
    return base ? std::optional(*base + height.value_m) : std::nullopt;
}

std::optional<Height> converted(const Plan& plan, const Terrain* terrain, GeoPoint place, Height height, HeightRef to) {
    if (height.ref == to) return height;
    const auto amsl = amslOf(plan, terrain, place, height);
    const auto zero = amslOf(plan, terrain, place, {0, to});
    if (!amsl || !zero) return std::nullopt;
    return Height{*amsl - *zero, to};
}

}  // namespace anhinga
