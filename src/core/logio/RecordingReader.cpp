// MAVLink recordings: 8 bytes big-endian Unix microseconds, then a packet, again and again.
// Time in the log is the vehicle's own (time_boot_ms) wherever it sends one: a ground clock jitters with the link.
#include <limits>
#include <unordered_map>

#include "core/base/Physics.h"
#include "core/base/Text.h"
#include "core/logio/LogReader.h"
#include "core/mavlink/Frame.h"
#include "core/mavlink/ModeNames.h"
#include "core/mavlink/RecordingFiles.h"

namespace anhinga {

namespace {

using mavlink::FieldInfo;
using mavlink::FieldType;
using mavlink::Message;
using mavlink::MessageInfo;
using mavlink::Parser;

constexpr double kRad = 180 / M_PI;

std::uint64_t stampAt(std::span<const std::uint8_t> bytes) {
    std::uint64_t us = 0;
    for (int i = 0; i < 8; ++i) us = us << 8 | bytes[i];
    return us;
}
/// Between 2000 and 2100: what a stamp of a recording can be.
bool plausible(std::uint64_t us) {
    return us > 946684800000000ULL && us < 4102444800000000ULL;
}

std::span<const std::uint8_t> asBytes(std::string_view s) {
    return {reinterpret_cast<const std::uint8_t*>(s.data()), s.size()};
}

class RecordingLog {
  public:
    RecordingLog(FlightLog& log, const SharedBytes& shared) : log_(log), shared_(shared) {
        shared_.told = nullptr;  // nobody waits for what is decoded later
    }

    /// `at`: where the packet lies in the file.
    void add(const Message& m, std::uint64_t stamp_us, std::size_t at) {
        ++log_.message_counts[std::string(m.info->name)];
        if (m.is("MISSION_COUNT") && m.integer("mission_type") == 0 && m.system > 250)
            beginMission(static_cast<std::size_t>(m.integer("count")));
        if ((m.is("MISSION_ITEM_INT") || m.is("MISSION_ITEM")) && m.integer("mission_type") == 0 && m.system > 250)
            addMissionItem(m);
        if (m.is("PARAM_VALUE")) log_.params[m.text("param_id")] = m.number("param_value");
        if (vehicle_ == 0 && m.is("HEARTBEAT") && m.integer("type") != 6) {
            vehicle_ = m.system;
            log_.vehicle =
                fmt::format("vehicle {}, {}", m.system, mavlink::typeText(static_cast<int>(m.integer("type"))));
        }
        // Said first of all: nobody who speaks later makes a recording one of these.
        if (heard_++ == 0 && m.is("STATUSTEXT") && m.system > 250 && m.text("text") == mavlink::kNotBelievedText) {
            log_.believed = false;
            log_.format = "MAVLink recording of packets that were not believed";
        }
        // The operator's marks are said by the ground.
        if (m.is("STATUSTEXT") && m.system > 250 && vehicle_ != 0) return takeText(m);
        if (m.system != vehicle_ || vehicle_ == 0) return;
        advanceTime(m, stamp_us);
        addFields(m, at);
        addCanonical(m);
    }
    void finish() {
        if (!known_time_) return;
        promiseFields();
        if (first_s_ <= t_) log_.setSpan(first_s_, t_);
        log_.findSessions(restarts_);
    }

  private:
    void beginMission(std::size_t count) {
        // Asked for again before any item came: the same hand-over.
        auto& lists = log_.mission_lists;
        if (!lists.empty() && lists.back().items.empty() && lists.back().count == count) return;
        log_.missions.push_back(static_cast<int>(count));
        lists.push_back({t_, count, {}});
    }
    void addMissionItem(const Message& m) {
        if (log_.mission_lists.empty()) return;
        LoggedMission& list = log_.mission_lists.back();
        const bool e7 = m.is("MISSION_ITEM_INT");
        LoggedItem item;
        item.seq = static_cast<int>(m.integer("seq"));
        if (item.seq < 0 || static_cast<std::size_t>(item.seq) >= list.count) return;
        item.frame = static_cast<int>(m.integer("frame"));
        item.command = static_cast<int>(m.integer("command"));
        const char* const params[] = {"param1", "param2", "param3", "param4"};
        for (int i = 0; i < 4; ++i) item.param[i] = m.number(params[i]);
        item.x = m.number("x") * (e7 ? 1e-7 : 1);
        item.y = m.number("y") * (e7 ? 1e-7 : 1);
        item.z = m.number("z");
        // Sent twice on a poor link: one item.
        for (LoggedItem& had : list.items)
            if (had.seq == item.seq) {
                had = item;
                return;
            }
        list.items.push_back(item);
    }
    void advanceTime(const Message& m, std::uint64_t stamp_us) {
        const double stamp = static_cast<double>(stamp_us) * 1e-6;
        const FieldInfo* boot = m.info->field("time_boot_ms");
        if (boot != nullptr) {
            const double seconds = static_cast<double>(readInteger(m.payload, *boot, 0)) / 1000;
            if (!boot_ || seconds < *boot_ - 5) {
                // Begun, or the vehicle has started again: its clock is laid on ours once.
                if (boot_) restarts_.push_back(t_ + std::max(0.0, stamp - last_stamp_));
                const double here = known_time_ ? t_ + std::max(0.0, stamp - last_stamp_) : 0;
                offset_ = here - seconds;
            }
            if (!boot_ || seconds > *boot_ || seconds < *boot_ - 5) boot_ = seconds;
            t_ = std::max(restarts_.empty() ? 0.0 : restarts_.back(), *boot_ + offset_);
        } else if (!boot_) {
            if (known_time_) t_ += std::max(0.0, stamp - last_stamp_);
        }
        if (!known_time_) log_.start_unix_s = stamp;
        // A capture has no stamps: the vehicle's own clock says when it was.
        if (stamp_us == 0 && log_.start_unix_s == 0 && m.is("SYSTEM_TIME")) {
            constexpr double kYear2000_s = 946684800;
            const double unix_s = m.number("time_unix_usec") * 1e-6;
            if (unix_s > kYear2000_s && unix_s < 5 * kYear2000_s) log_.start_unix_s = unix_s - t_;
        }
        known_time_ = true;
        last_stamp_ = stamp;
    }

    /// All packets of one kind: their fields are decoded when somebody asks for one.
    struct Packets {
        const MessageInfo* info = nullptr;
        std::vector<double> t_s;
        std::vector<std::uint32_t> at;
    };
    void addFields(const Message& m, std::size_t at) {
        first_s_ = std::min(first_s_, t_);
        auto& packets = packets_[m.info->id];
        if (!packets) packets = std::make_shared<Packets>();
        packets->info = m.info;
        packets->t_s.push_back(t_);
        packets->at.push_back(static_cast<std::uint32_t>(at));
    }
    void promiseFields() {
        for (const auto& [id, packets] : packets_)
            for (const FieldInfo& f : packets->info->fields)
                for (int i = 0; f.type != FieldType::c8 && i < std::max<int>(1, f.count); ++i)
                    log_.promise(f.count > 0 ? fmt::format("{}.{}[{}]", packets->info->name, f.name, i)
                                             : fmt::format("{}.{}", packets->info->name, f.name),
                                 std::string(f.unit), packets->at.size(),
                                 [shared = shared_, packets = packets, field = &f, i](Channel& c) {
                                     const auto bytes = asBytes(shared.bytes);
                                     c.t_s = packets->t_s;
                                     c.value.reserve(c.t_s.size());
                                     Message m;
                                     for (const std::uint32_t at : packets->at) {
                                         (void)Parser::look(bytes.subspan(at), m);
                                         c.value.push_back(readNumber(m.payload, *field, i));
                                     }
                                 });
    }

    /// A long text comes in pieces of one id. The operator's own marks are in the recording as texts of the ground.
    void takeText(const Message& m) {
        constexpr const char* kMark = "mark: ";
        const auto id = static_cast<int>(m.integer("id"));
        const std::string text = shownText(m.text("text"));
        if (id != 0 && id == text_id_ && m.integer("chunk_seq") > 0 && !log_.events.empty()) {
            constexpr std::size_t kLongest = 1000;
            if (log_.events.back().text.size() < kLongest) log_.events.back().text += text;
            return;
        }
        text_id_ = id;
        const bool mark = text.starts_with(kMark);
        log_.events.push_back({t_, mark ? "mark" : "message", mark ? text.substr(std::string(kMark).size()) : text});
    }

    void put(const char* name, double value) { log_.channel(name, canonicalUnit(name)).add(t_, value); }

    void addCanonical(const Message& m) {
        const auto n = [&](const char* field) { return m.number(field); };
        if (m.is("GLOBAL_POSITION_INT")) {
            put("position.lat_deg", n("lat") * 1e-7);
            put("position.lon_deg", n("lon") * 1e-7);
            put("position.height_amsl_m", n("alt") / 1000);
            put("position.height_home_m", n("relative_alt") / 1000);
            put("velocity.ground_mps", std::hypot(n("vx"), n("vy")) / 100);
            put("velocity.climb_mps", -n("vz") / 100);
        } else if (m.is("ATTITUDE")) {
            put("attitude.roll_deg", n("roll") * kRad);
            put("attitude.pitch_deg", n("pitch") * kRad);
            const double yaw = n("yaw") * kRad;
            put("attitude.yaw_deg", yaw < 0 ? yaw + 360 : yaw);
        } else if (m.is("VFR_HUD")) {
            put("velocity.air_mps", n("airspeed"));
            put("throttle.percent", n("throttle"));
        } else if (m.is("SYS_STATUS")) {
            if (m.integer("voltage_battery") != 65535) put("battery.voltage_v", n("voltage_battery") / 1000);
            if (m.integer("current_battery") >= 0) put("battery.current_a", n("current_battery") / 100);
            if (m.integer("battery_remaining") >= 0) put("battery.left_percent", n("battery_remaining"));
        } else if (m.is("BATTERY_STATUS")) {
            if (m.integer("current_consumed") >= 0) put("battery.used_mah", n("current_consumed"));
            if (m.integer("energy_consumed") >= 0) put("battery.used_wh", n("energy_consumed") / 36);  // hJ
        } else if (m.is("GPS_RAW_INT")) {
            if (m.integer("satellites_visible") != 255) put("gps.satellites", n("satellites_visible"));
            if (m.integer("eph") != 65535) put("gps.hdop", n("eph") / 100);
            put("gps.fix", n("fix_type"));
        } else if (m.is("MISSION_CURRENT")) {
            put("mission.item", n("seq"));
        } else if (m.is("VIBRATION")) {
            put("vibration.x_mps2", n("vibration_x"));
            put("vibration.y_mps2", n("vibration_y"));
            put("vibration.z_mps2", n("vibration_z"));
            put("vibration.clipped", n("clipping_0"));
        } else if (m.is("RC_CHANNELS")) {
            if (m.integer("rssi") != 255) put("link.rssi", n("rssi"));
        } else if (m.is("SCALED_IMU")) {
            const char* axes[] = {"x", "y", "z"};
            for (const char* a : axes) {
                put(fmt::format("imu.accel_{}_mps2", a).c_str(),
                    n(fmt::format("{}acc", a).c_str()) / 1000 * kStandardGravity_mps2);
                put(fmt::format("imu.gyro_{}_dps", a).c_str(), n(fmt::format("{}gyro", a).c_str()) / 1000 * kRad);
            }
        } else if (m.is("HEARTBEAT")) {
            const bool armed = (m.integer("base_mode") & 128) != 0;
            if (armed != armed_) log_.events.push_back({t_, armed ? "armed" : "disarmed", ""});
            armed_ = armed;
            const std::string mode =
                mavlink::modeName(static_cast<int>(m.integer("autopilot")), static_cast<int>(m.integer("type")),
                                  static_cast<std::uint32_t>(m.integer("custom_mode")));
            if (log_.modes.empty() || log_.modes.back().name != mode) log_.modes.push_back({t_, mode});
        } else if (m.is("STATUSTEXT")) {
            takeText(m);
        } else if (m.is("CAMERA_FEEDBACK")) {
            log_.events.push_back({t_, "photo", std::to_string(m.integer("img_idx"))});
        } else if (m.is("CAMERA_IMAGE_CAPTURED")) {
            if (m.integer("capture_result") == 1)
                log_.events.push_back({t_, "photo", std::to_string(m.integer("image_index"))});
        } else if (m.is("MISSION_ITEM_REACHED")) {
            log_.events.push_back({t_, "item", std::to_string(m.integer("seq"))});
        }
    }

    FlightLog& log_;
    int vehicle_ = 0;
    std::size_t heard_ = 0;
    bool known_time_ = false, armed_ = false;
    int text_id_ = 0;
    double t_ = 0, offset_ = 0, last_stamp_ = 0;
    std::optional<double> boot_;
    std::vector<double> restarts_;
    SharedBytes shared_;
    double first_s_ = std::numeric_limits<double>::infinity();
    std::unordered_map<std::uint32_t, std::shared_ptr<Packets>> packets_;
};

}  // namespace

bool looksLikeRecording(std::string_view text) {
    // Two stamped packets, one behind the other, within the first kilobytes: the start of a recording may be damaged,
    // and the eight bytes before a packet of a bare stream may look like a stamp.
    const auto bytes = asBytes(text.substr(0, 65536));
    const auto stamped = [&](std::size_t i) {
        return i + 8 < bytes.size() && (bytes[i + 8] == 0xFD || bytes[i + 8] == 0xFE) &&
               plausible(stampAt(bytes.subspan(i)));
    };
    Message m;
    for (std::size_t i = 0; i + 17 < bytes.size(); ++i) {
        if (!stamped(i)) continue;
        const auto found = Parser::look(bytes.subspan(i + 8), m);
        if (found.look != Parser::Look::message) continue;
        const std::size_t next = i + 8 + found.length;
        if (stamped(next) || (i == 0 && next + 8 >= bytes.size())) return true;
    }
    return false;
}

bool looksLikeCapture(std::string_view text) {
    // Three packets that follow each other within the first kilobytes.
    const auto bytes = asBytes(text.substr(0, 65536));
    Message m;
    for (std::size_t i = 0; i < bytes.size(); ++i) {
        std::size_t at = i, packets = 0;
        while (at < bytes.size() && (bytes[at] == 0xFD || bytes[at] == 0xFE) && packets < 3) {
            const auto found = Parser::look(bytes.subspan(at), m);
            if (found.look != Parser::Look::message) break;
            at += found.length;
            ++packets;
        }
        if (packets >= 3) return true;
    }
    return false;
}

Result<LogPtr> readCapture(const SharedBytes& shared, const std::string&) {
    const auto bytes = asBytes(shared.bytes);
    auto log = std::make_shared<FlightLog>();
    log->format = "MAVLink capture";
    RecordingLog writer(*log, shared);
    Message m;
    bool in_damage = false;
    Milestones milestones(shared);
    for (std::size_t at = 0; at < bytes.size();) {
        milestones.pass(at);
        const bool start = bytes[at] == 0xFD || bytes[at] == 0xFE;
        const auto found = start ? Parser::look(bytes.subspan(at), m) : Parser::Found{Parser::Look::bad, 1};
        if (found.look == Parser::Look::message || found.look == Parser::Look::unknown) {
            if (found.look == Parser::Look::message)
                writer.add(m, 0, at);
            else
                ++log->message_counts["UNKNOWN"];
            in_damage = false;
            at += found.length;
            continue;
        }
        if (!in_damage) ++log->damaged_records;
        in_damage = true;
        ++log->damaged_bytes;
        ++at;
    }
    writer.finish();
    return log;
}

Result<LogPtr> readRecording(const SharedBytes& shared, const std::string& name) {
    const auto bytes = asBytes(shared.bytes);
    auto log = std::make_shared<FlightLog>();
    log->format = "MAVLink recording";
    RecordingLog writer(*log, shared);
    Message m;
    std::size_t at = 0, packets = 0;
    bool in_damage = false;
    Milestones milestones(shared);
    while (at + 8 < bytes.size()) {
        milestones.pass(at);
        const std::uint64_t stamp = stampAt(bytes.subspan(at));
        const bool start = (bytes[at + 8] == 0xFD || bytes[at + 8] == 0xFE) && plausible(stamp);
        const auto found = start ? Parser::look(bytes.subspan(at + 8), m) : Parser::Found{Parser::Look::bad, 1};
        if (found.look == Parser::Look::message || found.look == Parser::Look::unknown) {
            if (found.look == Parser::Look::message) {
                writer.add(m, stamp, at + 8);
                ++packets;
            } else {
                ++log->message_counts["UNKNOWN"];
            }
            in_damage = false;
            at += 8 + found.length;
            continue;
        }
        if (!in_damage) ++log->damaged_records;
        in_damage = true;
        ++log->damaged_bytes;
        ++at;
    }
    log->damaged_bytes += bytes.size() - std::min(at, bytes.size());
    if (packets == 0) return fail("{}: no MAVLink packet in it could be read", name);
    writer.finish();
    return log;
}

}  // namespace anhinga
