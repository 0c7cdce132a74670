// Plans to begin with: small, flyable, around a home, to be pulled into shape.
#pragma once

#include <vector>

#include "core/plan/Plan.h"

namespace anhinga {

struct PlanTemplate {
    const char *name, *text;
    /// A plan that takes off and returns at `home`.
    Plan (*make)(GeoPoint home);
};
/// The table of them; the first is empty but for home.
const std::vector<PlanTemplate>& planTemplates();

}  // namespace anhinga
