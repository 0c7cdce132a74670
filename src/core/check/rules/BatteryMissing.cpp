#include "core/check/Rules.h"

namespace anhinga::rules {

void batteryMissing(const CheckInput& in, Out& out) {
    if (in.plan.vehicle.battery_wh >= 1 || in.plan.items.empty()) return;
    out.push_back({Severity::warn,
                   "battery-missing",
                   0,
                   fmt::format("{} has no battery capacity in its profile: whether the plan can be flown is unknown",
                               in.plan.vehicle.name),
                   {},
                   {}});
}

}  // namespace anhinga::rules
