// The parts of the health report: when it was in the air and steady, verdicts by thresholds, worst stretches; what each
// simulated fault does to its channels; damaged logs.
#include <catch2/catch.hpp>

#include <iostream>
#include <set>

#include "SyntheticFlight.h"
#include "core/analysis/Spectrum.h"
#include "core/base/Text.h"
#include "core/logio/LogReader.h"
#include "core/review/Compare.h"
#include "core/review/FlightReport.h"
#include "core/review/health/Question.h"

using namespace anhinga;
using namespace anhinga::testing;
using health::Flown;

namespace {

/// A minute on the ground, a minute of steady flight, half a minute of turning, a minute on the ground.
FlightLog phases() {
    FlightLog log;
    for (int i = 0; i < 2100; ++i) {
        const double t = i * 0.1;
        const bool air = t >= 60 && t < 150, turning = t >= 120 && t < 150;
        log.channel("position.height_home_m", "m").add(t, air ? 20 : 0);
        log.channel("throttle.percent", "%").add(t, air ? 50 : 0);
        log.channel("attitude.roll_deg", "deg").add(t, turning ? 25 : 2);
        log.channel("attitude.pitch_deg", "deg").add(t, 1);
        log.channel("attitude.yaw_deg", "deg").add(t, 90);
    }
    return log;
}

double meanOf(const FlightLog& log, const char* name) {
    const Channel* c = log.find(name);
    INFO(name);
    REQUIRE(c != nullptr);
    return statsOf(*c, 0, 1e9).mean;
}

}  // namespace

TEST_CASE("seconds in the air and steady ones are told apart", "[health][parts]") {
    const FlightLog log = phases();
    const Flown f(log, {});
    CHECK(f.no_air.empty());
    CHECK(f.air_s == Approx(90).margin(1));
    CHECK(std::count(f.steady.begin(), f.steady.end(), 1) == Approx(60).margin(1));
    CHECK(f.air().from_s == Approx(60).margin(1));
    CHECK(f.air().to_s == Approx(150).margin(1));
    CHECK(f.timeOf(0) == Approx(0.5));
    const Channel& roll = *log.find("attitude.roll_deg");
    CHECK(statsOf(f.steadily(roll)).highest == 2);
    CHECK(statsOf(f.inAir(roll)).highest == 25);
    CHECK(f.find("no.such") == nullptr);
    // Turning on the spot is no steady flight either, across north as well.
    FlightLog spin = phases();
    Channel& yaw = spin.channel("attitude.yaw_deg", "deg");
    for (std::size_t i = 0; i < yaw.t_s.size(); ++i) yaw.value[i] = std::fmod(40 * yaw.t_s[i], 360);
    const Flown spinning(spin, {});
    CHECK(std::count(spinning.steady.begin(), spinning.steady.end(), 1) <= 2);
}

TEST_CASE("a height made from the barometer's is not held against it", "[health][parts]") {
    FlightLog log = phases();
    const Channel height = *log.find("position.height_home_m");
    Channel& baro = log.channel("baro.height_m", "m");
    baro.t_s = height.t_s;
    baro.value = height.value;
    const Answer same = health::askHeight(Flown(log, {}));
    CHECK(same.verdict == Verdict::unknown);
    CHECK(same.evidence.find("the barometer's own") != std::string::npos);
    // A barometer that says the same within centimetres is another witness.
    for (std::size_t i = 0; i < baro.value.size(); ++i) baro.value[i] += 0.02 * std::sin(static_cast<double>(i));
    CHECK(health::askHeight(Flown(log, {})).verdict == Verdict::ok);
}

TEST_CASE("the height asked for is held against the measured one, where one is asked for", "[health][parts][flying]") {
    const auto answer = [](double off, double wave) {
        FlightLog log = phases();
        const Channel height = *log.find("position.height_home_m");
        for (std::size_t i = 0; i < height.t_s.size(); ++i) {
            const double t = height.t_s[i];
            log.channel("desired.height_home_m", "m").add(t, height.value[i]);
            log.channel("position.height_home_m", "m").value[i] += height.value[i] > 0 ? off + wave * std::sin(t) : 0;
        }
        return health::askHeightKept(Flown(log, {}));
    };
    CHECK(answer(0.3, 0.4).verdict == Verdict::ok);
    CHECK(answer(3, 0).verdict == Verdict::attention);
    CHECK(answer(3, 0).value == Approx(3).margin(0.1));
    CHECK(answer(-8, 0).verdict == Verdict::bad);
    // What is asked for and what is measured are the same numbers: nothing is known.
    FlightLog same = phases();
    same.channel("desired.height_home_m", "m") = *same.find("position.height_home_m");
    CHECK(health::askHeightKept(Flown(same, {})).verdict == Verdict::unknown);
    CHECK(health::askHeightKept(Flown(phases(), {})).verdict == Verdict::unknown);
}

TEST_CASE("a descent near the ground or through its own air is judged by its rate", "[health][parts][flying]") {
    const auto answer = [](double rate, double speed, int type = 2) {
        FlightLog log;
        log.type = type;  // MAV_TYPE
        double height = 40;
        for (int i = 0; i < 1200; ++i) {
            const double t = i * 0.1;
            const bool down = t > 60 && height > 0.5;
            if (down) height -= rate * 0.1;
            log.channel("position.height_home_m", "m").add(t, height);
            log.channel("velocity.climb_mps", "m/s").add(t, down ? -rate : 0);
            log.channel("velocity.ground_mps", "m/s").add(t, speed);
            log.channel("throttle.percent", "%").add(t, 45);
        }
        return health::askDescent(Flown(log, {}));
    };
    CHECK(answer(1.2, 0).verdict == Verdict::ok);
    CHECK(answer(2.5, 0).verdict == Verdict::attention);
    CHECK(answer(4.5, 0).verdict == Verdict::bad);
    CHECK(answer(4.5, 0).value == Approx(4.5).margin(0.2));
    // Fast, but ahead: near the ground it counts all the same.
    CHECK(answer(2.5, 8).verdict == Verdict::attention);
    CHECK(answer(2.5, 8).evidence.find("below 8 m") != std::string::npos);
    CHECK(answer(4.5, 15, 1).verdict == Verdict::unknown);
}

TEST_CASE("rotor speeds that wander are told from those that follow the battery", "[health][parts][flying]") {
    const auto answer = [](double share) {
        FlightLog log = phases();
        std::mt19937 random(5);
        std::normal_distribution<double> noise(0, 1);
        double wander = 0;
        for (int i = 0; i < 2100; ++i) {
            if (i % 10 == 0) wander = share * noise(random);
            log.channel("rpm.1", "rpm").add(i * 0.1, 5400 * (1 - i * 2e-5) * (1 + wander));
        }
        return health::askRotorSpeed(Flown(log, {}));
    };
    CHECK(answer(0.005).verdict == Verdict::ok);
    CHECK(answer(0.03).verdict == Verdict::attention);
    CHECK(answer(0.08).verdict == Verdict::bad);
    CHECK(health::askRotorSpeed(Flown(phases(), {})).verdict == Verdict::unknown);
}

TEST_CASE("sticks that move while it flies by itself are told", "[health][parts][flying]") {
    const auto answer = [](const char* mode, double from, double to) {
        FlightLog log = phases();
        log.modes = {{0, "manual"}, {65, mode}};
        for (int i = 0; i < 2100; ++i) {
            const double t = i * 0.1;
            log.channel("stick.roll", "").add(t, t > from && t < to ? 0.6 : 0.01);
            log.channel("stick.pitch", "").add(t, 0);
        }
        return health::askSticks(Flown(log, {}));
    };
    CHECK(answer("mission", 0, 0).verdict == Verdict::ok);
    const Answer moved = answer("mission", 100, 108);
    CHECK(moved.verdict == Verdict::attention);
    CHECK(moved.value == Approx(8).margin(1.1));
    CHECK(moved.from_s < 101);
    CHECK(moved.to_s > 101);
    // In a mode that is flown by hand they are to move.
    CHECK(answer("levelled", 100, 108).verdict == Verdict::unknown);
    CHECK(health::askSticks(Flown(phases(), {})).verdict == Verdict::unknown);
}

TEST_CASE("told to hold, it must stay: a drift is a fault, a pilot's stick is none", "[health][parts][flying]") {
    const auto answer = [](double drift_mps, bool by_stick, const char* mode = "position hold") {
        FlightLog log;
        log.modes = {{0, mode}};
        for (int i = 0; i < 900; ++i) {
            const double t = i * 0.1;
            log.channel("position.height_home_m", "m").add(t, 20);
            log.channel("throttle.percent", "%").add(t, 45);
            log.channel("position.lat_deg", "deg").add(t, 47.3 + drift_mps * t / 111195);
            log.channel("position.lon_deg", "deg").add(t, -20.1);
            if (by_stick) log.channel("stick.pitch", "").add(t, -0.3);
        }
        return health::askHold(Flown(log, {}));
    };
    CHECK(answer(0, false).verdict == Verdict::ok);
    CHECK(answer(0.1, false).verdict == Verdict::bad);
    CHECK(answer(0.1, false).value == Approx(8.5).margin(0.6));
    CHECK(answer(0.05, false).verdict == Verdict::attention);
    CHECK(answer(0.3, true).verdict != Verdict::bad);
    CHECK(answer(0.3, false, "mission").verdict != Verdict::bad);
}

TEST_CASE("without heights or throttle it is said that flight cannot be told", "[health][parts]") {
    FlightLog none;
    none.channel("battery.voltage_v", "V").add(0, 16);
    none.channel("battery.voltage_v", "V").add(10, 16);
    const Flown f(none, {});
    CHECK(f.no_air.find("neither") != std::string::npos);
    CHECK(f.air().length_s() == 0);
    FlightLog ground = phases();
    for (double& v : ground.channel("position.height_home_m", "m").value) v = 0;
    CHECK(Flown(ground, {}).no_air.find("not in the air") != std::string::npos);
    // Heights alone are enough.
    FlightLog heights;
    for (int i = 0; i < 100; ++i) heights.channel("position.height_home_m", "m").add(i, i > 20 ? 30 : 0);
    CHECK(Flown(heights, {}).air_s == Approx(79).margin(1));
    // A clock that says years is cut, not waited for.
    FlightLog years;
    years.channel("position.height_home_m", "m").add(0, 1);
    years.channel("position.height_home_m", "m").add(1e12, 1);
    CHECK(Flown(years, {}).cells() < 700000);
}

TEST_CASE("verdicts by thresholds and the worst stretch", "[health][parts]") {
    CHECK(health::judged(1, 2, 3) == Verdict::ok);
    CHECK(health::judged(2, 2, 3) == Verdict::attention);
    CHECK(health::judged(3, 2, 3) == Verdict::bad);
    CHECK(health::judged(NAN, 2, 3) == Verdict::ok);
    CHECK(std::string(verdictText(Verdict::unknown)) == "unknown");
    CHECK(std::string(confidenceText(Answer::high)) == "high");
    const FlightLog log = phases();
    const Flown f(log, {});
    std::vector<double> seconds(f.cells(), 1);
    for (std::size_t i = 80; i < 85; ++i) seconds[i] = 9;
    for (std::size_t i = 100; i < 102; ++i) seconds[i] = 9;
    seconds[20] = NAN;
    const Stretch worst = health::worstStretch(f, seconds, 5);
    CHECK(worst.from_s == Approx(80));
    CHECK(worst.length_s() == Approx(5));
    const Answer a = health::unknown("nothing there");
    CHECK(a.verdict == Verdict::unknown);
    CHECK(a.evidence == "nothing there");
}

TEST_CASE("answers hold together: places inside the log, channels that exist, advice where something is wrong",
          "[health][parts]") {
    SensorFaults all;
    all.compass_ut_per_a = 1.2;
    all.resonance_hz = 55;
    all.resonance_mps2 = 25;
    all.jump_m = 40;
    all.jump_at_s = 50;
    all.jump_for_s = 9;
    all.resistance_factor = 4;
    all.circling_m = 3;
    all.oscillation_deg = 12;
    all.estimate_leaves_m = 6;
    all.weak_motor_percent = 20;
    const FlightLog log = syntheticFlight(31, all);
    const auto answers = diagnose(log);
    CHECK(answers.size() == 20);
    CHECK(count(answers, Verdict::bad) >= 7);
    std::set<std::string> ids;
    for (std::size_t i = 0; i < answers.size(); ++i) {
        const Answer& a = answers[i];
        INFO(a.id << ": " << a.evidence);
        CHECK(ids.insert(a.id).second);
        CHECK_FALSE(a.title.empty());
        CHECK(a.question.ends_with("?"));
        CHECK_FALSE(a.evidence.empty());
        if (a.verdict == Verdict::unknown) continue;
        CHECK(a.from_s >= log.firstTime() - 6);
        CHECK(a.to_s <= log.firstTime() + log.duration_s() + 11);
        CHECK(a.from_s <= a.to_s);
        CHECK(std::isfinite(a.value));
        CHECK_FALSE(a.unit.empty());
        for (const std::string& c : a.channels) CHECK(log.has(c));
        if (a.verdict != Verdict::ok) {
            CHECK_FALSE(a.advice.empty());
            CHECK_FALSE(a.next_flight.empty());
        }
        if (i > 0 && a.verdict == Verdict::bad) CHECK(answers[i - 1].verdict == Verdict::bad);
    }
    // The report has them all as they stand, with what must not be taken for markup.
    ReportInput in;
    in.log = &log;
    in.health = answers;
    in.health[0].evidence = "a <b> & c";
    const std::string page = flightReport(in);
    CHECK(page.find("Health report") != std::string::npos);
    CHECK(page.find("a &lt;b&gt; &amp; c") != std::string::npos);
    CHECK(page.find("next flight:") != std::string::npos);
    in.health.clear();
    CHECK(flightReport(in).find("Health report") == std::string::npos);
}

TEST_CASE("the reserve of the plan decides what was left", "[health][parts]") {
    FlightLog log = phases();
    for (int i = 0; i < 210; ++i) log.channel("battery.left_percent", "%").add(i, 100 - i * 0.35);  // 27 % at the end
    const auto verdictOf = [&](const Plan* plan) {
        HealthOptions options;
        options.plan = plan;
        for (const Answer& a : diagnose(log, options))
            if (a.id == "battery-left") return a.verdict;
        return Verdict::unknown;
    };
    CHECK(verdictOf(nullptr) == Verdict::ok);
    Plan careful = rowPlan(1);
    careful.vehicle.reserve_percent = 35;
    CHECK(verdictOf(&careful) == Verdict::attention);
    for (double& v : log.channel("battery.left_percent", "%").value) v -= 20;
    CHECK(verdictOf(nullptr) == Verdict::bad);
}

TEST_CASE("messages about failures and clipped samples are read from events and counters", "[health][parts]") {
    FlightLog log = phases();
    log.modes = {{0, "hold"}, {60, "mission"}, {150, "return"}};
    const auto answer = [&](const char* id) {
        for (const Answer& a : diagnose(log))
            if (a.id == id) return a;
        return Answer{};
    };
    CHECK(answer("control").verdict == Verdict::ok);
    CHECK(answer("control").evidence.find("mission at 1 min") != std::string::npos);
    log.events.push_back({100, "message", "Battery FAILSAFE: returning"});
    log.events.push_back({101, "message", "all is well"});
    CHECK(answer("control").verdict == Verdict::attention);
    CHECK(answer("control").value == 1);
    CHECK(answer("control").from_s == Approx(95));
    // A counter that starts again counts on.
    for (int i = 0; i < 210; ++i) log.channel("vibration.clipped", "").add(i, i < 100 ? i : i - 100);
    CHECK(answer("clipping").value == Approx(99 + 109));
    CHECK(answer("clipping").verdict == Verdict::bad);
    // Holes and damage of the recording.
    FlightLog holed;
    for (int i = 0; i < 100; ++i)
        for (const char* name : {"position.lat_deg", "position.lon_deg"})
            holed.channel(name, "deg").add(i < 50 ? i : i + 20, 1);
    holed.damaged_bytes = 12;
    holed.damaged_records = 1;
    for (const Answer& a : diagnose(holed))
        if (a.id == "recording") {
            CHECK(a.verdict == Verdict::attention);
            CHECK(a.value == Approx(21));
            CHECK(a.from_s == Approx(49));
            CHECK(a.evidence.find("12 damaged bytes") != std::string::npos);
        }
}

TEST_CASE("each simulated fault shows in its own channels and nowhere else", "[standin][sensors]") {
    const unsigned seed = 12;
    const FlightLog clean = syntheticFlight(seed);
    const auto with = [&](auto set) {
        SensorFaults f;
        set(f);
        return syntheticFlight(seed, f);
    };
    const FlightLog magnet = with([](SensorFaults& f) { f.compass_offset_ut = 20; });
    CHECK(std::abs(meanOf(magnet, "mag.x_ut") - meanOf(clean, "mag.x_ut")) == Approx(12).margin(0.2));
    CHECK(meanOf(magnet, "imu.accel_z_mps2") == Approx(meanOf(clean, "imu.accel_z_mps2")));
    const FlightLog cell = with([](SensorFaults& f) { f.weak_cell_ohm = 0.02; });
    CHECK(meanOf(clean, "battery.cell_3_v") == Approx(meanOf(clean, "battery.cell_1_v")).margin(0.005));
    CHECK(meanOf(cell, "battery.cell_1_v") - meanOf(cell, "battery.cell_3_v") > 0.1);
    CHECK(meanOf(cell, "battery.cell_1_v") == Approx(meanOf(clean, "battery.cell_1_v")).margin(0.005));
    const FlightLog tired = with([](SensorFaults& f) {
        f.resistance_factor = 3;
        f.capacity_factor = 0.5;
    });
    CHECK(meanOf(tired, "battery.voltage_v") < meanOf(clean, "battery.voltage_v") - 0.4);
    const double left = clean.find("battery.left_percent")->value.back(),
                 tired_left = tired.find("battery.left_percent")->value.back();
    CHECK(100 - tired_left == Approx(2 * (100 - left)).epsilon(0.02));
    const FlightLog motor = with([](SensorFaults& f) { f.weak_motor_percent = 10; });
    CHECK(meanOf(motor, "motor.2") > meanOf(clean, "motor.2") + 8);
    CHECK(meanOf(motor, "motor.1") == Approx(meanOf(clean, "motor.1")));
    const FlightLog height = with([](SensorFaults& f) { f.estimate_leaves_m = 5; });
    const double middle = clean.firstTime() + clean.duration_s() / 2;
    CHECK(*height.find("position.height_home_m")->at(middle) - *clean.find("position.height_home_m")->at(middle) ==
          Approx(5).margin(0.1));
    CHECK(*height.find("baro.height_m")->at(middle) == *clean.find("baro.height_m")->at(middle));
    const FlightLog jump = with([](SensorFaults& f) {
        f.jump_m = 60;
        f.jump_at_s = 50;
        f.jump_for_s = 10;
    });
    const auto apart = [&](double t) {
        const auto place = [&](const FlightLog& log) {
            return GeoPoint{*log.find("gps.lat_deg")->at(t), *log.find("gps.lon_deg")->at(t)};
        };
        return distance_m(place(jump), place(clean));
    };
    const double begin = clean.firstTime() + 50;
    CHECK(apart(begin - 1) < 0.1);
    CHECK(apart(begin + 5) == Approx(60).margin(0.5));
    CHECK(apart(begin + 11) < 0.1);
    const FlightLog ringing = with([](SensorFaults& f) {
        f.resonance_hz = 71;
        f.resonance_mps2 = 15;
        f.resonance_s = 30;
    });
    const Channel& z = *ringing.find("imu.accel_z_mps2");
    const auto even = evenSamples(z, z.t_s.front() + 31, z.t_s.back());
    REQUIRE(even);
    const auto spectrum = powerSpectrum(*even, 1024);
    REQUIRE(spectrum);
    REQUIRE_FALSE(peaksOf(*spectrum, 1, 20).empty());
    CHECK(peaksOf(*spectrum, 1, 20)[0].hz == Approx(71).margin(0.5));
    CHECK(statsOf(*ringing.find("vibration.z_mps2"), z.t_s.front() + 5, z.t_s.front() + 29).highest < 4);
    CHECK(statsOf(*ringing.find("vibration.z_mps2"), z.t_s.front() + 40, z.t_s.front() + 60).mean > 15);
    const FlightLog swinging = with([](SensorFaults& f) { f.oscillation_deg = 10; });
    const auto rollOff = [](const FlightLog& log) {
        const Channel &is = *log.find("attitude.roll_deg"), &wanted = *log.find("desired.roll_deg");
        double most = 0;
        for (std::size_t i = 0; i < is.t_s.size(); ++i) most = std::max(most, std::abs(is.value[i] - wanted.value[i]));
        return most;
    };
    CHECK(rollOff(swinging) > rollOff(clean) + 4);
    // Rates are the ones asked for.
    const Plan plan = healthPlan(1);
    const auto flown = rehearse(plan, programIn(plan), nullptr, {});
    REQUIRE(flown);
    SensorRates rates;
    rates.inertial_hz = 100;
    rates.gps_hz = 2;
    rates.battery_hz = 1;
    const FlightLog slow = withSensors(*flown->log, plan.vehicle, {}, 1, rates);
    CHECK(sampleRate_hz(*slow.find("imu.gyro_z_dps")) == Approx(100));
    CHECK(sampleRate_hz(*slow.find("gps.lat_deg")) == Approx(2));
    CHECK(sampleRate_hz(*slow.find("battery.current_a")) == Approx(1));
}

TEST_CASE("damaged demo logs are read and judged in bounded time", "[health][hostile][demo][deep]") {
    const std::string whole = slurp(demo("shakedown-circling.ulg"));
    int read = 0, refused = 0;
    double longest_ms = 0;
    for (const std::string& text : damaged(whole, 30 * testDepth(), 5)) {
        const double start = cpuMs();
        const auto log = readLog(text, "damaged");
        if (log) {
            ++read;
            CHECK(diagnose(**log).size() == 20);
            (void)measuresOf(**log);
        } else {
            ++refused;
            CHECK_FALSE(log.error().message.empty());
        }
        longest_ms = std::max(longest_ms, cpuMs() - start);
    }
    std::cout << fmt::format("damaged logs: {} read and judged, {} refused, longest {:.0f} ms\n", read, refused,
                             longest_ms);
    CHECK(read > 10);
    CHECK(longest_ms < 20000);
}

TEST_CASE("take-off and measures of odd flights", "[review][compare]") {
    FlightLog log;
    CHECK(takeoffTime(log) == 0);
    log.events.push_back({7, "armed", ""});
    CHECK(takeoffTime(log) == 7);
    for (int i = 0; i < 30; ++i) log.channel("position.height_home_m", "m").add(i, i < 12 ? 0 : 3);
    CHECK(takeoffTime(log) == 12);
    CHECK(measuresOf(log).empty());  // too short for four windows
    const FlightLog flight = syntheticFlight(14);
    const auto measures = measuresOf(flight);
    CHECK(measures.size() >= 9);
    for (const Measure& m : measures) {
        INFO(m.name);
        CHECK(m.windows >= 4);
        CHECK(m.error >= 0);
        CHECK(std::isfinite(m.value));
    }
    // The same flight beside itself: nothing changed, nothing differs.
    const auto same = compareFlights(flight, flight);
    for (const MeasureChange& m : same.measures) {
        CHECK(m.difference == 0);
        CHECK_FALSE(m.changed);
    }
    CHECK(paramText(0.1F) == "0.1");
    CHECK(paramText(0.1) == "0.1");
    CHECK(paramText(16777216) == "16777216");
    CHECK(paramText(-3) == "-3");
}
