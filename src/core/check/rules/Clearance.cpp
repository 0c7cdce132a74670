#include "core/check/Rules.h"

namespace anhinga::rules {

namespace {

/// Which legs are reported: of a pattern's many legs only the worst.
std::vector<bool> reported(const CheckInput& in) {
    const auto& legs = in.view.path.legs;
    const auto& clear = in.view.clearance.legs;
    std::vector<bool> yes(legs.size(), true);
    std::unordered_map<ItemId, std::size_t> worst;
    for (std::size_t i = 0; i < legs.size(); ++i) {
        const Item* item = in.find(legs[i].source);
        if (item == nullptr || !isPattern(item->kind) || legs[i].item_from != legs[i].source) continue;
        if (!clear[i].lowest_m) continue;
        const auto [at, first] = worst.try_emplace(legs[i].source, i);
        if (first) continue;
        const bool worse = *clear[i].lowest_m < *clear[at->second].lowest_m;
        yes[worse ? at->second : i] = false;
        if (worse) at->second = i;
    }
    return yes;
}

/// The heights that lift both ends of a leg by what is missing, each in its own reference.
std::vector<Correction> liftEnds(const CheckInput& in, const PathLeg& leg, double missing_m) {
    std::vector<std::pair<ItemId, Height>> heights;
    std::string names;
    for (const ItemId id : {leg.item_from, leg.source, in.view.path.points[leg.to].source}) {
        const Item* item = in.find(id);
        if (item == nullptr || item->kind == ItemKind::returnHome) continue;
        if (std::any_of(heights.begin(), heights.end(), [&](const auto& h) { return h.first == id; })) continue;
        Height height = effectiveHeight(in.plan, *item);
        height.value_m = std::ceil(height.value_m + missing_m - 1e-6);
        heights.emplace_back(id, height);
        names += (names.empty() ? "" : ", ") + in.text(id) + " to " + heightText(height);
    }
    if (heights.empty()) return {};
    return {{"Lift " + names, [heights](Plan& plan) {
                 for (const auto& [id, height] : heights) {
                     Item* item = plan.find(id);
                     if (item == nullptr) continue;
                     // Another finding may have lifted it further already.
                     const Height now = effectiveHeight(plan, *item);
                     if (now.ref != height.ref || now.value_m < height.value_m) item->height = height;
                 }
             }}};
}

}  // namespace

void clearance(const CheckInput& in, Out& out) {
    const Plan& plan = in.plan;
    const std::vector<bool> report = reported(in);
    for (std::size_t i = 0; i < in.view.path.legs.size(); ++i) {
        const PathLeg& leg = in.view.path.legs[i];
        const LegClearance& c = in.view.clearance.legs[i];
        if (leg.climb || leg.way_home || !c.lowest_m || !report[i]) continue;
        const bool below = *c.lowest_m < plan.clearance_min_m;
        if (!below && *c.lowest_m >= plan.clearance_margin_m) continue;
        const double limit = below ? plan.clearance_min_m : plan.clearance_margin_m;
        const std::string over = c.obstacle != 0 ? itemText(plan, c.obstacle) : "ground";
        const char* drawn = plan.obstacles.empty() ? ", obstacles not drawn" : "";
        std::string message =
            *c.lowest_m < 0 ? fmt::format("{:.0f} m {} {}: its top is {:.0f} m AMSL", -*c.lowest_m,
                                          c.obstacle != 0 ? "below the top of " + over : "inside the ground",
                                          in.legText(leg), c.under_m)
                            : fmt::format("{:.0f} m over {} {}; the {} is {:.0f} m, top {:.0f} m AMSL{}", *c.lowest_m,
                                          over, in.legText(leg), below ? "minimum" : "margin", limit, c.under_m, drawn);
        out.push_back({below ? Severity::stop : Severity::warn, below ? "clearance-minimum" : "clearance-margin",
                       leg.source, std::move(message), c.where,
                       liftEnds(in, leg, plan.clearance_margin_m - *c.lowest_m)});
    }
}

}  // namespace anhinga::rules
