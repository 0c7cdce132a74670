#include "core/analysis/Series.h"

#include <algorithm>
#include <cmath>
#include <limits>

namespace anhinga {

namespace {
constexpr double kNone = std::numeric_limits<double>::quiet_NaN();

std::size_t firstAt(const Channel& c, double t) {
    return static_cast<std::size_t>(std::lower_bound(c.t_s.begin(), c.t_s.end(), t) - c.t_s.begin());
}

/// Running mean and variance (Welford, Technometrics 4, 1962).
class Running {
  public:
    void add(double t, double v) {
        if (!std::isfinite(v)) return;
        if (s_.count == 0 || v < s_.lowest) {
            s_.lowest = v;
            s_.lowest_s = t;
        }
        if (s_.count == 0 || v > s_.highest) {
            s_.highest = v;
            s_.highest_s = t;
        }
        ++s_.count;
        const double d = v - s_.mean;
        s_.mean += d / static_cast<double>(s_.count);
        squares_ += d * (v - s_.mean);
    }
    Stats stats() const {
        Stats out = s_;
        if (s_.count > 1) out.deviation = std::sqrt(squares_ / static_cast<double>(s_.count - 1));
        return out;
    }

  private:
    Stats s_;
    double squares_ = 0;
};
}  // namespace

Stats statsOf(const Channel& c, double from_s, double to_s) {
    Running running;
    for (std::size_t i = firstAt(c, from_s); i < c.t_s.size() && c.t_s[i] <= to_s; ++i)
        running.add(c.t_s[i], c.value[i]);
    return running.stats();
}

Stats statsOf(const std::vector<double>& values) {
    Running running;
    for (std::size_t i = 0; i < values.size(); ++i) running.add(static_cast<double>(i), values[i]);
    return running.stats();
}

double percentile(std::vector<double> values, double percent) {
    std::erase_if(values, [](double v) { return !std::isfinite(v); });
    if (values.empty()) return kNone;
    std::sort(values.begin(), values.end());
    const double rank = std::clamp(percent, 0.0, 100.0) / 100 * static_cast<double>(values.size() - 1);
    const auto below = static_cast<std::size_t>(rank);
    const auto above = std::min(below + 1, values.size() - 1);
    return values[below] + (values[above] - values[below]) * (rank - static_cast<double>(below));
}

std::vector<double> onGrid(const Channel& c, double from_s, double step_s, std::size_t cells, double hold_s) {
    std::vector<double> out(cells, kNone);
    std::size_t i = firstAt(c, from_s);
    double last = kNone, last_s = -std::numeric_limits<double>::infinity();
    if (i > 0) {
        last = c.value[i - 1];
        last_s = c.t_s[i - 1];
    }
    for (std::size_t k = 0; k < cells; ++k) {
        const double end = from_s + static_cast<double>(k + 1) * step_s;
        double sum = 0;
        int n = 0;
        for (; i < c.t_s.size() && c.t_s[i] < end; ++i) {
            if (!std::isfinite(c.value[i])) continue;
            sum += c.value[i];
            ++n;
            last = c.value[i];
            last_s = c.t_s[i];
        }
        if (n > 0)
            out[k] = sum / n;
        else if (end - step_s - last_s <= hold_s)
            out[k] = last;
    }
    return out;
}

FittedLine fitLine(const std::vector<double>& x, const std::vector<double>& y) {
    FittedLine line;
    double mx = 0, my = 0;
    const std::size_t n = std::min(x.size(), y.size());
    for (std::size_t i = 0; i < n; ++i) {
        if (!std::isfinite(x[i]) || !std::isfinite(y[i])) continue;
        ++line.count;
        mx += x[i];
        my += y[i];
    }
    if (line.count < 3) return line;
    mx /= static_cast<double>(line.count);
    my /= static_cast<double>(line.count);
    double xx = 0, yy = 0, xy = 0;
    for (std::size_t i = 0; i < n; ++i) {
        if (!std::isfinite(x[i]) || !std::isfinite(y[i])) continue;
        xx += (x[i] - mx) * (x[i] - mx);
        yy += (y[i] - my) * (y[i] - my);
        xy += (x[i] - mx) * (y[i] - my);
    }
    if (xx <= 0) return line;
    line.slope = xy / xx;
    line.offset = my - line.slope * mx;
    line.r = yy > 0 ? xy / std::sqrt(xx * yy) : 0;
    return line;
}

double correlation(const std::vector<double>& x, const std::vector<double>& y) {
    return fitLine(x, y).r;
}

Channel shakingOf(const Channel& c, double slow_s, double step_s) {
    Channel out;
    out.name = c.name;
    out.unit = c.unit;
    if (c.t_s.size() < 3) return out;
    std::size_t low = 0, high = 0;
    double sum = 0, squares = 0;
    int n = 0;
    double cell = c.t_s.front();
    for (std::size_t i = 0; i < c.t_s.size(); ++i) {
        const double t = c.t_s[i];
        while (high < c.t_s.size() && c.t_s[high] <= t + slow_s / 2) sum += c.value[high++];
        while (c.t_s[low] < t - slow_s / 2) sum -= c.value[low++];
        while (t >= cell + step_s) {
            if (n > 1) out.add(cell + step_s / 2, std::sqrt(squares / n));
            squares = 0;
            n = 0;
            // Over a hole in one step.
            cell += step_s * std::max(1.0, std::floor((t - cell) / step_s));
        }
        const double rest = c.value[i] - sum / static_cast<double>(high - low);
        if (!std::isfinite(rest)) {
            // A value that is no number would stay in the sum for ever.
            sum = 0;
            low = high = i + 1;
            continue;
        }
        squares += rest * rest;
        ++n;
    }
    if (n > 1) out.add(cell + step_s / 2, std::sqrt(squares / n));
    return out;
}

double resolutionOf(const Channel& c) {
    std::vector<double> values;
    const std::size_t stride = std::max<std::size_t>(1, c.value.size() / 50000);
    for (std::size_t i = 0; i < c.value.size(); i += stride)
        if (std::isfinite(c.value[i])) values.push_back(c.value[i]);
    std::sort(values.begin(), values.end());
    double least = std::numeric_limits<double>::infinity();
    for (std::size_t i = 1; i < values.size(); ++i) {
        // Two roundings of one value are no step.
        const double step = values[i] - values[i - 1];
        if (step > 1e-9 * std::max(std::abs(values[i]), 1e-6)) least = std::min(least, step);
    }
    return std::isfinite(least) ? least : 0;
}

double sampleRate_hz(const Channel& c) {
    if (c.t_s.size() < 2) return 0;
    std::vector<double> steps;
    const std::size_t stride = std::max<std::size_t>(1, c.t_s.size() / 2000);
    for (std::size_t i = 1; i < c.t_s.size(); i += stride) steps.push_back(c.t_s[i] - c.t_s[i - 1]);
    const double step = percentile(std::move(steps), 50);
    return step > 0 ? 1 / step : 0;
}

}  // namespace anhinga
