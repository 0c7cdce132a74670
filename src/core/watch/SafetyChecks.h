// The checklist lines that compare what the aircraft is set to do by itself with the plan.
#pragma once

#include "core/check/Check.h"
#include "core/watch/AutoChecks.h"

namespace anhinga {

std::span<const AutoCheck> safetyChecks();
/// How the aircraft that is connected differs from what is planned: a stop for each limit of its own that would break
/// this flight off, a warning for every other line that does not agree, with what can be taken into the plan. Empty
/// while it was not asked.
std::vector<Finding> aircraftFindings(const FieldInput& input);

}  // namespace anhinga
