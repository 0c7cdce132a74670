#include "core/check/FenceField.h"
#include "core/check/Rules.h"

namespace anhinga::rules {

void fenceCrossing(const CheckInput& in, Out& out) {
    const Path& path = in.view.path;
    if (path.line.empty() || in.plan.fences.empty()) return;
    const FenceField fences(in.plan.fences, path.frame);
    for (std::size_t n = 0; n < fences.size(); ++n) {
        const Fence& fence = in.plan.fences[fences.source(n)];
        const bool keep_in = fence.kind == FenceKind::keepIn;
        ItemId said = 0;
        for (const PathLeg& leg : path.legs) {
            if (leg.source == said || leg.line_from >= leg.line_to) continue;
            const auto where = fences.breach(n, path, leg);
            if (!where) continue;
            said = leg.source;
            std::string what = leg.climb      ? "the climb or descent at " + in.text(leg.source)
                               : leg.way_home ? "the way home"
                                              : "the way to " + in.text(leg.source);
            if (leg.repeat) what = "the repeat leg from " + in.text(leg.source);
            out.push_back({Severity::stop,
                           "fence-crossing",
                           leg.source,
                           fmt::format("{} {} {}", what, keep_in ? "leaves" : "enters", fenceName(fence)),
                           path.frame.toGeo(*where),
                           {}});
        }
    }
}

}  // namespace anhinga::rules
