#include "core/check/Rules.h"

namespace anhinga::rules {

void homeHeight(const CheckInput& in, Out& out) {
    if (!in.plan.home || in.view.path.legs.empty() || homeAmsl(in.plan, in.terrain)) return;
    out.push_back({Severity::stop,
                   "home-height-unknown",
                   kHomeId,
                   "home lies outside the terrain and its height is not typed in: heights above home mean nothing yet",
                   in.plan.home->position,
                   {}});
}

}  // namespace anhinga::rules
