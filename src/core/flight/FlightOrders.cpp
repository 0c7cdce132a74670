// What a flight is ordered to do besides its mission, and what breaks.
#include "core/base/Physics.h"
#include "core/flight/Motion.h"

namespace anhinga {

/// Puts the mission's leg aside for resume().
void Flight::keepMission() {
    if (mode_ == FlightMode::mission) {
        paused_from_ = FlightMode::mission;
        motion_->keep();
    } else if (mode_ != FlightMode::hold && mode_ != FlightMode::led) {
        paused_from_ = FlightMode::hold;
    }
    if (!kept_leg_ && paused_from_ == FlightMode::mission) {
        kept_leg_ = leg_;
        motion_->keepLeg();
    }
}

Result<void> Flight::goTo(GeoPoint place, double amsl_m) {
    if (!state_.armed || state_.on_ground) return fail("not flying: take off first");
    if (fall_mps_ > 0) return fail("it is falling");
    if (!isValid(place) || !std::isfinite(amsl_m)) return fail("no such place");
    if (mode_ == FlightMode::landing || mode_ == FlightMode::returning) paused_from_ = FlightMode::hold;
    keepMission();
    leg_ = upLeg(amsl_m);
    leg_.to = frame_.toLocal(place);
    leg_.speed = std::min(executor_.speed_mps.value_or(setup_.vehicle.cruise_mps), setup_.vehicle.max_mps);
    leg_.acceptance = 0.5;
    motion_->beginOrdered(*this);
    setMode(FlightMode::led);
    return {};
}

Result<void> Flight::changeSpeed(double mps) {
    if (!(mps > 0 && mps <= setup_.vehicle.max_mps))
        return fail("speed {:.1f} m/s: it flies up to {:.1f} m/s", mps, setup_.vehicle.max_mps);
    executor_.speed_mps = mps;
    leg_.speed = mps;
    motion_->changeSpeed(mps);
    return {};
}

Result<void> Flight::changeMission(FlightProgram program) {
    const bool paused = (mode_ == FlightMode::hold || mode_ == FlightMode::led) && paused_from_ == FlightMode::mission;
    const auto flown = executor_.current();
    if (flown && !mission_ended_ && (paused || mode_ == FlightMode::mission)) {
        program = resolved(std::move(program));
        if (auto ok = known(program); !ok) return ok;
        const ProgramLeg* same = *flown < program.steps.size() ? program.steps[*flown].leg() : nullptr;
        if (same != nullptr && same->sameAim(executor_.leg(*flown))) {
            executor_.change(std::move(program));
            return {};
        }
        if (!paused) return fail("item {} is being flown: it cannot be changed now", program.numberOf(*flown));
    }
    // Another mission: what was paused cannot be gone on with.
    setMission(std::move(program));
    if (paused) paused_from_ = FlightMode::hold;
    kept_leg_.reset();
    return {};
}

std::optional<Flight::Target> Flight::target() const {
    if (state_.on_ground || (mode_ != FlightMode::mission && mode_ != FlightMode::led &&
                             mode_ != FlightMode::returning && mode_ != FlightMode::takingOff))
        return std::nullopt;
    Target t{leg_.to, leg_.to_amsl, 0};
    if (mode_ == FlightMode::returning && !motion_->headsHome()) t.place = {};
    const Vec2 line = leg_.to - leg_.from;
    if (leg_.curve.empty() && length(line) > 1) {
        const Vec2 along = unit(line), off = state_.position - leg_.from;
        t.cross_m = off.x * along.y - off.y * along.x;
    }
    return t;
}

void Flight::cutMotors() {
    if (!state_.armed) return;
    note(FlightEvent::message, 0, "motors are cut");
    if (state_.on_ground) {
        (void)disarm();
        return;
    }
    fall_mps_ = 60;
    setMode(FlightMode::landing);
}

void Flight::loseMotor() {
    if (!state_.armed || state_.on_ground || fall_mps_ > 0) return;
    note(FlightEvent::message, 0, "a motor has failed: coming down");
    fall_mps_ = motion_->fallWithoutMotor_mps(*this);
    setMode(FlightMode::landing);
}

/// Down with gravity until the air holds it, carried along by what speed it had.
void Flight::fall() {
    state_.climb_mps = std::max(-fall_mps_, state_.climb_mps - kStandardGravity_mps2 * kStep_s);
    state_.velocity = state_.velocity * 0.97;
    state_.position = state_.position + state_.velocity * kStep_s;
    state_.amsl_m += state_.climb_mps * kStep_s;
    state_.yaw_deg = wrapBearing(state_.yaw_deg + 20);
    state_.roll_deg = 35;
    state_.throttle_percent = 0;
    const double ground = groundHere();
    if (state_.amsl_m > ground + 0.05) return;
    state_.amsl_m = ground;
    touchDown();
    fall_mps_ = 0;
    (void)disarm();
}

void Flight::breakFence(SafetyAction action) {
    if (!state_.armed || state_.on_ground || mode_ == FlightMode::landing || mode_ == FlightMode::returning) return;
    endAction(action, "fence broken");
}

}  // namespace anhinga
