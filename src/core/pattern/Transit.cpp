#include "core/pattern/Transit.h"

#include <algorithm>
#include <cmath>
#include <queue>

#include "core/plan/Plan.h"

namespace anhinga {

namespace {

double signedArea(const Ring& ring) {
    double sum = 0;
    for (std::size_t i = 0; i < ring.size(); ++i) sum += cross(ring[i], ring[(i + 1) % ring.size()]);
    return sum / 2;
}

/// Corners a way may bend at, moved by `margin` to the side where it may be: those that bulge towards it.
Ring bends(const Ring& ring, double margin, bool outside) {
    Ring out;
    const double turn = signedArea(ring) > 0 ? 1 : -1;
    const std::size_t n = ring.size();
    for (std::size_t i = 0; i < n; ++i) {
        const Vec2 a = ring[(i + n - 1) % n], b = ring[i], c = ring[(i + 1) % n];
        if (length(b - a) < 1e-9 || length(c - b) < 1e-9) continue;
        const Vec2 u = (b - a) * (1 / length(b - a)), w = (c - b) * (1 / length(c - b));
        const bool convex = cross(u, w) * turn > 1e-9;
        if (convex != outside) continue;
        // Normals away from the inside, or into it.
        const double side = outside ? turn : -turn;
        const Vec2 nu{u.y * side, -u.x * side}, nw{w.y * side, -w.x * side};
        const Vec2 sum = nu + nw;
        const double reach = dot(sum, sum);
        out.push_back(b + (reach > 0.1 ? sum * (2 * margin / reach) : nu * margin));
    }
    return out;
}

}  // namespace

Transit::Transit(const std::vector<Fence>& fences, const LocalFrame& frame, double margin_m) {
    for (const Fence& f : fences) {
        const Ring ring =
            f.isCircle() ? toLocal(frame, circleOutline(f.outline.front(), f.radius_m, 36)) : toLocal(frame, f.outline);
        if (ring.size() < 3 || selfCrossing(ring)) continue;
        const bool keep_in = f.kind == FenceKind::keepIn;
        bodies_.push_back({keep_in, RingIndex(ring), bends(ring, margin_m, !keep_in)});
    }
}

bool Transit::allowed(Vec2 p) const {
    return std::all_of(bodies_.begin(), bodies_.end(), [&](const Body& b) { return b.ring.contains(p) == b.keep_in; });
}

bool Transit::clear(Vec2 a, Vec2 b) const {
    return std::none_of(bodies_.begin(), bodies_.end(),
                        [&](const Body& body) { return body.ring.firstCrossing(a, b).has_value(); });
}

std::optional<std::vector<Vec2>> Transit::between(Vec2 a, Vec2 b) const {
    if (clear(a, b)) return std::vector<Vec2>{};
    if (!allowed(a) || !allowed(b)) return std::nullopt;
    constexpr std::size_t kMaxNodes = 3000;
    std::vector<Vec2> nodes{a, b};
    for (const Body& body : bodies_)
        for (const Vec2& p : body.corners)
            if (allowed(p) && nodes.size() < kMaxNodes) nodes.push_back(p);
    // A* over corners that see each other; lines of sight are looked for only where the way may lead.
    std::vector<double> known(nodes.size(), INFINITY);
    std::vector<std::size_t> came(nodes.size(), 0);
    std::vector<bool> done(nodes.size(), false);
    using Entry = std::pair<double, std::size_t>;
    std::priority_queue<Entry, std::vector<Entry>, std::greater<>> open;
    known[0] = 0;
    open.emplace(length(b - a), 0);
    while (!open.empty()) {
        const std::size_t at = open.top().second;
        open.pop();
        if (done[at]) continue;
        done[at] = true;
        if (at == 1) break;
        for (std::size_t to = 1; to < nodes.size(); ++to) {
            if (done[to]) continue;
            const double run = known[at] + length(nodes[to] - nodes[at]);
            if (run >= known[to] || !clear(nodes[at], nodes[to])) continue;
            known[to] = run;
            came[to] = at;
            open.emplace(run + length(b - nodes[to]), to);
        }
    }
    if (!done[1]) return std::nullopt;
    std::vector<Vec2> way;
    for (std::size_t k = came[1]; k != 0; k = came[k]) way.push_back(nodes[k]);
    std::reverse(way.begin(), way.end());
    return way;
}

}  // namespace anhinga
