// Places to pixels: Web Mercator unit square, scaled and centred. Longitudes wrap to the side nearest the centre.
#pragma once

#include <QPointF>
#include <QSize>
#include <cmath>

#include "core/geo/Mercator.h"

namespace anhinga {

inline QPointF toMercator(GeoPoint p) {
    const UnitPoint m = toUnitSquare(p);
    return {m.x, m.y};
}
inline GeoPoint fromMercator(QPointF m) {
    return fromUnitSquare({m.x(), m.y()});
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

/// Pixels within which the pointer hits a thing of the map.
inline constexpr double kReach = 11;

/// Pixels between two places of the screen.
inline double toPoint(QPointF a, QPointF b) {
    return std::hypot(a.x() - b.x(), a.y() - b.y());
}

}  // namespace anhinga
