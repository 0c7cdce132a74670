#include "core/check/Rules.h"

namespace anhinga::rules {

void wind(const CheckInput& in, Out& out) {
    // Against wind as fast as the vehicle there is no way forward; a third in hand is needed to hold a line.
    const double most = in.plan.vehicle.max_mps * 2 / 3;
    if (in.wind_mps <= most) return;
    out.push_back({in.wind_mps >= in.plan.vehicle.max_mps ? Severity::stop : Severity::warn,
                   "wind",
                   0,
                   fmt::format("wind of {:.0f} m/s; {} flies {:.0f} m/s at most and should keep a third of it in hand",
                               in.wind_mps, in.plan.vehicle.name, in.plan.vehicle.max_mps),
                   {},
                   {}});
}

}  // namespace anhinga::rules
