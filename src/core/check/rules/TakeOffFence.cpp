#include "core/check/Rules.h"
#include "core/program/FenceField.h"

namespace anhinga::rules {

void takeOffFence(const CheckInput& in, Out& out) {
    if (!in.plan.home || !in.view.path.legs.empty()) return;  // with legs the climb-out says it
    const FenceField fences(in.plan.fences, LocalFrame(in.plan.home->position));
    for (std::size_t n = 0; n < fences.size(); ++n) {
        const Fence& fence = in.plan.fences[fences.source(n)];
        if (fences.allows(n, {0, 0})) continue;
        out.push_back(
            {Severity::stop,
             "take-off-fence",
             kHomeId,
             fmt::format("home lies {} {}", fence.kind == FenceKind::keepIn ? "outside" : "inside", fenceName(fence)),
             in.plan.home->position,
             {}});
    }
}

}  // namespace anhinga::rules
