#include "core/check/Rules.h"

namespace anhinga::rules {

void endlessRepeat(const CheckInput& in, Out& out) {
    for (std::size_t i = 0; i < in.plan.items.size(); ++i)
        for (const Action& a : in.plan.items[i].actions) {
            const auto* repeat = std::get_if<Repeat>(&a);
            if (repeat == nullptr || repeat->count >= 0) continue;
            const auto target = in.index.find(repeat->target);
            if (target == in.index.end() || target->second > i) continue;
            const ItemId id = in.plan.items[i].id;
            out.push_back(
                {Severity::warn,
                 "endless-repeat",
                 id,
                 fmt::format("the repeat at {} never ends by itself: the battery reserve or the operator ends "
                             "it, and what follows is not flown",
                             in.text(id)),
                 in.placeOf(id),
                 {}});
        }
}

}  // namespace anhinga::rules
