// Spectra: known tones, known power, holes and uneven clocks told, against throttle.
#include <catch2/catch.hpp>

#include <random>

#include "core/analysis/Spectrum.h"

using namespace anhinga;

namespace {

Channel tone(double rate_hz, double seconds, const std::vector<std::pair<double, double>>& tones, double noise = 0,
             unsigned seed = 1) {
    Channel c;
    c.name = "x";
    std::mt19937 random(seed);
    std::normal_distribution<double> normal(0, 1);
    for (int i = 0; i < rate_hz * seconds; ++i) {
        const double t = 100 + i / rate_hz;
        double v = 3;  // a mean that must not leak
        for (const auto& [hz, amplitude] : tones) v += amplitude * std::sin(2 * M_PI * hz * t);
        c.add(t, v + noise * normal(random));
    }
    return c;
}

Spectrum spectrumOf(const Channel& c, std::size_t segment) {
    const auto even = evenSamples(c, -INFINITY, INFINITY);
    REQUIRE(even);
    const auto s = powerSpectrum(*even, segment);
    REQUIRE(s);
    return *s;
}

}  // namespace

TEST_CASE("tones are found at their frequencies, within a tenth of a line", "[analysis][spectrum]") {
    for (const double hz : {23.7, 80.0, 151.3, 333.3}) {
        const Spectrum s = spectrumOf(tone(1000, 20, {{hz, 2}}, 0.2), 1024);
        CHECK(s.resolution_hz == Approx(1000.0 / 1024));
        CHECK(s.rate_hz == Approx(1000));
        const auto peaks = peaksOf(s);
        REQUIRE_FALSE(peaks.empty());
        CHECK(peaks[0].hz == Approx(hz).margin(0.1));
        CHECK(peaks[0].above_db > 20);
        CHECK(peaks[0].rms == Approx(2 / std::sqrt(2)).margin(0.05));
    }
    const auto two = peaksOf(spectrumOf(tone(500, 30, {{40, 1}, {120, 3}}, 0.1), 512));
    REQUIRE(two.size() >= 2);
    CHECK(two[0].hz == Approx(120).margin(0.1));
    CHECK(two[1].hz == Approx(40).margin(0.1));
}

TEST_CASE("the area under a spectrum is the variance, and noise alone has no peak", "[analysis][spectrum]") {
    const Channel c = tone(800, 60, {{50, 1.5}}, 0.7);
    double mean = 0, variance = 0;
    for (const double v : c.value) mean += v / static_cast<double>(c.value.size());
    for (const double v : c.value) variance += (v - mean) * (v - mean) / static_cast<double>(c.value.size());
    const Spectrum s = spectrumOf(c, 2048);
    CHECK(std::pow(s.rms(0, 400), 2) == Approx(variance).epsilon(0.02));
    CHECK(s.rms(45, 55) == Approx(1.5 / std::sqrt(2)).epsilon(0.03));
    for (unsigned seed = 1; seed <= 10; ++seed) CHECK(peaksOf(spectrumOf(tone(800, 60, {}, 1, seed), 1024)).empty());
}

TEST_CASE("holes and uneven clocks are told, and nothing is made up across a hole", "[analysis][spectrum]") {
    Channel c = tone(200, 20, {{30, 1}});
    Channel holed;
    holed.name = "h";
    for (std::size_t i = 0; i < c.t_s.size(); ++i)
        if (i < 1500 || i > 1900) holed.add(c.t_s[i], c.value[i]);
    const auto even = evenSamples(holed, -INFINITY, INFINITY);
    REQUIRE(even);
    CHECK(even->holes == 1);
    CHECK(even->lost_s == Approx(2.01).margin(0.02));
    CHECK(even->stretches.size() == 2);
    CHECK(even->longest_s() == Approx(10.5).margin(0.1));
    CHECK(even->uneven_percent < 1);
    CHECK(peaksOf(*powerSpectrum(*even, 512))[0].hz == Approx(30).margin(0.1));
    std::mt19937 random(3);
    Channel uneven;
    for (std::size_t i = 0; i < c.t_s.size(); ++i)
        uneven.add(c.t_s[i] + (static_cast<double>(random() % 1000) / 1000 - 0.5) * 0.003, c.value[i]);
    CHECK(evenSamples(uneven, -INFINITY, INFINITY)->uneven_percent > 30);
    // Too little is said, with how much there is.
    const auto small = powerSpectrum(*even, 1 << 20);
    REQUIRE_FALSE(small);
    CHECK(small.error().message.find("10.5 s") != std::string::npos);
    CHECK_FALSE(evenSamples(c, 0, 1));
    Channel still;
    for (int i = 0; i < 100; ++i) still.add(5, i);
    CHECK_FALSE(evenSamples(still, -INFINITY, INFINITY));
    CHECK_FALSE(evenSamples(Channel{}, -INFINITY, INFINITY));
}

TEST_CASE("a spectrogram follows a tone that rises, a map against throttle one that follows the throttle",
          "[analysis][spectrum]") {
    Channel c, throttle;
    throttle.name = "throttle.percent";
    double phase = 0;
    for (int i = 0; i < 40 * 1000; ++i) {
        const double t = i / 1000.0, percent = 30 + 30 * t / 40, hz = 60 + 2 * percent;
        phase += 2 * M_PI * hz / 1000;
        c.add(t, std::sin(phase));
        if (i % 100 == 0) throttle.add(t, percent);
    }
    const auto even = evenSamples(c, -INFINITY, INFINITY);
    REQUIRE(even);
    const auto loudest = [](const SpectrumMap& m, std::size_t row) {
        return m.hz[static_cast<std::size_t>(std::max_element(m.density[row].begin(), m.density[row].end()) -
                                             m.density[row].begin())];
    };
    const auto over_time = spectrogram(*even, 512);
    REQUIRE(over_time);
    for (std::size_t r = 0; r < over_time->along.size(); r += 9)
        CHECK(loudest(*over_time, r) == Approx(60 + 2 * (30 + 30 * over_time->along[r] / 40)).margin(3));
    const auto against = spectrumAgainst(*even, throttle, 512, 10);
    REQUIRE(against);
    REQUIRE(against->along.size() == 10);
    for (std::size_t b = 0; b < 10; ++b) {
        REQUIRE_FALSE(against->density[b].empty());
        CHECK(loudest(*against, b) == Approx(60 + 2 * against->along[b]).margin(6));
    }
    CHECK_FALSE(spectrumAgainst(*even, Channel{}, 512, 10));
    Channel later;
    later.add(1000, 5);
    CHECK_FALSE(spectrumAgainst(*even, later, 512, 10));
}
