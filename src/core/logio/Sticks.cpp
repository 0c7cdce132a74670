#include "core/logio/Sticks.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <optional>

namespace anhinga {

double Stick::position(double us) const {
    constexpr double kLeast_us = 700, kMost_us = 2300;  // beyond there is no pulse
    if (!(us >= kLeast_us && us <= kMost_us)) return NAN;
    double at = 0;
    if (one_sided)
        at = (us - low_us) / (high_us - low_us);
    else
        at = us >= middle_us ? (us - middle_us) / (high_us - middle_us) : (us - middle_us) / (middle_us - low_us);
    if (reversed) at = one_sided ? 1 - at : -at;
    return std::clamp(at, one_sided ? 0.0 : -1.0, 1.0);
}

std::array<Stick, 4> sticksOf(const std::map<std::string, double>& params) {
    const auto parameter = [&](const std::string& name) -> std::optional<double> {
        const auto found = params.find(name);
        return found == params.end() ? std::nullopt : std::optional(found->second);
    };
    std::array<Stick, 4> sticks{Stick{"stick.roll", 1}, Stick{"stick.pitch", 2}, Stick{"stick.throttle", 3},
                                Stick{"stick.yaw", 4}};
    constexpr std::array<const char*, 4> kNames{"ROLL", "PITCH", "THROTTLE", "YAW"};
    for (std::size_t i = 0; i < sticks.size(); ++i) {
        Stick& s = sticks[i];
        s.one_sided = i == 2;
        constexpr double kMostChannels = 18;
        for (const char* map : {"RCMAP_", "RC_MAP_"})
            if (const auto channel = parameter(fmt::format("{}{}", map, kNames[i]));
                channel && *channel >= 1 && *channel <= kMostChannels)
                s.channel = static_cast<int>(*channel);
        const std::string rc = fmt::format("RC{}_", s.channel);
        const double low = parameter(rc + "MIN").value_or(s.low_us), high = parameter(rc + "MAX").value_or(s.high_us),
                     middle = parameter(rc + "TRIM").value_or((low + high) / 2);
        if (high > low + 100) {
            s.low_us = low;
            s.high_us = high;
            s.middle_us = middle > low + 1 && middle < high - 1 ? middle : (low + high) / 2;
        }
        s.reversed = parameter(rc + "REVERSED").value_or(0) == 1 || parameter(rc + "REV").value_or(1) == -1;
    }
    return sticks;
}

}  // namespace anhinga
