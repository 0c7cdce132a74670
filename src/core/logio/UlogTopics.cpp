#include <algorithm>
#include <array>
#include <cmath>
#include <cstring>

#include "core/base/Numbers.h"
#include "core/base/Result.h"
#include "core/logio/UlogTables.h"
#include "core/mavlink/ModeNames.h"

namespace anhinga {

namespace {

constexpr double kDeg = 180 / M_PI;

struct Topic {
    const char *to, *from;
    double factor;
};
constexpr Topic kTopics[] = {
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
    {"velocity.air_mps", "airspeed.true_airspeed_m_s", 1},
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
    {"gps.hacc_m", "vehicle_gps_position.eph", 1},
    {"baro.height_m", "vehicle_air_data.baro_alt_meter", 1},
    {"baro.height_m", "sensor_combined.baro_alt_meter", 1},
    {"baro.pressure_hpa", "vehicle_air_data.baro_pressure_pa", 0.01},
    {"imu.gyro_x_dps", "sensor_combined.gyro_rad[0]", kDeg},
    {"imu.gyro_y_dps", "sensor_combined.gyro_rad[1]", kDeg},
    {"imu.gyro_z_dps", "sensor_combined.gyro_rad[2]", kDeg},
    {"imu.accel_x_mps2", "sensor_combined.accelerometer_m_s2[0]", 1},
    {"imu.accel_y_mps2", "sensor_combined.accelerometer_m_s2[1]", 1},
    {"imu.accel_z_mps2", "sensor_combined.accelerometer_m_s2[2]", 1},
    {"mag.x_ut", "vehicle_magnetometer.magnetometer_ga[0]", 100},
    {"mag.y_ut", "vehicle_magnetometer.magnetometer_ga[1]", 100},
    {"mag.z_ut", "vehicle_magnetometer.magnetometer_ga[2]", 100},
    {"mag.x_ut", "sensor_combined.magnetometer_ga[0]", 100},
    {"mag.y_ut", "sensor_combined.magnetometer_ga[1]", 100},
    {"mag.z_ut", "sensor_combined.magnetometer_ga[2]", 100},
    {"throttle.percent", "vehicle_attitude_setpoint.thrust", 100},
    {"battery.voltage_v", "battery_status.voltage_v", 1},
    {"battery.current_a", "battery_status.current_a", 1},
    {"battery.used_mah", "battery_status.discharged_mah", 1},
    {"battery.left_percent", "battery_status.remaining", 100},
    {"stick.roll", "manual_control_setpoint.roll", 1},
    {"stick.pitch", "manual_control_setpoint.pitch", 1},
    {"stick.yaw", "manual_control_setpoint.yaw", 1},
    {"stick.roll", "manual_control_setpoint.y", 1},
    {"stick.pitch", "manual_control_setpoint.x", 1},
    {"stick.yaw", "manual_control_setpoint.r", 1},
    {"stick.throttle", "manual_control_setpoint.z", 1},
    {"mission.item", "mission_result.seq_current", 1},
};

/// Of the second and further ones: their topics stand under their own names, as they are, before one is chosen.
constexpr Topic kFurther[] = {
    {"gps.lat_deg", "sensor_gps.latitude_deg", 1},
    {"gps.lon_deg", "sensor_gps.longitude_deg", 1},
    {"gps.lat_deg", "sensor_gps.lat", 1e-7},
    {"gps.lon_deg", "sensor_gps.lon", 1e-7},
    {"gps.height_amsl_m", "sensor_gps.altitude_msl_m", 1},
    {"gps.height_amsl_m", "sensor_gps.alt", 1e-3},
    {"gps.speed_mps", "sensor_gps.vel_m_s", 1},
    {"gps.satellites", "sensor_gps.satellites_used", 1},
    {"gps.hdop", "sensor_gps.hdop", 1},
    {"gps.fix", "sensor_gps.fix_type", 1},
    {"gps.hacc_m", "sensor_gps.eph", 1},
    {"imu.gyro_x_dps", "sensor_gyro.x", kDeg},
    {"imu.gyro_y_dps", "sensor_gyro.y", kDeg},
    {"imu.gyro_z_dps", "sensor_gyro.z", kDeg},
    {"imu.accel_x_mps2", "sensor_accel.x", 1},
    {"imu.accel_y_mps2", "sensor_accel.y", 1},
    {"imu.accel_z_mps2", "sensor_accel.z", 1},
    {"mag.x_ut", "sensor_mag.x", 100},
    {"mag.y_ut", "sensor_mag.y", 100},
    {"mag.z_ut", "sensor_mag.z", 100},
    {"baro.pressure_hpa", "sensor_baro.pressure", 0.01},
};

std::string navState(int state) {
    constexpr std::pair<int, const char*> kStates[] = {{0, "manual"},
                                                       {1, "height hold"},
                                                       {2, "position hold"},
                                                       {3, "mission"},
                                                       {4, "hold"},
                                                       {5, "return"},
                                                       {6, "position hold, slowly"},
                                                       {8, "land"},
                                                       {10, "rate"},
                                                       {12, "descend"},
                                                       {13, "flight ended"},
                                                       {14, "led from the ground"},
                                                       {15, "levelled"},
                                                       {16, "levelled"},
                                                       {17, "take off"},
                                                       {18, "land"},
                                                       {19, "follows"},
                                                       {20, "land"},
                                                       {21, "circle"},
                                                       {22, "take off"}};
    for (const auto& [number, name] : kStates)
        if (number == state) return name;
    return fmt::format("state {}", state);
}

template <class T>
T load(const char* at) {
    T v;
    std::memcpy(&v, at, sizeof v);
    return v;
}

std::size_t widthOf(char kind) {
    switch (kind) {
        case 'b':
        case 'B':
            return 1;
        case 'h':
        case 'H':
            return 2;
        case 'i':
        case 'I':
        case 'f':
            return 4;
        default:
            return 8;
    }
}

double valueAt(const char* at, char kind) {
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

void dropZeros(Channel& c) {
    std::size_t kept = 0;
    for (std::size_t i = 0; i < c.value.size(); ++i) {
        if (c.value[i] == 0) continue;
        c.t_s[kept] = c.t_s[i];
        c.value[kept++] = c.value[i];
    }
    c.t_s.resize(kept);
    c.value.resize(kept);
}

/// When it was: from the receiver's own time, in whichever layout, once it has a fix.
void findStart(const UlogTables& tables, FlightLog& log) {
    constexpr double kYear2000_s = 946684800, kLikely_s = 4 * kYear2000_s, kFix = 3;
    for (const char* topic : {"vehicle_gps_position", "sensor_gps"}) {
        if (log.start_unix_s != 0) return;
        const std::string time = fmt::format("{}.time_utc_usec", topic), fix = fmt::format("{}.fix_type", topic);
        if (!tables.has(time)) continue;
        Channel utc_us, fixes;
        tables.decode(time, utc_us);
        if (tables.has(fix)) tables.decode(fix, fixes);
        for (std::size_t i = 0; i < utc_us.t_s.size() && log.start_unix_s == 0; ++i) {
            const double unix_s = utc_us.value[i] * 1e-6;
            if (!(unix_s > kYear2000_s && unix_s < kLikely_s)) continue;
            if (!fixes.t_s.empty() && !(fixes.at(utc_us.t_s[i]).value_or(0) >= kFix)) continue;
            log.start_unix_s = unix_s - utc_us.t_s[i];
        }
    }
}

/// Height above home as the log itself states it, at the moment it holds: an estimator's own zero is not home.
void promiseHeightHome(const std::shared_ptr<const UlogTables>& tables, FlightLog& log, const char* name) {
    const std::string height = "vehicle_global_position.alt", home = "home_position.alt";
    if (!tables->has(height) || !tables->has(home) || tables->count(home) == 0) return;
    log.promise(name, "m", tables->count(height), [tables, height, home](Channel& out) {
        Channel amsl, zero;
        tables->decode(height, amsl);
        tables->decode(home, zero);
        std::size_t at = 0;
        for (std::size_t i = 0; i < amsl.t_s.size() && !zero.t_s.empty(); ++i) {
            while (at + 1 < zero.t_s.size() && zero.t_s[at + 1] <= amsl.t_s[i]) ++at;
            if (zero.t_s[at] <= amsl.t_s[i]) out.add(amsl.t_s[i], amsl.value[i] - zero.value[at]);
        }
    });
}

/// Where home is, each time it is said anew.
void findHomes(const UlogTables& tables, FlightLog& log) {
    if (!tables.has("home_position.lat") || !tables.has("home_position.lon") || !tables.has("home_position.alt"))
        return;
    Channel lat, lon, alt;
    tables.decode("home_position.lat", lat);
    tables.decode("home_position.lon", lon);
    tables.decode("home_position.alt", alt);
    for (std::size_t i = 0; i < lat.t_s.size(); ++i) {
        const double t = lat.t_s[i];
        const auto east = lon.at(t), amsl = alt.at(t);
        if (!east || (lat.value[i] == 0 && *east == 0)) continue;
        const LoggedPlace place{lat.value[i], *east, amsl};
        if (log.homes.empty() || !(log.homes.back().place == place)) log.homes.push_back({t, place});
    }
}

/// Photos as the camera says that it took them, with the place it says; else as they were triggered.
void findPhotos(const UlogTables& tables, FlightLog& log) {
    const bool captured = tables.has("camera_capture.seq");
    const std::string topic = captured ? "camera_capture" : "camera_trigger";
    Channel seq, lat, lon, alt, result;
    tables.decode(topic + ".seq", seq);
    if (captured) {
        tables.decode(topic + ".lat", lat);
        tables.decode(topic + ".lon", lon);
        tables.decode(topic + ".alt", alt);
        tables.decode(topic + ".result", result);
    }
    for (std::size_t i = 0; i < seq.t_s.size(); ++i) {
        const double t = seq.t_s[i];
        // Zero or less: it failed.
        if (const auto taken = result.at(t); taken && *taken <= 0) continue;
        if (!captured && i > 0 && seq.value[i] == seq.value[i - 1]) continue;
        LogEvent photo{t, "photo", fmt::format("{:.0f}", seq.value[i])};
        const auto north = lat.at(t), east = lon.at(t);
        if (north && east && (*north != 0 || *east != 0)) photo.place = LoggedPlace{*north, *east, alt.at(t)};
        log.events.push_back(std::move(photo));
    }
}

/// Outputs to the motors in percent; those that are nothing the whole time are none.
void promiseMotors(const std::shared_ptr<const UlogTables>& tables, FlightLog& log) {
    constexpr int kMost = 12;
    bool shares = false;
    for (int i = 0; i < kMost; ++i) {
        const std::string share = fmt::format("actuator_motors.control[{}]", i);
        if (!tables->saysAnything(share)) continue;
        shares = true;
        log.promise(fmt::format("motor.{}", i + 1), "%", tables->count(share),
                    [tables, share](Channel& out) { tables->decode(share, out, 100); });
    }
    if (shares) return;
    // Older ones log pulses, wings those of their surfaces among them.
    Channel type;
    tables->decode("vehicle_status.is_rotary_wing", type);
    if (!type.value.empty() && type.value.back() == 0) return;
    const auto parameter = [&](const char* name, double otherwise) {
        const auto found = log.params.find(name);
        return found != log.params.end() && found->second > 0 ? found->second : otherwise;
    };
    const double low = parameter("PWM_MAIN_MIN", parameter("PWM_MIN", 1000)),
                 high = parameter("PWM_MAIN_MAX", parameter("PWM_MAX", 2000));
    if (!(high > low)) return;
    for (int i = 0; i < kMost; ++i) {
        const std::string pulse = fmt::format("actuator_outputs.output[{}]", i);
        if (!tables->has(pulse)) continue;
        Channel us;
        tables->decode(pulse, us);
        const auto [least, most] = std::minmax_element(us.value.begin(), us.value.end());
        constexpr double kLeast_us = 800, kMost_us = 2200;
        if (us.value.empty() || *least == *most || *most < kLeast_us || *most > kMost_us) continue;
        log.promise(fmt::format("motor.{}", i + 1), "%", us.t_s.size(), [tables, pulse, low, high](Channel& out) {
            tables->decode(pulse, out);
            for (double& v : out.value) v = std::max(0.0, 100 * (v - low) / (high - low));
        });
    }
}

/// From two components: what the wind is.
void promiseWind(const std::shared_ptr<const UlogTables>& tables, FlightLog& log) {
    for (const char* topic : {"wind", "wind_estimate"}) {
        const std::string north = fmt::format("{}.windspeed_north", topic),
                          east = fmt::format("{}.windspeed_east", topic);
        if (!tables->has(north) || !tables->has(east)) continue;
        const auto both = [tables, north, east](Channel& out, auto&& of) {
            Channel x, y;
            tables->decode(north, x);
            tables->decode(east, y);
            for (std::size_t i = 0; i < std::min(x.t_s.size(), y.t_s.size()); ++i)
                out.add(x.t_s[i], of(x.value[i], y.value[i]));
        };
        log.promise("wind.speed_mps", "m/s", tables->count(north),
                    [both](Channel& out) { both(out, [](double n, double e) { return std::hypot(n, e); }); });
        log.promise("wind.from_deg", "deg", tables->count(north), [both](Channel& out) {
            both(out, [](double n, double e) {
                const double from = std::atan2(-e, -n) * kDeg;
                return from < 0 ? from + 360 : from;
            });
        });
        return;
    }
}

/// Roll, pitch and yaw of a quaternion of four channels, each when it is asked for.
void promiseAngles(const std::shared_ptr<const UlogTables>& tables, FlightLog& log, const char* group,
                   const char* topic) {
    std::array<std::string, 4> names;
    for (std::size_t i = 0; i < 4; ++i) {
        names[i] = fmt::format("{}[{}]", topic, i);
        if (!tables->has(names[i])) return;
    }
    using Angle = double (*)(double, double, double, double);
    constexpr std::pair<const char*, Angle> kAngles[] = {
        {"roll_deg", [](double w, double x, double y,
                        double z) { return std::atan2(2 * (w * x + y * z), 1 - 2 * (x * x + y * y)); }},
        {"pitch_deg",
         [](double w, double x, double y, double z) { return std::asin(std::clamp(2 * (w * y - z * x), -1.0, 1.0)); }},
        {"yaw_deg", [](double w, double x, double y, double z) {
             const double bearing = std::atan2(2 * (w * z + x * y), 1 - 2 * (y * y + z * z));
             return bearing < 0 ? bearing + 2 * M_PI : bearing;
         }}};
    for (const auto& [name, angle] : kAngles)
        log.promise(fmt::format("{}.{}", group, name), "deg", tables->count(names[0]),
                    [tables, names, angle = angle](Channel& out) {
                        std::array<Channel, 4> q;
                        std::size_t n = SIZE_MAX;
                        for (std::size_t i = 0; i < 4; ++i) {
                            tables->decode(names[i], q[i]);
                            n = std::min(n, q[i].t_s.size());
                        }
                        for (std::size_t i = 0; i < n; ++i)
                            out.add(q[0].t_s[i],
                                    angle(q[0].value[i], q[1].value[i], q[2].value[i], q[3].value[i]) * kDeg);
                    });
}

/// Thrust asked for, along the axis that pushes: down for rotors, ahead for wings.
void promiseThrottle(const std::shared_ptr<const UlogTables>& tables, FlightLog& log) {
    const std::string down = "vehicle_thrust_setpoint.xyz[2]", ahead = "vehicle_thrust_setpoint.xyz[0]";
    const std::string older_down = "vehicle_attitude_setpoint.thrust_body[2]",
                      older_ahead = "vehicle_attitude_setpoint.thrust_body[0]";
    if (log.has("throttle.percent")) return;
    const bool newer = tables->has(down), older = tables->has(older_down);
    if (!newer && !older) return;
    Channel type;
    if (tables->has("vehicle_status.vehicle_type")) tables->decode("vehicle_status.vehicle_type", type);
    constexpr double kWings = 2;
    const bool wings = !type.value.empty() && type.value.back() == kWings;
    const std::string from = wings ? (newer ? ahead : older_ahead) : (newer ? down : older_down);
    if (!tables->has(from)) return;
    log.promise("throttle.percent", "%", tables->count(from),
                [tables, from, factor = wings ? 100.0 : -100.0](Channel& out) { tables->decode(from, out, factor); });
}

/// The strength of the field over all axes, where there are three.
void promiseStrength(const std::shared_ptr<const UlogTables>& tables, FlightLog& log, const std::string& name,
                     const std::array<std::string, 3>& axes) {
    if (log.has(name) || !std::all_of(axes.begin(), axes.end(), [&](const std::string& a) { return tables->has(a); }))
        return;
    log.promise(name, "uT", tables->count(axes[0]), [tables, axes](Channel& out) {
        constexpr double kMicrotesla = 100;
        std::array<Channel, 3> c;
        std::size_t n = SIZE_MAX;
        for (std::size_t i = 0; i < 3; ++i) {
            tables->decode(axes[i], c[i], kMicrotesla);
            n = std::min(n, c[i].t_s.size());
        }
        for (std::size_t i = 0; i < n; ++i)
            out.add(c[0].t_s[i], std::hypot(c[0].value[i], c[1].value[i], c[2].value[i]));
    });
}
void promiseStrengths(const std::shared_ptr<const UlogTables>& tables, FlightLog& log) {
    const auto axes = [](const std::string& before) {
        return std::array<std::string, 3>{before + "[0]", before + "[1]", before + "[2]"};
    };
    promiseStrength(tables, log, "mag.field_ut", axes("vehicle_magnetometer.magnetometer_ga"));
    promiseStrength(tables, log, "mag.field_ut", axes("sensor_combined.magnetometer_ga"));
    constexpr std::size_t kMost = 4;
    for (std::size_t i = 1; i < kMost; ++i) {
        const std::string name = numberedChannel("mag.field_ut", i + 1);
        promiseStrength(tables, log, name, axes(fmt::format("vehicle_magnetometer#{}.magnetometer_ga", i)));
        const std::string raw = fmt::format("sensor_mag#{}.", i);
        promiseStrength(tables, log, name, {raw + "x", raw + "y", raw + "z"});
    }
}

}  // namespace

std::size_t UlogTables::count(const std::string& channel) const {
    const auto found = sources_.find(channel);
    std::size_t n = 0;
    if (found != sources_.end())
        for (const Source& s : found->second) n += s.records->at.size();
    return n;
}

std::vector<std::string> UlogTables::channels() const {
    std::vector<std::string> out;
    for (const auto& [name, sources] : sources_) out.push_back(name);
    return out;
}

bool UlogTables::saysAnything(const std::string& channel) const {
    const auto found = sources_.find(channel);
    if (found == sources_.end()) return false;
    constexpr std::size_t kLooks = 64, kNumber = 2;
    for (const Source& s : found->second)
        for (std::size_t k = 0; k < s.records->at.size(); k += 1 + s.records->at.size() / kLooks) {
            const char* body = shared.bytes.data() + s.records->at[k];
            const std::size_t size = load<std::uint16_t>(body - 3);
            if (kNumber + s.field.offset + widthOf(s.field.kind) > size) continue;
            const double v = valueAt(body + kNumber + s.field.offset, s.field.kind);
            if (!std::isnan(v) && v != 0) return true;
        }
    return false;
}

void UlogTables::decode(const std::string& channel, Channel& out, double factor) const {
    const auto found = sources_.find(channel);
    if (found == sources_.end()) return;
    out.t_s.reserve(out.t_s.size() + count(channel));
    out.value.reserve(out.value.size() + count(channel));
    constexpr std::size_t kHead = 3, kNumber = 2;  // size and type before a body, the message number in it
    for (const Source& s : found->second)
        for (const std::uint32_t at : s.records->at) {
            const char* body = shared.bytes.data() + at;
            const std::size_t size = load<std::uint16_t>(body - kHead);
            if (kNumber + s.field.offset + widthOf(s.field.kind) > size) continue;
            const double t =
                (static_cast<double>(load<std::uint64_t>(body + kNumber)) - static_cast<double>(start_us)) * 1e-6;
            const double v = valueAt(body + kNumber + s.field.offset, s.field.kind);
            if (!std::isnan(v) && (out.t_s.empty() || t >= out.t_s.back())) out.add(t, v * factor);
        }
}

void nameUlogTopics(const std::shared_ptr<const UlogTables>& tables, FlightLog& log) {
    findStart(*tables, log);
    promiseHeightHome(tables, log, "position.height_home_m");
    promiseHeightHome(tables, log, "estimate.height_home_m");
    findHomes(*tables, log);
    const auto promise = [&](const std::string& to, const std::string& from, double factor) {
        if (log.has(to) || !tables->has(from)) return;
        log.promise(to, canonicalUnit(to), tables->count(from), [tables, from, to, factor](Channel& out) {
            tables->decode(from, out, factor);
            // Before there is a place, it is said to be 0/0.
            if (to.ends_with(".lat_deg") || to.ends_with(".lon_deg")) dropZeros(out);
        });
    };
    for (const Topic& t : kTopics) promise(t.to, t.from, t.factor);
    constexpr std::size_t kMostOfAKind = 4;
    for (std::size_t i = 1; i < kMostOfAKind; ++i) {
        const auto further = [&](const Topic& t) {
            if (!mayBeSeveral(t.to)) return;
            const std::string_view from = t.from;
            const auto dot = from.find('.');
            promise(numberedChannel(t.to, i + 1), fmt::format("{}#{}{}", from.substr(0, dot), i, from.substr(dot)),
                    t.factor);
        };
        for (const Topic& t : kTopics) further(t);
        for (const Topic& t : kFurther) further(t);
    }
    constexpr int kRotors = 8;
    for (int i = 0; i < kRotors; ++i)
        if (const std::string rpm = fmt::format("esc_status.esc[{}].esc_rpm", i); tables->saysAnything(rpm))
            promise(fmt::format("rpm.{}", i + 1), rpm, 1);
    // Newer ones count the throttle from -1, too.
    if (const std::string throttle = "manual_control_setpoint.throttle"; tables->has(throttle))
        log.promise("stick.throttle", "", tables->count(throttle), [tables, throttle](Channel& out) {
            tables->decode(throttle, out);
            for (double& v : out.value) v = (v + 1) / 2;
        });
    promiseMotors(tables, log);
    promiseWind(tables, log);
    promiseThrottle(tables, log);
    promiseStrengths(tables, log);
    promiseAngles(tables, log, "attitude", "vehicle_attitude.q");
    promiseAngles(tables, log, "desired", "vehicle_attitude_setpoint.q_d");
    const std::string north = "vehicle_local_position.vx", east = "vehicle_local_position.vy";
    if (tables->has(north) && tables->has(east))
        log.promise("velocity.ground_mps", "m/s", tables->count(north), [tables, north, east](Channel& out) {
            Channel x, y;
            tables->decode(north, x);
            tables->decode(east, y);
            for (std::size_t i = 0; i < std::min(x.t_s.size(), y.t_s.size()); ++i)
                out.add(x.t_s[i], std::hypot(x.value[i], y.value[i]));
        });
    const auto changes = [&](const char* channel, auto&& act) {
        Channel c;
        tables->decode(channel, c);
        for (std::size_t i = 0; i < c.t_s.size(); ++i)
            if (i == 0 || c.value[i] != c.value[i - 1]) act(c.t_s[i], c.value[i], i == 0 ? 0 : c.value[i - 1]);
    };
    changes("vehicle_status.nav_state", [&](double t, double v, double) {
        log.modes.push_back({t, navState(toInt(v, -1))});
    });
    if (log.vehicle.empty())
        changes("vehicle_status.system_type",
                [&](double, double v, double) { log.vehicle = mavlink::typeText(toInt(v, 0)); });
    constexpr double kArmed = 2, kWinged = 2;
    changes("vehicle_status.vehicle_type", [&](double, double v, double) {
        if (v == kWinged) log.type = 1;  // MAV_TYPE
    });
    if (tables->has("mission_result.seq_current")) log.autopilot = 12;  // whose own topic it is
    changes("vehicle_status.arming_state", [&](double t, double v, double before) {
        if ((v == kArmed) != (before == kArmed)) log.events.push_back({t, v == kArmed ? "armed" : "disarmed", ""});
    });
    findPhotos(*tables, log);
    std::stable_sort(log.events.begin(), log.events.end(),
                     [](const LogEvent& a, const LogEvent& b) { return a.t_s < b.t_s; });
}

}  // namespace anhinga
