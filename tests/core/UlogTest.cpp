// ULog files built here by the format's own description, not by our writer.
#include <catch2/catch.hpp>

#include <cstring>

#include "core/logio/LogReader.h"
#include "support.h"

using namespace anhinga;
using namespace anhinga::testing;

namespace {

class Builder {
  public:
    Builder() { raw(std::string("ULog\x01\x12\x35\x01", 8)).value<std::uint64_t>(5000000); }
    Builder& raw(const std::string& bytes) {
        out_ += bytes;
        return *this;
    }
    template <class T>
    Builder& value(T v) {
        char b[sizeof v];
        std::memcpy(b, &v, sizeof v);
        out_.append(b, sizeof v);
        return *this;
    }
    Builder& record(char type, const std::string& body) {
        value(static_cast<std::uint16_t>(body.size()));
        out_ += type;
        out_ += body;
        return *this;
    }
    Builder& format(const std::string& text) { return record('F', text); }
    Builder& subscribe(int id, const std::string& name, int instance = 0) {
        std::string body(1, static_cast<char>(instance));
        body += static_cast<char>(id & 0xFF);
        body += static_cast<char>(id >> 8);
        return record('A', body + name);
    }
    Builder& data(int id, std::uint64_t us, const std::string& fields) {
        std::string body;
        body += static_cast<char>(id & 0xFF);
        body += static_cast<char>(id >> 8);
        body += bytes(us);
        return record('D', body + fields);
    }
    template <class T>
    static std::string bytes(T v) {
        std::string b(sizeof v, '\0');
        std::memcpy(b.data(), &v, sizeof v);
        return b;
    }
    const std::string& text() const { return out_; }

  private:
    std::string out_;
};

LogPtr read(const Builder& b) {
    const auto log = readLog(b.text(), "u");
    REQUIRE(log);
    return *log;
}

}  // namespace

TEST_CASE("every field type of a ULog message is read by its width and sign", "[logio][ulog]") {
    Builder b;
    b.format(
        "types:uint64_t timestamp;int8_t a;uint8_t b;int16_t c;uint16_t d;int32_t e;uint32_t f;int64_t g;uint64_t "
        "h;float i;double j;bool k;char l;");
    b.subscribe(3, "types");
    const std::string fields = Builder::bytes<std::int8_t>(-5) + Builder::bytes<std::uint8_t>(250) +
                               Builder::bytes<std::int16_t>(-300) + Builder::bytes<std::uint16_t>(60000) +
                               Builder::bytes<std::int32_t>(-70000) + Builder::bytes<std::uint32_t>(4000000000u) +
                               Builder::bytes<std::int64_t>(-5000000000) + Builder::bytes<std::uint64_t>(7000000000u) +
                               Builder::bytes(1.5f) + Builder::bytes(-2.25) + "\x01" + "x";
    b.data(3, 6000000, fields).data(3, 7500000, fields);
    const LogPtr log = read(b);
    const std::pair<const char*, double> expected[] = {{"a", -5},     {"b", 250},   {"c", -300}, {"d", 60000},
                                                       {"e", -70000}, {"f", 4e9},   {"g", -5e9}, {"h", 7e9},
                                                       {"i", 1.5},    {"j", -2.25}, {"k", 1}};
    for (const auto& [name, v] : expected) {
        INFO(name);
        const Channel* c = log->find(std::string("types.") + name);
        REQUIRE(c != nullptr);
        CHECK(c->value == std::vector<double>{v, v});
        CHECK(c->t_s[1] - c->t_s[0] == Approx(1.5));
    }
    CHECK(log->find("types.l") == nullptr);
    CHECK(log->message_counts.at("types") == 2);
}

TEST_CASE("arrays, nested formats and instances have names of their own", "[logio][ulog]") {
    Builder b;
    b.format("point:float x;float y;");
    b.format("path:uint64_t timestamp;float[3] w;point[2] p;uint8_t[4] _padding0;");
    b.subscribe(1, "path").subscribe(2, "path", 1);
    std::string fields;
    for (int i = 0; i < 7; ++i) fields += Builder::bytes(static_cast<float>(i));
    fields += std::string(4, '\0');
    b.data(1, 1000000, fields).data(2, 1000000, fields);
    const LogPtr log = read(b);
    CHECK(log->find("path.w[2]")->value[0] == 2);
    CHECK(log->find("path.p[0].x")->value[0] == 3);
    CHECK(log->find("path.p[1].y")->value[0] == 6);
    CHECK(log->find("path#1.w[0]")->value[0] == 0);
    CHECK(log->find("path._padding0[0]") == nullptr);
}

TEST_CASE("parameters, logged strings and the UTC reference are kept", "[logio][ulog]") {
    Builder b;
    const auto keyed = [](const std::string& key, const std::string& value) {
        return std::string(1, static_cast<char>(key.size())) + key + value;
    };
    b.record('I', keyed("uint64_t time_ref_utc_us", Builder::bytes<std::uint64_t>(1800000000000000ULL)));
    b.record('P', keyed("float GAIN", Builder::bytes(0.25f)));
    b.record('P', keyed("int32_t COUNT", Builder::bytes<std::int32_t>(-7)));
    b.format("v:uint64_t timestamp;float x;");
    b.subscribe(1, "v").data(1, 2000000, Builder::bytes(1.0f));
    b.record('L', "6" + Builder::bytes<std::uint64_t>(3000000) + "take-off detected");
    b.record('O', Builder::bytes<std::uint16_t>(20));
    b.record('S', "sync");
    const LogPtr log = read(b);
    CHECK(log->params.at("GAIN") == 0.25);
    CHECK(log->params.at("COUNT") == -7);
    CHECK(log->start_unix_s == Approx(1.8e9));
    REQUIRE(log->events.size() == 2);
    CHECK(log->events[0].text == "the log has 1 gap, of 0.0 s in all, the first one here");
    CHECK(log->events[1].kind == "message");
    CHECK(log->events[1].text == "take-off detected");
    CHECK(log->events[1].t_s == Approx(1));
    CHECK(log->damaged_records == 0);
}

TEST_CASE("a flight of family 12: its start, its home, modes, field, thrust, changes and gaps",
          "[logio][ulog][layout]") {
    const auto keyed = [](const std::string& key, const std::string& value) {
        return std::string(1, static_cast<char>(key.size())) + key + value;
    };
    constexpr double kStartUtc = 1790000000;  // of the first record
    for (const bool older : {false, true}) {
        INFO((older ? "whole numbers" : "doubles"));
        Builder b;
        b.record('I', keyed("char[3] sys_name", "ABC"));
        b.record('P', keyed("float MPC_XY_CRUISE", Builder::bytes(5.0f)));
        b.format(
            "vehicle_status:uint64_t timestamp;uint8_t nav_state;uint8_t arming_state;uint8_t vehicle_type;"
            "uint8_t system_type;");
        b.format("vehicle_global_position:uint64_t timestamp;double lat;double lon;float alt;");
        b.format("home_position:uint64_t timestamp;double lat;double lon;float alt;");
        b.format("vehicle_local_position:uint64_t timestamp;float z;");
        b.format(older ? "vehicle_gps_position:uint64_t timestamp;uint64_t time_utc_usec;int32_t lat;int32_t lon;"
                         "int32_t alt;uint8_t fix_type;"
                       : "vehicle_gps_position:uint64_t timestamp;uint64_t time_utc_usec;double latitude_deg;double "
                         "longitude_deg;double altitude_msl_m;uint8_t fix_type;");
        b.format("vehicle_magnetometer:uint64_t timestamp;float[3] magnetometer_ga;");
        b.format("vehicle_thrust_setpoint:uint64_t timestamp;float[3] xyz;");
        const char* topics[] = {"vehicle_status",        "vehicle_global_position", "home_position",
                                "vehicle_gps_position",  "vehicle_magnetometer",    "vehicle_thrust_setpoint",
                                "vehicle_local_position"};
        for (int i = 0; i < 7; ++i) b.subscribe(i, topics[i]);
        const std::uint64_t boot = 7000000;
        const auto status = [&](std::uint64_t us, int nav, int arming) {
            b.data(0, us,
                   std::string(1, static_cast<char>(nav)) + static_cast<char>(arming) + static_cast<char>(1) +
                       static_cast<char>(2));
        };
        status(boot, 4, 1);
        for (int s = 0; s <= 60; ++s) {
            const std::uint64_t us = boot + static_cast<std::uint64_t>(s) * 1000000;
            const bool fix = s >= 10;
            if (s == 15) status(us, 17, 2);
            if (s == 20) status(us, 3, 2);
            if (s == 40) status(us, 21, 2);
            if (s == 55) status(us, 5, 1);
            const float height = static_cast<float>(s < 20 ? 0 : s - 20);
            if (fix)
                b.data(1, us, Builder::bytes(47.3 + s * 1e-5) + Builder::bytes(-20.1) + Builder::bytes(31.0f + height));
            // Home is set anew before it takes off.
            if (s == 10) b.data(2, us, Builder::bytes(47.3) + Builder::bytes(-20.1) + Builder::bytes(28.0f));
            if (s == 14) b.data(2, us, Builder::bytes(47.3) + Builder::bytes(-20.1) + Builder::bytes(31.0f));
            b.data(6, us, Builder::bytes(-height - 3.5f));  // its own zero is not home
            const auto utc = static_cast<std::uint64_t>(fix ? (kStartUtc + s) * 1e6 : 0);
            b.data(3, us,
                   Builder::bytes(utc) +
                       (older ? Builder::bytes<std::int32_t>(fix ? 473000000 : 0) +
                                    Builder::bytes<std::int32_t>(fix ? -201000000 : 0) +
                                    Builder::bytes<std::int32_t>(fix ? 31000 : 0)
                              : Builder::bytes(fix ? 47.3 : 0.0) + Builder::bytes(fix ? -20.1 : 0.0) +
                                    Builder::bytes(fix ? 31.0 : 0.0)) +
                       static_cast<char>(fix ? 3 : 1));
            b.data(4, us, Builder::bytes(0.21f) + Builder::bytes(-0.04f) + Builder::bytes(0.42f));
            b.data(5, us, Builder::bytes(0.0f) + Builder::bytes(0.0f) + Builder::bytes(-0.46f));
            if (s == 30) b.record('P', keyed("float MPC_XY_CRUISE", Builder::bytes(7.0f)));
            if (s == 31 || s == 32) b.record('O', Builder::bytes<std::uint16_t>(250));
        }
        const LogPtr log = read(b);
        CHECK(log->damaged_records == 0);
        CHECK(log->vehicle == "multirotor");
        CHECK(std::abs(log->start_unix_s - kStartUtc) < 0.1);
        const auto at = [&](const char* name, double t) {
            INFO(name);
            const Channel* c = log->find(name);
            REQUIRE(c != nullptr);
            return c->at(t).value_or(NAN);
        };
        CHECK(at("position.height_home_m", 12) == Approx(3));
        CHECK(at("position.height_home_m", 16) == Approx(0).margin(1e-4));
        CHECK(at("position.height_home_m", 50) == Approx(30));
        CHECK(at("position.height_amsl_m", 50) == Approx(61));
        CHECK(at("gps.lat_deg", 50) == Approx(47.3));
        CHECK(log->find("gps.lat_deg")->t_s.front() == Approx(10));
        CHECK(at("mag.field_ut", 50) == Approx(100 * std::hypot(0.21, 0.04, 0.42)).epsilon(1e-5));
        CHECK(at("throttle.percent", 50) == Approx(46));
        std::vector<std::string> words;
        for (const ModeChange& m : log->modes) words.push_back(m.name);
        CHECK(words == std::vector<std::string>{"hold", "take off", "mission", "circle", "return"});
        REQUIRE(log->sessions.size() == 1);
        CHECK(log->sessions[0].armed_s == Approx(40).margin(0.1));
        const auto tells = [&](const char* text) {
            return std::any_of(log->events.begin(), log->events.end(),
                               [&](const LogEvent& e) { return e.text == text; });
        };
        CHECK(tells("MPC_XY_CRUISE changed: 7, was 5"));
        CHECK(tells("the log has 2 gaps, of 0.5 s in all, the first one here"));
    }
}

TEST_CASE("family 12: second sensors, sticks, rotors, wind, home, photos where they were taken",
          "[logio][ulog][layout]") {
    for (const bool older : {false, true}) {
        INFO((older ? "older names" : "newer names"));
        Builder b;
        b.format(older ? "manual_control_setpoint:uint64_t timestamp;float x;float y;float z;float r;"
                       : "manual_control_setpoint:uint64_t timestamp;float roll;float pitch;float yaw;float throttle;");
        b.format(
            "battery_status:uint64_t timestamp;float voltage_v;float current_a;float discharged_mah;float remaining;");
        b.format("sensor_gps:uint64_t timestamp;double latitude_deg;double longitude_deg;uint8_t fix_type;float eph;");
        b.format("sensor_mag:uint64_t timestamp;float x;float y;float z;");
        b.format("esc_report:uint64_t timestamp;int32_t esc_rpm;float esc_voltage;");
        b.format("esc_status:uint64_t timestamp;uint8_t count;esc_report[4] esc;");
        b.format("wind:uint64_t timestamp;float windspeed_north;float windspeed_east;");
        b.format("home_position:uint64_t timestamp;double lat;double lon;float alt;");
        b.format(
            older ? "camera_trigger:uint64_t timestamp;uint64_t timestamp_utc;uint32_t seq;"
                  : "camera_capture:uint64_t timestamp;uint64_t timestamp_utc;uint32_t seq;double lat;double lon;float "
                    "alt;int8_t result;");
        b.format("vehicle_global_position:uint64_t timestamp;double lat;double lon;float alt;");
        b.format(older ? "actuator_outputs:uint64_t timestamp;uint32_t noutputs;float[6] output;"
                       : "actuator_motors:uint64_t timestamp;float[12] control;");
        b.subscribe(0, "manual_control_setpoint");
        b.subscribe(1, "battery_status");
        b.subscribe(2, "battery_status", 1);
        b.subscribe(3, "sensor_gps", 1);
        b.subscribe(4, "sensor_mag", 1);
        b.subscribe(5, "esc_status");
        b.subscribe(6, "wind");
        b.subscribe(7, "home_position");
        b.subscribe(8, older ? "camera_trigger" : "camera_capture");
        b.subscribe(9, "vehicle_global_position");
        b.subscribe(10, older ? "actuator_outputs" : "actuator_motors");
        const auto f = [](float v) { return Builder::bytes(v); };
        for (int s = 0; s <= 30; ++s) {
            const std::uint64_t us = 7000000 + static_cast<std::uint64_t>(s) * 1000000;
            b.data(0, us, older ? f(-0.5f) + f(0.25f) + f(0.75f) + f(0.1f) : f(0.25f) + f(-0.5f) + f(0.1f) + f(0.5f));
            b.data(1, us, f(16.0f) + f(9.0f) + f(100.0f) + f(0.9f));
            b.data(2, us, f(12.25f) + f(2.5f) + f(40.0f) + f(0.71f));
            b.data(3, us, Builder::bytes(47.30001) + Builder::bytes(-20.1) + static_cast<char>(4) + f(0.65f));
            b.data(4, us, f(0.3f) + f(0.0f) + f(0.4f));
            std::string esc(1, 4);
            for (int i = 0; i < 4; ++i)
                esc += Builder::bytes(us) + Builder::bytes<std::int32_t>(i == 3 ? 0 : 5400 - 100 * i) + f(16.0f);
            b.data(5, us, esc);
            b.data(6, us, f(0.0f) + f(6.0f));
            if (s == 2) b.data(7, us, Builder::bytes(47.3) + Builder::bytes(-20.1) + f(31.0f));
            b.data(9, us, Builder::bytes(47.3 + s * 1e-5) + Builder::bytes(-20.1) + f(31.0f + static_cast<float>(s)));
            if (s == 10 || s == 12 || s == 14) {
                std::string photo =
                    Builder::bytes<std::uint64_t>(0) + Builder::bytes<std::uint32_t>(static_cast<std::uint32_t>(s));
                if (!older)
                    photo +=
                        Builder::bytes(47.4) + Builder::bytes(-20.2) + f(77.5f) + static_cast<char>(s == 12 ? 0 : 1);
                b.data(8, us, photo);
            }
            std::string outputs = older ? Builder::bytes<std::uint32_t>(6) : std::string();
            for (int i = 0; i < (older ? 6 : 12); ++i)
                outputs += older ? f(i < 4    ? 1500.0f + 10 * static_cast<float>(s % 5)
                                     : i == 4 ? 1500.0f
                                              : 0.0f)
                                 : f(i < 4 ? 0.5f + 0.01f * static_cast<float>(s % 5) : NAN);
            b.data(10, us, outputs);
        }
        const LogPtr log = read(b);
        CHECK(log->damaged_records == 0);
        const auto at = [&](const char* name) {
            INFO(name);
            const Channel* c = log->find(name);
            REQUIRE(c != nullptr);
            return c->at(20.0).value_or(NAN);
        };
        CHECK(at("stick.roll") == Approx(0.25));
        CHECK(at("stick.pitch") == Approx(-0.5));
        CHECK(at("stick.yaw") == Approx(0.1));
        CHECK(at("stick.throttle") == Approx(0.75));
        CHECK(at("battery.voltage_v") == Approx(16));
        CHECK(at("battery.2.voltage_v") == Approx(12.25));
        CHECK(at("battery.2.left_percent") == Approx(71));
        CHECK(at("gps.2.fix") == 4);
        CHECK(at("gps.2.lat_deg") == Approx(47.30001));
        CHECK(at("gps.2.hacc_m") == Approx(0.65));
        CHECK(at("mag.2.field_ut") == Approx(50));
        CHECK(at("rpm.1") == 5400);
        CHECK(at("rpm.3") == 5200);
        CHECK_FALSE(log->has("rpm.4"));
        CHECK(at("wind.from_deg") == Approx(270));
        CHECK(at("motor.1") == Approx(50));
        CHECK(log->has("motor.4"));
        CHECK_FALSE(log->has("motor.5"));
        CHECK_FALSE(log->has("motor.6"));
        REQUIRE(log->homes.size() == 1);
        CHECK(*log->homes[0].place.amsl_m == Approx(31));
        CHECK(log->homes[0].t_s == Approx(2));
        std::vector<double> photos;
        for (const LogEvent& e : log->events)
            if (e.kind == "photo") {
                photos.push_back(e.t_s);
                const auto place = log->placeOf(e);
                REQUIRE(place);
                CHECK(place->lat_deg == Approx(older ? 47.3 + e.t_s * 1e-5 : 47.4));
                CHECK(*place->amsl_m == Approx(older ? 31 + e.t_s : 77.5));
            }
        // One of them failed.
        CHECK(photos == (older ? std::vector<double>{10, 12, 14} : std::vector<double>{10, 14}));
    }
}

TEST_CASE("a word of ours in another program's log is only a message", "[logio][ulog]") {
    Builder b;
    b.format("v:uint64_t timestamp;float x;").subscribe(1, "v").data(1, 1000000, Builder::bytes(1.0f));
    b.record('L', "6" + Builder::bytes<std::uint64_t>(2000000) + "mode mission");
    const LogPtr log = read(b);
    CHECK(log->modes.empty());
    CHECK(log->events.at(0).kind == "message");
}

TEST_CASE("records that make no sense are counted and passed over", "[logio][ulog][hostile]") {
    Builder b;
    b.format("v:uint64_t timestamp;float x;").subscribe(1, "v");
    b.subscribe(2, "nowhere");   // no such format
    b.data(9, 1000000, "abcd");  // never subscribed
    b.format("loop:uint64_t timestamp;loop again;").subscribe(3, "loop");
    b.format("wide:uint64_t timestamp;float[60000] x;").subscribe(4, "wide");
    b.record('D', "short");
    b.record('P',
             "\x05"
             "abc");
    b.record('?', "???");
    b.data(1, 1000000, Builder::bytes(4.0f));
    b.data(1, 500000, Builder::bytes(5.0f));  // time running backwards: not taken
    const LogPtr log = read(b);
    CHECK(log->damaged_records >= 6);
    CHECK(log->find("v.x")->value == std::vector<double>{4});
    CHECK(readLog(b.text().substr(0, 16), "u").error().message.find("without any data") != std::string::npos);
}

TEST_CASE("every prefix of a ULog is a clean error or a shorter log", "[logio][ulog][property]") {
    Builder b;
    b.format("v:uint64_t timestamp;float x;").subscribe(1, "v");
    for (int i = 0; i < 20; ++i)
        b.data(1, 1000000u + 1000u * static_cast<unsigned>(i), Builder::bytes(static_cast<float>(i)));
    std::size_t last = 0;
    for (std::size_t n = 0; n <= b.text().size(); ++n) {
        const auto log = readLog(b.text().substr(0, n), "u");
        if (!log) continue;
        const Channel* c = (*log)->find("v.x");
        const std::size_t count = c == nullptr ? 0 : c->value.size();
        CHECK(count >= last);
        last = count;
    }
    CHECK(last == 20);
}
