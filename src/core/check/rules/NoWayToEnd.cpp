#include "core/check/Rules.h"

namespace anhinga::rules {

void noWayToEnd(const CheckInput& in, Out& out) {
    if (in.plan.items.empty()) return;
    const ItemKind last = in.plan.items.back().kind;
    if (last == ItemKind::land || last == ItemKind::returnHome) return;
    out.push_back({Severity::stop,
                   "no-way-to-end",
                   in.plan.items.back().id,
                   "the plan ends in the air: add a landing or a return home",
                   in.placeOf(in.plan.items.back().id),
                   {{"Add return home", [](Plan& plan) {
                         if (!plan.items.empty() && plan.items.back().kind == ItemKind::returnHome) return;
                         Item item;
                         item.id = plan.newId();
                         item.kind = ItemKind::returnHome;
                         plan.items.push_back(item);
                     }}}});
}

}  // namespace anhinga::rules
