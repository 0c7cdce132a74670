// Flight modes in words: every family numbers them differently, and differently for each type of vehicle.
#pragma once

#include <cstdint>
#include <optional>
#include <span>
#include <string>
#include <string_view>

#include "core/base/Modes.h"

namespace anhinga::mavlink {

struct ModeName {
    std::uint32_t mode;
    ModeKind kind;
    const char* text() const { return modeWord(kind); }
};
/// The modes there is a word for; empty for a family that is not known.
std::span<const ModeName> modesOf(int autopilot, int type);
/// `autopilot` and `type` as in the heartbeat. Family 3: "mission", "hold", ...; "mode 42" where there is no word.
std::string modeName(int autopilot, int type, std::uint32_t custom_mode);
/// Nothing for a number that is not in the tables.
std::optional<ModeKind> modeKind(int autopilot, int type, std::uint32_t custom_mode);
/// The number of a mode that does so; nothing when the family and type have none.
std::optional<std::uint32_t> modeNumber(int autopilot, int type, ModeKind kind);

/// "multirotor", "fixed wing", "helicopter", ... for a MAV_TYPE; "aircraft" for others.
const char* typeText(int type);

}  // namespace anhinga::mavlink
