#include "core/program/FenceField.h"

#include "core/plan/Plan.h"
#include "core/program/Path.h"

namespace anhinga {

FenceField::FenceField(const std::vector<Fence>& fences, const LocalFrame& frame) {
    for (std::size_t i = 0; i < fences.size(); ++i) {
        const Fence& f = fences[i];
        if (f.outline.empty()) continue;
        Body body{i, f.kind == FenceKind::keepIn, RingIndex({}), frame.toLocal(f.outline.front()), f.radius_m};
        if (!f.isCircle()) {
            Ring ring = toLocal(frame, f.outline);
            if (selfCrossing(ring)) continue;
            body.ring = RingIndex(std::move(ring));
        }
        bodies_.push_back(std::move(body));
    }
}

bool FenceField::allows(std::size_t n, Vec2 at) const {
    const Body& b = bodies_[n];
    const bool inside = b.radius_m > 0 ? length(at - b.centre) <= b.radius_m : b.ring.contains(at);
    return inside == b.keep_in;
}

std::optional<Vec2> FenceField::breach(std::size_t n, const Path& path, const PathLeg& leg) const {
    const Body& b = bodies_[n];
    for (std::size_t i = leg.line_from; i < leg.line_to; ++i) {
        const Vec2 here = path.line[i].local;
        if (i > leg.line_from) {
            const Vec2 before = path.line[i - 1].local;
            if (b.radius_m > 0) {
                // Into a keep-out circle without an end in it: the nearest place decides.
                const auto d = distanceToSegment(b.centre, before, here);
                if (!b.keep_in && d.distance_m < b.radius_m) return before + (here - before) * d.along;
            } else if (const auto t = b.ring.firstCrossing(before, here)) {
                return before + (here - before) * *t;
            }
        }
        if (!allows(n, here)) return here;
    }
    return std::nullopt;
}

}  // namespace anhinga
