#include "core/check/Rules.h"

namespace anhinga::rules {

void energy(const CheckInput& in, Out& out) {
    if (in.in_sorties || !in.energy || in.plan.vehicle.battery_wh < 1)
        return;  // no capacity, no forecast: said by its own rule
    // It was accepted that the battery, or an order before, ends it.
    if (in.energy->endless_passes && *in.energy->endless_passes > 0 && endlessIsAccepted(in.plan)) return;
    const double reserve = in.plan.vehicle.reserve_percent;
    std::string message;
    if (in.energy->reached_reserve)
        message = fmt::format(
            "the battery reaches its reserve of {:.0f} %{}: it would turn back there", reserve,
            in.energy->item != 0 ? " on the way to " + in.text(in.energy->item) : " before the plan is flown");
    else if (in.energy->landed && in.energy->left_percent < reserve)
        // Just below the reserve is not to read like the reserve.
        message = reserve - in.energy->left_percent < 1
                      ? fmt::format("lands with {:.1f} %, the reserve is {:.1f} %", in.energy->left_percent, reserve)
                      : fmt::format("lands with {:.0f} %, the reserve is {:.0f} %", in.energy->left_percent, reserve);
    if (message.empty()) return;
    Finding f{Severity::stop, "energy", in.energy->item, std::move(message), in.placeOf(in.energy->item), {}};
    f.corrections.push_back({.text = "Cut into sorties", .apply = {}, .cut_into_sorties = true});
    out.push_back(std::move(f));
}

}  // namespace anhinga::rules
