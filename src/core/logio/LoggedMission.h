// A mission that a log holds, as a plan.
#pragma once

#include "core/dialect/Items.h"
#include "core/flightlog/FlightLog.h"

namespace anhinga {

/// `base` gives what a mission has not. Fails as decompile() does.
Result<Decompiled> planOfLog(const LoggedMission& mission, const Plan& base);

}  // namespace anhinga
