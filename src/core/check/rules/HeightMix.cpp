#include "core/check/Rules.h"

namespace anhinga::rules {

void heightMix(const CheckInput& in, Out& out) {
    const Item* before = nullptr;
    int changes = 0;
    const Item* first = nullptr;
    const Item* first_before = nullptr;
    for (const Item& item : in.plan.items) {
        if (!hasPosition(item.kind) || item.kind == ItemKind::land) continue;
        if (before != nullptr && effectiveHeight(in.plan, item).ref != effectiveHeight(in.plan, *before).ref) {
            if (changes++ == 0) {
                first = &item;
                first_before = before;
            }
        }
        before = &item;
    }
    if (changes == 0) return;
    out.push_back({Severity::note,
                   "height-mix",
                   first->id,
                   fmt::format("{} is at {} and {} at {}: heights change their reference between neighbours{}",
                               in.text(first_before->id), heightText(effectiveHeight(in.plan, *first_before)),
                               in.text(first->id), heightText(effectiveHeight(in.plan, *first)),
                               changes > 1 ? fmt::format(" ({} times)", changes) : ""),
                   first->position,
                   {}});
}

}  // namespace anhinga::rules
