#include "app/layers/GroundLayers.h"

#include <QFile>
#include <QPainter>
#include <QPainterPath>

#include "core/exchange/Import.h"
#include "core/terrain/Relief.h"

namespace anhinga {

QColor seaColour(bool night) {
    return night ? QColor("#16222b") : QColor("#c9d8dc");
}

namespace {

QColor landColour(bool night) {
    return night ? QColor("#2a2d29") : QColor("#dcd6c4");
}

/// Tint of the ground by height AMSL: paler and warmer upwards. Rows: metres, light, night.
QRgb tint(double amsl_m, bool night) {
    struct Step {
        double m;
        int light[3], dark[3];
    };
    static constexpr Step kSteps[] = {{0, {0xd9, 0xdc, 0xc3}, {0x26, 0x2f, 0x27}},
                                      {120, {0xd6, 0xcf, 0xae}, {0x30, 0x31, 0x27}},
                                      {400, {0xc9, 0xb8, 0x94}, {0x3a, 0x33, 0x29}},
                                      {1200, {0xb7, 0xa4, 0x8d}, {0x3d, 0x38, 0x33}},
                                      {3000, {0xdd, 0xd9, 0xd2}, {0x4a, 0x48, 0x46}}};
    if (amsl_m <= 0) return seaColour(night).rgb();
    const Step *a = kSteps, *b = kSteps;
    for (const Step& s : kSteps) {
        a = b;
        b = &s;
        if (s.m >= amsl_m) break;
    }
    const double t = b->m > a->m ? std::clamp((amsl_m - a->m) / (b->m - a->m), 0.0, 1.0) : 1;
    int c[3];
    for (int i = 0; i < 3; ++i) {
        const int from = night ? a->dark[i] : a->light[i], to = night ? b->dark[i] : b->light[i];
        c[i] = static_cast<int>(std::lround(from + (to - from) * t));
    }
    return qRgb(c[0], c[1], c[2]);
}

struct Land {
    UnitBox box;
    QPolygonF ring;
};

/// Read once, by whichever layer's thread comes first.
const std::vector<Land>& worldLand() {
    static const std::vector<Land> land = [] {
        std::vector<Land> all;
        beginResources();
        QFile file(":/world/coastline.geojson");
        if (!file.open(QIODevice::ReadOnly)) return all;
        const auto shapes = readGeoJson(file.readAll().toStdString(), "coastline");
        if (!shapes) return all;
        for (const ImportedShape& s : shapes->shapes) {
            Land l{{1, 1, 0, 0}, {}};
            for (const GeoPoint& g : s.points) {
                const QPointF m = toMercator(g);
                l.ring << m;
                l.box = {std::min(l.box.left, m.x()), std::min(l.box.top, m.y()), std::max(l.box.right, m.x()),
                         std::max(l.box.bottom, m.y())};
            }
            all.push_back(std::move(l));
        }
        return all;
    }();
    return land;
}

/// The part of a ring on one side of a line (Sutherland and Hodgman 1974); `inside` is positive on the side kept.
template <class F>
QPolygonF cutRing(const QPolygonF& ring, F inside) {
    QPolygonF out;
    for (int i = 0; i < ring.size(); ++i) {
        const QPointF a = ring[i == 0 ? ring.size() - 1 : i - 1], b = ring[i];
        const double da = inside(a), db = inside(b);
        if ((da >= 0) != (db >= 0)) out << a + (b - a) * (da / (da - db));
        if (db >= 0) out << b;
    }
    return out;
}

}  // namespace

void TerrainLayer::setTerrain(std::shared_ptr<const Terrain> terrain) {
    if (terrain == terrain_) return;
    terrain_ = std::move(terrain);
    outOfDate();
}

RenderedLayer::Job BackdropLayer::jobFor(const MapTransform& view, const Theme& theme) {
    return [view, night = theme.night, quiet = theme.quiet, terrain = terrain_](const std::stop_token& stop) {
        Made made;
        made.image = QImage(view.size, QImage::Format_ARGB32_Premultiplied);
        made.image.fill(seaColour(night));
        QPainter p(&made.image);
        p.setRenderHint(QPainter::Antialiasing);
        const UnitBox seen = boxOf(view);
        const double pad = 4 / view.scale;
        p.setPen(QPen(quiet, 1));
        p.setBrush(landColour(night));
        for (const Land& l : worldLand()) {
            if (stop.stop_requested()) return made;
            for (const double turn : {-1.0, 0.0, 1.0}) {
                if (!UnitBox{l.box.left + turn, l.box.top, l.box.right + turn, l.box.bottom}.meets(seen)) continue;
                QPolygonF ring = l.ring.translated(turn, 0);
                ring = cutRing(ring, [&](QPointF m) { return m.x() - (seen.left - pad); });
                ring = cutRing(ring, [&](QPointF m) { return (seen.right + pad) - m.x(); });
                ring = cutRing(ring, [&](QPointF m) { return m.y() - (seen.top - pad); });
                ring = cutRing(ring, [&](QPointF m) { return (seen.bottom + pad) - m.y(); });
                QPolygonF px;
                px.reserve(ring.size());
                for (const QPointF& m : ring)
                    px << QPointF((m.x() - seen.left) * view.scale, (m.y() - seen.top) * view.scale);
                if (px.size() > 2) p.drawPolygon(px);
            }
        }
        if (terrain->empty()) return made;
        p.end();
        for (int y = 0; y < view.size.height(); ++y) {
            if (stop.stop_requested()) return made;
            auto* line = reinterpret_cast<QRgb*>(made.image.scanLine(y));
            const double lat = fromUnitSquare({0.5, seen.top + (y + 0.5) / view.scale}).lat_deg;
            for (int x = 0; x < view.size.width(); ++x) {
                const double lon = wrapLongitude((seen.left + (x + 0.5) / view.scale - 0.5) * 360);
                if (const auto h = terrain->sample({lat, lon})) line[x] = tint(*h, night);
            }
        }
        return made;
    };
}

RenderedLayer::Job ReliefLayer::jobFor(const MapTransform& view, const Theme&) {
    return [view, terrain = terrain_](const std::stop_token& stop) {
        Made made;
        // Half the pixels are enough for shading, and four times as quick.
        const int w = std::max(1, view.size.width() / 2), h = std::max(1, view.size.height() / 2);
        const auto shade = shadedRelief(*terrain, boxOf(view), w, h, stop);
        if (shade.empty()) return made;
        QImage small(w, h, QImage::Format_ARGB32);
        for (int y = 0; y < h; ++y) {
            auto* line = reinterpret_cast<QRgb*>(small.scanLine(y));
            for (int x = 0; x < w; ++x) {
                const int k =
                    shade[static_cast<std::size_t>(y) * static_cast<std::size_t>(w) + static_cast<std::size_t>(x)];
                line[x] = k < 0 ? qRgba(20, 24, 30, std::min(255, -k * 3 / 2)) : qRgba(255, 252, 240, k / 2);
            }
        }
        made.image = small.scaled(view.size, Qt::IgnoreAspectRatio, Qt::SmoothTransformation)
                         .convertToFormat(QImage::Format_ARGB32_Premultiplied);
        return made;
    };
}

RenderedLayer::Job ContourLayer::jobFor(const MapTransform& view, const Theme& theme) {
    return [view, night = theme.night, terrain = terrain_](const std::stop_token& stop) {
        Made made;
        const UnitBox box = boxOf(view);
        const double interval = contourInterval_m(view.metresPerPixel());
        const auto lines =
            contours(*terrain, box, view.size.width() / 4 + 1, view.size.height() / 4 + 1, interval, stop);
        if (stop.stop_requested()) return made;
        made.image = QImage(view.size, QImage::Format_ARGB32_Premultiplied);
        made.image.fill(Qt::transparent);
        QPainter p(&made.image);
        p.setRenderHint(QPainter::Antialiasing);
        const QColor ink = night ? QColor("#c8ad86") : QColor("#6d5233"),
                     halo = night ? QColor("#14191c") : QColor("#f5f2e9");
        p.setFont(uiFont(7.5));
        for (const Contour& c : lines) {
            QPolygonF px;
            for (const UnitPoint& m : c.points)
                px << QPointF((m.x - box.left) * view.scale, (m.y - box.top) * view.scale);
            if (c.closed) px << px.front();
            const bool counted = std::lround(c.amsl_m / interval) % 5 == 0;
            QColor colour = ink;
            colour.setAlpha(counted ? 220 : 130);
            p.setPen(QPen(colour, counted ? 1.3 : 0.8));
            p.drawPolyline(px);
            if (!counted || px.size() < 40) continue;
            const QPointF at = px[px.size() / 2], ahead = px[px.size() / 2 + 3];
            double angle = std::atan2(ahead.y() - at.y(), ahead.x() - at.x()) * 180 / M_PI;
            if (angle > 90) angle -= 180;
            if (angle < -90) angle += 180;
            const QString text = QString::number(c.amsl_m, 'f', 0);
            QPainterPath path;
            path.addText(-p.fontMetrics().horizontalAdvance(text) / 2.0, 3, p.font(), text);
            p.save();
            p.translate(at);
            p.rotate(angle);
            p.strokePath(path, QPen(halo, 3, Qt::SolidLine, Qt::RoundCap, Qt::RoundJoin));
            p.fillPath(path, ink);
            p.restore();
        }
        return made;
    };
}

}  // namespace anhinga
