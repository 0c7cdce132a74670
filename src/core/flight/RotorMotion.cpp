// Multirotors and helicopters.
#include <algorithm>
#include <cmath>

#include "core/base/Physics.h"
#include "core/flight/Motion.h"

namespace anhinga {

namespace {
constexpr double kClimbAccel_mps2 = 2;
constexpr double kStopAcceptance_m = 0.5;
constexpr double kPassHeight_m = 5;

/// As much of a wanted velocity as the aircraft can fly through the air: it keeps its track as long as it can, then it
/// drifts.
Vec2 withinAirspeed(Vec2 wanted, Vec2 air, double most) {
    if (length(wanted - air) <= most) return wanted;
    // |s w - air| = most, the larger s.
    const double a = dot(wanted, wanted), b = dot(wanted, air), c = dot(air, air) - most * most;
    const double root = b * b - a * c;
    if (a > 0 && root >= 0 && b + std::sqrt(root) >= 0) return wanted * std::min(1.0, (b + std::sqrt(root)) / a);
    return air + limited(wanted - air, most);
}
}  // namespace

void Flight::RotorMotion::beginItem(Flight& f, std::size_t step, const Leg& before) {
    climb_first_ = f.state_.on_ground;
    if (climb_first_) {
        f.leg_.to = f.leg_.from;
        f.leg_.hold_s = 0;
        f.leg_.spline = false;
        return;
    }
    shapeLeg(f, f.executor_.leg(step), before);
}

bool Flight::RotorMotion::flyItem(Flight& f) {
    if (!follow(f)) return false;
    if (climb_first_) {
        climb_first_ = false;
        const Leg up = f.leg_;
        const std::size_t step = *f.executor_.current();
        f.leg_ = *f.legTo(step, nullptr);
        f.leg_.from_amsl = up.to_amsl;
        shapeLeg(f, f.executor_.leg(step), up);
        return false;
    }
    if (rest_.empty()) return true;
    f.leg_ = rest_.back();
    rest_.pop_back();
    return false;
}

/// The curve of a spline or circle, the speed at the end, and what follows within the same item.
void Flight::RotorMotion::shapeLeg(Flight& f, const ProgramLeg& to, const Leg& before) {
    const GuidanceLimits limits = guidanceLimits(f.setup_.vehicle);
    const Vec2 chord = f.leg_.to - f.leg_.from;
    const bool stops =
        f.leg_.hold_s > 0 || to.kind == LegKind::land || to.kind == LegKind::circle || to.kind == LegKind::toHeight;
    if (to.kind == LegKind::toHeight) {
        Leg up = f.leg_;
        up.from = up.to;
        up.from_amsl = f.leg_.from_amsl;
        f.leg_.to_amsl = f.leg_.from_amsl;
        up.acceptance = f.leg_.acceptance = 1;
        rest_.push_back(up);
    }
    if (to.kind == LegKind::circle && to.turns != 0) {
        Leg circle = f.leg_;
        circle.from_amsl = f.leg_.to_amsl;
        const Vec2 centre = to.placed ? f.frame_.toLocal(to.place) : f.leg_.from;
        auto curve = circleCurve(f.leg_.to, centre, std::max(1.0, to.radius_m), to.turns, 3);
        circle.from = curve.front();
        circle.to = curve.back();
        circle.acceptance = 1;
        // It is left at speed, as autopilots do, unless nothing is flown to after it.
        const auto after = f.executor_.peek();
        const bool goes_on = after && f.legTo(*after, &circle) && f.executor_.leg(*after).kind != LegKind::wait;
        circle.end_speed = goes_on ? f.leg_.speed : 0;
        circle.curve = GuidedCurve(std::move(curve), f.leg_.speed, circle.end_speed, limits);
        rest_.push_back(circle);
    }
    const auto after = f.executor_.peek();
    const auto next = after ? f.legTo(*after, &f.leg_) : std::nullopt;
    const Vec2 next_chord = next ? next->to - next->from : Vec2{};
    Vec2 in = chord, out = next_chord;
    if (f.leg_.spline) {
        Vec2 begin = chord, end = chord;
        const Vec2 came = before.to - before.from;
        if (length(came) > 0.5) begin = before.spline ? f.leg_.to - before.from : came;
        if (next && length(next_chord) > 0.5 && !stops) end = next->spline ? next->to - f.leg_.from : next_chord;
        in = end;
        out = next && length(next_chord) > 0.5 ? end : Vec2{};
        f.leg_.end_speed = stops || !next ? 0 : passingSpeed(f, in, out, *next);
        f.leg_.curve =
            GuidedCurve(splineCurve(f.leg_.from, begin, f.leg_.to, end, 3), f.leg_.speed, f.leg_.end_speed, limits);
        return;
    }
    if (stops || !next || length(next_chord) == 0) {
        // Nothing is flown through to: it goes all the way there.
        f.leg_.acceptance = std::min(f.leg_.acceptance, kStopAcceptance_m);
        return;
    }
    if (next->spline && length(next_chord) > 0.5 && length(chord) > 0.5)
        out = chord;  // the curve starts as this leg ends
    f.leg_.end_speed = passingSpeed(f, in, out, *next);
    // A slope is come to no faster than it is flown.
    f.leg_.brake_before = f.leg_.end_speed < cornerSpeedOf(f, in, out) ? f.leg_.acceptance : 0;
}

double Flight::RotorMotion::cornerSpeedOf(const Flight& f, Vec2 in, Vec2 out) {
    return cornerSpeed(in, out, f.leg_.speed, f.leg_.acceptance, guidanceLimits(f.setup_.vehicle));
}

/// How fast it may go over from leg_ to the next: as the corner allows, and the slope behind it.
double Flight::RotorMotion::passingSpeed(const Flight& f, Vec2 in, Vec2 out, const Leg& next) const {
    return slopeSpeed(length(next.to - next.from), next.to_amsl - next.from_amsl, cornerSpeedOf(f, in, out),
                      guidanceLimits(f.setup_.vehicle));
}

/// Brings velocity towards what is wanted within the limits and moves.
void Flight::RotorMotion::fly(Flight& f, Vec2 wanted, double climb) {
    const VehicleProfile& v = f.setup_.vehicle;
    accelerate(f.state_.velocity, acceleration_, withinAirspeed(wanted, f.air_.at(f.heightHome_m()), v.max_mps),
               guidanceLimits(v), kStep_s);
    const double climb_wanted = std::clamp(climb, -v.descent_mps, v.climb_mps);
    f.state_.climb_mps +=
        std::clamp(climb_wanted - f.state_.climb_mps, -kClimbAccel_mps2 * kStep_s, kClimbAccel_mps2 * kStep_s);
    f.state_.position = f.state_.position + f.state_.velocity * kStep_s;
    f.state_.amsl_m += f.state_.climb_mps * kStep_s;
    f.state_.distance_m += length(f.state_.velocity) * kStep_s;

    const Vec2 air = f.state_.velocity - f.air_.at(f.heightHome_m());
    f.state_.air_mps = length(air);
    // Thrust must give the acceleration and hold against drag: that sets the tilt.
    const double density = airDensity_kgm3(f.state_.amsl_m);
    const double drag = 0.5 * density * v.drag_area_m2 * f.state_.air_mps * f.state_.air_mps / v.mass_kg;
    const Vec2 push = acceleration_ + unit(air) * drag;
    const double yaw = f.state_.yaw_deg * kRadPerDeg;
    const double forward = push.x * std::sin(yaw) + push.y * std::cos(yaw);
    const double right = push.x * std::cos(yaw) - push.y * std::sin(yaw);
    const double blend = 0.4;  // attitude follows in about two steps
    f.wanted_pitch_deg_ = -std::atan2(forward, kStandardGravity_mps2) / kRadPerDeg;
    f.wanted_roll_deg_ = std::atan2(right, kStandardGravity_mps2) / kRadPerDeg;
    f.state_.pitch_deg += blend * (f.wanted_pitch_deg_ - f.state_.pitch_deg);
    f.state_.roll_deg += blend * (f.wanted_roll_deg_ - f.state_.roll_deg);
    const double power = flightPower_w(v, f.state_.air_mps, f.state_.climb_mps, density);
    f.state_.battery.draw(v, power, kStep_s);
    const double hover = flightPower_w(v, 0, 0, density);
    f.state_.throttle_percent = std::clamp(50 * std::cbrt(power * power / (hover * hover)), 0.0, 100.0);
}

bool Flight::RotorMotion::follow(Flight& f) {
    const double rise = f.leg_.to_amsl - f.leg_.from_amsl;
    const GuidanceLimits limits = guidanceLimits(f.setup_.vehicle);
    const GuidedMotion now{f.state_.position, f.state_.velocity, acceleration_};
    Vec2 wanted;
    double height = f.leg_.to_amsl, slope = 0;
    bool along_done = true;
    if (!f.leg_.curve.empty()) {
        wanted = f.leg_.curve.wantedVelocity(now, limits);
        const double share = f.leg_.curve.share(), run = std::max(1.0, f.leg_.curve.length_m());
        height = f.leg_.from_amsl + rise * share;
        slope = share < 1 ? rise / run * length(f.state_.velocity) : 0;
        along_done = share > 0.95;
    } else {
        const GuidedLeg guided{f.leg_.from, f.leg_.to, rise, f.leg_.speed, f.leg_.end_speed, f.leg_.brake_before};
        wanted = wantedVelocity(guided, now, limits);
        const Vec2 line = f.leg_.to - f.leg_.from;
        const double run = length(line);
        if (run > 1 && length(f.leg_.to - f.state_.position) > 1) {
            const double done = dot(f.state_.position - f.leg_.from, line) / run;
            height = f.leg_.from_amsl + rise * std::clamp(done / run, 0.0, 1.0);
            if (done <= run) slope = rise / run * dot(f.state_.velocity, line) / run;
        }
    }
    fly(f, wanted, slope + (height - f.state_.amsl_m) * 1.0);
    const double high = std::abs(f.leg_.to_amsl - f.state_.amsl_m);
    // A point that is flown through is not turned back to for a small lag in height.
    const Vec2 line = f.leg_.to - f.leg_.from;
    if (f.leg_.curve.empty() && f.leg_.end_speed > 0 && high <= kPassHeight_m &&
        dot(f.state_.position - f.leg_.to, line) >= 0 && length(line) > 0)
        return true;
    return along_done && length(f.leg_.to - f.state_.position) <= f.leg_.acceptance && high <= 1.0;
}

void Flight::RotorMotion::descend(Flight& f) {
    const double ground = f.groundHere();
    const double above = f.state_.amsl_m - ground;
    const double rate = above > 8 ? f.setup_.vehicle.descent_mps : f.setup_.vehicle.land_mps;
    fly(f, f.gps_lost_ ? f.air_.at(f.heightHome_m()) : limited((f.leg_.to - f.state_.position) * 0.8, 2), -rate);
    if (f.state_.amsl_m <= ground + 0.05) {
        f.state_.amsl_m = ground;
        f.touchDown();
    }
}

void Flight::RotorMotion::beginReturn(Flight&, bool, const Leg&) {
    return_phase_ = 0;
    over_home_s_ = 0;
    rest_.clear();
}

void Flight::RotorMotion::stepReturn(Flight& f) {
    // Up, across, down after a while.
    if (return_phase_ == 2 && over_home_s_ >= f.setup_.ways.return_wait_s) return descend(f);
    if (!follow(f)) return;
    if (return_phase_ == 2) {
        over_home_s_ += kStep_s;
        return;
    }
    if (return_phase_ == 0) {
        Leg across;
        across.from = f.leg_.to;
        across.from_amsl = across.to_amsl = f.leg_.to_amsl;
        across.speed = f.setup_.vehicle.cruise_mps;
        across.acceptance = 1;
        f.leg_ = across;
    }
    ++return_phase_;
}

void Flight::RotorMotion::resume(bool kept) {
    if (kept) rest_ = std::move(kept_rest_);
}

bool Flight::RotorMotion::nearGround(const Flight& f) const {
    return f.mode_ == FlightMode::returning && length(f.state_.position) < 3 && f.state_.climb_mps < 0;
}

bool Flight::HelicopterMotion::readyToLift(Flight& f) {
    const VehicleProfile& v = f.setup_.vehicle;
    if (spooled_s_ >= v.spool_s) return true;
    spooled_s_ += kStep_s;
    f.state_.battery.draw(v, helicopterPower_w(v, 0, 0, airDensity_kgm3(f.state_.amsl_m), false), kStep_s);
    return false;
}

}  // namespace anhinga
