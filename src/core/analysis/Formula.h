// Channels made of other channels by a formula: arithmetic, functions of values, functions over time; units carried.
// Our own parser, as values are whole channels and an error must point at its character.
#pragma once

#include <string>
#include <vector>

#include "core/flightlog/FlightLog.h"

namespace anhinga {

struct FormulaError {
    std::string message;
    std::size_t at = 0;      // first character of what is wrong
    std::size_t length = 1;  //
};

/// What may be called, for help and completion: "mean(x, seconds)", "the mean of the seconds before".
struct FormulaFunction {
    const char *name, *arguments, *help;
};
const std::vector<FormulaFunction>& formulaFunctions();

/// Channels a formula names, in the order they come; those that are not known too.
std::vector<std::string> channelsIn(const std::string& formula);

/// Names of channels stand as they are (position.height_home_m, IMU#1.GyrX); names with other characters in double
/// quotes. `+ - * / ^ ( )`, numbers, pi. Angles with the unit deg are turned into radians by sin, cos and tan. The
/// result has the times of the channel with most samples; others are taken between their samples, and nowhere further
/// than three seconds from one. `out.name` is kept, its unit set. On an error `out` is left as it is.
bool evaluateFormula(const FlightLog& log, const std::string& formula, Channel& out, FormulaError& error);

}  // namespace anhinga
