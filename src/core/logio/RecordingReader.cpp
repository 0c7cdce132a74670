// MAVLink recordings: 8 bytes big-endian Unix microseconds, then a packet, again and again.
// Time in the log is the vehicle's own (time_boot_ms) wherever it sends one: a ground clock jitters with the link.
#include <algorithm>
#include <array>
#include <cmath>
#include <cstring>
#include <limits>
#include <map>
#include <unordered_map>

#include "core/base/Physics.h"
#include "core/base/Text.h"
#include "core/logio/LogReader.h"
#include "core/logio/MotorOutputs.h"
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

constexpr int kGroundStation = 6;  // MAV_TYPE

/// The autopilot is the component whose heartbeat names one: gimbals, cameras and other computers of the same system
/// say that they are none. Nothing where nobody does within the first megabytes: then it is whoever is no ground
/// station.
std::optional<std::pair<int, int>> findAutopilot(std::span<const std::uint8_t> bytes) {
    constexpr std::size_t kLookAt = 8 << 20;
    constexpr int kNoAutopilot = 8;  // MAV_AUTOPILOT
    bytes = bytes.first(std::min(bytes.size(), kLookAt));
    Message m;
    for (std::size_t at = 0; at < bytes.size();) {
        const bool start = bytes[at] == 0xFD || bytes[at] == 0xFE;
        const auto found = start ? Parser::look(bytes.subspan(at), m) : Parser::Found{Parser::Look::bad, 1};
        const bool packet = found.look == Parser::Look::message || found.look == Parser::Look::unknown;
        if (found.look == Parser::Look::message && m.is("HEARTBEAT") && m.integer("type") != kGroundStation &&
            m.integer("autopilot") != kNoAutopilot)
            return std::pair{int{m.system}, int{m.component}};
        at += packet ? found.length : 1;
    }
    return std::nullopt;
}

class RecordingLog {
  public:
    /// `autopilot`: its system and component, where one names itself.
    RecordingLog(FlightLog& log, const SharedBytes& shared, std::optional<std::pair<int, int>> autopilot)
        : log_(log), autopilot_(autopilot), shared_(shared) {
        shared_.told = nullptr;  // nobody waits for what is decoded later
    }

    /// `at`: where the packet lies in the file.
    void add(const Message& m, std::uint64_t stamp_us, std::size_t at) {
        ++log_.message_counts[std::string(m.info->name)];
        if (m.is("HEARTBEAT")) takeVehicle(m);
        const bool autopilot = vehicle_ != 0 && m.system == vehicle_ && m.component == component_;
        takeMission(m, autopilot);
        // Said first of all: nobody who speaks later makes a recording one of these.
        if (heard_++ == 0 && m.is("STATUSTEXT") && m.system > 250 && m.text("text") == mavlink::kNotBelievedText) {
            log_.believed = false;
            log_.format = "MAVLink recording of packets that were not believed";
        }
        // The operator's marks are said by the ground.
        if (m.is("STATUSTEXT") && m.system > 250 && vehicle_ != 0) return takeText(m);
        // Cameras count their photos themselves.
        if (vehicle_ != 0 && m.system == vehicle_ && m.is("CAMERA_IMAGE_CAPTURED") && m.integer("capture_result") == 1)
            log_.events.push_back({t_, "photo", std::to_string(m.integer("image_index"))});
        if (!autopilot) return;
        if (m.is("PARAM_VALUE")) takeParameter(m);
        advanceTime(m, stamp_us);
        addFields(m, at);
        addCanonical(m);
    }
    void finish() {
        dropMissions();
        if (!known_time_) return;
        promiseFields();
        promiseMotors();
        if (first_s_ <= t_) log_.setSpan(first_s_, t_);
        log_.findSessions(restarts_);
    }

  private:
    void takeVehicle(const Message& m) {
        const auto type = static_cast<int>(m.integer("type"));
        if (vehicle_ != 0 || type == kGroundStation) return;
        if (autopilot_ && *autopilot_ != std::pair{int{m.system}, int{m.component}}) return;
        vehicle_ = m.system;
        component_ = m.component;
        family_ = static_cast<int>(m.integer("autopilot"));
        type_ = type;
        log_.vehicle = fmt::format("vehicle {}, {}", m.system, mavlink::typeText(type));
    }

    void takeParameter(const Message& m) {
        double value = m.number("param_value");
        const auto type = m.integer("param_type");
        constexpr int kBytewise = 12;  // the family that lays whole numbers into the four bytes as they are
        if (family_ == kBytewise && type >= 1 && type <= 6) {
            const auto four = static_cast<float>(value);
            std::int32_t whole = 0;
            std::memcpy(&whole, &four, sizeof whole);
            value = type == 5 ? static_cast<double>(static_cast<std::uint32_t>(whole)) : static_cast<double>(whole);
        }
        const std::string name = m.text("param_id");
        const auto known = log_.params.find(name);
        if (known != log_.params.end() && known->second != value && !std::isnan(value))
            log_.events.push_back(
                {t_, "message", fmt::format("{} changed: {:g}, was {:g}", shownText(name), value, known->second)});
        log_.params[name] = value;
    }

    /// Missions go to the aircraft, or are read from it.
    void takeMission(const Message& m, bool autopilot) {
        const bool count = m.is("MISSION_COUNT"), item = m.is("MISSION_ITEM_INT") || m.is("MISSION_ITEM");
        if ((!count && !item) || m.integer("mission_type") != 0) return;
        const bool ground = m.system > 250 || (vehicle_ != 0 && m.system != vehicle_);
        if (!autopilot && !ground) return;
        if (ground && vehicle_ != 0 && m.integer("target_system") != vehicle_ && m.integer("target_system") != 0)
            return;
        if (count) beginMission(static_cast<std::size_t>(m.integer("count")), autopilot);
        if (item) addMissionItem(m, autopilot);
    }
    LoggedMission* lastMission(bool read) {
        const auto found = std::find_if(log_.mission_lists.rbegin(), log_.mission_lists.rend(),
                                        [&](const LoggedMission& list) { return list.read == read; });
        return found == log_.mission_lists.rend() ? nullptr : &*found;
    }
    void beginMission(std::size_t count, bool read) {
        // Asked for again before any item came: the same hand-over.
        const LoggedMission* last = lastMission(read);
        if (last != nullptr && last->items.empty() && last->count == count) return;
        log_.mission_lists.push_back({t_, count, {}, read});
    }
    void addMissionItem(const Message& m, bool read) {
        LoggedMission* const list = lastMission(read);
        if (list == nullptr) return;
        const bool e7 = m.is("MISSION_ITEM_INT");
        LoggedItem item;
        item.seq = static_cast<int>(m.integer("seq"));
        if (item.seq < 0 || static_cast<std::size_t>(item.seq) >= list->count) return;
        item.frame = static_cast<int>(m.integer("frame"));
        item.command = static_cast<int>(m.integer("command"));
        const char* const params[] = {"param1", "param2", "param3", "param4"};
        for (int i = 0; i < 4; ++i) item.param[i] = m.number(params[i]);
        item.x = m.number("x") * (e7 ? 1e-7 : 1);
        item.y = m.number("y") * (e7 ? 1e-7 : 1);
        item.z = m.number("z");
        // Sent twice on a poor link: one item.
        for (LoggedItem& had : list->items)
            if (had.seq == item.seq) {
                had = item;
                return;
            }
        list->items.push_back(item);
    }
    /// What is read back right after it was sent is the same mission; and a list that was asked for and never came is
    /// none.
    void dropMissions() {
        auto& lists = log_.mission_lists;
        const auto alike = [](const LoggedMission& a, const LoggedMission& b) {
            constexpr double kSame_deg = 2e-6;  // also after four bytes
            return a.count == b.count && a.items.size() == b.items.size() &&
                   std::equal(a.items.begin(), a.items.end(), b.items.begin(),
                              [](const LoggedItem& x, const LoggedItem& y) {
                                  const bool home = x.seq == 0;  // the aircraft's own
                                  return x.seq == y.seq && x.command == y.command &&
                                         (home || (std::abs(x.x - y.x) < kSame_deg && std::abs(x.y - y.y) < kSame_deg));
                              });
        };
        std::vector<LoggedMission> kept;
        const LoggedMission* sent = nullptr;
        for (const LoggedMission& list : lists) {
            if (!list.read) sent = &list;
            if (list.read && (list.items.empty() || (sent != nullptr && alike(list, *sent)))) continue;
            kept.push_back(list);
        }
        lists = std::move(kept);
        log_.missions.clear();
        for (const LoggedMission& list : lists) log_.missions.push_back(static_cast<int>(list.count));
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

    /// Outputs to motors in percent: by what an output is for, where parameters tell; else those of rotors that ever
    /// change.
    void promiseMotors() {
        constexpr std::uint32_t kServoOutput = 36;
        const auto found = packets_.find(kServoOutput);
        if (found == packets_.end() || log_.has("motor.1")) return;
        const auto packets = found->second;
        constexpr int kOutputs = 16;
        const auto bytes = asBytes(shared_.bytes);
        const auto fieldOf = [&](int output) { return packets->info->field(fmt::format("servo{}_raw", output)); };
        const FieldInfo* port = packets->info->field("port");
        const auto told = motorOutputs(log_.params, kOutputs);
        std::map<int, MotorOutput> outputs;  // by output
        for (const MotorOutput& o : told.value_or(std::vector<MotorOutput>{})) outputs[o.output] = o;
        if (!told && type_ != 1) {
            std::map<int, std::int64_t> first;
            for (std::size_t k = 0; k < packets->at.size(); k += 1 + packets->at.size() / 512) {
                Message m;
                (void)Parser::look(bytes.subspan(packets->at[k]), m);
                if (readInteger(m.payload, *port, 0) != 0) continue;
                for (int i = 1; i <= kOutputs; ++i) {
                    const std::int64_t v = readInteger(m.payload, *fieldOf(i), 0);
                    const auto begin = first.try_emplace(i, v).first;
                    if (v != begin->second && v > 0 && begin->second > 0) outputs[i] = {i, i};
                }
            }
        }
        for (const auto& [i, o] : outputs)
            log_.promise(fmt::format("motor.{}", o.motor), "%", packets->at.size(),
                         [shared = shared_, packets, field = fieldOf(i), port, o = o](Channel& c) {
                             const auto all = asBytes(shared.bytes);
                             Message m;
                             for (std::size_t k = 0; k < packets->at.size(); ++k) {
                                 (void)Parser::look(all.subspan(packets->at[k]), m);
                                 const double us = readNumber(m.payload, *field, 0);
                                 if (readInteger(m.payload, *port, 0) != 0 || us <= 0) continue;
                                 c.add(packets->t_s[k], o.percent(us));
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

    void putAttitude(const std::string& what, const std::array<double, 4>& q) {
        if (std::isnan(q[0])) return;
        const double yaw = std::atan2(2 * (q[0] * q[3] + q[1] * q[2]), 1 - 2 * (q[2] * q[2] + q[3] * q[3])) * kRad;
        put((what + ".roll_deg").c_str(),
            std::atan2(2 * (q[0] * q[1] + q[2] * q[3]), 1 - 2 * (q[1] * q[1] + q[2] * q[2])) * kRad);
        put((what + ".pitch_deg").c_str(), std::asin(std::clamp(2 * (q[0] * q[2] - q[3] * q[1]), -1.0, 1.0)) * kRad);
        put((what + ".yaw_deg").c_str(), yaw < 0 ? yaw + 360 : yaw);
    }

    /// The first sensor; RAW_IMU is in the same units from family 3
    /// alone.
    void takeImu(const Message& m) {
        const int rank = m.is("HIGHRES_IMU") ? 3 : m.is("SCALED_IMU") ? 2 : family_ == 3 ? 1 : 0;
        // One source for a recording.
        if (rank == 0 || (imu_rank_ != 0 && rank != imu_rank_)) return;
        if (m.info->field("id") != nullptr && m.integer("id") > 0) return;
        imu_rank_ = rank;
        const bool si = rank == 3;
        const double accel = si ? 1 : kStandardGravity_mps2 / 1000, gyro = si ? kRad : kRad / 1000,
                     mag = si ? 100 : 0.1;
        const auto axis = [&](char a, const char* what) { return m.number(std::string(1, a) + what); };
        std::array<double, 3> field{};
        for (int i = 0; i < 3; ++i) {
            const char a = "xyz"[i];
            put(fmt::format("imu.accel_{}_mps2", a).c_str(), axis(a, "acc") * accel);
            put(fmt::format("imu.gyro_{}_dps", a).c_str(), axis(a, "gyro") * gyro);
            field[static_cast<std::size_t>(i)] = axis(a, "mag") * mag;
        }
        // All nothing: it has none.
        if (field == std::array<double, 3>{}) return;
        put("mag.x_ut", field[0]);
        put("mag.y_ut", field[1]);
        put("mag.z_ut", field[2]);
        put("mag.field_ut", std::hypot(field[0], field[1], field[2]));
    }

    void addCanonical(const Message& m) {
        const auto n = [&](const char* field) { return m.number(field); };
        if (m.is("GLOBAL_POSITION_INT")) {
            // It is sent before there is a place, too.
            if (m.integer("lat") == 0 && m.integer("lon") == 0) return;
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
            has_attitude_ = true;
        } else if (m.is("ATTITUDE_QUATERNION")) {
            if (!has_attitude_) putAttitude("attitude", {n("q1"), n("q2"), n("q3"), n("q4")});
        } else if (m.is("ATTITUDE_TARGET")) {
            constexpr int kAttitudeIgnored = 128;
            if ((m.integer("type_mask") & kAttitudeIgnored) == 0)
                putAttitude("desired", {m.number("q", 0), m.number("q", 1), m.number("q", 2), m.number("q", 3)});
            has_target_ = true;
        } else if (m.is("NAV_CONTROLLER_OUTPUT")) {
            if (!has_target_) {
                put("desired.roll_deg", n("nav_roll"));
                put("desired.pitch_deg", n("nav_pitch"));
            }
        } else if (m.is("TERRAIN_REPORT")) {
            if (m.integer("spacing") != 0) put("position.height_ground_m", n("current_height"));
        } else if (m.is("VFR_HUD")) {
            put("velocity.air_mps", n("airspeed"));
            put("throttle.percent", n("throttle"));
        } else if (m.is("SYS_STATUS")) {
            if (m.integer("voltage_battery") != 65535) put("battery.voltage_v", n("voltage_battery") / 1000);
            if (m.integer("current_battery") >= 0) put("battery.current_a", n("current_battery") / 100);
            if (m.integer("battery_remaining") >= 0) put("battery.left_percent", n("battery_remaining"));
        } else if (m.is("BATTERY_STATUS")) {
            if (m.integer("id") != 0) return;
            if (m.integer("current_consumed") >= 0) put("battery.used_mah", n("current_consumed"));
            if (m.integer("energy_consumed") >= 0) put("battery.used_wh", n("energy_consumed") / 36);  // hJ
        } else if (m.is("GPS_RAW_INT")) {
            if (m.integer("satellites_visible") != 255) put("gps.satellites", n("satellites_visible"));
            if (m.integer("eph") != 65535) put("gps.hdop", n("eph") / 100);
            put("gps.fix", n("fix_type"));
            constexpr int kFix = 2;
            if (m.integer("fix_type") < kFix || (m.integer("lat") == 0 && m.integer("lon") == 0)) return;
            put("gps.lat_deg", n("lat") * 1e-7);
            put("gps.lon_deg", n("lon") * 1e-7);
            put("gps.height_amsl_m", n("alt") / 1000);
            if (m.integer("vel") != 65535) put("gps.speed_mps", n("vel") / 100);
        } else if (m.is("MISSION_CURRENT")) {
            put("mission.item", n("seq"));
        } else if (m.is("VIBRATION")) {
            put("vibration.x_mps2", n("vibration_x"));
            put("vibration.y_mps2", n("vibration_y"));
            put("vibration.z_mps2", n("vibration_z"));
            put("vibration.clipped", n("clipping_0"));
        } else if (m.is("RC_CHANNELS")) {
            if (m.integer("rssi") != 255) put("link.rssi", n("rssi"));
        } else if (m.is("SCALED_IMU") || m.is("RAW_IMU") || m.is("HIGHRES_IMU")) {
            takeImu(m);
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
        } else if (m.is("MISSION_ITEM_REACHED")) {
            log_.events.push_back({t_, "item", std::to_string(m.integer("seq"))});
        }
    }

    FlightLog& log_;
    int vehicle_ = 0, component_ = 0, family_ = 0, type_ = 0, imu_rank_ = 0;
    std::optional<std::pair<int, int>> autopilot_;
    bool has_attitude_ = false, has_target_ = false;
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
    RecordingLog writer(*log, shared, findAutopilot(bytes));
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
    RecordingLog writer(*log, shared, findAutopilot(bytes));
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
