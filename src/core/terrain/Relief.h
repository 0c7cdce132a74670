// The shape of the ground for the map: shading as if lit from the north-west, and contour lines.
#pragma once

#include <cstdint>
#include <stop_token>
#include <vector>

#include "core/geo/Mercator.h"
#include "core/terrain/Terrain.h"

namespace anhinga {

/// A shade for each of `width` x `height` pixels of `box`, rows north to south: 0 is flat or unknown ground, -127
/// black, +127 brightest. Light from the north-west, 45 degrees high (Horn 1981's gradient over one terrain cell or one
/// pixel, whichever is longer; Lambert's law). Empty when stopped.
std::vector<std::int8_t> shadedRelief(const Terrain& terrain, const UnitBox& box, int width, int height,
                                      const std::stop_token& stop = {});

/// One line of equal height. `closed`: the last point joins the first.
struct Contour {
    double amsl_m = 0;
    bool closed = false;
    std::vector<UnitPoint> points;
};
/// Lines every `interval_m` metres AMSL through the heights at the `columns` x `rows` knots spread evenly over `box`
/// (marching squares, straight between knots). None through unknown ground. An interval that is not positive gives
/// none.
std::vector<Contour> contours(const Terrain& terrain, const UnitBox& box, int columns, int rows, double interval_m,
                              const std::stop_token& stop = {});
/// An interval that gives readable contours where one pixel is so many metres: 1, 2, 5, 10, 20, 50, ... metres.
double contourInterval_m(double metres_per_pixel);

}  // namespace anhinga
