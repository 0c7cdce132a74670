#include "core/link/VehicleState.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "core/base/Text.h"
#include "core/mavlink/ModeNames.h"

namespace anhinga {

using mavlink::Message;

namespace {
constexpr std::size_t kMaxTexts = 200, kMaxTrack = 5000, kMaxReached = 100000, kMaxModes = 64, kMaxPhotos = 20000;
constexpr double kDegrees = 180 / M_PI;

/// Takes a number over where it is one.
void put(std::optional<double>& into, double value) {
    if (std::isfinite(value)) into = value;
}
std::optional<GeoPoint> placeE7(const Message& m, const char* lat, const char* lon) {
    const GeoPoint p{m.number(lat) * 1e-7, m.number(lon) * 1e-7};
    // 0/0 is what autopilots say before they know.
    if (!isValid(p) || (p.lat_deg == 0 && p.lon_deg == 0)) return std::nullopt;
    return p;
}
}  // namespace

namespace {
const OfferedMode* offered(const VehicleSnapshot& v, std::uint32_t custom_mode) {
    const auto at = std::find_if(v.modes.begin(), v.modes.end(),
                                 [&](const OfferedMode& mode) { return mode.custom_mode == custom_mode; });
    return at != v.modes.end() ? &*at : nullptr;
}
}  // namespace

std::optional<ModeKind> modeKind(const VehicleSnapshot& v, std::uint32_t custom_mode) {
    if (const auto kind = mavlink::modeKind(v.autopilot, v.type, custom_mode)) return kind;
    const OfferedMode* mode = offered(v, custom_mode);
    return mode != nullptr ? mavlink::standardMode(mode->standard_mode) : std::nullopt;
}

std::optional<ModeKind> modeKind(const VehicleSnapshot& v) {
    constexpr int kCustom = 1, kAuto = 4;
    if (const auto kind = modeKind(v, v.custom_mode)) return kind;
    // Without numbers of its own the standard's flag says that it flies its list.
    if ((v.base_mode & kCustom) == 0 && (v.base_mode & kAuto) != 0) return ModeKind::mission;
    return std::nullopt;
}

std::optional<std::uint32_t> modeNumber(const VehicleSnapshot& v, ModeKind kind) {
    if (const auto number = mavlink::modeNumber(v.autopilot, v.type, kind)) return number;
    for (const OfferedMode& mode : v.modes)
        if (mode.selectable && mavlink::standardMode(mode.standard_mode) == kind) return mode.custom_mode;
    return std::nullopt;
}

std::string ownModeWord(const VehicleSnapshot& v) {
    const OfferedMode* mode = offered(v, v.custom_mode);
    return mode != nullptr ? mode->name : std::string();
}

std::string modeName(const VehicleSnapshot& v) {
    if (const auto kind = modeKind(v)) return modeWord(*kind);
    const std::string own = ownModeWord(v);
    return own.empty() ? mavlink::modeName(v.autopilot, v.type, v.custom_mode) : own;
}

const char* fixText(int fix) {
    constexpr const char* kTexts[] = {"no receiver",   "no fix",        "2D fix", "3D fix",       "3D fix, corrected",
                                      "float RTK fix", "fixed RTK fix", "static", "precise point"};
    return fix >= 0 && fix < static_cast<int>(std::size(kTexts)) ? kTexts[fix] : "unknown fix";
}

VehicleSnapshot VehicleState::at(double now_ms) const {
    VehicleSnapshot copy = state_;
    copy.heartbeat_age_s = state_.heard ? std::max(0.0, now_ms - last_heartbeat_ms_) / 1000 : 0;
    copy.link.heartbeat_age_s = copy.heartbeat_age_s;
    copy.cameras = payload_.cameras(now_ms / 1000);
    copy.gimbal = payload_.gimbal(now_ms / 1000);
    return copy;
}

void VehicleState::countLoss(const Message& m, double now_ms) {
    LinkQuality& link = state_.link;
    ++link.received;
    ++window_received_;
    if (sequence_known_[m.component]) {
        const int gap = (m.sequence - last_sequence_[m.component] - 1) & 0xFF;
        // More than half the ring backwards is a packet out of order or twice, not a loss.
        if (gap >= 128) return;
        link.lost += static_cast<std::uint64_t>(gap);
        window_lost_ += static_cast<std::uint64_t>(gap);
    }
    sequence_known_[m.component] = true;
    last_sequence_[m.component] = m.sequence;
    constexpr double kWindow_ms = 3000;
    if (now_ms - window_ms_ > kWindow_ms) {
        link.recent_loss = static_cast<double>(window_lost_) /
                           static_cast<double>(std::max<std::uint64_t>(1, window_lost_ + window_received_));
        window_ms_ = now_ms;
        window_received_ = window_lost_ = 0;
    }
}

void VehicleState::heartbeat(const Message& m, double now_ms) {
    VehicleSnapshot& s = state_;
    constexpr int kNoAutopilot = 8, kGroundStation = 6;
    if (m.integer("type") == kGroundStation || m.integer("autopilot") == kNoAutopilot) return;
    // The autopilot is component 1; another that calls itself one counts only until that is heard.
    constexpr int kAutopilot = 1;
    if (s.heard && m.component != s.component && m.component != kAutopilot) return;
    s.heard = true;
    s.system = m.system;
    s.component = m.component;
    s.type = static_cast<int>(m.integer("type"));
    s.autopilot = static_cast<int>(m.integer("autopilot"));
    s.custom_mode = static_cast<std::uint32_t>(m.integer("custom_mode"));
    s.base_mode = static_cast<int>(m.integer("base_mode"));
    s.system_status = static_cast<int>(m.integer("system_status"));
    const bool armed = (m.integer("base_mode") & 128) != 0;
    if (armed && !s.armed) {
        s.armed_at_s = s.boot_s;
        s.disarmed_at_s.reset();
    } else if (!armed && s.armed) {
        s.disarmed_at_s = s.boot_s;
    }
    s.armed = armed;
    last_heartbeat_ms_ = now_ms;
}

void VehicleState::addTrack() {
    VehicleSnapshot& s = state_;
    if (!s.armed || !s.position || !s.height_home_m) return;
    if (!s.track->empty() && distance_m(s.track->back().place, *s.position) < track_step_m_) return;
    auto& track = s.track.edit();
    if (track.size() >= kMaxTrack) {
        // A long flight is kept whole at half the points.
        std::size_t kept = 0;
        for (std::size_t i = 0; i < track.size(); i += 2) track[kept++] = track[i];
        track.resize(kept);
        track_step_m_ *= 2;
    }
    track.push_back({*s.position, *s.height_home_m, s.custom_mode});
}

void VehicleState::position(const Message& m) {
    VehicleSnapshot& s = state_;
    if (const auto place = placeE7(m, "lat", "lon")) s.position = place;
    s.amsl_m = m.number("alt") / 1000;
    s.height_home_m = m.number("relative_alt") / 1000;
    if (m.integer("hdg") <= 36000) s.heading_deg = m.number("hdg") / 100;
    s.climb_mps = -m.number("vz") / 100;
    s.ground_mps = std::hypot(m.number("vx"), m.number("vy")) / 100;
    if (*s.ground_mps > 0.5) s.course_deg = wrapBearing(std::atan2(m.number("vy"), m.number("vx")) * kDegrees);
    s.boot_s = m.number("time_boot_ms") / 1000;
    addTrack();
}

void VehicleState::sensors(const Message& m) {
    VehicleSnapshot& s = state_;
    if (m.is("SYS_STATUS")) {
        if (m.integer("voltage_battery") != 65535) s.battery_v = m.number("voltage_battery") / 1000;
        if (m.integer("current_battery") >= 0) s.battery_a = m.number("current_battery") / 100;
        if (m.integer("battery_remaining") >= 0) s.battery_percent = m.number("battery_remaining");
        s.sensors_present = static_cast<std::uint32_t>(m.integer("onboard_control_sensors_present"));
        s.sensors_on = static_cast<std::uint32_t>(m.integer("onboard_control_sensors_enabled"));
        s.sensors_ok = static_cast<std::uint32_t>(m.integer("onboard_control_sensors_health"));
    } else if (m.is("BATTERY_STATUS")) {
        if (m.integer("id") != 0) return;  // the first battery drives the motors
        if (m.integer("current_consumed") >= 0) s.battery_used_mah = m.number("current_consumed");
        if (m.integer("energy_consumed") >= 0) s.battery_used_wh = m.number("energy_consumed") / 36;  // hJ
    } else if (m.is("GPS_RAW_INT")) {
        s.fix = static_cast<int>(m.integer("fix_type"));
        if (m.integer("satellites_visible") != 255) s.satellites = static_cast<int>(m.integer("satellites_visible"));
        if (m.integer("eph") != 65535) s.hdop = m.number("eph") / 100;
        if (m.integer("h_acc") != 0) s.position_within_m = m.number("h_acc") / 1000;
    } else if (m.is("EKF_STATUS_REPORT")) {
        put(s.compass_ratio, m.number("compass_variance"));
        put(s.position_ratio, m.number("pos_horiz_variance"));
        put(s.height_ratio, m.number("pos_vert_variance"));
    } else if (m.is("ESTIMATOR_STATUS")) {
        put(s.compass_ratio, m.number("mag_ratio"));
        put(s.position_ratio, m.number("pos_horiz_ratio"));
        put(s.height_ratio, m.number("pos_vert_ratio"));
    } else if (m.is("SCALED_IMU") || m.is("SCALED_IMU2")) {
        if (m.integer("xmag") == 0 && m.integer("ymag") == 0 && m.integer("zmag") == 0) return;
        s.field_x_ut = m.number("xmag") / 10;  // mgauss
        s.field_y_ut = m.number("ymag") / 10;
        s.field_z_ut = m.number("zmag") / 10;
    } else if (m.is("VIBRATION")) {
        put(s.vibration_x, m.number("vibration_x"));
        put(s.vibration_y, m.number("vibration_y"));
        put(s.vibration_z, m.number("vibration_z"));
        s.clipped = m.number("clipping_0") + m.number("clipping_1") + m.number("clipping_2");
    } else if (m.is("RC_CHANNELS")) {
        constexpr const char* kChannels[] = {"chan1_raw", "chan2_raw", "chan3_raw", "chan4_raw",
                                             "chan5_raw", "chan6_raw", "chan7_raw", "chan8_raw"};
        s.radio_us.clear();
        const auto count =
            std::min<std::size_t>(static_cast<std::size_t>(m.integer("chancount")), std::size(kChannels));
        for (std::size_t i = 0; i < count; ++i) {
            const auto us = static_cast<int>(m.integer(kChannels[i]));
            s.radio_us.push_back(us == 65535 ? 0 : us);
        }
        if (m.integer("rssi") != 255) s.radio_rssi = static_cast<int>(m.integer("rssi"));
    }
}

std::optional<int> VehicleState::planItem(int aboard) const {
    if (plan_seq_.empty()) return aboard;
    if (aboard < 0 || static_cast<std::size_t>(aboard) >= plan_seq_.size()) return std::nullopt;
    const int item = plan_seq_[static_cast<std::size_t>(aboard)];
    return item >= 0 ? std::optional(item) : std::nullopt;
}

bool VehicleState::navigation(const Message& m) {
    VehicleSnapshot& s = state_;
    if (m.is("MISSION_CURRENT")) {
        s.mission_item = planItem(static_cast<int>(m.integer("seq")));
        if (m.integer("total") != 0 && m.integer("total") != 65535)
            s.mission_total = static_cast<int>(m.integer("total"));
        if (m.integer("mission_state") != 0) s.mission_state = static_cast<int>(m.integer("mission_state"));
    } else if (m.is("MISSION_ITEM_REACHED")) {
        auto& reached = s.reached.edit();
        const auto item = planItem(static_cast<int>(m.integer("seq")));
        if (item && reached.size() < kMaxReached) reached.push_back(*item);
    } else if (m.is("NAV_CONTROLLER_OUTPUT")) {
        put(s.desired_roll_deg, m.number("nav_roll"));
        put(s.desired_pitch_deg, m.number("nav_pitch"));
        put(s.desired_yaw_deg, m.number("nav_bearing"));
        put(s.cross_track_m, m.number("xtrack_error"));
        put(s.height_error_m, m.number("alt_error"));
        s.item_distance_m = m.number("wp_dist");
    } else if (m.is("HOME_POSITION")) {
        if (const auto place = placeE7(m, "latitude", "longitude")) {
            s.home = place;
            s.home_amsl_m = m.number("altitude") / 1000;
        }
    } else if (m.is("FENCE_STATUS")) {
        s.fence_breached = m.integer("breach_status") != 0;
        s.fence_breach_kind = static_cast<int>(m.integer("breach_type"));
    } else if (m.is("AUTOPILOT_VERSION")) {
        s.capabilities = static_cast<std::uint64_t>(m.integer("capabilities"));
        const auto v = static_cast<std::uint32_t>(m.integer("flight_sw_version"));
        s.firmware = fmt::format("{}.{}.{}", v >> 24, (v >> 16) & 0xFF, (v >> 8) & 0xFF);
    } else if (m.is("AVAILABLE_MODES")) {
        const OfferedMode mode{static_cast<std::uint32_t>(m.integer("custom_mode")), m.text("mode_name"),
                               (m.integer("properties") & 2) == 0, static_cast<int>(m.integer("standard_mode"))};
        const auto same = [&](const OfferedMode& o) { return o.custom_mode == mode.custom_mode; };
        const auto at = std::find_if(s.modes.begin(), s.modes.end(), same);
        if (at != s.modes.end())
            *at = mode;
        else if (s.modes.size() < kMaxModes)
            s.modes.push_back(mode);
    } else {
        return false;
    }
    return true;
}

void VehicleState::photo(const Message& m) {
    VehicleSnapshot& s = state_;
    const bool feedback = m.is("CAMERA_FEEDBACK");
    if (!feedback && m.integer("capture_result") != 1) return;
    const double at_s = feedback ? m.number("time_usec") * 1e-6 : m.number("time_boot_ms") / 1000;
    auto& sources = feedback ? fed_back_ : captured_;
    if (!sources[m.component].take(m.integer(feedback ? "img_idx" : "image_index"), at_s)) return;
    const auto sum = [](const std::map<int, PhotoCount>& counts) {
        int all = 0;
        for (const auto& [component, count] : counts) all += count.taken();
        return all;
    };
    // The autopilot and its camera may both tell of one photo.
    s.photos = std::max(sum(captured_), sum(fed_back_));
    if (feedback && !captured_.empty()) return;
    const auto place = feedback ? placeE7(m, "lat", "lng") : placeE7(m, "lat", "lon");
    if (place) {
        s.last_photo = place;
        auto& places = s.photo_places.edit();
        if (places.size() >= kMaxPhotos) places.erase(places.begin(), places.begin() + kMaxPhotos / 10);
        places.push_back(*place);
    }
    put(s.last_photo_amsl_m, feedback ? m.number("alt_msl") : m.number("alt") / 1000);
}

std::vector<PayloadQuestion> VehicleState::questions(double now_ms) {
    return state_.heard ? payload_.questions(state_.component, now_ms / 1000) : std::vector<PayloadQuestion>{};
}

/// One aircraft's clock goes forward and its place changes no quicker than anything flies; two with the same number
/// jump to and fro. A restart or a jump of the position and back is not yet that.
void VehicleState::listenForTwo(const Message& m, double now_ms) {
    constexpr double kClockBack_s = 30, kNear_m = 300, kFastest_mps = 400, kLately_ms = 10000;
    constexpr std::size_t kEnough = 4;
    const double boot_s = m.number("time_boot_ms") / 1000;
    const auto place = placeE7(m, "lat", "lon");
    bool jumped = heard_boot_s_ && boot_s < *heard_boot_s_ - kClockBack_s;
    if (place && heard_at_ && heard_boot_s_) {
        const double far = distance_m(*heard_at_, *place);
        jumped = jumped || (far > kNear_m && far > kFastest_mps * (std::abs(boot_s - *heard_boot_s_) + 1));
    }
    heard_boot_s_ = boot_s;
    if (place) heard_at_ = place;
    if (jumped) jumps_ms_.push_back(now_ms);
    while (!jumps_ms_.empty() && now_ms - jumps_ms_.front() > kLately_ms) jumps_ms_.pop_front();
    state_.link.two_voices = jumps_ms_.size() >= kEnough;
}

void VehicleState::take(const Message& m, double now_ms) {
    VehicleSnapshot& s = state_;
    countLoss(m, now_ms);
    if (m.is("HEARTBEAT")) {
        if (s.heard) payload_.take(m, s.component, now_ms / 1000);
        return heartbeat(m, now_ms);
    }
    if (s.heard) payload_.take(m, s.component, now_ms / 1000);
    if (m.is("CAMERA_FEEDBACK") || m.is("CAMERA_IMAGE_CAPTURED")) return photo(m);
    if (m.is("RADIO_STATUS")) {
        s.link.radio_left_percent = m.number("txbuf");
        if (m.integer("rssi") != 255) s.link.radio_rssi = static_cast<int>(m.integer("rssi"));
        if (m.integer("remrssi") != 255) s.link.radio_remote_rssi = static_cast<int>(m.integer("remrssi"));
        return;
    }
    // What another component says of itself is not the aircraft's, nor is anything before it is known which one it is.
    if (!s.heard || m.component != s.component) return;
    if (m.is("GLOBAL_POSITION_INT")) {
        listenForTwo(m, now_ms);
        position(m);
    } else if (m.is("ATTITUDE")) {
        put(s.roll_deg, m.number("roll") * kDegrees);
        put(s.pitch_deg, m.number("pitch") * kDegrees);
        if (std::isfinite(m.number("yaw"))) s.yaw_deg = wrapBearing(m.number("yaw") * kDegrees);
    } else if (m.is("VFR_HUD")) {
        put(s.air_mps, m.number("airspeed"));
        s.throttle_percent = m.number("throttle");
    } else if (m.is("WIND")) {
        if (std::isfinite(m.number("direction"))) s.wind_from_deg = wrapBearing(m.number("direction"));
        put(s.wind_mps, m.number("speed"));
    } else if (m.is("WIND_COV")) {
        const double x = m.number("wind_x"), y = m.number("wind_y");  // towards, north and east
        if (!std::isfinite(x) || !std::isfinite(y)) return;
        s.wind_mps = std::hypot(x, y);
        s.wind_from_deg = wrapBearing(std::atan2(-y, -x) * kDegrees);
    } else if (m.is("ATTITUDE_TARGET")) {
        const double w = m.number("q", 0), x = m.number("q", 1), y = m.number("q", 2), z = m.number("q", 3);
        if (!std::isfinite(w * w + x * x + y * y + z * z)) return;
        s.desired_roll_deg = std::atan2(2 * (w * x + y * z), 1 - 2 * (x * x + y * y)) * kDegrees;
        s.desired_pitch_deg = std::asin(std::clamp(2 * (w * y - z * x), -1.0, 1.0)) * kDegrees;
        s.desired_yaw_deg = wrapBearing(std::atan2(2 * (w * z + x * y), 1 - 2 * (y * y + z * z)) * kDegrees);
    } else if (m.is("EXTENDED_SYS_STATE")) {
        if (m.integer("landed_state") != 0) s.landed_state = static_cast<int>(m.integer("landed_state"));
    } else if (m.is("SYSTEM_TIME")) {
        if (m.integer("time_unix_usec") > 0) s.unix_s = m.number("time_unix_usec") * 1e-6;
    } else if (m.is("STATUSTEXT")) {
        // A long text comes in pieces of 50 characters with one id; the last is shorter.
        const auto id = static_cast<int>(m.integer("id"));
        std::string text = shownText(m.text("text"));
        if (id != 0 && id == partial_id_ && m.integer("chunk_seq") > 0 && !s.texts->empty()) {
            std::string& whole = s.texts.edit().back().text;
            if (whole.size() < 1000) whole += text;
            return;
        }
        partial_id_ = id;
        auto& texts = s.texts.edit();
        const std::uint64_t number = texts.empty() ? 1 : texts.back().number + 1;
        texts.push_back({static_cast<int>(m.integer("severity")), std::move(text), number});
        if (texts.size() > kMaxTexts) texts.erase(texts.begin());
    } else if (!navigation(m)) {
        sensors(m);
    }
}

}  // namespace anhinga
