#include "core/check/Rules.h"

namespace anhinga::rules {

void ceiling(const CheckInput& in, Out& out) {
    const auto home = homeAmsl(in.plan, in.terrain);
    if (!in.plan.ceiling_m || !home) return;
    ItemId said = 0;
    for (const PathPoint& p : in.view.path.points) {
        if (!p.amsl_m || p.source == said) continue;
        const double above = *p.amsl_m - *home;
        if (above <= *in.plan.ceiling_m + 0.05) continue;
        said = p.source;
        // No correction: lowering may bring it into the ground; that is for the operator to decide.
        out.push_back({Severity::stop,
                       "ceiling",
                       p.source,
                       fmt::format("{} is {:.0f} m above home; the ceiling of this plan is {:.0f} m", in.text(p.source),
                                   above, *in.plan.ceiling_m),
                       p.position,
                       {}});
    }
}

}  // namespace anhinga::rules
