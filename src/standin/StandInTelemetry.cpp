// What the stand-in says of itself, and how often.
#include "core/base/Text.h"
#include "core/mavlink/ModeNames.h"
#include "standin/StandIn.h"

namespace anhinga {

namespace {
constexpr double kPerDegree = M_PI / 180;
constexpr double kJump_s = 12, kJump_m = 60, kCompassOff_deg = 35;

ModeKind kindOf(FlightMode mode) {
    switch (mode) {
        case FlightMode::standby:
            return ModeKind::standby;
        case FlightMode::hold:
            return ModeKind::hold;
        case FlightMode::takingOff:
        case FlightMode::led:
            return ModeKind::led;
        case FlightMode::mission:
            return ModeKind::mission;
        case FlightMode::returning:
            return ModeKind::returnHome;
        case FlightMode::landing:
            return ModeKind::land;
    }
    return ModeKind::standby;
}
}  // namespace

bool StandIn::flies(ModeKind kind) {
    return kind == ModeKind::manual || kind == ModeKind::mission || kind == ModeKind::led || kind == ModeKind::hold ||
           kind == ModeKind::returnHome || kind == ModeKind::land;
}

int mavTypeOf(VehicleKind kind) {
    switch (kind) {
        case VehicleKind::multirotor:
            return 2;
        case VehicleKind::fixedWing:
            return 1;
        case VehicleKind::helicopter:
            return 4;
    }
    return 0;
}

struct StandIn::Stream {
    std::string_view name;
    double every_s;  // by itself, simulated seconds; 0: only when asked for
    Message (StandIn::*make)() const;
};

std::span<const StandIn::Stream> StandIn::streams() {
    static constexpr Stream kStreams[] = {{"GLOBAL_POSITION_INT", 0.2, &StandIn::globalPosition},
                                          {"ATTITUDE", 0.2, &StandIn::attitude},
                                          {"VFR_HUD", 0.2, &StandIn::hud},
                                          {"NAV_CONTROLLER_OUTPUT", 0.5, &StandIn::navigation},
                                          {"ATTITUDE_TARGET", 0, &StandIn::attitudeTarget},
                                          {"SYSTEM_TIME", 1, &StandIn::systemTime},
                                          {"SYS_STATUS", 1, &StandIn::systemStatus},
                                          {"BATTERY_STATUS", 1, &StandIn::battery},
                                          {"GPS_RAW_INT", 1, &StandIn::gps},
                                          {"MISSION_CURRENT", 1, &StandIn::missionCurrent},
                                          {"HOME_POSITION", 1, &StandIn::homePosition},
                                          {"ESTIMATOR_STATUS", 1, &StandIn::estimator},
                                          {"SCALED_IMU", 1, &StandIn::magnetometer},
                                          {"VIBRATION", 1, &StandIn::vibration},
                                          {"RC_CHANNELS", 1, &StandIn::transmitter},
                                          {"WIND_COV", 1, &StandIn::wind},
                                          {"EXTENDED_SYS_STATE", 1, &StandIn::landedState},
                                          {"FENCE_STATUS", 1, &StandIn::fenceStatus}};
    return kStreams;
}

void StandIn::setInterval(std::string_view message, double every_s) {
    const auto all = streams();
    for (std::size_t i = 0; i < all.size() && i < every_s_.size(); ++i)
        if (all[i].name == message && std::isfinite(every_s))
            every_s_[i] = every_s < 0 ? 0 : every_s == 0 ? all[i].every_s : std::max(Flight::kStep_s, every_s);
}

void StandIn::telemetry() {
    const auto all = streams();
    if (every_s_.empty()) {
        for (const Stream& s : all) every_s_.push_back(s.every_s);
        last_s_.assign(all.size(), -1e9);
    }
    const double pace = options_.pace, now = flight_.state().t_s;
    if (wall_s_ - last_heartbeat_s_ >= std::min(1.0, std::max(0.05, 1 / pace))) {
        last_heartbeat_s_ = wall_s_;
        heartbeat();
    }
    const double thin = std::max(1.0, pace / 60);  // very fast stand-ins say less, so that no packet is dropped
    for (std::size_t i = 0; i < all.size(); ++i) {
        if (every_s_[i] <= 0 || now - last_s_[i] < every_s_[i] * thin - 1e-6) continue;
        last_s_[i] = now;
        say((this->*all[i].make)());
    }
}

void StandIn::heartbeat() {
    const FlightState& s = flight_.state();
    const int type = mavTypeOf(options_.vehicle.kind);
    const bool standing = flight_.mode() == FlightMode::standby || (s.on_ground && flight_.mode() == FlightMode::hold);
    const auto mode = standing ? std::optional(static_cast<std::uint32_t>(mode_request_))
                               : mavlink::modeNumber(kStandInFamily, type, kindOf(flight_.mode()));
    constexpr int kCustom = 1, kLed = 8, kAuto = 4, kLevelled = 16, kArmed = 128;
    constexpr int kStandby = 3, kActive = 4, kCritical = 5;
    const bool critical = fault("motor-loss") || s.battery.left_percent < 10;
    say(Message("HEARTBEAT")
            .set("custom_mode", mode.value_or(0))
            .set("type", type)
            .set("autopilot", kStandInFamily)
            .set("base_mode", kCustom + kLevelled + (s.armed ? kArmed : 0) +
                                  (flight_.mode() == FlightMode::mission ? kAuto : 0) +
                                  (flight_.mode() == FlightMode::led ? kLed : 0))
            .set("system_status", s.on_ground ? kStandby
                                  : critical  ? kCritical
                                              : kActive)
            .set("mavlink_version", 3));
}

void StandIn::sayModes() {
    const auto modes = mavlink::modesOf(kStandInFamily, mavTypeOf(options_.vehicle.kind));
    int index = 0;
    for (const mavlink::ModeName& mode : modes) {
        constexpr int kNotSelectable = 2;
        say(Message("AVAILABLE_MODES")
                .set("number_modes", static_cast<double>(modes.size()))
                .set("mode_index", ++index)
                .set("custom_mode", mode.mode)
                .set("properties", flies(mode.kind) ? 0 : kNotSelectable)
                .setText("mode_name", mode.text()));
    }
}

GeoPoint StandIn::reportedPlace() const {
    const double s = faultSeconds("gps-jump");
    return s >= 0 && s < kJump_s ? destination(flight_.place(), 70, kJump_m) : flight_.place();
}

double StandIn::reportedHeading() const {
    return wrapBearing(flight_.state().yaw_deg + (fault("compass") ? kCompassOff_deg : 0));
}

mavlink::Message StandIn::globalPosition() const {
    const FlightState& s = flight_.state();
    const GeoPoint p = reportedPlace();
    return Message("GLOBAL_POSITION_INT")
        .set("time_boot_ms", s.t_s * 1000)
        .set("lat", p.lat_deg * 1e7)
        .set("lon", p.lon_deg * 1e7)
        .set("alt", s.amsl_m * 1000)
        .set("relative_alt", flight_.heightHome_m() * 1000)
        .set("vx", s.velocity.y * 100)
        .set("vy", s.velocity.x * 100)
        .set("vz", -s.climb_mps * 100)
        .set("hdg", reportedHeading() * 100);
}

mavlink::Message StandIn::attitude() const {
    const FlightState& s = flight_.state();
    return Message("ATTITUDE")
        .set("time_boot_ms", s.t_s * 1000)
        .set("roll", s.roll_deg * kPerDegree)
        .set("pitch", s.pitch_deg * kPerDegree)
        .set("yaw", wrapAngle(reportedHeading()) * kPerDegree);
}

mavlink::Message StandIn::hud() const {
    const FlightState& s = flight_.state();
    return Message("VFR_HUD")
        .set("airspeed", s.air_mps)
        .set("groundspeed", length(s.velocity))
        .set("alt", s.amsl_m)
        .set("climb", s.climb_mps)
        .set("heading", reportedHeading())
        .set("throttle", s.throttle_percent);
}

mavlink::Message StandIn::systemTime() const {
    return Message("SYSTEM_TIME")
        .set("time_unix_usec", options_.clock->unix_s() * 1e6)
        .set("time_boot_ms", flight_.state().t_s * 1000);
}

mavlink::Message StandIn::systemStatus() const {
    const FlightState& s = flight_.state();
    constexpr double kGyro = 1, kAccel = 2, kMag = 4, kPressure = 8, kGps = 32, kReceiver = 65536, kGeofence = 1048576,
                     kAhrs = 2097152, kLogging = 16777216, kBattery = 33554432, kPrearm = 268435456;
    double present = kGyro + kAccel + kMag + kPressure + kGps + kReceiver + kGeofence + kAhrs + kBattery + kPrearm;
    if (!options_.logs_dir.empty()) present += kLogging;
    double ok = present;
    const double jump_s = faultSeconds("gps-jump");
    if (fault("compass") || fault("refuse-arm")) ok -= kMag;
    if ((jump_s >= 0 && jump_s < kJump_s) || fault("gps-loss")) ok -= kGps;
    if (fault("radio-lost")) ok -= kReceiver;
    if (fence_breach_ != 0) ok -= kGeofence;
    if (s.battery.left_percent < 15) ok -= kBattery;
    if (!notReady().empty()) ok -= kPrearm;
    return Message("SYS_STATUS")
        .set("onboard_control_sensors_present", present)
        .set("onboard_control_sensors_enabled", present)
        .set("onboard_control_sensors_health", ok)
        .set("load", 230)
        .set("voltage_battery", s.battery.voltage_v * 1000)
        .set("current_battery", s.battery.current_a * 100)
        .set("battery_remaining", s.battery.left_percent);
}

mavlink::Message StandIn::battery() const {
    const FlightState& s = flight_.state();
    Message battery("BATTERY_STATUS");
    battery.set("current_consumed", s.battery.used_mah)
        .set("energy_consumed", s.battery.used_wh * 36)
        .set("temperature", 32767)
        .set("current_battery", s.battery.current_a * 100)
        .set("battery_remaining", s.battery.left_percent);
    for (int i = 0; i < 10; ++i) battery.set("voltages", 65535, i);
    battery.set("voltages", s.battery.voltage_v * 1000, 0);
    return battery;
}

mavlink::Message StandIn::gps() const {
    const FlightState& s = flight_.state();
    const GeoPoint p = reportedPlace();
    const double jump_s = faultSeconds("gps-jump");
    const bool jump = jump_s >= 0 && jump_s < kJump_s;
    constexpr int kNoFix = 1, k2d = 2, k3d = 3;
    return Message("GPS_RAW_INT")
        .set("time_usec", s.t_s * 1e6)
        .set("lat", p.lat_deg * 1e7)
        .set("lon", p.lon_deg * 1e7)
        .set("alt", s.amsl_m * 1000)
        .set("eph", jump ? 420 : 80)
        .set("epv", 120)
        .set("h_acc", jump ? 6300 : 900)
        .set("vel", length(s.velocity) * 100)
        .set("cog", s.yaw_deg * 100)
        .set("fix_type", fault("gps-loss") ? kNoFix
                         : jump            ? k2d
                                           : k3d)
        .set("satellites_visible", fault("gps-loss") ? 0
                                   : jump            ? 6
                                                     : 17);
}

mavlink::Message StandIn::navigation() const {
    const FlightState& s = flight_.state();
    const auto target = flight_.target();
    const Vec2 to = target ? target->place - s.position : Vec2{};
    const double bearing = std::atan2(to.x, to.y) / kPerDegree;
    return Message("NAV_CONTROLLER_OUTPUT")
        .set("nav_roll", flight_.wantedRoll_deg())
        .set("nav_pitch", flight_.wantedPitch_deg())
        .set("nav_bearing", target ? bearing : wrapAngle(s.yaw_deg))
        .set("target_bearing", target ? bearing : wrapAngle(s.yaw_deg))
        .set("wp_dist", length(to))
        .set("alt_error", target ? target->amsl_m - s.amsl_m : 0)
        .set("xtrack_error", target ? target->cross_m : 0);
}

mavlink::Message StandIn::attitudeTarget() const {
    const double roll = flight_.wantedRoll_deg() * kPerDegree / 2, pitch = flight_.wantedPitch_deg() * kPerDegree / 2,
                 yaw = flight_.state().yaw_deg * kPerDegree / 2;
    const double cr = std::cos(roll), sr = std::sin(roll), cp = std::cos(pitch), sp = std::sin(pitch),
                 cy = std::cos(yaw), sy = std::sin(yaw);
    return Message("ATTITUDE_TARGET")
        .set("time_boot_ms", flight_.state().t_s * 1000)
        .set("q", cr * cp * cy + sr * sp * sy, 0)
        .set("q", sr * cp * cy - cr * sp * sy, 1)
        .set("q", cr * sp * cy + sr * cp * sy, 2)
        .set("q", cr * cp * sy - sr * sp * cy, 3);
}

mavlink::Message StandIn::estimator() const {
    const double jump_s = faultSeconds("gps-jump");
    return Message("ESTIMATOR_STATUS")
        .set("time_usec", flight_.state().t_s * 1e6)
        .set("vel_ratio", 0.08)
        .set("pos_horiz_ratio", jump_s >= 0 && jump_s < kJump_s ? 1.6 : 0.05)
        .set("pos_vert_ratio", 0.07)
        .set("mag_ratio", fault("compass") ? 1.3 : 0.06)
        .set("flags", 831);
}

/// The Earth's field in body axes.
mavlink::Message StandIn::magnetometer() const {
    const double yaw = flight_.state().yaw_deg * kPerDegree;
    double x = field_.north_nt * std::cos(yaw) + field_.east_nt * std::sin(yaw);
    double y = -field_.north_nt * std::sin(yaw) + field_.east_nt * std::cos(yaw);
    double z = field_.down_nt;
    if (fault("compass")) {
        x += 22000;
        y -= 9000;
        z += 15000;
    }
    constexpr double kMilligaussPerNanotesla = 0.01;
    return Message("SCALED_IMU")
        .set("time_boot_ms", flight_.state().t_s * 1000)
        .set("zacc", -1000)
        .set("xmag", x * kMilligaussPerNanotesla)
        .set("ymag", y * kMilligaussPerNanotesla)
        .set("zmag", z * kMilligaussPerNanotesla);
}

mavlink::Message StandIn::vibration() const {
    const double throttle = flight_.state().throttle_percent / 50;
    const double level = flight_.state().on_ground ? 0.2 : (fault("resonance") ? 55 : 7) * throttle;
    return Message("VIBRATION")
        .set("time_usec", flight_.state().t_s * 1e6)
        .set("vibration_x", level)
        .set("vibration_y", level * 0.9)
        .set("vibration_z", level * 1.3)
        .set("clipping_0", clipped_);
}

mavlink::Message StandIn::transmitter() const {
    const bool lost = fault("radio-lost");
    Message m("RC_CHANNELS");
    m.set("time_boot_ms", flight_.state().t_s * 1000).set("chancount", lost ? 0 : 8).set("rssi", lost ? 0 : 210);
    constexpr const char* kChannels[] = {"chan1_raw", "chan2_raw", "chan3_raw", "chan4_raw",
                                         "chan5_raw", "chan6_raw", "chan7_raw", "chan8_raw"};
    for (int i = 0; i < 8; ++i) m.set(kChannels[i], lost ? 65535 : i == 2 ? 1100 : 1500);
    if (!lost) m.set("chan5_raw", fault("pilot-switch") ? 1900 : 1300);
    return m;
}

mavlink::Message StandIn::wind() const {
    const Vec2 air = flight_.air().mean(std::max(2.0, flight_.heightHome_m()));
    return Message("WIND_COV")
        .set("time_usec", flight_.state().t_s * 1e6)
        .set("wind_x", air.y)  // towards north and east
        .set("wind_y", air.x)
        .set("wind_alt", flight_.state().amsl_m);
}

mavlink::Message StandIn::landedState() const {
    enum { onGround = 1, inAir = 2, takeOff = 3, landing = 4 };
    const FlightMode mode = flight_.mode();
    return Message("EXTENDED_SYS_STATE")
        .set("landed_state", flight_.state().on_ground       ? onGround
                             : mode == FlightMode::takingOff ? takeOff
                             : mode == FlightMode::landing   ? landing
                                                             : inAir);
}

mavlink::Message StandIn::fenceStatus() const {
    return Message("FENCE_STATUS")
        .set("breach_status", fence_breach_ != 0 ? 1 : 0)
        .set("breach_count", fence_breaches_)
        .set("breach_type", fence_breach_);
}

mavlink::Message StandIn::homePosition() const {
    return Message("HOME_POSITION")
        .set("latitude", options_.home.lat_deg * 1e7)
        .set("longitude", options_.home.lon_deg * 1e7)
        .set("altitude", options_.home_amsl_m * 1000);
}

mavlink::Message StandIn::missionCurrent() const {
    enum { noMission = 1, notStarted = 2, active = 3, paused = 4, complete = 5 };
    const auto& steps = flight_.executor().program().steps;
    const FlightMode mode = flight_.mode();
    const int state = steps.empty()                  ? noMission
                      : flight_.missionEnded()       ? complete
                      : mode == FlightMode::mission  ? active
                      : flight_.executor().current() ? paused
                                                     : notStarted;
    return Message("MISSION_CURRENT")
        .set("seq", item_)
        .set("total", static_cast<double>(steps.size()))
        .set("mission_state", state);
}

}  // namespace anhinga
