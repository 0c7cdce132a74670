#include "core/geo/Polygon.h"

#include <algorithm>

namespace anhinga {

bool contains(const Ring& ring, Vec2 p) {
    bool inside = false;
    for (std::size_t i = 0, j = ring.size() - 1; i < ring.size(); j = i++) {
        const Vec2 a = ring[i], b = ring[j];
        if ((a.y > p.y) != (b.y > p.y) && p.x < (b.x - a.x) * (p.y - a.y) / (b.y - a.y) + a.x) inside = !inside;
    }
    return inside;
}

std::optional<double> crossing(Vec2 a, Vec2 b, Vec2 c, Vec2 d) {
    const Vec2 r = b - a, s = d - c;
    const double denominator = cross(r, s);
    if (denominator == 0) return std::nullopt;
    const double t = cross(c - a, s) / denominator, u = cross(c - a, r) / denominator;
    if (t < 0 || t > 1 || u < 0 || u > 1) return std::nullopt;
    return t;
}

std::vector<double> crossings(const Ring& ring, Vec2 a, Vec2 b) {
    std::vector<double> found;
    for (std::size_t i = 0; i < ring.size(); ++i)
        if (const auto t = crossing(a, b, ring[i], ring[(i + 1) % ring.size()])) found.push_back(*t);
    std::sort(found.begin(), found.end());
    return found;
}

bool selfCrossing(const Ring& ring) {
    const std::size_t n = ring.size();
    if (n < 3 || area_m2(ring) < 1e-6) return true;
    for (std::size_t i = 0; i < n; ++i)
        for (std::size_t j = i + 2; j < n; ++j) {
            if (i == 0 && j == n - 1) continue;
            if (crossing(ring[i], ring[i + 1], ring[j], ring[(j + 1) % n])) return true;
        }
    return false;
}

double area_m2(const Ring& ring) {
    double twice = 0;
    for (std::size_t i = 0; i < ring.size(); ++i)
        twice += cross(ring[i] - ring[0], ring[(i + 1) % ring.size()] - ring[0]);
    return std::abs(twice) / 2;
}

SegmentDistance distanceToSegment(Vec2 p, Vec2 a, Vec2 b) {
    const Vec2 ab = b - a;
    const double squared = dot(ab, ab);
    const double along = squared > 0 ? std::clamp(dot(p - a, ab) / squared, 0.0, 1.0) : 0.0;
    return {length(p - (a + ab * along)), along};
}

double distanceToRing(Vec2 p, const Ring& ring) {
    double nearest = ring.empty() ? 0 : INFINITY;
    for (std::size_t i = 0; i < ring.size(); ++i)
        nearest = std::min(nearest, distanceToSegment(p, ring[i], ring[(i + 1) % ring.size()]).distance_m);
    return nearest;
}

Ring toLocal(const LocalFrame& frame, const std::vector<GeoPoint>& outline) {
    Ring ring;
    ring.reserve(outline.size());
    for (const GeoPoint& p : outline) ring.push_back(frame.toLocal(p));
    return ring;
}

GeoPoint middleOf(const std::vector<GeoPoint>& outline) {
    if (outline.empty()) return {};
    double south = 90, north = -90, west = 0, east = 0;
    for (const GeoPoint& p : outline) {
        south = std::min(south, p.lat_deg);
        north = std::max(north, p.lat_deg);
        const double d = wrapLongitude(p.lon_deg - outline.front().lon_deg);
        west = std::min(west, d);
        east = std::max(east, d);
    }
    return {(south + north) / 2, wrapLongitude(outline.front().lon_deg + (west + east) / 2)};
}

}  // namespace anhinga
