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
CliResult unusable(const Error& e);

}  // namespace anhinga
