// A way around a keep-out area.
#pragma once

#include <optional>
#include <vector>

#include "core/geo/Polygon.h"

namespace anhinga {

/// Convex hull, counter-clockwise, without collinear corners (Andrew's monotone chain).
Ring convexHull(std::vector<Vec2> points);

/// Corners to fly by from `a` to `b` so that the area's hull is passed at `margin_m` at least, on the shorter side.
/// Nothing when an end lies inside the hull grown by the margin; empty when the straight way is free.
std::optional<std::vector<Vec2>> wayAround(const Ring& area, Vec2 a, Vec2 b, double margin_m);

}  // namespace anhinga
