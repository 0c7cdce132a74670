// The Web Mercator unit square (EPSG:3857 scaled): x 0..1 from west to east, y 0..1 from north to south. The sheet map
// tiles and the map view lie on. Poles are out of reach: latitudes are held within +-85.05 degrees.
#pragma once

#include <algorithm>
#include <cmath>

#include "core/geo/Geo.h"

namespace anhinga {

struct UnitPoint {
    double x = 0, y = 0;
    bool operator==(const UnitPoint&) const = default;
};
/// Edges on the unit square; left < right, top < bottom.
struct UnitBox {
    double left = 0, top = 0, right = 1, bottom = 1;
    bool operator==(const UnitBox&) const = default;
    double width() const { return right - left; }
    double height() const { return bottom - top; }
    bool meets(const UnitBox& o) const { return left < o.right && o.left < right && top < o.bottom && o.top < bottom; }
};

inline UnitPoint toUnitSquare(GeoPoint p) {
    const double lat = std::clamp(p.lat_deg, -85.05, 85.05) * M_PI / 180;
    return {p.lon_deg / 360 + 0.5, 0.5 - std::log(std::tan(M_PI / 4 + lat / 2)) / (2 * M_PI)};
}
inline GeoPoint fromUnitSquare(UnitPoint m) {
    return {(2 * std::atan(std::exp((0.5 - m.y) * 2 * M_PI)) - M_PI / 2) * 180 / M_PI,
            wrapLongitude((m.x - 0.5) * 360)};
}

}  // namespace anhinga
