// Flight modes in words: every family numbers them differently, and differently for each type of vehicle.
#pragma once

#include <cstdint>
#include <optional>
#include <span>
#include <string>
#include <string_view>

#include "core/base/Modes.h"

namespace anhinga::mavlink {

/// MAV_AUTOPILOT of the aircraft that is simulated by ourselves: one that takes all of the standard's mission commands.
constexpr int kOwnFamily = 7;

struct ModeName {
    std::uint32_t mode;
    ModeKind kind;
    bool selectable = true;  // false: it is entered by itself, and never commanded
    const char* text() const { return modeWord(kind); }
};
/// The modes whose meaning is known; empty for a family that is not known.
std::span<const ModeName> modesOf(int autopilot, int type);
/// `autopilot` and `type` as in the heartbeat: "mission", "hold", ...; "mode 42" where there is no word.
std::string modeName(int autopilot, int type, std::uint32_t custom_mode);
/// Nothing for a number that is not in the tables.
std::optional<ModeKind> modeKind(int autopilot, int type, std::uint32_t custom_mode);
/// The number of a mode that does so; nothing when the family and type have none that may be commanded.
std::optional<std::uint32_t> modeNumber(int autopilot, int type, ModeKind kind);
/// What a mode does by its MAV_STANDARD_MODE, where an aircraft says it; nothing for those that are not standard.
std::optional<ModeKind> standardMode(int standard_mode);

/// "multirotor", "fixed wing", "helicopter", ... for a MAV_TYPE; "aircraft" for others.
const char* typeText(int type);

}  // namespace anhinga::mavlink
