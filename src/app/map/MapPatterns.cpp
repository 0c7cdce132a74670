// Patterns on the map: their areas and lines, their photos and what each of them sees.
#include <QtWidgets>

#include "app/layers/CoverLayer.h"
#include "app/map/MapPens.h"
#include "app/map/MapView.h"
#include "app/widgets/Quantity.h"
#include "core/geo/Polygon.h"
#include "core/pattern/Coverage.h"

namespace anhinga {

namespace {

constexpr std::size_t kPrintsAtOnce = 200;  // outlines made in one painting; the next goes on
constexpr std::size_t kMostPrints = 4000;   // more are a grey area and say nothing
constexpr double kReach_px = 14;            // from a photo to the pointer

}  // namespace

void MapView::tellCover() {
    const Derived& d = *session_->derived();
    layers_.setCovers(d.covers, d.covered);
}

/// Where each sortie but the first begins, and in the background what the chosen one leaves to the others.
void MapView::paintSorties(QPainter& p) {
    if (overlay_.plan_quiet) return;
    const auto& sorties = session_->derived()->sorties;
    std::vector<QRectF> tabs;
    p.setFont(uiFont(8.5, true));
    for (const FlownSortiePtr& s : sorties) {
        if (s->sortie.number == 1) continue;
        const QPointF at = view_.toScreen(s->sortie.place);
        const QString text = QString("sortie %1").arg(s->sortie.number);
        const bool chosen = flown_ && session_->sortie() == s->sortie.number;
        QRectF tab(0, 0, p.fontMetrics().horizontalAdvance(text) + 12, 18);
        tab.moveBottomLeft(at + QPointF(5, -9));
        for (int tries = 0; tries < 40; ++tries) {
            const auto hit = std::find_if(tabs.begin(), tabs.end(), [&](const QRectF& t) { return t.intersects(tab); });
            if (hit == tabs.end()) break;
            tab.moveTop(hit->bottom() + 2);
        }
        tabs.push_back(tab);
        p.setPen(pen(theme_.raised, 3));
        const QPointF foot = tab.top() > at.y() ? tab.topLeft() : tab.bottomLeft();
        p.drawLine(at, foot);
        p.setPen(pen(theme_.ink, 1.6));
        p.drawLine(at, foot);
        p.setBrush(chosen ? theme_.lagoon : theme_.ink);
        p.setPen(pen(theme_.raised, 1.2));
        p.drawRoundedRect(tab, 3, 3);
        p.setPen(theme_.panel);
        p.drawText(tab, Qt::AlignCenter, text);
    }
}

std::optional<Cut> MapView::cutAt(QPointF at) const {
    double nearest = kReach_px;
    std::optional<Cut> cut;
    if (!session_->upToDate()) return cut;
    for (const OpenedPattern& o : session_->derived()->view.route.patterns)
        for (std::size_t i = 0; i < o.flight->photos.size(); ++i) {
            const QPointF there = view_.toScreen(o.flight->photos[i].place);
            const double d = std::hypot(there.x() - at.x(), there.y() - at.y());
            if (d >= nearest) continue;
            nearest = d;
            cut = Cut{o.item.id, 0, static_cast<int>(i) + 1};
        }
    if (cut) return cut;
    const ItemId hit = itemAt(at);
    const Item* item = session_->plan()->find(hit);
    if (item != nullptr && hasPosition(item->kind)) cut = Cut{hit, 0, 0};
    return cut;
}

void MapView::paintPatterns(QPainter& p) {
    for (const Item& item : session_->plan()->items) {
        if (!isPattern(item.kind)) continue;
        const bool selected = session_->isSelected(item.id);
        const QPolygonF outline = polygon(item.pattern->outline);
        p.setPen(pen(theme_.reed, selected ? 3 : 2));
        if (item.kind == ItemKind::rings) {
            if (outline.isEmpty()) continue;
            p.setBrush(theme_.raised);
            p.drawEllipse(outline[0], 7, 7);
            p.drawLine(outline[0] - QPointF(11, 0), outline[0] + QPointF(11, 0));
            p.drawLine(outline[0] - QPointF(0, 11), outline[0] + QPointF(0, 11));
        } else if (hasArea(item.kind)) {
            QPainterPath area;
            area.addPolygon(outline);
            area.closeSubpath();
            for (const auto& hole : item.pattern->holes) {
                area.addPolygon(polygon(hole));
                area.closeSubpath();
            }
            p.setBrush(item.kind == ItemKind::block && !layers_.showsCover() ? QBrush(alpha(theme_.reed, 60))
                                                                             : QBrush(Qt::NoBrush));
            p.drawPath(area);
        } else {
            p.setBrush(Qt::NoBrush);
            const double band = item.kind == ItemKind::corridor ? item.pattern->width_m / view_.metresPerPixel() : 0;
            if (band > 3) {
                p.setPen(QPen(alpha(theme_.reed, 60), band, Qt::SolidLine, Qt::FlatCap, Qt::BevelJoin));
                p.drawPolyline(outline);
            }
            p.setPen(pen(alpha(theme_.raised, 200), selected ? 6 : 5));
            p.drawPolyline(outline);
            p.setPen(pen(theme_.reed, selected ? 4 : 3));
            p.drawPolyline(outline);
        }
    }
}

const OpenedPattern* MapView::photographed() const {
    if (session_->selection().size() != 1 || !session_->upToDate()) return nullptr;
    for (const OpenedPattern& o : session_->derived()->view.route.patterns)
        if (session_->isSelected(o.item.id) && !o.flight->photos.empty()) return &o;
    return nullptr;
}

QPolygonF MapView::printOf(const OpenedPattern& opened, const PlannedPhoto& photo, double level_amsl_m) const {
    const Terrain* terrain = session_->terrain()->empty() ? nullptr : session_->terrain().get();
    // Beside a wall or tower what matters is the thing itself, not the country behind it.
    const double range = hasArea(opened.item.kind) || opened.item.kind == ItemKind::corridor
                             ? kPhotoRange_m
                             : 1.15 * opened.flight->height_above_ground_m;
    QPolygonF print;
    for (const GeoPoint& g : photoOnGround(photo, session_->derived()->plan->camera, terrain, level_amsl_m, range))
        print << toMercator(g);
    return print;
}

/// The photos of the one selected pattern, outlines of what they see, and the one under the pointer by itself.
void MapView::paintPhotos(QPainter& p) {
    const OpenedPattern* opened = photographed();
    if (opened == nullptr) {
        prints_ = {};
        return;
    }
    const auto& photos = opened->flight->photos;
    const double level = photos.front().amsl_m.value_or(0) - opened->flight->height_above_ground_m;
    if (prints_.of != opened->flight) prints_ = {opened->flight, {}};
    // While something is dragged the photos change at every step: what they see is drawn once it is let go.
    const std::size_t wanted = photos.size() <= kMostPrints && !dragging() ? photos.size() : 0;
    for (std::size_t i = 0; i < kPrintsAtOnce && prints_.outlines.size() < wanted; ++i)
        prints_.outlines.push_back(printOf(*opened, photos[prints_.outlines.size()], level));
    if (prints_.outlines.size() < wanted)
        QMetaObject::invokeMethod(
            this, [this] { update(); }, Qt::QueuedConnection);
    p.setBrush(Qt::NoBrush);
    p.setPen(QPen(alpha(theme_.reed, 70), 1));
    const QRectF seen = QRectF(rect());
    for (const QPolygonF& print : prints_.outlines) {
        const QPolygonF line = onScreen(print, 0);
        if (line.boundingRect().intersects(seen)) p.drawPolygon(line);
    }
    std::size_t under = photos.size();
    double nearest = kReach_px;
    QVector<QPointF> dots;
    for (std::size_t i = 0; i < photos.size(); ++i) {
        const QPointF at = view_.toScreen(photos[i].place);
        if (!seen.contains(at)) continue;
        dots.append(at);
        if (hover_ && std::hypot(at.x() - hover_->x(), at.y() - hover_->y()) < nearest) {
            nearest = std::hypot(at.x() - hover_->x(), at.y() - hover_->y());
            under = i;
        }
    }
    p.setPen(QPen(theme_.ink, 3, Qt::SolidLine, Qt::RoundCap));
    p.drawPoints(dots.constData(), static_cast<int>(dots.size()));
    if (under == photos.size() || grip_ != Grip::none || tool_ != MapTool::select) return;
    const PlannedPhoto& photo = photos[under];
    const QPolygonF outline = onScreen(printOf(*opened, photo, level), 0);
    p.setBrush(alpha(theme_.fuchsia, 60));
    p.setPen(pen(theme_.fuchsia, 2.2));
    p.drawPolygon(outline);
    // Its upper edge, so that one sees which way up it is.
    p.setPen(pen(theme_.ink, 2.6));
    p.drawLine(outline[0], outline[1]);
    p.setFont(uiFont(8.5, true));
    const auto ground = session_->terrain()->sample(photo.place);
    QString text = QString("photo %1 of %2 · %3°").arg(under + 1).arg(photos.size()).arg(photo.yaw_deg, 0, 'f', 0);
    if (photo.pitch_deg > -89.5) text += QString(", camera %1°").arg(photo.pitch_deg, 0, 'f', 0);
    if (photo.amsl_m && ground) text += inUnits(QString(" · %1 m over ground").arg(*photo.amsl_m - *ground, 0, 'f', 0));
    // Beside the photo, on the side where there is room.
    const QPointF at = view_.toScreen(photo.place);
    const double width_px = p.fontMetrics().horizontalAdvance(text);
    const double x = at.x() + 12 + width_px > width() - 8 ? at.x() - 12 - width_px : at.x() + 12;
    haloText(p, {x, at.y() - 10}, text, theme_.ink, theme_.raised);
}

}  // namespace anhinga
