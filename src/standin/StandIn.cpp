#include "standin/StandIn.h"

#include "core/base/File.h"
#include "core/base/Text.h"
#include "core/link/Services.h"
#include "core/logio/LogReader.h"
#include "core/mavlink/ModeNames.h"

namespace anhinga {

const FaultInfo kFaults[3] = {{"alter-item", "stores mission item 2 five metres higher than it was sent"},
                              {"silent", "says and answers nothing from then on"},
                              {"silent-transfer", "falls silent in the middle of a mission transfer"}};

namespace {
constexpr int kSystem = 1, kComponent = 1;
constexpr double kDeg = M_PI / 180;
constexpr int kMaxSteps = 2000;  // in one advance(): a stopped process must not try to catch up hours

FlightSetup setupOf(const StandInOptions& o) {
    return {o.vehicle,         o.home, o.home_amsl_m, o.terrain, o.wind,
            o.return_height_m, true,   true,          o.at_end,  SafetyAction::returnHome,
            o.low_battery};
}

constexpr int kFamily = 3;
/// MAV_TYPE.
int typeOf(VehicleKind kind) {
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

const char* modeWord(FlightMode mode) {
    switch (mode) {
        case FlightMode::standby:
            return "";
        case FlightMode::hold:
            return "hold";
        case FlightMode::takingOff:
            return "guided";
        case FlightMode::mission:
            return "mission";
        case FlightMode::returning:
            return "return";
        case FlightMode::landing:
            return "land";
    }
    return "";
}

int customMode(FlightMode mode, int requested, VehicleKind kind) {
    if (mode == FlightMode::standby) return requested;
    return static_cast<int>(mavlink::modeNumber(kFamily, typeOf(kind), modeWord(mode)).value_or(0));
}
}  // namespace

StandIn::StandIn(StandInOptions options, std::function<void(const Message&)> send)
    : options_(std::move(options)), send_(std::move(send)), flight_(setupOf(options_)) {}

bool StandIn::fault(const std::string& name) const {
    const auto at = options_.faults.find(name);
    return at != options_.faults.end() && wall_s_ * options_.speedup >= at->second;
}

double StandIn::time_s() const {
    const std::lock_guard lock(mutex_);
    return flight_.state().t_s;
}

void StandIn::say(Message m) {
    if (fault("silent")) return;
    m.system = kSystem;
    m.component = kComponent;
    m.sequence = sequence_++;
    send_(m);
}

void StandIn::text(int severity, const std::string& what) {
    say(Message("STATUSTEXT").set("severity", severity).setText("text", what));
}

void StandIn::receive(const Message& m) {
    const std::lock_guard lock(mutex_);
    if (m.info->name.starts_with("MISSION_"))
        missionMessage(m);
    else if (m.is("COMMAND_LONG"))
        command(m);
}

// ---- missions

void StandIn::acknowledge(int type, int result) {
    say(Message("MISSION_ACK")
            .set("target_system", 255)
            .set("target_component", 190)
            .set("type", result)
            .set("mission_type", type));
}

void StandIn::askNext() {
    upload_.asked_s = wall_s_;
    say(Message("MISSION_REQUEST_INT")
            .set("target_system", 255)
            .set("target_component", 190)
            .set("seq", upload_.next)
            .set("mission_type", upload_.type));
}

void StandIn::missionMessage(const Message& m) {
    if (m.is("MISSION_SET_CURRENT")) {
        if (const auto ok = flight_.goToItem(static_cast<std::size_t>(m.integer("seq"))); !ok)
            text(4, ok.error().message);
        return;
    }
    if (m.is("MISSION_CURRENT") || m.is("MISSION_ITEM_REACHED") || m.is("MISSION_ACK")) return;
    if (m.info->field("mission_type") == nullptr) return;
    const auto type = static_cast<int>(m.integer("mission_type"));
    if (m.is("MISSION_COUNT") || m.is("MISSION_CLEAR_ALL")) {
        const int count = m.is("MISSION_COUNT") ? static_cast<int>(m.integer("count")) : 0;
        if (type == 0 && flight_.mode() == FlightMode::mission) return acknowledge(type, 14);  // denied now
        if (count > options_.max_items) return acknowledge(type, 4);                           // no space
        if (count == 0) {
            stores_[type].items.clear();
            if (type == 0) flight_.setMission({});
            return acknowledge(type, 0);
        }
        if (upload_.active && upload_.type == type && upload_.count == count && upload_.next == 0) return askNext();
        upload_ = {true, false, type, count, 0, 0, wall_s_, {}};
        return askNext();
    }
    if (m.is("MISSION_ITEM_INT")) return takeItem(m);
    if (m.is("MISSION_REQUEST_LIST"))
        return say(Message("MISSION_COUNT")
                       .set("target_system", 255)
                       .set("target_component", 190)
                       .set("count", static_cast<double>(stores_[type].items.size()))
                       .set("mission_type", type));
    if (m.is("MISSION_REQUEST_INT") || m.is("MISSION_REQUEST")) {
        const auto& items = stores_[type].items;
        const auto seq = static_cast<std::size_t>(m.integer("seq"));
        if (seq >= items.size()) return acknowledge(type, 13);
        if (fault("silent-transfer") && seq >= 2) return;
        say(missionItemMessage(items[seq], static_cast<MissionType>(type), 255, 190));
    }
}

void StandIn::takeItem(const Message& m) {
    const auto type = static_cast<int>(m.integer("mission_type"));
    MissionItem item = missionItemOf(m);
    if (!upload_.active) {
        // Our acknowledgement was lost and the last item came again.
        const auto& held = stores_[type].items;
        if (upload_.done && upload_.type == type && !held.empty() && item.seq + 1u == held.size()) acknowledge(type, 0);
        return;
    }
    if (type != upload_.type || item.seq != upload_.next) return;
    if (fault("silent-transfer") && upload_.next >= 2) return;
    if (hasPlace(item) && !isValid(placeOf(item))) {
        upload_.active = false;
        return acknowledge(type, 10);
    }
    upload_.items.push_back(item);
    ++upload_.next;
    upload_.tries = 0;
    if (upload_.next < upload_.count) return askNext();
    upload_.active = false;
    upload_.done = true;
    if (type == 0 && fault("alter-item") && upload_.items.size() > 2) upload_.items[2].z += 5;
    stores_[type].items = upload_.items;
    if (type == 0) {
        flight_.setMission(upload_.items);
        item_ = 0;
    }
    acknowledge(type, 0);
}

// ---- commands

Result<void> StandIn::execute(int command, const Message& m, bool& known) {
    switch (command) {
        case cmd::armDisarm:
            return m.number("param1") > 0.5 ? flight_.arm() : flight_.disarm();
        case cmd::takeOff:
            return flight_.takeOff(m.number("param7"));
        case cmd::missionStart:
            return flight_.startMission();
        case cmd::returnHome:
            return flight_.returnHome();
        case cmd::land:
            return flight_.land();
        case 193:
            return m.number("param1") < 0.5 ? flight_.pause() : flight_.resume();
        case cmd::doSetMode: {
            const auto mode = static_cast<int>(m.number("param2"));
            const std::string word = mavlink::modeName(kFamily, typeOf(options_.vehicle.kind),
                                                       static_cast<std::uint32_t>(std::max(0, mode)));
            if (mode < 0 || (word != "manual" && word != "mission" && word != "guided" && word != "hold" &&
                             word != "return" && word != "land"))
                return fail("mode {} is not offered", mode);
            mode_request_ = mode;
            if (flight_.state().on_ground) return {};
            if (word == "mission")
                return flight_.mode() == FlightMode::hold && flight_.executor().current() && !flight_.missionEnded()
                           ? flight_.resume()
                           : flight_.startMission();
            if (word == "hold") return flight_.pause();
            if (word == "return") return flight_.returnHome();
            if (word == "land") return flight_.land();
            return {};
        }
        case cmd::setMessageInterval:
            return {};
        case cmd::requestMessage:
            if (m.integer("param1") == 148)
                say(Message("AUTOPILOT_VERSION")
                        .set("capabilities", 4 | 8192 | 16384)
                        .set("flight_sw_version", 0x01000000));
            return {};
        default:
            known = false;
            return {};
    }
}

void StandIn::command(const Message& m) {
    const auto number = static_cast<int>(m.integer("command"));
    bool known = true;
    const auto done = execute(number, m, known);
    if (!done) text(4, done.error().message);
    const int result = !known ? 3 : done ? 0 : 1;
    say(Message("COMMAND_ACK")
            .set("command", number)
            .set("result", result)
            .set("target_system", m.system)
            .set("target_component", m.component));
}

// ---- time and telemetry

void StandIn::heartbeat() {
    const FlightState& s = flight_.state();
    const int mode = customMode(flight_.mode(), mode_request_, options_.vehicle.kind);
    say(Message("HEARTBEAT")
            .set("custom_mode", mode)
            .set("type", typeOf(options_.vehicle.kind))
            .set("autopilot", kFamily)
            .set("base_mode", 1 + (s.armed ? 128 : 0) + (flight_.mode() == FlightMode::mission ? 4 : 0) + 16)
            .set("system_status", s.on_ground ? 3 : 4)
            .set("mavlink_version", 3));
}

void StandIn::telemetry() {
    const FlightState& s = flight_.state();
    const double boot_ms = s.t_s * 1000, speedup = options_.speedup;
    if (wall_s_ - last_heartbeat_s_ >= std::min(1.0, std::max(0.05, 1 / speedup))) {
        last_heartbeat_s_ = wall_s_;
        heartbeat();
    }
    const double thin = std::max(1.0, speedup / 60);  // very fast stand-ins say less, so that no packet is dropped
    if (s.t_s - last_fast_s_ >= 0.2 * thin - 1e-6) {
        last_fast_s_ = s.t_s;
        const GeoPoint p = flight_.place();
        say(Message("GLOBAL_POSITION_INT")
                .set("time_boot_ms", boot_ms)
                .set("lat", p.lat_deg * 1e7)
                .set("lon", p.lon_deg * 1e7)
                .set("alt", s.amsl_m * 1000)
                .set("relative_alt", flight_.heightHome_m() * 1000)
                .set("vx", s.velocity.y * 100)
                .set("vy", s.velocity.x * 100)
                .set("vz", -s.climb_mps * 100)
                .set("hdg", s.yaw_deg * 100));
        say(Message("ATTITUDE")
                .set("time_boot_ms", boot_ms)
                .set("roll", s.roll_deg * kDeg)
                .set("pitch", s.pitch_deg * kDeg)
                .set("yaw", wrapAngle(s.yaw_deg) * kDeg));
        say(Message("VFR_HUD")
                .set("airspeed", s.air_mps)
                .set("groundspeed", length(s.velocity))
                .set("alt", s.amsl_m)
                .set("climb", s.climb_mps)
                .set("heading", s.yaw_deg)
                .set("throttle", s.throttle_percent));
    }
    if (s.t_s - last_slow_s_ >= 1.0 * thin - 1e-6) {
        last_slow_s_ = s.t_s;
        const GeoPoint p = flight_.place();
        say(Message("SYSTEM_TIME").set("time_unix_usec", unixNow() * 1e6).set("time_boot_ms", boot_ms));
        say(Message("SYS_STATUS")
                .set("voltage_battery", s.battery.voltage_v * 1000)
                .set("current_battery", s.battery.current_a * 100)
                .set("battery_remaining", s.battery.left_percent));
        Message battery("BATTERY_STATUS");
        battery.set("current_consumed", s.battery.used_mah)
            .set("energy_consumed", s.battery.used_wh * 36)
            .set("temperature", 32767)
            .set("current_battery", s.battery.current_a * 100)
            .set("battery_remaining", s.battery.left_percent);
        for (int i = 0; i < 10; ++i) battery.set("voltages", 65535, i);
        battery.set("voltages", s.battery.voltage_v * 1000, 0);
        say(battery);
        say(Message("GPS_RAW_INT")
                .set("time_usec", s.t_s * 1e6)
                .set("lat", p.lat_deg * 1e7)
                .set("lon", p.lon_deg * 1e7)
                .set("alt", s.amsl_m * 1000)
                .set("eph", 80)
                .set("epv", 120)
                .set("vel", length(s.velocity) * 100)
                .set("cog", s.yaw_deg * 100)
                .set("fix_type", 3)
                .set("satellites_visible", 17));
        say(Message("MISSION_CURRENT").set("seq", item_).set("total", static_cast<double>(stores_[0].items.size())));
        say(Message("HOME_POSITION")
                .set("latitude", options_.home.lat_deg * 1e7)
                .set("longitude", options_.home.lon_deg * 1e7)
                .set("altitude", options_.home_amsl_m * 1000));
    }
}

void StandIn::finishLog() {
    if (!log_) return;
    if (!options_.logs_dir.empty()) {
        const std::string path = fmt::format("{}/flight-{:03}.ulg", options_.logs_dir, ++log_number_);
        (void)writeFileAtomic(path, writeUlog(*log_));
    }
    recorder_.reset();
    log_.reset();
}

void StandIn::advance(double seconds) {
    const std::lock_guard lock(mutex_);
    wall_s_ += seconds;
    owed_s_ += seconds * options_.speedup;
    if (upload_.active && wall_s_ - upload_.asked_s > 0.6) {
        if (++upload_.tries > 10)
            upload_.active = false;
        else if (!fault("silent-transfer"))
            askNext();
    }
    for (int i = 0; i < kMaxSteps && owed_s_ >= Flight::kStep_s; ++i) {
        owed_s_ -= Flight::kStep_s;
        flight_.step();
        for (const FlightEvent& e : flight_.takeEvents()) {
            if (e.kind == FlightEvent::armed && !options_.logs_dir.empty()) {
                log_ = std::make_unique<FlightLog>();
                log_->start_unix_s = unixNow() - flight_.state().t_s;
                recorder_ = std::make_unique<FlightRecorder>(*log_);
            }
            if (recorder_) recorder_->event(e);
            switch (e.kind) {
                case FlightEvent::armed:
                case FlightEvent::disarmed:
                case FlightEvent::modeChanged:
                    heartbeat();
                    break;
                case FlightEvent::itemStarted:
                    item_ = e.seq;
                    say(Message("MISSION_CURRENT")
                            .set("seq", item_)
                            .set("total", static_cast<double>(stores_[0].items.size())));
                    break;
                case FlightEvent::itemReached:
                    say(Message("MISSION_ITEM_REACHED").set("seq", e.seq));
                    break;
                case FlightEvent::photo: {
                    const GeoPoint p = flight_.place();
                    say(Message("CAMERA_FEEDBACK")
                            .set("lat", p.lat_deg * 1e7)
                            .set("lng", p.lon_deg * 1e7)
                            .set("alt_msl", flight_.state().amsl_m)
                            .set("alt_rel", flight_.heightHome_m())
                            .set("pitch", flight_.state().gimbal_pitch_deg)
                            .set("yaw", flight_.state().yaw_deg)
                            .set("img_idx", e.seq));
                    break;
                }
                case FlightEvent::message:
                    text(6, e.text);
                    break;
            }
            if (e.kind == FlightEvent::disarmed) finishLog();
        }
        if (recorder_) recorder_->sample(flight_, flight_.place(), flight_.heightGround_m());
        telemetry();
    }
    if (owed_s_ > kMaxSteps * Flight::kStep_s) owed_s_ = 0;
}

}  // namespace anhinga
