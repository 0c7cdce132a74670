// Accelerometers: how much they shake, at which throttle and frequency; and whether they were driven to their limit.
#include <algorithm>
#include <cmath>

#include "core/analysis/Spectrum.h"
#include "core/review/health/Question.h"

namespace anhinga::health {

namespace {

constexpr double kAttention_mps2 = 8, kBad_mps2 = 25;  // root mean square, 95 of 100 seconds below
constexpr double kShakingNeeds_hz = 60;                // below it shaking of propellers is not seen
constexpr double kSlow_s = 0.2;                        // slower is flying
constexpr double kRange_mps2 = 8 * 9.80665;  // of the smallest sensor in use: two equal values there are a limit
constexpr int kClippedAttention = 1, kClippedBad = 50;

const char* const kAxes[] = {"x", "y", "z"};

struct Shaking {
    std::string axis, source;
    std::vector<double> per_second;
    double p95 = -1;
};

/// Of the axis that shakes most.
std::optional<Shaking> shaking(const Flown& flown) {
    std::optional<Shaking> worst;
    for (const char* axis : kAxes) {
        Shaking s;
        s.axis = axis;
        const Channel* accel = flown.find(fmt::format("imu.accel_{}_mps2", axis));
        if (accel != nullptr && sampleRate_hz(*accel) >= kShakingNeeds_hz) {
            s.source = accel->name;
            s.per_second = flown.inAir(shakingOf(*accel, kSlow_s, Flown::kStep_s));
        } else if (const Channel* level = flown.find(fmt::format("vibration.{}_mps2", axis))) {
            s.source = level->name;
            s.per_second = flown.inAir(*level);
        } else {
            continue;
        }
        s.p95 = percentile(s.per_second, 95);
        if (std::isfinite(s.p95) && (!worst || s.p95 > worst->p95)) worst = std::move(s);
    }
    return worst;
}

}  // namespace

Answer askVibration(const Flown& flown) {
    if (!flown.no_air.empty()) return unknown("It is not known when it flew: " + flown.no_air);
    const auto s = shaking(flown);
    if (!s)
        return unknown(
            fmt::format("The log has no accelerometer sampled {:.0f} times a second or more, and no "
                        "vibration figures",
                        kShakingNeeds_hz));
    Answer a;
    a.value = s->p95;
    a.unit = "m/s2";
    a.verdict = judged(s->p95, kAttention_mps2, kBad_mps2);
    const Stretch worst = worstStretch(flown, s->per_second, 5);
    a.from_s = worst.from_s;
    a.to_s = worst.to_s;
    a.channels = {s->source};
    a.evidence =
        fmt::format("{} shakes with {:.1f} m/s² (root mean square; 5 of 100 seconds were worse)", s->axis, s->p95);
    if (const Channel* throttle = flown.find("throttle.percent")) {
        a.channels.push_back(throttle->name);
        const auto level = flown.inAir(*throttle);
        // Where the worst tenth of the seconds lies.
        const double high = percentile(s->per_second, 90);
        std::vector<double> there;
        for (std::size_t i = 0; i < level.size(); ++i)
            if (s->per_second[i] >= high) there.push_back(level[i]);
        const double low_t = percentile(there, 10), high_t = percentile(there, 90);
        if (std::isfinite(low_t)) a.evidence += fmt::format("; worst at {:.0f} to {:.0f} % throttle", low_t, high_t);
        std::vector<double> still;
        for (std::size_t i = 0; i < level.size(); ++i) still.push_back(flown.steady[i] != 0 ? s->per_second[i] : NAN);
        const double steady = percentile(still, 95);
        if (a.verdict != Verdict::ok && std::isfinite(steady) && steady > 0.7 * s->p95)
            a.ruled_out.push_back(fmt::format("turns: in steady flight alone it is {:.1f} m/s²", steady));
    }
    if (const Channel* accel = flown.find(fmt::format("imu.accel_{}_mps2", s->axis)); accel != nullptr) {
        const Stretch air = flown.air();
        if (const auto even = evenSamples(*accel, air.from_s, air.to_s)) {
            if (const auto spectrum = powerSpectrum(*even, 1024)) {
                constexpr double kLowest_hz = 8;
                const auto peaks = peaksOf(*spectrum, 1, kLowest_hz);
                if (!peaks.empty()) a.evidence += fmt::format("; most at {:.1f} Hz", peaks[0].hz);
                a.held_back.push_back(
                    fmt::format("sampled at {:.0f} Hz: what is above {:.0f} Hz shows at a false frequency",
                                even->rate_hz, even->rate_hz / 2));
            }
        }
        a.confidence = Answer::high;
    } else {
        a.held_back.emplace_back("the log has only the aircraft's own vibration figures, no accelerometer samples");
    }
    if (a.verdict != Verdict::ok) {
        a.advice = "Balance or replace the propellers, look for loose arms and bearings, mount the autopilot softer";
        a.next_flight = "Hover two minutes without load, then with other propellers: compare the two logs";
    }
    return a;
}

Answer askClipping(const Flown& flown) {
    if (!flown.no_air.empty()) return unknown("It is not known when it flew: " + flown.no_air);
    Answer a;
    a.unit = "samples";
    if (const Channel* clipped = flown.find("vibration.clipped")) {
        // A counter; it may begin anywhere and start again.
        double before = NAN, first = 0, last = 0;
        for (std::size_t i = 0; i < clipped->t_s.size(); ++i) {
            const double t = clipped->t_s[i], v = clipped->value[i];
            if (t < flown.span.from_s || t > flown.span.to_s) continue;
            if (std::isfinite(before) && v > before) {
                a.value += v - before;
                if (first <= 0) first = t;
                last = t;
            }
            before = v;
        }
        a.channels = {clipped->name};
        a.from_s = first;
        a.to_s = last > first ? last : first + 1;
        a.confidence = Answer::high;
    } else {
        const Stretch air = flown.air();
        double first = 0, last = 0, rate = 0;
        for (const char* axis : kAxes) {
            const Channel* c = flown.find(fmt::format("imu.accel_{}_mps2", axis));
            if (c == nullptr) continue;
            a.channels.push_back(c->name);
            rate = std::max(rate, sampleRate_hz(*c));
            const Stats s = statsOf(*c, air.from_s, air.to_s);
            const double limit = std::max(std::abs(s.lowest), std::abs(s.highest));
            if (limit < kRange_mps2) continue;
            // Driven to a limit: the very same largest value again and again.
            int equal = 0;
            for (std::size_t i = 0; i < c->t_s.size(); ++i)
                if (air.holds(c->t_s[i]) && std::abs(c->value[i]) >= limit) {
                    ++equal;
                    if (first <= 0) first = c->t_s[i];
                    last = c->t_s[i];
                }
            if (equal > 1) a.value += equal;
        }
        if (a.channels.empty()) return unknown("The log has neither accelerometers nor a count of clipped samples");
        if (rate < kShakingNeeds_hz)
            return unknown(fmt::format("Accelerometers are logged {:.0f} times a second: too seldom to see it", rate));
        a.from_s = first;
        a.to_s = last;
        a.held_back.emplace_back("told from equal largest values: the log has no count of its own");
    }
    a.verdict = judged(a.value, kClippedAttention, kClippedBad);
    a.evidence = a.value > 0 ? fmt::format("{:.0f} samples at the limit", a.value) : "no sample at the limit";
    if (a.verdict != Verdict::ok) {
        a.advice = "Do not fly missions: a clipped accelerometer gives wrong heights. See to the vibration first";
        a.next_flight = "A hover at low height after the repair; no sample may clip";
    }
    return a;
}

}  // namespace anhinga::health
