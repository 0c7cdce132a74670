#include "standin/StandIn.h"

#include "core/base/File.h"
#include "core/base/Text.h"
#include "core/dialect/Items.h"
#include "core/logio/LogReader.h"
#include "core/mavlink/Frame.h"
#include "core/mavlink/ModeNames.h"
#include "core/plan/Plan.h"

namespace anhinga {

namespace {
constexpr int kMaxSteps = 2000;  // in one advance(): a stopped process must not try to catch up hours
constexpr int kMission = 0, kFence = 1;
constexpr bool kHomeSlot = true;  // item 0 of its mission is home

FlightSetup setupOf(const StandInOptions& o) {
    return {o.vehicle,         o.home, o.home_amsl_m, o.terrain,   o.wind,
            o.return_height_m, {},     true,          o.lost_link, o.low_battery};
}

SafetyAction actionOf(double parameter) {
    return parameter < 0.5 ? SafetyAction::carryOn : parameter < 1.5 ? SafetyAction::land : SafetyAction::returnHome;
}
double parameterOf(SafetyAction action) {
    return action == SafetyAction::carryOn ? 0 : action == SafetyAction::land ? 1 : 2;
}
/// Decimal year, near enough for a magnetic field.
double yearOf(const Clock& clock) {
    return 1970 + clock.unix_s() / (365.2425 * 86400);
}
}  // namespace

StandIn::StandIn(StandInOptions options, std::function<void(const Message&)> send)
    : options_(std::move(options)),
      send_(std::move(send)),
      flight_(setupOf(options_)),
      missions_({[this](Message m) { say(std::move(m)); }, [this](const char* name) { return fault(name); },
                 [this](int type, const std::vector<MissionItem>& items) { return takeMission(type, items); },
                 options_.max_items}),
      parameters_([this](Message m) { say(std::move(m)); },
                  [this](const std::string& name, double value) { parameterChanged(name, value); }),
      files_(options_.logs_dir, [this](Message m) { say(std::move(m)); }),
      field_(magneticField(options_.home, options_.home_amsl_m, yearOf(*options_.clock))) {
    files_.setRate(options_.log_bytes_per_s);
    parameters_.set("RETURN_HEIGHT_M", options_.return_height_m);
    parameters_.set("LEG_SPEED_MPS", options_.vehicle.cruise_mps);
    parameters_.set("LEG_CLIMB_MPS", options_.vehicle.climb_mps);
    parameters_.set("LEG_SINK_MPS", options_.vehicle.descent_mps);
    parameters_.set("LEG_PUSH_MPS2", options_.vehicle.accel_mps2);
    parameters_.set("LEG_JERK_MPS3", options_.vehicle.jerk_mps3);
    parameters_.set("VEHICLE_NUMBER", options_.system);
    parameters_.set("BATTERY_LOW_DOES", parameterOf(options_.low_battery));
    parameters_.set("GROUND_LOST_DOES", options_.lost_link == SafetyAction::carryOn ? 0 : 1);
    parameters_.set("COMPASS_DECL_DEG", field_.declination_deg);
    flight_.faceOnGround(options_.heading_deg);
    if (!options_.store_file.empty()) missions_.restore(options_.store_file);
}

bool StandIn::fault(const char* name) const {
    return options_.faults.holds(name, wall_s_ * options_.pace);
}
double StandIn::faultSeconds(const char* name) const {
    return options_.faults.since(name, wall_s_ * options_.pace);
}

/// Nothing goes in or out.
bool StandIn::deaf() const {
    constexpr double kLost_s = 30;
    const double lost_s = faultSeconds("lost-link");
    return fault("silent") || (lost_s >= 0 && lost_s < kLost_s);
}

double StandIn::time_s() const {
    const std::lock_guard lock(mutex_);
    return flight_.state().t_s;
}

std::map<int, int> StandIn::executed() const {
    const std::lock_guard lock(mutex_);
    return executed_;
}

StandIn::Truth StandIn::truth() const {
    const std::lock_guard lock(mutex_);
    return {flight_.state().armed, flight_.heightHome_m(), flight_.place(), item_};
}

void StandIn::say(Message m) {
    if (deaf()) return;
    m.system = static_cast<std::uint8_t>(options_.system);
    m.component = 1;
    m.sequence = sequence_++;
    send_(m);
}

std::string StandIn::frame(const Message& m) {
    std::string bytes = mavlink::encode(m);
    if (!options_.key) return bytes;
    signing_time_ = std::max(signing_time_ + 1, mavlink::signingTime(options_.clock->unix_s()));
    return mavlink::signFrame(std::move(bytes), m.info->crc_extra, *options_.key, 1, signing_time_);
}

/// A text longer than a message holds goes in pieces.
void StandIn::text(int severity, const std::string& what) {
    constexpr std::size_t kPiece = 50;
    const int id = what.size() > kPiece ? ++text_id_ % 60000 + 1 : 0;
    for (std::size_t at = 0, chunk = 0; at < std::max<std::size_t>(1, what.size()); at += kPiece, ++chunk)
        say(Message("STATUSTEXT")
                .set("severity", severity)
                .setText("text", what.substr(at, kPiece))
                .set("id", id)
                .set("chunk_seq", static_cast<double>(chunk)));
}

// ---- hearing

void StandIn::hear(const Message& m, std::span<const std::uint8_t> frame) {
    const std::lock_guard lock(mutex_);
    if (deaf()) return;
    constexpr std::size_t kRemembered = 64;
    const std::pair packet(m.sequence | m.system << 8 | m.component << 16, mavlink::crc16(frame));
    if (std::find(heard_.begin(), heard_.end(), packet) != heard_.end()) return;
    heard_.push_back(packet);
    if (heard_.size() > kRemembered) heard_.pop_front();
    if (options_.key) {
        const auto judged = signatures_.judge(frame, *options_.key, mavlink::signingTime(options_.clock->unix_s()));
        if (judged != mavlink::SignatureJudgement::good) {
            // Said, but not for each heartbeat of a stranger.
            if ((m.is("COMMAND_LONG") || m.is("COMMAND_INT") || wall_s_ - refused_s_ > 5) && !m.is("HEARTBEAT")) {
                refused_s_ = wall_s_;
                constexpr int kWarning = 4;
                text(kWarning,
                     fmt::format("not obeyed: {} of system {} is {}", m.info->name, m.system, judgementText(judged)));
            }
            return;
        }
    }
    receiveLocked(m);
}

void StandIn::receive(const Message& m) {
    const std::lock_guard lock(mutex_);
    receiveLocked(m);
}

void StandIn::receiveLocked(const Message& m) {
    if (const auto* target = m.info->field("target_system")) {
        const auto to = mavlink::readInteger(m.payload, *target, 0);
        if (to != 0 && to != options_.system) return;
    }
    // What is said to another component of the system is not its own.
    if (const auto* target = m.info->field("target_component"))
        if (const auto to = mavlink::readInteger(m.payload, *target, 0); to > 1) return;
    if (m.is("HEARTBEAT")) {
        constexpr int kGroundStation = 6;
        if (m.integer("type") == kGroundStation) {
            ground_heard_s_ = wall_s_;
            link_lost_ = false;
        }
    } else if (m.is("COMMAND_LONG") || m.is("COMMAND_INT")) {
        command(m);
    } else if (m.is("MISSION_SET_CURRENT")) {
        if (const auto ok = flight_.goToItem(static_cast<int>(m.integer("seq"))); !ok)
            text(4, ok.error().message);
        else
            say(missionCurrent());
    } else if (m.is("TIMESYNC")) {
        if (m.integer("tc1") == 0)
            say(Message("TIMESYNC")
                    .setInteger("tc1", static_cast<std::int64_t>(wall_s_ * 1e9) + 1)
                    .setInteger("ts1", m.integer("ts1")));
    } else if (m.is("SETUP_SIGNING")) {
        if (flight_.state().armed) return text(4, "no key is taken while armed");
        mavlink::SigningKey key;
        std::copy_n(m.payload + m.info->field("secret_key")->offset, key.size(), key.begin());
        if (std::all_of(key.begin(), key.end(), [](std::uint8_t b) { return b == 0; }))
            options_.key.reset();
        else
            options_.key = key;
    } else if (m.info->name.starts_with("MISSION_")) {
        missions_.receive(m, wall_s_);
    } else if (!parameters_.receive(m)) {
        (void)files_.receive(m);
    }
}

Result<void> StandIn::takeMission(int type, const std::vector<MissionItem>& items) {
    if (type == kFence) {
        std::vector<Fence> fences;
        for (std::size_t i = 0; i < items.size();) {
            const MissionItem& item = items[i];
            Fence f;
            f.kind = item.command == cmd::fenceKeepIn || item.command == cmd::fenceCircleIn ? FenceKind::keepIn
                                                                                            : FenceKind::keepOut;
            const bool circle = item.command == cmd::fenceCircleIn || item.command == cmd::fenceCircleOut;
            const auto corners =
                circle ? std::size_t{1} : static_cast<std::size_t>(std::clamp(item.param1, 1.0f, 1000.0f));
            if (circle) f.radius_m = static_cast<double>(item.param1);
            for (std::size_t k = i; k < std::min(items.size(), i + corners); ++k)
                f.outline.push_back(placeOf(items[k]));
            fences.push_back(f);
            i += corners;
        }
        fences_.emplace(fences, flight_.frame());
        return {};
    }
    if (type != kMission) return {};
    if (auto ok = flight_.changeMission(programRead(items, kHomeSlot)); !ok) {
        text(4, ok.error().message);
        return ok;
    }
    if (flight_.mode() != FlightMode::mission) item_ = reached_ = 0;
    return {};
}

void StandIn::parameterChanged(const std::string& name, double value) {
    if (name == "RETURN_HEIGHT_M") flight_.setReturnHeight(value);
    if (name == "RETURN_PAUSE_S") flight_.setReturnWait(value);
    if (name == "BATTERY_LOW_DOES") flight_.setLowBattery(actionOf(value));
    if (name == "GROUND_LOST_DOES") flight_.setLostLink(value < 0.5 ? SafetyAction::carryOn : SafetyAction::returnHome);
}

// ---- time

void StandIn::applyFaults() {
    const auto once = [this](std::size_t i, const char* name) {
        if (done_[i] || !fault(name)) return false;
        done_[i] = true;
        return true;
    };
    if (flight_.state().armed && !flight_.state().on_ground) {
        if (once(0, "gps-loss")) flight_.loseGps();
        if (once(1, "motor-loss")) flight_.loseMotor();
        if (once(2, "pilot-switch")) {
            text(5, "pilot has moved the mode switch: hold");
            (void)flight_.pause();
        }
        if (once(5, "radio-lost")) {
            text(2, "the pilot's transmitter is lost");
            flight_.loseLink();
        }
    }
    if (once(3, "weak-battery")) flight_.drainTo(20);
    if (once(4, "wind")) {
        Wind wind = options_.wind;
        const Vec2 more{9, 0};  // towards the east
        const double from = wind.from_deg * M_PI / 180;
        const Vec2 all = Vec2{-std::sin(from), -std::cos(from)} * wind.speed_mps + more;
        wind.speed_mps = length(all);
        wind.from_deg = wrapBearing(std::atan2(-all.x, -all.y) * 180 / M_PI);
        flight_.setWind(wind);
    }
    constexpr double kLinkTimeout_s = 5;
    if (!link_lost_ && ground_heard_s_ >= 0 && wall_s_ - ground_heard_s_ > kLinkTimeout_s) {
        link_lost_ = true;
        flight_.loseLink();
    }
}

void StandIn::watchFence() {
    if (parameters_.value("FENCE_WATCHED") < 0.5 || !flight_.state().armed || flight_.state().on_ground) {
        fence_breach_ = 0;
        return;
    }
    enum { none, tooHigh = 2, boundary = 3 };
    int breach = none;
    for (std::size_t i = 0; fences_ && i < fences_->size(); ++i)
        if (!fences_->allows(i, flight_.state().position)) breach = boundary;
    if (flight_.heightHome_m() > parameters_.value("FENCE_CEILING_M")) breach = tooHigh;
    if (breach != none && fence_breach_ == none) {
        ++fence_breaches_;
        text(2, breach == tooHigh ? "fence: above the highest height" : "fence: outside");
        const double action = parameters_.value("FENCE_REPLY");
        if (action >= 0.5) flight_.breakFence(action < 1.5 ? SafetyAction::returnHome : SafetyAction::land);
    }
    fence_breach_ = breach;
}

void StandIn::finishLog() {
    if (!log_) return;
    if (!options_.logs_dir.empty()) {
        std::string path;
        do {
            path = fmt::format("{}/flight-{:03}.ulg", options_.logs_dir, ++log_number_);
        } while (readFile(path).has_value());
        const SensorFaults wrong = sensorFaults(options_.faults, log_->firstTime());
        (void)writeFileAtomic(
            path, writeUlog(withSensors(*log_, options_.vehicle, wrong, options_.log_seed, options_.log_rates)));
    }
    recorder_.reset();
    log_.reset();
}

void StandIn::happened(const FlightEvent& e) {
    if (e.kind == FlightEvent::armed && !options_.logs_dir.empty()) {
        log_ = std::make_unique<FlightLog>();
        log_->start_unix_s = options_.clock->unix_s() - flight_.state().t_s;
        log_->vehicle =
            fmt::format("vehicle {}, {}", options_.system, mavlink::typeText(mavTypeOf(options_.vehicle.kind)));
        for (const auto& [name, p] : parameters_.all()) log_->params[name] = p.value;
        recorder_ = std::make_unique<FlightRecorder>(*log_);
    }
    if (e.kind == FlightEvent::photo && fault("no-trigger")) return;
    if (recorder_) recorder_->event(e);
    switch (e.kind) {
        case FlightEvent::armed:
        case FlightEvent::disarmed:
        case FlightEvent::modeChanged:
            heartbeat();
            break;
        case FlightEvent::itemStarted:
            item_ = e.seq;
            say(missionCurrent());
            break;
        case FlightEvent::itemReached:
            reached_ = e.seq;
            say(Message("MISSION_ITEM_REACHED").set("seq", e.seq));
            break;
        case FlightEvent::photo: {
            const GeoPoint p = reportedPlace();
            // Yaw, then the gimbal's pitch, as a turn of the camera against the ground.
            const double yaw = flight_.state().yaw_deg * M_PI / 360,
                         pitch = flight_.state().gimbal_pitch_deg * M_PI / 360;
            say(Message("CAMERA_IMAGE_CAPTURED")
                    .set("time_utc", options_.clock->unix_s() * 1e6)
                    .set("time_boot_ms", flight_.state().t_s * 1000)
                    .set("lat", p.lat_deg * 1e7)
                    .set("lon", p.lon_deg * 1e7)
                    .set("alt", flight_.state().amsl_m * 1000)
                    .set("relative_alt", flight_.heightHome_m() * 1000)
                    .set("q", std::cos(yaw) * std::cos(pitch), 0)
                    .set("q", -std::sin(yaw) * std::sin(pitch), 1)
                    .set("q", std::cos(yaw) * std::sin(pitch), 2)
                    .set("q", std::sin(yaw) * std::cos(pitch), 3)
                    .set("image_index", e.seq)
                    .set("capture_result", 1));
            break;
        }
        case FlightEvent::message:
            text(6, e.text);
            break;
    }
    if (e.kind == FlightEvent::disarmed) finishLog();
}

void StandIn::advance(double seconds) {
    const std::lock_guard lock(mutex_);
    wall_s_ += seconds;
    owed_s_ += seconds * options_.pace;
    missions_.advance(wall_s_);
    parameters_.advance(seconds);
    files_.advance(seconds);
    applyFaults();
    for (int i = 0; i < kMaxSteps && owed_s_ >= Flight::kStep_s; ++i) {
        owed_s_ -= Flight::kStep_s;
        flight_.step();
        if (fault("resonance") && flight_.state().throttle_percent > 30) clipped_ += 3;
        watchFence();
        for (const FlightEvent& e : flight_.takeEvents()) happened(e);
        if (recorder_) recorder_->sample(flight_, flight_.place(), flight_.heightGround_m());
        telemetry();
    }
    for (const FlightEvent& e : flight_.takeEvents()) happened(e);
    if (owed_s_ > kMaxSteps * Flight::kStep_s) owed_s_ = 0;
}

}  // namespace anhinga
