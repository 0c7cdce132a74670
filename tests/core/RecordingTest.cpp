// Recordings built packet by packet: what is taken from which message, and whose.
#include <catch2/catch.hpp>

#include <cstring>

#include "core/logio/LogReader.h"
#include "core/mavlink/Frame.h"
#include "support.h"

using namespace anhinga;
using namespace anhinga::testing;
using mavlink::Message;

namespace {

class Tape {
  public:
    Tape& add(Message m, double unix_s, int system = 1, int component = 1) {
        m.system = static_cast<std::uint8_t>(system);
        m.component = static_cast<std::uint8_t>(component);
        const auto us = static_cast<std::uint64_t>(unix_s * 1e6);
        for (int i = 7; i >= 0; --i) out_ += static_cast<char>(us >> (8 * i));
        out_ += mavlink::encode(m);
        return *this;
    }
    LogPtr read() const {
        const auto log = readLog(out_, "tape");
        REQUIRE(log);
        return *log;
    }

  private:
    std::string out_;
};

Message beat(bool armed = false, int mode = 0) {
    return Message("HEARTBEAT")
        .set("type", 2)
        .set("autopilot", 3)
        .set("base_mode", armed ? 129 : 1)
        .set("custom_mode", mode);
}
constexpr double kStart = 1.8e9;

}  // namespace

TEST_CASE("only the vehicle's packets become channels, the ground's missions are noted", "[logio][recording]") {
    Tape t;
    t.add(Message("HEARTBEAT").set("type", 6).set("autopilot", 8), kStart, 255).add(beat(), kStart + 0.1);
    t.add(Message("VFR_HUD").set("airspeed", 7), kStart + 1, 1)
        .add(Message("VFR_HUD").set("airspeed", 99), kStart + 1, 2);
    t.add(Message("MISSION_COUNT").set("count", 41), kStart + 2, 255)
        .add(Message("MISSION_COUNT").set("count", 3).set("mission_type", 1), kStart + 2, 255);
    t.add(Message("MISSION_COUNT").set("count", 12), kStart + 3, 255)
        .add(Message("MISSION_COUNT").set("count", 41), kStart + 3, 1);
    const LogPtr log = t.read();
    CHECK(log->find("velocity.air_mps")->value == std::vector<double>{7});
    CHECK(log->missions == std::vector<int>{41, 12});
    CHECK(log->message_counts.at("VFR_HUD") == 2);
}

TEST_CASE("without a vehicle clock the time of receipt is used", "[logio][recording]") {
    Tape t;
    t.add(beat(), kStart);
    for (int i = 0; i < 5; ++i) t.add(Message("VFR_HUD").set("airspeed", i), kStart + 10 + i * 0.5);
    const LogPtr log = t.read();
    const Channel* c = log->find("velocity.air_mps");
    REQUIRE(c != nullptr);
    CHECK(c->t_s.back() - c->t_s.front() == Approx(2.0).margin(1e-3));
    CHECK(log->start_unix_s == Approx(kStart));
}

TEST_CASE("arming, modes, messages, photos and reached items become events in order", "[logio][recording]") {
    Tape t;
    const auto clock = [&](double s) { t.add(Message("SYSTEM_TIME").set("time_boot_ms", s * 1000), kStart + s); };
    clock(1);
    t.add(beat(), kStart + 1);
    clock(2);
    t.add(beat(true, 5), kStart + 2).add(beat(true, 5), kStart + 2.5);
    clock(3);
    t.add(beat(true, 3), kStart + 3).add(Message("STATUSTEXT").setText("text", "mission started"), kStart + 3);
    clock(4);
    t.add(Message("CAMERA_FEEDBACK").set("img_idx", 1), kStart + 4)
        .add(Message("MISSION_ITEM_REACHED").set("seq", 7), kStart + 4);
    clock(5);
    // The standard's own word for it; a photo that failed is none.
    t.add(Message("CAMERA_IMAGE_CAPTURED").set("image_index", 2).set("capture_result", 1), kStart + 5)
        .add(Message("CAMERA_IMAGE_CAPTURED").set("image_index", 3).set("capture_result", 0), kStart + 5);
    clock(9);
    t.add(beat(false, 9), kStart + 9);
    const LogPtr log = t.read();
    std::vector<std::string> kinds;
    for (const LogEvent& e : log->events) kinds.push_back(e.kind);
    CHECK(kinds == std::vector<std::string>{"armed", "message", "photo", "item", "photo", "disarmed"});
    CHECK(log->events[1].text == "mission started");
    CHECK(log->events[3].text == "7");
    CHECK(log->events[4].text == "2");
    CHECK(log->events[5].t_s - log->events[0].t_s == Approx(7));
    std::vector<std::string> modes;
    for (const ModeChange& m : log->modes) modes.push_back(m.name);
    CHECK(modes == std::vector<std::string>{"manual", "hold", "mission", "land"});
}

TEST_CASE("a value the standard calls unknown is no value", "[logio][recording]") {
    Tape t;
    t.add(beat(), kStart);
    t.add(Message("SYS_STATUS").set("voltage_battery", 65535).set("current_battery", -1).set("battery_remaining", -1),
          kStart + 1);
    t.add(Message("GPS_RAW_INT").set("satellites_visible", 255).set("eph", 65535).set("fix_type", 0), kStart + 1);
    t.add(Message("RC_CHANNELS").set("rssi", 255), kStart + 1);
    t.add(Message("BATTERY_STATUS")
              .set("current_consumed", -1)
              .set("energy_consumed", -1)
              .set("current_battery", -1)
              .set("battery_remaining", -1)
              .set("voltages", 65535, 0),
          kStart + 1);
    const LogPtr log = t.read();
    for (const char* name : {"battery.voltage_v", "battery.current_a", "battery.left_percent", "gps.satellites",
                             "gps.hdop", "link.rssi", "battery.used_mah", "battery.used_wh"}) {
        INFO(name);
        CHECK(log->find(name) == nullptr);
    }
    CHECK(log->find("gps.fix")->value == std::vector<double>{0});
}

TEST_CASE("canonical channels have their units whatever the message counts in", "[logio][recording]") {
    Tape t;
    t.add(beat(), kStart);
    t.add(Message("SYS_STATUS").set("voltage_battery", 15750).set("current_battery", 1234).set("battery_remaining", 77),
          kStart + 1);
    t.add(Message("GPS_RAW_INT").set("satellites_visible", 14).set("eph", 85).set("fix_type", 3), kStart + 1);
    t.add(Message("BATTERY_STATUS").set("current_consumed", 420).set("energy_consumed", 360), kStart + 1);
    t.add(Message("VIBRATION").set("vibration_z", 12.5).set("clipping_0", 3), kStart + 1);
    t.add(Message("SCALED_IMU").set("zacc", -1000).set("xgyro", 1000), kStart + 1);
    t.add(Message("PARAM_VALUE").setText("param_id", "SPEED_MAX").set("param_value", 12.5), kStart + 1);
    const LogPtr log = t.read();
    const std::pair<const char*, double> expected[] = {
        {"battery.voltage_v", 15.75},   {"battery.current_a", 12.34}, {"battery.left_percent", 77},
        {"gps.satellites", 14},         {"gps.hdop", 0.85},           {"battery.used_mah", 420},
        {"battery.used_wh", 10},        {"vibration.z_mps2", 12.5},   {"vibration.clipped", 3},
        {"imu.accel_z_mps2", -9.80665}, {"imu.gyro_x_dps", 57.29578}};
    for (const auto& [name, v] : expected) {
        INFO(name);
        REQUIRE(log->find(name) != nullptr);
        CHECK(log->find(name)->value[0] == Approx(v));
    }
    CHECK(log->params.at("SPEED_MAX") == 12.5);
}

TEST_CASE("arrays of a message become one channel an element", "[logio][recording]") {
    Tape t;
    t.add(beat(), kStart);
    Message m("BATTERY_STATUS");
    for (int i = 0; i < 10; ++i) m.set("voltages", 4000 + i, i);
    t.add(m, kStart + 1);
    const LogPtr log = t.read();
    CHECK(log->find("BATTERY_STATUS.voltages[3]")->value[0] == 4003);
    CHECK(log->find("BATTERY_STATUS.voltages[3]")->unit == "mV");
    CHECK(log->find("STATUSTEXT.text[0]") == nullptr);
}

TEST_CASE("fields of a recording are decoded when asked for, canonical ones at once", "[logio][recording][lazy]") {
    const auto log = openLog(demo("patrol-flight.tlog"));
    REQUIRE(log);
    const auto list = (*log)->list();
    const auto counted = [&](const std::string& name) {
        for (const ChannelInfo& c : list)
            if (c.name == name) return c.count;
        return std::size_t{0};
    };
    CHECK(counted("GLOBAL_POSITION_INT.lat") == (*log)->message_counts.at("GLOBAL_POSITION_INT"));
    const Channel* raw = (*log)->find("GLOBAL_POSITION_INT.lat");
    const Channel* canonical = (*log)->find("position.lat_deg");
    REQUIRE(raw != nullptr);
    REQUIRE(canonical != nullptr);
    CHECK(raw->value.size() == counted("GLOBAL_POSITION_INT.lat"));
    CHECK(std::is_sorted(raw->t_s.begin(), raw->t_s.end()));
    for (std::size_t i = 0; i < canonical->t_s.size(); i += 500)
        CHECK(*raw->at(canonical->t_s[i]) * 1e-7 == Approx(canonical->value[i]).epsilon(1e-12));
    CHECK((*log)->duration_s() > 1000);
    for (const Channel* c : (*log)->channels()) REQUIRE(c->t_s.size() == c->value.size());
}

TEST_CASE("a recording does not become one of forged packets because somebody says so", "[logio][recording][hostile]") {
    Message says("STATUSTEXT");
    says.set("severity", 5).setText("text", "mark: what follows was not believed");
    Tape late;
    late.add(beat(), kStart).add(says, kStart + 1, 255).add(beat(), kStart + 2);
    CHECK(late.read()->believed);
    Tape first;
    first.add(says, kStart, 255).add(beat(), kStart + 1).add(beat(), kStart + 2);
    CHECK_FALSE(first.read()->believed);
}

TEST_CASE("a bare stream is no recording, even where its bytes look like stamps", "[logio][recording]") {
    const std::string recording = slurp(demo("patrol-flight.tlog"));
    std::string capture;
    const std::span bytes(reinterpret_cast<const std::uint8_t*>(recording.data()), std::size_t{400000});
    mavlink::Message m;
    for (std::size_t at = 8; at < bytes.size();) {
        const auto found = mavlink::Parser::look(bytes.subspan(at), m);
        if (found.look != mavlink::Parser::Look::message && found.look != mavlink::Parser::Look::unknown) break;
        capture += recording.substr(at, found.length);
        at += found.length + 8;
    }
    REQUIRE(capture.size() > 200000);
    const auto log = readLog(capture, "capture");
    REQUIRE(log);
    CHECK((*log)->format == "MAVLink capture");
    CHECK((*log)->sessions.size() == 1);
    const auto whole = readLog(recording.substr(0, 400000), "recording");
    REQUIRE(whole);
    CHECK((*whole)->format == "MAVLink recording");
    CHECK((*whole)->message_counts.at("ATTITUDE") == (*log)->message_counts.at("ATTITUDE"));
}

TEST_CASE("a gimbal, a camera, a second battery and another ground station are not the aircraft",
          "[logio][recording]") {
    Tape t;
    constexpr int kGimbal = 154, kCamera = 100, kCompanion = 191;
    const auto other = [](int type) {
        return Message("HEARTBEAT").set("type", type).set("autopilot", 8).set("base_mode", 0).set("custom_mode", 0);
    };
    // Another computer aboard is heard first.
    t.add(other(18), kStart, 1, kCompanion).add(other(26), kStart, 1, kGimbal);
    for (int s = 0; s <= 60; ++s) {
        const double at = kStart + 1 + s;
        const bool armed = s >= 10 && s < 50;
        t.add(beat(armed, s < 20 ? 5 : 3), at).add(other(26), at, 1, kGimbal).add(other(30), at, 1, kCamera);
        t.add(Message("HEARTBEAT").set("type", 6).set("autopilot", 8), at, 254, 190);
        t.add(Message("ATTITUDE").set("time_boot_ms", 20000 + s * 1000).set("roll", 0.1).set("yaw", -0.5), at);
        t.add(Message("ATTITUDE").set("time_boot_ms", 900000 + s * 1000).set("roll", 1.1), at, 1, kGimbal);
        const bool fix = s >= 5;
        t.add(Message("GPS_RAW_INT")
                  .set("fix_type", fix ? 3 : 1)
                  .set("lat", fix ? 473000000 : 0)
                  .set("lon", fix ? -201000000 : 0)
                  .set("alt", fix ? 31000 : 0)
                  .set("vel", 250)
                  .set("satellites_visible", 13),
              at);
        t.add(Message("GLOBAL_POSITION_INT")
                  .set("time_boot_ms", 20000 + s * 1000)
                  .set("lat", fix ? 473000000 + s * 100 : 0)
                  .set("lon", fix ? -201000000 : 0)
                  .set("relative_alt", s * 100),
              at);
        t.add(
            Message("RAW_IMU").set("zacc", -1000).set("xgyro", 100).set("xmag", 210).set("ymag", -40).set("zmag", 420),
            at);
        t.add(Message("BATTERY_STATUS").set("id", 0).set("current_consumed", s * 10), at);
        t.add(Message("BATTERY_STATUS").set("id", 1).set("current_consumed", 4000), at);
        t.add(Message("BATTERY_STATUS").set("id", 0).set("current_consumed", 9000), at, 1, kGimbal);
        t.add(Message("SERVO_OUTPUT_RAW")
                  .set("servo1_raw", 1500 + s % 3)
                  .set("servo2_raw", 1400 + s % 5)
                  .set("servo5_raw", 1500),
              at);
        t.add(Message("NAV_CONTROLLER_OUTPUT").set("nav_roll", 4).set("nav_pitch", -2), at);
        if (s % 20 == 15)
            t.add(Message("CAMERA_IMAGE_CAPTURED").set("image_index", s).set("capture_result", 1), at, 1, kCamera);
        if (s == 30) t.add(Message("PARAM_VALUE").setText("param_id", "SPEED").set("param_value", 8), at);
        if (s == 2) t.add(Message("PARAM_VALUE").setText("param_id", "SPEED").set("param_value", 5), at);
        if (s == 3) t.add(Message("PARAM_VALUE").setText("param_id", "SPEED").set("param_value", 77), at, 1, kCamera);
    }
    const LogPtr log = t.read();
    CHECK(log->vehicle == "vehicle 1, multirotor");
    CHECK(log->duration_s() < 65);
    REQUIRE(log->modes.size() == 2);
    CHECK(log->modes[0].name == "hold");
    CHECK(log->modes[1].name == "mission");
    REQUIRE(log->sessions.size() == 1);
    CHECK(log->sessions[0].armed_s == Approx(40).margin(1.1));
    const auto range = [&](const char* name) {
        INFO(name);
        const Channel* c = log->find(name);
        REQUIRE(c != nullptr);
        REQUIRE_FALSE(c->value.empty());
        return std::pair{*std::min_element(c->value.begin(), c->value.end()),
                         *std::max_element(c->value.begin(), c->value.end())};
    };
    CHECK(range("attitude.roll_deg").second == Approx(0.1 * 180 / M_PI).epsilon(1e-5));
    CHECK(range("attitude.yaw_deg").first == Approx(360 - 0.5 * 180 / M_PI).epsilon(1e-5));
    CHECK(range("desired.roll_deg").first == Approx(4));
    CHECK(range("battery.used_mah") == std::pair{0.0, 600.0});
    CHECK(range("mag.field_ut").first == Approx(0.1 * std::hypot(210, 40, 420)));
    CHECK(range("imu.accel_z_mps2").first == Approx(-9.80665));
    CHECK(range("position.lat_deg").first > 47);
    CHECK(range("gps.lat_deg").first == Approx(47.3));
    CHECK(range("gps.speed_mps").first == Approx(2.5));
    CHECK(range("motor.1") == std::pair{50.0, 50.2});
    CHECK(log->has("motor.2"));
    CHECK_FALSE(log->has("motor.3"));
    CHECK_FALSE(log->has("motor.5"));
    CHECK(log->sessions[0].distance_m < 100);
    CHECK(std::count_if(log->events.begin(), log->events.end(), [](const LogEvent& e) { return e.kind == "photo"; }) ==
          3);
    CHECK(log->params.at("SPEED") == 8);
    CHECK(std::any_of(log->events.begin(), log->events.end(),
                      [](const LogEvent& e) { return e.text == "SPEED changed: 8, was 5"; }));
}

TEST_CASE("a mission read from the aircraft is told from one that was sent to it", "[logio][recording]") {
    Tape t;
    t.add(beat(), kStart);
    const auto item = [](int seq, double lat, int target) {
        return Message("MISSION_ITEM")
            .set("target_system", target)
            .set("seq", seq)
            .set("command", 16)
            .set("frame", 3)
            .set("x", lat)
            .set("y", -20.1)
            .set("z", 30);
    };
    // Read, as by the first version of the protocol; then sent, and read back.
    t.add(Message("MISSION_COUNT").set("target_system", 255).set("count", 2), kStart + 1);
    for (int i = 0; i < 2; ++i) t.add(item(i, 47.3 + i * 0.01, 255), kStart + 1.1 + i * 0.1);
    t.add(Message("MISSION_COUNT").set("target_system", 1).set("count", 3), kStart + 2, 255);
    for (int i = 0; i < 3; ++i) t.add(item(i, 47.4 + i * 0.01, 1), kStart + 2.1 + i * 0.1, 255);
    t.add(Message("MISSION_COUNT").set("target_system", 255).set("count", 3), kStart + 3);
    for (int i = 0; i < 3; ++i) t.add(item(i, i == 0 ? 47.29 : 47.4 + i * 0.01, 255), kStart + 3.1 + i * 0.1);
    const LogPtr log = t.read();
    REQUIRE(log->mission_lists.size() == 2);
    CHECK(log->missions == std::vector<int>{2, 3});
    CHECK(log->mission_lists[0].read);
    CHECK(log->mission_lists[0].items.size() == 2);
    CHECK(log->mission_lists[0].items[1].x == Approx(47.31));
    CHECK_FALSE(log->mission_lists[1].read);
    CHECK(log->mission_lists[1].items.size() == 3);
}

TEST_CASE("whole-number parameters of family 12 are in the four bytes as they are", "[logio][recording]") {
    Tape t;
    t.add(beat().set("autopilot", 12), kStart);
    const std::int32_t whole = 1234567;
    float four = 0;
    std::memcpy(&four, &whole, sizeof four);
    t.add(Message("PARAM_VALUE").setText("param_id", "COUNT").set("param_type", 6).set("param_value", four),
          kStart + 1);
    t.add(Message("PARAM_VALUE").setText("param_id", "GAIN").set("param_type", 9).set("param_value", 0.25), kStart + 1);
    const LogPtr log = t.read();
    CHECK(log->params.at("COUNT") == 1234567);
    CHECK(log->params.at("GAIN") == 0.25);
}

TEST_CASE("two aircraft in one recording are two flights", "[logio][recording][several]") {
    Tape t;
    t.add(Message("HEARTBEAT").set("type", 6).set("autopilot", 8), kStart, 255, 190);
    for (int i = 0; i <= 20; ++i) {
        const double at = kStart + i;
        t.add(beat(i >= 2, 0), at, 1).add(beat(i >= 5, 3), at + 0.1, 2);
        // Their clocks have nothing to do with each other.
        t.add(Message("GLOBAL_POSITION_INT")
                  .set("time_boot_ms", 10000 + i * 1000)
                  .set("lat", 473000000 + i * 100)
                  .set("lon", -201000000)
                  .set("relative_alt", 20000),
              at + 0.2, 1);
        t.add(Message("GLOBAL_POSITION_INT")
                  .set("time_boot_ms", 900000 + i * 1000)
                  .set("lat", 474000000 + i * 200)
                  .set("lon", -202000000)
                  .set("relative_alt", 70000),
              at + 0.3, 2);
    }
    t.add(Message("MISSION_COUNT").set("count", 9).set("target_system", 2), kStart + 21, 255, 190);
    const LogPtr log = t.read();
    CHECK(log->vehicle == "vehicle 1, multirotor");
    REQUIRE(log->others.size() == 1);
    const FlightLog& other = *log->others.front();
    CHECK(other.vehicle == "vehicle 2, multirotor");
    CHECK(log->find("position.lat_deg")->value.front() == Approx(47.3));
    CHECK(other.find("position.lat_deg")->value.front() == Approx(47.4));
    CHECK(other.sessions.front().max_height_home_m == Approx(70));
    CHECK(log->sessions.front().max_height_home_m == Approx(20));
    CHECK(log->sessions.front().distance_m == Approx(20 * 100e-7 * 111195).epsilon(0.01));
    CHECK(log->missions.empty());
    CHECK(other.missions == std::vector<int>{9});
    // Heartbeats do not tell the time: it goes on by our clock between those that do.
    CHECK(log->events.front().t_s == Approx(2).margin(0.05));
    CHECK(other.events.front().t_s == Approx(5).margin(0.05));
    CHECK(flightsInFile(*log) == 2);
    CHECK(flightOfFile(*log, 0)->log == log.get());
    CHECK(flightOfFile(*log, 1)->log == &other);
    CHECK_FALSE(flightOfFile(*log, 2));
    CHECK_FALSE(flightOfFile(*log, -1));
    CHECK(log->speakers.size() == 3);
}

TEST_CASE("gimbals, cameras, other computers and second sensors are listed apart", "[logio][recording][several]") {
    Tape t;
    const auto other = [](int type) { return Message("HEARTBEAT").set("type", type).set("autopilot", 8); };
    t.add(beat(), kStart, 1, 1)
        .add(other(26), kStart, 1, 154)
        .add(other(30), kStart, 1, 100)
        .add(other(18), kStart, 1, 191);
    t.add(other(6), kStart, 255, 190);
    for (int i = 1; i <= 10; ++i) {
        const double at = kStart + i;
        t.add(Message("SYSTEM_TIME").set("time_boot_ms", 5000 + i * 1000), at);
        t.add(Message("BATTERY_STATUS").set("id", 0).set("voltages", 16000, 0).set("current_battery", 900), at);
        Message second = Message("BATTERY_STATUS").set("id", 1).set("current_battery", 250).set("current_consumed", 40);
        for (int c = 0; c < 10; ++c) second.set("voltages", c < 3 ? 4100 : 65535, c);
        t.add(second.set("battery_remaining", 71), at);
        t.add(Message("GPS_RAW_INT").set("fix_type", 3).set("lat", 473000000).set("lon", -201000000).set("h_acc", 700),
              at);
        t.add(Message("GPS2_RAW").set("fix_type", 4).set("lat", 473000100).set("lon", -201000000).set("alt", 51000),
              at);
        t.add(Message("SCALED_IMU").set("time_boot_ms", 5000 + i * 1000).set("zacc", -1000).set("xmag", 200), at);
        t.add(Message("SCALED_IMU2")
                  .set("time_boot_ms", 5000 + i * 1000)
                  .set("zacc", -990)
                  .set("xmag", 300)
                  .set("ymag", 400),
              at);
        t.add(Message("MOUNT_ORIENTATION").set("pitch", -60).set("time_boot_ms", 77), at + 0.3, 1, 154);
    }
    const LogPtr log = t.read();
    std::map<std::pair<int, int>, std::string> who;
    for (const LogSpeaker& s : log->speakers) who[{s.system, s.component}] = s.kind;
    CHECK(who == std::map<std::pair<int, int>, std::string>{{{1, 1}, "autopilot"},
                                                            {{1, 100}, "camera"},
                                                            {{1, 154}, "gimbal"},
                                                            {{1, 191}, "computer aboard"},
                                                            {{255, 190}, "ground station"}});
    CHECK(log->modes.size() == 1);
    const std::pair<const char*, double> expected[] = {{"battery.voltage_v", 16},
                                                       {"battery.2.voltage_v", 12.3},
                                                       {"battery.2.current_a", 2.5},
                                                       {"battery.2.used_mah", 40},
                                                       {"battery.2.left_percent", 71},
                                                       {"gps.fix", 3},
                                                       {"gps.hacc_m", 0.7},
                                                       {"gps.2.fix", 4},
                                                       {"gps.2.lat_deg", 47.30001},
                                                       {"gps.2.height_amsl_m", 51},
                                                       {"mag.field_ut", 20},
                                                       {"mag.2.field_ut", 50},
                                                       {"imu.2.accel_z_mps2", -0.99 * 9.80665},
                                                       {"camera.pitch_deg", -60},
                                                       {"BATTERY_STATUS#1.battery_remaining", 71},
                                                       {"MOUNT_ORIENTATION@154.pitch", -60}};
    for (const auto& [name, v] : expected) {
        INFO(name);
        REQUIRE(log->find(name) != nullptr);
        REQUIRE_FALSE(log->find(name)->value.empty());
        CHECK(log->find(name)->value.back() == Approx(v));
    }
    CHECK_FALSE(log->has("gps.2.hacc_m"));
    // A gimbal's clock is not the aircraft's.
    CHECK(log->duration_s() == Approx(10).margin(0.5));
    CHECK(log->find("MOUNT_ORIENTATION@154.pitch")->t_s.back() == Approx(10.3).margin(0.05));
}

TEST_CASE("sticks follow the parameters, rotors, wind, ground and pressure their own messages", "[logio][recording]") {
    Tape t;
    t.add(beat(), kStart);
    const auto parameter = [&](const char* name, double v) {
        t.add(Message("PARAM_VALUE").setText("param_id", name).set("param_value", v).set("param_type", 9), kStart);
    };
    parameter("RCMAP_THROTTLE", 5);
    parameter("RC1_MIN", 1100);
    parameter("RC1_TRIM", 1520);
    parameter("RC1_MAX", 1900);
    parameter("RC2_REVERSED", 1);
    t.add(Message("RC_CHANNELS")
              .set("chan1_raw", 1900)
              .set("chan2_raw", 1750)
              .set("chan3_raw", 1000)
              .set("chan4_raw", 1500)
              .set("chan5_raw", 1250),
          kStart + 1);
    t.add(Message("RC_CHANNELS").set("chan1_raw", 1310).set("chan2_raw", 0).set("chan4_raw", 1000), kStart + 2);
    t.add(Message("RPM").set("rpm1", 5400).set("rpm2", 5200), kStart + 2);
    // A sensor of turns that is not there says less than nothing.
    t.add(Message("RPM").set("rpm1", 5400).set("rpm2", -1), kStart + 2);
    t.add(Message("WIND").set("direction", 300).set("speed", 6), kStart + 2);
    t.add(Message("SCALED_PRESSURE").set("press_abs", 1007.5), kStart + 2);
    t.add(Message("DISTANCE_SENSOR").set("orientation", 25).set("current_distance", 1234).set("max_distance", 4000),
          kStart + 2);
    t.add(Message("DISTANCE_SENSOR").set("orientation", 0).set("current_distance", 300).set("max_distance", 4000),
          kStart + 2);
    t.add(Message("HOME_POSITION").set("latitude", 473000000).set("longitude", -201000000).set("altitude", 45000),
          kStart + 3);
    parameter("RC1_MIN", 1050);
    const LogPtr log = t.read();
    CHECK(log->find("stick.roll")->value[0] == 1);
    CHECK(log->find("stick.roll")->value[1] == Approx((1310 - 1520) / (1520 - 1050.0)));
    CHECK(log->find("stick.pitch")->value == std::vector<double>{-0.5});
    CHECK(log->find("stick.throttle")->value == std::vector<double>{0.25});
    CHECK(log->find("stick.yaw")->value == std::vector<double>{0, -1});
    CHECK(log->find("rpm.1")->value == std::vector<double>{5400, 5400});
    CHECK(log->find("rpm.2")->value == std::vector<double>{5200});
    CHECK(log->find("wind.from_deg")->value == std::vector<double>{300});
    CHECK(log->find("baro.pressure_hpa")->value[0] == Approx(1007.5));
    CHECK(log->find("position.height_ground_m")->value == std::vector<double>{12.34});
    REQUIRE(log->homes.size() == 1);
    CHECK(log->homes[0].place.lat_deg == Approx(47.3));
    CHECK(*log->homes[0].place.amsl_m == Approx(45));
    REQUIRE(log->param_changes.size() == 1);
    CHECK(log->param_changes[0].name == "RC1_MIN");
    CHECK(log->param_changes[0].from == 1100);
    CHECK(log->param_changes[0].to == 1050);
}

TEST_CASE("a photo that autopilot and camera both tell is one, with the place its record holds", "[logio][recording]") {
    Tape t;
    t.add(beat(), kStart);
    for (int i = 1; i <= 5; ++i) {
        const double at = kStart + 3 * i;
        t.add(Message("SYSTEM_TIME").set("time_boot_ms", 3000 * i), at);
        t.add(Message("CAMERA_FEEDBACK")
                  .set("img_idx", i)
                  .set("lat", 473000000 + i)
                  .set("lng", -201000000)
                  .set("alt_msl", 99.5),
              at);
        // The camera missed one.
        if (i != 3)
            t.add(Message("CAMERA_IMAGE_CAPTURED").set("image_index", 40 + i).set("capture_result", 1), at + 0.2, 1,
                  100);
    }
    // And took one that nobody triggered.
    t.add(Message("CAMERA_IMAGE_CAPTURED")
              .set("image_index", 46)
              .set("capture_result", 1)
              .set("lat", 474000000)
              .set("lon", -201000000)
              .set("alt", 12000),
          kStart + 16.6, 1, 100);
    const LogPtr log = t.read();
    std::vector<std::string> photos;
    for (const LogEvent& e : log->events)
        if (e.kind == "photo") photos.push_back(e.text);
    CHECK(photos == std::vector<std::string>{"1", "2", "3", "4", "5", "46"});
    for (const LogEvent& e : log->events)
        if (e.kind == "photo" && e.text == "2") {
            CHECK(e.place->lat_deg == Approx(47.3000002).margin(1e-8));
            CHECK(*e.place->amsl_m == Approx(99.5));
        }
    CHECK(*log->events.back().place->amsl_m == Approx(12));
}
