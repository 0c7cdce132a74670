#include "core/check/Check.h"

#include <algorithm>

#include "core/check/Rules.h"
#include "core/geo/Polygon.h"

namespace anhinga {

namespace {

using Rule = void (*)(const CheckInput&, std::vector<Finding>&);
constexpr Rule kRules[] = {
    rules::homeMissing,  rules::homeHeight,    rules::homeMoved,      rules::clearance,    rules::climbObstacle,
    rules::returnHeight, rules::fenceShape,    rules::fenceCrossing,  rules::takeOffFence, rules::rallyPlace,
    rules::ceiling,      rules::floorHeight,   rules::lowestHeight,   rules::airspace,     rules::firstWaypointFar,
    rules::itemLimit,    rules::unsupported,   rules::batteryMissing, rules::energy,       rules::wind,
    rules::noWayToEnd,   rules::endlessRepeat, rules::repeatTarget,   rules::blockEmpty,   rules::speedRange,
    rules::turnTight,    rules::gimbalRange,   rules::photoInterval,  rules::blur,         rules::terrainUnknown,
    rules::lookAtOpen,   rules::coincident,    rules::heightMix,
};

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
    if (numbers.empty()) {
        int number = 0;
        for (const Item& item : plan.items) {
            const bool counts = item.kind != ItemKind::takeOff && item.kind != ItemKind::returnHome;
            number += counts;
            numbers.push_back(counts ? number : 0);
        }
    }
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
    if (item->kind == ItemKind::block) return middleOf(item->block.outline);
    return plan.home ? std::optional(plan.home->position) : std::nullopt;
}

std::vector<Finding> check(const CheckInput& input) {
    std::vector<Finding> out;
    for (const Rule rule : kRules) rule(input, out);
    std::stable_sort(out.begin(), out.end(),
                     [](const Finding& a, const Finding& b) { return a.severity < b.severity; });
    return out;
}

void applyAll(Plan& plan, const std::vector<Finding>& findings) {
    for (const Finding& f : findings)
        if (!f.corrections.empty()) f.corrections.front().apply(plan);
}

namespace {

PlanView compute(const Plan& plan, const Terrain* terrain, const PlanView* before) {
    PlanView view;
    view.route = expand(plan, terrain);
    view.path = pathOf(plan, view.route, terrain);
    view.clearance = before != nullptr
                         ? clearanceOf(view.path, terrain, plan.obstacles, {before->path, before->clearance})
                         : clearanceOf(view.path, terrain, plan.obstacles);
    auto mission = compileMission(plan, view.route);
    if (mission)
        view.mission = std::move(*mission);
    else
        view.not_sendable = mission.error().message;
    view.fence = compileFences(plan);
    view.rally = compileRally(plan);
    return view;
}

}  // namespace

PlanView viewOf(const Plan& plan, const Terrain* terrain) {
    return compute(plan, terrain, nullptr);
}

PlanView viewOf(const Plan& plan, const Terrain* terrain, const Plan& plan_before, const PlanView& before) {
    return compute(plan, terrain, plan.obstacles == plan_before.obstacles ? &before : nullptr);
}

}  // namespace anhinga
