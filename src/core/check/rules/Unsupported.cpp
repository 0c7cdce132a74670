#include "core/check/Rules.h"

namespace anhinga::rules {

namespace {
/// A fixed wing neither hovers nor turns its nose to where it does not fly.
void forWings(const CheckInput& in, Out& out) {
    const auto say = [&](ItemId id, const std::string& what, std::vector<Correction> corrections) {
        out.push_back({Severity::stop, "unsupported", id,
                       fmt::format("{}: {} cannot {}", in.text(id), in.plan.vehicle.name, what), in.placeOf(id),
                       std::move(corrections)});
    };
    for (const Item& item : in.plan.items) {
        if (item.kind == ItemKind::rings || item.kind == ItemKind::face)
            say(item.id, "stand still beside a thing; Rings and Face need a multirotor or a helicopter", {});
        else if (isPattern(item.kind) && item.pattern->stands())
            say(item.id, "stop for each photo", {{"Take them by distance", [id = item.id](Plan& p) {
                                                      if (Item* i = p.find(id))
                                                          i->pattern.edit().when = PhotoWhen::distance;
                                                  }}});
        const auto nose = [](const Action& a) {
            return std::holds_alternative<LookAt>(a) || std::holds_alternative<SetHeading>(a);
        };
        if (std::none_of(item.actions.begin(), item.actions.end(), nose)) continue;
        say(item.id, "turn its nose to a place or heading: it points where it flies",
            {{"Remove look-at and heading", [id = item.id](Plan& p) {
                  if (Item* i = p.find(id))
                      std::erase_if(i->actions, [](const Action& a) {
                          return std::holds_alternative<LookAt>(a) || std::holds_alternative<LookAtStop>(a) ||
                                 std::holds_alternative<SetHeading>(a);
                      });
              }}});
    }
}
}  // namespace

void unsupported(const CheckInput& in, Out& out) {
    if (!hovers(in.plan.vehicle.kind)) forWings(in, out);
    if (in.plan.traits.splines) return;
    std::vector<ItemId> ids;
    for (const Item& item : in.plan.items)
        if (item.kind == ItemKind::waypoint && item.spline) ids.push_back(item.id);
    if (ids.empty()) return;
    out.push_back({Severity::stop,
                   "unsupported",
                   ids.front(),
                   fmt::format("{}{}: the autopilot of this plan flies no splines", in.text(ids.front()),
                               ids.size() > 1 ? fmt::format(" and {} more", ids.size() - 1) : ""),
                   in.placeOf(ids.front()),
                   {{"Fly them straight", [ids](Plan& p) {
                         for (const ItemId id : ids)
                             if (Item* i = p.find(id)) i->spline = false;
                     }}}});
}

}  // namespace anhinga::rules
