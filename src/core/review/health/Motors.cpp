// Motors: whether one works harder than the others, and whether one had no room left.
#include <cmath>

#include "core/review/health/Question.h"

namespace anhinga::health {

namespace {
constexpr double kAttention_percent = 6, kBad_percent = 12;  // off the mean of all
constexpr double kFull_percent = 95, kFullAttention_s = 1, kFullBad_s = 5;
}  // namespace

Answer askMotors(const Flown& flown) {
    if (!flown.no_air.empty()) return unknown("It is not known when it flew: " + flown.no_air);
    std::vector<double> means;
    double full_s = 0, full_at = 0;
    std::vector<std::string> names;
    for (int i = 1; i <= 12; ++i) {
        const Channel* c = flown.find(fmt::format("motor.{}", i));
        if (c == nullptr) break;
        names.push_back(c->name);
        means.push_back(statsOf(flown.steadily(*c)).mean);
        double at_limit = 0;
        for (std::size_t k = 1; k < c->t_s.size(); ++k)
            if (c->value[k] >= kFull_percent && c->t_s[k] >= flown.span.from_s && c->t_s[k] <= flown.span.to_s) {
                at_limit += std::min(1.0, c->t_s[k] - c->t_s[k - 1]);
                if (full_at <= 0) full_at = c->t_s[k];
            }
        full_s = std::max(full_s, at_limit);
    }
    if (means.size() < 3) return unknown("The log has no outputs of three motors or more");
    double mean = 0;
    for (const double m : means) mean += m / static_cast<double>(means.size());
    if (mean <= 0) return unknown("The motors' outputs are not percents of their range");
    std::size_t worst = 0;
    for (std::size_t i = 1; i < means.size(); ++i)
        if (std::abs(means[i] - mean) > std::abs(means[worst] - mean)) worst = i;
    Answer a;
    a.unit = "%";
    a.value = std::abs(means[worst] - mean);
    a.verdict =
        std::max(judged(a.value, kAttention_percent, kBad_percent), judged(full_s, kFullAttention_s, kFullBad_s));
    constexpr double kEven_percent = 0.1;
    a.evidence = a.value < kEven_percent
                     ? fmt::format("all {} work at {:.0f} %, none is {} % off", means.size(), mean, kEven_percent)
                     : fmt::format("motor {} works {:.1f} % {} than the mean of {:.0f} %", worst + 1, a.value,
                                   means[worst] > mean ? "harder" : "less", mean);
    a.channels = {names[worst], names[worst == 0 ? 1 : 0]};
    if (full_s > 0) a.evidence += fmt::format("; at its limit for {:.1f} s", full_s);
    if (full_s >= kFullAttention_s) {
        a.from_s = full_at;
        a.to_s = full_at + 5;
    }
    a.ruled_out.emplace_back("turns and rolls: those seconds are left out of the means");
    if (a.verdict != Verdict::ok) {
        a.advice = "Look at that motor, its propeller and arm; bring the load to the middle";
        a.next_flight =
            "Hover in calm air, turn by 180 degrees, hover again: wind changes sides, a weak motor does not";
    }
    return a;
}

}  // namespace anhinga::health
