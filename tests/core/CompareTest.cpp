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
#include "core/review/Trend.h"
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

TEST_CASE("two flights are laid beside each other by take-off, arming or the time of day", "[review][compare]") {
    const auto flight = [](double armed_s, double up_s, double start_unix_s) {
        FlightLog log;
        log.start_unix_s = start_unix_s;
        if (armed_s >= 0) log.events.push_back({armed_s, "armed", ""});
        Channel& h = log.channel("position.height_home_m", "m");
        for (double t = 0; t < 60; t += 0.5) h.add(t, t < up_s ? 0 : 20);
        return log;
    };
    const FlightLog one = flight(4, 10, 1.8e9), other = flight(9, 22, 1.8e9 + 100), silent = flight(-1, 5, 0);
    CHECK(alignedBy(one, other, Alignment::takeoff) == Approx(12).margin(1e-6));
    CHECK(alignedBy(one, other, Alignment::arming) == Approx(5));
    // What stands at 130 s of the one, 1.8e9 + 130, is at 30 s of the other.
    CHECK(alignedBy(one, other, Alignment::utc) == Approx(-100));
    CHECK(alignedBy(other, one, Alignment::utc) == Approx(100));
    CHECK_FALSE(alignedBy(one, silent, Alignment::arming));
    CHECK_FALSE(alignedBy(silent, other, Alignment::utc));
    CHECK(alignedBy(one, silent, Alignment::takeoff) == Approx(-5));
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
    CHECK(diagnose(wild).size() == 20);
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

TEST_CASE("steps and creeping measures over many flights are told apart, and noise is neither", "[review][trend]") {
    std::mt19937 random(11);
    std::normal_distribution<double> noise(0, 0.1);
    const auto flights = [&](auto&& value, int n) {
        std::vector<TrendFlight> out;
        for (int i = 0; i < n; ++i)
            out.push_back({fmt::format("{}.ulg", i),
                           1.79e9 + i * 86400,
                           {{"Throttle in steady flight", "%", value(i) + noise(random), 0.05, 12}}});
        std::shuffle(out.begin(), out.end(), random);
        return out;
    };
    const std::vector<TrendNote> notes{{1.79e9 + 3.5 * 86400, "washed"}, {1.79e9 + 11.5 * 86400, "new propellers"}};
    int wrong = 0;
    for (int round = 0; round < 200; ++round) {
        const auto still = trendsOf(flights([](int) { return 40.0; }, 20), notes);
        wrong += still.at(0).steps.empty() && !still.at(0).creep ? 0 : 1;
        const auto stepped = trendsOf(flights([](int i) { return i < 12 ? 40.0 : 44.0; }, 20), notes);
        REQUIRE(stepped.size() == 1);
        REQUIRE(stepped[0].flights.size() == 20);
        REQUIRE(stepped[0].steps.size() == 1);
        CHECK(stepped[0].steps[0].at_unix_s == 1.79e9 + 12 * 86400);
        CHECK(stepped[0].steps[0].from == Approx(40).margin(0.2));
        CHECK(stepped[0].steps[0].to == Approx(44).margin(0.2));
        CHECK(stepped[0].steps[0].note == "new propellers");
        CHECK_FALSE(stepped[0].creep);
        const auto creeping = trendsOf(flights([](int i) { return 40 + 0.25 * i; }, 20));
        CHECK(creeping.at(0).steps.empty());
        REQUIRE(creeping[0].creep);
        CHECK(creeping[0].creep->per_flight == Approx(0.25).margin(0.03));
    }
    CHECK(wrong <= 2);
    // There and back again are two steps.
    const auto twice = trendsOf(flights([](int i) { return i >= 6 && i < 12 ? 44.0 : 40.0; }, 18));
    REQUIRE(twice.at(0).steps.size() == 2);
    CHECK(twice[0].steps[1].to == Approx(40).margin(0.2));
    // The second flight was off: nothing changed with the third.
    CHECK(trendsOf(flights([](int i) { return i == 1 ? 60.0 : 40.0; }, 12)).at(0).steps.empty());
    // One flight that is off is no step, nor is a difference too small to matter.
    CHECK(trendsOf(flights([](int i) { return i == 9 ? 60.0 : 40.0; }, 20)).at(0).steps.empty());
    CHECK(trendsOf(flights([](int i) { return i < 10 ? 40.0 : 41.0; }, 20)).at(0).steps.empty());
    // Two flights are too few, undated ones are left out.
    CHECK(trendsOf(flights([](int i) { return 40.0 + 10 * i; }, 2)).at(0).steps.empty());
    CHECK(trendsOf({{"a", 0, {{"x", "", 1, 0.1, 5}}}}).empty());
}

TEST_CASE("a battery's resistance is a measure of a flight", "[review][trend]") {
    FlightLog log;
    for (int i = 0; i <= 600; ++i) {
        const double t = i * 0.5, amps = 12 + 6 * std::sin(t / 4) + (i / 20 % 2 == 0 ? 5 : 0);
        log.channel("battery.current_a", "A").add(t, amps);
        log.channel("battery.voltage_v", "V").add(t, 16.6 - t / 400 - 0.045 * amps);
        log.channel("position.height_home_m", "m").add(t, t < 5 ? 0 : 30);
        log.channel("throttle.percent", "%").add(t, 40);
    }
    log.findSessions({});
    const auto all = trendMeasures(log);
    const auto ohm = std::find_if(all.begin(), all.end(),
                                  [](const Measure& m) { return m.name == "Internal resistance of the battery"; });
    REQUIRE(ohm != all.end());
    CHECK(ohm->value == Approx(45).epsilon(0.03));
    CHECK(ohm->error < 2);
}
