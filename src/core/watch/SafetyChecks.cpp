// Checklist lines about what the aircraft is set to do by itself, against what is planned.
#include "core/watch/SafetyChecks.h"

#include <algorithm>
#include <cmath>

#include "core/geo/MagneticField.h"
#include "core/link/ParameterRoles.h"
#include "core/link/Safety.h"
#include "core/mavlink/ModeNames.h"
#include "core/plan/Plan.h"

namespace anhinga {

namespace {

using enum CheckState;
using Subject = SafetySubject;

SafetyMeans meansOf(SafetyAction action) {
    switch (action) {
        case SafetyAction::returnHome:
            return SafetyMeans::returns;
        case SafetyAction::land:
            return SafetyMeans::lands;
        case SafetyAction::hold:
            return SafetyMeans::holds;
        case SafetyAction::carryOn:
            return SafetyMeans::carriesOn;
    }
    return SafetyMeans::unknown;
}

constexpr const char* kNoPlan = "there is no plan";

/// What the aircraft says of itself, or why that is not known.
struct Asked {
    std::optional<AircraftSafety> safety;
    CheckResult why_not;
};
Asked ask(const FieldInput& in, const std::string& planned) {
    Asked out;
    if (in.vehicle == nullptr || !in.vehicle->heard)
        out.why_not = {unknown, "no vehicle is heard"};
    else if (in.parameters == nullptr)
        out.why_not = {unknown, planned + "; the aircraft was not asked"};
    else {
        const AutopilotDialect& dialect = dialectOf(in.vehicle->autopilot, in.vehicle->type);
        out.safety.emplace(*in.parameters, dialect.family, dialect.kind);
        if (out.safety->known()) return out;
        out.safety.reset();
        out.why_not = {unknown, planned + "; of this autopilot it is not known how it is set"};
    }
    return out;
}

CheckResult notHeld(const std::string& planned) {
    return {unknown, planned + "; the aircraft has no such parameter that is known here"};
}

/// An action of the aircraft against the one that is planned. Only saying so is no action.
CheckResult action(const FieldInput& in, Subject subject, SafetyAction planned_action) {
    const std::string planned = fmt::format("planned: it {}", meansText(meansOf(planned_action)));
    const Asked asked = ask(in, planned);
    if (!asked.safety) return asked.why_not;
    const auto held = asked.safety->at(subject);
    if (!held) return notHeld(planned);
    const SafetyMeans wanted = meansOf(planned_action);
    SafetyMeans does = held->means;
    // Without its switch the action is never taken.
    if (const auto on = asked.safety->at(Subject::lostLinkOn); subject == Subject::lostLink && on && on->value == 0)
        does = SafetyMeans::carriesOn;
    if (does == SafetyMeans::says || does == SafetyMeans::nothing) {
        if (wanted == SafetyMeans::carriesOn)
            return {good, fmt::format("it {}, as planned", meansText(SafetyMeans::carriesOn))};
    }
    if (does == wanted) return {good, fmt::format("it {}, as planned", meansText(does))};
    CheckResult r{does == SafetyMeans::unknown ? unknown : bad,
                  fmt::format("it {} ({} is {:g}); {}", meansText(does), held->name, held->held.value, planned)};
    if (held->means != wanted) r.setting = asked.safety->wanting(subject, wanted);
    if (!r.setting && held->means != wanted) r.text += ", which it cannot be set to here";
    return r;
}

bool keeps(const SafetySetting& kinds, FenceLimit kind) {
    constexpr double kMostBits = 1 << 20;
    return kinds.value >= 0 && kinds.value < kMostBits && (static_cast<int>(kinds.value) & kind) != 0;
}

CheckResult fenceActs(const FieldInput& in) {
    if (in.plan == nullptr) return {unknown, kNoPlan};
    if (in.plan->fences.empty() && !in.plan->ceiling_m) return {good, "the plan has no fence and no ceiling"};
    const Asked asked = ask(in, "planned: it acts at the fence");
    if (!asked.safety) return asked.why_not;
    const auto on = asked.safety->at(Subject::fenceOn), does = asked.safety->at(Subject::fenceAction);
    if (!on && !does) return notHeld("planned: it acts at the fence");
    if (on && on->value == 0) {
        CheckResult r{bad, fmt::format("the fence is off on the aircraft ({} is 0)", on->name)};
        r.setting = asked.safety->wanting(Subject::fenceOn, 1.0);
        return r;
    }
    // A fence that does not look at areas is none for a plan that has them.
    if (const auto kinds = asked.safety->at(Subject::fenceKinds);
        kinds && !in.plan->fences.empty() && !keeps(*kinds, keepsAreas)) {
        CheckResult r{bad, fmt::format("the aircraft's fence keeps no areas ({} is {:g})", kinds->name, kinds->value)};
        r.setting = asked.safety->wanting(Subject::fenceKinds, kinds->value + double{keepsAreas});
        return r;
    }
    if (!does) return {good, "the fence is on"};
    if (does->means == SafetyMeans::says || does->means == SafetyMeans::nothing) {
        CheckResult r{
            bad, fmt::format("at the fence it {} ({} is {:g})", meansText(does->means), does->name, does->held.value)};
        r.setting = asked.safety->wanting(Subject::fenceAction, SafetyMeans::returns);
        return r;
    }
    return {does->means == SafetyMeans::unknown ? unknown : good,
            fmt::format("at the fence it {}", meansText(does->means))};
}

CheckResult ceiling(const FieldInput& in) {
    if (in.plan == nullptr) return {unknown, kNoPlan};
    const std::string planned = in.plan->ceiling_m
                                    ? fmt::format("planned: no higher than {:.0f} m above home", *in.plan->ceiling_m)
                                    : std::string("planned: no ceiling");
    const Asked asked = ask(in, planned);
    if (!asked.safety) return asked.why_not;
    const auto held = asked.safety->at(Subject::ceiling_m);
    if (!held) return notHeld(planned);
    constexpr double kSame_m = 0.5;
    const bool none = held->value <= 0;
    const std::string is = none ? fmt::format("the aircraft has none ({} is {:g})", held->name, held->held.value)
                                : fmt::format("the aircraft stops at {:.0f} m above home", held->value);
    // A limit that nothing is done about is none.
    const auto on = asked.safety->at(Subject::fenceOn), does = asked.safety->at(Subject::fenceAction);
    const bool off = on && on->value == 0;
    const bool idle = does && (does->means == SafetyMeans::says || does->means == SafetyMeans::nothing);
    if (!none && (off || idle)) {
        const SafetySetting& why = off ? *on : *does;
        CheckResult r{in.plan->ceiling_m ? bad : good,
                      fmt::format("{:.0f} m above home is set on the aircraft and not kept: {} is {:g}; {}",
                                  held->value, why.name, why.held.value, planned)};
        if (r.state == bad)
            r.setting = off ? asked.safety->wanting(Subject::fenceOn, 1.0)
                            : asked.safety->wanting(Subject::fenceAction, SafetyMeans::returns);
        return r;
    }
    if (const auto kinds = asked.safety->at(Subject::fenceKinds); !none && kinds && !keeps(*kinds, keepsCeiling)) {
        CheckResult r{
            in.plan->ceiling_m ? bad : good,
            fmt::format("{:.0f} m above home is set on the aircraft and not kept: its fence looks at no height "
                        "({} is {:g}); {}",
                        held->value, kinds->name, kinds->value, planned)};
        if (r.state == bad) r.setting = asked.safety->wanting(Subject::fenceKinds, kinds->value + double{keepsCeiling});
        return r;
    }
    const double highest = in.rehearsal != nullptr ? in.rehearsal->max_height_home_m : 0;
    if (!none && highest > held->value) {
        // Lower than the plan flies: which of them is wrong is for the operator to say.
        return {bad, fmt::format("{}; this plan flies up to {:.0f} m", is, highest)};
    }
    if (!in.plan->ceiling_m) return {good, is};
    if (!none && std::abs(held->value - *in.plan->ceiling_m) <= kSame_m) return {good, is + ", as planned"};
    CheckResult r{none || held->value > *in.plan->ceiling_m ? bad : good, is + "; " + planned};
    if (r.state == bad) r.setting = asked.safety->wanting(Subject::ceiling_m, *in.plan->ceiling_m);
    return r;
}

/// Farthest place of what is sent, metres from home.
double farthest_m(const FieldInput& in) {
    double most = 0;
    if (in.program == nullptr || !in.plan->home) return most;
    for (const ProgramStep& step : in.program->steps)
        if (const ProgramLeg* leg = step.leg(); leg != nullptr && leg->placed)
            most = std::max(most, distance_m(leg->place, in.plan->home->position));
    return most;
}

/// Of a limit: what the aircraft holds, where its fence acts upon it.
std::optional<SafetySetting> actedUpon(const AircraftSafety& safety, Subject limit, FenceLimit kind) {
    const auto held = safety.at(limit);
    if (!held || held->value <= 0) return std::nullopt;
    const auto on = safety.at(Subject::fenceOn), does = safety.at(Subject::fenceAction);
    if (on && on->value == 0) return std::nullopt;
    if (does && (does->means == SafetyMeans::says || does->means == SafetyMeans::nothing)) return std::nullopt;
    if (const auto kinds = safety.at(Subject::fenceKinds); kinds && !keeps(*kinds, kind)) return std::nullopt;
    return held;
}

CheckResult reach(const FieldInput& in) {
    if (in.plan == nullptr) return {unknown, kNoPlan};
    const std::string planned = fmt::format("planned: up to {:.0f} m from home", farthest_m(in));
    const Asked asked = ask(in, planned);
    if (!asked.safety) return asked.why_not;
    if (!asked.safety->at(Subject::reach_m)) return notHeld(planned);
    const auto held = actedUpon(*asked.safety, Subject::reach_m, keepsReach);
    if (!held) return {good, "the aircraft has no limit of its own; " + planned};
    return {held->value < farthest_m(in) ? bad : good,
            fmt::format("the aircraft stops at {:.0f} m from home ({} is {:g}); {}", held->value, held->name,
                        held->held.value, planned)};
}

/// What its compass was found to be off by when it was calibrated, against the Earth's field there.
CheckResult compassOffsets(const FieldInput& in) {
    if (in.plan == nullptr) return {unknown, kNoPlan};
    const Asked asked = ask(in, "planned: a compass that was calibrated");
    if (!asked.safety) return asked.why_not;
    const auto x = asked.safety->at(Subject::compassX_ut), y = asked.safety->at(Subject::compassY_ut),
               z = asked.safety->at(Subject::compassZ_ut);
    if (!x || !y || !z) return notHeld("planned: a compass that was calibrated");
    const double offset = std::sqrt(x->value * x->value + y->value * y->value + z->value * z->value);
    if (offset == 0) return {bad, "the compass has no offsets: it was never calibrated"};
    if (!in.plan->home) return {unknown, fmt::format("offsets of {:.0f} µT; home is not set", offset)};
    const double field = magneticField(in.plan->home->position, in.home_amsl_m.value_or(0), in.year).field_nt / 1000;
    const std::string text = fmt::format("offsets of {:.0f} µT, the Earth's field here is {:.0f} µT", offset, field);
    return {offset > field ? bad : good, offset > field ? text + ": something magnetic is near it" : text};
}

CheckResult lostLink(const FieldInput& in) {
    if (in.plan == nullptr) return {unknown, kNoPlan};
    return action(in, Subject::lostLink, in.plan->lost_link);
}

CheckResult lowBattery(const FieldInput& in) {
    if (in.plan == nullptr) return {unknown, kNoPlan};
    return action(in, Subject::lowBattery, in.plan->low_battery);
}

CheckResult returnHeight(const FieldInput& in) {
    if (in.plan == nullptr) return {unknown, kNoPlan};
    const std::string planned = fmt::format("planned: {:.0f} m above home", in.plan->return_height_m);
    const Asked asked = ask(in, planned);
    if (!asked.safety) return asked.why_not;
    const auto held = asked.safety->at(Subject::returnHeight_m);
    if (!held) return notHeld(planned);
    constexpr double kSame_m = 0.5;
    if (std::abs(held->value - in.plan->return_height_m) < kSame_m)
        return {good, fmt::format("{:.0f} m above home, as planned", held->value)};
    // Family 3 says with 0 and below that it keeps the height it has.
    CheckResult r{bad, held->value <= 0 ? fmt::format("it returns as high as it is ({} is {:g}); {}", held->name,
                                                      held->held.value, planned)
                                        : fmt::format("{:.0f} m above home on the aircraft; {}", held->value, planned)};
    r.setting = asked.safety->wanting(Subject::returnHeight_m, in.plan->return_height_m);
    return r;
}

CheckResult acceptance(const FieldInput& in) {
    if (in.plan == nullptr) return {unknown, kNoPlan};
    const OwnWays& ways = in.plan->traits.ways;
    const double reckoned = ways.acceptance_m > 0 ? ways.acceptance_m : in.plan->defaults.acceptance_m;
    const std::string planned = fmt::format("planned: a point counts as reached within {:.0f} m", reckoned);
    const Asked asked = ask(in, planned);
    if (!asked.safety) return asked.why_not;
    const auto held = asked.safety->at(Subject::acceptance_m);
    if (!held) return notHeld(planned);
    constexpr double kMuch = 2, kLeast_m = 5;
    const bool wide = held->value > std::max(kLeast_m, kMuch * reckoned);
    CheckResult r{wide ? bad : good, fmt::format("by itself the aircraft counts a point as reached within {:.1f} m; {}",
                                                 held->value, planned)};
    constexpr double kWidest_m = 1000;
    if (wide && held->value <= kWidest_m)
        r.take = [own = held->value](Plan& plan) { plan.traits.ways.acceptance_m = own; };
    return r;
}

/// Speeds and the like: what the aircraft moves by, against what the rehearsal reckons with.
struct Moved {
    Subject subject;
    const char* words;  // {:g} and its unit
    double (*planned)(const Plan&);
    void (*take)(Plan&, double held);
};
constexpr Moved kMoved[] = {
    {Subject::speed_mps, "flies at {:.3g} m/s", [](const Plan& p) { return p.vehicle.cruise_mps; },
     [](Plan& p, double v) { p.vehicle.cruise_mps = v; }},
    {Subject::climb_mps, "climbs at {:.3g} m/s", [](const Plan& p) { return p.vehicle.climb_mps; },
     [](Plan& p, double v) { p.vehicle.climb_mps = v; }},
    {Subject::descent_mps, "comes down at {:.3g} m/s", [](const Plan& p) { return p.vehicle.descent_mps; },
     [](Plan& p, double v) { p.vehicle.descent_mps = v; }},
    {Subject::acceleration_mps2, "accelerates by {:.3g} m/s²", [](const Plan& p) { return p.vehicle.accel_mps2; },
     [](Plan& p, double v) { p.vehicle.accel_mps2 = v; }},
    {Subject::jerk_mps3, "builds that up by {:.3g} m/s³", [](const Plan& p) { return flownVehicle(p).jerk_mps3; },
     [](Plan& p, double v) { p.traits.ways.jerk_mps3 = v; }},
    {Subject::returnCone, "returns in a cone of {:.3g}", [](const Plan& p) { return p.traits.ways.return_cone; },
     [](Plan& p, double v) { p.traits.ways.return_cone = v; }},
    {Subject::returnWait_s, "waits {:.3g} s over home", [](const Plan& p) { return p.traits.ways.return_wait_s; },
     [](Plan& p, double v) { p.traits.ways.return_wait_s = v; }}};

CheckResult moves(const FieldInput& in) {
    if (in.plan == nullptr) return {unknown, kNoPlan};
    const Asked asked = ask(in, "planned as the vehicle's profile says");
    if (!asked.safety) return asked.why_not;
    constexpr double kSame = 0.05;
    // What a profile of the plan may say; a vehicle that says more is not believed.
    constexpr double kLeast = 0.1, kMost = 150;
    std::string others;
    std::vector<std::pair<const Moved*, double>> taken;
    int known = 0;
    for (const Moved& m : kMoved) {
        const auto held = asked.safety->at(m.subject);
        const bool may_be_none = m.subject == Subject::returnCone || m.subject == Subject::returnWait_s;
        if (!held || held->value > kMost || held->value < (may_be_none ? 0 : kLeast)) continue;
        ++known;
        const double planned = m.planned(*in.plan);
        if (std::abs(held->value - planned) <= kSame * std::max(held->value, planned)) continue;
        others += fmt::format("{}{} (reckoned with {:.3g})", others.empty() ? "" : ", ",
                              fmt::format(fmt::runtime(m.words), held->value), planned);
        taken.emplace_back(&m, held->value);
    }
    if (known == 0) return notHeld("planned as the vehicle's profile says");
    if (taken.empty()) return {good, "as the rehearsal reckons"};
    CheckResult r{bad, "it " + others};
    r.take = [taken](Plan& plan) {
        for (const auto& [m, held] : taken) m->take(plan, held);
    };
    return r;
}

CheckResult missionSwitch(const FieldInput& in) {
    if (in.plan == nullptr) return {unknown, kNoPlan};
    if (in.vehicle == nullptr || !in.vehicle->heard) return {unknown, "no vehicle is heard"};
    if (in.parameters == nullptr) return {unknown, "the aircraft was not asked"};
    constexpr int kPositions = 6;
    bool any = false;
    std::string at;
    for (int n = 1; n <= kPositions; ++n) {
        const auto mode = heldAs(*in.parameters, ParameterRole::modeAt, n);
        if (!mode || *mode < 0 || *mode > 4294967295.0) continue;
        any = true;
        if (mavlink::modeKind(in.vehicle->autopilot, in.vehicle->type, static_cast<std::uint32_t>(*mode)) ==
            ModeKind::mission)
            at += fmt::format("{}{}", at.empty() ? "" : ", ", n);
    }
    if (!any) return {unknown, "what the pilot's switch asks for is not known of this aircraft"};
    if (at.empty()) return {bad, "no position of the pilot's switch is the mission: it is started from here alone"};
    return {good, "the mission is on position " + at + " of the pilot's switch"};
}

}  // namespace

std::span<const AutoCheck> safetyChecks() {
    static constexpr AutoCheck kChecks[] = {{"fence-acts", "Acts at the fence", fenceActs},
                                            {"ceiling", "Ceiling", ceiling},
                                            {"reach", "Distance from home", reach},
                                            {"compass-offsets", "Compass calibration", compassOffsets},
                                            {"lost-link", "When the link is lost", lostLink},
                                            {"low-battery", "When the battery is low", lowBattery},
                                            {"return-height", "Return height", returnHeight},
                                            {"acceptance", "Counts a point as reached", acceptance},
                                            {"moves", "Moves as rehearsed", moves},
                                            {"mission-switch", "Mission on the pilot's switch", missionSwitch}};
    return kChecks;
}

std::vector<Finding> aircraftFindings(const FieldInput& in) {
    std::vector<Finding> out;
    if (in.plan == nullptr || in.parameters == nullptr) return out;
    const Asked asked = ask(in, "");
    if (!asked.safety) return out;
    const double highest = in.rehearsal != nullptr ? in.rehearsal->max_height_home_m : 0;
    const auto stop = [&](const char* line, std::string why) {
        out.push_back({Severity::stop, "aircraft-limit", 0, std::move(why), {}, {}, line, false});
    };
    if (const auto top = actedUpon(*asked.safety, Subject::ceiling_m, keepsCeiling); top && highest > top->value)
        stop("ceiling", fmt::format("the aircraft's own fence stops it at {:.0f} m above home ({}); this plan flies up "
                                    "to {:.0f} m",
                                    top->value, top->name, highest));
    if (const auto far = actedUpon(*asked.safety, Subject::reach_m, keepsReach); far && farthest_m(in) > far->value)
        stop("reach", fmt::format("the aircraft's own fence stops it at {:.0f} m from home ({}); this plan goes out to "
                                  "{:.0f} m",
                                  far->value, far->name, farthest_m(in)));
    const std::size_t stops = out.size();
    for (const AutoCheck& check : safetyChecks()) {
        if (std::any_of(out.begin(), out.begin() + static_cast<std::ptrdiff_t>(stops),
                        [&](const Finding& f) { return f.line == check.name; }))
            continue;
        CheckResult r = check.look(in);
        if (r.state != bad) continue;
        Finding f{Severity::warn,
                  fmt::format("aircraft-{}", check.name),
                  0,
                  fmt::format("{}: {}", check.title, r.text),
                  {},
                  {},
                  check.name,
                  r.setting.has_value()};
        if (r.take) f.corrections = {{"Take into the plan", std::move(r.take)}};
        out.push_back(std::move(f));
    }
    return out;
}

}  // namespace anhinga
