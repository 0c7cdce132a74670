#include "core/check/Rules.h"

namespace anhinga::rules {

void floorHeight(const CheckInput& in, Out& out) {
    const auto home = homeAmsl(in.plan, in.terrain);
    if (!in.plan.floor_m || !home) return;
    for (const PathLeg& leg : in.view.path.legs) {
        const PathPoint& p = in.view.path.points[leg.to];
        const Item* item = in.find(leg.source);
        if (leg.climb || leg.repeat || leg.way_home || !p.amsl_m || item == nullptr || item->kind == ItemKind::land)
            continue;
        const double above = *p.amsl_m - *home;
        if (above >= *in.plan.floor_m - 0.05) continue;
        Height height = effectiveHeight(in.plan, *item);
        height.value_m = std::ceil(height.value_m + *in.plan.floor_m - above);
        out.push_back({Severity::stop,
                       "floor",
                       leg.source,
                       fmt::format("{} is {:.0f} m above home; the floor of this plan is {:.0f} m", in.text(leg.source),
                                   above, *in.plan.floor_m),
                       p.position,
                       {{fmt::format("Lift {} to {}", in.text(leg.source), heightText(height)),
                         [id = leg.source, height](Plan& plan) {
                             if (Item* i = plan.find(id)) i->height = height;
                         }}}});
    }
}

}  // namespace anhinga::rules
