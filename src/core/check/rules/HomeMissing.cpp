#include "core/check/Rules.h"

namespace anhinga::rules {

void homeMissing(const CheckInput& in, Out& out) {
    if (in.plan.home) return;
    out.push_back({Severity::stop,
                   "home-missing",
                   0,
                   "home is not set: choose Home and click where the aircraft will start",
                   {},
                   {}});
}

}  // namespace anhinga::rules
