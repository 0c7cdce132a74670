// What an aircraft's modes do, in our words. Families number them differently (core/mavlink/ModeNames); here is the one
// table of the words that stand on screens and in logs, and of the names that interfaces keep.
#pragma once

#include <string>
#include <string_view>

namespace anhinga {

enum class ModeKind {
    standby,
    manual,
    levelled,
    rate,
    heightHold,
    positionHold,
    cruise,
    hold,
    mission,
    returnHome,
    land,
    takeOff,
    led,  // goes where the ground station says
    stop,
    circle,
    ended  // the autopilot has ended the flight: motors off
};

/// As shown and as written into our own logs: "led from the ground".
const char* modeWord(ModeKind kind);
/// The name of a mode by its word in the JSON of anhinga-cli, which does not change with the words on screens; a word
/// that is not in the table is its own name ("mode 42").
std::string modeInterfaceName(std::string_view word);
/// Today's word for a word of a log that we wrote earlier; other words come back as they are.
std::string modeWordToday(std::string_view word);

}  // namespace anhinga
