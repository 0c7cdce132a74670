// Height: the estimate against barometer and GPS, each freed of its offset.
#include <cmath>

#include "core/review/health/Question.h"

namespace anhinga::health {

namespace {
constexpr double kBaroAttention_m = 1.5, kBaroBad_m = 4;  // 95 of 100 seconds below
constexpr double kGpsAttention_m = 6, kGpsBad_m = 12;     // where there is no barometer: GPS heights wander
constexpr std::size_t kEnough_s = 15;

/// What is left when the median is taken off.
std::vector<double> difference(const std::vector<double>& a, const std::vector<double>& b) {
    std::vector<double> out(a.size(), NAN);
    for (std::size_t i = 0; i < a.size(); ++i) out[i] = a[i] - b[i];
    const double middle = percentile(out, 50);
    for (double& v : out) v = std::abs(v - middle);
    return out;
}
}  // namespace

Answer askHeight(const Flown& flown) {
    if (!flown.no_air.empty()) return unknown("It is not known when it flew: " + flown.no_air);
    const Channel* estimate = flown.find("position.height_home_m");
    if (estimate == nullptr) return unknown("The log has no estimated height");
    const Channel* baro = flown.find("baro.height_m");
    const Channel* gps = flown.find("gps.height_amsl_m");
    const bool one = baro != nullptr && baro->value == estimate->value;
    if (one) baro = nullptr;
    if (one && gps == nullptr)
        return unknown("The log's height is the barometer's own: there is no other to compare it with");
    if (baro == nullptr && gps == nullptr)
        return unknown("The log has neither the barometer's height nor the GPS's to compare with");
    const auto heights = flown.inAir(*estimate);
    std::vector<double> to_baro, to_gps;
    if (baro != nullptr) to_baro = difference(heights, flown.inAir(*baro));
    if (gps != nullptr) to_gps = difference(heights, flown.inAir(*gps));
    const auto& judge = baro != nullptr ? to_baro : to_gps;
    const auto known = std::count_if(judge.begin(), judge.end(), [](double v) { return std::isfinite(v); });
    if (static_cast<std::size_t>(known) < kEnough_s)
        return unknown(fmt::format("Only {} seconds in the air with both heights; {} are needed", known, kEnough_s));
    Answer a;
    a.unit = "m";
    a.value = percentile(judge, 95);
    a.verdict =
        baro != nullptr ? judged(a.value, kBaroAttention_m, kBaroBad_m) : judged(a.value, kGpsAttention_m, kGpsBad_m);
    const Stretch worst = worstStretch(flown, judge, 10);
    a.from_s = worst.from_s;
    a.to_s = worst.to_s;
    a.channels = {estimate->name};
    if (baro != nullptr) {
        a.channels.push_back(baro->name);
        a.evidence = fmt::format("the estimate is within {:.1f} m of the barometer for 95 of 100 seconds", a.value);
        a.confidence = Answer::high;
    } else {
        a.held_back.emplace_back(
            one ? "the log's height is the barometer's own: the GPS's height wanders by metres of itself"
                : "no barometer in the log: the GPS's height wanders by metres of itself");
    }
    if (gps != nullptr) {
        const double g = percentile(to_gps, 95);
        a.evidence +=
            fmt::format("{}within {:.1f} m of the GPS's height", a.evidence.empty() ? "the estimate is " : "; ", g);
        if (baro != nullptr && a.verdict != Verdict::ok) {
            const double between = percentile(difference(flown.inAir(*baro), flown.inAir(*gps)), 95);
            if (between < 0.7 * a.value)
                a.ruled_out.push_back(fmt::format(
                    "the barometer: it agrees with the GPS within {:.1f} m, the estimate is what leaves", between));
        }
    }
    if (a.verdict != Verdict::ok) {
        for (const char* axis : {"x", "y", "z"})
            if (const Channel* v = flown.find(fmt::format("vibration.{}_mps2", axis))) {
                const double r = correlation(judge, flown.inAir(*v));
                if (r > 0.6) a.evidence += fmt::format("; it leaves where {} shakes (r {:.2f})", axis, r);
            }
        a.advice =
            "See to vibration and clipping first; cover the barometer against the airflow; plan more height above "
            "ground until it is mended";
        a.next_flight = "Hover at 10 m for a minute, climb to 30 m, hover again: the heights must agree in all three";
    }
    return a;
}

}  // namespace anhinga::health
