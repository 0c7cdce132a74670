#include "core/check/Rules.h"

namespace anhinga::rules {

/// Terrain that the plan names and that is not there: heights above ground and clearance rest on less than was meant.
void terrainMissing(const CheckInput& in, Out& out) {
    if (in.terrain == nullptr) return;
    for (const Terrain::Missing& m : in.terrain->missing())
        out.push_back({Severity::warn,
                       "terrain-missing",
                       0,
                       fmt::format("terrain of this plan cannot be read: {}", m.why),
                       {},
                       {{"Look for it …", {}, false, false, m.name}}});
}

}  // namespace anhinga::rules
