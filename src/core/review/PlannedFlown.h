// Planned against flown: how far a flight was from the legs it was sent to fly.
#pragma once

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
    double height_mean_m = 0, height_max_m = 0;  // absolute; 0 where heights could not be compared
    double max_at_s = 0;
    double overshoot_m = 0;  // past its end before it turned; 0 where the next leg goes straight on
};

struct PlannedFlown {
    std::vector<LegError> legs;  // in the order flown, repeats unrolled
    double cross_mean_m = 0, cross_max_m = 0;
    double height_mean_m = 0, height_max_m = 0;
    double overshoot_max_m = 0;
    std::size_t worst_leg = 0;
    double flown_s = 0;  // from the start of the mission (else arming, else the log) to disarming
    double distance_m = 0;
    int photos_flown = 0;
    std::optional<double> energy_wh;
};

/// Legs are told by the channel mission.item: from the place of the item before to the place of the present one.
/// The leg from the take-off and the way home are left out of the errors. Heights are compared above home.
/// Legs whose height was not known when the program was made are compared in plan only. Fails when the log has no
/// positions or no mission item.
Result<PlannedFlown> plannedAgainstFlown(const FlightProgram& program, std::optional<double> home_amsl_m,
                                         const FlightLog& log);

}  // namespace anhinga
