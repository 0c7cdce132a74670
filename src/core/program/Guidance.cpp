#include "core/program/Guidance.h"

#include <algorithm>
#include <cmath>

namespace anhinga {

namespace {
constexpr double kBrakeShare = 0.7;  // of the acceleration, kept for slowing down
constexpr double kTurnShare = 0.6;   // of the acceleration, kept for turning on a curve
constexpr double kBackMost_mps = 4;  // so fast back to a line it was carried off
/// Where and how fast a motion at `speed` and `accel` along its way is once it brakes as hard as it is planned to.
struct Braking {
    double ahead_m = 0, speed_mps = 0;
};
Braking afterRamp(double speed, double accel, const GuidanceLimits& limits) {
    const double brake = kBrakeShare * limits.accel_mps2, jerk = limits.jerk_mps3;
    const double late = brake * brake / (2 * jerk), forward = std::max(0.0, speed);
    const double ramp_s = std::max(0.0, (accel + brake * forward / (forward + late)) / jerk);
    return {ramp_s * (speed + ramp_s * (accel / 2 - jerk * ramp_s / 6)), speed + ramp_s * (accel - jerk * ramp_s / 2)};
}

/// Speed that is allowed so far before the end of a leg.
double approachSpeed(double end_mps, double left_m, double speed, double accel, const GuidanceLimits& limits) {
    const Braking later = afterRamp(speed, accel, limits);
    const double then = brakingSpeed(end_mps, std::max(0.0, left_m - later.ahead_m), limits);
    return std::max(0.0, std::min(brakingSpeed(end_mps, left_m, limits), then + speed - later.speed_mps));
}
}  // namespace

GuidanceLimits guidanceLimits(const VehicleProfile& v) {
    return {v.accel_mps2, v.climb_mps, v.descent_mps, v.jerk_mps3};
}

Vec2 limited(Vec2 v, double most) {
    const double l = length(v);
    return l > most ? v * (most / l) : v;
}

Vec2 unit(Vec2 v) {
    const double l = length(v);
    return l > 1e-9 ? v * (1 / l) : Vec2{};
}

void accelerate(Vec2& velocity, Vec2& acceleration, Vec2 wanted, const GuidanceLimits& limits, double dt_s) {
    constexpr double kSettle_s = 0.2;  // what is missing is made up in about this time
    const Vec2 missing = wanted - velocity;
    // As much as can be wound down again by the time nothing is missing.
    const double most = std::min(limits.accel_mps2, std::sqrt(2 * limits.jerk_mps3 * length(missing)));
    const Vec2 aim = limited(missing * (1 / kSettle_s), most);
    acceleration = acceleration + limited(aim - acceleration, limits.jerk_mps3 * dt_s);
    velocity = velocity + acceleration * dt_s;
}

Vec2 wantedVelocity(const GuidedLeg& leg, const GuidedMotion& motion, const GuidanceLimits& limits) {
    const Vec2 line = leg.to - leg.from, position = motion.position;
    const double run = length(line);
    const Vec2 gap = leg.to - position, ahead = unit(gap);
    const double left = length(gap);
    const double allowed =
        std::min(slopeSpeed(run, leg.rise_m, leg.speed_mps, limits),
                 approachSpeed(leg.end_speed_mps, std::max(0.0, left - leg.brake_before_m), dot(motion.velocity, ahead),
                               dot(motion.acceleration, ahead), limits));
    if (!(run > 1 && left > 1)) return limited(gap, allowed);
    const Vec2 along = line * (1 / run);
    const double done = dot(position - leg.from, along);
    if (done > run) return unit(gap) * std::min(allowed, left);
    const Vec2 off = position - (leg.from + along * done);
    return limited(along * allowed - limited(off * kCrossTrackGain, kBackMost_mps), allowed + 1);
}

double brakingSpeed(double end_mps, double left_m, const GuidanceLimits& limits) {
    // left = (v^2 - e^2) / 2b + (v - e) b / 2j: at b, and half the time it takes to come to b.
    const double brake = kBrakeShare * limits.accel_mps2;
    const double late = brake * brake / (2 * limits.jerk_mps3);
    return std::sqrt((end_mps + late) * (end_mps + late) + 2 * brake * left_m) - late;
}

double slopeSpeed(double run_m, double rise_m, double speed_mps, const GuidanceLimits& limits) {
    // A leg steeper than the aircraft climbs is flown slower, not cut.
    constexpr double kShare = 0.85;
    const double steepest = rise_m > 0 ? limits.climb_mps : limits.descent_mps;
    if (run_m <= 0.05 || std::abs(rise_m) <= 0.1) return speed_mps;
    return std::min(speed_mps, steepest * kShare * run_m / std::abs(rise_m));
}

double cornerSpeed(Vec2 in, Vec2 out, double speed_mps, double acceptance_m, const GuidanceLimits& limits) {
    const Vec2 a = unit(in), b = unit(out);
    if (length(b) == 0) return 0;
    const double turn = std::acos(std::clamp(dot(a, b), -1.0, 1.0));
    const double cut = 1 / std::max(1e-3, std::cos(turn / 2)) - 1;
    if (cut < 1e-6) return speed_mps;
    const double reach = std::min(acceptance_m, kCornerReachMost_m);
    const double by_accel = std::sqrt(limits.accel_mps2 * reach * 0.5 / cut);
    const double change = std::pow(4 * std::sqrt(limits.jerk_mps3) * reach, 2.0 / 3);
    return std::min({speed_mps, by_accel, change / (2 * std::sin(turn / 2))});
}

double curveSpeed(double radius_m, double speed_mps, const GuidanceLimits& limits) {
    return std::min(speed_mps, std::sqrt(kTurnShare * limits.accel_mps2 * std::max(0.0, radius_m)));
}

std::vector<Vec2> splineCurve(Vec2 from, Vec2 direction_from, Vec2 to, Vec2 direction_to, double step_m) {
    const double chord = length(to - from);
    const Vec2 m0 = unit(direction_from) * chord, m1 = unit(direction_to) * chord;
    const int n = std::clamp(static_cast<int>(std::ceil(chord / step_m)), 4, 2000);
    std::vector<Vec2> curve;
    curve.reserve(static_cast<std::size_t>(n) + 1);
    for (int i = 0; i <= n; ++i) {
        const double t = static_cast<double>(i) / n, t2 = t * t, t3 = t2 * t;
        curve.push_back(from * (2 * t3 - 3 * t2 + 1) + m0 * (t3 - 2 * t2 + t) + to * (-2 * t3 + 3 * t2) +
                        m1 * (t3 - t2));
    }
    return curve;
}

Vec2 splineDirection(Vec2 before, Vec2 after) {
    return unit(after - before);
}

GuidedCurve::GuidedCurve(std::vector<Vec2> points, double speed_mps, double end_speed_mps, const GuidanceLimits& limits)
    : points_(std::move(points)), along_(points_.size(), 0), speed_(points_.size(), speed_mps) {
    if (points_.empty()) return;
    for (std::size_t i = 1; i < points_.size(); ++i) along_[i] = along_[i - 1] + length(points_[i] - points_[i - 1]);
    for (std::size_t i = 1; i + 1 < points_.size(); ++i) {
        const Vec2 a = points_[i] - points_[i - 1], b = points_[i + 1] - points_[i];
        const double turn = std::abs(std::atan2(cross(a, b), dot(a, b)));
        const double run = (length(a) + length(b)) / 2;
        if (turn > 1e-6) speed_[i] = curveSpeed(run / turn, speed_[i], limits);
    }
    speed_.back() = std::min(speed_.back(), end_speed_mps);
    for (std::size_t i = points_.size() - 1; i-- > 0;)
        speed_[i] = std::min(speed_[i], brakingSpeed(speed_[i + 1], along_[i + 1] - along_[i], limits));
}

double GuidedCurve::speedAt(double along_m) const {
    if (along_m >= along_.back()) return speed_.back();
    const auto after = std::upper_bound(along_.begin() + 1, along_.end() - 1, along_m);
    const auto i = static_cast<std::size_t>(after - along_.begin());
    const double run = along_[i] - along_[i - 1];
    const double share = run > 0 ? std::clamp((along_m - along_[i - 1]) / run, 0.0, 1.0) : 1;
    return speed_[i - 1] + (speed_[i] - speed_[i - 1]) * share;
}

Vec2 GuidedCurve::wantedVelocity(const GuidedMotion& motion, const GuidanceLimits& limits) {
    if (points_.size() < 2) return {};
    const Vec2 position = motion.position;
    const auto shareOf = [&](std::size_t s) {
        const Vec2 line = points_[s + 1] - points_[s];
        const double squared = dot(line, line);
        return squared > 0 ? dot(position - points_[s], line) / squared : 1.0;
    };
    while (segment_ + 2 < points_.size() && shareOf(segment_) >= 1) ++segment_;
    const double share = std::clamp(shareOf(segment_), 0.0, 1.0);
    const Vec2 a = points_[segment_], b = points_[segment_ + 1];
    done_m_ = std::max(done_m_, along_[segment_] + (along_[segment_ + 1] - along_[segment_]) * share);
    const Vec2 on = a + (b - a) * share;
    const Vec2 ahead = unit(b - a);
    const double speed = dot(motion.velocity, ahead);
    const Braking later = afterRamp(speed, dot(motion.acceleration, ahead), limits);
    constexpr double kSlowest_mps = 0.3;
    const double here = along_[segment_] + (along_[segment_ + 1] - along_[segment_]) * share;
    const double allowed =
        std::max(kSlowest_mps, std::min(speedAt(here), speedAt(here + later.ahead_m) + speed - later.speed_mps));
    return limited(ahead * allowed + limited((on - position) * kCrossTrackGain, 3), allowed + 1);
}

std::vector<Vec2> circleCurve(Vec2 from, Vec2 centre, double radius_m, double turns, double step_m) {
    const Vec2 out = length(from - centre) > 0.01 ? unit(from - centre) : Vec2{0, 1};
    const double start = std::atan2(out.x, out.y);  // a bearing
    const double whole = 2 * M_PI * turns;
    const int n = std::clamp(static_cast<int>(std::ceil(std::abs(whole) * radius_m / step_m)), 1, 200000);
    std::vector<Vec2> curve;
    curve.reserve(static_cast<std::size_t>(n) + 1);
    for (int i = 0; i <= n; ++i) {
        const double at = start + whole * i / n;
        curve.push_back(centre + Vec2{std::sin(at), std::cos(at)} * radius_m);
    }
    return curve;
}

}  // namespace anhinga
