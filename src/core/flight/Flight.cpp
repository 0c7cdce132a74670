#include "core/flight/Flight.h"

#include <utility>

namespace anhinga {

namespace {
constexpr double kGravity = 9.80665;
constexpr double kDeg = M_PI / 180;
constexpr double kClimbAccel_mps2 = 2;
constexpr double kCrossTrackGain = 0.8;  // 1/s: metres off the line turned into metres a second back to it
constexpr double kDisarmAfter_s = 1.5;   // on the ground

Vec2 limited(Vec2 v, double most) {
    const double l = length(v);
    return l > most ? v * (most / l) : v;
}
Vec2 unit(Vec2 v) {
    const double l = length(v);
    return l > 1e-9 ? v * (1 / l) : Vec2{};
}
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
    }
    return "";
}

Flight::Flight(FlightSetup setup) : setup_(std::move(setup)), frame_(setup_.home) {
    const double to = (setup_.wind.from_deg + 180) * kDeg;
    wind_ = Vec2{std::sin(to), std::cos(to)} * setup_.wind.speed_mps;
    state_.amsl_m = setup_.home_amsl_m;
    state_.battery.voltage_v = setup_.vehicle.battery_cells * 4.2;
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

void Flight::setMission(std::vector<MissionItem> items) {
    executor_ = Executor(std::move(items), setup_.item0_is_home, setup_.repeats_rearm);
    mission_ended_ = false;
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
    leg_ = {state_.position, state_.position, state_.amsl_m, take_off_amsl_, setup_.vehicle.cruise_mps, 1, 0, 0};
    setMode(FlightMode::takingOff);
    return {};
}

Result<void> Flight::startMission() {
    if (!state_.armed) return fail("not armed");
    const std::size_t first = setup_.item0_is_home ? 1 : 0;
    if (executor_.items().size() <= first) return fail("no mission is stored");
    if (mode_ == FlightMode::mission) return {};
    executor_ = Executor(executor_.items(), setup_.item0_is_home, setup_.repeats_rearm);
    mission_ended_ = false;
    leg_ = {state_.position, state_.position, state_.amsl_m, state_.amsl_m, setup_.vehicle.cruise_mps, 1, 0, 0};
    setMode(FlightMode::mission);
    nextItem();
    return {};
}

Result<void> Flight::pause() {
    if (state_.on_ground) return fail("on the ground: nothing to pause");
    if (mode_ == FlightMode::hold) return {};
    paused_from_ = mode_;
    setMode(FlightMode::hold);
    return {};
}

Result<void> Flight::resume() {
    if (mode_ != FlightMode::hold || paused_from_ != FlightMode::mission) return fail("no mission is paused");
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
    setMode(FlightMode::landing);
    return {};
}

void Flight::beginReturn() {
    return_phase_ = 0;
    const double height = std::max(state_.amsl_m, setup_.home_amsl_m + setup_.return_height_m);
    leg_ = {state_.position, state_.position, state_.amsl_m, height, setup_.vehicle.cruise_mps, 1, 0, 0};
    setMode(FlightMode::returning);
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

std::optional<Flight::Leg> Flight::legTo(std::size_t seq, const Leg* before) const {
    const MissionItem& item = executor_.items()[seq];
    if (item.command != cmd::waypoint && item.command != cmd::loiterTime && item.command != cmd::land) return {};
    Leg leg;
    leg.from = before != nullptr ? before->to : state_.position;
    leg.from_amsl = before != nullptr ? before->to_amsl : state_.amsl_m;
    const GeoPoint place = placeOf(item);
    // A place of 0, 0 means "here" in the standard.
    leg.to = item.x == 0 && item.y == 0 ? leg.from : frame_.toLocal(place);
    const HeightRef ref = refOf(item.frame);
    double base = ref == HeightRef::home ? setup_.home_amsl_m : 0;
    if (ref == HeightRef::ground) {
        const auto g = setup_.terrain ? setup_.terrain->sample(place) : std::nullopt;
        base = g ? *g : setup_.home_amsl_m;
    }
    leg.to_amsl = base + static_cast<double>(item.z);
    if (item.command == cmd::land) leg.to_amsl = std::max(leg.to_amsl, leg.from_amsl);
    leg.speed = std::min(executor_.speed_mps.value_or(setup_.vehicle.cruise_mps), setup_.vehicle.max_mps);
    leg.acceptance = item.command == cmd::waypoint && item.param2 > 0 ? static_cast<double>(item.param2) : 2.0;
    leg.hold_s =
        item.command == cmd::loiterTime || item.command == cmd::waypoint ? static_cast<double>(item.param1) : 0;
    return leg;
}

void Flight::nextItem() {
    held_s_ = 0;
    const Leg before = leg_;
    const auto seq = executor_.advance();
    while (executor_.photos_due > 0) {
        --executor_.photos_due;
        takePhoto();
    }
    if (!seq) {
        mission_ended_ = true;
        note(FlightEvent::message, 0, "mission has ended, holding");
        paused_from_ = FlightMode::hold;
        setMode(FlightMode::hold);
        return;
    }
    note(FlightEvent::itemStarted, static_cast<int>(*seq));
    const MissionItem& item = executor_.items()[*seq];
    if (item.command == cmd::returnHome) {
        mission_ended_ = true;
        beginReturn();
        return;
    }
    if (item.command == cmd::takeOff) {
        double height = setup_.home_amsl_m + static_cast<double>(item.z);
        if (refOf(item.frame) == HeightRef::amsl) height = static_cast<double>(item.z);
        if (refOf(item.frame) == HeightRef::ground) height = groundHere() + static_cast<double>(item.z);
        leg_ = {state_.position, state_.position, state_.amsl_m, height, setup_.vehicle.cruise_mps, 1, 0, 0};
        return;
    }
    leg_ = *legTo(*seq, state_.on_ground ? nullptr : &before);
    climb_first_ = state_.on_ground;  // no take-off item: up to the first item's height, then across
    if (climb_first_) {
        leg_.to = leg_.from;
        leg_.hold_s = 0;
        return;
    }
    setEndSpeed(item);
}

void Flight::setEndSpeed(const MissionItem& item) {
    // How fast the corner may be passed so that the path stays within the acceptance radius:
    // an arc of radius v^2/a cuts the corner by r (1/cos(turn/2) - 1).
    if (leg_.hold_s > 0 || item.command == cmd::land) return;
    const auto after = executor_.peek();
    const auto next = after ? legTo(*after, &leg_) : std::nullopt;
    if (!next) return;
    const Vec2 in = unit(leg_.to - leg_.from), out = unit(next->to - leg_.to);
    const double turn = std::acos(std::clamp(dot(in, out), -1.0, 1.0));
    const double cut = 1 / std::max(1e-3, std::cos(turn / 2)) - 1;
    const double reach = std::min(leg_.acceptance, 5.0);
    leg_.end_speed = length(out) == 0 ? 0
                     : cut < 1e-6     ? leg_.speed
                                      : std::min(leg_.speed, std::sqrt(setup_.vehicle.accel_mps2 * reach * 0.5 / cut));
}

void Flight::takePhoto() {
    ++state_.photos;
    last_photo_ = state_.position;
    note(FlightEvent::photo, state_.photos);
}

/// Brings velocity towards what is wanted within the limits and moves.
void Flight::fly(Vec2 wanted, double climb) {
    const VehicleProfile& v = setup_.vehicle;
    const Vec2 change = limited(wanted - state_.velocity, v.accel_mps2 * kStep_s);
    state_.velocity = state_.velocity + change;
    const double climb_wanted = std::clamp(climb, -v.descent_mps, v.climb_mps);
    state_.climb_mps +=
        std::clamp(climb_wanted - state_.climb_mps, -kClimbAccel_mps2 * kStep_s, kClimbAccel_mps2 * kStep_s);
    state_.position = state_.position + state_.velocity * kStep_s;
    state_.amsl_m += state_.climb_mps * kStep_s;
    state_.distance_m += length(state_.velocity) * kStep_s;

    const Vec2 air = state_.velocity - wind_;
    state_.air_mps = length(air);
    // Thrust must give the acceleration and hold against drag: that sets the tilt.
    const double density = airDensity_kgm3(state_.amsl_m);
    const double drag = 0.5 * density * v.drag_area_m2 * state_.air_mps * state_.air_mps / v.mass_kg;
    const Vec2 push = change * (1 / kStep_s) + unit(air) * drag;
    const double yaw = state_.yaw_deg * kDeg;
    const double forward = push.x * std::sin(yaw) + push.y * std::cos(yaw);
    const double right = push.x * std::cos(yaw) - push.y * std::sin(yaw);
    const double blend = 0.4;  // attitude follows in about two steps
    state_.pitch_deg += blend * (-std::atan2(forward, kGravity) / kDeg - state_.pitch_deg);
    state_.roll_deg += blend * (std::atan2(right, kGravity) / kDeg - state_.roll_deg);
    const double power = multirotorPower_w(v, state_.air_mps, state_.climb_mps, density);
    state_.battery.draw(v, power, kStep_s);
    const double hover = multirotorPower_w(v, 0, 0, density);
    state_.throttle_percent = std::clamp(50 * std::cbrt(power * power / (hover * hover)), 0.0, 100.0);
}

/// Flies along leg_; true when its end is reached.
bool Flight::followLeg() {
    const VehicleProfile& v = setup_.vehicle;
    const Vec2 line = leg_.to - leg_.from;
    const double run = length(line), rise = leg_.to_amsl - leg_.from_amsl;
    const Vec2 gap = leg_.to - state_.position;
    const double left = length(gap);
    double allowed = leg_.speed;
    // A leg steeper than the aircraft climbs is flown slower, not cut.
    const double steepest = rise > 0 ? v.climb_mps : v.descent_mps;
    if (run > 1 && std::abs(rise) > 0.1) allowed = std::min(allowed, steepest * 0.95 * run / std::abs(rise));
    const double brake = 0.7 * v.accel_mps2;
    allowed = std::min(allowed, std::sqrt(leg_.end_speed * leg_.end_speed + 2 * brake * left));
    Vec2 wanted;
    double height = leg_.to_amsl, slope = 0;
    if (run > 1 && left > 1) {
        const Vec2 along = line * (1 / run);
        const double done = dot(state_.position - leg_.from, along);
        const Vec2 off = state_.position - (leg_.from + along * done);
        const bool past = done > run;
        wanted = past ? unit(gap) * std::min(allowed, left)
                      : limited(along * allowed - limited(off * kCrossTrackGain, 3), allowed + 1);
        const double share = std::clamp(done / run, 0.0, 1.0);
        height = leg_.from_amsl + rise * share;
        if (!past) slope = rise / run * dot(state_.velocity, along);
    } else {
        wanted = gap * 1.0;
        wanted = limited(wanted, allowed);
    }
    fly(wanted, slope + (height - state_.amsl_m) * 1.0);
    return length(leg_.to - state_.position) <= leg_.acceptance && std::abs(leg_.to_amsl - state_.amsl_m) <= 1.0;
}

void Flight::descend() {
    const double ground = groundHere();
    const double above = state_.amsl_m - ground;
    const double rate = above > 8 ? setup_.vehicle.descent_mps : setup_.vehicle.land_mps;
    fly(limited((leg_.to - state_.position) * 0.8, 2), -rate);
    if (state_.amsl_m <= ground + 0.05) {
        state_.amsl_m = ground;
        state_.on_ground = true;
        state_.velocity = {};
        state_.climb_mps = 0;
        state_.roll_deg = state_.pitch_deg = 0;
        ground_s_ = 0;
        note(FlightEvent::message, 0, "on the ground");
    }
}

/// Nose and gimbal: to the look-at, else along the track.
void Flight::aim() {
    double wanted = state_.yaw_deg;
    std::optional<double> pitch = executor_.gimbal_pitch_deg;
    if (executor_.look_at && (mode_ == FlightMode::mission || mode_ == FlightMode::hold)) {
        const MissionItem& place = *executor_.look_at;
        const Vec2 to = frame_.toLocal(placeOf(place)) - state_.position;
        if (length(to) > 1) wanted = std::atan2(to.x, to.y) / kDeg;
        double amsl = static_cast<double>(place.z);
        if (refOf(place.frame) == HeightRef::home) amsl += setup_.home_amsl_m;
        if (refOf(place.frame) == HeightRef::ground && setup_.terrain)
            amsl += setup_.terrain->sample(placeOf(place)).value_or(setup_.home_amsl_m);
        pitch = std::atan2(amsl - state_.amsl_m, std::max(0.1, length(to))) / kDeg;
    } else if (length(state_.velocity) > 1) {
        wanted = std::atan2(state_.velocity.x, state_.velocity.y) / kDeg;
    }
    const double most = setup_.vehicle.yaw_rate_dps * kStep_s;
    const double yaw = state_.yaw_deg + std::clamp(wrapAngle(wanted - state_.yaw_deg), -most, most);
    state_.yaw_deg = yaw < 0 ? yaw + 360 : yaw >= 360 ? yaw - 360 : yaw;
    const double gimbal = pitch.value_or(0);
    state_.gimbal_pitch_deg += std::clamp(gimbal - state_.gimbal_pitch_deg, -60 * kStep_s, 60 * kStep_s);
}

void Flight::step() {
    state_.t_s += kStep_s;
    if (!state_.armed) {
        state_.battery.draw(setup_.vehicle, setup_.vehicle.other_power_w * 0.3, kStep_s);
        return;
    }
    if (state_.on_ground) {
        const bool lifting = mode_ == FlightMode::takingOff || (mode_ == FlightMode::mission && !mission_ended_);
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
            const MissionItem& item = executor_.items()[*executor_.current()];
            if (!followLeg() && held_s_ == 0) break;
            if (climb_first_) {
                climb_first_ = false;
                leg_ = *legTo(item.seq, nullptr);
                setEndSpeed(item);
                break;
            }
            const bool first = held_s_ == 0;
            held_s_ += kStep_s;
            if (first) note(FlightEvent::itemReached, item.seq);
            if (held_s_ < leg_.hold_s) break;
            if (item.command == cmd::land) {
                mission_ended_ = true;
                setMode(FlightMode::landing);
            } else {
                nextItem();
            }
            break;
        }
        case FlightMode::takingOff:
            if (followLeg()) setMode(FlightMode::hold);
            break;
        case FlightMode::returning:
            if (return_phase_ == 2) {
                descend();
            } else if (followLeg()) {
                if (return_phase_ == 0)
                    leg_ = {leg_.to, {0, 0}, leg_.to_amsl, leg_.to_amsl, setup_.vehicle.cruise_mps, 1, 0, 0};
                ++return_phase_;
            }
            break;
        case FlightMode::landing:
            descend();
            break;
        default:
            fly({}, 0);
            break;
    }
    aim();
    if (executor_.photo_distance_m > 0 && mode_ == FlightMode::mission && last_photo_ &&
        length(state_.position - *last_photo_) >= executor_.photo_distance_m)
        takePhoto();
    if (mode_ == FlightMode::mission && !low_battery_ &&
        state_.battery.left_percent <= setup_.vehicle.reserve_percent) {
        low_battery_ = true;
        note(FlightEvent::message, 0, "battery is down to its reserve: returning");
        mission_ended_ = true;
        beginReturn();
    }
    if (state_.battery.left_percent <= 0 && mode_ != FlightMode::landing) {
        note(FlightEvent::message, 0, "battery is empty: landing here");
        (void)land();
    }
}

}  // namespace anhinga
