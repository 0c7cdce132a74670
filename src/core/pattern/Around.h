// What Rings, Face and Lap share: places at level heights, and a thing that is looked at.
#pragma once

#include "core/pattern/Heights.h"
#include "core/pattern/Pattern.h"

namespace anhinga {

/// A height of a pattern at a place of its own: measured from the ground it becomes one level above that place, told
/// above home (or AMSL without one), so that a ring around a tower is level on a slope.
Height levelHeight(const Plan& plan, const Terrain* terrain, GeoPoint over, double value_m, HeightRef ref);

/// Heights from low to high, at most `step` apart as asked; just one where they are the same.
std::vector<double> levels(double low_m, double high_m, double step_m);

/// True bearing and pitch from one place in the air to another. Pitch is nothing where a height is unknown.
struct Sight {
    double yaw_deg = 0;
    std::optional<double> pitch_deg;
    double distance_m = 0;  // across
};
Sight sightTo(GeoPoint from, std::optional<double> from_amsl, GeoPoint to, std::optional<double> to_amsl);

/// Summed distance between the places of a flight, up and down included where they are measured alike.
double flownOver_m(const std::vector<PatternPoint>& points);

}  // namespace anhinga
