#include "core/check/Detour.h"
#include "core/check/Rules.h"
#include "core/program/FenceField.h"

namespace anhinga::rules {

namespace {

constexpr double kAside_m = 12;  // kept from the fence by a way around: corner cuts and gusts need some room

/// Waypoints around a keep-out area for the leg, where that is safe: over known terrain with the plan's margin and
/// without breaking another fence.
std::vector<Correction> goAround(const CheckInput& in, const FenceField& fences, const Fence& fence,
                                 const PathLeg& leg) {
    const Item* to = in.find(leg.source);
    if (to == nullptr || fence.kind != FenceKind::keepOut || leg.climb || leg.repeat || leg.way_home || leg.curve ||
        !hasPosition(to->kind))
        return {};
    const Path& path = in.view.path;
    const PathPoint &a = path.points[leg.from], &b = path.points[leg.to];
    if (!a.amsl_m || !b.amsl_m) return {};
    const Vec2 from = path.frame.toLocal(a.position), end = path.frame.toLocal(b.position);
    const Ring ring = toLocal(
        path.frame, fence.isCircle() ? circleOutline(fence.outline.front(), fence.radius_m, 24) : fence.outline);
    const auto way = wayAround(ring, from, end, kAside_m);
    if (!way || way->empty() || way->size() > 20) return {};
    Height height = effectiveHeight(in.plan, *to);
    const double amsl = std::max(*a.amsl_m, *b.amsl_m);
    if (height.ref == HeightRef::home) height.value_m += amsl - *b.amsl_m;
    if (height.ref != HeightRef::home) height = Height::amsl(amsl);
    std::vector<Vec2> whole{from};
    whole.insert(whole.end(), way->begin(), way->end());
    whole.push_back(end);
    for (std::size_t i = 1; i < whole.size(); ++i) {
        const int n = 1 + static_cast<int>(length(whole[i] - whole[i - 1]) / 5);
        for (int k = 0; k <= n; ++k) {
            const Vec2 p = whole[i - 1] + (whole[i] - whole[i - 1]) * (static_cast<double>(k) / n);
            const auto ground = in.terrain != nullptr ? in.terrain->sample(path.frame.toGeo(p)) : std::nullopt;
            const double at = k == 0 && i == 1 ? *a.amsl_m : i + 1 == whole.size() && k == n ? *b.amsl_m : amsl;
            if (!ground || at - *ground < in.plan.clearance_margin_m) return {};
            for (std::size_t other = 0; other < fences.size(); ++other)
                if (!fences.allows(other, p)) return {};
        }
    }
    std::vector<GeoPoint> places;
    for (const Vec2& p : *way) places.push_back(path.frame.toGeo(p));
    return {
        {fmt::format("Go around it by {} waypoints", places.size()), [places, height, before = leg.source](Plan& plan) {
             const int at = plan.indexOf(before);
             if (at < 0) return;
             // Applied twice it must not go around twice.
             if (at > 0 && plan.items[static_cast<std::size_t>(at) - 1].position == places.back()) return;
             std::vector<Item> items;
             for (const GeoPoint& p : places) {
                 Item item;
                 item.id = plan.newId();
                 item.position = p;
                 item.height = height;
                 item.section = plan.items[static_cast<std::size_t>(at)].section;
                 items.push_back(item);
             }
             plan.items.insert(plan.items.begin() + at, items.begin(), items.end());
         }}};
}

}  // namespace

void fenceCrossing(const CheckInput& in, Out& out) {
    const Path& path = in.view.path;
    if (path.line.empty() || in.plan.fences.empty()) return;
    const FenceField fences(in.plan.fences, path.frame);
    for (std::size_t n = 0; n < fences.size(); ++n) {
        const Fence& fence = in.plan.fences[fences.source(n)];
        const bool keep_in = fence.kind == FenceKind::keepIn;
        ItemId said = 0;
        for (const PathLeg& leg : path.legs) {
            if (leg.source == said || leg.line_from >= leg.line_to) continue;
            const auto where = fences.breach(n, path, leg);
            if (!where) continue;
            said = leg.source;
            std::string what = leg.climb      ? "the climb or descent at " + in.text(leg.source)
                               : leg.way_home ? "the way home"
                                              : "the way to " + in.text(leg.source);
            if (leg.repeat) what = "the repeat leg from " + in.text(leg.source);
            out.push_back({Severity::stop, "fence-crossing", leg.source,
                           fmt::format("{} {} {}", what, keep_in ? "leaves" : "enters", fenceName(fence)),
                           path.frame.toGeo(*where), goAround(in, fences, fence, leg)});
        }
    }
}

}  // namespace anhinga::rules
