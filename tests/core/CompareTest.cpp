// Two flights side by side; the health report of demo logs by the command line; sensors of simulated flights.
#include <catch2/catch.hpp>

#include <nlohmann/json.hpp>

#include "SyntheticFlight.h"
#include "cli/Cli.h"
#include "core/analysis/Series.h"
#include "core/geo/MagneticField.h"
#include "core/logio/LogReader.h"
#include "core/review/Compare.h"
#include "core/review/Health.h"
#include "standin/FlyOffline.h"

using namespace anhinga;
using namespace anhinga::testing;

namespace {

FlightLog flightOf(unsigned plan_seed, unsigned sensor_seed, const SensorFaults& faults) {
    const Plan plan = healthPlan(plan_seed);
    const auto flown = rehearse(plan, programIn(plan), nullptr, {});
    REQUIRE(flown);
    return withSensors(*flown->log, plan.vehicle, faults, sensor_seed);
}

int changedOf(const FlightComparison& c) {
    return static_cast<int>(
        std::count_if(c.measures.begin(), c.measures.end(), [](const MeasureChange& m) { return m.changed; }));
}

}  // namespace

TEST_CASE("flights that differ by noise alone show no change; new propellers do", "[review][compare]") {
    for (unsigned seed = 1; seed <= 5; ++seed) {
        const FlightLog a = flightOf(seed, 10 + seed, {}), b = flightOf(seed, 50 + seed, {});
        const auto c = compareFlights(a, b);
        for (const MeasureChange& m : c.measures) {
            INFO(m.name << ": " << m.before->value << " and " << m.after->value << ", noise " << m.noise);
            CHECK_FALSE(m.changed);
        }
        CHECK(c.measures.size() >= 9);
        SensorFaults worn;
        worn.motor_noise_mps2 = 3.5;
        const auto helped = compareFlights(flightOf(seed, 80 + seed, worn), b);
        CHECK(changedOf(helped) >= 3);
        for (const MeasureChange& m : helped.measures)
            if (m.name.find("Current") != std::string::npos || m.name.find("Compass") != std::string::npos)
                CHECK_FALSE(m.changed);
        CHECK(helped.measures.front().changed);
        CHECK(helped.measures.front().difference < 0);
    }
}

TEST_CASE("what was set differently is listed, and more than one change is said", "[review][compare]") {
    FlightLog a, b;
    CHECK(compareFlights(a, b).caution.find("not in both logs") != std::string::npos);
    a.params = {{"A", 1}, {"B", 2}, {"C", 0.1}};
    b.params = {{"A", 1}, {"B", 3}, {"C", static_cast<double>(0.1F)}, {"D", 4}};
    const auto c = compareFlights(a, b);
    REQUIRE(c.params.size() == 2);  // 0.1 as a float is the same
    CHECK(c.params[0].name == "B");
    CHECK(*c.params[0].after == 3);
    CHECK(c.params[1].name == "D");
    CHECK_FALSE(c.params[1].before);
    CHECK(c.caution.find("cannot be put down to one") != std::string::npos);
    b.params.erase("D");
    CHECK(compareFlights(a, b).caution.find("One parameter") != std::string::npos);
    CHECK(c.measures.empty());
}

TEST_CASE("what is missing is unknown with its reason, for the emptiest logs too", "[health]") {
    FlightLog nothing;
    for (const Answer& a : diagnose(nothing)) {
        INFO(a.id);
        CHECK((a.verdict == Verdict::unknown || a.id == "recording"));
        CHECK_FALSE(a.evidence.empty());
    }
    FlightLog positions;
    for (int i = 0; i < 100; ++i) {
        positions.channel("position.lat_deg", "deg").add(i, 47.31);
        positions.channel("position.lon_deg", "deg").add(i, -20.12);
        positions.channel("position.height_home_m", "m").add(i, 20);
    }
    const auto answers = diagnose(positions);
    CHECK(count(answers, Verdict::unknown) >= 10);
    CHECK(count(answers, Verdict::bad) == 0);
    FlightLog wild;  // values that are no numbers, times that stand still
    for (int i = 0; i < 300; ++i)
        for (const char* name :
             {"position.lat_deg", "position.lon_deg", "position.height_home_m", "throttle.percent", "imu.gyro_x_dps",
              "imu.accel_z_mps2", "mag.field_ut", "battery.current_a", "battery.voltage_v", "attitude.roll_deg",
              "desired.roll_deg", "baro.height_m", "gps.hdop", "motor.1", "motor.2", "motor.3"})
            wild.channel(name, "").add(i < 200 ? 5 : i, i % 3 == 0 ? NAN : i % 3 == 1 ? 1e300 : -1e300);
    CHECK(diagnose(wild).size() == 16);
}

TEST_CASE("a session of several is judged by itself", "[health]") {
    SensorFaults jump;
    jump.jump_m = 50;
    jump.jump_at_s = 40;
    jump.jump_for_s = 10;
    const FlightLog clean = syntheticFlight(4), wrong = syntheticFlight(5, jump);
    FlightLog both;
    const double later = clean.firstTime() + clean.duration_s() + 300;
    for (const Channel* c : clean.channels())
        for (std::size_t i = 0; i < c->t_s.size(); ++i) both.channel(c->name, c->unit).add(c->t_s[i], c->value[i]);
    for (const Channel* c : wrong.channels())
        for (std::size_t i = 0; i < c->t_s.size(); ++i)
            both.channel(c->name, c->unit).add(later + c->t_s[i], c->value[i]);
    both.findSessions({});
    REQUIRE(both.sessions.size() == 2);
    const auto verdictOf = [&](int session) {
        HealthOptions options;
        options.session = session;
        for (const Answer& a : diagnose(both, options))
            if (a.id == "gps-jump") return a.verdict;
        return Verdict::unknown;
    };
    CHECK(verdictOf(0) == Verdict::ok);
    CHECK(verdictOf(1) == Verdict::bad);
    CHECK(verdictOf(-1) == Verdict::bad);
}

TEST_CASE("the demo's logs say what is wrong with them", "[health][cli][demo]") {
    const std::pair<const char*, const char*> flights[] = {
        {"clean", ""},          {"new-propellers", ""},   {"compass", "compass-motors"},
        {"resonance", "gyros"}, {"gps-jump", "gps-jump"}, {"tired-battery", "battery-sag"},
        {"circling", "hold"}};
    for (const auto& [name, question] : flights) {
        CliArguments a;
        a.log = demo(fmt::format("shakedown-{}.ulg", name));
        const CliResult r = cliDiagnose(a);
        INFO(name);
        CHECK(r.code == (*question == 0 ? 0 : 1));
        bool found = false;
        for (const auto& v : r.json["verdicts"]) {
            CHECK(v.contains("evidence"));
            CHECK(v.contains("from_s"));
            if (v["id"] == question) found = v["verdict"] == "bad";
            if (*question == 0) CHECK(v["verdict"] != "bad");
        }
        CHECK(found == (*question != 0));
    }
    CliArguments a;
    a.log = demo("shakedown-resonance.ulg");
    a.other = demo("shakedown-new-propellers.ulg");
    const CliResult r = cliCompare(a);
    CHECK(r.code == 1);
    CHECK(r.json["params"].size() == 1);
    CHECK(r.text.find("changed Shaking") != std::string::npos);
    a.session = 7;
    CHECK(cliDiagnose(a).code == 2);
    a.log = "no such file";
    CHECK(cliCompare(a).code == 2);
}

TEST_CASE("simulated sensors measure what they should", "[standin][sensors]") {
    const FlightLog log = syntheticFlight(9);
    const Channel& field = *log.find("mag.field_ut");
    const double model = magneticField({47.31, -20.12}, 0, 2026.5).field_nt / 1000;
    CHECK(statsOf(field, 0, 1e9).mean == Approx(model).epsilon(0.03));
    CHECK(sampleRate_hz(*log.find("imu.gyro_x_dps")) == Approx(250));
    const Stats up = statsOf(*log.find("imu.accel_z_mps2"), 0, 1e9);
    CHECK(up.mean == Approx(-9.8).margin(0.2));
    CHECK(log.find("vibration.clipped")->value.back() == 0);
    for (const char* name : {"motor.4", "baro.height_m", "gps.lat_deg", "battery.cell_4_v", "desired.yaw_deg"}) {
        REQUIRE(log.find(name) != nullptr);
        CHECK(log.find(name)->t_s.size() > 100);
    }
    // The same seed gives the same flight; a log without anything stays as it is.
    const FlightLog again = syntheticFlight(9);
    CHECK(again.find("mag.x_ut")->value == log.find("mag.x_ut")->value);
    CHECK(withSensors(FlightLog{}, VehicleProfile{}, {}, 1).list().empty());
    Faults faults;
    REQUIRE(faults.add("gps-jump@50"));
    REQUIRE(faults.add("resonance"));
    const SensorFaults out = sensorFaults(faults, 20);
    CHECK(out.jump_at_s == Approx(30));
    CHECK(out.resonance_hz > 0);
    CHECK(out.weak_motor_percent == 0);
    CHECK_FALSE(flyOffline(Plan{}, nullptr, {}));
}
