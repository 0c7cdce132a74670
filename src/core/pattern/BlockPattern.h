// Block: an area photographed along parallel lines. Formulas: docs/formulas.md, "Photogrammetry".
#pragma once

#include <utility>
#include <vector>

#include "core/plan/Plan.h"
#include "core/terrain/Terrain.h"

namespace anhinga {

/// Size on flat ground of what one photo sees, metres, and of one pixel.
struct Footprint {
    double across_m = 0, along_m = 0, gsd_m = 0;
};
/// Footprint = height * sensor / focal length, long side of the sensor across the flight line.
Footprint footprintAt(const CameraProfile& camera, double height_above_ground_m);

struct BlockLines {
    std::vector<std::pair<GeoPoint, GeoPoint>> lines;  // in flying order, each from start to end
    double line_spacing_m = 0, photo_spacing_m = 0;
    double height_above_ground_m = 0;  // what the spacing was computed with
    Footprint footprint;
    double area_m2 = 0;
    int photos = 0;
};

/// Lines of a Block item. Concave outlines give several lines on one scan; they are flown back and forth.
/// With terrain and home known, a height above home or sea is turned into the mean height above the outline's ground.
/// An outline that crosses itself, or a height at or below the ground, gives no lines.
BlockLines blockLines(const Plan& plan, const Item& item, const Terrain* terrain);

}  // namespace anhinga
