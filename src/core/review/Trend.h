// The same measures over many flights of one aircraft: which step changed them beyond their noise, and which creep.
#pragma once

#include <optional>
#include <string>
#include <vector>

#include "core/review/Compare.h"

namespace anhinga {

/// What one flight gives.
struct TrendFlight {
    std::string file;
    double start_unix_s = 0;
    std::vector<Measure> measures;
};
/// measuresOf() and the battery's internal resistance, of one session; empty for what never flew.
std::vector<Measure> trendMeasures(const FlightLog& log, int session = -1);

/// What was done to the aircraft, and when.
struct TrendNote {
    double time_unix_s = 0;
    std::string text;
};
struct TrendPoint {
    double start_unix_s = 0;
    double value = 0, error = 0;  // standard error
    std::string file;
};
/// From one flight to the next the measure changed, and stayed so.
struct TrendStep {
    double at_unix_s = 0;     // of the first flight after it
    double from = 0, to = 0;  // means before and after
    std::string note;         // what was done between both flights; empty: nothing is noted
};
/// It changes a little with every flight since the last step.
struct TrendCreep {
    double per_flight = 0, error = 0;
    int flights = 0;
};
struct MeasureTrend {
    std::string name, unit;
    std::vector<TrendPoint> flights;  // the oldest first
    std::vector<TrendStep> steps;
    std::optional<TrendCreep> creep;
    double noise = 0;  // how far two flights differ of themselves
};

/// Flights without a known start are left out. A step must exceed four times the noise of both means and a twentieth of
/// the value, with at least two flights on each side; a creep must exceed four times its own error and a twentieth of
/// the value over at least six flights.
std::vector<MeasureTrend> trendsOf(std::vector<TrendFlight> flights, const std::vector<TrendNote>& notes = {});

}  // namespace anhinga
