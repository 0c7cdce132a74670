#include "app/layers/DrawnLayers.h"

#include <QPainter>
#include <QPainterPath>

#include "app/widgets/Quantity.h"

namespace anhinga {

namespace {

void inkOnHalo(QPainter& p, QPointF at, const QString& text, const QColor& ink, QColor halo) {
    QPainterPath path;
    path.addText(at, p.font(), text);
    halo.setAlpha(220);
    p.strokePath(path, QPen(halo, 3, Qt::SolidLine, Qt::RoundCap, Qt::RoundJoin));
    p.fillPath(path, ink);
}

}  // namespace

OverlayLayer::OverlayLayer(LayerSpec spec, QObject* parent) : RenderedLayer(std::move(spec), parent) {
    drawing_->path = spec_.source.toStdString();
}

RenderedLayer::Job OverlayLayer::jobFor(const MapTransform& view, const Theme& theme) {
    return [view, drawing = drawing_, ink = theme.ink, halo = theme.raised](const std::stop_token& stop) {
        if (!drawing->tried) {
            drawing->tried = true;
            auto file = readShapes(drawing->path);
            if (file) {
                drawing->file = std::move(*file);
                UnitBox box{1, 1, 0, 0};
                for (const ImportedShape& s : drawing->file.shapes)
                    for (const GeoPoint& g : s.points) {
                        const UnitPoint m = toUnitSquare(g);
                        box = {std::min(box.left, m.x), std::min(box.top, m.y), std::max(box.right, m.x),
                               std::max(box.bottom, m.y)};
                    }
                drawing->extent = box;
            } else {
                drawing->problem = QString::fromStdString(file.error().message);
            }
        }
        Made made;
        made.problem = drawing->problem;
        made.extent = drawing->extent;
        made.image = QImage(view.size, QImage::Format_ARGB32_Premultiplied);
        made.image.fill(Qt::transparent);
        QPainter p(&made.image);
        p.setRenderHint(QPainter::Antialiasing);
        p.setFont(uiFont(8.5));
        const QRectF screen(-40, -40, view.size.width() + 80, view.size.height() + 80);
        QColor soft = ink;
        soft.setAlpha(28);
        for (const ImportedShape& s : drawing->file.shapes) {
            if (stop.stop_requested()) return made;
            QPolygonF px;
            for (const GeoPoint& g : s.points) px << view.toScreen(g);
            if (px.isEmpty() || !px.boundingRect().adjusted(-1, -1, 1, 1).intersects(screen)) continue;
            const bool point = s.kind == ShapeKind::point || s.kind == ShapeKind::view;
            p.setBrush(s.kind == ShapeKind::area ? QBrush(soft) : QBrush(Qt::NoBrush));
            const auto draw = [&] {
                if (point)  // a small square cross: dots are the plan's own
                    for (const double a : {0.0, 1.0})
                        p.drawLine(px[0] + QPointF(-4 * (1 - a), -4 * a), px[0] + QPointF(4 * (1 - a), 4 * a));
                else if (s.kind == ShapeKind::area)
                    p.drawPolygon(px);
                else
                    p.drawPolyline(px);
            };
            p.setPen(QPen(halo, 3.2));
            draw();
            p.setPen(QPen(ink, 1.4, point ? Qt::SolidLine : Qt::DashDotLine));
            draw();
            if (s.name.empty()) continue;
            const QPointF at = s.kind == ShapeKind::area ? px.boundingRect().center() : px[px.size() / 2];
            inkOnHalo(p, at + QPointF(7, -5), QString::fromStdString(s.name), ink, halo);
        }
        return made;
    };
}

void GridLayer::paint(QPainter& p, const MapTransform& view, const Theme& theme) {
    const CoordinateFormat format = coordinateFormat();
    const QRectF screen(QPointF(), QSizeF(view.size));
    QColor ink = theme.ink;
    ink.setAlpha(110);
    p.setRenderHint(QPainter::Antialiasing);
    p.setFont(monoFont(7.5));
    const auto label = [&](const QPolygonF& line, const QString& text, bool upright) {
        // Where the line meets the lower edge (upright ones) or the right edge.
        for (int i = 1; i < line.size(); ++i) {
            const QPointF a = line[i - 1], b = line[i];
            const double edge = upright ? screen.bottom() - 44 : screen.right() - 8;
            const double va = upright ? a.y() : a.x(), vb = upright ? b.y() : b.x();
            if ((va - edge) * (vb - edge) > 0 || va == vb) continue;
            const QPointF at = a + (b - a) * ((edge - va) / (vb - va));
            const double w = p.fontMetrics().horizontalAdvance(text);
            if (upright && at.x() + w + 12 > screen.right() - 60) return;  // the other labels stand there
            inkOnHalo(p, upright ? at + QPointF(3, 0) : at + QPointF(-w, -3), text, theme.ink, theme.raised);
            return;
        }
    };
    const GeoPoint nw = view.toGeo(screen.topLeft()), se = view.toGeo(screen.bottomRight());
    const GeoPoint middle = view.toGeo(screen.center());
    p.setPen(QPen(ink, 0.9));
    if (format == CoordinateFormat::utm || format == CoordinateFormat::mgrs) {
        const auto at = utmOf(middle);
        const double across_m = view.metresPerPixel() * view.size.width();
        if (!at || across_m > 400e3) return;
        double step = 100;
        while (view.metresPerPixel() * 90 > step) step *= 10;
        const auto corner = [&](QPointF px) { return utmOf(view.toGeo(px), at->zone, at->north); };
        double e0 = INFINITY, e1 = -INFINITY, n0 = INFINITY, n1 = -INFINITY;
        for (const QPointF& c : {screen.topLeft(), screen.topRight(), screen.bottomLeft(), screen.bottomRight()})
            if (const auto u = corner(c)) {
                e0 = std::min(e0, u->easting_m);
                e1 = std::max(e1, u->easting_m);
                n0 = std::min(n0, u->northing_m);
                n1 = std::max(n1, u->northing_m);
            }
        const auto line = [&](bool upright, double v) {
            QPolygonF px;
            for (int k = 0; k <= 12; ++k) {
                const double t = k / 12.0;
                const auto g =
                    fromUtm({at->zone, at->north, upright ? v : e0 + (e1 - e0) * t, upright ? n0 + (n1 - n0) * t : v});
                if (g) px << view.toScreen(*g);
            }
            p.drawPolyline(px);
            label(px,
                  QString("%1 %2").arg(upright ? "E" : "N").arg(v / (step >= 1000 ? 1000 : 1), 0, 'f', 0) +
                      (step >= 1000 ? " km" : " m"),
                  upright);
        };
        for (double e = std::ceil(e0 / step) * step; e <= e1; e += step) line(true, e);
        for (double n = std::ceil(n0 / step) * step; n <= n1; n += step) line(false, n);
        return;
    }
    // Degrees, or minutes and seconds, whichever the format counts in.
    const double per_px = 360 / view.scale;
    static constexpr double kDecimal[] = {0.0001, 0.0002, 0.0005, 0.001, 0.002, 0.005, 0.01, 0.02, 0.05,
                                          0.1,    0.2,    0.5,    1,     2,     5,     10,   20,   45};
    static constexpr double kSexagesimal[] = {1 / 3600.0, 2 / 3600.0, 5 / 3600.0, 10 / 3600.0, 20 / 3600.0, 30 / 3600.0,
                                              1 / 60.0,   2 / 60.0,   5 / 60.0,   10 / 60.0,   20 / 60.0,   30 / 60.0,
                                              1,          2,          5,          10,          20,          45};
    const auto& steps = format == CoordinateFormat::dms ? kSexagesimal : kDecimal;
    double step = 45;
    for (const double s : steps)
        if (s / per_px >= 110) {
            step = s;
            break;
        }
    const auto text = [&](double v, const char* positive, const char* negative) {
        const QString side = v > 0 ? positive : v < 0 ? negative : "";
        if (format != CoordinateFormat::dms)
            return QString::number(std::abs(v), 'f',
                                   step >= 1       ? 0
                                   : step >= 0.1   ? 1
                                   : step >= 0.01  ? 2
                                   : step >= 0.001 ? 3
                                                   : 4) +
                   "°" + side;
        const auto seconds = std::lround(std::abs(v) * 3600);
        QString t = QString("%1°").arg(seconds / 3600);
        if (step < 1) t += QString("%1'").arg(seconds / 60 % 60, 2, 10, QChar('0'));
        if (step < 1 / 60.0) t += QString("%1\"").arg(seconds % 60, 2, 10, QChar('0'));
        return t + side;
    };
    const double west = nw.lon_deg, width = view.size.width() * per_px;
    for (double lon = std::ceil(west / step) * step; lon < west + width; lon += step) {
        const double x = (lon - west) / per_px;
        const QPolygonF line({QPointF(x, screen.top()), QPointF(x, screen.bottom())});
        p.drawPolyline(line);
        label(line, text(wrapLongitude(lon), "E", "W"), true);
    }
    for (double lat = std::ceil(se.lat_deg / step) * step; lat < nw.lat_deg; lat += step) {
        const double y = view.toScreen(GeoPoint{lat, middle.lon_deg}).y();
        const QPolygonF line({QPointF(screen.left(), y), QPointF(screen.right(), y)});
        p.drawPolyline(line);
        label(line, text(lat, "N", "S"), false);
    }
}

}  // namespace anhinga
