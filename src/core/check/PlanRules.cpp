#include "core/base/Text.h"
#include "core/check/Rules.h"
#include "core/pattern/BlockPattern.h"

namespace anhinga::rules {

void homeMissing(const CheckInput& in, Out& out) {
    if (!in.plan.home)
        out.push_back({Severity::stop,
                       "home-missing",
                       0,
                       "home is not set: choose Home and click where the aircraft will start",
                       {},
                       {}});
}

void firstWaypointFar(const CheckInput& in, Out& out) {
    if (!in.plan.home) return;
    for (const RouteStep& step : in.route.steps) {
        const auto* nav = std::get_if<RouteNav>(&step.what);
        if (nav == nullptr || nav->kind == ItemKind::takeOff) continue;
        const double d = distance_m(in.plan.home->position, nav->position);
        if (d > in.plan.traits.first_waypoint_max_m)
            out.push_back(
                {Severity::stop,
                 "first-waypoint-far",
                 step.source,
                 fmt::format("{} is {} from home; the autopilot starts only within {}", itemText(in.plan, step.source),
                             distanceText(d), distanceText(in.plan.traits.first_waypoint_max_m)),
                 nav->position,
                 {}});
        return;
    }
}

void noWayToEnd(const CheckInput& in, Out& out) {
    if (in.plan.items.empty()) return;
    for (std::size_t i = 0; i < in.plan.items.size(); ++i)
        for (const Action& a : in.plan.items[i].actions) {
            const auto* repeat = std::get_if<Repeat>(&a);
            const int target = repeat != nullptr ? in.plan.indexOf(repeat->target) : -1;
            if (repeat == nullptr || repeat->count >= 0 || target < 0 || target > static_cast<int>(i)) continue;
            out.push_back(
                {Severity::warn,
                 "endless-repeat",
                 in.plan.items[i].id,
                 fmt::format("the repeat at {} never ends by itself: the battery reserve or the operator ends it",
                             itemText(in.plan, in.plan.items[i].id)),
                 in.plan.items[i].position,
                 {}});
        }
    const ItemKind last = in.plan.items.back().kind;
    if (last == ItemKind::land || last == ItemKind::returnHome) return;
    out.push_back({Severity::stop,
                   "no-way-to-end",
                   in.plan.items.back().id,
                   "the plan ends in the air: add a landing or a return home",
                   {},
                   Correction{"Add return home", {}, true}});
}

void repeatTarget(const CheckInput& in, Out& out) {
    for (const Item& item : in.plan.items)
        for (const Action& a : item.actions)
            if (const auto* repeat = std::get_if<Repeat>(&a);
                repeat != nullptr && in.plan.find(repeat->target) == nullptr)
                out.push_back({Severity::stop,
                               "repeat-target",
                               item.id,
                               fmt::format("the repeat at {} has lost its target: choose the item to go to",
                                           itemText(in.plan, item.id)),
                               item.position,
                               {}});
}

void lookAtOpen(const CheckInput& in, Out& out) {
    ItemId open = 0;
    for (const Item& item : in.plan.items)
        for (const Action& a : item.actions) {
            if (std::holds_alternative<LookAt>(a)) open = item.id;
            if (std::holds_alternative<LookAtStop>(a)) open = 0;
        }
    if (open != 0)
        out.push_back(
            {Severity::note,
             "look-at-open",
             open,
             fmt::format("the look-at begun at {} is never stopped: it holds to the end", itemText(in.plan, open)),
             {},
             {}});
}

void emptyBlock(const CheckInput& in, Out& out) {
    for (const Item& item : in.plan.items)
        if (item.kind == ItemKind::block && blockLines(in.plan, item, in.terrain).lines.empty())
            out.push_back({Severity::stop,
                           "block-empty",
                           item.id,
                           fmt::format("{} gives no lines: its outline crosses itself, its height is at the ground, or "
                                       "the overlap is too large",
                                       itemText(in.plan, item.id)),
                           item.block.outline.empty() ? std::nullopt : std::optional(item.block.outline.front()),
                           {}});
}

void speedRange(const CheckInput& in, Out& out) {
    for (const Item& item : in.plan.items)
        if (effectiveSpeed(in.plan, item) > in.plan.vehicle.max_mps)
            out.push_back({Severity::warn,
                           "speed",
                           item.id,
                           fmt::format("{}: {:.1f} m/s is more than the {:.1f} m/s of {}", itemText(in.plan, item.id),
                                       effectiveSpeed(in.plan, item), in.plan.vehicle.max_mps, in.plan.vehicle.name),
                           item.position,
                           {}});
}

void itemLimit(const CheckInput& in, Out& out) {
    const auto mission = compileMission(in.plan, in.route);
    if (!mission) return;
    const auto n = static_cast<int>(mission->items.size());
    if (n > in.plan.traits.item_limit)
        out.push_back(
            {Severity::stop,
             "item-limit",
             0,
             fmt::format("{} mission items; the autopilot holds {}. Split the plan", n, in.plan.traits.item_limit),
             {},
             {}});
}

void energy(const CheckInput& in, Out& out) {
    if (!in.energy) return;
    if (in.energy->reached_reserve)
        out.push_back(
            {Severity::stop,
             "energy",
             0,
             fmt::format(
                 "the battery reaches its reserve of {:.0f} % before the plan is flown: it would turn back early",
                 in.plan.vehicle.reserve_percent),
             {},
             {}});
    else if (in.energy->left_percent < in.plan.vehicle.reserve_percent)
        out.push_back({Severity::stop,
                       "energy",
                       0,
                       fmt::format("lands with {:.0f} %, the reserve is {:.0f} %", in.energy->left_percent,
                                   in.plan.vehicle.reserve_percent),
                       {},
                       {}});
}

}  // namespace anhinga::rules
