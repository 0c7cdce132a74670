// Numbers about channels over time: on a common grid, statistics, correlation, fitted lines.
#pragma once

#include <vector>

#include "core/flightlog/FlightLog.h"

namespace anhinga {

struct Stretch {
    double from_s = 0, to_s = 0;
    double length_s() const { return to_s - from_s; }
    bool holds(double t) const { return t >= from_s && t < to_s; }
};

struct Stats {
    std::size_t count = 0;
    double mean = 0, deviation = 0, lowest = 0, highest = 0;  // of finite values; deviation of the sample
    double lowest_s = 0, highest_s = 0;                       // when
};
Stats statsOf(const Channel& channel, double from_s, double to_s);
Stats statsOf(const std::vector<double>& values);
/// Linear between ranks; not a number without finite values.
double percentile(std::vector<double> values, double percent);

/// Means in cells of `step_s` beginning at `from_s`; a cell without a sample has what was last known up to
/// `hold_s` before, else it is not a number.
std::vector<double> onGrid(const Channel& channel, double from_s, double step_s, std::size_t cells, double hold_s = 3);

/// Pearson's; 0 for fewer than three finite pairs or a series that does not vary. Not finite values are left out.
double correlation(const std::vector<double>& x, const std::vector<double>& y);

struct FittedLine {
    double slope = 0, offset = 0, r = 0;
    std::size_t count = 0;
};
/// Least squares of y over x.
FittedLine fitLine(const std::vector<double>& x, const std::vector<double>& y);

/// Root mean square of what is left of a channel when its mean over `slow_s` around is taken off, in cells of
/// `step_s`: shaking without flying. The times are the middles of the cells.
Channel shakingOf(const Channel& channel, double slow_s, double step_s);

/// The smallest step between two different values of it, of at most 50,000 of them; 0 for fewer than two values: what
/// is finer than this cannot be seen in it.
double resolutionOf(const Channel& channel);

/// Samples a second, of the median step; 0 for fewer than two.
double sampleRate_hz(const Channel& channel);

}  // namespace anhinga
