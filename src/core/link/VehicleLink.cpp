#include "core/link/VehicleLink.h"

#include "core/base/Text.h"
#include "core/mavlink/ModeNames.h"

namespace anhinga {

using mavlink::Message;

namespace {
constexpr int kOurSystem = 255, kOurComponent = 190;  // a ground station's usual numbers
constexpr std::size_t kMaxTexts = 200, kMaxTrack = 20000, kMaxInbox = 10000;
constexpr double kRad = 180 / M_PI;
}  // namespace

std::string modeName(const VehicleSnapshot& v) {
    return mavlink::modeName(v.autopilot, v.type, v.custom_mode);
}

Result<std::unique_ptr<VehicleLink>> VehicleLink::open(const std::string& address, const Options& options) {
    const auto parsed = parseLinkAddress(address);
    if (!parsed) return tl::unexpected(parsed.error());
    std::unique_ptr<VehicleLink> link(new VehicleLink);
    if (!options.record_path.empty()) {
        auto recorder = Recorder::create(options.record_path);
        if (!recorder) return tl::unexpected(recorder.error());
        link->recorder_ = std::move(*recorder);
    }
    auto transport = Transport::open(
        *parsed, [l = link.get()](std::span<const std::uint8_t> b) { l->receive(b); }, options.conditions);
    if (!transport) return tl::unexpected(transport.error());
    {
        const std::lock_guard lock(link->mutex_);
        link->transport_ = std::move(*transport);
    }
    link->beat_ = std::jthread([l = link.get()](const std::stop_token& stop) {
        std::mutex m;
        std::condition_variable_any never;
        // cppcheck-suppress localMutex  ; only there for the timed wait
        std::unique_lock lock(m);
        while (!stop.stop_requested()) {
            Message beat("HEARTBEAT");
            beat.set("type", 6).set("autopilot", 8).set("system_status", 4).set("mavlink_version", 3);
            l->send(beat);
            never.wait_for(lock, stop, std::chrono::milliseconds(l->snapshot().heard ? 1000 : 250),
                           [] { return false; });
        }
    });
    return link;
}

VehicleLink::~VehicleLink() {
    beat_ = {};
    transport_.reset();
}

void VehicleLink::send(Message message) {
    std::string bytes;
    {
        const std::lock_guard lock(mutex_);
        message.system = kOurSystem;
        message.component = kOurComponent;
        message.sequence = sequence_++;
        bytes = mavlink::encode(message);
    }
    if (recorder_) recorder_->add({reinterpret_cast<const std::uint8_t*>(bytes.data()), bytes.size()});
    if (transport_) transport_->send(std::move(bytes));
}

void VehicleLink::receive(std::span<const std::uint8_t> bytes) {
    parser_.feed(bytes, [this](const Message& message, std::span<const std::uint8_t> frame) {
        if (message.system == kOurSystem) return;  // our own, reflected
        if (recorder_) recorder_->add(frame);
        const std::lock_guard lock(mutex_);
        take(message);
        for (Inbox* inbox : inboxes_)
            if (inbox->queue_.size() < kMaxInbox) inbox->queue_.push_back(message);
        arrived_.notify_all();
    });
}

void VehicleLink::countLoss(const Message& m) {
    ++state_.received;
    if (last_sequence_) {
        const int gap = (m.sequence - *last_sequence_ - 1) & 0xFF;
        // More than half the ring backwards is a packet out of order or twice, not a loss.
        if (gap < 128) state_.lost += static_cast<std::uint64_t>(gap);
    }
    last_sequence_ = m.sequence;
}

void VehicleLink::take(const Message& m) {
    VehicleSnapshot& s = state_;
    if (m.is("HEARTBEAT")) {
        if (m.integer("type") == 6 || m.integer("autopilot") == 8) return;  // another ground station
        s.heard = true;
        s.system = m.system;
        s.component = m.component;
        s.type = static_cast<int>(m.integer("type"));
        s.autopilot = static_cast<int>(m.integer("autopilot"));
        s.custom_mode = static_cast<std::uint32_t>(m.integer("custom_mode"));
        const bool armed = (m.integer("base_mode") & 128) != 0;
        if (armed && !s.armed) {
            s.armed_at_s = s.boot_s;
            s.disarmed_at_s.reset();
        } else if (!armed && s.armed) {
            s.disarmed_at_s = s.boot_s;
        }
        s.armed = armed;
        last_heartbeat_ms_ = monotonicMs();
    }
    if (m.system != s.system) return;
    countLoss(m);
    if (m.is("GLOBAL_POSITION_INT")) {
        s.position = GeoPoint{m.number("lat") * 1e-7, m.number("lon") * 1e-7};
        s.amsl_m = m.number("alt") / 1000;
        s.height_home_m = m.number("relative_alt") / 1000;
        if (m.integer("hdg") != 65535) s.heading_deg = m.number("hdg") / 100;
        s.climb_mps = -m.number("vz") / 100;
        s.ground_mps = std::hypot(m.number("vx"), m.number("vy")) / 100;
        s.boot_s = m.number("time_boot_ms") / 1000;
        if (s.armed && (s.track.empty() || distance_m(s.track.back().first, *s.position) > 1) &&
            s.track.size() < kMaxTrack)
            s.track.emplace_back(*s.position, *s.height_home_m);
    } else if (m.is("ATTITUDE")) {
        s.roll_deg = m.number("roll") * kRad;
        s.pitch_deg = m.number("pitch") * kRad;
    } else if (m.is("VFR_HUD")) {
        s.air_mps = m.number("airspeed");
    } else if (m.is("SYS_STATUS")) {
        if (m.integer("voltage_battery") != 65535) s.battery_v = m.number("voltage_battery") / 1000;
        if (m.integer("current_battery") >= 0) s.battery_a = m.number("current_battery") / 100;
        if (m.integer("battery_remaining") >= 0) s.battery_percent = m.number("battery_remaining");
    } else if (m.is("BATTERY_STATUS")) {
        if (m.integer("current_consumed") >= 0) s.battery_used_mah = m.number("current_consumed");
    } else if (m.is("GPS_RAW_INT")) {
        s.fix = static_cast<int>(m.integer("fix_type"));
        if (m.integer("satellites_visible") != 255) s.satellites = static_cast<int>(m.integer("satellites_visible"));
    } else if (m.is("MISSION_CURRENT")) {
        s.mission_item = static_cast<int>(m.integer("seq"));
    } else if (m.is("MISSION_ITEM_REACHED")) {
        s.reached.push_back(static_cast<int>(m.integer("seq")));
    } else if (m.is("CAMERA_FEEDBACK")) {
        ++s.photos;
        s.last_photo = GeoPoint{m.number("lat") * 1e-7, m.number("lng") * 1e-7};
        s.last_photo_amsl_m = m.number("alt_msl");
    } else if (m.is("HOME_POSITION")) {
        s.home = GeoPoint{m.number("latitude") * 1e-7, m.number("longitude") * 1e-7};
        s.home_amsl_m = m.number("altitude") / 1000;
    } else if (m.is("STATUSTEXT")) {
        s.texts.push_back(m.text("text"));
        if (s.texts.size() > kMaxTexts) s.texts.erase(s.texts.begin());
    }
}

VehicleSnapshot VehicleLink::snapshot() const {
    const std::lock_guard lock(mutex_);
    VehicleSnapshot copy = state_;
    copy.heartbeat_age_s = state_.heard ? (monotonicMs() - last_heartbeat_ms_) / 1000 : 0;
    return copy;
}

bool VehicleLink::waitForVehicle(double timeout_s, std::stop_token stop) const {
    std::unique_lock lock(mutex_);
    return arrived_.wait_for(lock, stop, std::chrono::duration<double>(timeout_s), [&] { return state_.heard; });
}

VehicleLink::Inbox::Inbox(VehicleLink& link) : link_(link) {
    const std::lock_guard lock(link_.mutex_);
    link_.inboxes_.insert(this);
}

VehicleLink::Inbox::~Inbox() {
    const std::lock_guard lock(link_.mutex_);
    link_.inboxes_.erase(this);
}

std::optional<Message> VehicleLink::Inbox::next(double timeout_s, std::stop_token stop) {
    std::unique_lock lock(link_.mutex_);
    if (!link_.arrived_.wait_for(lock, stop, std::chrono::duration<double>(timeout_s), [&] { return !queue_.empty(); }))
        return std::nullopt;
    Message message = queue_.front();
    queue_.pop_front();
    return message;
}

}  // namespace anhinga
