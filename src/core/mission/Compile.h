// Route -> the mission items an autopilot stores, and back.
#pragma once

#include <string>
#include <vector>

#include "core/base/Result.h"
#include "core/mission/Mission.h"
#include "core/mission/Route.h"

namespace anhinga {

/// Fails with the reason when the plan cannot be sent at all: no home, a repeat without a target, nothing to fly.
/// Speed is sent with the first point, wherever it changes, and at every repeat target (a jump must not inherit).
Result<Mission> compileMission(const Plan& plan, const Route& route);
/// Fence polygons as vertex items (MAV_CMD 5001 / 5002, param1 = number of corners of that polygon) and circles
/// (5003 / 5004, param1 = radius in metres).
std::vector<MissionItem> compileFences(const Plan& plan);
/// Rally points (MAV_CMD 5100).
std::vector<MissionItem> compileRally(const Plan& plan);

struct Decompiled {
    Plan plan;
    std::vector<std::string> notes;  // what could not be said in our words and was kept or changed
};
/// A plan that compiles to the same items. Commands without a word here are kept as RawCommand actions.
/// `base` gives everything that is not in a mission (profiles, traits, terrain files).
Result<Decompiled> decompile(const MissionSet& held, const Plan& base);

}  // namespace anhinga
