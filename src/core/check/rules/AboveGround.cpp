// Heights above ground: nobody can fly them where the ground is not known, and curves, circles and ways back do not
// follow it.
#include <set>

#include "core/check/Rules.h"

namespace anhinga::rules {

namespace {

/// How far a leg is above (positive) or below what was asked for, where it is furthest off.
struct Off {
    double off_m = 0;
    GeoPoint where;
};

Off furthestOff(const CheckInput& in, std::size_t leg, const std::vector<ProfileSample>& samples) {
    const PathLeg& of = in.view.path.legs[leg];
    const double from_m = *in.view.path.points[of.from].over_ground_m, to_m = *in.view.path.points[of.to].over_ground_m;
    const auto begin = std::lower_bound(samples.begin(), samples.end(), leg,
                                        [](const ProfileSample& s, std::size_t which) { return s.leg < which; });
    auto end = begin;
    while (end != samples.end() && end->leg == leg) ++end;
    Off out;
    if (begin == end) return out;
    const double first = begin->along_m, run = std::max(1e-6, std::prev(end)->along_m - first);
    for (auto s = begin; s != end; ++s) {
        if (!s->amsl_m || !s->ground_m) continue;
        const double off = *s->amsl_m - *s->ground_m - (from_m + (to_m - from_m) * (s->along_m - first) / run);
        if (std::abs(off) > std::abs(out.off_m)) out = {off, s->place};
    }
    return out;
}

/// Ends of a leg that asks for heights above ground all along. Within a pattern its own following says so.
bool asksForGround(const Path& path, const PathLeg& leg) {
    return (leg.repeat || leg.item_from != leg.source || leg.curve) && !leg.climb && !leg.way_home &&
           path.points[leg.from].over_ground_m && path.points[leg.to].over_ground_m;
}

}  // namespace

void aboveGround(const CheckInput& in, Out& out) {
    const FlightProgram& program = in.view.program;
    std::set<ItemId> unknown;
    for (const ProgramStep& step : program.steps)
        if (const ProgramLeg* leg = step.leg();
            leg != nullptr && leg->gap == HeightGap::ground && leg->kind != LegKind::land)
            unknown.insert(step.source);
    if (!unknown.empty()) {
        const ItemId first = *std::min_element(unknown.begin(), unknown.end(), [&](ItemId a, ItemId b) {
            return in.index.contains(a) && in.index.contains(b) ? in.index.at(a) < in.index.at(b) : a < b;
        });
        out.push_back(
            {Severity::stop,
             "above-ground",
             first,
             fmt::format("{}{} {} above ground, and the ground there is not known: add terrain, or give the "
                         "height above home",
                         in.text(first), unknown.size() > 1 ? fmt::format(" and {} more", unknown.size() - 1) : "",
                         unknown.size() > 1 ? "are" : "is"),
             in.placeOf(first),
             {}});
    }
    std::size_t holes = 0;
    const GroundLeg* first_hole = nullptr;
    for (const GroundLeg& leg : program.ground_legs) {
        if (!leg.unknown_ground) continue;
        if (holes++ == 0) first_hole = &leg;
    }
    if (holes > 0 && unknown.empty())
        out.push_back({Severity::stop,
                       "above-ground",
                       0,
                       fmt::format("the ground is not known all along {} between heights above ground: nothing keeps "
                                   "the aircraft above it there",
                                   holes > 1 ? fmt::format("{} legs", holes) : "a leg"),
                       first_hole->to,
                       {}});
    // Where the aircraft is led, the plan's tolerance holds twice: of the points that follow, and of the legs' ends.
    const double allowed = 2 * in.plan.defaults.follow_tolerance_m + 1;
    const Path& path = in.view.path;
    std::size_t more = 0, worst = path.legs.size();
    Off lowest;
    for (std::size_t k = 0; k < path.legs.size(); ++k) {
        if (!asksForGround(path, path.legs[k])) continue;
        const Off off = furthestOff(in, k, path.legs[k].repeat ? in.view.clearance.repeats : in.view.clearance.profile);
        if (std::abs(off.off_m) <= allowed) continue;
        ++more;
        if (worst < path.legs.size() && off.off_m > lowest.off_m) continue;
        lowest = off;
        worst = k;
    }
    if (worst == path.legs.size()) return;
    const PathLeg& leg = path.legs[worst];
    const char* how = leg.repeat ? "flown straight back" : leg.curve ? "flown in a curve" : "flown straight";
    out.push_back({lowest.off_m < 0 ? Severity::warn : Severity::note,
                   "above-ground",
                   leg.source,
                   fmt::format("{} it is {}, up to {:.0f} m {} than the height above ground asked for{}",
                               in.legText(leg), how, std::abs(lowest.off_m), lowest.off_m < 0 ? "lower" : "higher",
                               more > 1 ? fmt::format(" (and on {} more legs)", more - 1) : ""),
                   lowest.where,
                   {}});
}

}  // namespace anhinga::rules
