#include "core/check/Rules.h"

namespace anhinga::rules {

void lookAtOpen(const CheckInput& in, Out& out) {
    ItemId open = 0;
    for (const Item& item : in.plan.items)
        for (const Action& a : item.actions) {
            if (std::holds_alternative<LookAt>(a)) open = item.id;
            if (std::holds_alternative<LookAtStop>(a)) open = 0;
        }
    if (open == 0) return;
    // The last item that still has a leg after it may stop it; a landing needs no stop of its own.
    ItemId last = 0;
    for (const Item& item : in.plan.items)
        if (hasPosition(item.kind) && item.kind != ItemKind::land) last = item.id;
    Finding f{Severity::note,
              "look-at-open",
              open,
              fmt::format("the look-at begun at {} is never stopped: it holds to the end", in.text(open)),
              in.placeOf(open),
              {}};
    if (last != 0 && last != open)
        f.corrections.push_back({"Stop it at " + in.text(last), [last](Plan& p) {
                                     Item* i = p.find(last);
                                     if (i == nullptr) return;
                                     for (const Action& a : i->actions)
                                         if (std::holds_alternative<LookAtStop>(a)) return;
                                     i->actions.push_back(LookAtStop{});
                                 }});
    out.push_back(std::move(f));
}

}  // namespace anhinga::rules
