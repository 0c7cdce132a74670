#include "core/check/Rules.h"

namespace anhinga::rules {

/// A plan whose last item leaves the aircraft in the air: it is a stop until something is chosen, and a warning where
/// what was chosen leaves it in the air.
void noWayToEnd(const CheckInput& in, Out& out) {
    if (in.plan.items.empty()) return;
    const bool returns = in.plan.items.back().kind == ItemKind::returnHome;
    if (!hovers(in.plan.vehicle.kind) && !in.plan.traits.ways.wing_lands &&
        (returns || (endsOpen(in.plan) && in.plan.at_end == AtEnd::returnAndLand))) {
        const ItemId last_id = in.plan.items.back().id;
        Finding f{Severity::warn, "no-way-to-end", last_id, {}, in.placeOf(last_id), {}};
        f.message =
            "coming home, this autopilot circles over home and does not land a fixed wing: somebody has to land it";
        if (returns && in.plan.home)
            f.corrections = {{"Land at home instead", [](Plan& plan) {
                                  if (plan.items.empty() || !plan.home) return;
                                  plan.items.back().kind = ItemKind::land;
                                  plan.items.back().position = plan.home->position;
                              }}};
        out.push_back(std::move(f));
        return;
    }
    if (!endsOpen(in.plan)) return;
    const Item& last = in.plan.items.back();
    const bool for_ever = std::any_of(last.actions.begin(), last.actions.end(), [](const Action& a) {
        const auto* repeat = std::get_if<Repeat>(&a);
        return repeat != nullptr && repeat->count < 0 && repeat->leave != Leave::unsaid;
    });
    if (in.plan.at_end == AtEnd::unsaid && for_ever) return;  // it never comes to its end
    Finding f{Severity::stop, "no-way-to-end", last.id, {}, in.placeOf(last.id), {}};
    const auto chosen = [](AtEnd end, const char* text) {
        return Correction{.text = text, .apply = [end](Plan& plan) { plan.at_end = end; }, .wide = true};
    };
    switch (in.plan.at_end) {
        case AtEnd::returnAndLand:
        case AtEnd::landThere:
            return;
        case AtEnd::unsaid:
            f.message = "the plan ends in the air: add a landing or a return home, or choose what is done at the end";
            f.corrections = {{"Add return home",
                              [](Plan& plan) {
                                  if (!endsOpen(plan)) return;
                                  Item item;
                                  item.id = plan.newId();
                                  item.kind = ItemKind::returnHome;
                                  plan.items.push_back(item);
                              }},
                             chosen(AtEnd::waitThere, "It waits there"),
                             chosen(AtEnd::returnAndWait, "It waits over home")};
            break;
        case AtEnd::returnAndWait:
        case AtEnd::waitThere:
            f.severity = Severity::warn;
            f.message = fmt::format(
                "the plan ends in the air, as chosen: after {} it {} until something is ordered or "
                "the battery is down to its reserve",
                in.text(last.id), endText(in.plan.at_end));
            break;
    }
    out.push_back(std::move(f));
}

}  // namespace anhinga::rules
