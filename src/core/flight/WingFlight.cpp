// The fixed-wing part of Flight: legs of a program into pieces of flight, and flying them.
#include <algorithm>
#include <cmath>

#include "core/flight/Flight.h"

namespace anhinga {

namespace {
constexpr double kDeg = M_PI / 180;
}

WingGoal Flight::homeGoal() const {
    WingGoal goal;
    goal.kind = WingGoal::comeHome;
    goal.amsl_m = std::max(state_.amsl_m, setup_.home_amsl_m + setup_.return_height_m);
    goal.speed_mps = wing_limits_.cruise_mps;
    goal.ground_amsl_m = setup_.home_amsl_m;
    if (setup_.terrain) goal.ground_amsl_m = setup_.terrain->sample(setup_.home).value_or(setup_.home_amsl_m);
    return goal;
}

WingGoal Flight::wingGoal(std::size_t step, const Leg& leg) const {
    const ProgramLeg& to = executor_.leg(step);
    WingGoal goal;
    goal.place = leg.to;
    goal.amsl_m = leg.to_amsl;
    goal.speed_mps = leg.speed;
    goal.acceptance_m = leg.acceptance;
    goal.spline = leg.spline;
    goal.hold_s = leg.hold_s;
    if (leg.hold_s > 0) goal.kind = WingGoal::hold;
    if (to.kind == LegKind::hold || to.kind == LegKind::stay) goal.radius_m = to.radius_m;
    if (to.kind == LegKind::circle) {
        goal.kind = to.turns != 0 ? WingGoal::turns : WingGoal::pass;
        goal.place = to.placed ? frame_.toLocal(to.place) : leg.from;
        goal.radius_m = to.turns < 0 ? -to.radius_m : to.radius_m;
        goal.turns_count = std::abs(to.turns);
    }
    if (to.kind == LegKind::toHeight) goal.kind = WingGoal::toHeight;
    if (to.kind == LegKind::land) {
        goal.kind = WingGoal::land;
        const auto ground = setup_.terrain ? setup_.terrain->sample(frame_.toGeo(leg.to)) : std::nullopt;
        goal.amsl_m = ground.value_or(setup_.home_amsl_m);
    }
    return goal;
}

void Flight::takeWing(std::vector<WingLeg> legs) {
    std::reverse(legs.begin(), legs.end());
    wing_legs_ = std::move(legs);
    taking_off_ = false;
    wing_.position = state_.position;
    wing_.amsl_m = state_.amsl_m;
    if (wing_legs_.empty() || wing_legs_.back().shape != WingLeg::run) return;
    taking_off_ = true;
    wing_.rolling = true;
    if (wing_legs_.size() < 2) return;
    const WingLeg& out = wing_legs_[wing_legs_.size() - 2];
    wing_.heading_rad = std::atan2(out.to.x - out.from.x, out.to.y - out.from.y);
}

void Flight::wingTakeOff(double amsl_m, Vec2 towards_place) {
    WingGoal up, on;
    up.kind = WingGoal::takeOff;
    up.amsl_m = amsl_m;
    on.place = towards_place;
    if (length(towards_place - state_.position) < 1) {
        const double yaw = state_.yaw_deg * kDeg;
        on.place = state_.position + Vec2{std::sin(yaw), std::cos(yaw)} * 100;
    }
    takeWing(wingLegs(wing_limits_, state_.position, state_.amsl_m, {}, up, on));
    leg_.from = state_.position;
    leg_.to = wing_legs_.front().to;
    leg_.to_amsl = amsl_m;
    leg_.hold_s = 0;
}

void Flight::wingItem(std::size_t step, const Leg& before) {
    const WingGoal goal = wingGoal(step, leg_);
    std::optional<WingGoal> next;
    if (const auto after = executor_.peek()) {
        if (executor_.leg(*after).kind == LegKind::returnHome)
            next = homeGoal();
        else if (const auto leg = legTo(*after, &leg_))
            next = wingGoal(*after, *leg);
    }
    if (state_.on_ground) {  // no take-off item: up to the first item's height on the way there
        const Leg wanted = leg_;
        wingTakeOff(leg_.to_amsl, leg_.to);
        const Vec2 top = leg_.to;
        auto on = wingLegs(wing_limits_, top, wanted.to_amsl, top - state_.position, goal, next);
        std::reverse(on.begin(), on.end());
        on.insert(on.end(), wing_legs_.begin(), wing_legs_.end());
        wing_legs_ = std::move(on);
        leg_ = wanted;
        leg_.from = top;
        leg_.hold_s = 0;
        return;
    }
    takeWing(wingLegs(wing_limits_, leg_.from, leg_.from_amsl, before.to - before.from, goal, next));
    leg_.to = goal.place;
    leg_.hold_s = 0;
}

/// Flies on along the pieces; true when they have come to their end. With none it circles where it is.
bool Flight::followWing() {
    if (wing_legs_.empty()) {
        if (wing_.rolling) return true;
        if (mode_ != FlightMode::hold) return true;
        wing_legs_.push_back(holdingCircle(wing_limits_, wing_));
    }
    WingLeg& leg = wing_legs_.back();
    if (leg.lands) leg.to_amsl_m = std::max(leg.to_amsl_m, wing_.amsl_m < leg.to_amsl_m + 30 ? groundHere() : -1e9);
    const Vec2 before = wing_.position;
    const bool done = flyWing(wing_, leg, air_.at(heightHome_m()), wing_limits_, kStep_s);
    state_.distance_m += length(wing_.position - before);
    showWing();
    if (!done) return false;
    if (leg.shape == WingLeg::line && taking_off_) taking_off_ = false;
    wing_legs_.pop_back();
    return wing_legs_.empty();
}

/// Position unknown: a gentle turn on its gyros, down, carried along by the wind.
void Flight::driftDown() {
    const Vec2 wind = air_.at(heightHome_m());
    WingState& s = wing_;
    const double turn = 9.80665 * std::tan(10 * kDeg) / std::max(1.0, s.air_mps) * kStep_s;
    s.heading_rad += turn;
    s.bank_rad = 10 * kDeg;
    s.climb_mps = std::max(-setup_.vehicle.descent_mps, s.climb_mps - 1.5 * kStep_s);
    s.velocity = Vec2{std::sin(s.heading_rad), std::cos(s.heading_rad)} * s.air_mps + wind;
    s.position = s.position + s.velocity * kStep_s;
    s.amsl_m += s.climb_mps * kStep_s;
    state_.distance_m += length(s.velocity) * kStep_s;
    showWing();
    if (s.amsl_m > groundHere() + 0.05) return;
    s.amsl_m = state_.amsl_m = groundHere();
    s.rolling = true;
    touchDown();
}

void Flight::showWing() {
    const VehicleProfile& v = setup_.vehicle;
    state_.position = wing_.position;
    state_.velocity = wing_.velocity;
    state_.amsl_m = wing_.amsl_m;
    state_.climb_mps = wing_.climb_mps;
    state_.air_mps = wing_.air_mps;
    state_.roll_deg = wing_.bank_rad / kDeg;
    state_.pitch_deg = std::atan2(wing_.climb_mps, std::max(1.0, wing_.air_mps)) / kDeg;
    wanted_roll_deg_ = state_.roll_deg;
    wanted_pitch_deg_ = state_.pitch_deg;
    const double yaw = wing_.heading_rad / kDeg;
    state_.yaw_deg = yaw < 0 ? yaw + 360 : yaw;
    const double density = airDensity_kgm3(state_.amsl_m);
    const bool stops = wing_.rolling && !taking_off_;
    // Before it flies the propeller gives what it gives on the climb.
    const double power = stops           ? v.other_power_w
                         : wing_.rolling ? wingPower_w(v, wing_limits_.least_mps(), v.climb_mps, density, 0)
                                         : wingPower_w(v, wing_.air_mps, wing_.climb_mps, density, wing_.bank_rad);
    state_.battery.draw(v, power, kStep_s);
    const double most = wingPower_w(v, v.max_mps, v.climb_mps, density, 0);
    state_.throttle_percent = std::clamp(100 * (power - v.other_power_w) / std::max(1.0, most), 0.0, 100.0);
}

}  // namespace anhinga
