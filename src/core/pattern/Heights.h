// Heights of patterns: above what, and what that is above sea level.
#pragma once

#include <optional>

#include "core/plan/Height.h"
#include "core/terrain/Terrain.h"

namespace anhinga {

struct Item;
struct Plan;

/// Home's height AMSL: as stated, else from terrain, else unknown.
std::optional<double> homeAmsl(const Plan& plan, const Terrain* terrain);
/// A height at a place as metres AMSL; unknown when what it is measured from is unknown.
std::optional<double> amslOf(const Plan& plan, const Terrain* terrain, GeoPoint place, Height height);
/// Mean ground AMSL beneath an outline's corners, where known.
std::optional<double> meanGround(const std::vector<GeoPoint>& outline, const Terrain* terrain);
/// Height above ground with which Block and Corridor are spaced: from the ground sample distance where it is set, as
/// stated when followed or measured from ground, else above the mean ground beneath the outline.
double heightAboveGround(const Plan& plan, const Item& item, const Terrain* terrain);
/// Height such a pattern is flown at when it does not follow the terrain.
Height flightHeight(const Plan& plan, const Item& item, double above_ground_m);

/// The same place in the air in another reference; nothing when either is unknown.
std::optional<Height> converted(const Plan& plan, const Terrain* terrain, GeoPoint place, Height height, HeightRef to);

}  // namespace anhinga
