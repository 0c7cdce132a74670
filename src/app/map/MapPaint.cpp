// How the map looks: each layer one function, from the ground up.
#include <QtWidgets>

#include "app/map/MapView.h"
#include "core/base/Text.h"
#include "core/geo/Polygon.h"
#include "core/pattern/BlockPattern.h"

namespace anhinga {

namespace {

QPen pen(const QColor& c, double w, Qt::PenStyle style = Qt::SolidLine) {
    return {c, w, style, Qt::RoundCap, Qt::RoundJoin};
}

QColor alpha(QColor c, int a) {
    c.setAlpha(a);
    return c;
}

/// Text with a halo, readable over any ground.
void haloText(QPainter& p, QPointF at, const QString& text, const QColor& ink, const QColor& halo) {
    QPainterPath path;
    path.addText(at, p.font(), text);
    p.strokePath(path, pen(alpha(halo, 220), 3.2));
    p.fillPath(path, ink);
}

double metresStep(double wanted) {
    const double power = std::pow(10, std::floor(std::log10(wanted)));
    return wanted / power >= 5     ? 5 * power
           : wanted / power >= 2.5 ? 2.5 * power
           : wanted / power >= 2   ? 2 * power
                                   : power;
}

}  // namespace

QPolygonF MapView::polygon(const std::vector<GeoPoint>& outline) const {
    QPolygonF polygon;
    for (const GeoPoint& g : outline) polygon << view_.toScreen(g);
    return polygon;
}

void MapView::paintEvent(QPaintEvent*) {
    const double start = monotonicMs();
    QPainter p(this);
    p.setRenderHint(QPainter::Antialiasing);
    paintGround(p);
    paintFences(p);
    paintBlocks(p);
    paintRoute(p);
    paintRepeatsAndLooks(p);
    paintTracks(p);
    paintItems(p);
    paintAircraft(p);
    paintShape(p);
    paintFurniture(p);
    frame_ms_ = monotonicMs() - start;
}

void MapView::paintGround(QPainter& p) {
    const bool same = ground_view_.scale == view_.scale && ground_view_.centre == view_.centre &&
                      ground_view_.size == view_.size && !ground_.isNull();
    if (!same) {
        ground_ = QPixmap(size());
        ground_.fill(theme_.night ? QColor("#16222b") : QColor("#c9d8dc"));
        ground_view_ = view_;
        if (!base_.image().isNull()) {
            QPainter g(&ground_);
            const bool shrinks = base_.extent().width() * view_.scale < base_.image().width() * 3.0;
            g.setRenderHint(QPainter::SmoothPixmapTransform, shrinks);
            // Only the part in view is drawn: at high zoom the whole picture would be far larger than the screen.
            const QRectF full(view_.toScreen(base_.extent().topLeft()),
                              QSizeF(base_.extent().width(), base_.extent().height()) * view_.scale);
            const QRectF seen = full.intersected(QRectF(rect()).adjusted(-2, -2, 2, 2));
            const double kx = base_.image().width() / full.width(), ky = base_.image().height() / full.height();
            const QRectF source((seen.left() - full.left()) * kx, (seen.top() - full.top()) * ky, seen.width() * kx,
                                seen.height() * ky);
            g.drawImage(seen, base_.image(), source);
            if (theme_.night) g.fillRect(rect(), QColor(10, 18, 26, 120));
        }
    }
    p.drawPixmap(0, 0, ground_);
}

void MapView::paintHatch(QPainter& p, const QPainterPath& path, const QColor& colour) {
    // A tile of one stroke repeats without a seam; drawing strokes one by one behind a clip costs ten times as much.
    constexpr int kTile = 9;
    QPixmap tile(kTile, kTile);
    tile.fill(Qt::transparent);
    {
        QPainter t(&tile);
        t.setRenderHint(QPainter::Antialiasing);
        t.setPen(QPen(colour, 1.1, Qt::SolidLine, Qt::SquareCap));
        for (const int k : {-1, 0, 1}) t.drawLine(QPointF(k * kTile, kTile), QPointF((k + 1) * kTile, 0));
    }
    p.save();
    p.setRenderHint(QPainter::Antialiasing, false);
    p.fillPath(path, QBrush(tile));
    p.restore();
}

void MapView::paintFences(QPainter& p) {
    const Plan& plan = *session_->plan();
    QPainterPath inside;
    bool keep_in = false;
    for (const Fence& f : plan.fences)
        if (f.kind == FenceKind::keepIn) {
            inside.addPolygon(polygon(f.outline));
            inside.closeSubpath();
            keep_in = true;
        }
    if (keep_in) {
        QPainterPath outside;
        outside.addRect(QRectF(rect()).adjusted(-20, -20, 20, 20));
        paintHatch(p, outside.subtracted(inside), alpha(theme_.plum, 120));
    }
    for (const Fence& f : plan.fences) {
        const QPolygonF outline = polygon(f.outline);
        const bool selected = session_->isSelected(f.id);
        if (f.kind == FenceKind::keepOut) {
            QPainterPath path;
            path.addPolygon(outline);
            path.closeSubpath();
            p.fillPath(path, alpha(theme_.plum, 36));
            paintHatch(p, path, alpha(theme_.plum, 190));
        }
        p.setBrush(Qt::NoBrush);
        p.setPen(pen(alpha(theme_.raised, 150), selected ? 5 : 4));
        p.drawPolygon(outline);
        p.setPen(pen(theme_.plum, selected ? 3 : 2, f.kind == FenceKind::keepIn ? Qt::DashLine : Qt::SolidLine));
        p.drawPolygon(outline);
        QString label = f.kind == FenceKind::keepIn ? "keep in" : "keep out";
        if (!f.name.empty()) label += QString::fromStdString(" · " + f.name);
        if (plan.ceiling_m && f.kind == FenceKind::keepIn)
            label += QString(" · to %1 m home").arg(*plan.ceiling_m, 0, 'f', 0);
        p.setFont(uiFont(8.5, true));
        if (f.kind == FenceKind::keepOut) {
            const QPointF middle = outline.boundingRect().center();
            haloText(p, middle - QPointF(p.fontMetrics().horizontalAdvance(label) / 2.0, -4), label, theme_.plum,
                     theme_.raised);
        } else if (!outline.isEmpty()) {
            // On the longest edge in view, along it.
            double longest = 0;
            QLineF edge;
            for (int i = 0; i < outline.size(); ++i) {
                const QLineF l(outline[i], outline[(i + 1) % outline.size()]);
                if (l.length() > longest && rect().contains(l.center().toPoint())) {
                    longest = l.length();
                    edge = l;
                }
            }
            if (longest > p.fontMetrics().horizontalAdvance(label)) {
                p.save();
                p.translate(edge.center());
                double angle = -edge.angle();
                while (angle > 90) angle -= 180;
                while (angle < -90) angle += 180;
                p.rotate(angle);
                haloText(p, {-p.fontMetrics().horizontalAdvance(label) / 2.0, -6}, label, theme_.plum, theme_.raised);
                p.restore();
            }
        }
    }
}

void MapView::paintBlocks(QPainter& p) {
    for (const Item& item : session_->plan()->items) {
        if (item.kind != ItemKind::block) continue;
        const bool selected = session_->isSelected(item.id);
        const QPolygonF outline = polygon(item.block.outline);
        p.setBrush(alpha(theme_.reed, 60));
        p.setPen(pen(theme_.reed, selected ? 3 : 2));
        p.drawPolygon(outline);
    }
}

void MapView::paintRoute(QPainter& p) {
    const Derived& d = *session_->derived();
    const bool quiet = overlay_.plan_quiet;
    const QColor levels[] = {theme_.lagoon, theme_.marigold, theme_.vermilion, theme_.quiet};
    if (!quiet) {
        // Thousands of legs: flat ends are several times as quick as round ones, and the dots cover the joints.
        const bool many = runs_.size() > 400;
        p.setPen(
            QPen(theme_.night ? QColor("#0c1114") : theme_.ink, 5.2, Qt::SolidLine, many ? Qt::FlatCap : Qt::RoundCap));
        for (const Run& r : runs_) p.drawLine(view_.toScreen(r.a), view_.toScreen(r.b));
    }
    for (const Run& r : runs_) {
        const QPointF a = view_.toScreen(r.a), b = view_.toScreen(r.b);
        if (quiet) {
            p.setPen(pen(alpha(theme_.ink, 170), 1.4, Qt::DashLine));
        } else {
            QPen core = pen(levels[r.level], 3);
            if (r.level == 2) core.setDashPattern({2, 1.6});
            if (r.level == 3) core.setDashPattern({0.6, 1.8});
            core.setCapStyle(r.level >= 2 || runs_.size() > 400 ? Qt::FlatCap : Qt::RoundCap);
            p.setPen(core);
        }
        p.drawLine(a, b);
    }
    if (quiet) return;
    p.setPen(pen(theme_.raised, 1.6));
    for (const PathLeg& leg : d.view.path.legs) {
        if (leg.climb || leg.repeat) continue;
        const QLineF l(view_.toScreen(d.view.path.points[leg.from].position),
                       view_.toScreen(d.view.path.points[leg.to].position));
        if (l.length() < 50) continue;
        const QPointF u = (l.p2() - l.p1()) / l.length(), n(-u.y(), u.x());
        const QPointF tip = l.center() + u * 4;
        p.drawPolyline(QPolygonF({tip - u * 6 + n * 4, tip, tip - u * 6 - n * 4}));
    }
}

void MapView::paintRepeatsAndLooks(QPainter& p) {
    const Plan& plan = *session_->plan();
    const auto middle = [&](const Item& item) {
        return item.kind == ItemKind::block ? middleOf(item.block.outline) : item.position;
    };
    const auto placed = [](const Item& item) { return hasPosition(item.kind) || item.kind == ItemKind::block; };
    const auto sight = [&](QPointF from, QPointF to) {
        p.setPen(pen(alpha(theme_.ink, 150), 2.6));
        p.drawLine(from, to);
        p.setPen(pen(QColor(255, 255, 255, 230), 1.2, Qt::DotLine));
        p.drawLine(from, to);
    };
    const LookAt* look = nullptr;
    look_labels_.clear();
    for (const Item& item : plan.items) {
        if (look != nullptr && placed(item)) {
            sight(view_.toScreen(middle(item)), view_.toScreen(look->place));
        }
        for (const Action& action : item.actions) {
            if (const auto* l = std::get_if<LookAt>(&action)) {
                look = l;
                const QPointF at = view_.toScreen(l->place);
                if (placed(item)) sight(view_.toScreen(middle(item)), at);
                p.setPen(pen(theme_.ink, 1.6));
                p.setBrush(theme_.raised);
                p.drawEllipse(at, 8, 8);
                p.setBrush(theme_.ink);
                p.drawEllipse(at, 2.6, 2.6);
                p.setFont(uiFont(8.5, true));
                look_labels_.push_back(QRectF(at - QPointF(10, 10), QSizeF(20, 20)));
                look_labels_.push_back(QRectF(at + QPointF(13, 5), QSizeF(90, 16)));
                haloText(p, at + QPointF(13, 18), l->name.empty() ? "look-at" : QString::fromStdString(l->name),
                         theme_.ink, theme_.raised);
            } else if (std::holds_alternative<LookAtStop>(action)) {
                look = nullptr;
            } else if (const auto* r = std::get_if<Repeat>(&action)) {
                const Item* target = plan.find(r->target);
                if (target == nullptr || !placed(*target) || !placed(item)) continue;
                const QPointF a = view_.toScreen(middle(item)), b = view_.toScreen(middle(*target));
                const QPointF side(-(b - a).y() * 0.28, (b - a).x() * 0.28);
                const QPointF bend = (a + b) / 2 + side;
                QPainterPath arc(a);
                arc.quadTo(bend, b);
                p.setBrush(Qt::NoBrush);
                p.setPen(pen(alpha(theme_.raised, 170), 4));
                p.drawPath(arc);
                p.setPen(pen(theme_.ink, 1.8, Qt::DotLine));
                p.drawPath(arc);
                const QPointF at = arc.pointAtPercent(0.5);
                const QString text = r->count < 0 ? QString("for ever") : QString("×%1").arg(r->count);
                p.setFont(uiFont(8.5, true));
                const double w = p.fontMetrics().horizontalAdvance(text) + 14;
                p.setPen(Qt::NoPen);
                p.setBrush(theme_.ink);
                p.drawRoundedRect(QRectF(at.x() - w / 2, at.y() - 10, w, 20), 10, 10);
                look_labels_.push_back(QRectF(at.x() - w / 2, at.y() - 10, w, 20));
                p.setPen(theme_.panel);
                p.drawText(QRectF(at.x() - w / 2, at.y() - 10, w, 20), Qt::AlignCenter, text);
            }
        }
    }
}

void MapView::paintItems(QPainter& p) {
    const Plan& plan = *session_->plan();
    struct Mark {
        ItemId id;
        QPointF dot;
        QString number, rest;
    };
    std::vector<Mark> marks;
    std::vector<QRectF> taken;
    if (plan.home) {
        const QPointF at = view_.toScreen(plan.home->position);
        p.setPen(pen(theme_.ink, session_->isSelected(kHomeId) ? 3.2 : 2.2));
        p.setBrush(theme_.raised);
        p.drawEllipse(at, 11, 11);
        p.setBrush(Qt::NoBrush);
        p.setPen(pen(theme_.ink, 2.2));
        p.drawEllipse(at, 6, 6);
        taken.push_back(QRectF(at - QPointF(12, 12), QSizeF(24, 24)));
        const auto home = homeAmsl(plan, session_->terrain().get());
        p.setFont(uiFont(8.5, true));
        const QString text = home ? QString("home %1 m").arg(*home, 0, 'f', 0) : QString("home, height unknown");
        haloText(p, at + QPointF(15, 15), text, theme_.ink, theme_.raised);
        taken.push_back(QRectF(at + QPointF(14, 3), QSizeF(p.fontMetrics().horizontalAdvance(text), 16)));
    }
    for (const Item& item : plan.items) {
        const QString number = QString::number(itemNumber(plan, item.id));
        if (item.kind == ItemKind::block) {
            const QPointF top(polygon(item.block.outline).boundingRect().center().x(),
                              polygon(item.block.outline).boundingRect().top());
            const BlockLines lines = blockLines(plan, item, session_->terrain().get());
            marks.push_back({item.id, top, number,
                             QString("Block%1 · %2 ha · %3 photos · %4 cm")
                                 .arg(item.name.empty() ? "" : QString::fromStdString(" " + item.name))
                                 .arg(lines.area_m2 / 1e4, 0, 'f', 1)
                                 .arg(lines.photos)
                                 .arg(lines.footprint.gsd_m * 100, 0, 'f', 1)});
        } else if (hasPosition(item.kind)) {
            QString rest = QString::fromStdString(heightText(effectiveHeight(plan, item)));
            if (item.kind == ItemKind::hold) rest = QString("hold %1 s · ").arg(effectiveHold_s(plan, item), 0, 'f', 0) + rest;
            if (item.kind == ItemKind::land) rest = "land";
            marks.push_back({item.id, view_.toScreen(item.position), number, rest});
        }
    }
    const QRectF screen = QRectF(rect()).adjusted(-40, -40, 40, 40);
    for (const Mark& m : marks) taken.push_back(QRectF(m.dot - QPointF(6, 6), QSizeF(12, 12)));
    for (const QObject* child : children())
        if (const auto* w = qobject_cast<const QWidget*>(child); w != nullptr && w->isVisible())
            taken.push_back(w->geometry());
    taken.insert(taken.end(), look_labels_.begin(), look_labels_.end());
    const bool crowded = marks.size() > 150;
    const double ratio = devicePixelRatioF();
    QPixmap dot(static_cast<int>(16 * ratio), static_cast<int>(16 * ratio));
    dot.setDevicePixelRatio(ratio);
    dot.fill(Qt::transparent);
    {
        QPainter d(&dot);
        d.setRenderHint(QPainter::Antialiasing);
        d.setPen(pen(theme_.ink, 1.8));
        d.setBrush(theme_.raised);
        d.drawEllipse(QPointF(8, 8), 5, 5);
    }
    for (const Mark& m : marks) {
        if (!screen.contains(m.dot)) continue;
        const bool selected = session_->isSelected(m.id);
        const bool block = plan.find(m.id)->kind == ItemKind::block;
        if (!crowded || selected) {
            p.setFont(uiFont(8.5, true));
            const double nw = p.fontMetrics().horizontalAdvance(m.number);
            p.setFont(uiFont(8.5));
            const double w = nw + p.fontMetrics().horizontalAdvance(m.rest) + 22, h = 20;
            // The tab takes the first free place around its dot; the nearest ones are tried first.
            QRectF tab, best;
            double best_overlap = INFINITY;
            for (const double out : {14.0, 30.0, 52.0, 80.0}) {
                const QPointF sides[] = {{out, -out - 18},    {out, out - 2},      {-out - w, -out - 18},
                                         {-out - w, out - 2}, {-w / 2, -out - 26}, {-w / 2, out + 8},
                                         {out + 6, -10},      {-out - 6 - w, -10}};
                for (const QPointF& side : sides) {
                    tab = QRectF(m.dot + side, QSizeF(w, h));
                    double overlap = rect().contains(tab.toRect()) ? 0 : 1e4;
                    for (const QRectF& t : taken) {
                        const QRectF both = t.intersected(tab);
                        if (!both.isEmpty()) overlap += both.width() * both.height();
                    }
                    if (overlap >= best_overlap) continue;
                    best_overlap = overlap;
                    best = tab;
                }
                if (best_overlap == 0) break;
            }
            tab = best;
            taken.push_back(tab);
            p.setPen(pen(theme_.ink, 1));
            p.drawLine(m.dot, QPointF(std::clamp(m.dot.x(), tab.left(), tab.right()),
                                      std::clamp(m.dot.y(), tab.top(), tab.bottom())));
            p.setBrush(selected ? theme_.lagoon : theme_.panel);
            p.setPen(pen(selected ? theme_.lagoon : block ? theme_.reed : theme_.ink, 1.2));
            p.drawRoundedRect(tab, 3, 3);
            p.setPen(selected ? theme_.panel : theme_.ink);
            p.setFont(uiFont(8.5, true));
            p.drawText(tab.adjusted(7, 0, 0, 0), Qt::AlignVCenter | Qt::AlignLeft, m.number);
            p.setFont(uiFont(8.5));
            p.drawText(tab.adjusted(7 + nw + 8, 0, 0, 0), Qt::AlignVCenter | Qt::AlignLeft, m.rest);
        }
        if (block) continue;
        if (!selected) {
            p.drawPixmap(m.dot - QPointF(8, 8), dot);
            continue;
        }
        p.setPen(pen(theme_.lagoon, 3));
        p.setBrush(theme_.raised);
        p.drawEllipse(m.dot, 6.5, 6.5);
    }
    if (!editable_) return;
    for (const ItemId id : session_->selection()) {
        Plan& read = const_cast<Plan&>(plan);
        const std::vector<GeoPoint>* outline = outlineOf(read, id);
        if (outline == nullptr) continue;
        const QPolygonF corners = polygon(*outline);
        for (int i = 0; i < corners.size(); ++i) {
            p.setPen(pen(theme_.ink, 1.4));
            p.setBrush(theme_.raised);
            p.drawRect(QRectF(corners[i] - QPointF(4.5, 4.5), QSizeF(9, 9)));
            const QLineF edge(corners[i], corners[(i + 1) % corners.size()]);
            if (edge.length() <= 40) continue;
            p.setBrush(alpha(theme_.raised, 180));
            p.drawEllipse(edge.center(), 3.2, 3.2);
        }
    }
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
    if (shape_.empty()) return;
    QPolygonF line = polygon(shape_);
    if (hover_) line << *hover_;
    const QColor colour = tool_ == MapTool::block ? theme_.reed : theme_.plum;
    p.setPen(pen(theme_.raised, 4));
    p.setBrush(alpha(colour, 40));
    p.drawPolygon(line);
    p.setPen(pen(colour, 2));
    p.drawPolygon(line);
    p.setBrush(theme_.raised);
    for (const GeoPoint& g : shape_) p.drawEllipse(view_.toScreen(g), 4.5, 4.5);
    if (hover_) {
        const GeoPoint here = view_.toGeo(*hover_);
        const QString text = QString("%1 m · %2°")
                                 .arg(distance_m(shape_.back(), here), 0, 'f', 0)
                                 .arg(bearing_deg(shape_.back(), here), 0, 'f', 0);
        p.setFont(uiFont(8.5, true));
        haloText(p, *hover_ + QPointF(14, -10), text, theme_.ink, theme_.raised);
    }
}

void MapView::paintTracks(QPainter& p) {
    if (overlay_.track.size() > 1) {
        QPolygonF line;
        for (const GeoPoint& g : overlay_.track) {
            const QPointF at = view_.toScreen(g);
            if (line.isEmpty() || std::abs(at.x() - line.back().x()) + std::abs(at.y() - line.back().y()) > 0.7)
                line << at;
        }
        p.setPen(pen(alpha(theme_.raised, 200), 5.5));
        p.drawPolyline(line);
        p.setPen(pen(theme_.reed, 3));
        p.drawPolyline(line);
    }
    p.setPen(pen(theme_.ink, 1));
    p.setBrush(theme_.marigold);
    for (const GeoPoint& g : overlay_.photos) {
        const QPointF at = view_.toScreen(g);
        if (rect().contains(at.toPoint())) p.drawRect(QRectF(at - QPointF(2, 2), QSizeF(4, 4)));
    }
}

void MapView::paintAircraft(QPainter& p) {
    if (cursor_) {
        const QPointF at = view_.toScreen(*cursor_);
        p.setBrush(Qt::NoBrush);
        p.setPen(pen(theme_.raised, 5));
        p.drawEllipse(at, 9, 9);
        p.setPen(pen(theme_.marigold, 2.6));
        p.drawEllipse(at, 9, 9);
    }
    if (overlay_.aircraft) {
        const auto& a = *overlay_.aircraft;
        p.save();
        p.translate(view_.toScreen(a.place));
        if (a.course_deg) {
            p.save();
            p.rotate(*a.course_deg);
            p.setPen(pen(theme_.marigold, 1.6, Qt::DashLine));
            p.drawLine(QPointF(0, 0), QPointF(0, -70));
            p.restore();
        }
        p.rotate(a.heading_deg);
        p.setPen(pen(theme_.ink, 1.4));
        p.drawLine(QPointF(0, -14), QPointF(0, -46));
        const QPolygonF dart({QPointF(0, -17), QPointF(9, 12), QPointF(0, 6), QPointF(-9, 12)});
        p.setPen(pen(theme_.raised, 5));
        p.setBrush(theme_.ink);
        p.drawPolygon(dart);
        p.setPen(pen(theme_.ink, 1));
        p.drawPolygon(dart);
        p.restore();
    }
}

void MapView::paintFurniture(QPainter& p) {
    const double step = metresStep(view_.metresPerPixel() * 140);
    const double w = step / view_.metresPerPixel();
    const QPointF left(14, height() - 16);
    p.setPen(pen(alpha(theme_.raised, 190), 5));
    p.drawPolyline(QPolygonF({left - QPointF(0, 6), left, left + QPointF(w, 0), left + QPointF(w, -6)}));
    p.setPen(pen(theme_.ink, 2));
    p.drawPolyline(QPolygonF({left - QPointF(0, 6), left, left + QPointF(w, 0), left + QPointF(w, -6)}));
    p.setFont(uiFont(8.5));
    const QString text = QString::fromStdString(distanceText(step));
    haloText(p, left + QPointF(w / 2 - p.fontMetrics().horizontalAdvance(text) / 2.0, -7), text, theme_.ink,
             theme_.raised);
    if (!hover_ || status_.isEmpty()) return;
    p.setFont(monoFont(8.5));
    const double sw = p.fontMetrics().horizontalAdvance(status_) + 18;
    const QRectF box(width() - sw, height() - 22, sw, 22);
    p.fillRect(box, alpha(theme_.panel, 235));
    p.setPen(theme_.ink);
    p.drawText(box, Qt::AlignCenter, status_);
}

}  // namespace anhinga
