#include "core/base/Modes.h"
#include "core/base/Physics.h"
#include "core/flight/Motion.h"

#include <utility>

namespace anhinga {

namespace {
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

std::unique_ptr<Flight::Motion> Flight::Motion::make(const Flight& flight) {
    switch (flight.setup_.vehicle.kind) {
        case VehicleKind::multirotor:
            return std::make_unique<RotorMotion>();
        case VehicleKind::helicopter:
            return std::make_unique<HelicopterMotion>();
        case VehicleKind::fixedWing:
            return std::make_unique<WingMotion>(flight);
    }
    return nullptr;
}

Flight::Flight(FlightSetup setup) : setup_(std::move(setup)), frame_(setup_.home), air_(setup_.wind) {
    state_.amsl_m = setup_.home_amsl_m;
    state_.battery.voltage_v = setup_.vehicle.battery_cells * 4.2;
    motion_ = Motion::make(*this);
}

Flight::~Flight() = default;

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
    motion_->holdHere();
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
    motion_->takeOff(*this, take_off_amsl_, state_.position);
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
    motion_->drop();
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
        motion_->pause();
    }
    holdHere();
    setMode(FlightMode::hold);
    return {};
}

Result<void> Flight::resume() {
    if ((mode_ != FlightMode::hold && mode_ != FlightMode::led) || paused_from_ != FlightMode::mission)
        return fail("no mission is paused");
    motion_->resume(kept_leg_.has_value());
    if (kept_leg_) {
        leg_ = *kept_leg_;
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
    motion_->beginLanding(*this);
    setMode(FlightMode::landing);
    return {};
}

double Flight::returnAmsl() const {
    return setup_.home_amsl_m +
           setup_.ways.returnHeight_m(setup_.return_height_m, heightHome_m(), length(state_.position));
}

void Flight::beginReturn() {
    // A mission's own way home begins where its last leg ends; one that is ordered begins where it is.
    const bool planned = executor_.current() && mode_ == FlightMode::mission &&
                         executor_.leg(*executor_.current()).kind == LegKind::returnHome;
    const Leg before = leg_;
    leg_ = upLeg(returnAmsl());
    motion_->beginReturn(*this, planned, before);
    setMode(FlightMode::returning);
}

bool Flight::staying() const {
    if (mode_ == FlightMode::returning) return motion_->waitsOverHome(*this);
    if (mode_ != FlightMode::mission || !executor_.current()) return false;
    if (executor_.leg(*executor_.current()).kind != LegKind::stay) return false;
    return motion_->isThere(*this);
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
    if (to.kind == LegKind::pass && !to.spline && to.acceptance_m > 0)
        leg.acceptance = setup_.ways.acceptance_m > 0 ? setup_.ways.acceptance_m : to.acceptance_m;
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
    motion_->drop();
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
        const auto after = executor_.peek();
        const auto next = after ? legTo(*after, &leg_) : std::nullopt;
        motion_->takeOff(*this, height, next ? next->to : state_.position);
        return;
    }
    const auto leg = legTo(*step, state_.on_ground ? nullptr : &before);
    leg_ = *leg;
    motion_->beginItem(*this, *step, before);
}

void Flight::takePhoto() {
    ++state_.photos;
    last_photo_ = state_.position;
    last_photo_s_ = state_.t_s;
    note(FlightEvent::photo, state_.photos);
}

void Flight::touchDown() {
    if (state_.on_ground) return;
    state_.on_ground = true;
    state_.velocity = {};
    motion_->stop();
    state_.climb_mps = 0;
    state_.roll_deg = state_.pitch_deg = 0;
    ground_s_ = 0;
    note(FlightEvent::message, 0, "on the ground");
}

bool Flight::nearGround() const {
    return state_.on_ground || mode_ == FlightMode::landing || motion_->nearGround(*this);
}

/// Nose and gimbal: to the look-at, else along the track.
void Flight::aim() {
    double wanted = state_.yaw_deg;
    std::optional<double> pitch = executor_.gimbal_pitch_deg;
    if (executor_.look_at && (mode_ == FlightMode::mission || mode_ == FlightMode::hold)) {
        const LookAtPlace& place = *executor_.look_at;
        const Vec2 to = frame_.toLocal(place.place) - state_.position;
        if (length(to) > 1) wanted = std::atan2(to.x, to.y) / kRadPerDeg;
        const double amsl = place.amsl_m.value_or(setup_.home_amsl_m + place.height.value_m);
        pitch = std::atan2(amsl - state_.amsl_m, std::max(0.1, length(to))) / kRadPerDeg;
    } else if (executor_.heading_deg && mode_ == FlightMode::mission) {
        wanted = *executor_.heading_deg;
    } else if (length(state_.velocity) > 1) {
        wanted = std::atan2(state_.velocity.x, state_.velocity.y) / kRadPerDeg;
    }
    const double most = motion_->yawRate_dps(*this) * kStep_s;
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
        if (lifting && !motion_->readyToLift(*this)) return;
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
            if (!motion_->flyItem(*this) && held_s_ == 0) break;
            const bool first = held_s_ == 0;
            held_s_ += kStep_s;
            if (first) note(FlightEvent::itemReached, executor_.program().numberOf(*executor_.current()));
            if (held_s_ < leg_.hold_s) break;
            if (to.kind == LegKind::land) {
                mission_ended_ = true;
                setMode(FlightMode::landing);
                motion_->arriveToLand(*this);
            } else {
                nextItem();
            }
            break;
        }
        case FlightMode::takingOff:
            if (motion_->follow(*this)) {
                holdHere();
                setMode(FlightMode::hold);
            }
            break;
        case FlightMode::returning:
            motion_->stepReturn(*this);
            break;
        case FlightMode::landing:
            motion_->descend(*this);
            break;
        case FlightMode::led:
            if (motion_->follow(*this)) {
                holdHere();
                setMode(FlightMode::hold);
            }
            break;
        default:
            motion_->stay(*this);
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
