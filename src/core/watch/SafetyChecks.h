// The checklist lines that compare what the aircraft is set to do by itself with the plan.
#pragma once

#include "core/watch/AutoChecks.h"

namespace anhinga {

std::span<const AutoCheck> safetyChecks();

}  // namespace anhinga
