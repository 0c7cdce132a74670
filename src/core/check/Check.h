// Findings: what is wrong or risky with a plan. Rules are pure functions in a table (Check.cpp), most severe first.
#pragma once

#include <optional>
#include <string>
#include <utility>
#include <vector>

#include "core/check/Clearance.h"
#include "core/mission/Compile.h"

namespace anhinga {

enum class Severity { stop, warn, note };
const char* severityText(Severity severity);

/// A safe change that would help, offered in words. Applying it twice changes nothing more.
struct Correction {
    std::string text;
    std::vector<std::pair<ItemId, Height>> heights;
    bool append_return = false;
};

struct Finding {
    Severity severity = Severity::note;
    std::string rule;  // stable name, for machines
    ItemId item = 0;   // 0: the plan as a whole
    std::string message;
    std::optional<GeoPoint> place;
    std::optional<Correction> correction;
};

/// What a rehearsal says about energy, when there is one.
struct EnergyForecast {
    double left_percent = 0;
    bool reached_reserve = false;
};

struct CheckInput {
    const Plan& plan;
    const Route& route;
    const Path& path;
    const Clearance& clearance;
    const Terrain* terrain;
    std::optional<EnergyForecast> energy;
};

std::vector<Finding> check(const CheckInput& input);
void apply(Plan& plan, const Correction& correction);

/// Everything derived from a plan that views, checks and hand-over share.
struct PlanView {
    Route route;
    Path path;
    Clearance clearance;
    std::optional<Mission> mission;  // absent with the reason in `not_sendable`
    std::string not_sendable;
    std::vector<MissionItem> fence;
};
PlanView viewOf(const Plan& plan, const Terrain* terrain);

}  // namespace anhinga
