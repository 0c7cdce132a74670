#include "core/check/Rules.h"

namespace anhinga::rules {

void returnHeight(const CheckInput& in, Out& out) {
    for (std::size_t i = 0; i < in.view.path.legs.size(); ++i) {
        const PathLeg& leg = in.view.path.legs[i];
        const LegClearance& c = in.view.clearance.legs[i];
        if (!leg.way_home || !c.lowest_m || *c.lowest_m >= in.plan.clearance_margin_m) continue;
        const bool below = *c.lowest_m < in.plan.clearance_min_m;
        const double need = std::ceil(in.plan.return_height_m + in.plan.clearance_margin_m - *c.lowest_m);
        const auto home = homeAmsl(in.plan, in.terrain);
        // The way home is flown at the height the aircraft has when that is more: lift to what clears in any case.
        const double clears = home ? std::max(need, std::ceil(c.under_m + in.plan.clearance_margin_m - *home)) : need;
        out.push_back(
            {below ? Severity::stop : Severity::warn,
             "return-height",
             leg.source,
             fmt::format("the way home at {:.0f} m home passes {} at {:.0f} m; the {} is {:.0f} m",
                         in.plan.return_height_m, c.obstacle != 0 ? itemText(in.plan, c.obstacle) : "the ground",
                         *c.lowest_m, below ? "minimum" : "margin",
                         below ? in.plan.clearance_min_m : in.plan.clearance_margin_m),
             c.where,
             {{fmt::format("Return at {:.0f} m home", clears),
               [clears](Plan& p) { p.return_height_m = std::max(p.return_height_m, clears); }}}});
        return;
    }
}

}  // namespace anhinga::rules
