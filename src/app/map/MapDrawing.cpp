// How what is being drawn looks: the shape under the pointer, a rectangle from corner to corner, the frame of an area.
#include <QtWidgets>

#include "app/map/MapPens.h"
#include "app/map/MapView.h"
#include "app/widgets/Quantity.h"
#include "core/base/Text.h"
#include "core/geo/Polygon.h"

namespace anhinga {

void MapView::paintFrame(QPainter& p) {
    QRectF box;
    if (grip_ == Grip::area && moved_) {
        box = QRectF(pressed_at_, last_at_).normalized();
    } else if (frame_) {
        const QPointF nw = view_.toScreen(GeoPoint{frame_->north, frame_->west});
        const QPointF se = view_.toScreen(GeoPoint{frame_->south, frame_->east});
        box = QRectF(nw, se).normalized();
    }
    if (box.isEmpty()) return;
    p.setBrush(Qt::NoBrush);
    p.setPen(pen(alpha(theme_.raised, 200), 5));
    p.drawRect(box);
    p.setPen(pen(theme_.ink, 2, Qt::DashLine));
    p.drawRect(box);
    p.setFont(uiFont(8.5, true));
    haloText(p, box.topLeft() + QPointF(8, 18), "area to store", theme_.ink, theme_.raised);
}

void MapView::paintShape(QPainter& p) {
    if (grip_ == Grip::box && moved_) {
        p.setPen(pen(theme_.lagoon, 1.4, Qt::DashLine));
        p.setBrush(alpha(theme_.lagoon, 40));
        p.drawRect(QRectF(pressed_at_, last_at_).normalized());
    }
    if (tool_ == MapTool::waypoint && hover_ && grip_ == Grip::none) {
        p.setPen(pen(theme_.lagoon, 2));
        p.setBrush(Qt::NoBrush);
        p.drawEllipse(*hover_, 7, 7);
    }
    if (grip_ == Grip::rectangle && moved_) {
        const auto corners = rectangle();
        const QColor colour = patternOf(tool_) ? theme_.reed : tool_ == MapTool::trees ? theme_.vermilion : theme_.plum;
        p.setPen(pen(theme_.raised, 4));
        p.setBrush(alpha(colour, 40));
        p.drawPolygon(polygon(corners));
        p.setPen(pen(colour, 2));
        p.drawPolygon(polygon(corners));
        p.setFont(uiFont(8.5, true));
        haloText(p, last_at_ + QPointF(14, -10),
                 inUnits(QString("%1 × %2 m")
                             .arg(distance_m(corners[0], corners[1]), 0, 'f', 0)
                             .arg(distance_m(corners[1], corners[2]), 0, 'f', 0),
                         UnitKind::distance),
                 theme_.ink, theme_.raised);
    }
    if (drawsArea(tool_) && shape_.empty() && grip_ == Grip::none && hover_) {
        p.setFont(uiFont(8.5));
        haloText(p, *hover_ + QPointF(14, -10), "click corners, or drag with Shift for a rectangle", theme_.ink,
                 theme_.raised);
    }
    if (!drag_text_.isEmpty() && grip_ == Grip::items) {
        p.setFont(uiFont(8.5, true));
        haloText(p, last_at_ + QPointF(16, 28), inUnits(drag_text_, UnitKind::distance), theme_.ink, theme_.raised);
    }
    if (shape_.empty()) return;
    QPolygonF line = polygon(shape_);
    const bool open = drawsLine(tool_) || tool_ == MapTool::measure;
    if (hover_) {
        GeoPoint here = view_.toGeo(*hover_);
        if ((QApplication::keyboardModifiers() & Qt::ShiftModifier) != 0) {
            // As snapped() will place it.
            here = const_cast<MapView*>(this)->snapped(shape_.back(), here);
        }
        line << view_.toScreen(here);
    }
    const QColor colour = patternOf(tool_)                                    ? theme_.reed
                          : tool_ == MapTool::measure                         ? theme_.lagoon
                          : tool_ == MapTool::wire || tool_ == MapTool::trees ? theme_.vermilion
                                                                              : theme_.plum;
    const auto draw = [&] {
        if (open)
            p.drawPolyline(line);
        else
            p.drawPolygon(line);
    };
    p.setPen(pen(theme_.raised, 4));
    p.setBrush(open ? QBrush(Qt::NoBrush) : QBrush(alpha(colour, 40)));
    draw();
    p.setPen(pen(colour, 2));
    draw();
    p.setBrush(theme_.raised);
    for (const GeoPoint& g : shape_) p.drawEllipse(view_.toScreen(g), 4.5, 4.5);
    p.setFont(uiFont(8.5, true));
    if (hover_)
        haloText(p, line.back() + QPointF(14, -10), inUnits(measureText(), UnitKind::distance), theme_.ink,
                 theme_.raised);
}

QString MapView::measureText() const {
    const GeoPoint here = view_.toGeo(*hover_);
    const double leg = distance_m(shape_.back(), here);
    QString text = QString("%1 · %2°")
                       .arg(QString::fromStdString(distanceText(leg)))
                       .arg(bearing_deg(shape_.back(), here), 0, 'f', 0);
    double run = leg;
    for (std::size_t i = 1; i < shape_.size(); ++i) run += distance_m(shape_[i - 1], shape_[i]);
    if (shape_.size() > 1) text += " · in all " + QString::fromStdString(distanceText(run));
    if (shape_.size() > 1 && !drawsLine(tool_)) {
        std::vector<GeoPoint> area = shape_;
        area.push_back(here);
        text += QString(" · %1 ha").arg(area_m2(toLocal(LocalFrame(here), area)) / 1e4, 0, 'f', 2);
    }
    const auto a = session_->terrain()->sample(shape_.back()), b = session_->terrain()->sample(here);
    if (tool_ == MapTool::measure && a && b)
        text += QString(" · ground %1 m").arg(*b - *a, 0, 'f', 0).replace("ground ", *b >= *a ? "ground +" : "ground ");
    return text;
}

}  // namespace anhinga
