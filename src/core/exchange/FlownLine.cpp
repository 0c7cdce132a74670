#include "core/exchange/FlownLine.h"

#include <algorithm>
#include <cmath>
#include <utility>

#include "core/base/Text.h"

namespace anhinga {

namespace {

struct Place {
    double x = 0, y = 0, z = 0;
};

/// From p to the nearest place of the stretch a-b.
double distanceTo(const Place& p, const Place& a, const Place& b) {
    const double dx = b.x - a.x, dy = b.y - a.y, dz = b.z - a.z;
    const double length2 = dx * dx + dy * dy + dz * dz;
    const double along =
        length2 > 0 ? std::clamp(((p.x - a.x) * dx + (p.y - a.y) * dy + (p.z - a.z) * dz) / length2, 0.0, 1.0) : 0;
    return std::hypot(p.x - a.x - along * dx, p.y - a.y - along * dy, p.z - a.z - along * dz);
}

/// Marks what stays of first..last, both of which do. Without recursion: a line may have 200,000 points. One that is
/// always bent most beside an end would take the square of that: after a while it is cut in the middle instead, where
/// more stays than had to.
void mark(const std::vector<Place>& places, std::size_t first, std::size_t last, double tolerance_m,
          std::vector<char>& stays) {
    std::vector<std::pair<std::size_t, std::size_t>> open{{first, last}};
    std::size_t looked_at = 0;
    constexpr std::size_t kEnough = 100'000'000;
    while (!open.empty()) {
        const auto [from, to] = open.back();
        open.pop_back();
        double most = tolerance_m;
        std::size_t at = from;
        for (std::size_t i = from + 1; i < to; ++i)
            if (const double d = distanceTo(places[i], places[from], places[to]); d > most) {
                most = d;
                at = i;
            }
        looked_at += to - from;
        if (at == from) continue;
        if (looked_at > kEnough) at = from + (to - from) / 2;
        stays[at] = 1;
        open.emplace_back(from, at);
        open.emplace_back(at, to);
    }
}

}  // namespace

bool isFlown(const ImportedShape& shape) {
    constexpr std::size_t kMany = 50;
    constexpr double kNear_m = 25;
    if (shape.kind != ShapeKind::line || shape.points.size() <= kMany) return false;
    std::size_t near = 0;
    for (std::size_t i = 1; i < shape.points.size(); ++i)
        near += distance_m(shape.points[i - 1], shape.points[i]) < kNear_m;
    return 2 * near >= shape.points.size() - 1;
}

ImportedShape thinned(const ImportedShape& shape, double tolerance_m) {
    const std::size_t n = shape.points.size();
    if (shape.kind != ShapeKind::line || n < 3 || !(tolerance_m > 0)) return shape;
    const LocalFrame frame(shape.points.front());
    const auto height = [&](std::size_t i) { return i < shape.heights.size() ? shape.heights[i] : std::nullopt; };
    std::vector<Place> places;
    for (std::size_t i = 0; i < n; ++i) {
        const Vec2 v = frame.toLocal(shape.points[i]);
        places.push_back({v.x, v.y, height(i) ? height(i)->value_m : 0});
    }
    std::vector<char> stays(n, 0);
    for (std::size_t from = 0; from < n;) {
        const auto same = [&](std::size_t i) {
            return height(i).has_value() == height(from).has_value() &&
                   (!height(i) || height(i)->ref == height(from)->ref);
        };
        std::size_t to = from;
        while (to + 1 < n && same(to + 1)) ++to;
        stays[from] = stays[to] = 1;
        mark(places, from, to, tolerance_m, stays);
        from = to + 1;
    }
    ImportedShape out = shape;
    out.points.clear();
    out.heights.clear();
    for (std::size_t i = 0; i < n; ++i) {
        if (stays[i] == 0) continue;
        out.points.push_back(shape.points[i]);
        if (!shape.heights.empty()) out.heights.push_back(height(i));
    }
    return out;
}

ImportedFile withFlownThinned(ImportedFile file, double tolerance_m) {
    if (!(tolerance_m > 0)) return file;
    for (ImportedShape& s : file.shapes) {
        if (!isFlown(s)) continue;
        const std::size_t before = s.points.size();
        s = thinned(s, tolerance_m);
        file.notes.push_back(
            fmt::format("{}: a flown line, thinned from {} to {} points; none left out lies further than "
                        "{:g} m from it",
                        s.name.empty() ? "a line" : s.name, before, s.points.size(), tolerance_m));
    }
    return file;
}

bool takeHomeOfFlight(Plan& plan, const ImportedFile& file, const std::vector<ShapeRole>& roles) {
    if (plan.home || std::count(roles.begin(), roles.end(), ShapeRole::home) > 0) return false;
    for (std::size_t i = 0; i < std::min(roles.size(), file.shapes.size()); ++i)
        if (roles[i] == ShapeRole::waypoints && isFlown(file.shapes[i])) {
            plan.home = Home{file.shapes[i].points.front(), {}};
            return true;
        }
    return false;
}

}  // namespace anhinga
