// Pictures of the ground for the map: a raster warped to Web Mercator, as RGBA bytes.
#pragma once

#include <cstdint>
#include <string>
#include <vector>

#include "core/base/Result.h"

namespace anhinga {

/// Edges in Web Mercator unit square coordinates (0..1 from west to east and from north to south); rows north to south.
struct ImageryTile {
    int width = 0, height = 0;
    double left = 0, top = 0, right = 0, bottom = 0;
    std::vector<std::uint8_t> rgba;
};

/// Reads a georeferenced picture (1, 3 or 4 bands of bytes), reduced so that neither side passes `max_side` pixels.
Result<ImageryTile> readImagery(const std::string& path, int max_side = 4096);

}  // namespace anhinga
