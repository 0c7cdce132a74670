// How a fixed wing is flown: turns by banking, circles where a multirotor would hover, a climb-out, an approach. One
// law, used by the flight simulation (in wind) and by the line that is drawn and checked (in still air), so that both
// are the same line. Plane coordinates in metres (x east, y north), angles in radians clockwise from north unless a
// name says degrees. Formulas: docs/formulas.md, "Motion (fixed wing)".
#pragma once

#include <optional>
#include <vector>

#include "core/geo/Geo.h"
#include "core/plan/Vehicle.h"

namespace anhinga {

constexpr double kWingClimbAccel_mps2 = 1.5;  // the nose goes up and down no quicker

struct WingLimits {
    double cruise_mps = 16, max_mps = 24;
    double stall_mps = 9, margin = 0.2;  // the margin as a share of the stall
    double climb_mps = 3, descent_mps = 2.5, accel_mps2 = 2.5;
    double bank_rad = 0.6, roll_radps = 1;
    double circle_m = 60;
    /// The slowest it is flown, wings level.
    double least_mps() const { return stall_mps * (1 + margin); }
    double approach_mps() const { return 1.1 * least_mps(); }
    /// Height lost or gained over distance: on approach, on the climb-out.
    double approachSlope() const { return 0.7 * descent_mps / approach_mps(); }
    double climbSlope() const { return 0.75 * climb_mps / cruise_mps; }
    bool operator==(const WingLimits&) const = default;
};
WingLimits wingLimits(const VehicleProfile& vehicle);

/// Radius of a level turn: v^2 / (g tan bank).
double turnRadius_m(double air_mps, double bank_rad);
/// The tightest circle it is planned to fly: with some of its bank kept for steering.
double tightestCircle_m(const WingLimits& limits, double air_mps);
/// The most it may bank at this airspeed: the profile's limit, or less so that the stall, which rises with 1 / sqrt(cos
/// bank), stays half the margin away.
double mostBank_rad(const WingLimits& limits, double air_mps);

struct WingState {
    Vec2 position, velocity;  // over ground
    double amsl_m = 0, climb_mps = 0;
    double heading_rad = 0, bank_rad = 0, air_mps = 0;
    bool rolling = false;  // on its wheels, or in the hand: not yet flying, or not any more
};

/// One piece of a flight.
struct WingLeg {
    enum Shape { run, line, circle, curve, stop } shape = line;
    Vec2 from, to;  // line; `to` is the centre of a circle
    double from_amsl_m = 0, to_amsl_m = 0;
    double speed_mps = 16;                            // through the air
    double reach_m = 0;                               // line: lets go so far before its end
    double radius_m = 0;                              // circle: negative turns left
    std::optional<double> turns_rad, time_s;          // circle: ends after so much of it ...
    bool to_height = false;                           // ... or at to_amsl_m; for ever when none is set
    std::optional<double> leaves_rad;                 // circle: then goes on until it heads there
    bool lands = false;                               // line: down to the ground
    std::vector<Vec2> points;                         // curve
    std::size_t segment = 0;                          // curve: progress
    double turned_rad = 0, held_s = 0, last_rad = 0;  // circle: progress
    bool on_circle = false;
};

/// Flies on for `dt_s` in a wind (velocity of the air, m/s); true when the leg has come to its end. The vehicle's
/// course is held against the wind by its heading: velocity = air velocity + wind, always.
bool flyWing(WingState& state, WingLeg& leg, Vec2 wind, const WingLimits& limits, double dt_s);

/// Where an item of the itinerary takes a fixed wing.
struct WingGoal {
    enum Kind { pass, hold, turns, toHeight, land, takeOff, comeHome } kind = pass;
    Vec2 place;
    double amsl_m = 0;  // land: of the ground there; comeHome: of the way
    double speed_mps = 16, acceptance_m = 2;
    double hold_s = 0, turns_count = 1, radius_m = 0;
    bool own_acceptance = false;  // it goes over to the next line there, however wide it turns
    bool spline = false;
    double ground_amsl_m = 0;  // comeHome: of home
};

/// The pieces that lead from a place and height to a goal, and let go of it towards `next` (nothing: it ends there).
/// `came` is the direction it arrives from before, for splines and landings; may be zero.
std::vector<WingLeg> wingLegs(const WingLimits& limits, Vec2 from, double from_amsl_m, Vec2 came, const WingGoal& goal,
                              const std::optional<WingGoal>& next);
/// Where a climb-out from `from` towards `next` ends.
Vec2 climbOutEnd(const WingLimits& limits, Vec2 from, double rise_m, Vec2 next);
/// A circle without end about a place near by, at the present height: what "hold" is for a fixed wing.
WingLeg holdingCircle(const WingLimits& limits, const WingState& state);

}  // namespace anhinga
