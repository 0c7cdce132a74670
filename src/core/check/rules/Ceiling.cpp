#include "core/check/Rules.h"

namespace anhinga::rules {

namespace {

/// Down to the ceiling, where what is below stays clear by the margin: lowering one end of a leg by d lowers no place
/// of it by more than d.
std::vector<Correction> lower(const CheckInput& in, ItemId id, double by_m) {
    const Item* item = in.find(id);
    if (item == nullptr || item->kind == ItemKind::returnHome || item->kind == ItemKind::takeOff) return {};
    for (std::size_t i = 0; i < in.view.path.legs.size(); ++i) {
        const PathLeg& leg = in.view.path.legs[i];
        if (leg.climb || (leg.source != id && leg.item_from != id)) continue;
        const LegClearance& c = in.view.clearance.legs[i];
        if (c.has_unknown || !c.lowest_m || *c.lowest_m - by_m < in.plan.clearance_margin_m) return {};
    }
    Height height = effectiveHeight(in.plan, *item);
    height.value_m = std::floor(height.value_m - by_m + 1e-6);
    return {{fmt::format("Lower {} to {}", in.text(id), heightText(height)), [id, height](Plan& plan) {
                 if (Item* i = plan.find(id)) i->height = height;
             }}};
}

}  // namespace

void ceiling(const CheckInput& in, Out& out) {
    const auto home = homeAmsl(in.plan, in.terrain);
    if (!in.plan.ceiling_m || !home) return;
    ItemId said = 0;
    for (const PathPoint& p : in.view.path.points) {
        if (!p.amsl_m || p.source == said) continue;
        const double above = *p.amsl_m - *home;
        if (above <= *in.plan.ceiling_m + 0.05) continue;
        said = p.source;
        out.push_back({Severity::stop, "ceiling", p.source,
                       fmt::format("{} is {:.0f} m above home; the ceiling of this plan is {:.0f} m", in.text(p.source),
                                   above, *in.plan.ceiling_m),
                       p.position, lower(in, p.source, above - *in.plan.ceiling_m)});
    }
}

}  // namespace anhinga::rules
