// A mission that a log holds: as a plan, and as what was flown.
#pragma once

#include <memory>
#include <utility>
#include <vector>

#include "core/dialect/Items.h"
#include "core/flightlog/FlightLog.h"

namespace anhinga {

/// `base` gives what a mission has not. Fails as decompile() does.
Result<Decompiled> planOfLog(const LoggedMission& mission, const Plan& base);

/// The whole mission that was flown longest; null where the log holds none that is whole.
const LoggedMission* missionFlown(const FlightLog& log);
/// From when to when it was the one aboard: until the next whole one, else to the end.
std::pair<double, double> aboard_s(const LoggedMission& mission, const FlightLog& log);

/// Counted as the channel mission.item counts. Heights are resolved from the home the log states, else the one that
/// stands in the mission, and over this terrain (null: those above ground are not known).
struct LoggedProgram {
    FlightProgram program;
    std::optional<double> home_amsl_m;
    /// Between two heights above ground the aircraft follows the ground; else it flies straight.
    bool follows_ground = false;
    /// Of each entry the number it has in the plan that was asked about, -1 for none; empty: it is not that plan's.
    std::vector<int> plan_number;
};
LoggedProgram programOfLog(const LoggedMission& mission, const FlightLog& log, const Terrain* terrain);

/// Fills `plan_number` where the mission is this plan's: every entry but home means the same, as the aircraft's family
/// is told it and keeps it.
void recognise(LoggedProgram& logged, const LoggedMission& mission, const FlightLog& log, const Plan& plan,
               const FlightProgram& program, const std::shared_ptr<const Terrain>& terrain);
/// How far mission.item of this log is behind the program's own count: 1 where the aircraft has no place for home.
int countedLater(const FlightProgram& program, const FlightLog& log);

}  // namespace anhinga
