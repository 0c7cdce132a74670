#include "core/program/Wing.h"

#include <algorithm>
#include <cmath>

#include "core/base/Physics.h"
#include "core/program/Guidance.h"

namespace anhinga {

namespace {

constexpr double kHeadingGain = 1.2;  // 1/s: heading error into rate of turn
constexpr double kBankKept = 0.85;    // of the most bank: turns are planned with it, the rest steers
constexpr double kBrakes_mps2 = 3;
constexpr double kFinalHeight_m = 40;  // an approach from a circle begins so high above the ground
constexpr double kWingCurveStep_m = 4;

double wrapped(double rad) {
    return std::remainder(rad, 2 * M_PI);
}
double bearing(Vec2 v) {
    return std::atan2(v.x, v.y);
}
Vec2 towards(double rad) {
    return {std::sin(rad), std::cos(rad)};
}

/// What is wanted of the next moment.
struct Wish {
    double course_rad = 0, turn_radps = 0, climb_mps = 0, speed_mps = 0;
    double aim_m = 0;  // how far ahead the place is that the course leads to; 0: the heading is brought to the course
};

/// Rate of turn of the circle that leads through a place so far ahead, `off_rad` from the nose (Park, Deyst and How, "A
/// New Nonlinear Guidance Logic for Trajectory Tracking", 2004): what autopilots bring a wing back to its line with.
double throughPlaceAhead(double air_mps, double ahead_m, double off_rad) {
    constexpr double kLeastAhead_m = 15;
    const double side = std::abs(off_rad) > M_PI / 2 ? std::copysign(1.0, off_rad) : std::sin(off_rad);
    return 2 * air_mps / std::max(kLeastAhead_m, ahead_m) * side;
}

void steer(WingState& s, const Wish& wish, Vec2 wind, const WingLimits& limits, double dt) {
    s.air_mps += std::clamp(wish.speed_mps - s.air_mps, -limits.accel_mps2 * dt, limits.accel_mps2 * dt);
    // The wind triangle: the heading whose air velocity and the wind add up to the course.
    const Vec2 right = towards(wish.course_rad + M_PI / 2);
    const double crab = std::asin(std::clamp(dot(wind, right) / std::max(1.0, s.air_mps), -1.0, 1.0));
    const double heading = wish.course_rad - crab;
    double error = wrapped(heading - s.heading_rad);
    // Straight back: always by the right, so that the same flight is the same twice.
    if (error < -M_PI + 0.25) error += 2 * M_PI;
    const double rate =
        wish.aim_m > 0 ? throughPlaceAhead(s.air_mps, wish.aim_m, error) : wish.turn_radps + kHeadingGain * error;
    const double most = mostBank_rad(limits, s.air_mps);
    const double bank = std::clamp(std::atan(s.air_mps * rate / kStandardGravity_mps2), -most, most);
    s.bank_rad += std::clamp(bank - s.bank_rad, -limits.roll_radps * dt, limits.roll_radps * dt);
    const double turn = kStandardGravity_mps2 * std::tan(s.bank_rad) / std::max(1.0, s.air_mps) * dt;
    const double climb = std::clamp(wish.climb_mps, -limits.descent_mps, limits.climb_mps);
    s.climb_mps += std::clamp(climb - s.climb_mps, -kWingClimbAccel_mps2 * dt, kWingClimbAccel_mps2 * dt);
    const Vec2 mean = towards(s.heading_rad + turn / 2) * s.air_mps + wind;
    s.heading_rad = wrapped(s.heading_rad + turn);
    s.velocity = towards(s.heading_rad) * s.air_mps + wind;
    s.position = s.position + mean * dt;
    s.amsl_m += s.climb_mps * dt;
}

/// Metres ahead at which it aims to be back on its line: so many seconds, as autopilots steer as they are delivered.
double lookAhead(const WingState& s) {
    return std::max(8.0, 3 * length(s.velocity));
}
/// The same on circles and curves, which are flown with the turn they need.
double lookAheadTurning(const WingState& s) {
    return std::max(5.0, 0.96 * length(s.velocity));
}

double climbTo(const WingState& s, double amsl, double slope_mps) {
    return slope_mps + (amsl - s.amsl_m) * 0.6;
}

bool flyLine(WingState& s, WingLeg& leg, Vec2 wind, const WingLimits& limits, double dt) {
    const Vec2 line = leg.to - leg.from;
    const double run = length(line);
    const double rise = leg.to_amsl_m - leg.from_amsl_m;
    if (run < 1) return true;
    const Vec2 along = line * (1 / run);
    const double done = dot(s.position - leg.from, along);
    if (done >= run - leg.reach_m && !leg.lands) return true;
    const Vec2 off = s.position - (leg.from + along * done);
    const double aside = cross(off, along);  // right of the line is positive
    Wish wish;
    wish.course_rad = bearing(along) - std::atan2(aside, lookAhead(s));
    wish.aim_m = std::hypot(aside, lookAhead(s));
    wish.speed_mps = leg.speed_mps;
    const double share = leg.lands ? std::max(0.0, done / run) : std::clamp(done / run, 0.0, 1.0);
    const double slope = done >= 0 && (leg.lands || done <= run) ? rise / run * dot(s.velocity, along) : 0;
    wish.climb_mps = climbTo(s, leg.from_amsl_m + rise * share, slope);
    steer(s, wish, wind, limits, dt);
    if (leg.lands && s.amsl_m <= leg.to_amsl_m + 0.05) {
        s.amsl_m = leg.to_amsl_m;
        s.climb_mps = 0;
        s.bank_rad = 0;
        s.rolling = true;
        return true;
    }
    return false;
}

bool flyCircle(WingState& s, WingLeg& leg, Vec2 wind, const WingLimits& limits, double dt) {
    const double sense = leg.radius_m < 0 ? -1 : 1, radius = std::abs(leg.radius_m);
    const Vec2 out = s.position - leg.to;
    const double far = length(out), at = bearing(out);
    const double ground = std::max(1.0, length(s.velocity));
    Wish wish;
    const double tangent = at + sense * M_PI / 2;
    wish.course_rad = tangent + sense * std::atan((far - radius) / (lookAheadTurning(s)));
    const bool near = std::abs(far - radius) < 0.15 * radius + 4;
    if (near) wish.turn_radps = sense * ground / radius;
    wish.speed_mps = leg.speed_mps;
    wish.climb_mps = climbTo(s, leg.to_amsl_m, 0);
    steer(s, wish, wind, limits, dt);
    const double now = bearing(s.position - leg.to);
    if (near || leg.on_circle) {
        if (leg.on_circle) leg.turned_rad += sense * wrapped(now - leg.last_rad);
        leg.on_circle = true;
        leg.held_s += dt;
    }
    leg.last_rad = now;
    const bool enough = leg.on_circle && ((leg.turns_rad && leg.turned_rad >= *leg.turns_rad) ||
                                          (leg.time_s && leg.held_s >= *leg.time_s) ||
                                          (leg.to_height && std::abs(s.amsl_m - leg.to_amsl_m) <= 1));
    if (!enough) return false;
    if (!leg.leaves_rad) return true;
    // It rolls out a little before.
    const double ahead = ground / radius * std::abs(s.bank_rad) / limits.roll_radps / 2;
    const double course = bearing(s.velocity);
    return sense * wrapped(*leg.leaves_rad - course) >= -0.3 &&
           sense * wrapped(*leg.leaves_rad - course) <= ahead + 0.02;
}

bool flyCurve(WingState& s, WingLeg& leg, Vec2 wind, const WingLimits& limits, double dt) {
    const auto& p = leg.points;
    if (p.size() < 2) return true;
    const auto shareOf = [&](std::size_t i) {
        const Vec2 d = p[i + 1] - p[i];
        return dot(s.position - p[i], d) / std::max(1e-9, dot(d, d));
    };
    while (leg.segment + 2 < p.size() && shareOf(leg.segment) >= 1) ++leg.segment;
    const double share = shareOf(leg.segment);
    if (leg.segment + 2 == p.size() && share >= 1) return true;
    const Vec2 d = p[leg.segment + 1] - p[leg.segment];
    const Vec2 along = unit(d);
    const double aside = cross(s.position - p[leg.segment], along);
    Wish wish;
    wish.course_rad = bearing(along) - std::atan2(aside, lookAheadTurning(s));
    if (leg.segment + 2 < p.size()) {
        const Vec2 next = p[leg.segment + 2] - p[leg.segment + 1];
        wish.turn_radps = wrapped(bearing(next) - bearing(d)) / std::max(0.1, length(d)) * length(s.velocity);
    }
    wish.speed_mps = leg.speed_mps;
    const double done =
        (static_cast<double>(leg.segment) + std::clamp(share, 0.0, 1.0)) / static_cast<double>(p.size() - 1);
    wish.climb_mps = climbTo(s, leg.from_amsl_m + (leg.to_amsl_m - leg.from_amsl_m) * done, 0);
    steer(s, wish, wind, limits, dt);
    return false;
}

/// On the ground: up to flying speed, or down to a stop.
bool roll(WingState& s, const WingLeg& leg, Vec2 wind, const WingLimits& limits, double dt) {
    const bool starts = leg.shape == WingLeg::run;
    const Vec2 nose = towards(s.heading_rad);
    double ground = dot(s.velocity, nose);
    ground = starts ? ground + limits.accel_mps2 * dt : std::max(0.0, ground - kBrakes_mps2 * dt);
    s.velocity = nose * ground;
    s.position = s.position + s.velocity * dt;
    s.air_mps = length(s.velocity - wind);
    if (starts && ground - dot(wind, nose) >= limits.least_mps()) {
        // Off the ground with the nose where the air comes from along the runway's course.
        const Vec2 air = s.velocity - wind;
        s.heading_rad = bearing(air);
        s.rolling = false;
        return true;
    }
    return !starts && ground == 0;
}

/// How far before a corner the turn begins so that it ends on the next line.
double turnReach(const WingLimits& limits, Vec2 in, Vec2 out, double speed) {
    const double turn = std::abs(wrapped(bearing(out) - bearing(in)));
    const double radius = tightestCircle_m(limits, speed);
    const double roll_s = mostBank_rad(limits, speed) / limits.roll_radps;
    // A reversal is not begun further ahead than one radius: it would leave the line too early.
    const double most = turn < 2.2 ? 2 * radius : radius;
    return std::min(most, radius * std::tan(std::min(turn, 2.6) / 2)) + (turn > 0.02 ? speed * roll_s * 0.5 : 0);
}

double speedOf(const WingLimits& limits, double speed) {
    return std::clamp(speed, limits.least_mps(), std::max(limits.least_mps(), limits.max_mps));
}

double circleRadius(const WingLimits& limits, double wanted, double speed) {
    const double least = tightestCircle_m(limits, speed);
    return std::max(std::abs(wanted), least) * (wanted < 0 ? -1 : 1);
}

WingLeg lineTo(Vec2 from, double from_amsl, Vec2 to, double to_amsl, double speed) {
    WingLeg leg;
    leg.from = from;
    leg.to = to;
    leg.from_amsl_m = from_amsl;
    leg.to_amsl_m = to_amsl;
    leg.speed_mps = speed;
    return leg;
}

WingLeg circleAt(Vec2 centre, double amsl, double radius, double speed) {
    WingLeg leg;
    leg.shape = WingLeg::circle;
    leg.to = centre;
    leg.from_amsl_m = leg.to_amsl_m = amsl;
    leg.radius_m = radius;
    leg.speed_mps = speed;
    return leg;
}

/// Down to the ground at a place: straight in where the way is long enough, else down in a circle before the approach.
void landAt(const WingLimits& limits, Vec2 from, double from_amsl, Vec2 came, Vec2 place, double ground, double speed,
            std::vector<WingLeg>& legs) {
    const Vec2 line = place - from;
    const double run = length(line), slope = limits.approachSlope(), high = std::max(0.0, from_amsl - ground);
    const Vec2 along = run > 1 ? line * (1 / run) : length(came) > 0 ? unit(came) : Vec2{0, 1};
    const double glide = high / slope;
    WingLeg stop;
    stop.shape = WingLeg::stop;
    const double settle = 4 * limits.approach_mps();  // to be on the line before it goes down
    Vec2 begin = place - along * glide;
    double begin_amsl = from_amsl;
    if (run >= glide + settle) {
        legs.push_back(lineTo(from, from_amsl, begin, from_amsl, speed));
    } else {
        begin_amsl = ground + std::min(high, kFinalHeight_m);
        begin = place - along * ((begin_amsl - ground) / slope + settle);
        const double radius = circleRadius(limits, limits.circle_m, speed);
        // The circle touches the line of the approach where that begins; it is left there, heading in.
        const Vec2 right{along.y, -along.x};
        const Vec2 centre = begin + right * radius;
        legs.push_back(lineTo(from, from_amsl, centre, from_amsl, speed));
        legs.back().reach_m = 1.5 * radius;
        WingLeg down = circleAt(centre, begin_amsl, radius, limits.approach_mps());
        down.to_height = true;
        down.leaves_rad = bearing(along);
        legs.push_back(down);
        const Vec2 settled = begin + along * settle;
        legs.push_back(lineTo(begin, begin_amsl, settled, begin_amsl, limits.approach_mps()));
        begin = settled;
    }
    WingLeg final = lineTo(begin, begin_amsl, place, ground, limits.approach_mps());
    final.lands = true;
    legs.push_back(final);
    legs.push_back(stop);
}

}  // namespace

WingLimits wingLimits(const VehicleProfile& v) {
    constexpr double kDeg = M_PI / 180;
    WingLimits limits{v.cruise_mps,  v.max_mps,    v.stall_mps,       v.stall_margin_percent / 100, v.climb_mps,
                      v.descent_mps, v.accel_mps2, v.bank_deg * kDeg, v.roll_rate_dps * kDeg,       v.circle_radius_m};
    limits.cruise_mps = std::max(limits.cruise_mps, limits.least_mps());
    return limits;
}

double turnRadius_m(double air_mps, double bank_rad) {
    return air_mps * air_mps / (kStandardGravity_mps2 * std::tan(std::max(0.01, bank_rad)));
}

double mostBank_rad(const WingLimits& limits, double air_mps) {
    const double share = limits.stall_mps * (1 + limits.margin / 2) / std::max(0.1, air_mps);
    const double least_cos = share * share;
    return least_cos >= 1 ? 0.05 : std::min(limits.bank_rad, std::max(0.05, std::acos(least_cos)));
}

double tightestCircle_m(const WingLimits& limits, double air_mps) {
    return turnRadius_m(air_mps, kBankKept * mostBank_rad(limits, air_mps));
}

bool flyWing(WingState& s, WingLeg& leg, Vec2 wind, const WingLimits& limits, double dt) {
    switch (leg.shape) {
        case WingLeg::run:
        case WingLeg::stop:
            return roll(s, leg, wind, limits, dt);
        case WingLeg::line:
            return flyLine(s, leg, wind, limits, dt);
        case WingLeg::circle:
            return flyCircle(s, leg, wind, limits, dt);
        case WingLeg::curve:
            return flyCurve(s, leg, wind, limits, dt);
    }
    return true;
}

Vec2 climbOutEnd(const WingLimits& limits, Vec2 from, double rise_m, Vec2 next) {
    const Vec2 way = next - from;
    return from + (length(way) > 1 ? unit(way) : Vec2{0, 1}) * (std::max(5.0, rise_m) / limits.climbSlope());
}

WingLeg holdingCircle(const WingLimits& limits, const WingState& s) {
    const double radius = circleRadius(limits, limits.circle_m, limits.cruise_mps);
    const Vec2 right = towards(s.heading_rad + M_PI / 2);
    return circleAt(s.position + right * radius, s.amsl_m, radius, limits.cruise_mps);
}

std::vector<WingLeg> wingLegs(const WingLimits& limits, Vec2 from, double from_amsl, Vec2 came, const WingGoal& goal,
                              const std::optional<WingGoal>& next) {
    std::vector<WingLeg> legs;
    const double speed = speedOf(limits, goal.speed_mps);
    const Vec2 chord = goal.place - from;
    const double run = length(chord);
    const double radius = circleRadius(limits, goal.radius_m != 0 ? goal.radius_m : limits.circle_m, speed);
    const auto way = [&](double to_amsl) {
        WingLeg leg = lineTo(from, from_amsl, goal.place, to_amsl, speed);
        leg.reach_m = std::min(1.5 * std::abs(radius), 0.9 * run);
        return leg;
    };
    switch (goal.kind) {
        case WingGoal::pass: {
            const Vec2 on = next ? next->place - goal.place : Vec2{};
            if (goal.spline && run > 1) {
                const Vec2 in = length(came) > 0.5 ? came : chord;
                const Vec2 out = next && length(on) > 0.5 ? (next->spline ? next->place - from : on) : chord;
                WingLeg leg = lineTo(from, from_amsl, goal.place, goal.amsl_m, speed);
                leg.shape = WingLeg::curve;
                leg.points = splineCurve(from, in, goal.place, out, kWingCurveStep_m);
                legs.push_back(leg);
                break;
            }
            WingLeg leg = lineTo(from, from_amsl, goal.place, goal.amsl_m, speed);
            const bool turns = next && length(on) > 1 && !next->spline;
            leg.reach_m = turns ? std::min(turnReach(limits, chord, on, speed), 0.45 * std::min(run, length(on))) : 0;
            if (goal.own_acceptance && turns)
                leg.reach_m = std::min(goal.acceptance_m, run);
            else
                leg.reach_m = std::max(leg.reach_m, std::min(goal.acceptance_m, 0.45 * run));
            legs.push_back(leg);
            break;
        }
        case WingGoal::hold:
        case WingGoal::turns:
        case WingGoal::toHeight: {
            legs.push_back(way(goal.kind == WingGoal::toHeight ? from_amsl : goal.amsl_m));
            WingLeg circle = circleAt(goal.place, goal.amsl_m, radius, speed);
            if (goal.kind == WingGoal::hold) circle.time_s = goal.hold_s;
            if (goal.kind == WingGoal::turns) circle.turns_rad = std::abs(goal.turns_count) * 2 * M_PI;
            circle.to_height = goal.kind == WingGoal::toHeight;
            legs.push_back(circle);
            break;
        }
        case WingGoal::takeOff: {
            WingLeg start;
            start.shape = WingLeg::run;
            legs.push_back(start);
            const Vec2 end = climbOutEnd(limits, from, goal.amsl_m - from_amsl, next ? next->place : from + came);
            legs.push_back(lineTo(from, from_amsl, end, goal.amsl_m, limits.cruise_mps));
            break;
        }
        case WingGoal::land:
            landAt(limits, from, from_amsl, came, goal.place, goal.amsl_m, speed, legs);
            break;
        case WingGoal::comeHome: {
            Vec2 here = from;
            double height = from_amsl;
            if (goal.amsl_m > from_amsl + 1) {
                // Up on the way; near home there is no way long enough: up in a circle first.
                const double needs = (goal.amsl_m - from_amsl) / limits.climbSlope();
                if (needs < 0.6 * run) {
                    here = from + unit(chord) * needs;
                    legs.push_back(lineTo(from, from_amsl, here, goal.amsl_m, speed));
                } else {
                    WingLeg up = circleAt(from, goal.amsl_m, radius, speed);
                    up.to_height = true;
                    if (run > 1) up.leaves_rad = bearing(chord);
                    legs.push_back(up);
                }
                height = goal.amsl_m;
            }
            landAt(limits, here, height, chord, goal.place, goal.ground_amsl_m, speed, legs);
            break;
        }
    }
    return legs;
}

}  // namespace anhinga
