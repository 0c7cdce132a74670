// Spectra of channels: by frequency (Welch's method), over time, and against another channel such as the throttle.
#pragma once

#include <optional>
#include <string>
#include <vector>

#include "core/base/Result.h"
#include "core/flightlog/FlightLog.h"

namespace anhinga {

/// A stretch of a channel at one rate, without holes.
struct EvenStretch {
    double from_s = 0, rate_hz = 0;
    std::vector<double> value;
};
/// How evenly a channel was sampled, and its stretches.
struct EvenSamples {
    double rate_hz = 0;         // of the median step
    double uneven_percent = 0;  // samples more than a tenth of a step off their place
    double lost_s = 0;          // holes: steps longer than two and a half
    int holes = 0;
    std::vector<EvenStretch> stretches;
    double longest_s() const;
};
/// Interpolated onto even steps of the median one, cut at holes and to from_s .. to_s. Fails for fewer than 16 samples
/// or a channel that does not move on in time.
Result<EvenSamples> evenSamples(const Channel& channel, double from_s, double to_s);

/// Power spectral density, one-sided: unit^2 / Hz at each frequency.
struct Spectrum {
    double resolution_hz = 0;
    std::vector<double> hz, density;
    int segments = 0;    // how many were averaged
    double rate_hz = 0;  // nothing above its half can be seen
    /// The root of what lies between two frequencies: the share of the standard deviation there.
    double rms(double from_hz, double to_hz) const;
};
/// Welch (IEEE Trans. Audio Electroacoust. AU-15, 1967): segments of `segment` samples (rounded down to a power of two,
/// at least 16), half overlapping, Hann window, the mean of each taken off. Fails when no stretch holds one segment.
Result<Spectrum> powerSpectrum(const EvenSamples& samples, std::size_t segment);

/// Density over two axes: rows of `hz`, one for each entry of `along`.
struct SpectrumMap {
    std::vector<double> hz, along;             // seconds, or the middle of each band of the other channel
    std::vector<std::vector<double>> density;  // [along][hz]; an empty row: nothing to say
    double rate_hz = 0, resolution_hz = 0;
};
Result<SpectrumMap> spectrogram(const EvenSamples& samples, std::size_t segment);
/// Each segment goes to the band of `level` (its mean over the segment); `bands` between the lowest and highest level.
/// A band with fewer than two segments is left empty.
Result<SpectrumMap> spectrumAgainst(const EvenSamples& samples, const Channel& level, std::size_t segment, int bands);

struct SpectrumPeak {
    double hz = 0, density = 0;
    double above_db = 0;  // over the median around it
    double rms = 0;       // of the peak alone
};
/// At most `most` of them, the strongest first: local maxima at least 6 dB above the median of the octave around, not
/// below `lowest_hz`, and with a valley 6 dB deep to every stronger one. The frequency is refined by a parabola through
/// the logarithms of three lines.
std::vector<SpectrumPeak> peaksOf(const Spectrum& spectrum, std::size_t most = 5, double lowest_hz = 0);

}  // namespace anhinga
