#include "core/logio/MotorOutputs.h"

#include <fmt/format.h>

namespace anhinga {

std::optional<std::vector<MotorOutput>> motorOutputs(const std::map<std::string, double>& params, int outputs) {
    constexpr int kThrottle = 70, kLeft = 73, kRight = 74;
    const auto parameter = [&](const std::string& name, double otherwise) {
        const auto found = params.find(name);
        return found == params.end() ? otherwise : found->second;
    };
    std::vector<MotorOutput> out;
    bool told = false;
    for (int i = 1; i <= outputs; ++i) {
        const double f = parameter(fmt::format("SERVO{}_FUNCTION", i), -1);
        told |= f >= 0;
        MotorOutput o{0, i};
        if (f >= 33 && f <= 40) o.motor = static_cast<int>(f) - 32;  // the first eight rotors
        if (f >= 82 && f <= 85) o.motor = static_cast<int>(f) - 73;  // and the next four
        if (o.motor > 0) {
            const double low = parameter("MOT_PWM_MIN", 0), high = parameter("MOT_PWM_MAX", 0);
            if (low > 0 && high > low) o = {o.motor, i, low, high};
        } else if (f == kThrottle || f == kLeft || f == kRight) {
            o = {f == kRight ? 2 : 1, i, parameter(fmt::format("SERVO{}_MIN", i), 1100),
                 parameter(fmt::format("SERVO{}_MAX", i), 1900)};
            if (!(o.high_us > o.low_us)) continue;
        }
        if (o.motor > 0) out.push_back(o);
    }
    return told ? std::optional(out) : std::nullopt;
}

}  // namespace anhinga
