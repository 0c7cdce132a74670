// Channels held against each other: one over another with their correlation, how often a value comes, height and slope
// over the distance flown.
#pragma once

#include <string>
#include <vector>

#include "core/analysis/Series.h"
#include "core/base/Result.h"

namespace anhinga {

struct Relation {
    std::vector<double> x, y;  // means over `step_s`
    std::vector<double> t_s;
    FittedLine line;
    double step_s = 0;
    std::size_t left_out = 0;  // cells that were turns, rolls or not in the air
};
/// At most `most` points, means over even cells of the stretch. `steady_only`: what is no steady flight is left out, as
/// in the health report. Fails for fewer than three points.
Result<Relation> relationOf(const FlightLog& log, const Channel& x, const Channel& y, Stretch stretch, bool steady_only,
                            std::size_t most = 4000);

struct Histogram {
    double from = 0, width = 0;      // of the first bar
    std::vector<std::size_t> count;  // a bar
    Stats stats;
    double p5 = 0, p50 = 0, p95 = 0;
};
/// Of the samples in the stretch. Fails without a finite one.
Result<Histogram> histogramOf(const Channel& channel, Stretch stretch, int bars = 60);

struct DistanceProfile {
    std::vector<double> distance_m, t_s, height_m, ground_m, slope_percent;  // ground empty where it is not known
    bool amsl = false;                                                       // else above home
    double length_m = 0, climbed_m = 0, steepest_percent = 0;
};
/// A point every `step_m` of the way over ground; slope over five of them. Fails without positions or heights.
Result<DistanceProfile> heightOverDistance(const FlightLog& log, Stretch stretch, double step_m = 5);

}  // namespace anhinga
