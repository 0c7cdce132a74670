// The rules: one file each in rules/, one row each in the table of Check.cpp. Each adds its findings to `out`.
#pragma once

#include <fmt/format.h>

#include "core/base/Text.h"
#include "core/check/Check.h"

namespace anhinga::rules {

using Out = std::vector<Finding>;

/// "fence "colony"", "the keep-in fence".
std::string fenceName(const Fence& fence);

void aboveGround(const CheckInput& in, Out& out);
void afterLanding(const CheckInput& in, Out& out);
void airspace(const CheckInput& in, Out& out);
void batteryMissing(const CheckInput& in, Out& out);
void blur(const CheckInput& in, Out& out);
void cameraByHand(const CheckInput& in, Out& out);
void cardRoom(const CheckInput& in, Out& out);
void ceiling(const CheckInput& in, Out& out);
void clearance(const CheckInput& in, Out& out);
void climbObstacle(const CheckInput& in, Out& out);
void coincident(const CheckInput& in, Out& out);
void coverGaps(const CheckInput& in, Out& out);
void endlessRepeat(const CheckInput& in, Out& out);
void energy(const CheckInput& in, Out& out);
void fenceCrossing(const CheckInput& in, Out& out);
void fenceFlown(const CheckInput& in, Out& out);
void fenceShape(const CheckInput& in, Out& out);
void firstWaypointFar(const CheckInput& in, Out& out);
void floorHeight(const CheckInput& in, Out& out);
void gimbalRange(const CheckInput& in, Out& out);
void heightMix(const CheckInput& in, Out& out);
void heightUnlikely(const CheckInput& in, Out& out);
void homeHeight(const CheckInput& in, Out& out);
void homeMissing(const CheckInput& in, Out& out);
void homeMoved(const CheckInput& in, Out& out);
void itemLimit(const CheckInput& in, Out& out);
void lookAtOpen(const CheckInput& in, Out& out);
void lowestHeight(const CheckInput& in, Out& out);
void noWayToEnd(const CheckInput& in, Out& out);
void patternEmpty(const CheckInput& in, Out& out);
void photoInterval(const CheckInput& in, Out& out);
void rallyPlace(const CheckInput& in, Out& out);
void repeatTarget(const CheckInput& in, Out& out);
void returnHeight(const CheckInput& in, Out& out);
void speedRange(const CheckInput& in, Out& out);
void takeOffFence(const CheckInput& in, Out& out);
void terrainMissing(const CheckInput& in, Out& out);
void terrainUnknown(const CheckInput& in, Out& out);
void turnTight(const CheckInput& in, Out& out);
void unsupported(const CheckInput& in, Out& out);
void wind(const CheckInput& in, Out& out);

}  // namespace anhinga::rules
