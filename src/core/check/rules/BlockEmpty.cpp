#include "core/check/Rules.h"
#include "core/pattern/BlockPattern.h"

namespace anhinga::rules {

void blockEmpty(const CheckInput& in, Out& out) {
    std::unordered_map<ItemId, bool> flown;
    for (const RouteStep& step : in.view.route.steps) flown[step.source] = true;
    for (const Item& item : in.plan.items)
        if (item.kind == ItemKind::block && !flown.contains(item.id))
            out.push_back({Severity::stop,
                           "block-empty",
                           item.id,
                           fmt::format("{} gives no lines: its outline crosses itself, its height is at the ground, or "
                                       "the overlap is too large",
                                       in.text(item.id)),
                           in.placeOf(item.id),
                           {}});
}

}  // namespace anhinga::rules
