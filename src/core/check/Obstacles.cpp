#include "core/check/Obstacles.h"

#include <algorithm>

namespace anhinga {

ObstacleField::ObstacleField(const std::vector<Obstacle>& obstacles, const Terrain* terrain, const LocalFrame& frame)
    : terrain_(terrain), frame_(frame) {
    for (const Obstacle& o : obstacles) {
        if (o.points.empty()) continue;
        Body body{o.id, o.kind, toLocal(frame, o.points), {}, o.margin_m, o.height_m, 0, 0, 0, 0};
        if (o.kind == ObstacleKind::mast) body.reach += o.radius_m;
        if (o.kind != ObstacleKind::trees)
            for (const GeoPoint& p : o.points) {
                const auto ground = terrain != nullptr ? terrain->sample(p) : std::nullopt;
                body.tops.push_back(ground ? std::optional(*ground + o.height_m) : std::nullopt);
            }
        body.west = body.east = body.points[0].x;
        body.south = body.north = body.points[0].y;
        for (const Vec2& p : body.points) {
            body.west = std::min(body.west, p.x);
            body.east = std::max(body.east, p.x);
            body.south = std::min(body.south, p.y);
            body.north = std::max(body.north, p.y);
        }
        body.west -= body.reach;
        body.east += body.reach;
        body.south -= body.reach;
        body.north += body.reach;
        bodies_.push_back(std::move(body));
    }
}

std::optional<double> ObstacleField::topOf(const Body& body, Vec2 at, bool& inside) const {
    inside = false;
    switch (body.kind) {
        case ObstacleKind::mast:
            inside = length(at - body.points[0]) <= body.reach;
            return body.tops[0];
        case ObstacleKind::wire: {
            double nearest = body.reach;
            std::optional<double> top;
            for (std::size_t i = 0; i + 1 < body.points.size(); ++i) {
                const auto d = distanceToSegment(at, body.points[i], body.points[i + 1]);
                if (d.distance_m > nearest) continue;
                nearest = d.distance_m;
                inside = true;
                const auto &a = body.tops[i], &b = body.tops[i + 1];
                top = a && b ? std::optional(*a + (*b - *a) * d.along) : std::nullopt;
            }
            return top;
        }
        case ObstacleKind::trees: {
            inside = contains(body.points, at) || distanceToRing(at, body.points) <= body.reach;
            if (!inside) return std::nullopt;
            const auto ground = terrain_ != nullptr ? terrain_->sample(frame_.toGeo(at)) : std::nullopt;
            return ground ? std::optional(*ground + body.height) : std::nullopt;
        }
    }
    return std::nullopt;
}

std::optional<ObstacleTop> ObstacleField::at(Vec2 at) const {
    std::optional<ObstacleTop> highest;
    for (const Body& body : bodies_) {
        if (at.x < body.west || at.x > body.east || at.y < body.south || at.y > body.north) continue;
        bool inside = false;
        const auto top = topOf(body, at, inside);
        if (!inside) continue;
        if (!highest || !top || (highest->top_amsl_m && *top > *highest->top_amsl_m))
            highest = ObstacleTop{body.id, top};
        if (!top) break;
    }
    return highest;
}

void ObstacleField::criticalAlong(Vec2 a, Vec2 b, std::vector<double>& out) const {
    const double west = std::min(a.x, b.x), east = std::max(a.x, b.x);
    const double south = std::min(a.y, b.y), north = std::max(a.y, b.y);
    for (const Body& body : bodies_) {
        if (east < body.west || west > body.east || north < body.south || south > body.north) continue;
        for (std::size_t i = 0; i < body.points.size(); ++i) {
            const auto d = distanceToSegment(body.points[i], a, b);
            if (d.distance_m <= body.reach) out.push_back(d.along);
            const bool last = i + 1 == body.points.size();
            if (last && body.kind != ObstacleKind::trees) continue;
            if (body.points.size() < 2) continue;
            if (const auto t = crossing(a, b, body.points[i], body.points[last ? 0 : i + 1])) out.push_back(*t);
        }
    }
}

}  // namespace anhinga
