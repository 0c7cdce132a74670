// How far each entry of the route has got on its way from the plan into the aircraft.
#pragma once

#include <optional>
#include <vector>

#include "core/dialect/Held.h"

namespace anhinga {

/// Each includes those before it.
enum class HoldState {
    drawn,      // in the plan; the aircraft holds something else there, or nothing is known of it
    sent,       // on its way, or sent and not read back yet
    confirmed,  // read back from the aircraft and the same
    stored,     // and kept over a power cut, as the aircraft says
    active      // being flown now
};
/// "kept here, not sent", "sent, not read back", "confirmed", "stored for power-off", "being flown".
const char* holdText(HoldState state);

struct HoldInput {
    const FlightProgram& program;
    const HeldPlan* held = nullptr;  // as read back; null: not read
    std::size_t sent = 0;            // the first so many entries are on their way
    bool stored = false;
    std::optional<int> flown = {};  // the entry being flown, when the aircraft flies this mission
};
/// One for each entry as they are counted aboard, home included.
std::vector<HoldState> holdStates(const HoldInput& input);

/// From which mission item on a change can still be made in flight: `ahead` items after the one being flown.
/// Nothing when nothing can be changed (`ahead` 0).
std::optional<int> firstChangeable(std::optional<int> flown, int ahead);

}  // namespace anhinga
