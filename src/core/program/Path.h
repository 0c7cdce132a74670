// The geometric path of a program, for drawing, profile and checks.
#pragma once

#include <optional>
#include <string>
#include <vector>

#include "core/program/Guidance.h"
#include "core/program/Program.h"

namespace anhinga {

/// A place on the way. `amsl_m` is unknown where home or terrain does not tell.
struct PathPoint {
    GeoPoint position;
    std::optional<double> amsl_m;
    ItemId source = 0;                         // kHomeId for home
    double along_m = 0;                        // distance flown from the start of the path
    Vec2 local = {};                           // in Path::frame
    std::optional<double> over_ground_m = {};  // asked for, where the height was asked for so
    bool on_the_way = false;                   // leads along the ground to the item it is of
};

/// "Waypoint 3", "way to Waypoint 3".
std::string pointText(const Plan& plan, const PathPoint& point);

/// One point of the line that is flown.
struct LinePoint {
    GeoPoint position;
    Vec2 local;  // in Path::frame
    std::optional<double> amsl_m;
    double along_m = 0;
};

/// From `points[from]` to `points[to]`, flown along `line[line_from] .. line[line_to - 1]` of the path: corners cut and
/// swung out as the vehicle will, curves and circles as points. A leg's line begins where the leg before it lets go.
/// Legs in itinerary order first, then the legs only a Repeat flies.
struct PathLeg {
    std::size_t from = 0, to = 0;
    bool repeat = false;
    bool climb = false;  // from or to the ground, or up and down at one place (sloped for a fixed wing)
    bool way_home = false;
    bool curve = false;    // spline or circle
    ItemId source = 0;     // the item the leg leads to (for a repeat: the item it hangs on)
    ItemId item_from = 0;  // the item it comes from; kHomeId for home
    std::size_t line_from = 0, line_to = 0;
};

/// How the aircraft moves at one moment, on the plane of Path::frame.
struct Motion {
    Vec2 position, velocity;
    std::optional<double> amsl_m = {};
    bool operator==(const Motion& o) const {
        return position == o.position && velocity == o.velocity && amsl_m == o.amsl_m;
    }
};

/// All that decides how a straight leg is flown, and how it was let go.
struct FlownLeg {
    bool straight = false;
    GeoPoint place;  // its end
    Vec2 from, to;
    std::optional<double> from_amsl_m, to_amsl_m;
    double speed_mps = 0, end_speed_mps = 0, acceptance_m = 0;
    bool stops = false;
    Motion begin, end;
    /// Whether `o` is flown along the same line; ends apart.
    bool sameAs(const FlownLeg& o) const {
        return straight && o.straight && place == o.place && from == o.from && to == o.to &&
               from_amsl_m == o.from_amsl_m && to_amsl_m == o.to_amsl_m && speed_mps == o.speed_mps &&
               end_speed_mps == o.end_speed_mps && acceptance_m == o.acceptance_m && stops == o.stops &&
               begin == o.begin;
    }
};

struct Path {
    std::vector<PathPoint> points;
    std::vector<PathLeg> legs;
    std::vector<LinePoint> line;
    LocalFrame frame{GeoPoint{}};
    double length_m = 0;          // of the itinerary legs as flown, each once
    std::vector<FlownLeg> flown;  // of the itinerary legs
    GuidanceLimits limits;        // they were flown with
};

/// First the climb above home, then across (a multirotor's first move); return home climbs to the return height first.
/// With an earlier path, legs that are flown as they were in it are taken from there; the result is the same.
Path pathOf(const Plan& plan, const FlightProgram& program, const Terrain* terrain, const Path* before = nullptr);

}  // namespace anhinga
