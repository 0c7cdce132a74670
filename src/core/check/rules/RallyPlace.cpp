#include "core/check/Rules.h"
#include "core/program/FenceField.h"

namespace anhinga::rules {

void rallyPlace(const CheckInput& in, Out& out) {
    if (in.plan.rally.empty()) return;
    const LocalFrame frame(in.plan.rally.front().position);
    const FenceField fences(in.plan.fences, frame);
    for (const RallyPoint& r : in.plan.rally) {
        const std::string name = itemText(in.plan, r.id);
        for (std::size_t n = 0; n < fences.size(); ++n) {
            const Fence& fence = in.plan.fences[fences.source(n)];
            if (fences.allows(n, frame.toLocal(r.position))) continue;
            out.push_back({Severity::stop,
                           "rally-fence",
                           r.id,
                           fmt::format("{} lies {} {}", name, fence.kind == FenceKind::keepIn ? "outside" : "inside",
                                       fenceName(fence)),
                           r.position,
                           {{"Remove this rally point", [id = r.id](Plan& p) {
                                 std::erase_if(p.rally, [&](const RallyPoint& each) { return each.id == id; });
                             }}}});
        }
        const auto amsl = amslOf(in.plan, in.terrain, r.position, r.height);
        const auto ground = in.terrain != nullptr ? in.terrain->sample(r.position) : std::nullopt;
        if (!amsl || !ground || *amsl - *ground >= in.plan.clearance_min_m) continue;
        Height height = r.height;
        height.value_m = std::ceil(height.value_m + in.plan.clearance_margin_m - (*amsl - *ground));
        out.push_back({Severity::stop,
                       "rally-clearance",
                       r.id,
                       fmt::format("{} is {:.0f} m over ground; the minimum is {:.0f} m", name, *amsl - *ground,
                                   in.plan.clearance_min_m),
                       r.position,
                       {{"Lift it to " + heightText(height), [id = r.id, height](Plan& p) {
                             if (RallyPoint* point = p.findRally(id)) point->height = height;
                         }}}});
    }
}

}  // namespace anhinga::rules
