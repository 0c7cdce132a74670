// Terrain following with the fewest points: a line over ground becomes a few places with heights, between which it is
// flown straight.
#pragma once

#include <optional>
#include <vector>

#include "core/geo/Geo.h"
#include "core/terrain/Terrain.h"

namespace anhinga {

struct FollowOptions {
    double height_m = 60;      // above ground
    double tolerance_m = 2;    // of the straight pieces against that height
    double climb_slope = 0.4;  // metres up for a metre along, at most
    double descent_slope = 0.3;
    double rise_m = 0;  // so much more above ground at the last vertex, growing evenly
};

struct FollowPoint {
    Vec2 at;
    double amsl_m = 0;
};

struct FollowedRoute {
    /// For each vertex but the last the points from it to the next one, both included.
    std::vector<std::vector<FollowPoint>> pieces;
    bool unknown_ground = false;  // then there are no pieces
    bool lifted_early = false;    // the ground is steeper than can be followed: higher than asked in places
};

/// Follows the straight lines between `vertices` (plane of `frame`). They are sampled at least every `sample_m`, and
/// broken at their vertices and otherwise into the fewest straight pieces that are nowhere further than the tolerance
/// from the height asked for (as Imai & Iri 1986 do for polygonal lines, in distance-height space). Where ground is
/// steeper than the slopes allow the line is lifted before it.
FollowedRoute followGround(const LocalFrame& frame, const std::vector<Vec2>& vertices, const Terrain& terrain,
                           double sample_m, const FollowOptions& options);

}  // namespace anhinga
