// Obstacles made ready for sampling: tops AMSL from terrain, in the plane of a path.
#pragma once

#include <optional>
#include <vector>

#include "core/geo/Polygon.h"
#include "core/program/Route.h"

namespace anhinga {

/// What stands at a place of a path, the highest of it.
struct ObstacleTop {
    ItemId id = 0;
    std::optional<double> top_amsl_m;  // unknown where the ground beneath is
};

class ObstacleField {
  public:
    ObstacleField() = default;
    ObstacleField(const std::vector<Obstacle>& obstacles, const Terrain* terrain, const LocalFrame& frame);
    bool empty() const { return bodies_.empty(); }
    /// The highest obstacle whose margin reaches `at`; nothing when there is none. An unknown top counts as highest.
    std::optional<ObstacleTop> at(Vec2 at) const;
    /// Fractions along a-b that must be looked at so that no obstacle is stepped over: the nearest places to masts and
    /// supports, crossings with wires and edges. Unsorted; empty where nothing is near.
    void criticalAlong(Vec2 a, Vec2 b, std::vector<double>& out) const;

  private:
    struct Body {
        ItemId id = 0;
        ObstacleKind kind = ObstacleKind::mast;
        Ring points;
        std::vector<std::optional<double>> tops;  // at each point; trees: see ground below
        double reach = 0, height = 0;
        double west = 0, east = 0, south = 0, north = 0;  // grown by reach
    };
    std::optional<double> topOf(const Body& body, Vec2 at, bool& inside) const;

    std::vector<Body> bodies_;
    const Terrain* terrain_ = nullptr;
    LocalFrame frame_{GeoPoint{}};
};

}  // namespace anhinga
