#include "core/check/Rules.h"

namespace anhinga::rules {

void speedRange(const CheckInput& in, Out& out) {
    const double most = in.plan.vehicle.max_mps;
    const auto say = [&](ItemId id, const std::string& who, double speed, std::optional<GeoPoint> place,
                         std::function<void(Plan&)> fix) {
        out.push_back(
            {Severity::warn,
             "speed",
             id,
             fmt::format("{}: {:.1f} m/s is more than the {:.1f} m/s of {}", who, speed, most, in.plan.vehicle.name),
             place,
             {{fmt::format("Fly {:.1f} m/s", most), std::move(fix)}}});
    };
    if (in.plan.defaults.speed_mps > most)
        say(0, "the plan's speed", in.plan.defaults.speed_mps, {},
            [most](Plan& p) { p.defaults.speed_mps = std::min(p.defaults.speed_mps, most); });
    for (const Item& item : in.plan.items)
        if (item.speed_mps && *item.speed_mps > most)
            say(item.id, in.text(item.id), *item.speed_mps, in.placeOf(item.id), [id = item.id, most](Plan& p) {
                Item* i = p.find(id);
                if (i != nullptr && i->speed_mps) i->speed_mps = std::min(*i->speed_mps, most);
            });
}

}  // namespace anhinga::rules
