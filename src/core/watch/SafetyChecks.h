// The checklist lines that compare what the aircraft is set to do by itself with the plan.
#pragma once

#include "core/watch/AutoChecks.h"

namespace anhinga {

std::span<const AutoCheck> safetyChecks();
/// Where the aircraft's own fence would break this flight off: a sentence for each limit the plan goes beyond. Empty
/// while it was not asked.
std::vector<std::string> breaksOff(const FieldInput& input);

}  // namespace anhinga
