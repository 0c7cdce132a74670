#include "core/check/Rules.h"

namespace anhinga::rules {

void terrainUnknown(const CheckInput& in, Out& out) {
    if (in.view.path.legs.empty()) return;
    if (in.terrain == nullptr || in.terrain->empty()) {
        out.push_back(
            {Severity::warn, "terrain-unknown", 0, "no terrain is loaded: clearance is unknown everywhere", {}, {}});
        return;
    }
    if (in.plan.home && !homeAmsl(in.plan, in.terrain)) return;  // said by its own rule
    int more = -1;
    std::size_t first = 0;
    for (std::size_t i = 0; i < in.view.path.legs.size(); ++i) {
        if (!in.view.clearance.legs[i].has_unknown || in.view.path.legs[i].climb) continue;
        if (more < 0) first = i;
        ++more;
    }
    if (more < 0) return;
    out.push_back(
        {Severity::warn,
         "terrain-unknown",
         in.view.path.legs[first].source,
         fmt::format("terrain is unknown {}{}: clearance there is not checked", in.legText(in.view.path.legs[first]),
                     more > 0 ? fmt::format(" and on {} more legs", more) : ""),
         in.view.clearance.legs[first].unknown_at,
         {}});
}

}  // namespace anhinga::rules
