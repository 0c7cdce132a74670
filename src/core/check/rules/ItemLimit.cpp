#include "core/check/Rules.h"

namespace anhinga::rules {

void itemLimit(const CheckInput& in, Out& out) {
    if (!in.view.mission) return;
    const auto n = static_cast<int>(in.view.mission->items.size());
    if (n <= in.plan.traits.item_limit) return;
    out.push_back({Severity::stop,
                   "item-limit",
                   0,
                   fmt::format("{} mission items; the autopilot holds {}. Split the plan into {} sorties", n,
                               in.plan.traits.item_limit, (n - 1) / in.plan.traits.item_limit + 1),
                   {},
                   {}});
}

}  // namespace anhinga::rules
