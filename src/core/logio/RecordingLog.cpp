#include "core/logio/RecordingLog.h"

#include <algorithm>
#include <cmath>
#include <cstring>

#include "core/base/Physics.h"
#include "core/base/Text.h"
#include "core/logio/MotorOutputs.h"
#include "core/logio/Sticks.h"
#include "core/mavlink/Frame.h"
#include "core/mavlink/Instance.h"
#include "core/mavlink/ModeNames.h"
#include "core/mavlink/RecordingFiles.h"

namespace anhinga {

using mavlink::FieldInfo;
using mavlink::FieldType;
using mavlink::Message;
using mavlink::Parser;

namespace {

constexpr double kRad = 180 / M_PI;
constexpr int kGroundStation = 6;  // MAV_TYPE
constexpr std::uint32_t kServoOutput = 36, kBatteryStatus = 147, kChannels = 65, kChannelsRaw = 35;

std::span<const std::uint8_t> octets(std::string_view s) {
    return {reinterpret_cast<const std::uint8_t*>(s.data()), s.size()};
}

/// Nothing for 0/0 and for what is on no map.
std::optional<LoggedPlace> placed(double lat_deg, double lon_deg, double amsl_m) {
    if ((lat_deg == 0 && lon_deg == 0) || std::abs(lat_deg) > 90 || std::abs(lon_deg) > 180) return std::nullopt;
    return LoggedPlace{lat_deg, lon_deg, amsl_m};
}

}  // namespace

bool namesAutopilot(const Message& heartbeat) {
    constexpr int kNoAutopilot = 8;  // MAV_AUTOPILOT
    return heartbeat.integer("type") != kGroundStation && heartbeat.integer("autopilot") != kNoAutopilot;
}

std::string componentWords(int type, int system, int component) {
    constexpr std::pair<int, const char*> kTypes[] = {{5, "antenna tracker"},
                                                      {6, "ground station"},
                                                      {18, "computer aboard"},
                                                      {26, "gimbal"},
                                                      {27, "traffic receiver"},
                                                      {30, "camera"},
                                                      {31, "charging station"},
                                                      {32, "traffic receiver"},
                                                      {33, "servo"},
                                                      {34, "remote identification"},
                                                      {36, "battery"},
                                                      {37, "parachute"},
                                                      {38, "log"},
                                                      {39, "display"},
                                                      {40, "inertial sensor"},
                                                      {41, "satellite receiver"},
                                                      {42, "winch"},
                                                      {44, "light"},
                                                      {48, "gripper"},
                                                      {49, "radio"}};
    for (const auto& [number, words] : kTypes)
        if (type == number) return words;
    struct Range {
        int from, to;
        const char* words;
    };
    constexpr Range kComponents[] = {{1, 1, "autopilot"},
                                     {68, 68, "radio"},
                                     {100, 105, "camera"},
                                     {110, 112, "radio"},
                                     {140, 153, "servo"},
                                     {154, 154, "gimbal"},
                                     {155, 155, "log"},
                                     {156, 156, "traffic receiver"},
                                     {157, 157, "display"},
                                     {159, 159, "gimbal"},
                                     {160, 160, "traffic receiver"},
                                     {161, 161, "parachute"},
                                     {169, 169, "winch"},
                                     {171, 175, "gimbal"},
                                     {180, 181, "battery"},
                                     {191, 197, "computer aboard"},
                                     {200, 202, "inertial sensor"},
                                     {220, 221, "satellite receiver"},
                                     {236, 238, "remote identification"},
                                     {240, 241, "bridge"},
                                     {243, 243, "light"}};
    constexpr int kFirstGround = 251;  // numbers that ground stations take
    if (system >= kFirstGround) return "ground station";
    for (const Range& r : kComponents)
        if (component >= r.from && component <= r.to) return r.words;
    return "component";
}

RecordingLog::RecordingLog(FlightLog& log, const SharedBytes& shared, std::optional<std::pair<int, int>> autopilot)
    : log_(log), shared_(shared), autopilot_(autopilot) {
    shared_.told = nullptr;  // nobody waits for what is decoded later
}

void RecordingLog::add(const Message& m, std::uint64_t stamp_us, std::size_t at) {
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
    if (vehicle_ == 0 || m.system != vehicle_) return;
    if (!autopilot) return addOther(m, stamp_us, at);
    if (m.is("PARAM_VALUE")) takeParameter(m);
    advanceTime(m, stamp_us);
    addFields(m, at);
    takePhoto(m);
    addCanonical(m);
    takeMeasured(m);
}

/// A gimbal, a camera, another computer of the same number.
void RecordingLog::addOther(const Message& m, std::uint64_t stamp_us, std::size_t at) {
    // Between two packets of the autopilot its clock goes on as ours does.
    constexpr double kMost_s = 2;
    const double before = t_;
    if (known_time_ && stamp_us > 0) t_ += std::clamp(static_cast<double>(stamp_us) * 1e-6 - last_stamp_, 0.0, kMost_s);
    takePhoto(m);
    if (known_time_) addFields(m, at);
    if (known_time_ && (m.is("GIMBAL_DEVICE_ATTITUDE_STATUS") || m.is("MOUNT_ORIENTATION"))) takeMeasured(m);
    t_ = before;
}

void RecordingLog::finish() {
    dropMissions();
    dropPhotosTwice();
    if (!known_time_) return;
    promiseFields();
    promiseMotors();
    promiseSticks();
    promiseBatteries();
    if (first_s_ <= last_s_) log_.setSpan(first_s_, last_s_);
    log_.findSessions(restarts_);
}

void RecordingLog::takeVehicle(const Message& m) {
    const auto type = static_cast<int>(m.integer("type"));
    if (vehicle_ != 0 || type == kGroundStation) return;
    if (autopilot_ && *autopilot_ != std::pair{int{m.system}, int{m.component}}) return;
    vehicle_ = m.system;
    component_ = m.component;
    family_ = static_cast<int>(m.integer("autopilot"));
    type_ = type;
    log_.system = m.system;
    log_.autopilot = family_;
    log_.type = type;
    log_.vehicle = fmt::format("vehicle {}, {}", m.system, mavlink::typeText(type));
}

void RecordingLog::takeParameter(const Message& m) {
    double value = m.number("param_value");
    const auto type = m.integer("param_type");
    constexpr int kBytewise = 12;  // the family that lays whole numbers into the four bytes as they are
    if (family_ == kBytewise && type >= 1 && type <= 6) {
        const auto four = static_cast<float>(value);
        std::int32_t whole = 0;
        std::memcpy(&whole, &four, sizeof whole);
        value = type == 5 ? static_cast<double>(static_cast<std::uint32_t>(whole)) : static_cast<double>(whole);
    }
    log_.takeParameter(t_, shownText(m.text("param_id")), value);
}

/// Missions go to the aircraft, or are read from it.
void RecordingLog::takeMission(const Message& m, bool autopilot) {
    const bool count = m.is("MISSION_COUNT"), item = m.is("MISSION_ITEM_INT") || m.is("MISSION_ITEM");
    if ((!count && !item) || m.integer("mission_type") != 0) return;
    const bool ground = m.system > 250 || (vehicle_ != 0 && m.system != vehicle_);
    if (!autopilot && !ground) return;
    if (ground && vehicle_ != 0 && m.integer("target_system") != vehicle_ && m.integer("target_system") != 0) return;
    if (count) beginMission(static_cast<std::size_t>(m.integer("count")), autopilot);
    if (item) addMissionItem(m, autopilot);
}

LoggedMission* RecordingLog::lastMission(bool read) {
    const auto found = std::find_if(log_.mission_lists.rbegin(), log_.mission_lists.rend(),
                                    [&](const LoggedMission& list) { return list.read == read; });
    return found == log_.mission_lists.rend() ? nullptr : &*found;
}

void RecordingLog::beginMission(std::size_t count, bool read) {
    // Asked for again before any item came: the same hand-over.
    const LoggedMission* last = lastMission(read);
    if (last != nullptr && last->items.empty() && last->count == count) return;
    log_.mission_lists.push_back({t_, count, {}, read});
}

void RecordingLog::addMissionItem(const Message& m, bool read) {
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
void RecordingLog::dropMissions() {
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

/// Cameras count their photos themselves; autopilots those that they trigger.
void RecordingLog::takePhoto(const Message& m) {
    const bool triggered = m.is("CAMERA_FEEDBACK");
    if (!triggered && !(m.is("CAMERA_IMAGE_CAPTURED") && m.integer("capture_result") == 1)) return;
    const auto place = triggered ? placed(m.number("lat") * 1e-7, m.number("lng") * 1e-7, m.number("alt_msl"))
                                 : placed(m.number("lat") * 1e-7, m.number("lon") * 1e-7, m.number("alt") / 1000);
    log_.events.push_back({t_, "photo", std::to_string(m.integer(triggered ? "img_idx" : "image_index")), place});
    (triggered ? triggered_ : captured_).push_back(log_.events.size() - 1);
}

/// A photo that the autopilot and the camera both speak of is one: the camera's word goes, its place stays.
void RecordingLog::dropPhotosTwice() {
    constexpr double kSame_s = 0.6;
    const auto time = [&](std::size_t event) { return log_.events[event].t_s; };
    std::size_t next = 0;
    for (const std::size_t event : triggered_) {
        while (next < captured_.size() && time(captured_[next]) < time(event) - kSame_s) ++next;
        if (next == captured_.size()) break;
        if (time(captured_[next]) > time(event) + kSame_s) continue;
        LogEvent& twice = log_.events[captured_[next++]];
        if (!log_.events[event].place) log_.events[event].place = twice.place;
        twice.kind.clear();
    }
    std::erase_if(log_.events, [](const LogEvent& e) { return e.kind.empty(); });
    std::stable_sort(log_.events.begin(), log_.events.end(),
                     [](const LogEvent& a, const LogEvent& b) { return a.t_s < b.t_s; });
}

/// When a message was: by the vehicle's clock where it tells it, else as long after the last one that did as our clock
/// went on.
void RecordingLog::advanceTime(const Message& m, std::uint64_t stamp_us) {
    const double stamp = static_cast<double>(stamp_us) * 1e-6;
    const FieldInfo* boot = m.info->field("time_boot_ms");
    const auto since = [&](double before) { return std::max(0.0, stamp - before); };
    if (boot != nullptr) {
        const double seconds = static_cast<double>(readInteger(m.payload, *boot, 0)) / 1000;
        if (!boot_ || seconds < *boot_ - 5) {
            // Begun, or the vehicle has started again: its clock is laid on ours once.
            const double here = known_time_ ? t_ + since(last_stamp_) : 0;
            if (boot_) restarts_.push_back(here);
            offset_ = here - seconds;
            boot_ = seconds;
        }
        boot_ = std::max(*boot_, seconds);
        t_ = told_s_ = std::max(restarts_.empty() ? 0.0 : restarts_.back(), *boot_ + offset_);
        told_stamp_ = stamp;
    } else if (boot_) {
        constexpr double kMost_s = 2;  // then its clock has been lost
        if (stamp_us > 0) untold_s_ = std::max(untold_s_, told_s_ + std::min(kMost_s, since(told_stamp_)));
        t_ = std::max(told_s_, untold_s_);
    } else if (known_time_) {
        t_ += since(last_stamp_);
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
    last_s_ = std::max(last_s_, t_);
}

void RecordingLog::addFields(const Message& m, std::size_t at) {
    const bool autopilot = m.component == component_;
    if (autopilot) first_s_ = std::min(first_s_, t_);
    auto& packets = packets_[{autopilot ? 0 : m.component, m.info->id, mavlink::instanceOf(m)}];
    if (!packets) packets = std::make_shared<Packets>();
    // Never back in time.
    if (!packets->t_s.empty() && t_ < packets->t_s.back()) return;
    packets->info = m.info;
    packets->t_s.push_back(t_);
    packets->at.push_back(static_cast<std::uint32_t>(at));
}

/// "MESSAGE.field"; of the second of a kind "MESSAGE#1.field", of another component "MESSAGE@154.field".
void RecordingLog::promiseFields() {
    for (const auto& [kind, packets] : packets_) {
        const auto [component, id, number] = kind;
        const std::string name = mavlink::instanceName(*packets->info, number, component);
        for (const FieldInfo& f : packets->info->fields)
            for (int i = 0; f.type != FieldType::c8 && i < std::max<int>(1, f.count); ++i)
                log_.promise(
                    f.count > 0 ? fmt::format("{}.{}[{}]", name, f.name, i) : fmt::format("{}.{}", name, f.name),
                    std::string(f.unit), packets->at.size(),
                    [shared = shared_, packets = packets, field = &f, i](Channel& c) {
                        const auto bytes = octets(shared.bytes);
                        c.t_s = packets->t_s;
                        c.value.reserve(c.t_s.size());
                        Message m;
                        for (const std::uint32_t at : packets->at) {
                            (void)Parser::look(bytes.subspan(at), m);
                            c.value.push_back(readNumber(m.payload, *field, i));
                        }
                    });
    }
}

/// Outputs to motors in percent: by what an output is for, where parameters tell; else those of rotors that ever
/// change.
void RecordingLog::promiseMotors() {
    const auto found = packets_.find({0, kServoOutput, 0});
    if (found == packets_.end() || log_.has("motor.1")) return;
    const auto packets = found->second;
    constexpr int kOutputs = 16;
    const auto bytes = octets(shared_.bytes);
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
                         const auto all = octets(shared.bytes);
                         Message m;
                         for (std::size_t k = 0; k < packets->at.size(); ++k) {
                             (void)Parser::look(all.subspan(packets->at[k]), m);
                             const double us = readNumber(m.payload, *field, 0);
                             if (readInteger(m.payload, *port, 0) != 0 || us <= 0) continue;
                             c.add(packets->t_s[k], o.percent(us));
                         }
                     });
}

/// A channel of what `value` finds in each of these packets, where it finds anything.
void RecordingLog::promiseOf(const std::string& name, const std::string& unit, const std::shared_ptr<Packets>& packets,
                             std::function<std::optional<double>(const Message&)> value) {
    log_.promise(name, unit, packets->at.size(), [shared = shared_, packets, value = std::move(value)](Channel& c) {
        const auto bytes = octets(shared.bytes);
        Message m;
        for (std::size_t k = 0; k < packets->at.size(); ++k) {
            (void)Parser::look(bytes.subspan(packets->at[k]), m);
            if (const auto v = value(m)) c.add(packets->t_s[k], *v);
        }
    });
}

/// Sticks by what the parameters say of the receiver's channels.
void RecordingLog::promiseSticks() {
    auto found = packets_.find({0, kChannels, 0});
    if (found == packets_.end()) found = packets_.find({0, kChannelsRaw, 0});
    if (found == packets_.end()) return;
    for (const Stick& stick : sticksOf(log_.params)) {
        const FieldInfo* field = found->second->info->field(fmt::format("chan{}_raw", stick.channel));
        if (field == nullptr || log_.has(stick.name)) continue;
        promiseOf(stick.name, "", found->second, [field, stick](const Message& m) -> std::optional<double> {
            const double at = stick.position(readNumber(m.payload, *field, 0));
            return std::isnan(at) ? std::nullopt : std::optional(at);
        });
    }
}

/// What batteries say of themselves: all of the second and further ones, of the first what the system's state does not
/// say.
void RecordingLog::promiseBatteries() {
    using Value = std::optional<double> (*)(const Message&);
    constexpr std::pair<const char*, Value> kValues[] = {
        {"voltage_v",
         [](const Message& m) -> std::optional<double> {
             constexpr int kNone = 65535;
             double all_mv = 0;
             for (const char* cells : {"voltages", "voltages_ext"})
                 for (int i = 0; i < m.info->field(cells)->count; ++i)
                     if (const auto mv = m.integer(cells, i); mv != kNone) all_mv += static_cast<double>(mv);
             return all_mv > 0 ? std::optional(all_mv / 1000) : std::nullopt;
         }},
        {"current_a",
         [](const Message& m) -> std::optional<double> {
             const auto ca = m.integer("current_battery");
             return ca >= 0 ? std::optional(static_cast<double>(ca) / 100) : std::nullopt;
         }},
        {"used_mah",
         [](const Message& m) -> std::optional<double> {
             const auto mah = m.integer("current_consumed");
             return mah >= 0 ? std::optional(static_cast<double>(mah)) : std::nullopt;
         }},
        {"used_wh",
         [](const Message& m) -> std::optional<double> {
             constexpr double kPerWattHour = 36;  // hundreds of joules
             const auto hj = m.integer("energy_consumed");
             return hj >= 0 ? std::optional(static_cast<double>(hj) / kPerWattHour) : std::nullopt;
         }},
        {"left_percent", [](const Message& m) -> std::optional<double> {
             const auto left = m.integer("battery_remaining");
             return left >= 0 ? std::optional(static_cast<double>(left)) : std::nullopt;
         }}};
    for (const auto& [kind, packets] : packets_) {
        const auto [component, id, number] = kind;
        constexpr int kMostBatteries = 8;
        if (component != 0 || id != kBatteryStatus || number < 0 || number >= kMostBatteries) continue;
        const auto bytes = octets(shared_.bytes);
        for (const auto& [what, value] : kValues) {
            const std::string name =
                number == 0 ? fmt::format("battery.{}", what) : fmt::format("battery.{}.{}", number + 1, what);
            if (log_.has(name)) continue;
            // Whether it says this at all: one that does, does so soon.
            bool says = false;
            constexpr std::size_t kLooks = 50;
            for (std::size_t k = 0; k < packets->at.size() && !says; k += 1 + packets->at.size() / kLooks) {
                Message m;
                (void)Parser::look(bytes.subspan(packets->at[k]), m);
                says = value(m).has_value();
            }
            if (says) promiseOf(name, canonicalUnit(name), packets, value);
        }
    }
}

/// A long text comes in pieces of one id. The operator's own marks are in the recording as texts of the ground.
void RecordingLog::takeText(const Message& m) {
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

void RecordingLog::putAttitude(const std::string& what, const std::array<double, 4>& q) {
    if (std::isnan(q[0])) return;
    const double yaw = std::atan2(2 * (q[0] * q[3] + q[1] * q[2]), 1 - 2 * (q[2] * q[2] + q[3] * q[3])) * kRad;
    put(what + ".roll_deg", std::atan2(2 * (q[0] * q[1] + q[2] * q[3]), 1 - 2 * (q[1] * q[1] + q[2] * q[2])) * kRad);
    put(what + ".pitch_deg", std::asin(std::clamp(2 * (q[0] * q[2] - q[3] * q[1]), -1.0, 1.0)) * kRad);
    put(what + ".yaw_deg", yaw < 0 ? yaw + 360 : yaw);
}

bool RecordingLog::gives(const char* what, const Message& m) {
    return givers_.emplace(what, m.info->id).first->second == m.info->id;
}

/// `number`: "" of the first, "2." of the second.
void RecordingLog::putInertial(const Message& m, const std::string& number, bool si) {
    const double accel = si ? 1 : kStandardGravity_mps2 / 1000, gyro = si ? kRad : kRad / 1000, mag = si ? 100 : 0.1;
    const auto axis = [&](char a, const char* what) { return m.number(std::string(1, a) + what); };
    std::array<double, 3> field{};
    for (std::size_t i = 0; i < 3; ++i) {
        const char a = "xyz"[i];
        put(fmt::format("imu.{}accel_{}_mps2", number, a), axis(a, "acc") * accel);
        put(fmt::format("imu.{}gyro_{}_dps", number, a), axis(a, "gyro") * gyro);
        field[i] = axis(a, "mag") * mag;
    }
    // All nothing: it has none.
    if (field == std::array<double, 3>{}) return;
    for (std::size_t i = 0; i < 3; ++i) put(fmt::format("mag.{}{}_ut", number, "xyz"[i]), field[i]);
    put(fmt::format("mag.{}field_ut", number), std::hypot(field[0], field[1], field[2]));
}

/// The first sensor from one source for a recording; RAW_IMU is in the same units from family 3 alone.
void RecordingLog::takeImu(const Message& m) {
    if (m.is("SCALED_IMU2")) return putInertial(m, "2.", false);
    if (m.is("SCALED_IMU3")) return putInertial(m, "3.", false);
    const int rank = m.is("HIGHRES_IMU") ? 3 : m.is("SCALED_IMU") ? 2 : family_ == 3 ? 1 : 0;
    if (rank == 0 || (imu_rank_ != 0 && rank != imu_rank_) || mavlink::instanceOf(m) > 0) return;
    imu_rank_ = rank;
    putInertial(m, "", rank == 3);
}

/// `name`: "gps" of the first receiver, "gps.2" of the second.
void RecordingLog::takeReceiver(const Message& m, const std::string& name) {
    const auto n = [&](const char* field) { return m.number(field); };
    if (m.integer("satellites_visible") != 255) put(name + ".satellites", n("satellites_visible"));
    if (m.integer("eph") != 65535) put(name + ".hdop", n("eph") / 100);
    put(name + ".fix", n("fix_type"));
    constexpr int kFix = 2;
    if (m.integer("fix_type") < kFix || (m.integer("lat") == 0 && m.integer("lon") == 0)) return;
    put(name + ".lat_deg", n("lat") * 1e-7);
    put(name + ".lon_deg", n("lon") * 1e-7);
    put(name + ".height_amsl_m", n("alt") / 1000);
    if (m.integer("vel") != 65535) put(name + ".speed_mps", n("vel") / 100);
    if (m.integer("h_acc") > 0) put(name + ".hacc_m", n("h_acc") / 1000);
}

/// Wind, speeds of rotors, pressure, the ground below, where the camera looks, home.
void RecordingLog::takeMeasured(const Message& m) {
    const auto n = [&](const char* field) { return m.number(field); };
    const auto bearing = [](double deg) { return deg < 0 ? deg + 360 : deg >= 360 ? deg - 360 : deg; };
    if (m.is("RPM")) {
        if (!gives("rpm", m)) return;
        // A sensor that is not there says nothing, or less.
        for (const auto& [name, field] : {std::pair("rpm.1", "rpm1"), std::pair("rpm.2", "rpm2")})
            if (n(field) > 0 || (n(field) == 0 && log_.has(name))) put(name, n(field));
    } else if (m.is("ESC_TELEMETRY_1_TO_4")) {
        for (int i = 0; i < 4 && gives("rpm", m); ++i)
            if (m.integer("count", i) > 0) put(fmt::format("rpm.{}", i + 1), m.number("rpm", i));
    } else if (m.is("WIND")) {
        if (!gives("wind", m)) return;
        put("wind.from_deg", bearing(n("direction")));
        put("wind.speed_mps", n("speed"));
    } else if (m.is("WIND_COV")) {
        const double north = n("wind_x"), east = n("wind_y");
        if (!std::isfinite(north) || !std::isfinite(east) || !gives("wind", m)) return;
        put("wind.from_deg", bearing(std::atan2(-east, -north) * kRad));
        put("wind.speed_mps", std::hypot(north, east));
    } else if (m.is("SCALED_PRESSURE")) {
        if (n("press_abs") > 0) put("baro.pressure_hpa", n("press_abs"));
    } else if (m.is("TERRAIN_REPORT")) {
        if (m.integer("spacing") != 0 && gives("ground", m)) put("position.height_ground_m", n("current_height"));
    } else if (m.is("DISTANCE_SENSOR")) {
        constexpr int kDown = 25;  // MAV_SENSOR_ORIENTATION
        const auto cm = m.integer("current_distance");
        if (m.integer("orientation") == kDown && cm >= m.integer("min_distance") && cm <= m.integer("max_distance") &&
            gives("ground", m))
            put("position.height_ground_m", static_cast<double>(cm) / 100);
    } else if (m.is("MOUNT_ORIENTATION")) {
        if (!std::isnan(n("pitch")) && gives("camera", m)) put("camera.pitch_deg", n("pitch"));
    } else if (m.is("GIMBAL_DEVICE_ATTITUDE_STATUS")) {
        const double sine = 2 * (m.number("q", 0) * m.number("q", 2) - m.number("q", 3) * m.number("q", 1));
        if (!std::isnan(sine) && gives("camera", m))
            put("camera.pitch_deg", std::asin(std::clamp(sine, -1.0, 1.0)) * kRad);
    } else if (m.is("HOME_POSITION")) {
        const auto home = placed(n("latitude") * 1e-7, n("longitude") * 1e-7, n("altitude") / 1000);
        if (home && (log_.homes.empty() || !(log_.homes.back().place == *home))) log_.homes.push_back({t_, *home});
    }
}

void RecordingLog::addCanonical(const Message& m) {
    const auto n = [&](const char* field) { return m.number(field); };
    if (m.is("GLOBAL_POSITION_INT")) {
        // It is sent before there is a place, too.
        if (m.integer("lat") == 0 && m.integer("lon") == 0) return;
        put("position.lat_deg", n("lat") * 1e-7);
        put("position.lon_deg", n("lon") * 1e-7);
        put("position.height_amsl_m", n("alt") / 1000);
        put("position.height_home_m", n("relative_alt") / 1000);
        put("estimate.height_home_m", n("relative_alt") / 1000);
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
    } else if (m.is("VFR_HUD")) {
        put("velocity.air_mps", n("airspeed"));
        put("throttle.percent", n("throttle"));
    } else if (m.is("SYS_STATUS")) {
        if (m.integer("voltage_battery") != 65535) put("battery.voltage_v", n("voltage_battery") / 1000);
        if (m.integer("current_battery") >= 0) put("battery.current_a", n("current_battery") / 100);
        if (m.integer("battery_remaining") >= 0) put("battery.left_percent", n("battery_remaining"));
    } else if (m.is("GPS_RAW_INT")) {
        takeReceiver(m, "gps");
    } else if (m.is("GPS2_RAW")) {
        takeReceiver(m, "gps.2");
    } else if (m.is("MISSION_CURRENT")) {
        put("mission.item", n("seq"));
    } else if (m.is("VIBRATION")) {
        put("vibration.x_mps2", n("vibration_x"));
        put("vibration.y_mps2", n("vibration_y"));
        put("vibration.z_mps2", n("vibration_z"));
        put("vibration.clipped", n("clipping_0"));
    } else if (m.is("RC_CHANNELS")) {
        if (m.integer("rssi") != 255) put("link.rssi", n("rssi"));
    } else if (m.is("SCALED_IMU") || m.is("SCALED_IMU2") || m.is("SCALED_IMU3") || m.is("RAW_IMU") ||
               m.is("HIGHRES_IMU")) {
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
    } else if (m.is("MISSION_ITEM_REACHED")) {
        log_.events.push_back({t_, "item", std::to_string(m.integer("seq"))});
    }
}

}  // namespace anhinga
