// What the pilot's transmitter asks for: sticks, and where the switch stands that chooses the mode.
#pragma once

#include <optional>
#include <string>
#include <vector>

#include "core/link/Parameters.h"
#include "core/link/VehicleState.h"

namespace anhinga {

struct PilotInput {
    bool heard = false;
    /// -1 .. 1, from the middle; throttle 0 .. 1. Nothing where that channel is not heard.
    std::optional<double> roll, pitch, throttle, yaw;
    int mode_channel = 5;              // counted from 1
    bool mode_channel_known = false;   // the vehicle's parameters say so; else the usual one is taken
    std::optional<int> mode_position;  // 1 .. 6
    std::string mode;                  // what that position asks for, where the parameters say so; else empty
    std::optional<int> rssi_percent;
    /// Whether a stick stands away from its rest by more than a tenth (the throttle does not count).
    bool sticksMoved() const;
};

/// `parameters`: of the vehicle, null when they were not read. Channels, pulses and the mode switch as they say
/// (core/link/ParameterRoles); without them the usual order: roll, pitch, throttle, yaw, mode.
PilotInput pilotInput(const VehicleSnapshot& vehicle, const ParameterSet* parameters);

}  // namespace anhinga
