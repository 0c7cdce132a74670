#include "core/check/Rules.h"
#include "core/geo/Polygon.h"

namespace anhinga::rules {

void fenceCrossing(const CheckInput& in, Out& out) {
    if (in.path.points.empty()) return;
    const LocalFrame frame(in.path.points.front().position);
    std::vector<Vec2> points;
    for (const PathPoint& p : in.path.points) points.push_back(frame.toLocal(p.position));
    for (const Fence& fence : in.plan.fences) {
        const Ring ring = toLocal(frame, fence.outline);
        const std::string name = fence.name.empty()
                                     ? (fence.kind == FenceKind::keepIn ? "the keep-in fence" : "a keep-out fence")
                                     : "fence \"" + fence.name + "\"";
        if (selfCrossing(ring)) {
            out.push_back({Severity::stop,
                           "fence-self-crossing",
                           fence.id,
                           name + " crosses itself; move its corners apart",
                           fence.outline.front(),
                           {}});
            continue;
        }
        const bool keep_in = fence.kind == FenceKind::keepIn;
        ItemId said = 0;
        for (const PathLeg& leg : in.path.legs) {
            const Vec2 a = points[leg.from], b = points[leg.to];
            const auto cuts = crossings(ring, a, b);
            const bool wrong_end = contains(ring, b) != keep_in, wrong_start = contains(ring, a) != keep_in;
            if (cuts.empty() && !wrong_end && !wrong_start) continue;
            if (leg.source == said) continue;
            said = leg.source;
            const Vec2 where = cuts.empty() ? b : a + (b - a) * cuts.front();
            out.push_back({Severity::stop,
                           "fence-crossing",
                           leg.source,
                           fmt::format("the leg to {} {} {}", leg.way_home ? "home" : itemText(in.plan, leg.source),
                                       keep_in ? "leaves" : "enters", name),
                           frame.toGeo(where),
                           {}});
        }
    }
}

}  // namespace anhinga::rules
