// ULog: the open self-describing log format (file header, definitions, data). Written: one message a channel group.
// Read: formats with nesting and arrays, multi-instance subscriptions, parameters, logged strings, dropouts.
#include <algorithm>
#include <cmath>
#include <cstring>
#include <limits>
#include <map>
#include <set>

#include "core/logio/LogReader.h"

namespace anhinga {

namespace {

constexpr std::string_view kMagic("ULog\x01\x12\x35", 7);
constexpr const char* kOurSystem = "Anhinga";
constexpr std::size_t kMaxColumns = 2000, kMaxFormats = 5000, kMostVehicle = 200;

void append(std::string& out, const void* data, std::size_t n) {
    out.append(static_cast<const char*>(data), n);
}
template <class T>
void appendValue(std::string& out, T v) {
    append(out, &v, sizeof v);
}
void record(std::string& out, char type, std::string_view body) {
    appendValue(out, static_cast<std::uint16_t>(body.size()));
    out += type;
    out += body;
}
void info(std::string& out, const std::string& key, std::string_view value) {
    const std::string typed = fmt::format("char[{}] {}", value.size(), key);
    std::string body(1, static_cast<char>(typed.size()));
    record(out, 'I', body + typed + std::string(value));
}
std::uint64_t micros(double t_s) {
    return static_cast<std::uint64_t>(std::max(0.0, t_s) * 1e6 + 0.5);
}

/// Written as floats: what comes hundreds of times a second and is not measured to seven digits.
bool isCoarse(const std::string& group) {
    constexpr std::string_view kGroups[] = {"imu", "mag", "motor", "vibration", "desired", "baro"};
    return std::find(std::begin(kGroups), std::end(kGroups), group) != std::end(kGroups);
}

struct Column {
    std::string name;
    char kind;  // b B h H i I q Q f d: signed and unsigned integers of 1, 2, 4, 8 bytes, floats
    std::size_t offset;
};
struct Layout {
    std::vector<Column> columns;
    std::size_t size = 0;
};

class Reader {
  public:
    Reader(const SharedBytes& shared, FlightLog& log) : bytes_(shared.bytes), log_(log), milestones_(shared) {}

    void run() {
        std::size_t at = 16;
        while (at + 3 <= bytes_.size()) {
            milestones_.pass(at);
            const auto size = static_cast<std::size_t>(load<std::uint16_t>(bytes_.data() + at));
            const char type = bytes_[at + 2];
            if (at + 3 + size > bytes_.size()) break;
            if (!take(type, bytes_.substr(at + 3, size))) ++log_.damaged_records;
            at += 3 + size;
        }
        log_.damaged_bytes += bytes_.size() - at;
        if (!ours_) makeCanonical();
        log_.findSessions({});
    }

  private:
    /// Topics of autopilot family 12 under the names every log shares: the first of the sources a log has is taken.
    void makeCanonical() {
        struct Source {
            const char *to, *from;
            double factor;
        };
        constexpr double kDeg = 180 / M_PI;
        constexpr Source kSources[] = {
            {"position.lat_deg", "vehicle_global_position.lat", 1},
            {"position.lon_deg", "vehicle_global_position.lon", 1},
            {"position.height_amsl_m", "vehicle_global_position.alt", 1},
            {"position.lat_deg", "vehicle_gps_position.latitude_deg", 1},
            {"position.lon_deg", "vehicle_gps_position.longitude_deg", 1},
            {"position.lat_deg", "vehicle_gps_position.lat", 1e-7},
            {"position.lon_deg", "vehicle_gps_position.lon", 1e-7},
            {"position.height_home_m", "vehicle_local_position.z", -1},
            {"position.height_ground_m", "vehicle_local_position.dist_bottom", 1},
            {"velocity.climb_mps", "vehicle_local_position.vz", -1},
            {"velocity.air_mps", "airspeed_validated.true_airspeed_m_s", 1},
            {"gps.lat_deg", "vehicle_gps_position.latitude_deg", 1},
            {"gps.lon_deg", "vehicle_gps_position.longitude_deg", 1},
            {"gps.lat_deg", "vehicle_gps_position.lat", 1e-7},
            {"gps.lon_deg", "vehicle_gps_position.lon", 1e-7},
            {"gps.height_amsl_m", "vehicle_gps_position.altitude_msl_m", 1},
            {"gps.height_amsl_m", "vehicle_gps_position.alt", 1e-3},
            {"gps.speed_mps", "vehicle_gps_position.vel_m_s", 1},
            {"gps.satellites", "vehicle_gps_position.satellites_used", 1},
            {"gps.hdop", "vehicle_gps_position.hdop", 1},
            {"gps.fix", "vehicle_gps_position.fix_type", 1},
            {"baro.height_m", "vehicle_air_data.baro_alt_meter", 1},
            {"imu.gyro_x_dps", "sensor_combined.gyro_rad[0]", kDeg},
            {"imu.gyro_y_dps", "sensor_combined.gyro_rad[1]", kDeg},
            {"imu.gyro_z_dps", "sensor_combined.gyro_rad[2]", kDeg},
            {"imu.accel_x_mps2", "sensor_combined.accelerometer_m_s2[0]", 1},
            {"imu.accel_y_mps2", "sensor_combined.accelerometer_m_s2[1]", 1},
            {"imu.accel_z_mps2", "sensor_combined.accelerometer_m_s2[2]", 1},
            {"mag.x_ut", "vehicle_magnetometer.magnetometer_ga[0]", 100},
            {"mag.y_ut", "vehicle_magnetometer.magnetometer_ga[1]", 100},
            {"mag.z_ut", "vehicle_magnetometer.magnetometer_ga[2]", 100},
            {"battery.voltage_v", "battery_status.voltage_v", 1},
            {"battery.current_a", "battery_status.current_a", 1},
            {"battery.used_mah", "battery_status.discharged_mah", 1},
            {"battery.left_percent", "battery_status.remaining", 100},
            {"motor.1", "actuator_motors.control[0]", 100},
            {"motor.2", "actuator_motors.control[1]", 100},
            {"motor.3", "actuator_motors.control[2]", 100},
            {"motor.4", "actuator_motors.control[3]", 100},
            {"mission.item", "mission_result.seq_current", 1},
        };
        const auto copy = [&](const char* to, const char* from, auto&& f) {
            if (log_.has(to)) return;
            const Channel* source = log_.find(from);
            if (source == nullptr || source->t_s.empty()) return;
            Channel& c = log_.channel(to, canonicalUnit(to));
            for (std::size_t i = 0; i < source->t_s.size(); ++i) c.add(source->t_s[i], f(source->value[i]));
        };
        for (const Source& s : kSources) copy(s.to, s.from, [&](double v) { return v * s.factor; });
        const auto attitude = [&](const char* group, const char* topic) {
            const Channel* q[4];
            for (int i = 0; i < 4; ++i) {
                q[i] = log_.find(fmt::format("{}[{}]", topic, i));
                if (q[i] == nullptr || q[i]->t_s.size() != q[0]->t_s.size()) return;
            }
            // Names of references stay valid while others are made.
            Channel& roll = log_.channel(fmt::format("{}.roll_deg", group), "deg");
            Channel& pitch = log_.channel(fmt::format("{}.pitch_deg", group), "deg");
            Channel& yaw = log_.channel(fmt::format("{}.yaw_deg", group), "deg");
            for (std::size_t i = 0; i < q[0]->t_s.size(); ++i) {
                const double w = q[0]->value[i], x = q[1]->value[i], y = q[2]->value[i], z = q[3]->value[i],
                             t = q[0]->t_s[i];
                roll.add(t, std::atan2(2 * (w * x + y * z), 1 - 2 * (x * x + y * y)) * kDeg);
                pitch.add(t, std::asin(std::clamp(2 * (w * y - z * x), -1.0, 1.0)) * kDeg);
                const double bearing = std::atan2(2 * (w * z + x * y), 1 - 2 * (y * y + z * z)) * kDeg;
                yaw.add(t, bearing < 0 ? bearing + 360 : bearing);
            }
        };
        attitude("attitude", "vehicle_attitude.q");
        attitude("desired", "vehicle_attitude_setpoint.q_d");
        // The whole thrust asked for points up, out of the body.
        copy("throttle.percent", "vehicle_attitude_setpoint.thrust_body[2]", [](double v) { return -100 * v; });
        const Channel *north = log_.find("vehicle_local_position.vx"), *east = log_.find("vehicle_local_position.vy");
        if (north != nullptr && east != nullptr && north->t_s.size() == east->t_s.size() && !north->t_s.empty()) {
            Channel& speed = log_.channel("velocity.ground_mps", "m/s");
            for (std::size_t i = 0; i < north->t_s.size(); ++i)
                speed.add(north->t_s[i], std::hypot(north->value[i], east->value[i]));
        }
        // States as numbers of the family; armed is 2.
        if (const Channel* nav = log_.find("vehicle_status.nav_state"))
            for (std::size_t i = 0; i < nav->t_s.size(); ++i)
                if (i == 0 || nav->value[i] != nav->value[i - 1])
                    log_.modes.push_back({nav->t_s[i], navState(static_cast<int>(nav->value[i]))});
        if (const Channel* arming = log_.find("vehicle_status.arming_state"))
            for (std::size_t i = 0; i < arming->t_s.size(); ++i) {
                const bool armed = arming->value[i] == 2, before = i > 0 && arming->value[i - 1] == 2;
                if (armed != before) log_.events.push_back({arming->t_s[i], armed ? "armed" : "disarmed", ""});
            }
        if (const Channel* photos = log_.find("camera_trigger.seq"))
            for (std::size_t i = 0; i < photos->t_s.size(); ++i)
                log_.events.push_back(
                    {photos->t_s[i], "photo", std::to_string(static_cast<long long>(photos->value[i]))});
        std::stable_sort(log_.events.begin(), log_.events.end(),
                         [](const LogEvent& a, const LogEvent& b) { return a.t_s < b.t_s; });
    }
    static std::string navState(int state) {
        constexpr std::pair<int, const char*> kStates[] = {{0, "manual"},      {1, "height hold"}, {2, "hold by hand"},
                                                           {3, "mission"},     {4, "hold"},        {5, "return"},
                                                           {10, "acro"},       {12, "descend"},    {14, "offboard"},
                                                           {15, "stabilised"}, {17, "take-off"},   {18, "landing"}};
        for (const auto& [number, name] : kStates)
            if (number == state) return name;
        return fmt::format("state {}", state);
    }
    template <class T>
    static T load(const char* at) {
        T v;
        std::memcpy(&v, at, sizeof v);
        return v;
    }
    static std::pair<char, std::size_t> typeOf(std::string_view name) {
        constexpr std::pair<std::string_view, std::pair<char, std::size_t>> kTypes[] = {
            {"int8_t", {'b', 1}},   {"uint8_t", {'B', 1}}, {"bool", {'B', 1}},     {"int16_t", {'h', 2}},
            {"uint16_t", {'H', 2}}, {"int32_t", {'i', 4}}, {"uint32_t", {'I', 4}}, {"int64_t", {'q', 8}},
            {"uint64_t", {'Q', 8}}, {"float", {'f', 4}},   {"double", {'d', 8}},   {"char", {'c', 1}}};
        for (const auto& [n, t] : kTypes)
            if (n == name) return t;
        return {0, 0};
    }
    /// Adds the fields of a format behind `prefix`; false for a format that is unknown, too deep or too wide.
    bool layOut(const std::string& format, const std::string& prefix, int depth, Layout& layout) {
        const auto found = formats_.find(format);
        if (found == formats_.end() || depth > 8) return false;
        std::string_view text = found->second;
        while (!text.empty()) {
            const auto end = text.find(';');
            std::string_view field = text.substr(0, end);
            text.remove_prefix(end == std::string_view::npos ? text.size() : end + 1);
            const auto space = field.find(' ');
            if (space == std::string_view::npos) continue;
            std::string_view type = field.substr(0, space);
            const std::string name(field.substr(space + 1));
            std::size_t count = 1;
            bool array = false;
            if (const auto bracket = type.find('['); bracket != std::string_view::npos) {
                count = static_cast<std::size_t>(std::atoi(std::string(type.substr(bracket + 1)).c_str()));
                type = type.substr(0, bracket);
                array = true;
            }
            const auto [kind, width] = typeOf(type);
            if (count > 70000 || (kind != 'c' && layout.columns.size() + count > kMaxColumns)) return false;
            for (std::size_t i = 0; i < count; ++i) {
                const std::string full = prefix + name + (array ? fmt::format("[{}]", i) : "");
                if (kind == 0) {
                    if (!layOut(std::string(type), full + ".", depth + 1, layout)) return false;
                    continue;
                }
                if (kind != 'c' && !name.starts_with("_padding")) layout.columns.push_back({full, kind, layout.size});
                layout.size += width;
            }
        }
        return true;
    }
    static double value(const char* at, char kind) {
        switch (kind) {
            case 'b':
                return load<std::int8_t>(at);
            case 'B':
                return load<std::uint8_t>(at);
            case 'h':
                return load<std::int16_t>(at);
            case 'H':
                return load<std::uint16_t>(at);
            case 'i':
                return load<std::int32_t>(at);
            case 'I':
                return load<std::uint32_t>(at);
            case 'q':
                return static_cast<double>(load<std::int64_t>(at));
            case 'Q':
                return static_cast<double>(load<std::uint64_t>(at));
            case 'f':
                return static_cast<double>(load<float>(at));
            default:
                return load<double>(at);
        }
    }
    double seconds(std::uint64_t us) {
        if (!start_us_) start_us_ = us;
        return (static_cast<double>(us) - static_cast<double>(*start_us_)) * 1e-6;
    }

    bool take(char type, std::string_view body) {
        switch (type) {
            case 'F': {
                const auto colon = body.find(':');
                if (colon == std::string_view::npos || formats_.size() > kMaxFormats) return false;
                formats_[std::string(body.substr(0, colon))] = std::string(body.substr(colon + 1));
                return true;
            }
            case 'I': {
                if (body.empty() || body.size() < 1u + static_cast<unsigned char>(body[0])) return false;
                const auto key = body.substr(1, static_cast<unsigned char>(body[0]));
                const auto text = body.substr(1 + key.size());
                if (key.ends_with(" sys_name")) ours_ = text == kOurSystem;
                if (key.ends_with(" vehicle")) log_.vehicle = std::string(text.substr(0, kMostVehicle));
                if (key == "uint64_t time_ref_utc_us" && text.size() == 8)
                    log_.start_unix_s = static_cast<double>(load<std::uint64_t>(text.data())) * 1e-6;
                return true;
            }
            case 'P': {
                if (body.empty() || body.size() < 5u + static_cast<unsigned char>(body[0])) return false;
                const auto key = body.substr(1, static_cast<unsigned char>(body[0]));
                const char* at = body.data() + 1 + key.size();
                const auto space = key.find(' ');
                if (space == std::string_view::npos) return false;
                log_.params[std::string(key.substr(space + 1))] =
                    key.starts_with("float") ? static_cast<double>(load<float>(at)) : load<std::int32_t>(at);
                return true;
            }
            case 'A': {
                if (body.size() < 4) return false;
                const int instance = static_cast<unsigned char>(body[0]);
                const auto id = load<std::uint16_t>(body.data() + 1);
                const std::string name(body.substr(3));
                Layout layout;
                if (!layOut(name, "", 0, layout)) return false;
                if (layout.columns.empty() || layout.columns[0].name != "timestamp") return false;
                names_[id] = instance > 0 ? fmt::format("{}#{}", name, instance) : name;
                layouts_[id] = std::move(layout);
                columns_.erase(id);
                return true;
            }
            case 'D':
                return data(body);
            case 'L': {
                if (body.size() < 9) return false;
                logged(seconds(load<std::uint64_t>(body.data() + 1)), std::string(body.substr(9)));
                return true;
            }
            default:
                return std::strchr("BMRCSOQ", type) != nullptr;
        }
    }
    bool data(std::string_view body) {
        if (body.size() < 10) return false;
        const auto id = load<std::uint16_t>(body.data());
        const auto layout = layouts_.find(id);
        if (layout == layouts_.end()) return false;
        ++log_.message_counts[names_[id]];
        const double t = seconds(load<std::uint64_t>(body.data() + 2));
        auto& columns = columns_[id];
        const auto& list = layout->second.columns;
        if (columns.empty())
            for (const Column& c : list) {
                if (&c == &list.front()) {  // its time
                    columns.push_back(nullptr);
                    continue;
                }
                const std::string name = names_[id] + "." + c.name;
                columns.push_back(&log_.channel(name, isCanonical(name) && ours_ ? canonicalUnit(name) : ""));
            }
        for (std::size_t i = 1; i < list.size(); ++i) {
            const std::size_t width = list[i].kind == 'b' || list[i].kind == 'B'                          ? 1
                                      : list[i].kind == 'h' || list[i].kind == 'H'                        ? 2
                                      : list[i].kind == 'i' || list[i].kind == 'I' || list[i].kind == 'f' ? 4
                                                                                                          : 8;
            if (2 + list[i].offset + width > body.size()) break;
            const double v = value(body.data() + 2 + list[i].offset, list[i].kind);
            Channel& c = *columns[i];
            if (!std::isnan(v) && (c.t_s.empty() || t >= c.t_s.back())) c.add(t, v);
        }
        return true;
    }
    void logged(double t, std::string text) {
        const auto space = text.find(' ');
        const std::string word = text.substr(0, space), rest = space == std::string::npos ? "" : text.substr(space + 1);
        static const std::set<std::string> kWords{"armed", "disarmed", "photo", "item", "message"};
        if (ours_ && word == "mode")
            log_.modes.push_back({t, rest});
        else if (ours_ && kWords.contains(word))
            log_.events.push_back({t, word, rest});
        else
            log_.events.push_back({t, "message", std::move(text)});
    }

    std::string_view bytes_;
    FlightLog& log_;
    Milestones milestones_;
    bool ours_ = false;
    std::optional<std::uint64_t> start_us_;
    std::map<std::string, std::string> formats_;
    std::map<std::uint16_t, std::string> names_;
    std::map<std::uint16_t, Layout> layouts_;
    std::map<std::uint16_t, std::vector<Channel*>> columns_;
};

}  // namespace

bool looksLikeUlog(std::string_view bytes) {
    return bytes.starts_with(kMagic);
}

Result<LogPtr> readUlog(const SharedBytes& shared, const std::string& name) {
    const std::string_view bytes = shared.bytes;
    if (bytes.size() < 16) return fail("{}: the ULog header is not complete", name);
    auto log = std::make_shared<FlightLog>();
    log->format = "ULog";
    Reader(shared, *log).run();
    if (log->message_counts.empty()) return fail("{}: a ULog file without any data in it", name);
    return log;
}

std::string writeUlog(const FlightLog& log) {
    std::string out(kMagic);
    out += '\1';
    appendValue<std::uint64_t>(out, 0);
    record(out, 'B', std::string(40, '\0'));
    info(out, "sys_name", kOurSystem);
    if (!log.vehicle.empty()) info(out, "vehicle", log.vehicle);
    if (log.start_unix_s > 0) {
        const std::string key = "uint64_t time_ref_utc_us";
        std::string body(1, static_cast<char>(key.size()));
        body += key;
        appendValue(body, micros(log.start_unix_s));
        record(out, 'I', body);
    }
    // Groups: "position.lat_deg" is field lat_deg of message position, so that reading gives the names back.
    std::map<std::string, std::vector<const Channel*>> groups;
    for (const Channel* c : log.channels())
        if (isCanonical(c->name) && !c->t_s.empty()) groups[c->name.substr(0, c->name.find('.'))].push_back(c);
    for (const auto& [group, channels] : groups) {
        std::string format = group + ":uint64_t timestamp;";
        const char* type = isCoarse(group) ? "float " : "double ";
        for (const Channel* c : channels) format += type + c->name.substr(group.size() + 1) + ";";
        record(out, 'F', format);
    }
    for (const auto& [name, value] : log.params) {
        const std::string key = "float " + name;
        std::string body(1, static_cast<char>(key.size()));
        body += key;
        appendValue(body, static_cast<float>(value));
        if (key.size() < 256) record(out, 'P', body);
    }
    std::vector<std::pair<std::uint64_t, std::string>> timed;
    std::uint16_t id = 0;
    for (const auto& [group, channels] : groups) {
        std::string subscribe(1, '\0');
        appendValue(subscribe, id);
        record(out, 'A', subscribe + group);
        const bool coarse = isCoarse(group);
        std::vector<double> times;
        for (const Channel* c : channels) times.insert(times.end(), c->t_s.begin(), c->t_s.end());
        std::sort(times.begin(), times.end());
        times.erase(std::unique(times.begin(), times.end()), times.end());
        std::vector<std::size_t> next(channels.size(), 0);
        for (const double t : times) {
            std::string body;
            appendValue(body, id);
            appendValue(body, micros(t));
            for (std::size_t i = 0; i < channels.size(); ++i) {
                const Channel& c = *channels[i];
                double v = std::numeric_limits<double>::quiet_NaN();
                while (next[i] < c.t_s.size() && c.t_s[next[i]] <= t) v = c.value[next[i]++];
                if (coarse)
                    appendValue(body, static_cast<float>(v));
                else
                    appendValue(body, v);
            }
            std::string r;
            record(r, 'D', body);
            timed.emplace_back(micros(t), std::move(r));
        }
        ++id;
    }
    const auto say = [&](double t, const std::string& text) {
        std::string body(1, '6');
        appendValue(body, micros(t));
        std::string r;
        record(r, 'L', body + text);
        timed.emplace_back(micros(t), std::move(r));
    };
    for (const ModeChange& m : log.modes) say(m.t_s, "mode " + m.name);
    for (const LogEvent& e : log.events) say(e.t_s, e.text.empty() ? e.kind : e.kind + " " + e.text);
    std::stable_sort(timed.begin(), timed.end(), [](const auto& a, const auto& b) { return a.first < b.first; });
    for (const auto& [t, r] : timed) out += r;
    return out;
}

}  // namespace anhinga
