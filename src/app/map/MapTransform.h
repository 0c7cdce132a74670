// Places to pixels: Web Mercator unit square, scaled and centred. Longitudes wrap to the side nearest the centre.
#pragma once

#include <QPointF>
#include <QSize>
#include <cmath>

#include "core/geo/Geo.h"

namespace anhinga {

inline QPointF toMercator(GeoPoint p) {
    const double lat = std::clamp(p.lat_deg, -85.05, 85.05) * M_PI / 180;
    return {p.lon_deg / 360 + 0.5, 0.5 - std::log(std::tan(M_PI / 4 + lat / 2)) / (2 * M_PI)};
}
inline GeoPoint fromMercator(QPointF m) {
    return {(2 * std::atan(std::exp((0.5 - m.y()) * 2 * M_PI)) - M_PI / 2) * 180 / M_PI,
            wrapLongitude((m.x() - 0.5) * 360)};
}

struct MapTransform {
    QPointF centre{0.5, 0.5};
    double scale = 1e6;  // pixels across the unit square
    QSize size{1, 1};

    QPointF toScreen(QPointF mercator) const {
        double dx = mercator.x() - centre.x();
        dx -= std::round(dx);
        return {dx * scale + size.width() / 2.0, (mercator.y() - centre.y()) * scale + size.height() / 2.0};
    }
    QPointF toScreen(GeoPoint p) const { return toScreen(toMercator(p)); }
    QPointF toUnit(QPointF screen) const {
        return {(screen.x() - size.width() / 2.0) / scale + centre.x(),
                (screen.y() - size.height() / 2.0) / scale + centre.y()};
    }
    GeoPoint toGeo(QPointF screen) const { return fromMercator(toUnit(screen)); }
    /// Metres on the ground of one pixel at the centre.
    double metresPerPixel() const {
        return 2 * M_PI * 6378137.0 * std::cos(fromMercator(centre).lat_deg * M_PI / 180) / scale;
    }
};

}  // namespace anhinga
