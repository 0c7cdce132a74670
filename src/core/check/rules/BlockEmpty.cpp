#include "core/check/Rules.h"
#include "core/pattern/BlockPattern.h"

namespace anhinga::rules {

void blockEmpty(const CheckInput& in, Out& out) {
    std::unordered_map<ItemId, bool> flown;
    for (const RouteStep& step : in.view.route.steps) flown[step.source] = true;
    for (const Item& item : in.plan.items) {
        if (item.kind != ItemKind::block || flown.contains(item.id)) continue;
        Finding f{Severity::stop,
                  "block-empty",
                  item.id,
                  fmt::format("{} gives no lines: its outline crosses itself, its height is at the ground, or the "
                              "overlap is too large",
                              in.text(item.id)),
                  in.placeOf(item.id),
                  {}};
        Item usual = item;
        usual.height = Height::aboveGround(60);
        usual.block.overlap_percent = std::min(usual.block.overlap_percent, 75.0);
        usual.block.sidelap_percent = std::min(usual.block.sidelap_percent, 65.0);
        if (!blockLines(in.plan, usual, in.terrain).lines.empty())
            f.corrections.push_back({"Fly it 60 m over ground with usual overlaps", [usual](Plan& p) {
                                         if (Item* i = p.find(usual.id)) {
                                             i->height = usual.height;
                                             i->block.overlap_percent = usual.block.overlap_percent;
                                             i->block.sidelap_percent = usual.block.sidelap_percent;
                                         }
                                     }});
        out.push_back(std::move(f));
    }
}

}  // namespace anhinga::rules
