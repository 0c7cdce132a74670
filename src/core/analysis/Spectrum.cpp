#include "core/analysis/Spectrum.h"
#include "core/base/Numbers.h"

#include <fftw3.h>

#include <algorithm>
#include <cmath>
#include <memory>
#include <mutex>

namespace anhinga {

namespace {

constexpr std::size_t kLeastSegment = 16;

/// Planning is not thread-safe; the transform is.
std::mutex& planning() {
    static std::mutex mutex;
    return mutex;
}

/// The transform of real segments of one length, windowed.
class Transform {
  public:
    explicit Transform(std::size_t n)
        : n_(n), in_(fftw_alloc_real(n)), out_(fftw_alloc_complex(n / 2 + 1)), window_(n) {
        for (std::size_t i = 0; i < n; ++i) {
            window_[i] = 0.5 - 0.5 * std::cos(2 * M_PI * static_cast<double>(i) / static_cast<double>(n));
            power_ += window_[i] * window_[i];
        }
        const std::lock_guard lock(planning());
        plan_ = fftw_plan_dft_r2c_1d(static_cast<int>(n), in_, out_, FFTW_ESTIMATE);
    }
    ~Transform() {
        const std::lock_guard lock(planning());
        fftw_destroy_plan(plan_);
        fftw_free(in_);
        fftw_free(out_);
    }
    Transform(const Transform&) = delete;
    Transform& operator=(const Transform&) = delete;

    std::size_t lines() const { return n_ / 2 + 1; }
    /// Adds the density of n samples from `at` on to `sum`.
    void add(const double* at, double rate_hz, std::vector<double>& sum) {
        double mean = 0;
        for (std::size_t i = 0; i < n_; ++i) mean += at[i];
        mean /= static_cast<double>(n_);
        for (std::size_t i = 0; i < n_; ++i) in_[i] = (at[i] - mean) * window_[i];
        fftw_execute(plan_);
        for (std::size_t k = 0; k < lines(); ++k) {
            // Both halves of the spectrum are in this one, but for the ends.
            const double sides = k == 0 || k + 1 == lines() ? 1 : 2;
            sum[k] += sides * (out_[k][0] * out_[k][0] + out_[k][1] * out_[k][1]) / (rate_hz * power_);
        }
    }

  private:
    std::size_t n_;
    double* in_;
    fftw_complex* out_;
    std::vector<double> window_;
    double power_ = 0;
    fftw_plan plan_;
};

std::size_t powerOfTwo(std::size_t n) {
    std::size_t p = kLeastSegment;
    while (p * 2 <= n) p *= 2;
    return p;
}

std::vector<double> frequencies(std::size_t segment, double rate_hz) {
    std::vector<double> hz;
    for (std::size_t k = 0; k <= segment / 2; ++k)
        hz.push_back(static_cast<double>(k) * rate_hz / static_cast<double>(segment));
    return hz;
}

/// Calls for every segment, half overlapping: its first sample and when it begins.
template <class Act>
void eachSegment(const EvenSamples& samples, std::size_t segment, const Act& act) {
    for (const EvenStretch& s : samples.stretches)
        for (std::size_t at = 0; at + segment <= s.value.size(); at += segment / 2)
            act(s.value.data() + at, s.from_s + static_cast<double>(at) / s.rate_hz);
}

Result<std::size_t> usable(const EvenSamples& samples, std::size_t segment) {
    const std::size_t n = powerOfTwo(segment);
    for (const EvenStretch& s : samples.stretches)
        if (s.value.size() >= n) return n;
    return fail(
        "no stretch without a hole is long enough: {} samples at {:.0f} Hz are needed, the longest has {:.1f} s", n,
        samples.rate_hz, samples.longest_s());
}

}  // namespace

double EvenSamples::longest_s() const {
    double longest = 0;
    for (const EvenStretch& s : stretches)
        longest = std::max(longest, static_cast<double>(s.value.size()) / std::max(1e-9, s.rate_hz));
    return longest;
}

Result<EvenSamples> evenSamples(const Channel& c, double from_s, double to_s) {
    const auto begin = static_cast<std::size_t>(std::lower_bound(c.t_s.begin(), c.t_s.end(), from_s) - c.t_s.begin());
    const auto end = static_cast<std::size_t>(std::upper_bound(c.t_s.begin(), c.t_s.end(), to_s) - c.t_s.begin());
    if (end < begin + kLeastSegment)
        return fail("{}: {} samples, at least {} are needed", c.name, end > begin ? end - begin : 0, kLeastSegment);
    std::vector<double> steps;
    for (std::size_t i = begin + 1; i < end; ++i)
        if (c.t_s[i] > c.t_s[i - 1]) steps.push_back(c.t_s[i] - c.t_s[i - 1]);
    if (steps.size() + 1 < kLeastSegment) return fail("{}: its times do not move on", c.name);
    std::nth_element(steps.begin(), steps.begin() + static_cast<std::ptrdiff_t>(steps.size() / 2), steps.end());
    // A clock of whole microseconds has no exact step: the mean of what lies around the median, holes left out.
    const double median = steps[steps.size() / 2];
    double sum = 0;
    std::size_t usual = 0;
    for (const double s : steps)
        if (s > 0.5 * median && s < 1.5 * median) {
            sum += s;
            ++usual;
        }
    const double step = usual > 0 ? sum / static_cast<double>(usual) : median;
    EvenSamples out;
    out.rate_hz = 1 / step;
    constexpr double kHole = 2.5, kOff = 0.1;
    std::size_t uneven = 0;
    for (std::size_t from = begin; from < end;) {
        std::size_t to = from + 1;
        while (to < end && c.t_s[to] - c.t_s[to - 1] <= kHole * step) ++to;
        if (to < end) {
            ++out.holes;
            out.lost_s += c.t_s[to] - c.t_s[to - 1];
        }
        EvenStretch s;
        s.from_s = c.t_s[from];
        const double length = c.t_s[to - 1] - c.t_s[from];
        const auto n = static_cast<std::size_t>(std::floor(length / step + 1e-6)) + 1;
        s.rate_hz = out.rate_hz;
        std::size_t k = from;
        for (std::size_t i = 0; i < n; ++i) {
            const double t = s.from_s + static_cast<double>(i) * step;
            while (k + 1 < to && c.t_s[k + 1] <= t + 1e-12) ++k;
            const double next = k + 1 < to ? c.t_s[k + 1] : c.t_s[k];
            const double share = next > c.t_s[k] ? std::clamp((t - c.t_s[k]) / (next - c.t_s[k]), 0.0, 1.0) : 0;
            s.value.push_back(k + 1 < to ? c.value[k] + (c.value[k + 1] - c.value[k]) * share : c.value[k]);
            if (std::min(share, 1 - share) > kOff) ++uneven;
        }
        if (s.value.size() >= kLeastSegment) out.stretches.push_back(std::move(s));
        from = to;
    }
    out.uneven_percent = 100.0 * static_cast<double>(uneven) / static_cast<double>(end - begin);
    if (out.stretches.empty()) return fail("{}: no stretch without a hole is long enough", c.name);
    return out;
}

double Spectrum::rms(double from_hz, double to_hz) const {
    double sum = 0;
    for (std::size_t k = 0; k < hz.size(); ++k)
        if (hz[k] >= from_hz && hz[k] <= to_hz) sum += density[k] * resolution_hz;
    return std::sqrt(sum);
}

Result<Spectrum> powerSpectrum(const EvenSamples& samples, std::size_t segment) {
    const auto n = usable(samples, segment);
    if (!n) return tl::unexpected(n.error());
    Spectrum out;
    out.rate_hz = samples.rate_hz;
    out.resolution_hz = samples.rate_hz / static_cast<double>(*n);
    out.hz = frequencies(*n, samples.rate_hz);
    Transform transform(*n);
    out.density.assign(transform.lines(), 0);
    eachSegment(samples, *n, [&](const double* at, double) {
        transform.add(at, samples.rate_hz, out.density);
        ++out.segments;
    });
    for (double& d : out.density) d /= out.segments;
    return out;
}

Result<SpectrumMap> spectrogram(const EvenSamples& samples, std::size_t segment) {
    const auto n = usable(samples, segment);
    if (!n) return tl::unexpected(n.error());
    SpectrumMap out;
    out.rate_hz = samples.rate_hz;
    out.resolution_hz = samples.rate_hz / static_cast<double>(*n);
    out.hz = frequencies(*n, samples.rate_hz);
    Transform transform(*n);
    eachSegment(samples, *n, [&](const double* at, double t) {
        out.along.push_back(t + static_cast<double>(*n) / samples.rate_hz / 2);
        out.density.emplace_back(transform.lines(), 0.0);
        transform.add(at, samples.rate_hz, out.density.back());
    });
    return out;
}

Result<SpectrumMap> spectrumAgainst(const EvenSamples& samples, const Channel& level, std::size_t segment, int bands) {
    const auto n = usable(samples, segment);
    if (!n) return tl::unexpected(n.error());
    if (level.t_s.empty() || bands < 1) return fail("{}: nothing to put the spectrum against", level.name);
    // The level of a segment: its mean there.
    struct Segment {
        const double* at;
        double level;
    };
    std::vector<Segment> segments;
    const double length = static_cast<double>(*n) / samples.rate_hz;
    double low = INFINITY, high = -INFINITY;
    eachSegment(samples, *n, [&](const double* at, double t) {
        const auto from = std::lower_bound(level.t_s.begin(), level.t_s.end(), t) - level.t_s.begin();
        const auto to = std::upper_bound(level.t_s.begin(), level.t_s.end(), t + length) - level.t_s.begin();
        double mean = 0;
        if (to > from) {
            for (auto i = from; i < to; ++i) mean += level.value[static_cast<std::size_t>(i)];
            mean /= static_cast<double>(to - from);
        } else if (const auto v = level.at(t + length / 2)) {
            mean = *v;
        } else {
            return;
        }
        if (!std::isfinite(mean)) return;
        segments.push_back({at, mean});
        low = std::min(low, mean);
        high = std::max(high, mean);
    });
    if (segments.empty()) return fail("{}: it has no values at the same time", level.name);
    SpectrumMap out;
    out.rate_hz = samples.rate_hz;
    out.resolution_hz = samples.rate_hz / static_cast<double>(*n);
    out.hz = frequencies(*n, samples.rate_hz);
    Transform transform(*n);
    const double width = std::max(1e-12, (high - low) / bands);
    std::vector<int> counts(static_cast<std::size_t>(bands), 0);
    out.density.assign(static_cast<std::size_t>(bands), std::vector<double>(transform.lines(), 0.0));
    for (int b = 0; b < bands; ++b) out.along.push_back(low + (b + 0.5) * width);
    for (const Segment& s : segments) {
        const auto band = static_cast<std::size_t>(std::clamp(toInt((s.level - low) / width), 0, bands - 1));
        transform.add(s.at, samples.rate_hz, out.density[band]);
        ++counts[band];
    }
    for (std::size_t b = 0; b < counts.size(); ++b) {
        constexpr int kFewest = 2;
        if (counts[b] < kFewest)
            out.density[b].clear();
        else
            for (double& d : out.density[b]) d /= counts[b];
    }
    return out;
}

std::vector<SpectrumPeak> peaksOf(const Spectrum& s, std::size_t most, double lowest_hz) {
    constexpr double kLeast_db = 6;
    constexpr std::size_t kFirst = 2;  // the lowest lines hold what is left of the mean
    std::vector<std::pair<std::size_t, SpectrumPeak>> found;
    for (std::size_t k = kFirst; k + 1 < s.density.size(); ++k) {
        const double d = s.density[k];
        if (s.hz[k] < lowest_hz || !(d > 0) || d < s.density[k - 1] || d <= s.density[k + 1]) continue;
        // The median of the octave around it.
        const std::size_t from = std::max(kFirst, static_cast<std::size_t>(static_cast<double>(k) / std::sqrt(2.0)));
        const std::size_t to = std::min(
            s.density.size(), std::max(k + 9, static_cast<std::size_t>(static_cast<double>(k) * std::sqrt(2.0)) + 1));
        std::vector<double> around(
            s.density.begin() + static_cast<std::ptrdiff_t>(std::min(from, k >= 8 ? k - 8 : kFirst)),
            s.density.begin() + static_cast<std::ptrdiff_t>(to));
        std::nth_element(around.begin(), around.begin() + static_cast<std::ptrdiff_t>(around.size() / 2), around.end());
        const double median = around[around.size() / 2];
        const double above = 10 * std::log10(d / std::max(median, 1e-300));
        if (above < kLeast_db) continue;
        SpectrumPeak p;
        const double a = std::log(std::max(s.density[k - 1], 1e-300)), b = std::log(d),
                     c = std::log(std::max(s.density[k + 1], 1e-300));
        const double bend = a - 2 * b + c;
        const double shift = bend < 0 ? std::clamp(0.5 * (a - c) / bend, -0.5, 0.5) : 0;
        p.hz = s.hz[k] + shift * s.resolution_hz;
        p.density = d;
        p.above_db = above;
        p.rms = s.rms(s.hz[k] - 2.5 * s.resolution_hz, s.hz[k] + 2.5 * s.resolution_hz);
        found.emplace_back(k, p);
    }
    std::sort(found.begin(), found.end(),
              [](const auto& a, const auto& b) { return a.second.density > b.second.density; });
    // A ripple on the slope of a stronger one is no peak: a valley as deep must lie between.
    const double valley = std::pow(10, -kLeast_db / 10);
    std::vector<std::size_t> kept;
    std::vector<SpectrumPeak> out;
    for (const auto& [k, p] : found) {
        if (out.size() >= most) break;
        const bool alone = std::all_of(kept.begin(), kept.end(), [&, at = k, density = p.density](std::size_t other) {
            const auto [from, to] = std::minmax(at, other);
            const double lowest = *std::min_element(s.density.begin() + static_cast<std::ptrdiff_t>(from),
                                                    s.density.begin() + static_cast<std::ptrdiff_t>(to) + 1);
            return lowest < valley * density;
        });
        if (!alone) continue;
        kept.push_back(k);
        out.push_back(p);
    }
    return out;
}

}  // namespace anhinga
