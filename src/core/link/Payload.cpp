#include "core/link/Payload.h"

#include <algorithm>
#include <cmath>

namespace anhinga {

using mavlink::Message;

namespace {

constexpr int kCameraType = 30, kGimbalType = 26;  // MAV_TYPE
constexpr int kFirstCamera = 100, kLastCamera = 105;
constexpr double kGone_s = 10, kAgain_s = 5;
constexpr double kDegrees = 180 / M_PI;
// MAV_CMD: REQUEST_MESSAGE, and what cameras before it understand.
constexpr int kRequest = 512, kAskInformation = 521, kAskStorage = 525, kAskCapture = 527;
constexpr int kInformation = 259, kStorage = 261, kCapture = 262, kManager = 280;  // messages
constexpr int kTries = 3;

std::optional<double> known(double value) {
    return std::isfinite(value) && value >= 0 ? std::optional(value) : std::nullopt;
}

}  // namespace

bool PhotoCount::take(std::int64_t index, double time_s) {
    constexpr std::int64_t kMostLost = 500;
    constexpr double kSameMoment_s = 0.05;
    if (!last_) {
        taken_ = 1;
    } else if (index == *last_) {
        // One that does not count says the same number each time, at another moment.
        if (index > 1 || std::abs(time_s - last_s_) < kSameMoment_s) return false;
        ++taken_;
    } else if (index < *last_ && *last_ - index < kMostLost && time_s < last_s_) {
        return false;  // late or said again
    } else {
        const std::int64_t step = index - *last_;
        taken_ += step > 0 && step <= kMostLost ? static_cast<int>(step) : 1;
    }
    last_ = index;
    last_s_ = time_s;
    return true;
}

void PayloadState::camera(Camera& c, const Message& m) {
    CameraSnapshot& s = c.is;
    if (m.is("CAMERA_INFORMATION")) {
        constexpr std::int64_t kFilms = 1, kTakes = 2;  // CAMERA_CAP_FLAGS
        s.answers = true;
        s.video = (m.integer("flags") & kFilms) != 0;
        s.photos = (m.integer("flags") & kTakes) != 0;
        s.model.clear();
        constexpr int kLetters = 32;
        for (int i = 0; i < kLetters; ++i) {
            const auto letter = static_cast<char>(m.integer("model_name", i));
            if (letter == 0) break;
            if (letter >= ' ' && letter < 127) s.model += letter;
        }
    } else if (m.is("CAMERA_CAPTURE_STATUS")) {
        const auto images = m.integer("image_count"), image = m.integer("image_status");
        if (images >= 0) s.images = static_cast<int>(images);
        s.repeating = image == 2 || image == 3;
        s.filming = m.integer("video_status") == 1;
        s.filming_s = m.number("recording_time_ms") / 1000;
        if (const auto left = known(m.number("available_capacity")); left && *left > 0) s.free_mb = left;
    } else if (m.is("STORAGE_INFORMATION")) {
        const auto status = m.integer("status");
        s.card = status >= 0 && status <= 3 ? static_cast<CardState>(status) : CardState::unknown;
        const bool counts = s.card == CardState::ready;
        s.free_mb = counts ? known(m.number("available_capacity")) : std::nullopt;
        s.total_mb = counts ? known(m.number("total_capacity")) : std::nullopt;
    } else if (m.is("CAMERA_IMAGE_CAPTURED")) {
        // Indices begin with 0.
        const auto index = m.integer("image_index");
        if (m.integer("capture_result") == 1 && index >= 0 && index < INT32_MAX && s.images)
            s.images = std::max(*s.images, static_cast<int>(index) + 1);
    }
}

void PayloadState::attitude(const Message& m, double now_s) {
    const double w = m.number("q", 0), x = m.number("q", 1), y = m.number("q", 2), z = m.number("q", 3);
    const double size = w * w + x * x + y * y + z * z;
    if (!(std::isfinite(size) && size > 0.5 && size < 2)) return;
    // Of the manager it belongs to: its own component, or the one there is.
    auto at = gimbals_.find(m.component);
    if (at == gimbals_.end() && gimbals_.size() == 1) at = gimbals_.begin();
    if (at == gimbals_.end()) return;
    GimbalSnapshot& s = at->second.is;
    s.pitch_deg = std::asin(std::clamp(2 * (w * y - z * x), -1.0, 1.0)) * kDegrees;
    s.yaw_deg = std::atan2(2 * (w * z + x * y), 1 - 2 * (y * y + z * z)) * kDegrees;
    constexpr std::int64_t kYawLock = 16, kInVehicle = 32, kInEarth = 64;  // GIMBAL_DEVICE_FLAGS
    const auto flags = m.integer("flags");
    s.yaw_to_north = (flags & kInEarth) != 0 || ((flags & kInVehicle) == 0 && (flags & kYawLock) != 0);
    at->second.heard_s = now_s;
}

void PayloadState::take(const Message& m, int autopilot, double now_s) {
    const bool beats = m.is("HEARTBEAT") && m.component != autopilot;
    const bool is_camera =
        m.is("CAMERA_INFORMATION") || m.is("CAMERA_CAPTURE_STATUS") ||
        (beats && (m.integer("type") == kCameraType || (m.component >= kFirstCamera && m.component <= kLastCamera)));
    const auto at = cameras_.find(m.component);
    if (is_camera || (at != cameras_.end() && (m.is("STORAGE_INFORMATION") || m.is("CAMERA_IMAGE_CAPTURED")))) {
        Camera& c = at != cameras_.end() ? at->second : cameras_[m.component];
        c.is.component = m.component;
        c.heard_s = now_s;
        if (!beats) camera(c, m);
    } else if (m.is("GIMBAL_MANAGER_INFORMATION")) {
        Gimbal& g = gimbals_[m.component];
        g.is.component = m.component;
        g.is.device = static_cast<int>(m.integer("gimbal_device_id"));
        const double low = m.number("pitch_min") * kDegrees, high = m.number("pitch_max") * kDegrees;
        if (low < high && low >= -180 && high <= 180) {
            g.is.pitch_min_deg = low;
            g.is.pitch_max_deg = high;
        }
        g.answers = true;
        g.heard_s = now_s;
    } else if (m.is("GIMBAL_MANAGER_STATUS")) {
        const auto g = gimbals_.find(m.component);
        if (g == gimbals_.end()) return;
        g->second.is.held_by_system = static_cast<int>(m.integer("primary_control_sysid"));
        g->second.is.held_by_component = static_cast<int>(m.integer("primary_control_compid"));
        g->second.heard_s = now_s;
    } else if (m.is("GIMBAL_DEVICE_ATTITUDE_STATUS")) {
        attitude(m, now_s);
    } else if (beats && m.integer("type") == kGimbalType) {
        Gimbal& g = gimbals_[m.component];
        g.is.component = m.component;
        g.heard_s = now_s;
    }
}

std::vector<PayloadQuestion> PayloadState::questions(int autopilot, double now_s) {
    std::vector<PayloadQuestion> out;
    for (auto& [number, c] : cameras_) {
        const int component = number;
        if (now_s - c.heard_s > kGone_s || now_s - c.asked_s < kAgain_s) continue;
        c.asked_s = now_s;
        ++c.asked;
        // After some tries the older way beside the newer one.
        const bool older = c.asked > kTries && c.asked % 2 == 0;
        const auto ask = [&](int message, int command, double param2) {
            if (older)
                out.push_back({component, command, command == kAskStorage ? 0.0 : 1.0, 1});
            else
                out.push_back({component, kRequest, static_cast<double>(message), param2});
        };
        if (!c.is.answers) ask(kInformation, kAskInformation, 0);
        ask(kCapture, kAskCapture, 0);
        ask(kStorage, kAskStorage, 0);
    }
    // A manager may be the autopilot or a component; who has none says nothing.
    const bool any = std::any_of(gimbals_.begin(), gimbals_.end(), [](const auto& g) { return g.second.answers; });
    if (!any && manager_asked_ < 2 * kTries && now_s - manager_asked_s_ >= kAgain_s) {
        manager_asked_s_ = now_s;
        ++manager_asked_;
        out.push_back({autopilot, kRequest, kManager, 0});
        for (const auto& [component, g] : gimbals_)
            if (component != autopilot) out.push_back({component, kRequest, kManager, 0});
    }
    return out;
}

std::vector<CameraSnapshot> PayloadState::cameras(double now_s) const {
    std::vector<CameraSnapshot> out;
    for (const auto& [component, c] : cameras_)
        if (now_s - c.heard_s <= kGone_s) out.push_back(c.is);
    return out;
}

std::optional<GimbalSnapshot> PayloadState::gimbal(double now_s) const {
    for (const auto& [component, g] : gimbals_)
        if (g.answers && now_s - g.heard_s <= kGone_s) return g.is;
    return std::nullopt;
}

}  // namespace anhinga
