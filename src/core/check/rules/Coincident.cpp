#include "core/check/Rules.h"

namespace anhinga::rules {

void coincident(const CheckInput& in, Out& out) {
    constexpr double kNear_m = 1.0;
    const Item* before = nullptr;
    for (const Item& item : in.plan.items) {
        if (!hasPosition(item.kind)) {
            before = nullptr;
            continue;
        }
        if (before != nullptr && item.kind == ItemKind::waypoint && before->kind == ItemKind::waypoint &&
            std::abs(item.position.lat_deg - before->position.lat_deg) < 1e-4 &&
            distance_m(item.position, before->position) < kNear_m &&
            effectiveHeight(in.plan, item) == effectiveHeight(in.plan, *before)) {
            Finding f{
                Severity::note, "coincident",
                item.id,        fmt::format("{} and {} are at the same place", in.text(before->id), in.text(item.id)),
                item.position,  {}};
            bool wanted = !item.actions.empty();
            for (const Item& other : in.plan.items)
                for (const Action& a : other.actions)
                    if (const auto* r = std::get_if<Repeat>(&a)) wanted |= r->target == item.id;
            if (!wanted)
                f.corrections.push_back({"Remove " + in.text(item.id), [id = item.id](Plan& p) {
                                             std::erase_if(p.items, [&](const Item& i) { return i.id == id; });
                                         }});
            out.push_back(std::move(f));
        }
        before = &item;
    }
}

}  // namespace anhinga::rules
