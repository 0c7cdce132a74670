// Shared by the calls: loading a plan with its terrain, and failing with exit code 2.
#pragma once

#include "cli/Cli.h"
#include "core/check/Check.h"
#include "core/flight/Rehearse.h"
#include "core/plan/PlanFile.h"

namespace anhinga {

using Json = nlohmann::ordered_json;

struct LoadedPlan {
    Plan plan;
    std::shared_ptr<const Terrain> terrain;
    PlanView view;
};
Result<LoadedPlan> loadForCli(const CliArguments& a);
/// All that is found in it, rehearsed and in its sorties: what `check` lists, and what must be accepted before it is
/// sent.
struct PlanFindings {
    std::vector<Finding> list;
    std::size_t sorties = 1;
};
PlanFindings findingsForCli(const LoadedPlan& loaded, int sortie);
CliResult unusable(const Error& e);

}  // namespace anhinga
