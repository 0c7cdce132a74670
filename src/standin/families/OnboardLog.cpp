#include "standin/families/OnboardLog.h"

#include <algorithm>
#include <cmath>
#include <cstring>
#include <map>

namespace anhinga::families {

using mavlink::Message;

namespace {

constexpr std::size_t kBlock = 90;
constexpr double kBytes_per_s = 400000;

template <class T>
void put(std::string& out, T value) {
    out.append(reinterpret_cast<const char*>(&value), sizeof value);
}
std::string padded(const char* text, std::size_t length) {
    std::string out(text);
    out.resize(length, '\0');
    return out;
}

/// Self-describing records: two sync bytes, the id, the fields as their format says.
enum Record {
    kFormat = 128,
    kPosition = 129,
    kMode = 130,
    kAttitude = 131,
    kGps = 132,
    kBattery = 133,
    kParameter = 134
};
/// ULog subscriptions.
enum Topic { kGlobal = 0, kStatus = 1, kPower = 2, kTurn = 3, kFix = 4, kHome = 5 };

/// GPS week and milliseconds of it, from UTC: 1980-01-06, 18 leap seconds ahead.
struct GpsTime {
    std::uint16_t week = 0;
    std::uint32_t ms = 0;
};
GpsTime gpsTime(double unix_s) {
    constexpr double kEpoch = 315964800, kLeap = 18, kWeek = 604800;
    const double s = std::max(0.0, unix_s - kEpoch + kLeap);
    const double week = std::floor(s / kWeek);
    return {static_cast<std::uint16_t>(week), static_cast<std::uint32_t>((s - week * kWeek) * 1000)};
}

/// What a main and sub-mode is called in its status: navigation states of ULog's flight stack.
int navigationState(std::uint32_t custom_mode) {
    const int main = static_cast<int>(custom_mode >> 16 & 0xFF), sub = static_cast<int>(custom_mode >> 24);
    static const std::map<int, int> kMain = {{1, 0}, {2, 1}, {3, 2}};
    static const std::map<int, int> kSub = {{2, 17}, {3, 4}, {4, 3}, {5, 5}, {6, 18}};
    if (main == 4) return kSub.contains(sub) ? kSub.at(sub) : 4;
    return kMain.contains(main) ? kMain.at(main) : 0;
}

}  // namespace

// ---- self-describing

void OnboardLog::head(int id) {
    writing_ += "\xA3\x95";
    writing_ += static_cast<char>(id);
}

void OnboardLog::format(int id, const char* name, const char* types, const char* labels) {
    static const std::map<char, int> kWidths = {{'B', 1}, {'c', 2}, {'C', 2}, {'H', 2},  {'I', 4}, {'L', 4},
                                                {'f', 4}, {'Q', 8}, {'M', 1}, {'Z', 64}, {'n', 4}, {'N', 16}};
    int length = 3;
    for (const char* t = types; *t != 0; ++t) length += kWidths.at(*t);
    head(kFormat);
    writing_ += static_cast<char>(id);
    writing_ += static_cast<char>(length);
    writing_ += padded(name, 4) + padded(types, 16) + padded(labels, 64);
}

// ---- ULog

void OnboardLog::define(const char* text) {
    put(writing_, static_cast<std::uint16_t>(std::strlen(text)));
    writing_ += std::string("F") + text;
}
void OnboardLog::subscribe(int id, const char* name) {
    put(writing_, static_cast<std::uint16_t>(3 + std::strlen(name)));
    writing_ += 'A';
    writing_ += '\0';
    put(writing_, static_cast<std::uint16_t>(id));
    writing_ += name;
}
void OnboardLog::data(int id, const std::string& fields) {
    put(writing_, static_cast<std::uint16_t>(2 + fields.size()));
    writing_ += 'D';
    put(writing_, static_cast<std::uint16_t>(id));
    writing_ += fields;
}

// ---- writing

void OnboardLog::begin(double unix_s, const Moment& first, const std::map<std::string, double>& parameters) {
    writing_.clear();
    began_unix_s_ = unix_s;
    began_s_ = first.t_s;
    mode_ = -1;
    const auto us = static_cast<std::uint64_t>(first.t_s * 1e6);
    if (layout_ == Layout::selfDescribing) {
        format(kFormat, "FMT", "BBnNZ", "Type,Length,Name,Format,Columns");
        format(kPosition, "POS", "QLLff", "TimeUS,Lat,Lng,Alt,RelHomeAlt");
        format(kMode, "MODE", "QMBB", "TimeUS,Mode,ModeNum,Rsn");
        format(kAttitude, "ATT", "QcccccC", "TimeUS,DesRoll,Roll,DesPitch,Pitch,DesYaw,Yaw");
        format(kGps, "GPS", "QBBIHBcLLff", "TimeUS,I,Status,GMS,GWk,NSats,HDop,Lat,Lng,Alt,Spd");
        format(kBattery, "BAT", "QBfff", "TimeUS,Inst,Volt,Curr,RemPct");
        format(kParameter, "PARM", "QNf", "TimeUS,Name,Value");
        for (const auto& [name, value] : parameters) {
            head(kParameter);
            put(writing_, us);
            writing_ += padded(name.c_str(), 16);
            put(writing_, static_cast<float>(value));
        }
    } else {
        writing_ += std::string("ULog\x01\x12\x35", 7);
        writing_ += '\x01';
        put(writing_, us);
        put(writing_, static_cast<std::uint16_t>(40));
        writing_ += 'B';
        writing_ += std::string(40, '\0');
        define("vehicle_global_position:uint64_t timestamp;double lat;double lon;float alt;uint8_t[4] _padding0;");
        define("vehicle_status:uint64_t timestamp;uint8_t nav_state;uint8_t arming_state;uint8_t[6] _padding0;");
        define(
            "battery_status:uint64_t timestamp;float voltage_v;float current_a;float remaining;uint8_t[4] _padding0;");
        define("vehicle_attitude:uint64_t timestamp;float[4] q;");
        define(
            "vehicle_gps_position:uint64_t timestamp;uint64_t time_utc_usec;int32_t lat;int32_t lon;int32_t alt;"
            "float vel_m_s;uint8_t fix_type;uint8_t satellites_used;uint8_t[2] _padding0;");
        define("home_position:uint64_t timestamp;double lat;double lon;float alt;uint8_t[4] _padding0;");
        subscribe(kGlobal, "vehicle_global_position");
        subscribe(kStatus, "vehicle_status");
        subscribe(kPower, "battery_status");
        subscribe(kTurn, "vehicle_attitude");
        subscribe(kFix, "vehicle_gps_position");
        subscribe(kHome, "home_position");
        std::string home;
        put(home, us);
        put(home, first.place.lat_deg);
        put(home, first.place.lon_deg);
        put(home, static_cast<float>(first.home_amsl_m));
        data(kHome, home + std::string(4, '\0'));
    }
    sample(first);
}

void OnboardLog::sample(const Moment& m) {
    if (writing_.empty()) return;
    const auto us = static_cast<std::uint64_t>(m.t_s * 1e6);
    const double unix_s = began_unix_s_ + m.t_s - began_s_;
    const auto e7 = [](double deg) { return static_cast<std::int32_t>(std::lround(deg * 1e7)); };
    const double turned = std::fmod(m.yaw_deg, 360), yaw = turned < 0 ? turned + 360 : turned;
    if (layout_ == Layout::selfDescribing) {
        if (mode_ != static_cast<std::int64_t>(m.mode)) {
            head(kMode);
            put(writing_, us);
            for (int i = 0; i < 2; ++i) writing_ += static_cast<char>(m.mode);
            writing_ += '\0';
        }
        head(kPosition);
        put(writing_, us);
        put(writing_, e7(m.place.lat_deg));
        put(writing_, e7(m.place.lon_deg));
        put(writing_, static_cast<float>(m.amsl_m));
        put(writing_, static_cast<float>(m.amsl_m - m.home_amsl_m));
        head(kAttitude);
        put(writing_, us);
        for (int i = 0; i < 4; ++i) put(writing_, std::int16_t{0});
        for (int i = 0; i < 2; ++i) put(writing_, static_cast<std::uint16_t>(yaw * 100));
        head(kGps);
        put(writing_, us);
        writing_ += '\0';
        writing_ += '\3';
        put(writing_, gpsTime(unix_s).ms);
        put(writing_, gpsTime(unix_s).week);
        writing_ += static_cast<char>(17);
        put(writing_, std::int16_t{80});
        put(writing_, e7(m.place.lat_deg));
        put(writing_, e7(m.place.lon_deg));
        put(writing_, static_cast<float>(m.amsl_m));
        put(writing_, static_cast<float>(m.ground_mps));
        head(kBattery);
        put(writing_, us);
        writing_ += '\0';
        put(writing_, static_cast<float>(m.battery_v));
        put(writing_, static_cast<float>(m.battery_a));
        put(writing_, static_cast<float>(m.battery_left * 100));
    } else {
        std::string f;
        put(f, us);
        put(f, m.place.lat_deg);
        put(f, m.place.lon_deg);
        put(f, static_cast<float>(m.amsl_m));
        data(kGlobal, f + std::string(4, '\0'));
        f.clear();
        put(f, us);
        f += static_cast<char>(navigationState(m.mode));
        f += '\2';
        data(kStatus, f + std::string(6, '\0'));
        f.clear();
        put(f, us);
        put(f, static_cast<float>(m.battery_v));
        put(f, static_cast<float>(m.battery_a));
        put(f, static_cast<float>(m.battery_left));
        data(kPower, f + std::string(4, '\0'));
        f.clear();
        put(f, us);
        const double half = yaw * M_PI / 360;
        for (const double q : {std::cos(half), 0.0, 0.0, std::sin(half)}) put(f, static_cast<float>(q));
        data(kTurn, f);
        f.clear();
        put(f, us);
        put(f, static_cast<std::uint64_t>(unix_s * 1e6));
        put(f, e7(m.place.lat_deg));
        put(f, e7(m.place.lon_deg));
        put(f, static_cast<std::int32_t>(m.amsl_m * 1000));
        put(f, static_cast<float>(m.ground_mps));
        f += '\3';
        f += static_cast<char>(17);
        data(kFix, f + std::string(2, '\0'));
    }
    mode_ = m.mode;
}

void OnboardLog::end() {
    if (writing_.empty()) return;
    kept_.push_back({began_unix_s_, std::move(writing_)});
    writing_.clear();
}

// ---- handing out: numbered from 1

bool OnboardLog::receive(const Message& m, const std::function<void(Message)>& say) {
    if (m.is("LOG_REQUEST_LIST")) {
        const auto entry = [&](std::size_t id) {
            say(Message("LOG_ENTRY")
                    .set("id", static_cast<double>(id))
                    .set("num_logs", static_cast<double>(kept_.size()))
                    .set("last_log_num", static_cast<double>(kept_.size()))
                    .set("time_utc", id > 0 ? std::floor(kept_[id - 1].unix_s) : 0.0)
                    .set("size", id > 0 ? static_cast<double>(kept_[id - 1].bytes.size()) : 0.0));
        };
        if (kept_.empty()) entry(0);
        const auto first = static_cast<std::size_t>(std::max<std::int64_t>(1, m.integer("start")));
        const auto last = static_cast<std::size_t>(std::max<std::int64_t>(0, m.integer("end")));
        for (std::size_t id = first; id <= std::min(last, kept_.size()); ++id) entry(id);
    } else if (m.is("LOG_REQUEST_DATA")) {
        const auto id = static_cast<std::size_t>(m.integer("id"));
        if (id < 1 || id > kept_.size()) return true;
        const std::size_t size = kept_[id - 1].bytes.size(), from = static_cast<std::size_t>(m.integer("ofs"));
        if (from >= size) return true;
        stream_ = static_cast<int>(id);
        at_ = from;
        end_ = std::min(size, from + static_cast<std::size_t>(m.integer("count")));
    } else if (m.is("LOG_REQUEST_END")) {
        stream_ = 0;
    } else if (m.is("LOG_ERASE")) {
        stream_ = 0;
        kept_.clear();
    } else {
        return false;
    }
    return true;
}

void OnboardLog::advance(double seconds, const std::function<void(Message)>& say) {
    if (stream_ == 0) return;
    const std::string& bytes = kept_[static_cast<std::size_t>(stream_) - 1].bytes;
    for (double owed = seconds * kBytes_per_s; at_ < end_ && owed > 0; owed -= kBlock) {
        const std::size_t count = std::min(kBlock, end_ - at_);
        Message block("LOG_DATA");
        block.set("id", stream_).set("ofs", static_cast<double>(at_)).set("count", static_cast<double>(count));
        std::memcpy(block.payload + block.info->field("data")->offset, bytes.data() + at_, count);
        say(block);
        at_ += count;
    }
    if (at_ >= end_) stream_ = 0;
}

}  // namespace anhinga::families
