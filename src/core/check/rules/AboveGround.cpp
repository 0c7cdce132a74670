// Heights above ground: nobody can fly them where the ground is not known; curves, circles and ways back do not follow
// it, and what follows it does so as well as the aircraft climbs.
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

/// Ends of a leg that asks for heights above ground all along and does not follow it. Within a pattern its own
/// following says so.
bool flownAcross(const Path& path, const PathLeg& leg) {
    const PathPoint &from = path.points[leg.from], &to = path.points[leg.to];
    return (leg.repeat || leg.item_from != leg.source || leg.curve) && !leg.climb && !leg.way_home &&
           from.over_ground_m && to.over_ground_m && !from.on_the_way && !to.on_the_way;
}

/// A wrong height is never flown without a question; too high neither, as there may be a ceiling over ground.
double allowed_m(const CheckInput& in) {
    return in.plan.defaults.follow_tolerance_m + 1;
}
std::string offText(double off_m, std::size_t more) {
    return fmt::format("{:.0f} m {} than the height above ground asked for{}", std::abs(off_m),
                       off_m < 0 ? "lower" : "higher",
                       more > 0 ? fmt::format(" (and on {} more {})", more, more > 1 ? "legs" : "leg") : "");
}

/// Of what is furthest off: what is too low comes before what is too high.
bool worse(double off_m, double than_m) {
    return (off_m < 0) != (than_m < 0) ? off_m < 0 : std::abs(off_m) > std::abs(than_m);
}

/// Curves, circles and ways back.
void across(const CheckInput& in, Out& out) {
    const Path& path = in.view.path;
    std::size_t off_count = 0, worst = 0;
    Off furthest;
    for (std::size_t k = 0; k < path.legs.size(); ++k) {
        if (!flownAcross(path, path.legs[k])) continue;
        const Off off = furthestOff(in, k, path.legs[k].repeat ? in.view.clearance.repeats : in.view.clearance.profile);
        if (std::abs(off.off_m) <= allowed_m(in)) continue;
        if (off_count++ > 0 && !worse(off.off_m, furthest.off_m)) continue;
        furthest = off;
        worst = k;
    }
    if (off_count == 0) return;
    const PathLeg& leg = path.legs[worst];
    const char* how = leg.repeat ? "flown straight back" : leg.curve ? "flown in a curve" : "flown straight";
    out.push_back({Severity::stop,
                   "above-ground",
                   leg.source,
                   fmt::format("{} it is {}, up to {}: give heights above home", in.legText(leg), how,
                               offText(furthest.off_m, off_count - 1)),
                   furthest.where,
                   {}});
}

/// Legs that follow the ground, as they were rehearsed.
void along(const CheckInput& in, Out& out) {
    if (!in.energy) return;
    const bool rotors = hovers(in.plan.vehicle.kind);
    std::vector<GroundOff> off;
    double most = 0;
    for (const GroundOff& leg : in.energy->ground_off) {
        if (std::abs(leg.off_m) <= allowed_m(in) || in.find(leg.item) == nullptr) continue;
        off.push_back(leg);
        most = std::max(most, std::abs(leg.off_m));
    }
    if (off.empty()) return;
    const GroundOff& worst = *std::max_element(
        off.begin(), off.end(), [](const GroundOff& a, const GroundOff& b) { return worse(b.off_m, a.off_m); });
    const double allow = std::ceil(most - 1);
    std::vector<Correction> corrections;
    constexpr double kSlower = 0.6, kSlowest_mps = 1, kMostAllowed_m = 100;
    const double speed = effectiveSpeed(in.plan, *in.find(worst.item));
    const double slower = std::floor(2 * kSlower * speed) / 2;
    if (rotors && slower >= kSlowest_mps)
        corrections.push_back(
            {.text = fmt::format("Fly there at {:g} m/s", slower), .apply = [off, slower](Plan& plan) {
                 for (const GroundOff& leg : off)
                     if (Item* item = plan.find(leg.item); item != nullptr && effectiveSpeed(plan, *item) > slower)
                         item->speed_mps = slower;
             }});
    if (allow <= kMostAllowed_m)
        corrections.push_back({.text = fmt::format("Follow within {:.0f} m", allow),
                               .apply =
                                   [allow](Plan& plan) {
                                       plan.defaults.follow_tolerance_m =
                                           std::max(plan.defaults.follow_tolerance_m, allow);
                                   },
                               .wide = true});
    out.push_back({Severity::stop, "above-ground", worst.item,
                   fmt::format("on the way to {} it flies up to {}: {}", in.text(worst.item),
                               offText(worst.off_m, off.size() - 1),
                               rotors ? "fly slower there, or follow less closely"
                                      : "go around what is steeper than it climbs, or follow less closely"),
                   worst.at, std::move(corrections)});
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
    across(in, out);
    along(in, out);
}

}  // namespace anhinga::rules
