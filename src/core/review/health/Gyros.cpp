// Gyros, apart from the accelerometers: the strongest peak of the spectrum and how strong it is.
#include <cmath>

#include "core/analysis/Spectrum.h"
#include "core/review/health/Question.h"

namespace anhinga::health {

namespace {
constexpr double kAttention_dps = 2.5, kBad_dps = 8;  // root mean square of the peak alone
constexpr double kFastEnough_hz = 80, kLowest_hz = 12;
}  // namespace

Answer askGyros(const Flown& flown) {
    if (!flown.no_air.empty()) return unknown("It is not known when it flew: " + flown.no_air);
    const Stretch air = flown.air();
    std::optional<SpectrumPeak> worst;
    std::string axis;
    double rate = 0, resolution = 0, noise = 0;
    for (const char* which : {"x", "y", "z"}) {
        const Channel* c = flown.find(fmt::format("imu.gyro_{}_dps", which));
        if (c == nullptr) continue;
        const auto even = evenSamples(*c, air.from_s, air.to_s);
        if (!even) continue;
        rate = std::max(rate, even->rate_hz);
        if (even->rate_hz < kFastEnough_hz) continue;
        const auto spectrum = powerSpectrum(*even, even->longest_s() * even->rate_hz >= 8192 ? 2048 : 512);
        if (!spectrum) continue;
        resolution = spectrum->resolution_hz;
        noise = std::max(noise, spectrum->rms(kLowest_hz, even->rate_hz / 2));
        const auto peaks = peaksOf(*spectrum, 3, kLowest_hz);
        for (const SpectrumPeak& p : peaks)
            if (!worst || p.rms > worst->rms) {
                worst = p;
                axis = c->name;
            }
    }
    if (rate <= 0) return unknown("The log has no gyros");
    if (rate < kFastEnough_hz)
        return unknown(fmt::format("The gyros are logged {:.0f} times a second: nothing above {:.0f} Hz can be seen",
                                   rate, rate / 2));
    if (resolution <= 0) return unknown("No stretch in the air is long enough and without holes");
    Answer a;
    a.from_s = air.from_s;
    a.to_s = air.to_s;
    a.unit = "Hz";
    a.confidence = Answer::high;
    a.held_back.push_back(fmt::format(
        "lines every {:.2f} Hz up to {:.0f} Hz; what is faster shows at a false frequency", resolution, rate / 2));
    if (!worst) {
        a.verdict = judged(noise, kAttention_dps, kBad_dps);
        a.unit = "deg/s";
        a.value = noise;
        a.evidence = fmt::format("no peak stands out; {:.1f} °/s root mean square above {:.0f} Hz", noise, kLowest_hz);
    } else {
        a.value = worst->hz;
        a.verdict = judged(worst->rms, kAttention_dps, kBad_dps);
        a.channels = {axis};
        a.evidence = fmt::format("most at {:.1f} Hz: {:.1f} °/s root mean square, {:.0f} dB above what is around it",
                                 worst->hz, worst->rms, worst->above_db);
    }
    a.ruled_out.emplace_back("clean gyros say nothing about the accelerometers: those are judged apart");
    if (a.verdict != Verdict::ok) {
        a.advice = worst ? fmt::format(
                               "Look for what turns or swings at {:.0f} Hz: propellers turn with the throttle, a "
                               "frame rings at one frequency (see the spectrum against throttle)",
                               worst->hz)
                         : std::string("Look for loose parts; the shaking has no one frequency");
        a.next_flight =
            "Climb slowly from lowest to highest throttle: a peak that moves is a propeller, one that stays is "
            "the frame";
    }
    return a;
}

}  // namespace anhinga::health
