#include "core/check/Rules.h"
#include "core/geo/Polygon.h"

namespace anhinga::rules {

std::string fenceName(const Fence& fence) {
    if (!fence.name.empty()) return "fence \"" + fence.name + "\"";
    return fence.kind == FenceKind::keepIn ? "the keep-in fence" : "a keep-out fence";
}

void fenceShape(const CheckInput& in, Out& out) {
    for (const Fence& fence : in.plan.fences) {
        if (fence.isCircle() || fence.outline.empty()) continue;
        if (!selfCrossing(toLocal(LocalFrame(fence.outline.front()), fence.outline))) continue;
        out.push_back({Severity::stop,
                       "fence-self-crossing",
                       fence.id,
                       fenceName(fence) + " crosses itself; move its corners apart",
                       fence.outline.front(),
                       {}});
    }
}

}  // namespace anhinga::rules
