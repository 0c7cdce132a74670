// Findings: what is wrong or risky with a plan. Rules are pure functions in a table (Check.cpp), one file each in
// rules/; most severe first.
#pragma once

#include <functional>
#include <optional>
#include <string>
#include <vector>

#include "core/check/Clearance.h"
#include "core/pattern/Coverage.h"
#include "core/program/FenceField.h"
#include "core/program/Path.h"

namespace anhinga {

enum class Severity { stop, warn, note };
const char* severityText(Severity severity);

/// A safe change that would help, offered in words. Applying it twice changes nothing more; it finds its items by id,
/// so it may be applied to a later state of the plan.
struct Correction {
    std::string text;
    std::function<void(Plan&)> apply;
    /// More than what is wrong changes: only done when it is asked for by itself, not with all.
    bool wide = false;
    /// Where cuts into sorties are to be looked for instead, which takes rehearsals (suggestCuts()); `apply` is empty.
    bool cut_into_sorties = false;
    /// A file of the plan, as it is named there, that is to be looked for; `apply` is empty.
    std::string look_for = {};
};

struct Finding {
    Severity severity = Severity::note;
    std::string rule;  // stable name, for machines
    ItemId item = 0;   // 0: the plan as a whole
    std::string message;
    std::optional<GeoPoint> place;
    std::vector<Correction> corrections;  // the first is the one that is applied with all
    /// About the aircraft that is connected: the line of the checklist that says more; empty: about the plan.
    std::string line = {};
    bool can_be_set = false;  // on the aircraft, as planned
};

/// What a rehearsal says about energy, and about fences and ground on the path it flew, when there is one.
struct EnergyForecast {
    double left_percent = 0;
    bool reached_reserve = false;
    ItemId item = 0;  // on the way to which the reserve is reached
    std::vector<FenceBreach> breaches = {};
    bool landed = true;                      // else it is still in the air
    std::optional<int> endless_passes = {};  // done when the battery ended a repeat without an end
    std::vector<GroundOff> ground_off = {};  // one for each leg that follows the ground
};

/// Everything derived from a plan that views, checks and hand-over share.
struct PlanView {
    Route route;
    FlightProgram program;
    std::string not_sendable;  // why it can be neither rehearsed nor handed over; empty: it can
    bool sendable() const { return not_sendable.empty(); }
    Path path;
    Clearance clearance;
    /// What a hand-over sends.
    ToSend toSend(const Plan& plan) const { return {program, plan.fences, plan.rally}; }
};
PlanView viewOf(const Plan& plan, const Terrain* terrain);
/// The same, quicker where little has changed: `before` is the view of `plan_before` over the same terrain.
PlanView viewOf(const Plan& plan, const Terrain* terrain, const Plan& plan_before, const PlanView& before);
/// The view of another route than the whole plan's: of a sortie.
PlanView viewOf(const Plan& plan, Route route, const Terrain* terrain);

/// What a rule may look at. References must outlive it.
struct CheckInput {
    const Plan& plan;
    const PlanView& view;
    const Terrain* terrain = nullptr;
    std::optional<EnergyForecast> energy = {};
    double wind_mps = 0;
    /// The plan is flown in sorties, which are checked one by one: what one battery and one list of items cannot hold
    /// is not said of the whole.
    bool in_sorties = false;
    /// What the photos of its patterns see, where that has been counted.
    const std::vector<PatternCoverPtr>* covers = nullptr;

    ItemIndex index = indexItems(plan);
    const Item* find(ItemId id) const;
    /// "Waypoint 4"; as itemText(), in constant time.
    std::string text(ItemId id) const;
    /// "between Waypoint 3 and Waypoint 4", "on the way home".
    std::string legText(const PathLeg& leg) const;
    /// Where an item is, for the finding's place; nothing for the plan as a whole.
    std::optional<GeoPoint> placeOf(ItemId id) const;
    std::vector<int> numbers = itemNumbers(plan);
};

/// True where every repeat without an end says how it is left, and there is one.
bool endlessIsAccepted(const Plan& plan);

std::vector<Finding> check(const CheckInput& input);
/// Applies the first correction of every finding that has one.
void applyAll(Plan& plan, const std::vector<Finding>& findings);

}  // namespace anhinga
