#include "core/check/Rules.h"
#include "core/geo/Polygon.h"

namespace anhinga::rules {

namespace {

/// Waypoints that change nothing: on the straight line between their neighbours, in place and height, with nothing of
/// their own to do.
std::vector<ItemId> idle(const CheckInput& in) {
    std::unordered_map<ItemId, bool> targets;
    for (const Item& i : in.plan.items)
        for (const Action& a : i.actions)
            if (const auto* r = std::get_if<Repeat>(&a)) targets[r->target] = true;
    std::vector<ItemId> ids;
    const auto& items = in.plan.items;
    std::size_t before = 0;  // the last that stays
    for (std::size_t k = 1; k + 1 < items.size(); ++k) {
        const Item &a = items[before], &b = items[k], &c = items[k + 1];
        const auto plain = [](const Item& i) { return i.kind == ItemKind::waypoint && !i.spline; };
        before = k;
        if (!plain(a) || !plain(b) || !plain(c) || !b.actions.empty() || !b.name.empty() || b.speed_mps ||
            targets.contains(b.id))
            continue;
        const Height ha = effectiveHeight(in.plan, a), hb = effectiveHeight(in.plan, b),
                     hc = effectiveHeight(in.plan, c);
        if (ha.ref != hb.ref || hb.ref != hc.ref || hb.ref == HeightRef::ground) continue;
        const LocalFrame frame(a.position);
        const auto d = distanceToSegment(frame.toLocal(b.position), {}, frame.toLocal(c.position));
        const double wanted = ha.value_m + (hc.value_m - ha.value_m) * d.along;
        if (d.distance_m > 0.3 || std::abs(wanted - hb.value_m) > 0.3) continue;
        ids.push_back(b.id);
        before = static_cast<std::size_t>(&a - items.data());
    }
    return ids;
}

}  // namespace

void itemLimit(const CheckInput& in, Out& out) {
    // Without a mission (a repeat without target) the route's own length says it: home and one item a step.
    const auto n = static_cast<int>(in.view.program.entries());
    const int limit = in.plan.traits.item_limit;
    if (n <= limit || in.in_sorties) return;
    Finding f{
        Severity::stop, "item-limit", 0, fmt::format("{} mission items; the autopilot holds {}", n, limit), {}, {}};
    const std::vector<ItemId> ids = idle(in);
    if (n - static_cast<int>(ids.size()) <= limit)
        f.corrections.push_back(
            {fmt::format("Remove {} waypoints that lie on a straight line", ids.size()), [ids](Plan& p) {
                 std::erase_if(p.items,
                               [&](const Item& i) { return std::find(ids.begin(), ids.end(), i.id) != ids.end(); });
             }});
    f.corrections.push_back({.text = "Cut into sorties", .apply = {}, .cut_into_sorties = true});
    out.push_back(std::move(f));
}

}  // namespace anhinga::rules
