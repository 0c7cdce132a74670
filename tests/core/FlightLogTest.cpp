#include <atomic>
#include <catch2/catch.hpp>
#include <chrono>
#include <future>
#include <thread>
#include <vector>

#include "core/flightlog/FlightLog.h"

using namespace anhinga;

namespace {
/// A log of positions every second, moving north a metre a second, at the times given.
void positions(FlightLog& log, double from, double to, double height = 20) {
    for (double t = from; t <= to; t += 1) {
        log.channel("position.lat_deg", "deg").add(t, 47 + t / 111180);
        log.channel("position.lon_deg", "deg").add(t, -20);
        log.channel("position.height_home_m", "m").add(t, height);
    }
}
}  // namespace

TEST_CASE("a channel holds its last value and knows nothing before its first", "[flightlog]") {
    Channel c;
    CHECK_FALSE(c.at(0));
    c.add(1, 10);
    c.add(2, 20);
    c.add(2, 21);
    c.add(5, 50);
    CHECK_FALSE(c.at(0.999));
    CHECK(c.at(1) == 10.0);
    CHECK(c.at(1.5) == 10.0);
    CHECK(c.at(2) == 21.0);
    CHECK(c.at(4.9) == 21.0);
    CHECK(c.at(1e9) == 50.0);
}

TEST_CASE("channels keep their place while others are made, canonical ones come first", "[flightlog]") {
    FlightLog log;
    Channel& first = log.channel("position.lat_deg", "deg");
    for (int i = 0; i < 500; ++i) log.channel("MESSAGE.field" + std::to_string(i), "");
    first.add(1, 2);
    CHECK(log.find("position.lat_deg")->value.size() == 1);
    CHECK(log.find("position.lat_deg")->unit == "deg");
    CHECK(log.channels().front()->name == "position.lat_deg");
    CHECK(log.find("none") == nullptr);
    CHECK(&log.channel("position.lat_deg", "other") == &first);
    CHECK(first.unit == "deg");
}

TEST_CASE("units follow from canonical names", "[flightlog]") {
    CHECK(canonicalUnit("attitude.roll_deg") == "deg");
    CHECK(canonicalUnit("velocity.ground_mps") == "m/s");
    CHECK(canonicalUnit("vibration.x_mps2") == "m/s2");
    CHECK(canonicalUnit("imu.gyro_x_dps") == "deg/s");
    CHECK(canonicalUnit("battery.left_percent") == "%");
    CHECK(canonicalUnit("battery.voltage_v") == "V");
    CHECK(canonicalUnit("position.height_home_m") == "m");
    CHECK(canonicalUnit("mission.item").empty());
    CHECK(isCanonical("mission.item"));
    CHECK_FALSE(isCanonical("HEARTBEAT.type"));
    CHECK_FALSE(isCanonical(""));
}

TEST_CASE("a pause or a restart begins a new session", "[flightlog][sessions]") {
    FlightLog log;
    positions(log, 0, 60);
    positions(log, 200, 230, 45);
    positions(log, 231, 260, 10);
    log.start_unix_s = 1.8e9;
    log.findSessions({230.5});
    REQUIRE(log.sessions.size() == 3);
    CHECK(log.sessions[0].to_s == 60);
    CHECK(log.sessions[0].distance_m == Approx(60).epsilon(0.01));
    CHECK(log.sessions[1].max_height_home_m == 45);
    CHECK(log.sessions[1].start_unix_s == Approx(1.8e9 + 200));
    CHECK(log.sessions[2].from_s == 230.5);  // when it restarted
}

TEST_CASE("a flight begins with its first record, not with its first place", "[flightlog][sessions]") {
    FlightLog log;
    log.start_unix_s = 1.8e9;
    log.channel("battery.voltage_v", "V").add(0, 12);
    positions(log, 20, 60);
    log.channel("battery.voltage_v", "V").add(63, 11);
    log.findSessions({});
    REQUIRE(log.sessions.size() == 1);
    CHECK(log.sessions[0].from_s == 0);
    CHECK(log.sessions[0].to_s == 63);
    CHECK(log.sessions[0].start_unix_s == Approx(1.8e9));
    CHECK(log.zero() == 0);
}

TEST_CASE("a photo lies where its record says, else on the track, else nowhere", "[flightlog]") {
    FlightLog log;
    positions(log, 0, 10);
    const auto on_track = log.placeOf({4.5, "photo", "1"});
    REQUIRE(on_track);
    CHECK(on_track->lat_deg ==
          Approx((*log.find("position.lat_deg")->at(4) + *log.find("position.lat_deg")->at(5)) / 2));
    const auto told = log.placeOf({4.5, "photo", "2", LoggedPlace{1, 2, 3}});
    CHECK(*told == LoggedPlace{1, 2, 3});
    CHECK_FALSE(log.placeOf({20, "photo", "3"}));
    CHECK_FALSE(FlightLog().placeOf({0, "photo", "4"}));
}

TEST_CASE("the home that holds is the last one stated", "[flightlog]") {
    FlightLog log;
    CHECK_FALSE(log.homeAt(5));
    log.homes = {{2, {1, 1, 10}}, {8, {2, 2, 20}}};
    CHECK(log.homeAt(0)->amsl_m == 10);
    CHECK(log.homeAt(8)->amsl_m == 20);
    CHECK(log.homeAt(7.9)->amsl_m == 10);
}

TEST_CASE("a parameter that changes is said and kept with both values", "[flightlog]") {
    FlightLog log;
    log.takeParameter(1, "SPEED", 5);
    log.takeParameter(2, "SPEED", 5);
    log.takeParameter(3, "SPEED", 7);
    log.takeParameter(4, "SPEED", NAN);
    log.takeParameter(5, "", 1);
    REQUIRE(log.param_changes.size() == 1);
    CHECK(log.param_changes[0].t_s == 3);
    CHECK(log.param_changes[0].from == 5);
    CHECK(log.param_changes[0].to == 7);
    CHECK(log.params == std::map<std::string, double>{{"SPEED", 7}});
    CHECK(log.events.size() == 1);
}

TEST_CASE("armed time is counted within each session, an open end to its end", "[flightlog][sessions]") {
    FlightLog log;
    positions(log, 0, 100);
    positions(log, 200, 300);
    log.events = {{10, "armed", ""}, {30, "disarmed", ""}, {40, "armed", ""}, {45, "disarmed", ""}, {210, "armed", ""}};
    log.findSessions({});
    REQUIRE(log.sessions.size() == 2);
    CHECK(log.sessions[0].armed_s == Approx(25));
    CHECK(log.sessions[1].armed_s == Approx(90));
}

TEST_CASE("a log without positions is one session, an empty log none", "[flightlog][sessions]") {
    FlightLog log;
    log.findSessions({});
    CHECK(log.sessions.empty());
    CHECK(log.duration_s() == 0);
    log.channel("battery.voltage_v", "V").add(5, 12);
    log.channel("battery.voltage_v", "V").add(25, 11);
    log.findSessions({});
    REQUIRE(log.sessions.size() == 1);
    CHECK(log.duration_s() == 20);
    CHECK(log.firstTime() == 5);
}

TEST_CASE("a track across the 180th meridian is not once round the earth", "[flightlog][sessions]") {
    FlightLog log;
    for (int i = 0; i < 10; ++i) {
        log.channel("position.lat_deg", "deg").add(i, -17);
        const double lon = 179.9995 + i * 0.0001;
        log.channel("position.lon_deg", "deg").add(i, lon > 180 ? lon - 360 : lon);
    }
    log.findSessions({});
    REQUIRE(log.sessions.size() == 1);
    CHECK(log.sessions[0].distance_m == Approx(9 * 0.0001 * 111320 * 0.956).epsilon(0.02));
}

TEST_CASE("who reads one channel does not wait for another one to be decoded; each is decoded once", "[flightlog]") {
    FlightLog log;
    std::promise<void> begun, go;
    std::shared_future<void> goes = go.get_future().share();
    log.promise("slow.a", "", 1, [&begun, goes](Channel& c) {
        begun.set_value();
        goes.wait_for(std::chrono::seconds(20));
        c.add(1, 1);
    });
    std::atomic<int> decoded = 0;
    log.promise("quick.b", "", 1, [&decoded](Channel& c) {
        ++decoded;
        c.add(2, 2);
    });
    std::atomic<const Channel*> slow = nullptr;
    std::jthread reader([&] { slow = log.find("slow.a"); });
    begun.get_future().wait();
    // While the slow one is being decoded: from several threads at once.
    {
        std::vector<std::jthread> others;
        for (int i = 0; i < 4; ++i)
            others.emplace_back([&] {
                if (log.find("quick.b")->value.at(0) != 2) decoded = 100;
            });
    }
    CHECK(decoded == 1);
    CHECK(slow.load() == nullptr);  // it is still at it
    go.set_value();
    reader.join();
    REQUIRE(slow.load() != nullptr);
    CHECK(slow.load()->value.at(0) == 1);
    // A moved log keeps what it promised.
    FlightLog moved = std::move(log);
    moved.promise("late.c", "", 1, [](Channel& c) { c.add(3, 3); });
    CHECK(moved.find("late.c")->value.at(0) == 3);
    CHECK(moved.find("quick.b")->value.at(0) == 2);
}
