// Fences made ready for questions about a path or a flight, in its plane.
#pragma once

#include <optional>
#include <vector>

#include "core/geo/Polygon.h"
#include "core/plan/ItemId.h"

namespace anhinga {

struct Fence;
struct Path;
struct PathLeg;

/// A fence that a flight broke, the first time it did.
struct FenceBreach {
    ItemId fence = 0, item = 0;  // on the way to or at that item
    double t_s = 0;
    GeoPoint at;
};

/// Fences whose outline crosses itself are left out: they have no inside.
class FenceField {
  public:
    FenceField(const std::vector<Fence>& fences, const LocalFrame& frame);
    std::size_t size() const { return bodies_.size(); }
    /// Index of the n-th among the plan's fences.
    std::size_t source(std::size_t n) const { return bodies_[n].source; }
    /// True when a place keeps to the fence.
    bool allows(std::size_t n, Vec2 at) const;
    /// First place of a leg's line that breaks the fence.
    std::optional<Vec2> breach(std::size_t n, const Path& path, const PathLeg& leg) const;

  private:
    struct Body {
        std::size_t source = 0;
        bool keep_in = true;
        RingIndex ring{{}};
        Vec2 centre;
        double radius_m = 0;
    };
    std::vector<Body> bodies_;
};

}  // namespace anhinga
