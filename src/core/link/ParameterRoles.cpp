#include "core/link/ParameterRoles.h"

#include <cmath>

namespace anhinga {

namespace {
using Role = ParameterRole;
constexpr RoleName kNames[] = {
    {Role::returnHeight_m, kOwnFamily, "RETURN_HEIGHT_M", 1, "Height over home at which it flies back"},
    {Role::rollChannel, kOwnFamily, "STICK_ROLL_CH", 1, "Channel of the roll stick"},
    {Role::pitchChannel, kOwnFamily, "STICK_PITCH_CH", 1, "Channel of the pitch stick"},
    {Role::throttleChannel, kOwnFamily, "STICK_LIFT_CH", 1, "Channel of the throttle stick"},
    {Role::yawChannel, kOwnFamily, "STICK_TURN_CH", 1, "Channel of the yaw stick"},
    {Role::modeChannel, kOwnFamily, "SWITCH_CH", 1, "Channel of the mode switch"},
    {Role::modeAt, kOwnFamily, "SWITCH_MODE_{}", 1, "Mode at position {} of the mode switch"},
    {Role::pulseLow, kOwnFamily, "PULSE_LEAST_{}", 1, "Shortest pulse of channel {}"},
    {Role::pulseMiddle, kOwnFamily, "PULSE_MID_{}", 1, "Pulse of channel {} at rest"},
    {Role::pulseHigh, kOwnFamily, "PULSE_MOST_{}", 1, "Longest pulse of channel {}"},

    {Role::returnHeight_m, 3, "RTL_ALT", 0.01, "Height over home at which it flies back, in centimetres"},
    {Role::rollChannel, 3, "RCMAP_ROLL", 1, "Channel of the roll stick"},
    {Role::pitchChannel, 3, "RCMAP_PITCH", 1, "Channel of the pitch stick"},
    {Role::throttleChannel, 3, "RCMAP_THROTTLE", 1, "Channel of the throttle stick"},
    {Role::yawChannel, 3, "RCMAP_YAW", 1, "Channel of the yaw stick"},
    {Role::modeChannel, 3, "FLTMODE_CH", 1, "Channel of the mode switch"},
    {Role::modeAt, 3, "FLTMODE{}", 1, "Mode at position {} of the mode switch"},
    {Role::pulseLow, 3, "RC{}_MIN", 1, "Shortest pulse of channel {}"},
    {Role::pulseMiddle, 3, "RC{}_TRIM", 1, "Pulse of channel {} at rest"},
    {Role::pulseHigh, 3, "RC{}_MAX", 1, "Longest pulse of channel {}"},
};

ParameterSet::const_iterator find(const ParameterSet& set, Role role, int n, double& scale) {
    for (const RoleName& r : kNames) {
        if (r.role != role) continue;
        const auto at = set.find(fmt::format(fmt::runtime(r.name), n));
        if (at == set.end()) continue;
        scale = r.scale;
        return at;
    }
    return set.end();
}
}  // namespace

std::span<const RoleName> roleNames() {
    return kNames;
}

std::optional<double> heldAs(const ParameterSet& set, Role role, int n) {
    double scale = 1;
    const auto at = find(set, role, n, scale);
    return at == set.end() || !std::isfinite(at->second.value) ? std::nullopt : std::optional(at->second.value * scale);
}

std::string heldName(const ParameterSet& set, Role role, int n) {
    double scale = 1;
    const auto at = find(set, role, n, scale);
    return at == set.end() ? std::string() : at->first;
}

}  // namespace anhinga
