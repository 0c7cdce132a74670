#include "core/check/Rules.h"

namespace anhinga::rules {

void repeatTarget(const CheckInput& in, Out& out) {
    for (const Item& item : in.plan.items)
        for (const Action& a : item.actions) {
            const auto* repeat = std::get_if<Repeat>(&a);
            if (repeat == nullptr || in.index.contains(repeat->target)) continue;
            out.push_back(
                {Severity::stop,
                 "repeat-target",
                 item.id,
                 fmt::format("the repeat at {} has lost its target: choose the item to go to", in.text(item.id)),
                 in.placeOf(item.id),
                 {{"Remove this repeat", [id = item.id, gone = repeat->target](Plan& p) {
                       if (Item* i = p.find(id))
                           std::erase_if(i->actions, [&](const Action& each) {
                               const auto* r = std::get_if<Repeat>(&each);
                               return r != nullptr && r->target == gone;
                           });
                   }}}});
        }
}

}  // namespace anhinga::rules
