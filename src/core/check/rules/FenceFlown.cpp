#include "core/check/Rules.h"

namespace anhinga::rules {

/// Where wind or a wide turn takes a flight over a fence that the line drawn keeps to.
void fenceFlown(const CheckInput& in, Out& out) {
    if (!in.energy) return;
    for (const FenceBreach& b : in.energy->breaches) {
        const Fence* fence = in.plan.findFence(b.fence);
        if (fence == nullptr) continue;
        const FenceField field({*fence}, in.view.path.frame);
        const auto& legs = in.view.path.legs;
        // Said already of the line itself.
        if (field.size() == 0 || std::any_of(legs.begin(), legs.end(), [&](const PathLeg& leg) {
                return leg.line_from < leg.line_to && field.breach(0, in.view.path, leg);
            }))
            continue;
        out.push_back({Severity::stop,
                       "fence-flown",
                       b.item,
                       fmt::format("as rehearsed, it {} {} {} into the flight, at {}: its turns and this wind take it "
                                   "off the line",
                                   fence->kind == FenceKind::keepIn ? "leaves" : "enters", fenceName(*fence),
                                   durationText(b.t_s), in.text(b.item)),
                       b.at,
                       {}});
    }
}

}  // namespace anhinga::rules
