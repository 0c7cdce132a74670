// Two flights side by side: the same measures of both, which of them changed beyond their own noise, and what was
// changed on the aircraft in between.
#pragma once

#include <map>
#include <optional>
#include <string>
#include <vector>

#include "core/flightlog/FlightLog.h"

namespace anhinga {

/// The mean over windows of ten seconds in the air, and how sure it is.
struct Measure {
    std::string name, unit;
    double value = 0;
    double error = 0;  // standard error of the mean, for windows that are not independent
    std::size_t windows = 0;
};
/// Only what the log has data for.
std::vector<Measure> measuresOf(const FlightLog& log, int session = -1);

struct MeasureChange {
    std::string name, unit;
    std::optional<Measure> before, after;
    double difference = 0;  // after minus before
    double noise = 0;       // what it must exceed
    bool changed = false;
};
struct ParamChange {
    std::string name;
    std::optional<double> before, after;  // empty: not there
};
/// Names in both or in one; values that differ by more than a float can hold.
std::vector<ParamChange> paramChanges(const std::map<std::string, double>& before,
                                      const std::map<std::string, double>& after);

/// A parameter as short as it tells the value apart from all others of its kind (32-bit floats): "0.12".
std::string paramText(double value);

struct FlightComparison {
    std::vector<MeasureChange> measures;  // changed ones first
    std::vector<ParamChange> params;
    double before_takeoff_s = 0, after_takeoff_s = 0;  // to lay one over the other
    std::string caution;  // why a difference may not be what it seems; empty: nothing known
};
/// A measure changed when the means differ by more than three standard errors and by more than a twentieth.
FlightComparison compareFlights(const FlightLog& before, const FlightLog& after);

/// What two flights have in common, to lay one beside the other.
enum class Alignment { takeoff, arming, utc };
/// What is to be added to a time of the one for the same moment of the other; nothing where one of them does not say
/// when that was.
std::optional<double> alignedBy(const FlightLog& one, const FlightLog& other, Alignment how);

/// When it left the ground: the first time above 1.5 m, else armed, else the first time.
double takeoffTime(const FlightLog& log);

}  // namespace anhinga
