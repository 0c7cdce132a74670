// What a flight was sent to fly, and how far it was from it: the mission its log holds, else the plan that was sealed
// for its aircraft; not the plan that happens to be open.
#pragma once

#include <memory>

#include "core/review/PlannedFlown.h"

namespace anhinga {

struct FlownMission {
    enum class From {
        nothing,  // neither the log nor a seal says it
        log,
        seal,
        asked,  // it was asked for to hold the flight against this plan
    };
    From from = From::nothing;
    std::optional<PlannedFlown> figures;  // else the reason in `not_compared`
    std::string not_compared;
    /// The mission is that of the plan beside it: its rehearsal, photos and battery are those of this flight.
    bool is_plan = false;
    /// Of each entry in the figures the number in the plan's program, -1 for none; empty: the same, or another plan's.
    std::vector<int> plan_number;

    /// Number in the plan's program of an entry in the figures.
    int inPlan(int number) const;
    /// "the mission in the log, which is the plan's"
    const char* text() const;
};

/// The plan beside the log.
struct PlanBeside {
    std::shared_ptr<const Plan> plan;
    std::shared_ptr<const FlightProgram> program;  // null: it cannot be sent
    std::shared_ptr<const Terrain> terrain;
    bool asked = false;  // hold it against this plan where the log holds no mission
};

FlownMission flownMission(const FlightLog& log, const PlanBeside& beside);

}  // namespace anhinga
