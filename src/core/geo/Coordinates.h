// Coordinates as people write them: decimal degrees, degrees minutes seconds, UTM, MGRS.
#pragma once

#include <optional>
#include <string>
#include <string_view>

#include "core/base/Result.h"
#include "core/geo/Geo.h"

namespace anhinga {

enum class CoordinateFormat { decimal, dms, utm, mgrs };

/// decimal "47.312000, -20.118000" (0.1 m), dms "47d18'43.20"N 020d07'04.80"W" with real signs, utm "27T 415438
/// 5240441" (1 m; UPS near the poles), mgrs "27TWN6666340213" (1 m).
std::string coordinateText(GeoPoint p, CoordinateFormat format);
/// A place on the Universal Transverse Mercator grid of WGS-84: zone 1..60 (0: polar stereographic), metres.
struct UtmPoint {
    int zone = 0;
    bool north = true;
    double easting_m = 0, northing_m = 0;
};
/// In the place's own zone, or in a neighbouring one that is asked for; nothing where the grid does not reach.
std::optional<UtmPoint> utmOf(GeoPoint p);
std::optional<UtmPoint> utmOf(GeoPoint p, int zone, bool north);
std::optional<GeoPoint> fromUtm(const UtmPoint& p);
/// Any of them, told apart by content; latitude first where nothing says otherwise. Commas, semicolons and degree signs
/// are understood. Fails with what was expected.
Result<GeoPoint> parseCoordinate(std::string_view text);

}  // namespace anhinga
