// Shared by the calls: loading a plan with its terrain, and failing with exit code 2.
#pragma once

#include "cli/Cli.h"
#include "core/derive/PlanAnalysis.h"
#include "core/plan/PlanFile.h"
#include "core/review/Presence.h"

namespace anhinga {

using Json = nlohmann::ordered_json;

/// A plan with its terrain and what is found at a glance; of one sortie where that was asked for.
struct LoadedPlan {
    PlanAnalysis analysis;  // as begun
    int sortie = 0;
    std::optional<PlanView> part;  // that sortie's
    const Plan& plan() const { return *analysis.plan; }
    const std::shared_ptr<const Terrain>& terrain() const { return analysis.terrain; }
    const PlanView& view() const { return part ? *part : analysis.view; }
};
Result<LoadedPlan> loadForCli(const CliArguments& a);
CliResult unusable(const Error& e);
/// Every file in folders, and files as they are; sorted. `none`: the last one that is not there.
std::vector<std::string> filesIn(const std::vector<std::string>& places, std::string& none);
/// Whether each flight in the logbook was in that place.
CliResult presenceInLogbook(const CliArguments& a, const PresencePlace& place);

}  // namespace anhinga
