#include "core/watch/AutoChecks.h"

#include "core/base/Numbers.h"
#include "core/base/Text.h"
#include "core/geo/MagneticField.h"
#include "core/mavlink/ModeNames.h"
#include "core/plan/Plan.h"
#include "core/watch/Alarms.h"
#include "core/watch/PilotInput.h"
#include "core/watch/SafetyChecks.h"

namespace anhinga {

namespace {

using enum CheckState;

constexpr std::uint32_t kMag = 4, kLogging = 16777216, kPrearm = 268435456;

CheckResult lacking(const char* what) {
    return {unknown, what};
}

const VehicleSnapshot* heard(const FieldInput& in) {
    return in.vehicle != nullptr && in.vehicle->heard ? in.vehicle : nullptr;
}

CheckResult link(const FieldInput& in) {
    const VehicleSnapshot* v = heard(in);
    if (v == nullptr) return {bad, "no vehicle is heard"};
    if (v->heartbeat_age_s > kHeartbeatLost_s) return {bad, fmt::format("lost for {:.0f} s", v->heartbeat_age_s)};
    const std::string trip = v->link.round_trip_ms ? fmt::format("{:.0f} ms there and back", *v->link.round_trip_ms)
                                                   : "round trip not known yet";
    const std::string text = fmt::format("{:.0f} % lost lately, {}", 100 * v->link.recent_loss, trip);
    return {v->link.recent_loss > 0.1 ? bad : good, text};
}

CheckResult gps(const FieldInput& in) {
    const VehicleSnapshot* v = heard(in);
    if (v == nullptr || !v->fix) return lacking("not heard yet");
    const std::string text = fmt::format("{}, {} satellites, HDOP {}", fixText(*v->fix),
                                         v->satellites ? std::to_string(*v->satellites) : "unknown",
                                         v->hdop ? fmt::format("{:.1f}", *v->hdop) : "unknown") +
                             (v->position_within_m ? fmt::format(", within {:.1f} m", *v->position_within_m) : "");
    if (*v->fix < 3 || v->satellites.value_or(0) < 8) return {bad, text + ": wait, with free sky"};
    constexpr double kWithin_m = 5;
    if (v->position_within_m && *v->position_within_m > kWithin_m)
        return {bad, text + fmt::format(": wait until it knows its place within {:.0f} m", kWithin_m)};
    if (!v->hdop) return {unknown, text};
    return {*v->hdop <= 1.5 ? good : bad, text + (*v->hdop <= 1.5 ? "" : ": wait until it is below 1.5")};
}

CheckResult home(const FieldInput& in) {
    const VehicleSnapshot* v = heard(in);
    if (v == nullptr || !v->home) return lacking("the aircraft has no home yet: it sets one with a good GPS fix");
    if (in.plan == nullptr || !in.plan->home) return {bad, "the plan has no home"};
    const double far = distance_m(in.plan->home->position, *v->home);
    std::string text = fmt::format("{} from the planned home", distanceText(far));
    constexpr double kNear_m = 10, kSame_m = 3;
    bool fine = far <= kNear_m;
    if (v->home_amsl_m && in.home_amsl_m) {
        const double higher = *v->home_amsl_m - *in.home_amsl_m;
        text += fmt::format(", {:.1f} m {}", std::abs(higher), higher >= 0 ? "higher" : "lower");
        fine = fine && std::abs(higher) <= kSame_m;
    }
    return {fine ? good : bad, text + (fine ? "" : ": see what changes, under Measured home")};
}

CheckResult level(const FieldInput& in) {
    const VehicleSnapshot* v = heard(in);
    if (v == nullptr || !v->roll_deg || !v->pitch_deg) return lacking("no attitude heard yet");
    const double tilt = std::max(std::abs(*v->roll_deg), std::abs(*v->pitch_deg));
    constexpr double kLevel_deg = 6;
    return {tilt <= kLevel_deg ? good : bad, fmt::format("roll {:.0f}°, pitch {:.0f}°{}", *v->roll_deg, *v->pitch_deg,
                                                         tilt <= kLevel_deg ? "" : ": put it level, or calibrate")};
}

/// Where the mission goes first.
std::optional<GeoPoint> firstPlace(const FieldInput& in) {
    for (const ProgramStep& step : in.program->steps)
        if (const ProgramLeg* leg = step.leg(); leg != nullptr && leg->placed) return leg->place;
    return std::nullopt;
}

CheckResult heading(const FieldInput& in) {
    constexpr double kAgrees_deg = 10, kFarEnough_m = 5;
    if (!in.heading_test.empty()) return {in.heading_test_good ? good : bad, in.heading_test};
    const VehicleSnapshot* v = heard(in);
    if (v == nullptr || !v->heading_deg) return lacking("no heading heard yet");
    // Pointed at the first waypoint, the map says what it should be.
    const auto first = in.program != nullptr && in.plan != nullptr && v->position ? firstPlace(in) : std::nullopt;
    if (!first || distance_m(*v->position, *first) < kFarEnough_m)
        return {unknown, fmt::format("says {:.0f}°: do the heading test, or compare with the map", *v->heading_deg)};
    const double course = bearing_deg(*v->position, *first);
    if (std::abs(wrapAngle(*v->heading_deg - course)) <= kAgrees_deg)
        return {good, fmt::format("heading {:.0f}° differs from map course {:.0f}° to the first waypoint: fine",
                                  *v->heading_deg, course)};
    return {unknown, fmt::format("says {:.0f}°; the first waypoint lies at {:.0f}° on the map: point the aircraft at "
                                 "it, or do the heading test",
                                 *v->heading_deg, course)};
}

CheckResult compass(const FieldInput& in) {
    const VehicleSnapshot* v = heard(in);
    if (v == nullptr) return lacking("no vehicle is heard");
    if (v->compass_ratio && *v->compass_ratio > 0.8)
        return {bad, fmt::format("the aircraft distrusts it (ratio {:.1f}, should be below 0.8)", *v->compass_ratio)};
    if (v->sensors_on && v->sensors_ok && (*v->sensors_on & kMag) != 0 && (*v->sensors_ok & kMag) == 0)
        return {bad, "the aircraft reports it unhealthy"};
    if (!v->field_x_ut || !v->position) return lacking("no field strength heard yet");
    const double field = std::hypot(*v->field_x_ut, *v->field_y_ut, *v->field_z_ut);
    const double model = magneticField(*v->position, v->amsl_m.value_or(0), in.year).field_nt / 1000;
    const double off = 100 * (field / model - 1);
    constexpr double kOff_percent = 20;
    return {std::abs(off) <= kOff_percent ? good : bad,
            fmt::format("field {:.0f} µT, the Earth's here is {:.0f} µT ({:+.0f} %){}", field, model, off,
                        std::abs(off) <= kOff_percent ? "" : ": iron or a magnet is near")};
}

CheckResult battery(const FieldInput& in) {
    const VehicleSnapshot* v = heard(in);
    if (v == nullptr || !v->battery_percent) return lacking("no battery level heard yet");
    if (in.rehearsal == nullptr) return lacking("the plan is not rehearsed");
    const double needs = 100 - in.rehearsal->energy_left_percent, reserve = in.plan->vehicle.reserve_percent;
    if (const auto& endless = in.rehearsal->endless; endless && endless->pass_percent > 0) {
        const int passes = std::max(0, toInt((*v->battery_percent - reserve) / endless->pass_percent));
        return {passes > 0 ? good : bad,
                fmt::format("{:.0f} % now: it repeats without an end, and the battery lasts for {} passes down to its "
                            "reserve of {:.0f} %",
                            *v->battery_percent, passes, reserve)};
    }
    const double lands = *v->battery_percent - needs;
    const bool enough = lands >= reserve;
    return {enough ? good : bad,
            fmt::format("{:.0f} % now, this flight takes {:.0f} %: {} {:.0f} %, reserve {:.0f} %{}",
                        *v->battery_percent, needs, in.rehearsal->landed ? "lands with" : "it ends in the air with",
                        std::max(0.0, lands), reserve, enough ? "" : ": charge or change it")};
}

CheckResult route(const FieldInput& in) {
    if (heard(in) == nullptr) return lacking("no vehicle is heard");
    return {in.sealed ? good : bad,
            in.sealed ? "sealed: the aircraft holds this plan" : "not sealed: hand the plan over"};
}

CheckResult fence(const FieldInput& in) {
    if (heard(in) == nullptr) return lacking("no vehicle is heard");
    if (in.plan != nullptr && in.plan->fences.empty()) return {good, "the plan has none"};
    return {in.fence_sent ? good : bad,
            in.fence_sent ? "sealed with the plan" : "not on the aircraft: hand the plan over"};
}

CheckResult firstWaypoint(const FieldInput& in) {
    const VehicleSnapshot* v = heard(in);
    if (v == nullptr || !v->position) return lacking("no position heard yet");
    if (in.program == nullptr) return {bad, "there is no route to fly"};
    const auto first = firstPlace(in);
    if (!first) return {good, "the route has none"};
    const double far = distance_m(*v->position, *first), most = in.plan->traits.first_waypoint_max_m;
    return {far <= most ? good : bad,
            fmt::format("{} away; it starts only within {}", distanceText(far), distanceText(most))};
}

CheckResult mode(const FieldInput& in) {
    const VehicleSnapshot* v = heard(in);
    if (v == nullptr) return lacking("no vehicle is heard");
    const std::string name = modeName(*v);
    const auto kind = modeKind(*v);
    const bool no = kind == ModeKind::mission || kind == ModeKind::returnHome || kind == ModeKind::land;
    return {no ? bad : good, no ? fmt::format("{}: it does not arm in this mode; choose manual or hold", name)
                                : fmt::format("{}: it can be armed", name)};
}

CheckResult ready(const FieldInput& in) {
    const VehicleSnapshot* v = heard(in);
    if (v == nullptr || !v->sensors_present || (*v->sensors_present & kPrearm) == 0)
        return lacking("the aircraft does not say; it will when it is armed");
    if ((*v->sensors_ok & kPrearm) != 0) return {good, "its own checks have passed"};
    std::string why;
    for (auto t = v->texts->rbegin(); t != v->texts->rend(); ++t)
        if (t->severity <= 4) {
            why = ": " + t->text;
            break;
        }
    return {bad, "its own checks have not passed" + why};
}

CheckResult storage(const FieldInput& in) {
    const VehicleSnapshot* v = heard(in);
    if (v == nullptr || !v->sensors_present) return lacking("not heard yet");
    if ((*v->sensors_present & kLogging) == 0) return {unknown, "the aircraft does not say whether it logs"};
    const bool ok = (*v->sensors_ok & kLogging) != 0;
    return {ok ? good : bad, ok ? "the aircraft logs" : "the aircraft cannot log: is the card in and not full?"};
}

/// Room for the photos of this flight, as the camera says.
CheckResult card(const FieldInput& in) {
    const VehicleSnapshot* v = heard(in);
    if (v == nullptr || in.plan == nullptr) return lacking("no vehicle is heard");
    if (v->cameras.empty()) return {unknown, "no camera answers on the link: look at its card"};
    const CameraSnapshot& c = v->cameras.front();
    if (c.card == CardState::none) return {bad, "no card in the camera"};
    if (c.card == CardState::unformatted) return {bad, "the camera's card is not formatted"};
    if (!c.free_mb) return {unknown, "the camera does not say how much room its card has"};
    const double room = *c.free_mb / std::max(0.1, in.plan->camera.photo_mb);
    const std::string has = fmt::format("room for {:.0f} photos", room);
    if (in.rehearsal == nullptr) return {unknown, has + "; not rehearsed: how many there will be is not known"};
    const bool enough = room >= in.rehearsal->photos;
    return {enough ? good : bad, fmt::format("{}, this flight takes {}", has, in.rehearsal->photos)};
}

CheckResult kind(const FieldInput& in) {
    const VehicleSnapshot* v = heard(in);
    if (v == nullptr || in.plan == nullptr) return lacking("no vehicle is heard");
    enum { fixedWing = 1, helicopter = 4 };
    const VehicleKind is = v->type == fixedWing    ? VehicleKind::fixedWing
                           : v->type == helicopter ? VehicleKind::helicopter
                                                   : VehicleKind::multirotor;
    const bool same = is == in.plan->vehicle.kind;
    return {same ? good : bad,
            same ? fmt::format("a {}, as planned", vehicleText(is))
                 : fmt::format("a {}; the plan is for a {}", vehicleText(is), vehicleText(in.plan->vehicle.kind))};
}

CheckResult transmitter(const FieldInput& in) {
    const VehicleSnapshot* v = heard(in);
    if (v == nullptr) return lacking("no vehicle is heard");
    const PilotInput pilot = pilotInput(*v, in.parameters);
    if (!pilot.heard) return {unknown, "no pilot's transmitter is heard"};
    std::string text = fmt::format("{} channels heard", v->radio_us.size());
    if (pilot.mode_position)
        text += fmt::format(", mode switch in position {}{}", *pilot.mode_position,
                            pilot.mode.empty() ? "" : " (" + pilot.mode + ")");
    if (pilot.sticksMoved()) return {bad, text + ": a stick is not in its middle"};
    return {good, text};
}

constexpr AutoCheck kChecks[] = {{"link", "Link", link},
                                 {"gps", "GPS fix", gps},
                                 {"home", "Home", home},
                                 {"kind", "Kind of vehicle", kind},
                                 {"level", "Level", level},
                                 {"heading", "Heading agrees with the map", heading},
                                 {"compass", "Compass field", compass},
                                 {"battery", "Battery for this flight", battery},
                                 {"route", "Route on the aircraft", route},
                                 {"fence", "Fence on the aircraft", fence},
                                 {"first-waypoint", "First waypoint near enough", firstWaypoint},
                                 {"mode", "Mode that can be armed", mode},
                                 {"ready", "Aircraft says it is ready", ready},
                                 {"storage", "Onboard logging", storage},
                                 {"card", "Room on the camera's card", card},
                                 {"transmitter", "Pilot's transmitter", transmitter}};

}  // namespace

std::span<const AutoCheck> autoChecks() {
    return kChecks;
}

const AutoCheck* autoCheck(const std::string& name) {
    for (const auto& checks : {autoChecks(), safetyChecks()})
        for (const AutoCheck& c : checks)
            if (name == c.name) return &c;
    return nullptr;
}

}  // namespace anhinga
