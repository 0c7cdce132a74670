// How the map looks: each layer one function, from the ground up.
#include <QtWidgets>

#include "app/map/MapPens.h"
#include "app/map/MapView.h"
#include "app/widgets/Quantity.h"
#include "core/base/Text.h"
#include "core/geo/Polygon.h"

namespace anhinga {

namespace {

constexpr std::size_t kManyStrokes = 600;
constexpr std::size_t kCrowded = 80;  // items, above which tabs are shown for the selection alone

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

QPolygonF MapView::polygon(const Fence& fence) const {
    return fence.isCircle() ? polygon(circleOutline(fence.outline.front(), fence.radius_m, 72))
                            : polygon(fence.outline);
}

void MapView::paintEvent(QPaintEvent*) {
    const double start = monotonicMs();
    QPainter p(this);
    p.setRenderHint(QPainter::Antialiasing);
    paintStill(p);
    paintPatterns(p);
    paintRoute(p);
    paintRally(p);
    paintRepeatsAndLooks(p);
    paintTracks(p);
    paintPhotos(p);
    paintItems(p);
    paintSorties(p);
    paintAircraft(p);
    paintShape(p);
    paintFrame(p);
    paintFurniture(p);
    layers_.paintLegends(p, view_, theme_);
    if (!(told_.centre == view_.centre) || told_.scale != view_.scale || told_.size != view_.size) {
        told_ = view_;
        QMetaObject::invokeMethod(
            this, [this] { emit viewChanged(told_); }, Qt::QueuedConnection);
    }
    frame_ms_ = monotonicMs() - start;
}

bool MapView::Still::operator==(const Still& o) const {
    const auto same = [](const auto& a, const auto& b) { return a == b; };
    return view.scale == o.view.scale && view.centre == o.view.centre && view.size == o.view.size && night == o.night &&
           ceiling == o.ceiling && floor == o.floor && selected == o.selected && same(fences, o.fences) &&
           same(obstacles, o.obstacles) && same(zones, o.zones) && same(covers, o.covers);
}

/// What stays the same while a route is drawn or dragged, painted once: ground, airspace, fences, obstacles.
void MapView::paintStill(QPainter& p) {
    const Plan& plan = *session_->plan();
    Still now{view_, theme_.night, plan.ceiling_m, plan.floor_m, plan.fences, plan.obstacles, plan.zones, plan.covers,
              {}};
    for (const ItemId id : session_->selection())
        if (plan.findFence(id) != nullptr || plan.findObstacle(id) != nullptr || plan.findZone(id) != nullptr ||
            plan.findCover(id) != nullptr)
            now.selected.insert(id);
    if (still_.isNull() || still_.size() != size() * devicePixelRatioF() || !(now == still_of_)) {
        still_ = QPixmap(size() * devicePixelRatioF());
        still_.setDevicePixelRatio(devicePixelRatioF());
        QPainter s(&still_);
        s.setRenderHint(QPainter::Antialiasing);
        layers_.paint(s, view_, theme_);
        paintAirspace(s);
        paintFences(s);
        paintObstacles(s);
        still_of_ = std::move(now);
    }
    p.drawPixmap(0, 0, still_);
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
    for (const Fence& f : plan.fences) {
        if (f.kind != FenceKind::keepIn) continue;
        QPainterPath outside;  // odd-even: the screen without the inside
        outside.addRect(QRectF(rect()).adjusted(-20, -20, 20, 20));
        outside.addPolygon(polygon(f));
        outside.closeSubpath();
        paintHatch(p, outside, alpha(theme_.plum, 120));
    }
    for (const Fence& f : plan.fences) {
        const QPolygonF outline = polygon(f);
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
            label += inUnits(
                plan.floor_m
                    ? QString(" · %1 to %2 m home").arg(*plan.floor_m, 0, 'f', 0).arg(*plan.ceiling_m, 0, 'f', 0)
                    : QString(" · to %1 m home").arg(*plan.ceiling_m, 0, 'f', 0));
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

void MapView::paintRoute(QPainter& p) {
    if (flown_ && session_->sortie() != 0) {
        QPolygonF whole;
        for (const LinePoint& l : session_->derived()->view.path.line) whole << view_.toScreen(l.position);
        p.setPen(pen(alpha(theme_.ink, 110), 1.4, Qt::DotLine));
        p.drawPolyline(whole);
    }
    const bool few = strokes_ <= kManyStrokes;
    if (!layered() && (few || dragging())) {
        paintRuns(p, true);
        paintRuns(p, false);
        paintChevrons(p);
        return;
    }
    // Of thousands of legs only those at the selection can move under a drag: the others are painted once. A pattern
    // that is not dragged is painted once as a whole.
    const RouteLayer now{view_, theme_.night, overlay_.plan_quiet, layered() ? still_runs_ : runs_made_};
    if (route_.isNull() || route_.size() != size() * devicePixelRatioF() || !(now == route_of_)) {
        route_ = QPixmap(size() * devicePixelRatioF());
        route_.setDevicePixelRatio(devicePixelRatioF());
        route_.fill(Qt::transparent);
        QPainter layer(&route_);
        layer.setRenderHint(QPainter::Antialiasing);
        if (!layered()) paintRuns(layer, true);
        paintRuns(layer, false);
        if (layered()) paintDots(layer);
        route_of_ = now;
    }
    p.drawPixmap(0, 0, route_);
    if (layered()) paintRuns(p, true);
    paintChevrons(p);
}

QPixmap MapView::dot(double size, double radius, double width) const {
    const double ratio = devicePixelRatioF();
    QPixmap dot(static_cast<int>(size * ratio), static_cast<int>(size * ratio));
    dot.setDevicePixelRatio(ratio);
    dot.fill(Qt::transparent);
    QPainter d(&dot);
    d.setRenderHint(QPainter::Antialiasing);
    d.setPen(pen(theme_.ink, width));
    d.setBrush(theme_.raised);
    d.drawEllipse(QPointF(size / 2, size / 2), radius, radius);
    return dot;
}

/// The points of a crowded map, as far as they are not selected.
void MapView::paintDots(QPainter& p) {
    const QPixmap mark = dot(8, 3, 1.2);
    const QRectF screen = QRectF(rect()).adjusted(-8, -8, 8, 8);
    for (const Item& item : session_->plan()->items) {
        if (!hasPosition(item.kind) || session_->isSelected(item.id)) continue;
        const QPointF at = view_.toScreen(item.position);
        if (screen.contains(at)) p.drawPixmap(at - QPointF(4, 4), mark);
    }
}

bool MapView::layered() const {
    return strokes_ > kManyStrokes && session_->plan()->items.size() > kCrowded;
}

bool MapView::RouteLayer::operator==(const RouteLayer& o) const {
    return view.scale == o.view.scale && view.centre == o.view.centre && view.size == o.view.size && night == o.night &&
           quiet == o.quiet && runs == o.runs;
}

void MapView::paintRuns(QPainter& p, bool at_selection) {
    const bool quiet = overlay_.plan_quiet;
    const QColor levels[] = {theme_.lagoon, theme_.marigold, theme_.vermilion, theme_.quiet};
    // Thousands of legs: single strokes with flat ends are several times as quick as one long line with round joints.
    const bool many = layered() || (dragging() && strokes_ > kManyStrokes);
    p.save();
    const Qt::PenCapStyle cap = many ? Qt::FlatCap : Qt::RoundCap;
    const Qt::PenJoinStyle join = many ? Qt::BevelJoin : Qt::RoundJoin;
    const QRectF seen = QRectF(rect()).adjusted(-8, -8, 8, 8);
    std::vector<QPolygonF> lines;
    lines.reserve(runs_.size());
    for (const Run& r : runs_)
        lines.push_back(r.at_selection == at_selection ? onScreen(r.points, many ? 2.0 : 0.7) : QPolygonF());
    const auto visible = [&](const QPolygonF& line) {
        return !line.isEmpty() && line.boundingRect().adjusted(-1, -1, 1, 1).intersects(seen);
    };
    QVector<QLineF> segments;
    const auto stroke = [&](const QPolygonF& line) {
        if (!many || p.pen().style() != Qt::SolidLine) {
            p.drawPolyline(line);
            return;
        }
        segments.clear();
        for (int k = 1; k < line.size(); ++k) segments.append(QLineF(line[k - 1], line[k]));
        p.drawLines(segments);
    };
    if (!quiet) {
        p.setPen(QPen(theme_.night ? QColor("#0c1114") : theme_.ink, 5.2, Qt::SolidLine, cap, join));
        for (std::size_t i = 0; i < lines.size(); ++i)
            if (!runs_[i].repeat && visible(lines[i])) stroke(lines[i]);
    }
    for (std::size_t i = 0; i < lines.size(); ++i) {
        const Run& r = runs_[i];
        if (!visible(lines[i])) continue;
        if (quiet) {
            p.setPen(pen(alpha(theme_.ink, 170), 1.4, Qt::DashLine));
        } else {
            QPen core(levels[std::clamp(r.level, 0, 3)], r.repeat ? 2 : 3, Qt::SolidLine, cap, join);
            if (r.level == 2) core.setDashPattern({2, 1.6});
            if (r.level == 3) core.setDashPattern({0.6, 1.8});
            if (r.level >= 2) core.setCapStyle(Qt::FlatCap);
            p.setPen(core);
        }
        stroke(lines[i]);
    }
    p.restore();
}

void MapView::paintChevrons(QPainter& p) {
    if (overlay_.plan_quiet) return;
    const Path& path = shownView().path;
    const QRectF seen = QRectF(rect()).adjusted(-8, -8, 8, 8);
    p.setPen(pen(theme_.raised, 1.6));
    for (const PathLeg& leg : path.legs) {
        if (leg.climb || leg.line_to <= leg.line_from) continue;
        // A chevron in the middle of what is flown, where there is room for one.
        const LinePoint &first = path.line[leg.line_from], &last = path.line[leg.line_to - 1];
        const double half = (first.along_m + last.along_m) / 2;
        std::size_t k = leg.line_from + 1;
        while (k + 1 < leg.line_to && path.line[k].along_m < half) ++k;
        if (k >= leg.line_to) continue;
        const QLineF l(view_.toScreen(path.line[k - 1].position), view_.toScreen(path.line[k].position));
        const double run_px = (last.along_m - first.along_m) / view_.metresPerPixel();
        if (run_px < 50 || l.length() < 3 || !seen.contains(l.center())) continue;
        const QPointF u = (l.p2() - l.p1()) / l.length(), n(-u.y(), u.x());
        const QPointF tip = l.center() + u * 4;
        p.drawPolyline(QPolygonF({tip - u * 6 + n * 4, tip, tip - u * 6 - n * 4}));
    }
}

QPolygonF MapView::onScreen(const QPolygonF& mercator, double least_px) const {
    QPolygonF line;
    line.reserve(mercator.size());
    for (const QPointF& m : mercator) {
        const QPointF at = view_.toScreen(m);
        if (line.size() > 1 && std::abs(at.x() - line.back().x()) + std::abs(at.y() - line.back().y()) < least_px)
            line.back() = at;
        else
            line << at;
    }
    return line;
}

void MapView::paintObstacles(QPainter& p) {
    const auto label = [&](const Obstacle& o, QPointF at) {
        p.setFont(uiFont(8.5, true));
        const QString name = o.name.empty() ? QString(obstacleText(o.kind)) : QString::fromStdString(o.name);
        haloText(p, at, QString("%1 · %2 m").arg(name).arg(o.height_m, 0, 'f', 0), theme_.vermilion, theme_.raised);
    };
    for (const Obstacle& o : session_->plan()->obstacles) {
        const QPolygonF at = polygon(o.points);
        if (at.isEmpty()) continue;
        const bool selected = session_->isSelected(o.id);
        const double px = 1 / view_.metresPerPixel();
        p.setBrush(alpha(theme_.vermilion, 30));
        const QPen edge = pen(alpha(theme_.vermilion, 170), 1.2, Qt::DotLine),
                   body = pen(theme_.vermilion, selected ? 3.4 : 2.2);
        if (o.kind == ObstacleKind::mast) {
            p.setPen(edge);
            const double reach = (o.radius_m + o.margin_m) * px;
            p.drawEllipse(at[0], reach, reach);
            // A slim upright with its feet: seen from the side, as masts are.
            p.setPen(pen(theme_.raised, 5));
            p.drawLine(at[0], at[0] - QPointF(0, 17));
            p.setPen(body);
            p.drawLine(at[0] - QPointF(5, 0), at[0] + QPointF(5, 0));
            p.drawLine(at[0], at[0] - QPointF(0, 17));
            p.drawLine(at[0] - QPointF(3, 12), at[0] + QPointF(3, -12));
            label(o, at[0] + QPointF(9, -8));
        } else if (o.kind == ObstacleKind::wire) {
            p.setBrush(Qt::NoBrush);
            p.setPen(QPen(alpha(theme_.vermilion, 40), std::max(2.0, 2 * o.margin_m * px), Qt::SolidLine, Qt::RoundCap,
                          Qt::RoundJoin));
            p.drawPolyline(at);
            p.setPen(body);
            p.drawPolyline(at);
            for (const QPointF& support : at) p.drawLine(support - QPointF(0, 5), support + QPointF(0, 5));
            label(o, (at[0] + at[at.size() - 1]) / 2 + QPointF(8, -8));
        } else {
            p.setPen(pen(theme_.vermilion, selected ? 3 : 1.8, Qt::DashDotLine));
            p.drawPolygon(at);
            label(o, at.boundingRect().center() - QPointF(30, 0));
        }
    }
}

void MapView::paintAirspace(QPainter& p) {
    const Plan& plan = *session_->plan();
    p.setFont(uiFont(8.5, true));
    for (const AirspaceCover& c : plan.covers) {
        const QPolygonF at = polygon(c.outline);
        p.setBrush(Qt::NoBrush);
        p.setPen(pen(alpha(theme_.quiet, 200), session_->isSelected(c.id) ? 2.6 : 1.4, Qt::DashDotDotLine));
        p.drawPolygon(at);
        if (!at.isEmpty())
            haloText(p, at[0] + QPointF(6, 14), "airspace data complete inside", theme_.quiet, theme_.raised);
    }
    for (const Zone& z : plan.zones) {
        const QPolygonF at = polygon(z.outline);
        const bool allowed = !z.authorisation.empty();
        const QColor colour = allowed ? theme_.reed : theme_.marigold;
        p.setBrush(alpha(colour, 34));
        p.setPen(pen(colour, session_->isSelected(z.id) ? 3 : 1.8));
        p.drawPolygon(at);
        const QString top = z.ceiling ? inUnits(heightText(*z.ceiling)) : QString("unlimited");
        const QString text = QString("%1 (%2) · %3 to %4%5")
                                 .arg(QString::fromStdString(z.name), QString::fromStdString(z.zone_class),
                                      inUnits(heightText(z.floor)), top, allowed ? " · authorised" : "");
        const QPointF middle = at.boundingRect().center();
        if (at.boundingRect().width() > p.fontMetrics().horizontalAdvance(text) * 0.7)
            haloText(p, middle - QPointF(p.fontMetrics().horizontalAdvance(text) / 2.0, 0), text, theme_.ink,
                     theme_.raised);
    }
}

void MapView::paintRally(QPainter& p) {
    for (const RallyPoint& r : session_->plan()->rally) {
        const QPointF at = view_.toScreen(r.position);
        p.setBrush(theme_.raised);
        p.setPen(pen(theme_.plum, session_->isSelected(r.id) ? 3.2 : 2));
        p.drawPolygon(QPolygonF({at + QPointF(0, -9), at + QPointF(9, 0), at + QPointF(0, 9), at + QPointF(-9, 0)}));
        p.setPen(pen(theme_.plum, 2));
        p.drawLine(at - QPointF(3, 0), at + QPointF(3, 0));
        p.setFont(uiFont(8.5, true));
        haloText(p, at + QPointF(13, 4),
                 QString("rally%1 · %2")
                     .arg(r.name.empty() ? "" : QString::fromStdString(" " + r.name), inUnits(heightText(r.height))),
                 theme_.plum, theme_.raised);
    }
}

void MapView::paintRepeatsAndLooks(QPainter& p) {
    const Plan& plan = *session_->plan();
    const auto middle = [&](const Item& item) {
        return isPattern(item.kind) ? middleOf(item.pattern->outline) : item.position;
    };
    const auto placed = [](const Item& item) { return hasPosition(item.kind) || isPattern(item.kind); };
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
                const QString text = repeatText(r->count);
                p.setFont(uiFont(8.5, true));
                const double w = p.fontMetrics().horizontalAdvance(text) + 14;
                // On the arc where it covers no name; in its middle when there is no such place.
                QPointF at = arc.pointAtPercent(0.5);
                for (const double share : {0.5, 0.4, 0.6, 0.3, 0.7, 0.22, 0.78}) {
                    const QPointF there = arc.pointAtPercent(share);
                    const QRectF box(there.x() - w / 2, there.y() - 10, w, 20);
                    if (std::any_of(look_labels_.begin(), look_labels_.end(),
                                    [&](const QRectF& name) { return name.intersects(box); }))
                        continue;
                    at = there;
                    break;
                }
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
        bool block = false;
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
    const QRectF screen = QRectF(rect()).adjusted(-40, -40, 40, 40);
    const bool crowded = plan.items.size() > kCrowded;
    int count = 0;
    for (const Item& item : plan.items) {
        count += item.kind != ItemKind::takeOff && item.kind != ItemKind::returnHome;
        if (crowded && !session_->isSelected(item.id) && !isPattern(item.kind)) {
            // No tabs then: the dot is all there is to draw.
            if (layered()) continue;  // painted with the route
            if (const QPointF at = view_.toScreen(item.position); hasPosition(item.kind) && screen.contains(at))
                marks.push_back({item.id, at, {}, {}});
            continue;
        }
        const QString number = QString::number(count);
        if (isPattern(item.kind)) {
            const QRectF box = polygon(item.pattern->outline).boundingRect();
            const PatternFlight* flight = session_->derived()->view.route.flightOf(item.id);
            QString rest = kindText(item.kind);
            if (!item.name.empty()) rest += QString::fromStdString(" " + item.name);
            if (flight != nullptr && !flight->problem.empty()) {
                rest += " · nothing to fly";
            } else if (flight != nullptr) {
                if (item.kind == ItemKind::block) rest += QString(" · %1 ha").arg(flight->area_m2 / 1e4, 0, 'f', 1);
                if (!flight->photos.empty())
                    rest += QString(" · %1 photos · %2 cm")
                                .arg(flight->photos.size())
                                .arg(flight->gsd_mean_m * 100, 0, 'f', 1);
            }
            marks.push_back({item.id, QPointF(box.center().x(), box.top()), number, rest, true});
        } else if (hasPosition(item.kind)) {
            QString rest = inUnits(heightText(effectiveHeight(plan, item)));
            if (item.kind == ItemKind::hold)
                rest = QString("hold %1 s · ").arg(effectiveHold_s(plan, item), 0, 'f', 0) + rest;
            if (item.kind == ItemKind::land) rest = "land";
            if (item.kind == ItemKind::holdTurns)
                rest = QString("circle ×%1 · ").arg(std::abs(item.turns), 0, 'g', 3) + rest;
            if (item.kind == ItemKind::loiterToHeight) rest = "up or down to " + rest;
            if (item.spline) rest = "curve · " + rest;
            marks.push_back({item.id, view_.toScreen(item.position), number, rest});
        }
    }
    if (!crowded)
        for (const Mark& m : marks) taken.push_back(QRectF(m.dot - QPointF(6, 6), QSizeF(12, 12)));
    for (const QObject* child : children())
        if (const auto* w = qobject_cast<const QWidget*>(child); w != nullptr && w->isVisible())
            taken.push_back(w->geometry());
    taken.insert(taken.end(), look_labels_.begin(), look_labels_.end());
    const double size = crowded ? 8 : 16;
    const QPixmap mark = dot(size, crowded ? 3 : 5, crowded ? 1.2 : 1.8);
    for (const Mark& m : marks) {
        if (!screen.contains(m.dot)) continue;
        const bool selected = session_->isSelected(m.id);
        const bool block = m.block;
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
            // No room: the dot alone says more than tabs over tabs. What is selected is always named.
            if (best_overlap > 0.25 * w * h && !selected) {
                if (!block) p.drawPixmap(m.dot - QPointF(size / 2, size / 2), mark);
                continue;
            }
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
            p.drawPixmap(m.dot - QPointF(size / 2, size / 2), mark);
            continue;
        }
        p.setPen(pen(theme_.lagoon, 3));
        p.setBrush(theme_.raised);
        p.drawEllipse(m.dot, 6.5, 6.5);
    }
    if (!editable_) return;
    for (const ItemId id : session_->selection()) {
        for (const std::vector<GeoPoint>* ring : ringsOf(plan, id)) {
            const QPolygonF corners = polygon(*ring);
            for (int i = 0; i < corners.size(); ++i) {
                p.setPen(pen(theme_.ink, 1.4));
                p.setBrush(theme_.raised);
                p.drawRect(QRectF(corners[i] - QPointF(4.5, 4.5), QSizeF(9, 9)));
                if (i + 1 == corners.size() && outlineIsLine(plan, id)) continue;
                const QLineF edge(corners[i], corners[(i + 1) % corners.size()]);
                if (edge.length() <= 40) continue;
                p.setBrush(alpha(theme_.raised, 180));
                p.drawEllipse(edge.center(), 3.2, 3.2);
            }
        }
    }
}

void MapView::paintTracks(QPainter& p) {
    if (overlay_.beside_track.size() > 1) {
        QPolygonF line;
        for (const GeoPoint& g : overlay_.beside_track) {
            const QPointF at = view_.toScreen(g);
            if (line.isEmpty() || std::abs(at.x() - line.back().x()) + std::abs(at.y() - line.back().y()) > 2)
                line << at;
        }
        p.setPen(pen(alpha(theme_.raised, 200), 4.5));
        p.drawPolyline(line);
        p.setPen(pen(theme_.ink, 2, Qt::DashLine));
        p.drawPolyline(line);
    }
    if (overlay_.track.size() > 1) {
        // Stretches of one colour, each beginning where the one before ends.
        std::vector<std::pair<QColor, QPolygonF>> stretches;
        for (std::size_t i = 0; i < overlay_.track.size(); ++i) {
            const QPointF at = view_.toScreen(overlay_.track[i]);
            const QColor colour = overlay_.colours.at(i, theme_.reed);
            if (stretches.empty() || stretches.back().first != colour) {
                QPolygonF begin;
                if (!stretches.empty()) {
                    stretches.back().second << at;
                    begin << at;
                }
                stretches.emplace_back(colour, begin);
            }
            QPolygonF& line = stretches.back().second;
            if (line.isEmpty() || std::abs(at.x() - line.back().x()) + std::abs(at.y() - line.back().y()) > 0.7)
                line << at;
        }
        p.setPen(pen(alpha(theme_.raised, 200), 5.5));
        for (const auto& [colour, line] : stretches) p.drawPolyline(line);
        for (const auto& [colour, line] : stretches) {
            p.setPen(pen(colour, 3));
            p.drawPolyline(line);
        }
    }
    if (overlay_.flash.size() > 2) {
        p.setPen(pen(theme_.lagoon, 2.5));
        p.setBrush(alpha(theme_.lagoon, 60));
        p.drawPolygon(polygon(overlay_.flash));
    }
    p.setPen(pen(theme_.ink, 1));
    p.setBrush(theme_.raised);
    for (const GeoPoint& g : overlay_.photos) {
        const QPointF at = view_.toScreen(g);
        if (rect().contains(at.toPoint())) p.drawRect(QRectF(at - QPointF(2, 2), QSizeF(4, 4)));
    }
    // Planned and not taken: a cross, on paper, so that it is seen over any ground.
    for (const GeoPoint& g : overlay_.missed) {
        const QPointF at = view_.toScreen(g);
        if (!rect().contains(at.toPoint())) continue;
        for (const auto& [colour, width] : {std::pair(theme_.raised, 4.0), std::pair(theme_.vermilion, 2.0)}) {
            p.setPen(pen(colour, width));
            p.drawLine(at + QPointF(-4, -4), at + QPointF(4, 4));
            p.drawLine(at + QPointF(-4, 4), at + QPointF(4, -4));
        }
    }
}

/// What the colours of the track mean, where there is more than one.
void MapView::paintTrackLegend(QPainter& p) const {
    const TrackColours& colours = overlay_.colours;
    if (overlay_.track.size() < 2 || colours.classes.size() < 2) return;
    constexpr int kRow = 17, kMostRows = 10;
    p.setFont(uiFont(8.5));
    const int rows = std::min<int>(kMostRows, static_cast<int>(colours.classes.size()));
    double widest = p.fontMetrics().horizontalAdvance(colours.title);
    for (int i = 0; i < rows; ++i)
        widest = std::max<double>(
            widest, 26 + p.fontMetrics().horizontalAdvance(colours.classes[static_cast<std::size_t>(i)].text));
    const QRectF box(width() - widest - 32, height() - 34 - kRow * (rows + 1) - 10, widest + 20, kRow * (rows + 1) + 8);
    p.setPen(pen(theme_.hairline(), 1));
    p.setBrush(alpha(theme_.panel, 235));
    p.drawRoundedRect(box, 4, 4);
    p.setPen(theme_.quiet);
    double y = box.top() + 4;
    p.drawText(QRectF(box.left() + 10, y, widest, kRow), Qt::AlignVCenter, colours.title);
    for (int i = 0; i < rows; ++i) {
        y += kRow;
        const auto& c = colours.classes[static_cast<std::size_t>(i)];
        p.setPen(pen(c.colour, 4));
        p.drawLine(QPointF(box.left() + 10, y + kRow / 2.0), QPointF(box.left() + 28, y + kRow / 2.0));
        p.setPen(theme_.ink);
        p.drawText(QRectF(box.left() + 36, y, widest, kRow), Qt::AlignVCenter, c.text);
    }
}

void MapView::paintAircraft(QPainter& p) {
    if (cursor_) {
        const QPointF at = view_.toScreen(*cursor_);
        p.setBrush(Qt::NoBrush);
        p.setPen(pen(theme_.raised, 5));
        p.drawEllipse(at, 9, 9);
        p.setPen(pen(theme_.fuchsia, 2.6));
        p.drawEllipse(at, 9, 9);
    }
    const auto dart = [&](const QColor& fill, double edge) {
        const QPolygonF shape({QPointF(0, -17), QPointF(9, 12), QPointF(0, 6), QPointF(-9, 12)});
        p.setPen(pen(theme_.raised, 5));
        p.setBrush(fill);
        p.drawPolygon(shape);
        p.setPen(pen(theme_.ink, edge));
        p.drawPolygon(shape);
    };
    if (overlay_.beside) {  // hollow: it is not the one that is open
        p.save();
        p.translate(view_.toScreen(overlay_.beside->place));
        p.rotate(overlay_.beside->heading_deg);
        dart(theme_.raised, 2);
        p.restore();
    }
    if (overlay_.aircraft) {
        const auto& a = *overlay_.aircraft;
        p.save();
        p.translate(view_.toScreen(a.place));
        if (a.course_deg) {
            p.save();
            p.rotate(*a.course_deg);
            p.setPen(pen(theme_.lagoon, 1.6, Qt::DashLine));
            p.drawLine(QPointF(0, 0), QPointF(0, -70));
            p.restore();
        }
        p.rotate(a.heading_deg);
        p.setPen(pen(theme_.ink, 1.4));
        p.drawLine(QPointF(0, -14), QPointF(0, -46));
        dart(theme_.ink, 1);
        p.restore();
    }
}

void MapView::paintFurniture(QPainter& p) {
    // A round number in the unit shown.
    const double wanted_m = view_.metresPerPixel() * 140;
    const UnitChoice& unit = unitOf(UnitKind::distance);
    const double unit_m = wanted_m >= unit.long_from ? unit.long_si : unit.si;
    const double step = metresStep(wanted_m / unit_m) * unit_m;
    const double w = step / view_.metresPerPixel();
    const QPointF left(14, height() - 16);
    p.setPen(pen(alpha(theme_.raised, 190), 5));
    p.drawPolyline(QPolygonF({left - QPointF(0, 6), left, left + QPointF(w, 0), left + QPointF(w, -6)}));
    p.setPen(pen(theme_.ink, 2));
    p.drawPolyline(QPolygonF({left - QPointF(0, 6), left, left + QPointF(w, 0), left + QPointF(w, -6)}));
    p.setFont(uiFont(8.5));
    const QString text = num(step / unit_m, 3) + " " + (unit_m == unit.long_si ? unit.long_name : unit.name);
    haloText(p, left + QPointF(w / 2 - p.fontMetrics().horizontalAdvance(text) / 2.0, -7), text, theme_.ink,
             theme_.raised);
    if (const QString credit = layers_.attribution(); !credit.isEmpty()) {
        p.setFont(uiFont(7.5));
        haloText(p, left + QPointF(0, -26), credit, theme_.ink, theme_.raised);
    }
    paintTrackLegend(p);
    if (!hover_ || status_.isEmpty()) return;
    p.setFont(monoFont(8.5));
    const double sw = p.fontMetrics().horizontalAdvance(status_) + 18;
    const QRectF box(width() - sw, height() - 22, sw, 22);
    p.fillRect(box, alpha(theme_.panel, 235));
    p.setPen(theme_.ink);
    p.drawText(box, Qt::AlignCenter, status_);
}

}  // namespace anhinga
