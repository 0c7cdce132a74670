#include "core/check/Rules.h"

namespace anhinga::rules {

void climbObstacle(const CheckInput& in, Out& out) {
    if (in.plan.obstacles.empty()) return;
    ItemId said = 0;
    const auto& profile = in.view.clearance.profile;
    for (const ProfileSample& s : profile) {
        if (s.obstacle == 0 || !in.view.path.legs[s.leg].climb || in.view.path.legs[s.leg].source == said) continue;
        said = in.view.path.legs[s.leg].source;
        out.push_back({Severity::warn,
                       "climb-obstacle",
                       said,
                       fmt::format("the climb or descent at {} is inside the margin of {}", in.text(said),
                                   itemText(in.plan, s.obstacle)),
                       s.place,
                       {}});
    }
}

}  // namespace anhinga::rules
