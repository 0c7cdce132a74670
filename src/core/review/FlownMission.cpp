#include "core/review/FlownMission.h"

#include "core/dialect/Held.h"
#include "core/logio/LoggedMission.h"
#include "core/terrain/Terrain.h"

namespace anhinga {

namespace {

/// Sealed as it stands, for this aircraft (any where the log names none), before the log ends: a recording may begin
/// with the hand-over.
bool sealedBefore(const FlightLog& log, const PlanBeside& beside) {
    const ToSend now{*beside.program, beside.plan->fences, beside.plan->rally};
    const std::uint64_t fingerprint = planFingerprint(now);
    for (const Seal& seal : beside.plan->seals)
        if (seal.fingerprint == fingerprint && (log.system == 0 || seal.vehicle == log.system) &&
            log.start_unix_s > 0 && seal.time_unix_s <= log.start_unix_s + log.duration_s())
            return true;
    return false;
}

void take(FlownMission& out, Result<PlannedFlown> result) {
    if (result)
        out.figures = std::move(*result);
    else
        out.not_compared = result.error().message;
}

}  // namespace

int FlownMission::inPlan(int number) const {
    if (plan_number.empty()) return number;
    return number >= 0 && number < static_cast<int>(plan_number.size()) ? plan_number[static_cast<std::size_t>(number)]
                                                                        : -1;
}

const char* FlownMission::text() const {
    switch (from) {
        case From::log:
            return is_plan ? "the mission in the log, which is the plan's"
                           : "the mission in the log; the plan beside it is another";
        case From::seal:
            return "the plan, which was handed over to this aircraft before";
        case From::asked:
            return "the plan, as it was asked for: the log holds no mission";
        case From::nothing:
            break;
    }
    return "nothing: the log holds no mission";
}

FlownMission flownMission(const FlightLog& log, const PlanBeside& beside) {
    FlownMission out;
    const bool plan = beside.plan && beside.program;
    if (const LoggedMission* mission = missionFlown(log)) {
        out.from = FlownMission::From::log;
        LoggedProgram logged = programOfLog(*mission, log, beside.terrain.get());
        if (plan) recognise(logged, *mission, log, *beside.plan, *beside.program, beside.terrain);
        out.is_plan = !logged.plan_number.empty();
        out.plan_number = std::move(logged.plan_number);
        FlownWith with{.home_amsl_m = logged.home_amsl_m};
        if (logged.follows_ground && beside.terrain)
            with.ground_amsl_m = [&](GeoPoint p) { return beside.terrain->sample(p); };
        std::tie(with.from_s, with.to_s) = aboard_s(*mission, log);
        take(out, plannedAgainstFlown(logged.program, log, with));
        return out;
    }
    if (!plan) {
        out.not_compared = "the log holds no mission, and no plan is open";
        return out;
    }
    const bool sealed = sealedBefore(log, beside);
    if (!sealed && !beside.asked) {
        out.not_compared = "the log holds no whole mission, and the plan was not handed over to this aircraft before";
        return out;
    }
    out.from = sealed ? FlownMission::From::seal : FlownMission::From::asked;
    out.is_plan = true;
    take(out, plannedAgainstFlown(*beside.program, log,
                                  {.home_amsl_m = homeAmsl(*beside.plan, beside.terrain.get()),
                                   .counted_later = countedLater(*beside.program, log)}));
    return out;
}

}  // namespace anhinga
