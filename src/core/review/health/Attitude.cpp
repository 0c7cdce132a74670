// Attitude: actual roll and pitch against the desired ones, at the lag that fits best.
#include <cmath>

#include "core/review/health/Question.h"

namespace anhinga::health {

namespace {
constexpr double kAttention_deg = 2.5, kBad_deg = 6;  // root mean square over the worst five seconds
constexpr double kStep_s = 0.04, kMostLag_s = 0.6;
constexpr double kLagAttention_s = 0.35;
constexpr double kSlowest_hz = 4;  // of either channel
}  // namespace

Answer askAttitude(const Flown& flown) {
    if (!flown.no_air.empty()) return unknown("It is not known when it flew: " + flown.no_air);
    Answer a;
    a.unit = "deg";
    bool any = false, slow = false;
    double lag_s = 0;
    const Stretch air = flown.air();
    const auto n = static_cast<std::size_t>(air.length_s() / kStep_s);
    for (const char* axis : {"roll", "pitch"}) {
        const Channel* actual = flown.find(fmt::format("attitude.{}_deg", axis));
        const Channel* wanted = flown.find(fmt::format("desired.{}_deg", axis));
        if (actual == nullptr || wanted == nullptr || n < 100) continue;
        if (std::min(sampleRate_hz(*actual), sampleRate_hz(*wanted)) < kSlowest_hz) {
            slow = true;
            continue;
        }
        const auto is = onGrid(*actual, air.from_s, kStep_s, n), want = onGrid(*wanted, air.from_s, kStep_s, n);
        const auto errorAt = [&](std::size_t shift) {
            double sum = 0;
            std::size_t count = 0;
            for (std::size_t i = shift; i < n; ++i) {
                const double d = is[i] - want[i - shift];
                if (!std::isfinite(d)) continue;
                sum += d * d;
                ++count;
            }
            return count > 0 ? sum / static_cast<double>(count) : INFINITY;
        };
        std::size_t best = 0;
        for (std::size_t s = 1; s <= static_cast<std::size_t>(kMostLag_s / kStep_s); ++s)
            if (errorAt(s) < errorAt(best)) best = s;
        // Worst five seconds at that lag.
        const auto window = static_cast<std::size_t>(5 / kStep_s);
        double worst = 0;
        std::size_t at = 0;
        for (std::size_t from = best; from + window <= n; from += window / 5) {
            double sum = 0;
            std::size_t count = 0;
            for (std::size_t i = from; i < from + window; ++i) {
                const double d = is[i] - want[i - best];
                if (!std::isfinite(d)) continue;
                sum += d * d;
                ++count;
            }
            const double rms = count > window / 2 ? std::sqrt(sum / static_cast<double>(count)) : 0;
            if (rms > worst) {
                worst = rms;
                at = from;
            }
        }
        if (any && worst <= a.value) continue;
        any = true;
        a.value = worst;
        lag_s = static_cast<double>(best) * kStep_s;
        a.from_s = air.from_s + static_cast<double>(at) * kStep_s;
        a.to_s = a.from_s + 5;
        a.channels = {actual->name, wanted->name};
        a.evidence = fmt::format("{} is off by {:.1f}° (root mean square) in the worst five seconds, {:.2f} s behind",
                                 axis, worst, lag_s);
    }
    if (!any)
        return unknown(slow ? fmt::format("Attitudes are logged less than {:.0f} times a second", kSlowest_hz)
                            : std::string("The log has no desired attitude, or flew too short"));
    a.verdict = std::max(judged(a.value, kAttention_deg, kBad_deg), judged(lag_s, kLagAttention_s, INFINITY));
    a.confidence = Answer::high;
    if (a.verdict != Verdict::ok) {
        a.advice =
            "Check that nothing is loose, then tune the attitude control: swings after a change say the gains are too "
            "high, a slow one that they are too low";
        a.next_flight = "Short full rolls left and right in calm air: how long does it swing after each?";
        if (const Channel* motor = flown.find("motor.1"))
            if (statsOf(*motor, a.from_s, a.to_s).highest < 95)
                a.ruled_out.emplace_back("motors at their limit: motor 1 had room all the time");
    }
    return a;
}

}  // namespace anhinga::health
