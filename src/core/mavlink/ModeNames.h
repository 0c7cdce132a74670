// Flight modes in words: every family numbers them differently, and differently for each type of vehicle.
#pragma once

#include <cstdint>
#include <optional>
#include <string>
#include <string_view>

namespace anhinga::mavlink {

/// `autopilot` and `type` as in the heartbeat. Family 3: "mission", "hold", ...; "mode 42" where there is no word.
std::string modeName(int autopilot, int type, std::uint32_t custom_mode);
/// The number of a mode by that word; nothing when the family and type have none.
std::optional<std::uint32_t> modeNumber(int autopilot, int type, std::string_view name);

}  // namespace anhinga::mavlink
