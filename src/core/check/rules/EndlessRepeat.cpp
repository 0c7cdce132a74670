#include "core/check/Rules.h"

namespace anhinga::rules {

namespace {
Correction leftBy(ItemId id, std::size_t action, Leave leave, std::string text) {
    return {.text = std::move(text),
            .apply =
                [=](Plan& p) {
                    Item* item = p.find(id);
                    if (item == nullptr || action >= item->actions.size()) return;
                    if (auto* repeat = std::get_if<Repeat>(&item->actions[action])) repeat->leave = leave;
                },
            .wide = true};
}
}  // namespace

/// A repeat without an end: how it will be left is to be said, and then what the battery allows.
void endlessRepeat(const CheckInput& in, Out& out) {
    for (std::size_t i = 0; i < in.plan.items.size(); ++i) {
        const Item& item = in.plan.items[i];
        for (std::size_t k = 0; k < item.actions.size(); ++k) {
            const auto* repeat = std::get_if<Repeat>(&item.actions[k]);
            if (repeat == nullptr || repeat->count >= 0) continue;
            const auto target = in.index.find(repeat->target);
            if (target == in.index.end() || target->second > i) continue;
            const char* then = actionText(in.plan.low_battery);
            Finding f{Severity::note, "endless-repeat", item.id, {}, in.placeOf(item.id), {}};
            switch (repeat->leave) {
                case Leave::unsaid:
                    f.severity = Severity::warn;
                    f.message = fmt::format(
                        "the repeat at {} never ends by itself, and what follows is not flown: say "
                        "how it will be left",
                        in.text(item.id));
                    f.corrections = {leftBy(item.id, k, Leave::byOrder, "I end it by an order"),
                                     leftBy(item.id, k, Leave::atReserve,
                                            fmt::format("The battery ends it: at the reserve, {}", then))};
                    break;
                case Leave::byOrder:
                    f.message =
                        fmt::format("the repeat at {} goes on until something else is ordered", in.text(item.id));
                    break;
                case Leave::atReserve:
                    f.message = fmt::format("the repeat at {} goes on until the battery reserve: then, {}",
                                            in.text(item.id), then);
                    break;
            }
            if (repeat->leave != Leave::unsaid && in.energy && in.energy->endless_passes)
                f.message += *in.energy->endless_passes == 1
                                 ? std::string("; a full battery lasts for 1 pass")
                                 : fmt::format("; a full battery lasts for {} passes", *in.energy->endless_passes);
            out.push_back(std::move(f));
        }
    }
}

}  // namespace anhinga::rules
