// Planned against flown: how far a flight was from the legs it was sent to fly.
#pragma once

#include <functional>
#include <limits>
#include <optional>
#include <string>
#include <vector>

#include "core/base/Result.h"
#include "core/flightlog/FlightLog.h"
#include "core/program/Program.h"

namespace anhinga {

struct LegError {
    int from_seq = 0, to_seq = 0;
    double from_s = 0, to_s = 0;
    double cross_mean_m = 0, cross_max_m = 0;
    std::optional<double> height_mean_m, height_max_m;  // absolute; nothing where heights could not be compared
    double max_at_s = 0;
    double overshoot_m = 0;  // past its end before it turned; 0 where the next leg goes straight on
};

struct PlannedFlown {
    std::vector<LegError> legs;  // in the order flown, repeats unrolled
    /// Nothing where none of its straight legs was flown, or where no height could be compared.
    std::optional<double> cross_mean_m, cross_max_m, height_mean_m, height_max_m;
    double overshoot_max_m = 0;
    std::size_t worst_leg = 0;
    double flown_s = 0;  // from the start of the mission (else arming, else the log) to disarming
    double distance_m = 0;
    int photos_flown = 0;
    std::optional<double> energy_wh;
};

/// How the log and the program belong together.
struct FlownWith {
    std::optional<double> home_amsl_m = {};
    int counted_later = 0;  // the log's mission.item is so far behind the program's numbers
    /// Ground in metres AMSL, where legs between two heights above ground follow it; else they are straight.
    std::function<std::optional<double>(GeoPoint)> ground_amsl_m = {};
    double from_s = -std::numeric_limits<double>::infinity(), to_s = std::numeric_limits<double>::infinity();
};

/// Legs are told by the channel mission.item: from the place of the item before to the place of the present one.
/// The leg from the take-off and the way home are left out of the errors. Heights are compared above home.
/// Legs whose height was not known when the program was made are compared in plan only. Fails when the log has no
/// positions or no mission item.
Result<PlannedFlown> plannedAgainstFlown(const FlightProgram& program, const FlightLog& log, const FlownWith& with);
inline Result<PlannedFlown> plannedAgainstFlown(const FlightProgram& program, std::optional<double> home_amsl_m,
                                                const FlightLog& log) {
    return plannedAgainstFlown(program, log, {.home_amsl_m = home_amsl_m});
}

}  // namespace anhinga
