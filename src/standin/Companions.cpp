#include "standin/Companions.h"

#include <algorithm>
#include <cmath>

namespace anhinga {

using mavlink::Message;

namespace {
constexpr int kAccepted = 0, kDenied = 2, kUnsupported = 3, kFailed = 4;  // MAV_RESULT
constexpr double kLowest_deg = -90, kHighest_deg = 30, kTurn_dps = 30;
constexpr double kRad = M_PI / 180;
}  // namespace

Companions::Companions(CompanionOptions options, int system, std::function<void(const Message&)> send)
    : options_(options), system_(system), send_(std::move(send)) {}

void Companions::say(Message m, int component) {
    m.system = static_cast<std::uint8_t>(component == kGroundComponent ? kOtherGround : system_);
    m.component = static_cast<std::uint8_t>(component);
    m.sequence = sequences_[component & 0xFF]++;
    send_(m);
}

int Companions::taken() const {
    const std::lock_guard lock(mutex_);
    return taken_;
}
double Companions::pitch_deg() const {
    const std::lock_guard lock(mutex_);
    return pitch_deg_;
}
bool Companions::filming() const {
    const std::lock_guard lock(mutex_);
    return filming_;
}

double Companions::free_mb() const {
    return std::max(0.0, options_.card_mb - options_.photo_mb * (options_.images + taken_) - film_mb_);
}

bool Companions::says(const Message& m) {
    const std::lock_guard lock(mutex_);
    if (m.is("GLOBAL_POSITION_INT")) {
        place_ = {m.number("lat") * 1e-7, m.number("lon") * 1e-7};
        amsl_m_ = m.number("alt") / 1000;
    }
    if (!options_.camera || !m.is("CAMERA_IMAGE_CAPTURED")) return true;
    take();
    return false;
}

void Companions::take() {
    if (free_mb() < options_.photo_mb) return;
    ++taken_;
    say(Message("CAMERA_IMAGE_CAPTURED")
            .set("time_boot_ms", time_s_ * 1000)
            .set("lat", place_.lat_deg * 1e7)
            .set("lon", place_.lon_deg * 1e7)
            .set("alt", amsl_m_ * 1000)
            .set("q", 1, 0)
            .set("image_index", options_.images + taken_ - 1)
            .set("capture_result", 1),
        kCamera);
}

void Companions::captureStatus() {
    say(Message("CAMERA_CAPTURE_STATUS")
            .set("time_boot_ms", time_s_ * 1000)
            .set("image_interval", every_s_)
            .set("recording_time_ms", filmed_s_ * 1000)
            .set("available_capacity", free_mb())
            .set("image_status", every_s_ > 0 ? 2 : 0)
            .set("video_status", filming_ ? 1 : 0)
            .set("image_count", options_.images + taken_),
        kCamera);
}

void Companions::storage() {
    constexpr int kReady = 2;
    say(Message("STORAGE_INFORMATION")
            .set("time_boot_ms", time_s_ * 1000)
            .set("total_capacity", options_.card_mb)
            .set("used_capacity", options_.card_mb - free_mb())
            .set("available_capacity", free_mb())
            .set("storage_id", 1)
            .set("storage_count", 1)
            .set("status", kReady),
        kCamera);
}

void Companions::managerStatus() {
    say(Message("GIMBAL_MANAGER_STATUS")
            .set("time_boot_ms", time_s_ * 1000)
            .set("gimbal_device_id", kGimbal)
            .set("primary_control_sysid", held_by_system_)
            .set("primary_control_compid", held_by_component_),
        kGimbal);
}

bool Companions::request(int component, int message) {
    constexpr int kInformation = 259, kStorage = 261, kCapture = 262, kManager = 280, kStatus = 281;
    if (component == kCamera && message == kInformation) {
        constexpr int kFilms = 1, kTakes = 2;
        Message m("CAMERA_INFORMATION");
        m.set("time_boot_ms", time_s_ * 1000).set("flags", kFilms + kTakes);
        m.set("resolution_h", 5472).set("resolution_v", 3648);
        const std::string model = "Shoreline 20";
        for (std::size_t i = 0; i < model.size(); ++i) m.set("model_name", model[i], static_cast<int>(i));
        say(m, kCamera);
    } else if (component == kCamera && message == kStorage) {
        storage();
    } else if (component == kCamera && message == kCapture) {
        captureStatus();
    } else if (component == kGimbal && message == kManager) {
        say(Message("GIMBAL_MANAGER_INFORMATION")
                .set("time_boot_ms", time_s_ * 1000)
                .set("pitch_min", kLowest_deg * kRad)
                .set("pitch_max", kHighest_deg * kRad)
                .set("yaw_min", -M_PI)
                .set("yaw_max", M_PI)
                .set("gimbal_device_id", kGimbal),
            kGimbal);
    } else if (component == kGimbal && message == kStatus) {
        managerStatus();
    } else {
        return false;
    }
    return true;
}

int Companions::camera(const Message& m) {
    const auto number = m.integer("command");
    if (number == 2000) {
        const double every_s = m.number("param2"), count = m.number("param3");
        const int capture = static_cast<int>(std::clamp(m.number("param4"), 0.0, 1e9));
        if (!(every_s >= 0) || !(count >= 0)) return kDenied;
        if (free_mb() < options_.photo_mb) return kFailed;
        if (count == 1) {
            if (capture > 0 && capture == last_capture_) return kAccepted;  // said again
            last_capture_ = capture;
            take();
        } else {
            every_s_ = std::max(1.0, every_s);
            repeats_left_ = static_cast<int>(std::min(count, 1e6));
            next_s_ = time_s_;
        }
        captureStatus();
        return kAccepted;
    }
    if (number == 2001) {
        every_s_ = 0;
        captureStatus();
        return kAccepted;
    }
    if (number == 2500 || number == 2501) {
        if (number == 2500 && !filming_) filmed_s_ = 0;
        filming_ = number == 2500;
        captureStatus();
        return kAccepted;
    }
    return kUnsupported;
}

int Companions::gimbal(const Message& m) {
    const auto number = m.integer("command");
    if (number == 1001) {
        const double system = m.number("param1"), component = m.number("param2");
        // -1: left as it is, -2: who asks, -3: given back by who has it.
        if (system == -2 || (system >= 1 && system <= 255)) {
            held_by_system_ = system == -2 ? m.system : static_cast<int>(system);
            held_by_component_ = system == -2 ? m.component : static_cast<int>(std::clamp(component, 0.0, 255.0));
        } else if (system == 0 || (system == -3 && held_by_system_ == m.system)) {
            held_by_system_ = held_by_component_ = 0;
        }
        managerStatus();
        return kAccepted;
    }
    if (number == 1000) {
        if (m.system != held_by_system_ || m.component != held_by_component_) return kDenied;
        if (std::isfinite(m.number("param1")))
            wanted_pitch_deg_ = std::clamp(m.number("param1"), kLowest_deg, kHighest_deg);
        if (std::isfinite(m.number("param2"))) wanted_yaw_deg_ = std::clamp(m.number("param2"), -180.0, 180.0);
        return kAccepted;
    }
    return kUnsupported;
}

void Companions::hear(const Message& m) {
    const std::lock_guard lock(mutex_);
    if (!m.is("COMMAND_LONG") || m.integer("target_system") != system_) return;
    const auto to = static_cast<int>(m.integer("target_component"));
    if (!(to == kCamera && options_.camera) && !(to == kGimbal && options_.gimbal)) return;
    constexpr int kRequestMessage = 512;
    int result = kUnsupported;
    const double asked = m.number("param1");
    if (m.integer("command") == kRequestMessage && asked >= 0 && asked < 70000)
        result = request(to, static_cast<int>(asked)) ? kAccepted : kUnsupported;
    else
        result = to == kCamera ? camera(m) : gimbal(m);
    say(Message("COMMAND_ACK")
            .set("command", m.number("command"))
            .set("result", result)
            .set("target_system", m.system)
            .set("target_component", m.component),
        to);
}

void Companions::advance(double seconds) {
    const std::lock_guard lock(mutex_);
    time_s_ += seconds;
    if (filming_) {
        filmed_s_ += seconds;
        film_mb_ += options_.video_mb_per_s * seconds;
        if (free_mb() <= 0) filming_ = false;
    }
    if (every_s_ > 0 && time_s_ >= next_s_) {
        next_s_ += every_s_;
        take();
        if (repeats_left_ > 0 && --repeats_left_ == 0) every_s_ = 0;
    }
    const auto towards = [&](double& is, double wanted) {
        is += std::clamp(wanted - is, -kTurn_dps * seconds, kTurn_dps * seconds);
    };
    towards(pitch_deg_, wanted_pitch_deg_);
    towards(yaw_deg_, wanted_yaw_deg_);
    if (options_.gimbal && time_s_ - attitude_s_ >= 0.5) {
        attitude_s_ = time_s_;
        constexpr int kRollLock = 4, kPitchLock = 8, kYawToNose = 32;
        const double p = pitch_deg_ * kRad / 2, y = yaw_deg_ * kRad / 2;
        say(Message("GIMBAL_DEVICE_ATTITUDE_STATUS")
                .set("time_boot_ms", time_s_ * 1000)
                .set("q", std::cos(p) * std::cos(y), 0)
                .set("q", -std::sin(p) * std::sin(y), 1)
                .set("q", std::sin(p) * std::cos(y), 2)
                .set("q", std::cos(p) * std::sin(y), 3)
                .set("flags", kRollLock + kPitchLock + kYawToNose),
            kGimbal);
    }
    if (time_s_ - beat_s_ < 1) return;
    beat_s_ = time_s_;
    constexpr int kNoAutopilot = 8, kActive = 4;
    const auto beat = [&](int type, int component) {
        say(Message("HEARTBEAT")
                .set("type", type)
                .set("autopilot", kNoAutopilot)
                .set("system_status", kActive)
                .set("mavlink_version", 3),
            component);
    };
    constexpr int kCameraType = 30, kGimbalType = 26, kBatteryType = 34, kGroundType = 6;
    if (options_.camera) beat(kCameraType, kCamera);
    if (options_.gimbal) {
        beat(kGimbalType, kGimbal);
        managerStatus();
    }
    if (options_.ground) beat(kGroundType, kGroundComponent);
    if (!options_.battery) return;
    beat(kBatteryType, kBattery);
    battery_percent_ = std::max(0.0, battery_percent_ - 0.01);
    Message battery("BATTERY_STATUS");
    battery.set("id", 1).set("battery_remaining", std::floor(battery_percent_)).set("current_battery", 40);
    battery.set("voltages", 7400, 0);
    for (int cell = 1; cell < 10; ++cell) battery.set("voltages", 65535, cell);
    say(battery, kBattery);
}

}  // namespace anhinga
