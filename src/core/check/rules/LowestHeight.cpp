#include "core/check/Rules.h"

namespace anhinga::rules {

void lowestHeight(const CheckInput& in, Out& out) {
    for (const Item& item : in.plan.items) {
        if (item.kind == ItemKind::land || item.kind == ItemKind::returnHome) continue;
        const Height h = effectiveHeight(in.plan, item);
        if (h.ref != HeightRef::home || h.value_m >= in.plan.traits.lowest_height_m) continue;
        const Height lifted{in.plan.traits.lowest_height_m, HeightRef::home};
        out.push_back({Severity::stop,
                       "height-lowest",
                       item.id,
                       fmt::format("{} is at {}; the autopilot takes nothing below {:.0f} m home", in.text(item.id),
                                   heightText(h), in.plan.traits.lowest_height_m),
                       in.placeOf(item.id),
                       {{"Lift it to " + heightText(lifted), [id = item.id, lifted](Plan& p) {
                             if (Item* i = p.find(id)) i->height = lifted;
                         }}}});
    }
}

}  // namespace anhinga::rules
