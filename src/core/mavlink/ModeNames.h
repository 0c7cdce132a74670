// Words for custom modes. Autopilot families are known by their MAV_AUTOPILOT number.
#pragma once

#include <cstdint>
#include <string>

namespace anhinga::mavlink {

/// Family 3, multirotor: "mission", "hold", ...; "mode 42" where there is no word.
std::string modeName(int autopilot, std::uint32_t custom_mode);

}  // namespace anhinga::mavlink
