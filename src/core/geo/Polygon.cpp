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
    // Edges in order of their western end: each is held only against those that begin before it ends.
    struct Edge {
        double west, east, south, north;
        std::size_t i;
    };
    std::vector<Edge> edges(n);
    for (std::size_t i = 0; i < n; ++i) {
        const Vec2 a = ring[i], b = ring[(i + 1) % n];
        edges[i] = {std::min(a.x, b.x), std::max(a.x, b.x), std::min(a.y, b.y), std::max(a.y, b.y), i};
    }
    std::sort(edges.begin(), edges.end(), [](const Edge& a, const Edge& b) { return a.west < b.west; });
    for (std::size_t k = 0; k < n; ++k)
        for (std::size_t m = k + 1; m < n && edges[m].west <= edges[k].east; ++m) {
            if (edges[m].south > edges[k].north || edges[m].north < edges[k].south) continue;
            const std::size_t i = std::min(edges[k].i, edges[m].i), j = std::max(edges[k].i, edges[m].i);
            if (j == i + 1 || (i == 0 && j == n - 1)) continue;
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

RingIndex::RingIndex(Ring ring) : ring_(std::move(ring)) {
    if (ring_.empty()) return;
    low_ = high_ = ring_[0].y;
    west_ = east_ = ring_[0].x;
    for (const Vec2& p : ring_) {
        low_ = std::min(low_, p.y);
        high_ = std::max(high_, p.y);
        west_ = std::min(west_, p.x);
        east_ = std::max(east_, p.x);
    }
    const std::size_t n = std::clamp<std::size_t>(ring_.size() / 2, 1, 4096);
    step_ = std::max((high_ - low_) / static_cast<double>(n), 1e-9);
    bands_.resize(n);
    for (std::size_t i = 0; i < ring_.size(); ++i) {
        const Vec2 a = ring_[i], b = ring_[(i + 1) % ring_.size()];
        const std::size_t last = bandOf(std::max(a.y, b.y));
        for (std::size_t k = bandOf(std::min(a.y, b.y)); k <= last; ++k)
            bands_[k].push_back(static_cast<std::uint32_t>(i));
    }
}

std::size_t RingIndex::bandOf(double y) const {
    const double k = std::floor((y - low_) / step_);
    return static_cast<std::size_t>(std::clamp(k, 0.0, static_cast<double>(bands_.size() - 1)));
}

bool RingIndex::contains(Vec2 p) const {
    if (bands_.empty() || !(p.y >= low_ && p.y <= high_ && p.x >= west_ && p.x <= east_)) return false;
    bool inside = false;
    for (const std::uint32_t i : bands_[bandOf(p.y)]) {
        const Vec2 a = ring_[i], b = ring_[(i + 1) % ring_.size()];
        if ((a.y > p.y) != (b.y > p.y) && p.x < a.x + (b.x - a.x) * (p.y - a.y) / (b.y - a.y)) inside = !inside;
    }
    return inside;
}

std::optional<double> RingIndex::firstCrossing(Vec2 a, Vec2 b) const {
    const double low = std::min(a.y, b.y), high = std::max(a.y, b.y);
    const double west = std::min(a.x, b.x), east = std::max(a.x, b.x);
    std::optional<double> first;
    if (bands_.empty() || high < low_ || low > high_ || east < west_ || west > east_) return first;
    const std::size_t last = bandOf(high);
    for (std::size_t k = bandOf(low); k <= last; ++k)
        for (const std::uint32_t i : bands_[k]) {
            const Vec2 c = ring_[i], d = ring_[(i + 1) % ring_.size()];
            if (std::max(c.x, d.x) < west || std::min(c.x, d.x) > east) continue;
            if (const auto t = crossing(a, b, c, d); t && (!first || *t < *first)) first = t;
        }
    return first;
}

std::vector<GeoPoint> circleOutline(GeoPoint centre, double radius_m, int corners) {
    std::vector<GeoPoint> outline;
    for (int i = 0; i < corners; ++i) outline.push_back(destination(centre, 360.0 * i / corners, radius_m));
    return outline;
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
