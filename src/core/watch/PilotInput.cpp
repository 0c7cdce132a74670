#include "core/watch/PilotInput.h"

#include <algorithm>
#include <cmath>
#include <limits>

#include "core/base/Text.h"
#include "core/link/ParameterRoles.h"
#include "core/mavlink/ModeNames.h"

namespace anhinga {

namespace {
constexpr int kLeast_us = 800, kMost_us = 2200;

/// Pulse length of a channel counted from 1; nothing when it is not heard or cannot be.
std::optional<int> pulse(const VehicleSnapshot& v, int channel) {
    if (channel < 1 || channel > static_cast<int>(v.radio_us.size())) return std::nullopt;
    const int us = v.radio_us[static_cast<std::size_t>(channel - 1)];
    return us >= kLeast_us && us <= kMost_us ? std::optional(us) : std::nullopt;
}

std::optional<double> held(const ParameterSet* set, ParameterRole role, int n = 0) {
    return set == nullptr ? std::nullopt : heldAs(*set, role, n);
}

int channelOf(const ParameterSet* set, ParameterRole role, int usual) {
    const auto value = held(set, role);
    return value && *value >= 1 && *value <= 16 ? static_cast<int>(*value) : usual;
}

std::optional<double> stick(const VehicleSnapshot& v, const ParameterSet* set, int channel) {
    const auto us = pulse(v, channel);
    if (!us) return std::nullopt;
    const double middle = held(set, ParameterRole::pulseMiddle, channel).value_or(1500),
                 low = held(set, ParameterRole::pulseLow, channel).value_or(1100),
                 high = held(set, ParameterRole::pulseHigh, channel).value_or(1900);
    const double span = *us < middle ? middle - low : high - middle;
    return span < 50 ? std::optional(0.0) : std::optional(std::clamp((*us - middle) / span, -1.0, 1.0));
}
}  // namespace

bool PilotInput::sticksMoved() const {
    constexpr double kMoved = 0.1;
    return std::abs(roll.value_or(0)) > kMoved || std::abs(pitch.value_or(0)) > kMoved ||
           std::abs(yaw.value_or(0)) > kMoved;
}

PilotInput pilotInput(const VehicleSnapshot& v, const ParameterSet* set) {
    PilotInput in;
    constexpr std::uint32_t kReceiver = 65536;  // MAV_SYS_STATUS_SENSOR
    const bool receiver_fails =
        v.sensors_on && v.sensors_ok && (*v.sensors_on & kReceiver) != 0 && (*v.sensors_ok & kReceiver) == 0;
    in.heard = !v.radio_us.empty() && !receiver_fails;
    if (!in.heard) return in;
    in.roll = stick(v, set, channelOf(set, ParameterRole::rollChannel, 1));
    in.pitch = stick(v, set, channelOf(set, ParameterRole::pitchChannel, 2));
    in.yaw = stick(v, set, channelOf(set, ParameterRole::yawChannel, 4));
    const int throttle = channelOf(set, ParameterRole::throttleChannel, 3);
    if (const auto us = pulse(v, throttle)) {
        const double low = held(set, ParameterRole::pulseLow, throttle).value_or(1100);
        const double high = held(set, ParameterRole::pulseHigh, throttle).value_or(1900);
        in.throttle = high - low < 50 ? 0 : std::clamp((*us - low) / (high - low), 0.0, 1.0);
    }
    in.mode_channel_known = held(set, ParameterRole::modeChannel).has_value();
    in.mode_channel = channelOf(set, ParameterRole::modeChannel, 5);
    if (const auto us = pulse(v, in.mode_channel)) {
        // The six ranges of that family.
        constexpr int kUpTo_us[] = {1230, 1360, 1490, 1620, 1749};
        in.mode_position = 1;
        for (const int up_to : kUpTo_us) *in.mode_position += *us > up_to ? 1 : 0;
        if (const auto mode = held(set, ParameterRole::modeAt, *in.mode_position);
            mode && *mode >= 0 && *mode <= std::numeric_limits<std::uint32_t>::max())
            in.mode = mavlink::modeName(v.autopilot, v.type, static_cast<std::uint32_t>(*mode));
    }
    constexpr int kFull = 254;
    if (v.radio_rssi) in.rssi_percent = std::clamp(*v.radio_rssi, 0, kFull) * 100 / kFull;
    return in;
}

}  // namespace anhinga
