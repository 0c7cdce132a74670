// Which channels of a receiver the sticks are, as an autopilot's parameters say.
#pragma once

#include <array>
#include <map>
#include <string>

namespace anhinga {

/// A stick: its receiver channel, from 1, and the pulses of its ends and middle in microseconds.
struct Stick {
    const char* name;  // "stick.roll"
    int channel = 0;
    double low_us = 1000, middle_us = 1500, high_us = 2000;
    bool reversed = false, one_sided = false;  // the throttle goes from 0 to 1, the others from -1 to 1
    /// NaN for a pulse that is none.
    double position(double us) const;
};

/// Roll, pitch, throttle and yaw by the parameters of family 3 (RCMAP_ROLL, RC1_MIN, RC1_TRIM, RC1_MAX, RC1_REVERSED)
/// or 12 (RC_MAP_ROLL, RC1_REV), as far as they are known; else channels 1 to 4 of 1000 to 2000 microseconds.
std::array<Stick, 4> sticksOf(const std::map<std::string, double>& params);

}  // namespace anhinga
