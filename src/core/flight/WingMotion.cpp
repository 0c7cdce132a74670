// Fixed wings: entries of a program into pieces of flight, and flying them.
#include <algorithm>
#include <cmath>

#include "core/flight/Motion.h"

namespace anhinga {

Flight::WingMotion::WingMotion(const Flight& f) : limits_(wingLimits(f.setup_.vehicle)) {
    wing_.amsl_m = f.state_.amsl_m;
    wing_.rolling = true;
}

WingGoal Flight::WingMotion::homeGoal(const Flight& f) const {
    WingGoal goal;
    goal.kind = f.setup_.ways.wing_lands ? WingGoal::comeHome : WingGoal::hold;
    goal.amsl_m = f.returnAmsl();
    goal.hold_s = HUGE_VAL;
    goal.speed_mps = limits_.cruise_mps;
    goal.ground_amsl_m = f.setup_.home_amsl_m;
    if (f.setup_.terrain) goal.ground_amsl_m = f.setup_.terrain->sample(f.setup_.home).value_or(f.setup_.home_amsl_m);
    return goal;
}

WingGoal Flight::WingMotion::goalOf(const Flight& f, std::size_t step, const Leg& leg) const {
    const ProgramLeg& to = f.executor_.leg(step);
    WingGoal goal;
    goal.place = leg.to;
    goal.amsl_m = leg.to_amsl;
    goal.speed_mps = leg.speed;
    goal.acceptance_m = leg.acceptance;
    goal.own_acceptance = f.setup_.ways.acceptance_m > 0;
    goal.spline = leg.spline;
    goal.hold_s = leg.hold_s;
    if (leg.hold_s > 0) goal.kind = WingGoal::hold;
    if (to.kind == LegKind::hold || to.kind == LegKind::stay) goal.radius_m = to.radius_m;
    if (to.kind == LegKind::circle) {
        goal.kind = to.turns != 0 ? WingGoal::turns : WingGoal::pass;
        goal.place = to.placed ? f.frame_.toLocal(to.place) : leg.from;
        goal.radius_m = to.turns < 0 ? -to.radius_m : to.radius_m;
        goal.turns_count = std::abs(to.turns);
    }
    if (to.kind == LegKind::toHeight) goal.kind = WingGoal::toHeight;
    if (to.kind == LegKind::land) {
        goal.kind = WingGoal::land;
        const auto ground = f.setup_.terrain ? f.setup_.terrain->sample(f.frame_.toGeo(leg.to)) : std::nullopt;
        goal.amsl_m = ground.value_or(f.setup_.home_amsl_m);
    }
    return goal;
}

void Flight::WingMotion::take(const Flight& f, std::vector<WingLeg> legs) {
    std::reverse(legs.begin(), legs.end());
    pieces_ = std::move(legs);
    taking_off_ = false;
    wing_.position = f.state_.position;
    wing_.amsl_m = f.state_.amsl_m;
    if (pieces_.empty() || pieces_.back().shape != WingLeg::run) return;
    taking_off_ = true;
    wing_.rolling = true;
    if (pieces_.size() < 2) return;
    const WingLeg& out = pieces_[pieces_.size() - 2];
    wing_.heading_rad = std::atan2(out.to.x - out.from.x, out.to.y - out.from.y);
}

void Flight::WingMotion::takeOff(Flight& f, double amsl_m, Vec2 towards_place) {
    WingGoal up, on;
    up.kind = WingGoal::takeOff;
    up.amsl_m = amsl_m;
    on.place = towards_place;
    if (length(towards_place - f.state_.position) < 1) {
        const double yaw = f.state_.yaw_deg * kRadPerDeg;
        on.place = f.state_.position + Vec2{std::sin(yaw), std::cos(yaw)} * 100;
    }
    take(f, wingLegs(limits_, f.state_.position, f.state_.amsl_m, {}, up, on));
    f.leg_.from = f.state_.position;
    f.leg_.to = pieces_.front().to;
    f.leg_.to_amsl = amsl_m;
    f.leg_.hold_s = 0;
}

void Flight::WingMotion::beginItem(Flight& f, std::size_t step, const Leg& before) {
    const WingGoal goal = goalOf(f, step, f.leg_);
    std::optional<WingGoal> next;
    if (const auto after = f.executor_.peek()) {
        if (f.executor_.leg(*after).kind == LegKind::returnHome)
            next = homeGoal(f);
        else if (const auto leg = f.legTo(*after, &f.leg_))
            next = goalOf(f, *after, *leg);
    }
    if (f.state_.on_ground) {  // no take-off item: up to the first item's height on the way there
        const Leg wanted = f.leg_;
        takeOff(f, f.leg_.to_amsl, f.leg_.to);
        const Vec2 top = f.leg_.to;
        auto on = wingLegs(limits_, top, wanted.to_amsl, top - f.state_.position, goal, next);
        std::reverse(on.begin(), on.end());
        on.insert(on.end(), pieces_.begin(), pieces_.end());
        pieces_ = std::move(on);
        f.leg_ = wanted;
        f.leg_.from = top;
        f.leg_.hold_s = 0;
        return;
    }
    take(f, wingLegs(limits_, f.leg_.from, f.leg_.from_amsl, before.to - before.from, goal, next));
    f.leg_.to = goal.place;
    f.leg_.hold_s = 0;
}

/// Flies on along the pieces; true when they have come to their end. With none it circles where it is.
bool Flight::WingMotion::follow(Flight& f) {
    if (pieces_.empty()) {
        if (wing_.rolling) return true;
        if (f.mode_ != FlightMode::hold) return true;
        pieces_.push_back(holdingCircle(limits_, wing_));
    }
    WingLeg& leg = pieces_.back();
    if (leg.lands) leg.to_amsl_m = std::max(leg.to_amsl_m, wing_.amsl_m < leg.to_amsl_m + 30 ? f.groundHere() : -1e9);
    const Vec2 before = wing_.position;
    const bool done = flyWing(wing_, leg, f.air_.at(f.heightHome_m()), limits_, kStep_s);
    f.state_.distance_m += length(wing_.position - before);
    show(f);
    if (!done) return false;
    if (leg.shape == WingLeg::line && taking_off_) taking_off_ = false;
    pieces_.pop_back();
    return pieces_.empty();
}

/// Position unknown: a gentle turn on its gyros, down, carried along by the wind.
void Flight::WingMotion::driftDown(Flight& f) {
    const Vec2 wind = f.air_.at(f.heightHome_m());
    WingState& s = wing_;
    const double turn = 9.80665 * std::tan(10 * kRadPerDeg) / std::max(1.0, s.air_mps) * kStep_s;
    s.heading_rad += turn;
    s.bank_rad = 10 * kRadPerDeg;
    s.climb_mps = std::max(-f.setup_.vehicle.descent_mps, s.climb_mps - 1.5 * kStep_s);
    s.velocity = Vec2{std::sin(s.heading_rad), std::cos(s.heading_rad)} * s.air_mps + wind;
    s.position = s.position + s.velocity * kStep_s;
    s.amsl_m += s.climb_mps * kStep_s;
    f.state_.distance_m += length(s.velocity) * kStep_s;
    show(f);
    if (s.amsl_m > f.groundHere() + 0.05) return;
    s.amsl_m = f.state_.amsl_m = f.groundHere();
    s.rolling = true;
    f.touchDown();
}

void Flight::WingMotion::show(Flight& f) {
    const VehicleProfile& v = f.setup_.vehicle;
    f.state_.position = wing_.position;
    f.state_.velocity = wing_.velocity;
    f.state_.amsl_m = wing_.amsl_m;
    f.state_.climb_mps = wing_.climb_mps;
    f.state_.air_mps = wing_.air_mps;
    f.state_.roll_deg = wing_.bank_rad / kRadPerDeg;
    f.state_.pitch_deg = std::atan2(wing_.climb_mps, std::max(1.0, wing_.air_mps)) / kRadPerDeg;
    f.wanted_roll_deg_ = f.state_.roll_deg;
    f.wanted_pitch_deg_ = f.state_.pitch_deg;
    const double yaw = wing_.heading_rad / kRadPerDeg;
    f.state_.yaw_deg = yaw < 0 ? yaw + 360 : yaw;
    const double density = airDensity_kgm3(f.state_.amsl_m);
    const bool stops = wing_.rolling && !taking_off_;
    // Before it flies the propeller gives what it gives on the climb.
    const double power = stops           ? v.other_power_w
                         : wing_.rolling ? wingPower_w(v, limits_.least_mps(), v.climb_mps, density, 0)
                                         : wingPower_w(v, wing_.air_mps, wing_.climb_mps, density, wing_.bank_rad);
    f.state_.battery.draw(v, power, kStep_s);
    const double most = wingPower_w(v, v.max_mps, v.climb_mps, density, 0);
    f.state_.throttle_percent = std::clamp(100 * (power - v.other_power_w) / std::max(1.0, most), 0.0, 100.0);
}

void Flight::WingMotion::beginOrdered(Flight& f) {
    WingGoal goal;
    goal.place = f.leg_.to;
    goal.amsl_m = f.leg_.to_amsl;
    goal.speed_mps = f.leg_.speed;
    goal.acceptance_m = 30;
    take(f, wingLegs(limits_, f.state_.position, f.state_.amsl_m, f.state_.velocity, goal, {}));
}

void Flight::WingMotion::beginReturn(Flight& f, bool planned, const Leg& before) {
    const Vec2 from = planned ? before.to : f.state_.position;
    const double amsl = planned ? before.to_amsl : f.state_.amsl_m;
    take(f, wingLegs(limits_, from, amsl, planned ? before.to - before.from : f.state_.velocity, homeGoal(f), {}));
}

bool Flight::WingMotion::waitsOverHome(const Flight& f) const {
    return !f.setup_.ways.wing_lands && pieces_.size() <= 1 && !wing_.rolling && !f.gps_lost_;
}

void Flight::WingMotion::beginLanding(Flight& f) {
    WingGoal goal;
    goal.kind = WingGoal::land;
    goal.place = f.state_.position;
    goal.amsl_m = f.groundHere();
    goal.speed_mps = limits_.cruise_mps;
    take(f, wingLegs(limits_, f.state_.position, f.state_.amsl_m, f.state_.velocity, goal, {}));
}

void Flight::WingMotion::descend(Flight& f) {
    if (f.gps_lost_) return driftDown(f);
    if (follow(f)) f.touchDown();
}

void Flight::WingMotion::changeSpeed(double mps) {
    for (WingLeg& leg : pieces_) leg.speed_mps = mps;
}

bool Flight::WingMotion::nearGround(const Flight&) const {
    if (wing_.rolling || pieces_.empty()) return wing_.rolling;
    return pieces_.back().lands || pieces_.back().shape == WingLeg::stop || taking_off_;
}

}  // namespace anhinga
