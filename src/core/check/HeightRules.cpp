#include "core/base/Text.h"
#include "core/check/Rules.h"

namespace anhinga::rules {

namespace {

/// "on the leg to Waypoint 4", "between Waypoint 3 and Waypoint 4", "on the way home".
std::string legText(const CheckInput& in, const PathLeg& leg) {
    const std::string to = itemText(in.plan, in.path.points[leg.to].source);
    const std::string from = itemText(in.plan, in.path.points[leg.from].source);
    if (leg.way_home) return "on the way home";
    if (leg.repeat) return "on the repeat leg from " + from + " to " + to;
    return from == to ? "in " + to : "between " + from + " and " + to;
}

/// The heights that bring both ends of a leg to `need` metres AMSL at least, each in its own reference.
std::optional<Correction> liftEnds(const CheckInput& in, const PathLeg& leg, double missing_m) {
    Correction c;
    std::string names;
    for (const std::size_t end : {leg.from, leg.to}) {
        const PathPoint& p = in.path.points[end];
        const Item* item = in.plan.find(p.source);
        if (item == nullptr || !p.amsl_m || item->kind == ItemKind::returnHome) continue;
        Height height = effectiveHeight(in.plan, *item);
        height.value_m = std::ceil(height.value_m + missing_m);
        if (!c.heights.empty() && c.heights.back().first == item->id) continue;
        c.heights.emplace_back(item->id, height);
        names += (names.empty() ? "" : ", ") + itemText(in.plan, item->id) + " to " + heightText(height);
    }
    if (c.heights.empty()) return std::nullopt;
    c.text = "Lift " + names;
    return c;
}

}  // namespace

void clearance(const CheckInput& in, Out& out) {
    const Plan& plan = in.plan;
    std::optional<std::size_t> worst_in_block;
    for (std::size_t i = 0; i < in.path.legs.size(); ++i) {
        const PathLeg& leg = in.path.legs[i];
        const LegClearance& c = in.clearance.legs[i];
        if (leg.climb || !c.lowest_m) continue;
        const bool below = *c.lowest_m < plan.clearance_min_m;
        if (!below && *c.lowest_m >= plan.clearance_margin_m) continue;
        // A pattern has many legs: only its worst one is reported.
        const Item* item = plan.find(leg.source);
        if (item != nullptr && item->kind == ItemKind::block && in.path.points[leg.from].source == leg.source) {
            bool worse_exists = false;
            for (std::size_t k = 0; k < in.path.legs.size() && !worse_exists; ++k) {
                const bool same =
                    in.path.legs[k].source == leg.source && in.path.points[in.path.legs[k].from].source == leg.source;
                const auto& other = in.clearance.legs[k].lowest_m;
                worse_exists = k != i && same && other && (*other < *c.lowest_m || (*other == *c.lowest_m && k < i));
            }
            if (worse_exists) continue;
        }
        const double limit = below ? plan.clearance_min_m : plan.clearance_margin_m;
        Finding f{
            below ? Severity::stop : Severity::warn,
            below ? "clearance-minimum" : "clearance-margin",
            leg.source,
            *c.lowest_m < 0
                ? fmt::format("{:.0f} m inside the ground {}: terrain {:.0f} m AMSL", -*c.lowest_m, legText(in, leg),
                              c.ground_m)
                : fmt::format("{:.0f} m over ground {}; the {} is {:.0f} m, terrain {:.0f} m AMSL, obstacles not drawn",
                              *c.lowest_m, legText(in, leg), below ? "minimum" : "margin", limit, c.ground_m),
            c.where,
            liftEnds(in, leg, plan.clearance_margin_m - *c.lowest_m)};
        if (leg.way_home) f.message += ". Raise the return height";
        out.push_back(f);
    }
}

void heightUnknown(const CheckInput& in, Out& out) {
    if (in.path.legs.empty()) return;
    if (in.terrain == nullptr || in.terrain->empty()) {
        out.push_back(
            {Severity::warn, "terrain-unknown", 0, "no terrain is loaded: clearance is unknown everywhere", {}, {}});
        return;
    }
    if (in.plan.home && !homeAmsl(in.plan, in.terrain))
        out.push_back(
            {Severity::stop,
             "home-height-unknown",
             kHomeId,
             "home lies outside the terrain and its height is not typed in: heights above home mean nothing yet",
             in.plan.home->position,
             {}});
    for (std::size_t i = 0; i < in.path.legs.size(); ++i) {
        const PathLeg& leg = in.path.legs[i];
        if (!in.clearance.legs[i].has_unknown || leg.climb) continue;
        out.push_back({Severity::warn,
                       "terrain-unknown",
                       leg.source,
                       "terrain is unknown " + legText(in, leg) + ": clearance there is not checked",
                       in.path.points[leg.to].position,
                       {}});
        break;  // one is enough to act on; the profile shows the rest
    }
}

void ceiling(const CheckInput& in, Out& out) {
    const auto home = homeAmsl(in.plan, in.terrain);
    if (!in.plan.ceiling_m || !home) return;
    ItemId said = 0;
    for (const PathPoint& p : in.path.points) {
        if (!p.amsl_m || p.source == said) continue;
        const double above = *p.amsl_m - *home;
        if (above <= *in.plan.ceiling_m + 0.05) continue;
        said = p.source;
        out.push_back({Severity::stop,
                       "ceiling",
                       p.source,
                       fmt::format("{} is {:.0f} m above home; the ceiling of this plan is {:.0f} m",
                                   itemText(in.plan, p.source), above, *in.plan.ceiling_m),
                       p.position,
                       {}});
    }
}

}  // namespace anhinga::rules
