// The way from one part of a pattern to the next that crosses no keep-out and leaves no keep-in.
#pragma once

#include <optional>
#include <vector>

#include "core/geo/Polygon.h"

namespace anhinga {

struct Fence;

class Transit {
  public:
    /// Fences on the plane of `frame`; ways keep `margin_m` from them where they go around.
    Transit(const std::vector<Fence>& fences, const LocalFrame& frame, double margin_m);
    bool clear(Vec2 a, Vec2 b) const;
    /// Places to go by between a and b on the shortest way; empty when the straight way is free, nothing when there is
    /// no way (either end lies where it may not be, or everything is closed off).
    std::optional<std::vector<Vec2>> between(Vec2 a, Vec2 b) const;

  private:
    bool allowed(Vec2 p) const;
    struct Body {
        bool keep_in = true;
        RingIndex ring;
        Ring corners;  // of the ring moved to the free side by the margin
    };
    std::vector<Body> bodies_;
};

}  // namespace anhinga
