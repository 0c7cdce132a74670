// The rules, by subject. Each adds its findings to `out`.
#pragma once

#include "core/check/Check.h"

namespace anhinga::rules {

using Out = std::vector<Finding>;

// HeightRules.cpp
void clearance(const CheckInput& in, Out& out);
void ceiling(const CheckInput& in, Out& out);
void heightUnknown(const CheckInput& in, Out& out);
// FenceRules.cpp
void fenceCrossing(const CheckInput& in, Out& out);
// PlanRules.cpp
void homeMissing(const CheckInput& in, Out& out);
void firstWaypointFar(const CheckInput& in, Out& out);
void noWayToEnd(const CheckInput& in, Out& out);
void repeatTarget(const CheckInput& in, Out& out);
void lookAtOpen(const CheckInput& in, Out& out);
void emptyBlock(const CheckInput& in, Out& out);
void speedRange(const CheckInput& in, Out& out);
void itemLimit(const CheckInput& in, Out& out);
void energy(const CheckInput& in, Out& out);

}  // namespace anhinga::rules
