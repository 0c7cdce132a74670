#include "core/check/Check.h"

#include <algorithm>
#include <array>
#include <atomic>

#include "core/base/Parallel.h"
#include "core/check/Rules.h"
#include "core/geo/Polygon.h"

namespace anhinga {

namespace {

using Rule = void (*)(const CheckInput&, std::vector<Finding>&);
constexpr Rule kRules[] = {
    rules::homeMissing,    rules::homeHeight,     rules::homeMoved,      rules::clearance,
    rules::climbObstacle,  rules::returnHeight,   rules::fenceShape,     rules::fenceCrossing,
    rules::fenceFlown,     rules::takeOffFence,   rules::rallyPlace,     rules::ceiling,
    rules::floorHeight,    rules::lowestHeight,   rules::airspace,       rules::firstWaypointFar,
    rules::itemLimit,      rules::unsupported,    rules::batteryMissing, rules::energy,
    rules::wind,           rules::noWayToEnd,     rules::endlessRepeat,  rules::repeatTarget,
    rules::patternEmpty,   rules::speedRange,     rules::turnTight,      rules::gimbalRange,
    rules::photoInterval,  rules::blur,           rules::coverGaps,      rules::cameraByHand,
    rules::cardRoom,       rules::terrainUnknown, rules::lookAtOpen,     rules::coincident,
    rules::heightMix,      rules::aboveGround,    rules::afterLanding,   rules::terrainMissing,
    rules::heightUnlikely,
};

/// Items from which a second thread is worth its start.
constexpr std::size_t kLargePlan = 200;

}  // namespace

const char* severityText(Severity severity) {
    return severity == Severity::stop ? "stop" : severity == Severity::warn ? "warn" : "note";
}

const Item* CheckInput::find(ItemId id) const {
    const auto at = index.find(id);
    return at == index.end() ? nullptr : &plan.items[at->second];
}

std::string CheckInput::text(ItemId id) const {
    const auto at = index.find(id);
    if (at == index.end()) return itemText(plan, id);
    const int count = numbers[at->second];
    const char* kind = kindText(plan.items[at->second].kind);
    return count > 0 ? fmt::format("{} {}", kind, count) : kind;
}

std::string CheckInput::legText(const PathLeg& leg) const {
    if (leg.way_home) return "on the way home";
    const std::string to = text(leg.source), from = text(leg.item_from);
    if (leg.repeat) return "on the repeat leg from " + from + " to " + text(view.path.points[leg.to].source);
    return from == to ? "in " + to : "between " + from + " and " + to;
}

std::optional<GeoPoint> CheckInput::placeOf(ItemId id) const {
    if (id == kHomeId) return plan.home ? std::optional(plan.home->position) : std::nullopt;
    const Item* item = find(id);
    if (item == nullptr) return std::nullopt;
    if (hasPosition(item->kind)) return item->position;
    if (isPattern(item->kind)) return middleOf(item->pattern->outline);
    return plan.home ? std::optional(plan.home->position) : std::nullopt;
}

bool endlessIsAccepted(const Plan& plan) {
    bool any = false;
    for (const Item& item : plan.items)
        for (const Action& a : item.actions)
            if (const auto* repeat = std::get_if<Repeat>(&a); repeat != nullptr && repeat->count < 0) {
                if (repeat->leave == Leave::unsaid) return false;
                any = true;
            }
    return any;
}

std::vector<Finding> check(const CheckInput& input) {
    // Rules know nothing of each other: on a large plan two threads take them in turn.
    std::array<std::vector<Finding>, std::size(kRules)> found;
    std::atomic<std::size_t> next = 0;
    const auto work = [&] {
        for (std::size_t i = next++; i < found.size(); i = next++) kRules[i](input, found[i]);
    };
    bothAtOnce(input.plan.items.size() > kLargePlan, work, work);
    std::vector<Finding> out;
    for (auto& of_rule : found) out.insert(out.end(), of_rule.begin(), of_rule.end());
    std::stable_sort(out.begin(), out.end(),
                     [](const Finding& a, const Finding& b) { return a.severity < b.severity; });
    return out;
}

void applyAll(Plan& plan, const std::vector<Finding>& findings) {
    for (const Finding& f : findings)
        if (!f.corrections.empty() && f.corrections.front().apply && !f.corrections.front().wide)
            f.corrections.front().apply(plan);
}

namespace {

/// `before`: the view of `plan_before` over the same terrain.
PlanView compute(const Plan& plan, Route route, const Terrain* terrain, const Plan* plan_before,
                 const PlanView* before) {
    PlanView view;
    view.route = std::move(route);
    view.program = programOf(plan, view.route, terrain, before != nullptr ? &before->program : nullptr);
    if (const auto ok = sendable(plan, view.program); !ok) view.not_sendable = ok.error().message;
    view.path = pathOf(plan, view.program, terrain, before != nullptr ? &before->path : nullptr);
    view.clearance = before != nullptr && plan.obstacles == plan_before->obstacles
                         ? clearanceOf(view.path, terrain, plan.obstacles, {before->path, before->clearance})
                         : clearanceOf(view.path, terrain, plan.obstacles);
    return view;
}

}  // namespace

PlanView viewOf(const Plan& plan, const Terrain* terrain) {
    return compute(plan, expand(plan, terrain), terrain, nullptr, nullptr);
}

PlanView viewOf(const Plan& plan, const Terrain* terrain, const Plan& plan_before, const PlanView& before) {
    return compute(plan, expand(plan, terrain, plan_before, before.route), terrain, &plan_before, &before);
}

PlanView viewOf(const Plan& plan, Route route, const Terrain* terrain) {
    return compute(plan, std::move(route), terrain, nullptr, nullptr);
}

}  // namespace anhinga
