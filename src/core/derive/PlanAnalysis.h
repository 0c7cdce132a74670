// PlanAnalysis: everything that follows from a plan - route, program, clearance, findings, rehearsal, sorties, what its
// photos see - worked out in one place for the window, the command line and the sorties alike; and the gate before
// anything is sent.
#pragma once

#include <functional>
#include <memory>
#include <optional>
#include <set>
#include <stop_token>
#include <string>
#include <vector>

#include "core/check/Check.h"
#include "core/flight/Rehearse.h"
#include "core/pattern/Coverage.h"
#include "core/sortie/Sorties.h"

namespace anhinga {

/// Worked out in three steps, each a value of its own: begin(), withFlights(), withCovers(). A flight is meant by the
/// number of its sortie, from 1; 0 is the whole plan in one.
struct PlanAnalysis {
    std::shared_ptr<const Plan> plan;
    std::shared_ptr<const Terrain> terrain;
    Wind wind;  // rehearsed in
    PlanView view;
    std::vector<Finding> findings;
    std::shared_ptr<const Rehearsal> rehearsal;  // null with the reason in `not_rehearsed`
    std::string not_rehearsed;
    std::vector<FlownSortiePtr> sorties;  // of a plan with cuts; empty: flown in one
    std::vector<Finding> in_one;          // of a plan with cuts, were it flown in one all the same
    /// False while rehearsal and sorties are still those of an earlier snapshot; view and findings are already of this
    /// one.
    bool complete = false;
    std::vector<PatternCoverPtr> covers;  // what is counted so far
    bool covered = false;                 // all of them are

    /// Null for 0 and where there is no such sortie.
    const FlownSortie* sortie(int number) const;
    const PlanView& viewOf(int sortie) const;
    const std::shared_ptr<const Rehearsal>& rehearsalOf(int sortie) const;
    const std::string& notRehearsed(int sortie) const;
    /// What is found in this flight alone.
    const std::vector<Finding>& findingsOf(int sortie) const;
};

/// View and findings. `before`, over the same terrain, makes it quicker; its rehearsal and sorties stay for now.
PlanAnalysis beginAnalysis(std::shared_ptr<const Plan> plan, std::shared_ptr<const Terrain> terrain, Wind wind = {},
                           const PlanAnalysis* before = nullptr);
/// The same with its own rehearsal and sorties; nothing when stopped.
std::optional<PlanAnalysis> withFlights(const PlanAnalysis& begun, const std::stop_token& stop = {});
/// The same with what its photos see; nothing when stopped. `progress` is told the share done, 0..1.
std::optional<PlanAnalysis> withCovers(const PlanAnalysis& flown, const std::stop_token& stop = {},
                                       const std::function<void(double)>& progress = {});
/// Both of them. Takes seconds for large plans.
PlanAnalysis completed(const PlanAnalysis& begun);

/// The findings of severity stop, all of which must be accepted before this flight is sent. `first_ahead`: in flight,
/// the number of the first entry that a change may still differ in; what lies before it is flown and no question.
std::vector<Finding> stopsBefore(const PlanAnalysis& analysis, int sortie, std::optional<int> first_ahead = {});

}  // namespace anhinga
