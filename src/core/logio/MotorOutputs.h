// Which outputs of an autopilot of family 3 drive motors, as its parameters say.
#pragma once

#include <map>
#include <optional>
#include <string>
#include <vector>

namespace anhinga {

/// A motor, counted from 1, the output it hangs on, from 1, and its pulses in microseconds at nothing and at all.
struct MotorOutput {
    int motor = 0, output = 0;
    double low_us = 1000, high_us = 2000;
    double percent(double us) const { return 100 * (us - low_us) / (high_us - low_us); }
};

/// By SERVOn_FUNCTION, n up to `outputs`; nothing where no such parameter is known.
std::optional<std::vector<MotorOutput>> motorOutputs(const std::map<std::string, double>& params, int outputs);

}  // namespace anhinga
