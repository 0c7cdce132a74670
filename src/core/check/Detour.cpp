#include "core/check/Detour.h"

#include <algorithm>
#include <cmath>

namespace anhinga {

Ring convexHull(std::vector<Vec2> points) {
    std::sort(points.begin(), points.end(), [](Vec2 a, Vec2 b) { return a.x < b.x || (a.x == b.x && a.y < b.y); });
    points.erase(std::unique(points.begin(), points.end()), points.end());
    if (points.size() < 3) return points;
    Ring hull;
    const auto turnsLeft = [&](Vec2 p) {
        return cross(hull[hull.size() - 1] - hull[hull.size() - 2], p - hull[hull.size() - 2]) > 1e-9;
    };
    for (int pass = 0; pass < 2; ++pass) {
        const std::size_t start = hull.size();
        for (const Vec2& p : points) {
            while (hull.size() >= start + 2 && !turnsLeft(p)) hull.pop_back();
            hull.push_back(p);
        }
        hull.pop_back();
        std::reverse(points.begin(), points.end());
    }
    return hull;
}

std::optional<std::vector<Vec2>> wayAround(const Ring& area, Vec2 a, Vec2 b, double margin_m) {
    // Every corner becomes an octagon about a circle of the margin: their hull is the area's hull grown by it.
    constexpr int kSides = 8;
    const double reach = margin_m / std::cos(M_PI / kSides);
    std::vector<Vec2> points;
    for (const Vec2& p : area)
        for (int k = 0; k < kSides; ++k)
            points.push_back(p + Vec2{std::cos(2 * M_PI * k / kSides), std::sin(2 * M_PI * k / kSides)} * reach);
    const Ring grown = convexHull(std::move(points));
    if (grown.size() < 3 || contains(grown, a) || contains(grown, b)) return std::nullopt;
    if (crossings(grown, a, b).empty()) return std::vector<Vec2>{};
    std::vector<Vec2> all = grown;
    all.push_back(a);
    all.push_back(b);
    const Ring hull = convexHull(std::move(all));
    const auto at = [&](Vec2 p) {
        return static_cast<std::size_t>(std::find(hull.begin(), hull.end(), p) - hull.begin());
    };
    const std::size_t from = at(a), to = at(b), n = hull.size();
    if (from == n || to == n) return std::nullopt;
    std::vector<Vec2> left, right;
    for (std::size_t i = (from + 1) % n; i != to; i = (i + 1) % n) left.push_back(hull[i]);
    for (std::size_t i = (from + n - 1) % n; i != to; i = (i + n - 1) % n) right.push_back(hull[i]);
    const auto run = [&](const std::vector<Vec2>& way) {
        double sum = 0;
        Vec2 last = a;
        for (const Vec2& p : way) {
            sum += length(p - last);
            last = p;
        }
        return sum + length(b - last);
    };
    // The straight edge a-b is no way around: it is the side on which nothing of the hull lies.
    if (left.empty()) return right;
    if (right.empty()) return left;
    return run(left) < run(right) ? left : right;
}

}  // namespace anhinga
