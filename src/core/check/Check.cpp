#include "core/check/Check.h"

#include "core/check/Rules.h"

namespace anhinga {

namespace {

using Rule = void (*)(const CheckInput&, std::vector<Finding>&);
constexpr Rule kRules[] = {
    rules::homeMissing,      rules::clearance,  rules::heightUnknown, rules::fenceCrossing, rules::ceiling,
    rules::firstWaypointFar, rules::itemLimit,  rules::energy,        rules::noWayToEnd,    rules::repeatTarget,
    rules::lookAtOpen,       rules::emptyBlock, rules::speedRange,
};

}  // namespace

const char* severityText(Severity severity) {
    return severity == Severity::stop ? "stop" : severity == Severity::warn ? "warn" : "note";
}

std::vector<Finding> check(const CheckInput& input) {
    std::vector<Finding> out;
    for (const Rule rule : kRules) rule(input, out);
    std::stable_sort(out.begin(), out.end(),
                     [](const Finding& a, const Finding& b) { return a.severity < b.severity; });
    return out;
}

void apply(Plan& plan, const Correction& correction) {
    for (const auto& [id, height] : correction.heights)
        if (Item* item = plan.find(id)) item->height = height;
    if (correction.append_return && (plan.items.empty() || plan.items.back().kind != ItemKind::returnHome)) {
        Item item;
        item.id = plan.newId();
        item.kind = ItemKind::returnHome;
        plan.items.push_back(item);
    }
}

PlanView viewOf(const Plan& plan, const Terrain* terrain) {
    PlanView view;
    view.route = expand(plan, terrain);
    view.path = pathOf(plan, view.route, terrain);
    view.clearance = clearanceOf(view.path, terrain);
    auto mission = compileMission(plan, view.route);
    if (mission)
        view.mission = std::move(*mission);
    else
        view.not_sendable = mission.error().message;
    view.fence = compileFences(plan);
    return view;
}

}  // namespace anhinga
