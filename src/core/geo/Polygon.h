// Plane polygons in a LocalFrame: inside tests, crossings, area. A ring is closed without repeating its first point.
#pragma once

#include <cstdint>
#include <optional>
#include <vector>

#include "core/geo/Geo.h"

namespace anhinga {

using Ring = std::vector<Vec2>;

/// Even-odd rule; a point exactly on an edge may count either way.
bool contains(const Ring& ring, Vec2 p);
/// Where segment a-b meets segment c-d: fraction along a-b in [0, 1]. Parallel segments give nothing.
std::optional<double> crossing(Vec2 a, Vec2 b, Vec2 c, Vec2 d);
/// Fractions along a-b at which it meets the ring, ascending.
std::vector<double> crossings(const Ring& ring, Vec2 a, Vec2 b);
/// True when two edges that are not neighbours meet, or the ring has fewer than 3 points or no area.
bool selfCrossing(const Ring& ring);
/// Area in square metres, never negative.
double area_m2(const Ring& ring);
/// Nearest distance from p to segment a-b, and how far along (0..1) the nearest point is.
struct SegmentDistance {
    double distance_m = 0;
    double along = 0;
};
SegmentDistance distanceToSegment(Vec2 p, Vec2 a, Vec2 b);
/// Nearest distance from p to the ring's edges (0 for an empty ring).
double distanceToRing(Vec2 p, const Ring& ring);

/// A ring prepared for many questions: edges sorted into bands of y, so that a question looks at few of them.
/// Answers are those of contains() and crossings().
class RingIndex {
  public:
    explicit RingIndex(Ring ring);
    bool contains(Vec2 p) const;
    /// Smallest fraction along a-b at which it meets the ring.
    std::optional<double> firstCrossing(Vec2 a, Vec2 b) const;
    const Ring& ring() const { return ring_; }

  private:
    std::size_t bandOf(double y) const;
    Ring ring_;
    double low_ = 0, high_ = 0, west_ = 0, east_ = 0, step_ = 1;
    std::vector<std::vector<std::uint32_t>> bands_;
};

/// A circle as a polygon of `corners` corners that holds the whole circle's radius at its corners.
std::vector<GeoPoint> circleOutline(GeoPoint centre, double radius_m, int corners);

/// Geographic outline into a frame.
Ring toLocal(const LocalFrame& frame, const std::vector<GeoPoint>& outline);
/// Middle of the bounding box; the outline may cross the 180th meridian. Empty outlines give (0, 0).
GeoPoint middleOf(const std::vector<GeoPoint>& outline);

}  // namespace anhinga
