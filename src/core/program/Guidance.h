// How a multirotor is guided along a leg: the speed it may have, how it turns a corner, how it comes back to the line.
// One law, used by the flight simulation and by the line that is drawn and checked, so that both are the same line.
// Plane coordinates in metres, speeds in m/s.
#pragma once

#include <cstddef>
#include <vector>

#include "core/geo/Geo.h"
#include "core/plan/Vehicle.h"

namespace anhinga {

constexpr double kCrossTrackGain = 0.8;     // 1/s: metres off the line turned into metres a second back to it
constexpr double kCornerReachMost_m = 5.0;  // corners are not cut wider than this, however large the acceptance

/// A vector of at most this length; and of length 1 (zero stays zero).
Vec2 limited(Vec2 v, double most);
Vec2 unit(Vec2 v);

struct GuidedLeg {
    Vec2 from, to;
    double rise_m = 0;  // height gained over the leg
    double speed_mps = 0, end_speed_mps = 0;
    double brake_before_m = 0;  // the end speed is kept from so far before its end
};
struct GuidanceLimits {
    double accel_mps2 = 2.5, climb_mps = 3, descent_mps = 2, jerk_mps3 = 4;
    bool operator==(const GuidanceLimits&) const = default;
};
GuidanceLimits guidanceLimits(const VehicleProfile& vehicle);

/// One step of a multirotor towards a wanted velocity, through acceleration and jerk limit.
void accelerate(Vec2& velocity, Vec2& acceleration, Vec2 wanted, const GuidanceLimits& limits, double dt_s);

struct GuidedMotion {
    Vec2 position, velocity, acceleration;
};

/// Velocity wanted of a motion: along the leg, back towards it where off, slow enough to stop or turn at its end, and
/// no faster than the climb allows. Its braking begins so early that the acceleration there is can be wound down first.
Vec2 wantedVelocity(const GuidedLeg& leg, const GuidedMotion& motion, const GuidanceLimits& limits);

/// How fast it may be this far before a place where it is to have `end_mps`: the braking builds up within the jerk
/// limit and needs no more than the share of the acceleration that is kept for it.
double brakingSpeed(double end_mps, double left_m, const GuidanceLimits& limits);

/// How fast a leg of this length and rise may be flown, so that the climb keeps up with it; at most `speed_mps`.
double slopeSpeed(double run_m, double rise_m, double speed_mps, const GuidanceLimits& limits);

/// How fast a corner from direction `in` to direction `out` may be passed so that the path stays within `acceptance_m`:
/// an arc of radius v^2/a cuts it by r (1/cos(turn/2) - 1), and where the jerk limit rules, a change of velocity of dv
/// takes 2 sqrt(dv/j), in which it is carried aside by a quarter of what the whole change would.
double cornerSpeed(Vec2 in, Vec2 out, double speed_mps, double acceptance_m, const GuidanceLimits& limits);

/// How fast a curve of this radius may be flown: a share of the acceleration is kept for the turn.
double curveSpeed(double radius_m, double speed_mps, const GuidanceLimits& limits);

/// A smooth curve between two points that leaves and arrives in given directions: a cubic Hermite spline whose tangents
/// are as long as the chord, so that it does not loop. Points about every `step_m`, both ends included.
std::vector<Vec2> splineCurve(Vec2 from, Vec2 direction_from, Vec2 to, Vec2 direction_to, double step_m);
/// Direction at a spline waypoint: parallel to the line from the point before to the point after.
Vec2 splineDirection(Vec2 before, Vec2 after);

/// Following a curve: speed at each point is kept so low that the turn needs less than 0.6 of the acceleration.
class GuidedCurve {
  public:
    GuidedCurve() = default;
    GuidedCurve(std::vector<Vec2> points, double speed_mps, double end_speed_mps, const GuidanceLimits& limits);
    bool empty() const { return points_.empty(); }
    const std::vector<Vec2>& points() const { return points_; }
    double length_m() const { return along_.empty() ? 0 : along_.back(); }
    /// Velocity wanted of a motion; progress only goes forward.
    Vec2 wantedVelocity(const GuidedMotion& motion, const GuidanceLimits& limits);
    /// Share of the curve flown, 0..1, as of the last wantedVelocity().
    double share() const { return length_m() > 0 ? done_m_ / length_m() : 1; }

  private:
    double speedAt(double along_m) const;

    std::vector<Vec2> points_;
    std::vector<double> along_, speed_;
    std::size_t segment_ = 0;
    double done_m_ = 0;
};

/// A circle of `turns` turns (clockwise seen from above, negative the other way) about `centre`, begun at the place of
/// the circle nearest to `from`. At least one step; points at most `step_m` apart.
std::vector<Vec2> circleCurve(Vec2 from, Vec2 centre, double radius_m, double turns, double step_m);

}  // namespace anhinga
