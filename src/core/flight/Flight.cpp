#include "core/flight/Flight.h"
#include "core/base/Modes.h"
#include "core/base/Physics.h"

#include <utility>

namespace anhinga {

namespace {
constexpr double kDeg = M_PI / 180;
constexpr double kClimbAccel_mps2 = 2;
constexpr double kStopAcceptance_m = 0.5;
constexpr double kPassHeight_m = 5;
constexpr double kDisarmAfter_s = 1.5;  // on the ground

}  // namespace

const char* modeText(FlightMode mode) {
    switch (mode) {
        case FlightMode::standby:
            return "standby";
        case FlightMode::hold:
            return "hold";
        case FlightMode::takingOff:
            return "take off";
        case FlightMode::mission:
            return "mission";
        case FlightMode::returning:
            return "return";
        case FlightMode::landing:
            return "land";
        case FlightMode::led:
            return modeWord(ModeKind::led);
    }
    return "";
}

Flight::Flight(FlightSetup setup) : setup_(std::move(setup)), frame_(setup_.home), air_(setup_.wind) {
    state_.amsl_m = setup_.home_amsl_m;
    state_.battery.voltage_v = setup_.vehicle.battery_cells * 4.2;
    wing_limits_ = wingLimits(setup_.vehicle);
    wing_.amsl_m = state_.amsl_m;
    wing_.rolling = true;
}

void Flight::drainTo(double left_percent) {
    if (left_percent >= state_.battery.left_percent) return;
    state_.battery.left_percent = std::max(0.0, left_percent);
    state_.battery.used_wh = setup_.vehicle.battery_wh * (1 - state_.battery.left_percent / 100);
}

void Flight::loseGps() {
    if (!state_.armed || state_.on_ground || gps_lost_) return;
    gps_lost_ = true;
    note(FlightEvent::message, 0, "position is lost: landing here, drifting with the wind");
    mission_ended_ = true;
    (void)land();
}

void Flight::loseLink() {
    if (!state_.armed || state_.on_ground || mode_ == FlightMode::landing || mode_ == FlightMode::returning) return;
    endAction(setup_.lost_link, "the link is lost");
}

void Flight::endAction(SafetyAction action, const std::string& why) {
    note(FlightEvent::message, 0, why + ": " + (action == SafetyAction::carryOn ? "carrying on" : actionText(action)));
    if (action == SafetyAction::carryOn) return;
    mission_ended_ = true;
    if (action == SafetyAction::returnHome) {
        beginReturn();
    } else if (action == SafetyAction::land) {
        (void)land();
    } else {
        holdHere();
        paused_from_ = FlightMode::hold;
        setMode(FlightMode::hold);
    }
}

void Flight::holdHere() {
    if (isWing()) wing_legs_.clear();  // a circle here follows
}

Result<void> Flight::goToItem(int number) {
    const FlightProgram& program = executor_.program();
    if (number < 0 || number >= static_cast<int>(program.entries())) return fail("there is no item {}", number);
    const auto step = static_cast<std::size_t>(std::max(0, number - program.first()));
    if (mode_ == FlightMode::mission && executor_.current()) {
        executor_.jumpTo(step);
        leg_ = upLeg(state_.amsl_m);  // from where it is, not from where it was going
        nextItem();
    } else {
        start_at_ = step;
    }
    return {};
}

void Flight::note(FlightEvent::Kind kind, int seq, std::string text) {
    events_.push_back({kind, state_.t_s, seq, std::move(text)});
}

std::vector<FlightEvent> Flight::takeEvents() {
    return std::exchange(events_, {});
}

void Flight::setMode(FlightMode mode) {
    if (mode == mode_) return;
    mode_ = mode;
    note(FlightEvent::modeChanged, 0, modeText(mode));
}

FlightProgram Flight::resolved(FlightProgram program) const {
    if (setup_.terrain) {
        resolveHeights(program, setup_.home_amsl_m, setup_.terrain.get());
    } else {  // a world without relief lies everywhere as high as home
        resolveHeights(program, setup_.home_amsl_m, [this](GeoPoint) { return std::optional(setup_.home_amsl_m); });
    }
    return program;
}

Result<void> Flight::known(const FlightProgram& program) const {
    const auto step = firstUnknown(program);
    if (!step) return {};
    return failAs(ErrorCode::unknownGround,
                  "item {} is so high above the ground, and how high the ground is there is not known",
                  program.numberOf(*step));
}

void Flight::setMission(FlightProgram program) {
    executor_ = Executor(resolved(std::move(program)), setup_.repeats_rearm);
    mission_ended_ = false;
    start_at_.reset();
}

Result<void> Flight::arm() {
    if (state_.armed) return {};
    if (state_.battery.left_percent < 5) return fail("battery is empty");
    state_.armed = true;
    ground_s_ = 0;
    setMode(FlightMode::hold);
    note(FlightEvent::armed);
    return {};
}

Result<void> Flight::disarm() {
    if (!state_.armed) return {};
    if (!state_.on_ground) return fail("in the air: land first");
    state_.armed = false;
    setMode(FlightMode::standby);
    note(FlightEvent::disarmed);
    return {};
}

Result<void> Flight::takeOff(double height_m) {
    if (!state_.armed) return fail("not armed");
    if (!(height_m > 0.5 && height_m < 10000)) return fail("take-off height {} m is not usable", height_m);
    take_off_amsl_ = setup_.home_amsl_m + height_m;
    leg_ = upLeg(take_off_amsl_);
    if (isWing()) wingTakeOff(take_off_amsl_, state_.position);
    setMode(FlightMode::takingOff);
    return {};
}

Result<void> Flight::startMission() {
    if (!state_.armed) return fail("not armed");
    if (executor_.program().steps.empty()) return fail("no mission is stored");
    if (mode_ == FlightMode::mission) return {};
    if (auto ok = known(executor_.program()); !ok) return ok;
    executor_ = Executor(executor_.program(), setup_.repeats_rearm);
    if (start_at_) executor_.jumpTo(*std::exchange(start_at_, {}));
    mission_ended_ = false;
    kept_leg_.reset();
    leg_ = upLeg(state_.amsl_m);
    rest_.clear();
    setMode(FlightMode::mission);
    nextItem();
    return {};
}

Result<void> Flight::pause() {
    if (state_.on_ground) return fail("on the ground: nothing to pause");
    if (mode_ == FlightMode::hold) return {};
    if (fall_mps_ > 0) return fail("it is falling");
    if (mode_ != FlightMode::led) {  // else what was left for the other place stays paused
        paused_from_ = mode_;
        wing_paused_ = std::move(wing_legs_);
    }
    holdHere();
    setMode(FlightMode::hold);
    return {};
}

Result<void> Flight::resume() {
    if ((mode_ != FlightMode::hold && mode_ != FlightMode::led) || paused_from_ != FlightMode::mission)
        return fail("no mission is paused");
    wing_legs_ = std::move(wing_paused_);
    if (kept_leg_) {
        leg_ = *kept_leg_;
        rest_ = std::move(kept_rest_);
        kept_leg_.reset();
        if (leg_.curve.empty()) {  // from where it is now
            leg_.from = state_.position;
            leg_.from_amsl = state_.amsl_m;
        }
    }
    setMode(FlightMode::mission);
    return {};
}

Result<void> Flight::returnHome() {
    if (!state_.armed || state_.on_ground) return fail("not flying");
    beginReturn();
    return {};
}

Result<void> Flight::land() {
    if (!state_.armed || state_.on_ground) return fail("not flying");
    leg_.to = leg_.from = state_.position;
    if (isWing()) {
        WingGoal goal;
        goal.kind = WingGoal::land;
        goal.place = state_.position;
        goal.amsl_m = groundHere();
        goal.speed_mps = wing_limits_.cruise_mps;
        takeWing(wingLegs(wing_limits_, state_.position, state_.amsl_m, state_.velocity, goal, {}));
    }
    setMode(FlightMode::landing);
    return {};
}

void Flight::beginReturn() {
    // A mission's own way home begins where its last leg ends; one that is ordered begins where it is.
    const bool planned = executor_.current() && mode_ == FlightMode::mission &&
                         executor_.leg(*executor_.current()).kind == LegKind::returnHome;
    const Leg before = leg_;
    return_phase_ = 0;
    const double height = std::max(state_.amsl_m, setup_.home_amsl_m + setup_.return_height_m);
    leg_ = upLeg(height);
    rest_.clear();
    if (isWing()) {
        const Vec2 from = planned ? before.to : state_.position;
        const double amsl = planned ? before.to_amsl : state_.amsl_m;
        takeWing(
            wingLegs(wing_limits_, from, amsl, planned ? before.to - before.from : state_.velocity, homeGoal(), {}));
    }
    setMode(FlightMode::returning);
}

bool Flight::staying() const {
    if (mode_ != FlightMode::mission || !executor_.current()) return false;
    if (executor_.leg(*executor_.current()).kind != LegKind::stay) return false;
    return isWing() ? wing_legs_.size() <= 1 : held_s_ > 0;
}

double Flight::groundHere() const {
    if (setup_.terrain)
        if (const auto g = setup_.terrain->sample(place())) return *g;
    return setup_.home_amsl_m;
}

std::optional<double> Flight::heightGround_m() const {
    if (!setup_.terrain) return std::nullopt;
    const auto g = setup_.terrain->sample(place());
    return g ? std::optional(state_.amsl_m - *g) : std::nullopt;
}

Flight::Leg Flight::upLeg(double amsl_m) const {
    Leg leg;
    leg.from = leg.to = state_.position;
    leg.from_amsl = state_.amsl_m;
    leg.to_amsl = amsl_m;
    leg.speed = setup_.vehicle.cruise_mps;
    leg.acceptance = 1;
    return leg;
}

std::optional<Flight::Leg> Flight::legTo(std::size_t step, const Leg* before) const {
    const ProgramLeg& to = executor_.leg(step);
    if (to.kind == LegKind::takeOff || to.kind == LegKind::returnHome) return {};
    Leg leg;
    leg.from = before != nullptr ? before->to : state_.position;
    leg.from_amsl = before != nullptr ? before->to_amsl : state_.amsl_m;
    leg.speed = std::min(executor_.speed_mps.value_or(setup_.vehicle.cruise_mps), setup_.vehicle.max_mps);
    leg.acceptance = 2;
    if (to.kind == LegKind::wait) {
        leg.to = leg.from;
        leg.to_amsl = leg.from_amsl;
        leg.hold_s = std::max(kStep_s, to.hold_s);
        return leg;
    }
    const Vec2 place = to.placed ? frame_.toLocal(to.place) : leg.from;
    leg.to = place;
    leg.to_amsl = to.amsl_m.value_or(leg.from_amsl);
    if (to.kind == LegKind::land) leg.to_amsl = leg.from_amsl;
    if (to.kind == LegKind::pass && !to.spline && to.acceptance_m > 0) leg.acceptance = to.acceptance_m;
    if (to.kind == LegKind::pass || to.kind == LegKind::hold) leg.hold_s = to.hold_s;
    constexpr double kForEver_s = 1e9;
    if (to.kind == LegKind::stay) leg.hold_s = kForEver_s;
    leg.spline = to.spline;
    if (to.kind == LegKind::circle) {
        const double radius = std::max(1.0, to.radius_m);
        const Vec2 away = leg.from - leg.to;
        leg.to = leg.to + (length(away) > 0.01 ? unit(away) : Vec2{0, 1}) * radius;
    }
    return leg;
}

void Flight::nextItem() {
    held_s_ = 0;
    rest_.clear();
    const Leg before = leg_;
    const auto step = executor_.advance();
    while (executor_.photos_due > 0) {
        --executor_.photos_due;
        takePhoto();
    }
    if (!step) return endAction(SafetyAction::hold, "mission has ended");
    note(FlightEvent::itemStarted, executor_.program().numberOf(*step));
    const ProgramLeg& to = executor_.leg(*step);
    if (to.kind == LegKind::returnHome) {
        mission_ended_ = true;
        beginReturn();
        return;
    }
    if (to.kind == LegKind::takeOff) {
        const double height =
            to.height.ref == HeightRef::ground ? groundHere() + to.height.value_m : to.amsl_m.value_or(state_.amsl_m);
        leg_ = upLeg(height);
        if (isWing()) {
            const auto after = executor_.peek();
            const auto next = after ? legTo(*after, &leg_) : std::nullopt;
            wingTakeOff(height, next ? next->to : state_.position);
        }
        return;
    }
    const auto leg = legTo(*step, state_.on_ground ? nullptr : &before);
    leg_ = *leg;
    if (isWing()) return wingItem(*step, before);
    climb_first_ = state_.on_ground;  // no take-off item: up to the first item's height, then across
    if (climb_first_) {
        leg_.to = leg_.from;
        leg_.hold_s = 0;
        leg_.spline = false;
        return;
    }
    shapeLeg(to, before);
}

/// The curve of a spline or circle, the speed at the end, and what follows within the same item.
void Flight::shapeLeg(const ProgramLeg& to, const Leg& before) {
    const double accel = setup_.vehicle.accel_mps2;
    const Vec2 chord = leg_.to - leg_.from;
    const bool stops =
        leg_.hold_s > 0 || to.kind == LegKind::land || to.kind == LegKind::circle || to.kind == LegKind::toHeight;
    if (to.kind == LegKind::toHeight) {
        Leg up = leg_;
        up.from = up.to;
        up.from_amsl = leg_.from_amsl;
        leg_.to_amsl = leg_.from_amsl;
        up.acceptance = leg_.acceptance = 1;
        rest_.push_back(up);
    }
    if (to.kind == LegKind::circle && to.turns != 0) {
        Leg circle = leg_;
        circle.from_amsl = leg_.to_amsl;
        const Vec2 centre = to.placed ? frame_.toLocal(to.place) : leg_.from;
        auto curve = circleCurve(leg_.to, centre, std::max(1.0, to.radius_m), to.turns, 3);
        circle.from = curve.front();
        circle.to = curve.back();
        circle.acceptance = 1;
        circle.curve = GuidedCurve(std::move(curve), leg_.speed, 0, accel);
        rest_.push_back(circle);
    }
    const auto after = executor_.peek();
    const auto next = after ? legTo(*after, &leg_) : std::nullopt;
    const Vec2 next_chord = next ? next->to - next->from : Vec2{};
    Vec2 in = chord, out = next_chord;
    if (leg_.spline) {
        Vec2 begin = chord, end = chord;
        const Vec2 came = before.to - before.from;
        if (length(came) > 0.5) begin = before.spline ? leg_.to - before.from : came;
        if (next && length(next_chord) > 0.5 && !stops) end = next->spline ? next->to - leg_.from : next_chord;
        in = end;
        out = next && length(next_chord) > 0.5 ? end : Vec2{};
        leg_.end_speed = stops || !next ? 0 : passingSpeed(in, out, *next);
        leg_.curve = GuidedCurve(splineCurve(leg_.from, begin, leg_.to, end, 3), leg_.speed, leg_.end_speed, accel);
        return;
    }
    if (stops || !next || length(next_chord) == 0) {
        // Nothing is flown through to: it goes all the way there.
        leg_.acceptance = std::min(leg_.acceptance, kStopAcceptance_m);
        return;
    }
    if (next->spline && length(next_chord) > 0.5 && length(chord) > 0.5)
        out = chord;  // the curve starts as this leg ends
    leg_.end_speed = passingSpeed(in, out, *next);
}

/// How fast it may go over from leg_ to the next: as the corner allows, and the slope behind it.
double Flight::passingSpeed(Vec2 in, Vec2 out, const Leg& next) const {
    const VehicleProfile& v = setup_.vehicle;
    const double corner = cornerSpeed(in, out, leg_.speed, leg_.acceptance, v.accel_mps2);
    return slopeSpeed(length(next.to - next.from), next.to_amsl - next.from_amsl, corner,
                      {v.accel_mps2, v.climb_mps, v.descent_mps});
}

void Flight::takePhoto() {
    ++state_.photos;
    last_photo_ = state_.position;
    last_photo_s_ = state_.t_s;
    note(FlightEvent::photo, state_.photos);
}

/// As much of a wanted velocity as the aircraft can fly through the air: it keeps its track as long as it can, then it
/// drifts.
Vec2 Flight::withinAirspeed(Vec2 wanted) const {
    const Vec2 air = air_.at(heightHome_m());
    const double most = setup_.vehicle.max_mps;
    if (length(wanted - air) <= most) return wanted;
    // |s w - air| = most, the larger s.
    const double a = dot(wanted, wanted), b = dot(wanted, air), c = dot(air, air) - most * most;
    const double root = b * b - a * c;
    if (a > 0 && root >= 0 && b + std::sqrt(root) >= 0) return wanted * std::min(1.0, (b + std::sqrt(root)) / a);
    return air + limited(wanted - air, most);
}

/// Brings velocity towards what is wanted within the limits and moves.
void Flight::fly(Vec2 wanted, double climb) {
    const VehicleProfile& v = setup_.vehicle;
    accelerate(state_.velocity, acceleration_, withinAirspeed(wanted),
               {v.accel_mps2, v.climb_mps, v.descent_mps, v.jerk_mps3}, kStep_s);
    const double climb_wanted = std::clamp(climb, -v.descent_mps, v.climb_mps);
    state_.climb_mps +=
        std::clamp(climb_wanted - state_.climb_mps, -kClimbAccel_mps2 * kStep_s, kClimbAccel_mps2 * kStep_s);
    state_.position = state_.position + state_.velocity * kStep_s;
    state_.amsl_m += state_.climb_mps * kStep_s;
    state_.distance_m += length(state_.velocity) * kStep_s;

    const Vec2 air = state_.velocity - air_.at(heightHome_m());
    state_.air_mps = length(air);
    // Thrust must give the acceleration and hold against drag: that sets the tilt.
    const double density = airDensity_kgm3(state_.amsl_m);
    const double drag = 0.5 * density * v.drag_area_m2 * state_.air_mps * state_.air_mps / v.mass_kg;
    const Vec2 push = acceleration_ + unit(air) * drag;
    const double yaw = state_.yaw_deg * kDeg;
    const double forward = push.x * std::sin(yaw) + push.y * std::cos(yaw);
    const double right = push.x * std::cos(yaw) - push.y * std::sin(yaw);
    const double blend = 0.4;  // attitude follows in about two steps
    wanted_pitch_deg_ = -std::atan2(forward, kStandardGravity_mps2) / kDeg;
    wanted_roll_deg_ = std::atan2(right, kStandardGravity_mps2) / kDeg;
    state_.pitch_deg += blend * (wanted_pitch_deg_ - state_.pitch_deg);
    state_.roll_deg += blend * (wanted_roll_deg_ - state_.roll_deg);
    const double power = flightPower_w(v, state_.air_mps, state_.climb_mps, density);
    state_.battery.draw(v, power, kStep_s);
    const double hover = flightPower_w(v, 0, 0, density);
    state_.throttle_percent = std::clamp(50 * std::cbrt(power * power / (hover * hover)), 0.0, 100.0);
}

/// Flies along leg_; true when its end is reached.
bool Flight::followLeg() {
    if (isWing()) return followWing();
    const VehicleProfile& v = setup_.vehicle;
    const double rise = leg_.to_amsl - leg_.from_amsl;
    Vec2 wanted;
    double height = leg_.to_amsl, slope = 0;
    bool along_done = true;
    if (!leg_.curve.empty()) {
        wanted = leg_.curve.wantedVelocity(state_.position);
        const double share = leg_.curve.share(), run = std::max(1.0, leg_.curve.length_m());
        height = leg_.from_amsl + rise * share;
        slope = share < 1 ? rise / run * length(state_.velocity) : 0;
        along_done = share > 0.95;
    } else {
        const GuidedLeg guided{leg_.from, leg_.to, rise, leg_.speed, leg_.end_speed};
        wanted = wantedVelocity(guided, state_.position, {v.accel_mps2, v.climb_mps, v.descent_mps});
        const Vec2 line = leg_.to - leg_.from;
        const double run = length(line);
        if (run > 1 && length(leg_.to - state_.position) > 1) {
            const double done = dot(state_.position - leg_.from, line) / run;
            height = leg_.from_amsl + rise * std::clamp(done / run, 0.0, 1.0);
            if (done <= run) slope = rise / run * dot(state_.velocity, line) / run;
        }
    }
    fly(wanted, slope + (height - state_.amsl_m) * 1.0);
    const double high = std::abs(leg_.to_amsl - state_.amsl_m);
    // A point that is flown through is not turned back to for a small lag in height.
    const Vec2 line = leg_.to - leg_.from;
    if (leg_.curve.empty() && leg_.end_speed > 0 && high <= kPassHeight_m &&
        dot(state_.position - leg_.to, line) >= 0 && length(line) > 0)
        return true;
    return along_done && length(leg_.to - state_.position) <= leg_.acceptance && high <= 1.0;
}

void Flight::descend() {
    if (isWing() && gps_lost_) return driftDown();
    if (isWing()) {
        if (followWing()) touchDown();
        return;
    }
    const double ground = groundHere();
    const double above = state_.amsl_m - ground;
    const double rate = above > 8 ? setup_.vehicle.descent_mps : setup_.vehicle.land_mps;
    fly(gps_lost_ ? air_.at(heightHome_m()) : limited((leg_.to - state_.position) * 0.8, 2), -rate);
    if (state_.amsl_m <= ground + 0.05) {
        state_.amsl_m = ground;
        touchDown();
    }
}

void Flight::touchDown() {
    if (state_.on_ground) return;
    state_.on_ground = true;
    state_.velocity = acceleration_ = {};
    state_.climb_mps = 0;
    state_.roll_deg = state_.pitch_deg = 0;
    ground_s_ = 0;
    note(FlightEvent::message, 0, "on the ground");
}

bool Flight::nearGround() const {
    if (state_.on_ground || mode_ == FlightMode::landing) return true;
    if (!isWing()) return mode_ == FlightMode::returning && length(state_.position) < 3 && state_.climb_mps < 0;
    if (wing_.rolling || wing_legs_.empty()) return wing_.rolling;
    return wing_legs_.back().lands || wing_legs_.back().shape == WingLeg::stop || taking_off_;
}

/// Nose and gimbal: to the look-at, else along the track.
void Flight::aim() {
    double wanted = state_.yaw_deg;
    std::optional<double> pitch = executor_.gimbal_pitch_deg;
    if (executor_.look_at && (mode_ == FlightMode::mission || mode_ == FlightMode::hold)) {
        const LookAtPlace& place = *executor_.look_at;
        const Vec2 to = frame_.toLocal(place.place) - state_.position;
        if (length(to) > 1) wanted = std::atan2(to.x, to.y) / kDeg;
        const double amsl = place.amsl_m.value_or(setup_.home_amsl_m + place.height.value_m);
        pitch = std::atan2(amsl - state_.amsl_m, std::max(0.1, length(to))) / kDeg;
    } else if (executor_.heading_deg && mode_ == FlightMode::mission) {
        wanted = *executor_.heading_deg;
    } else if (length(state_.velocity) > 1) {
        wanted = std::atan2(state_.velocity.x, state_.velocity.y) / kDeg;
    }
    const double most = isWing() ? 0 : setup_.vehicle.yaw_rate_dps * kStep_s;  // a wing's nose is where it flies
    const double yaw = state_.yaw_deg + std::clamp(wrapAngle(wanted - state_.yaw_deg), -most, most);
    state_.yaw_deg = yaw < 0 ? yaw + 360 : yaw >= 360 ? yaw - 360 : yaw;
    const double gimbal = pitch.value_or(0);
    state_.gimbal_pitch_deg += std::clamp(gimbal - state_.gimbal_pitch_deg, -60 * kStep_s, 60 * kStep_s);
}

void Flight::step() {
    state_.t_s += kStep_s;
    air_.step(kStep_s);
    if (fall_mps_ > 0 && state_.armed && !state_.on_ground) return fall();
    if (!state_.armed) {
        state_.battery.draw(setup_.vehicle, setup_.vehicle.other_power_w * 0.3, kStep_s);
        return;
    }
    if (state_.on_ground) {
        const bool lifting = mode_ == FlightMode::takingOff || (mode_ == FlightMode::mission && !mission_ended_);
        if (lifting && setup_.vehicle.kind == VehicleKind::helicopter && spooled_s_ < setup_.vehicle.spool_s) {
            spooled_s_ += kStep_s;
            state_.battery.draw(setup_.vehicle,
                                helicopterPower_w(setup_.vehicle, 0, 0, airDensity_kgm3(state_.amsl_m), false),
                                kStep_s);
            return;
        }
        if (lifting) {
            state_.on_ground = false;
        } else {
            state_.battery.draw(setup_.vehicle, setup_.vehicle.other_power_w * 2, kStep_s);
            ground_s_ += kStep_s;
            const bool landed = mode_ == FlightMode::landing || mode_ == FlightMode::returning;
            if (landed && ground_s_ >= kDisarmAfter_s) (void)disarm();
            return;
        }
    }
    switch (mode_) {
        case FlightMode::mission: {
            if (!executor_.current()) break;
            const ProgramLeg& to = executor_.leg(*executor_.current());
            if (!followLeg() && held_s_ == 0) break;
            if (climb_first_) {
                climb_first_ = false;
                const Leg up = leg_;
                leg_ = *legTo(*executor_.current(), nullptr);
                leg_.from_amsl = up.to_amsl;
                shapeLeg(to, up);
                break;
            }
            if (!rest_.empty()) {
                leg_ = rest_.back();
                rest_.pop_back();
                break;
            }
            const bool first = held_s_ == 0;
            held_s_ += kStep_s;
            if (first) note(FlightEvent::itemReached, executor_.program().numberOf(*executor_.current()));
            if (held_s_ < leg_.hold_s) break;
            if (to.kind == LegKind::land) {
                mission_ended_ = true;
                setMode(FlightMode::landing);
                if (isWing()) touchDown();
            } else {
                nextItem();
            }
            break;
        }
        case FlightMode::takingOff:
            if (followLeg()) {
                holdHere();
                setMode(FlightMode::hold);
            }
            break;
        case FlightMode::returning:
            if (return_phase_ == 2 || isWing()) {
                descend();
            } else if (followLeg()) {
                if (return_phase_ == 0)
                    leg_ = {leg_.to, {0, 0}, leg_.to_amsl, leg_.to_amsl, setup_.vehicle.cruise_mps, 1, 0, 0, false, {}};
                ++return_phase_;
            }
            break;
        case FlightMode::landing:
            descend();
            break;
        case FlightMode::led:
            if (followLeg()) {
                holdHere();
                setMode(FlightMode::hold);
            }
            break;
        default:
            if (isWing())
                (void)followWing();
            else
                fly({}, 0);
            break;
    }
    aim();
    if (executor_.photo_distance_m > 0 && mode_ == FlightMode::mission && last_photo_ &&
        length(state_.position - *last_photo_) >= executor_.photo_distance_m) {
        // The next one is counted from where this one fell due, a little before: no step of the simulation adds up.
        const Vec2 way = state_.position - *last_photo_;
        const Vec2 due = *last_photo_ + way * (executor_.photo_distance_m / length(way));
        takePhoto();
        last_photo_ = due;
    }
    if (executor_.photo_interval_s > 0 && mode_ == FlightMode::mission &&
        state_.t_s - last_photo_s_ >= executor_.photo_interval_s - 1e-6)
        takePhoto();
    if (mode_ == FlightMode::mission && !low_battery_ &&
        state_.battery.left_percent <= setup_.vehicle.reserve_percent) {
        low_battery_ = true;
        endAction(setup_.low_battery, "battery is down to its reserve");
    }
    if (state_.battery.left_percent <= 0 && mode_ != FlightMode::landing) {
        note(FlightEvent::message, 0, "battery is empty: landing here");
        battery_empty_ = true;
        (void)land();
    }
}

}  // namespace anhinga
