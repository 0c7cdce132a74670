// The health report: seeded flights with known faults at several strengths, and clean ones; what is missing is unknown.
#include <catch2/catch.hpp>

#include <iostream>

#include "SyntheticFlight.h"
#include "core/review/Health.h"

using namespace anhinga;
using namespace anhinga::testing;

namespace {

const Answer& of(const std::vector<Answer>& answers, const std::string& id) {
    for (const Answer& a : answers)
        if (a.id == id) return a;
    FAIL("no question " << id);
    return answers.front();
}

struct Case {
    const char* name;
    const char* question;
    void (*set)(SensorFaults&, int strength, unsigned seed);  // 1 .. 10
    int strong;                                               // from this strength on it must be found
};
constexpr Case kCases[] = {
    {"compass disturbed by the motors", "compass-motors",
     [](SensorFaults& f, int s, unsigned) { f.compass_ut_per_a = 0.15 * s; }, 5},
    {"magnet near the compass", "compass-model",
     [](SensorFaults& f, int s, unsigned) { f.compass_offset_ut = 3.0 * s; }, 5},
    {"resonance", "gyros",
     [](SensorFaults& f, int s, unsigned seed) {
         f.resonance_mps2 = 2.0 * s;
         f.resonance_hz = 40 + seed * 7 % 60;
     },
     5},
    {"shaking", "vibration",
     [](SensorFaults& f, int s, unsigned seed) {
         f.resonance_mps2 = 4.0 * s;
         f.resonance_hz = 40 + seed * 7 % 60;
     },
     4},
    {"GPS jump", "gps-jump",
     [](SensorFaults& f, int s, unsigned seed) {
         f.jump_m = 4.0 * s;
         f.jump_at_s = 40 + seed % 20;
         f.jump_for_s = 8 + seed % 7;
     },
     3},
    {"tired battery", "battery-sag", [](SensorFaults& f, int s, unsigned) { f.resistance_factor = 1 + 0.5 * s; }, 4},
    {"weak cell", "battery-sag", [](SensorFaults& f, int s, unsigned) { f.weak_cell_ohm = 0.003 * s; }, 5},
    {"hold that circles", "hold", [](SensorFaults& f, int s, unsigned) { f.circling_m = 0.5 * s; }, 4},
    {"attitude that swings", "attitude", [](SensorFaults& f, int s, unsigned) { f.oscillation_deg = 1.5 * s; }, 7},
    {"estimated height that leaves", "height", [](SensorFaults& f, int s, unsigned) { f.estimate_leaves_m = 0.9 * s; },
     5},
    {"weak motor", "motors", [](SensorFaults& f, int s, unsigned) { f.weak_motor_percent = 3.0 * s; }, 5},
};

}  // namespace

TEST_CASE("clean flights have no bad verdict, and almost none that asks for attention", "[health]") {
    int attention = 0, answers = 0;
    for (unsigned seed = 1; seed <= 20; ++seed) {
        const auto report = diagnose(syntheticFlight(seed));
        for (const Answer& a : report) {
            INFO("flight " << seed << ", " << a.id << ": " << a.evidence);
            CHECK(a.verdict != Verdict::bad);
            if (a.verdict == Verdict::attention) {
                ++attention;
                std::cout << "clean flight " << seed << ": " << a.id << " asks for attention: " << a.evidence << "\n";
            }
            ++answers;
        }
    }
    std::cout << "20 clean flights, " << answers << " answers: 0 bad expected, " << attention << " ask for attention\n";
    CHECK(attention <= 6);
}

namespace {
void foundByTheRightQuestion(std::initializer_list<int> strengths_tried, unsigned first_seed) {
    for (const Case& c : kCases) {
        int found = 0, bad = 0, elsewhere = 0;
        std::string strengths;
        for (const int strength : strengths_tried) {
            const unsigned seed = first_seed + static_cast<unsigned>(strength);
            SensorFaults faults;
            c.set(faults, strength, seed);
            const auto report = diagnose(syntheticFlight(seed, faults));
            const Answer& a = of(report, c.question);
            INFO(c.name << " at strength " << strength << ": " << verdictText(a.verdict) << ", " << a.evidence);
            const bool seen = a.verdict == Verdict::bad || a.verdict == Verdict::attention;
            found += seen;
            bad += a.verdict == Verdict::bad;
            strengths += seen ? (a.verdict == Verdict::bad ? 'B' : 'a') : '.';
            if (strength >= c.strong) {
                CHECK(seen);
                CHECK_FALSE(a.advice.empty());
                CHECK_FALSE(a.next_flight.empty());
            }
            for (const Answer& other : report) elsewhere += other.verdict == Verdict::bad && other.id != c.question;
            if (faults.resonance_hz > 0 && seen && std::string(c.question) == "gyros")
                CHECK(a.value == Approx(faults.resonance_hz).margin(2));
            if (faults.jump_m > 0 && seen) {
                const double begin = a.from_s, end = a.to_s;
                CHECK(begin == Approx(faults.jump_at_s).margin(1));
                CHECK(end == Approx(faults.jump_at_s + faults.jump_for_s).margin(1));
                CHECK(a.value == Approx(faults.jump_m).epsilon(0.15).margin(1));
            }
        }
        std::cout << fmt::format("{:<34} {:<15} found {:>2} of {} ({}), {} bad, {} other bad verdicts\n", c.name,
                                 c.question, found, strengths_tried.size(), strengths, bad, elsewhere);
    }
}
}  // namespace

TEST_CASE("faults are found by the right question", "[health]") {
    foundByTheRightQuestion({3, 7, 10}, 100);
}
TEST_CASE("faults of ten strengths each are found by the right question", "[health][long]") {
    foundByTheRightQuestion({1, 2, 3, 4, 5, 6, 7, 8, 9, 10}, 100);
}
