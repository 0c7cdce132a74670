#include "app/map/MapBase.h"

#include "app/map/MapTransform.h"
#include "core/terrain/Imagery.h"

namespace anhinga {

namespace {

/// Light from the north-west, 45 degrees high; returns 0..1 with 0.707 on flat ground (Horn's gradient, Lambert's law).
float shadeAt(const Terrain& terrain, GeoPoint p, double step_m, double latitude_cos) {
    const double dlat = step_m / 111320.0, dlon = dlat / latitude_cos;
    const auto w = terrain.sample({p.lat_deg, p.lon_deg - dlon}), e = terrain.sample({p.lat_deg, p.lon_deg + dlon});
    const auto s = terrain.sample({p.lat_deg - dlat, p.lon_deg}), n = terrain.sample({p.lat_deg + dlat, p.lon_deg});
    if (!w || !e || !s || !n) return 0.707f;
    const double exaggerate = 1.6;
    const double gx = (*e - *w) / (2 * step_m) * exaggerate, gy = (*n - *s) / (2 * step_m) * exaggerate;
    const double light = (gx * 0.5 - gy * 0.5 + 0.7071) / std::sqrt(1 + gx * gx + gy * gy);
    return static_cast<float>(std::clamp(light, 0.0, 1.0));
}

struct Base {
    QImage image;
    QRectF extent;
    QString problem;
};

Base make(const std::vector<std::string>& files, const Terrain* terrain, const std::stop_token& stop) {
    Base base;
    for (const std::string& file : files) {
        const auto tile = readImagery(file, 2400);
        if (!tile) {
            base.problem = QString::fromStdString(tile.error().message);
            continue;
        }
        base.image = QImage(tile->rgba.data(), tile->width, tile->height, tile->width * 4, QImage::Format_RGBA8888)
                         .convertToFormat(QImage::Format_ARGB32_Premultiplied);
        base.extent = QRectF(QPointF(tile->left, tile->top), QPointF(tile->right, tile->bottom));
        break;
    }
    const bool has_terrain = terrain != nullptr && !terrain->empty();
    if (base.image.isNull() && has_terrain) {
        // No picture: plain ground, so that the shape of the land is seen all the same.
        const ElevationRaster& r = *terrain->rasters().front();
        const QPointF a = toMercator({r.north_deg(), r.west_deg()});
        const QPointF b = toMercator(
            {r.north_deg() - r.stepLat_deg() * (r.height() - 1), r.west_deg() + r.stepLon_deg() * (r.width() - 1)});
        base.extent = QRectF(a, b);
        base.image = QImage(std::min(r.width(), 2400), std::min(r.height(), 2400), QImage::Format_ARGB32_Premultiplied);
        base.image.fill(QColor("#cfcab8"));
    }
    if (base.image.isNull() || !has_terrain) return base;
    const double step = std::max(terrain->cell_m(), 5.0);
    for (int y = 0; y < base.image.height(); ++y) {
        if (stop.stop_requested()) return base;
        auto* line = reinterpret_cast<QRgb*>(base.image.scanLine(y));
        const double my = base.extent.top() + base.extent.height() * (y + 0.5) / base.image.height();
        const double lat_cos = std::cos(fromMercator({0.5, my}).lat_deg * M_PI / 180);
        const double lat = fromMercator({0.5, my}).lat_deg;
        for (int x = 0; x < base.image.width(); x += 2) {
            const double mx = base.extent.left() + base.extent.width() * (x + 0.5) / base.image.width();
            const float k = 0.28f + 0.72f * shadeAt(*terrain, {lat, (mx - 0.5) * 360}, step, lat_cos) / 0.707f;
            for (int i = x; i < std::min(x + 2, base.image.width()); ++i) {
                const QRgb c = line[i];
                const auto shaded = [k](int v) { return std::min(255, static_cast<int>(static_cast<float>(v) * k)); };
                line[i] = qRgba(shaded(qRed(c)), shaded(qGreen(c)), shaded(qBlue(c)), qAlpha(c));
            }
        }
    }
    return base;
}

}  // namespace

void MapBase::load(const std::vector<std::string>& imagery, std::shared_ptr<const Terrain> terrain) {
    worker_ = std::jthread([this, imagery, terrain](const std::stop_token& stop) {
        Base base = make(imagery, terrain.get(), stop);
        if (stop.stop_requested()) return;
        QMetaObject::invokeMethod(
            this,
            [this, base] {
                image_ = base.image;
                extent_ = base.extent;
                problem_ = base.problem;
                emit ready();
            },
            Qt::QueuedConnection);
    });
}

}  // namespace anhinga
