#include "core/mission/Route.h"

#include <map>
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
                     item.hold_s};
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

namespace {

struct PathBuilder {
    const Plan& plan;
    const Terrain* terrain;
    Path path;

    std::size_t add(GeoPoint position, std::optional<double> amsl, ItemId source) {
        path.points.push_back({position, amsl, source, path.length_m});
        return path.points.size() - 1;
    }
    /// A new point and the leg from the last one to it.
    void go(GeoPoint position, std::optional<double> amsl, ItemId source, bool climb, bool way_home = false) {
        const std::size_t from = path.points.size() - 1;
        path.length_m += climb ? 0 : distance_m(path.points[from].position, position);
        const std::size_t to = add(position, amsl, source);
        path.legs.push_back({.from = from, .to = to, .climb = climb, .way_home = way_home, .source = source});
    }
};

std::optional<double> higher(std::optional<double> a, std::optional<double> b) {
    return a && b ? std::optional(std::max(*a, *b)) : std::nullopt;
}

}  // namespace

Path pathOf(const Plan& plan, const Route& route, const Terrain* terrain) {
    PathBuilder b{plan, terrain, {}};
    const auto ground = homeAmsl(plan, terrain);
    std::map<ItemId, std::size_t> first_point, last_point;
    if (plan.home) b.add(plan.home->position, ground, kHomeId);
    for (const RouteStep& step : route.steps) {
        const auto* nav = std::get_if<RouteNav>(&step.what);
        if (nav == nullptr) continue;
        const bool started = !b.path.points.empty();
        const auto here = started ? b.path.points.back() : PathPoint{};
        if (nav->kind == ItemKind::takeOff) {
            if (!started) continue;
            b.go(here.position, amslOf(plan, terrain, here.position, nav->height), step.source, true);
        } else if (nav->kind == ItemKind::returnHome) {
            if (!started || !plan.home) continue;
            const auto height = higher(here.amsl_m, amslOf(plan, terrain, plan.home->position, nav->height));
            if (height != here.amsl_m) b.go(here.position, height, step.source, true);
            b.go(plan.home->position, height, step.source, false, true);
            b.go(plan.home->position, ground, step.source, true);
        } else {
            const auto amsl = amslOf(plan, terrain, nav->position, nav->height);
            if (!started) {
                b.add(nav->position, amsl, step.source);
            } else {
                // Without a take-off item the first move is still up to the first item's height, then across.
                if (here.source == kHomeId && b.path.points.size() == 1) b.go(here.position, amsl, step.source, true);
                b.go(nav->position, amsl, step.source, false);
            }
            if (nav->kind == ItemKind::land)
                b.go(nav->position, terrain != nullptr ? terrain->sample(nav->position) : std::nullopt, step.source,
                     true);
        }
        if (b.path.points.empty()) continue;
        first_point.try_emplace(step.source, b.path.points.size() - 1);
        last_point[step.source] = b.path.points.size() - 1;
    }
    for (const RouteStep& step : route.steps) {
        const auto* action = std::get_if<Action>(&step.what);
        const auto* repeat = action != nullptr ? std::get_if<Repeat>(action) : nullptr;
        if (repeat == nullptr || repeat->count == 0) continue;
        const auto from = last_point.find(step.source);
        const auto to = first_point.find(repeat->target);
        if (from == last_point.end() || to == first_point.end() || from->second == to->second) continue;
        b.path.legs.push_back({.from = from->second, .to = to->second, .repeat = true, .source = step.source});
    }
    return b.path;
}

}  // namespace anhinga
