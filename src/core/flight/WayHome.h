// Could it get home from here? What a return ordered at this moment would take.
#pragma once

#include "core/flight/Flight.h"

namespace anhinga {

struct WayHome {
    double duration_s = 0;
    double left_percent = 0;  // of the battery on landing; 0 when it would not last
};
/// Straight home: up to the return height where it is lower, across at cruise speed against the wind as it blows, down
/// and landed, from the state the flight is in. The power model is the flight's own (docs/formulas.md, "Energy").
WayHome wayHome(const Flight& flight);

}  // namespace anhinga
