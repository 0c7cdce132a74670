// Planned against flown in depth: overshoot at corners, photos missed and the ground shown; logs of autopilot family 12
// under the shared names; reading that is watched and stopped; parameters in the logbook.
#include <catch2/catch.hpp>

#include <cstring>

#include "SyntheticFlight.h"
#include "core/logbook/Logbook.h"
#include "core/logio/LogReader.h"
#include "core/plan/PlanFile.h"
#include "core/review/Compare.h"
#include "core/review/PhotosFlown.h"
#include "core/review/PlannedFlown.h"

using namespace anhinga;
using namespace anhinga::testing;

namespace {

/// A ULog of another maker: formats and values as said, times in microseconds.
class UlogWriter {
  public:
    UlogWriter() {
        text_.assign("ULog\x01\x12\x35\x01", 8);
        put<std::uint64_t>(text_, 0);
        std::string flags(40, '\0');
        record('B', flags);
    }
    int topic(const std::string& name, const std::string& fields) {
        record('F', name + ":uint64_t timestamp;" + fields);
        std::string subscribe(1, '\0');
        put<std::uint16_t>(subscribe, static_cast<std::uint16_t>(topics_));
        record('A', subscribe + name);
        return topics_++;
    }
    template <class... Values>
    void data(int topic, double t_s, Values... values) {
        std::string body;
        put<std::uint16_t>(body, static_cast<std::uint16_t>(topic));
        put<std::uint64_t>(body, static_cast<std::uint64_t>(t_s * 1e6));
        (put(body, values), ...);
        record('D', body);
    }
    const std::string& text() const { return text_; }

  private:
    template <class T>
    static void put(std::string& out, T v) {
        out.append(reinterpret_cast<const char*>(&v), sizeof v);
    }
    void record(char type, const std::string& body) {
        put<std::uint16_t>(text_, static_cast<std::uint16_t>(body.size()));
        text_ += type;
        text_ += body;
    }
    std::string text_;
    int topics_ = 0;
};

}  // namespace

TEST_CASE("a ULog of autopilot family 12 has the shared names, modes and sessions", "[logio][ulog]") {
    UlogWriter w;
    const int global = w.topic("vehicle_global_position", "double lat;double lon;float alt;");
    const int local = w.topic("vehicle_local_position", "float z;float vx;float vy;float vz;");
    const int attitude = w.topic("vehicle_attitude", "float[4] q;");
    const int status = w.topic("vehicle_status", "uint8_t nav_state;uint8_t arming_state;");
    const int sensors = w.topic("sensor_combined", "float[3] gyro_rad;float[3] accelerometer_m_s2;");
    const int battery = w.topic("battery_status", "float voltage_v;float current_a;float remaining;");
    for (int i = 0; i <= 300; ++i) {
        const double t = 100 + i * 0.1;
        w.data(global, t, 47.31 + i * 1e-5, -20.12, 80.0F + static_cast<float>(i) * 0.1F);
        w.data(local, t, -static_cast<float>(i) * 0.1F, 3.0F, 4.0F, -1.0F);
        // Rolled by 30 degrees, heading east.
        const double r = 15 * M_PI / 180, y = 45 * M_PI / 180;
        w.data(attitude, t, static_cast<float>(std::cos(r) * std::cos(y)),
               static_cast<float>(std::sin(r) * std::cos(y)), static_cast<float>(std::sin(r) * std::sin(y)),
               static_cast<float>(std::cos(r) * std::sin(y)));
        w.data(status, t, static_cast<std::uint8_t>(i < 100 ? 4 : 3),
               static_cast<std::uint8_t>(i < 20 || i > 280 ? 1 : 2));
        w.data(sensors, t, 0.1F, 0.0F, 0.0F, 0.0F, 0.0F, -9.8F);
        w.data(battery, t, 15.5F, 12.0F, 0.75F);
    }
    const auto log = readLog(w.text(), "f.ulg");
    REQUIRE(log);
    const auto value = [&](const char* name, double t) {
        const Channel* c = (*log)->find(name);
        INFO(name);
        REQUIRE(c != nullptr);
        return *c->at(t);
    };
    CHECK(value("position.lat_deg", 10) == Approx(47.311));
    CHECK(value("position.height_amsl_m", 10) == Approx(90));
    CHECK(value("position.height_home_m", 10) == Approx(10));
    CHECK(value("velocity.ground_mps", 10) == Approx(5));
    CHECK(value("velocity.climb_mps", 10) == Approx(1));
    CHECK(value("attitude.roll_deg", 10) == Approx(30).margin(0.01));
    CHECK(value("attitude.pitch_deg", 10) == Approx(0).margin(0.01));
    CHECK(value("attitude.yaw_deg", 10) == Approx(90).margin(0.01));
    CHECK(value("imu.gyro_x_dps", 10) == Approx(5.7296).epsilon(1e-4));
    CHECK(value("battery.left_percent", 10) == Approx(75));
    CHECK((*log)->find("position.height_amsl_m")->unit == "m");
    REQUIRE((*log)->modes.size() == 2);
    CHECK((*log)->modes[0].name == "hold");
    CHECK((*log)->modes[1].name == "mission");
    CHECK((*log)->modes[1].t_s == Approx(10));
    REQUIRE((*log)->events.size() == 2);
    CHECK((*log)->events[0].kind == "armed");
    CHECK((*log)->events[1].kind == "disarmed");
    REQUIRE((*log)->sessions.size() == 1);
    CHECK((*log)->sessions[0].max_height_home_m == Approx(30));
    // Its own names stay beside.
    CHECK((*log)->find("vehicle_attitude.q[0]") != nullptr);
}

TEST_CASE("reading a log tells how far it is and can be stopped", "[logio][watch]") {
    const TempDir dir;
    UlogWriter w;
    const int topic = w.topic("t", "float a;float b;float c;float d;");
    for (int i = 0; i < 250000; ++i) w.data(topic, i * 0.001, 1.0F, 2.0F, 3.0F, 4.0F);
    spit(dir / "long.ulg", w.text());
    std::vector<double> shares;
    LogWatch watch;
    watch.progress = [&](double s) { shares.push_back(s); };
    REQUIRE(openLog(dir / "long.ulg", watch));
    REQUIRE(shares.size() >= 3);
    CHECK(std::is_sorted(shares.begin(), shares.end()));
    CHECK(shares.back() <= 1);
    std::stop_source stop;
    watch.stop = stop.get_token();
    watch.progress = [&](double s) {
        if (s > 0.3) stop.request_stop();
    };
    const auto stopped = openLog(dir / "long.ulg", watch);
    REQUIRE_FALSE(stopped);
    CHECK(stopped.error().message.find("stopped") != std::string::npos);
}

TEST_CASE("how far it flies past a corner is told for the leg before it", "[review][planned]") {
    // 100 m east, then north; it flies 7 m past the corner.
    const GeoPoint home{47.31, -20.12}, corner = destination(home, 90, 100), end = destination(corner, 0, 100);
    std::vector<MissionItem> mission;
    for (const GeoPoint& p : {home, home, corner, end}) {
        MissionItem m;
        m.seq = static_cast<std::uint16_t>(mission.size());
        m.frame = frame::home;
        m.command = cmd::waypoint;
        m.x = toE7(p.lat_deg);
        m.y = toE7(p.lon_deg);
        m.z = 20;
        mission.push_back(m);
    }
    FlightLog log;
    const auto at = [&](double t, GeoPoint p, int item) {
        log.channel("position.lat_deg", "deg").add(t, p.lat_deg);
        log.channel("position.lon_deg", "deg").add(t, p.lon_deg);
        log.channel("position.height_home_m", "m").add(t, 20);
        log.channel("mission.item", "").add(t, item);
    };
    for (int i = 0; i < 100; ++i) at(i * 0.1, destination(home, 90, i), i == 0 ? 1 : 2);
    for (int i = 0; i <= 7; ++i) at(10 + i * 0.1, destination(corner, 90, i), 3);
    for (int i = 0; i < 100; ++i)
        at(11 + i * 0.1, destination(destination(corner, 90, 7.0 * (100 - i) / 100), 0, i), 3);
    log.findSessions({});
    const auto flown = plannedAgainstFlown(programRead(mission, true), 0.0, log);
    INFO((flown ? "" : flown.error().message));
    REQUIRE(flown);
    REQUIRE(flown->legs.size() == 2);
    CHECK(flown->legs[0].overshoot_m == Approx(7).margin(0.2));
    CHECK(flown->legs[1].overshoot_m == 0);
    CHECK(flown->overshoot_max_m == Approx(7).margin(0.2));
}

TEST_CASE("missed photos are told by place, and what ground is shown less", "[review][photos][demo]") {
    const auto plan = loadPlan(demo("quarry.anhinga.geojson"));
    REQUIRE(plan);
    const auto terrain = island();
    const auto planned = rehearse(*plan, programIn(*plan, terrain.get()), terrain);
    REQUIRE(planned);
    REQUIRE(planned->photos > 20);
    const double home = homeAmsl(*plan, terrain.get()).value_or(0);
    const auto all = photosFlown(*plan, terrain.get(), home, *planned->log, *planned->log);
    REQUIRE(all);
    CHECK(all->missed.empty());
    CHECK(all->taken == all->planned);
    REQUIRE(all->areas.size() == 1);
    CHECK(all->areas[0].planned_percent > 95);
    CHECK(all->areas[0].flown_percent == Approx(all->areas[0].planned_percent));
    // A camera that sleeps through ten photos.
    FlightLog sleepy;
    for (const Channel* c : planned->log->channels()) sleepy.channel(c->name, c->unit) = *c;
    int n = 0;
    std::vector<double> lost;
    for (const LogEvent& e : planned->log->events) {
        if (e.kind == "photo" && n++ >= 10 && n <= 20)
            lost.push_back(e.t_s);
        else
            sleepy.events.push_back(e);
    }
    REQUIRE(lost.size() == 10);
    const auto some = photosFlown(*plan, terrain.get(), home, *planned->log, sleepy);
    REQUIRE(some);
    CHECK(some->missed.size() == 10);
    CHECK(some->areas[0].flown_promised_percent < all->areas[0].flown_promised_percent);
    CHECK(some->areas[0].flown_percent <= all->areas[0].flown_percent);
    const Channel &lat = *planned->log->find("position.lat_deg"), &lon = *planned->log->find("position.lon_deg");
    CHECK(distance_m(some->missed[0], {*lat.at(lost[0]), *lon.at(lost[0])}) < 1);
    CHECK_FALSE(photosFlown(rowPlan(2), nullptr, 0, FlightLog{}, FlightLog{}));
}

TEST_CASE("parameters of flights stand in the logbook, and known files are passed over", "[logbook]") {
    const TempDir dir;
    const auto book = Logbook::open(dir / "book.sqlite");
    REQUIRE(book);
    std::filesystem::create_directories(dir / "logs");
    const auto write = [&](const char* name, unsigned seed, double start, std::map<std::string, double> params,
                           const char* vehicle) {
        FlightLog log = syntheticFlight(seed);
        log.start_unix_s = start;
        log.params = std::move(params);
        log.vehicle = vehicle;
        spit(dir / ("logs/" + std::string(name)), writeUlog(log));
    };
    write("a.ulg", 1, 1784793600, {{"P", 1}, {"Q", 2}}, "Darter 4");
    write("b.ulg", 2, 1784797200, {{"P", 1}, {"Q", 5}}, "Darter 4");
    write("c.ulg", 3, 1784798000, {{"P", 9}}, "Skimmer 2");
    write("d.ulg", 4, 1784799000, {}, "Darter 4");
    const auto added = (*book)->addFolder(dir / "logs");
    REQUIRE(added);
    CHECK(added->flights == 4);
    const auto entries = (*book)->entries();
    REQUIRE(entries.size() == 4);
    const LogbookEntry &d = entries[0], &c = entries[1], &b = entries[2], &a = entries[3];
    CHECK((*book)->parameters(d.sha256).empty());
    CHECK((*book)->parameters(b.sha256).at("Q") == 5);
    CHECK_FALSE((*book)->flightBefore(a));
    CHECK_FALSE((*book)->flightBefore(c));  // the only one of its vehicle
    REQUIRE((*book)->flightBefore(d));
    CHECK((*book)->flightBefore(d)->sha256 == b.sha256);
    REQUIRE((*book)->flightBefore(b));
    const auto changes =
        paramChanges((*book)->parameters((*book)->flightBefore(b)->sha256), (*book)->parameters(b.sha256));
    REQUIRE(changes.size() == 1);
    CHECK(changes[0].name == "Q");
    CHECK(paramText(*changes[0].after) == "5");
    // A second look reads only what is new.
    write("e.ulg", 5, 1784799900, {{"P", 1}}, "Darter 4");
    int looked = 0;
    const auto again = (*book)->addFolder(
        dir / "logs", [&](int, int, const std::string&) { ++looked; }, {}, true);
    REQUIRE(again);
    CHECK(again->flights == 1);
    CHECK(again->duplicates == 0);
    CHECK((*book)->knows(dir / "logs/a.ulg"));
}
