// Program -> the mission items an autopilot stores, and back.
#pragma once

#include <string>
#include <vector>

#include "core/base/Result.h"
#include "core/dialect/Mission.h"
#include "core/program/Program.h"

namespace anhinga {

/// One item a step, after home where home comes first: as the demo's own autopilot is told them (Translate.h says them
/// for another). The program must be sendable().
std::vector<MissionItem> itemsOf(const FlightProgram& program);
/// Fence polygons as vertex items (MAV_CMD 5001 / 5002, param1 = number of corners of that polygon) and circles
/// (5003 / 5004, param1 = radius in metres).
std::vector<MissionItem> fenceItems(const std::vector<Fence>& fences);
/// Rally points (MAV_CMD 5100).
std::vector<MissionItem> rallyItems(const std::vector<RallyPoint>& rally);
MissionSet itemsOf(const ToSend& plan);

/// What the own autopilot flies of a list: one step an item, heights not yet resolved, sources unknown. Commands it
/// does not know are kept as they are and do nothing.
FlightProgram programRead(const std::vector<MissionItem>& items, bool home_slot);

struct Decompiled {
    Plan plan;
    std::vector<std::string> notes;  // what could not be said in our words and was kept or changed
};
/// A plan that compiles to the same items. Commands without a word here are kept as RawCommand actions.
/// `base` gives everything that is not in a mission (profiles, traits, terrain files).
Result<Decompiled> decompile(const MissionSet& held, const Plan& base);

}  // namespace anhinga
