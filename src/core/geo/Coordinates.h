// Coordinates as people write them: decimal degrees, degrees minutes seconds, UTM, MGRS.
#pragma once

#include <string>
#include <string_view>

#include "core/base/Result.h"
#include "core/geo/Geo.h"

namespace anhinga {

enum class CoordinateFormat { decimal, dms, utm, mgrs };

/// decimal "47.312000, -20.118000" (0.1 m), dms "47d18'43.20"N 020d07'04.80"W" with real signs, utm "27T 415438
/// 5240441" (1 m; UPS near the poles), mgrs "27TWN6666340213" (1 m).
std::string coordinateText(GeoPoint p, CoordinateFormat format);
/// Any of them, told apart by content; latitude first where nothing says otherwise. Commas, semicolons and degree signs
/// are understood. Fails with what was expected.
Result<GeoPoint> parseCoordinate(std::string_view text);

}  // namespace anhinga
