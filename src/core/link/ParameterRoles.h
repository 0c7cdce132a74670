// What this program reads of a vehicle's parameters, and under which name each autopilot family holds it. The names
// belong to the aircraft; only here do they stand. Our stand-in has a vocabulary of its own (OwnParameters.inc).
#pragma once

#include <optional>
#include <string>

#include "core/link/Parameters.h"

namespace anhinga {

enum class ParameterRole {
    returnHeight_m,  // above home
    rollChannel,     // of the pilot's transmitter, counted from 1
    pitchChannel,
    throttleChannel,
    yawChannel,
    modeChannel,
    modeAt,    // custom mode at position `n` of the mode switch, counted from 1
    pulseLow,  // microseconds at the stick's ends and middle, of channel `n`
    pulseMiddle,
    pulseHigh,
};

struct RoleName {
    ParameterRole role;
    int family;        // MAV_AUTOPILOT; kOwnFamily: our stand-in's own vocabulary
    const char* name;  // "{}" stands for `n`
    double scale;      // held value times this is the role's unit
    const char* meaning;
};
inline constexpr int kOwnFamily = -1;
std::span<const RoleName> roleNames();

/// The value of a role in that set, in the role's unit: of whichever family's name is in it. Nothing when none is, or
/// it is not a finite number.
std::optional<double> heldAs(const ParameterSet& set, ParameterRole role, int n = 0);
/// The name under which this set holds the role; empty when it does not.
std::string heldName(const ParameterSet& set, ParameterRole role, int n = 0);

}  // namespace anhinga
