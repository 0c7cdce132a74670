#include "core/check/Rules.h"

namespace anhinga::rules {

void unsupported(const CheckInput& in, Out& out) {
    if (in.plan.traits.splines) return;
    std::vector<ItemId> ids;
    for (const Item& item : in.plan.items)
        if (item.kind == ItemKind::waypoint && item.spline) ids.push_back(item.id);
    if (ids.empty()) return;
    out.push_back({Severity::stop,
                   "unsupported",
                   ids.front(),
                   fmt::format("{}{}: the autopilot of this plan flies no splines", in.text(ids.front()),
                               ids.size() > 1 ? fmt::format(" and {} more", ids.size() - 1) : ""),
                   in.placeOf(ids.front()),
                   {{"Fly them straight", [ids](Plan& p) {
                         for (const ItemId id : ids)
                             if (Item* i = p.find(id)) i->spline = false;
                     }}}});
}

}  // namespace anhinga::rules
