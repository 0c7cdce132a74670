#include "app/band/Band.h"

#include <QtWidgets>

#include "app/widgets/Quantity.h"
#include "app/widgets/TrackColours.h"
#include "core/base/Text.h"

namespace anhinga {

namespace {

double niceStep(double span, int most) {
    const double raw = std::max(1e-9, span / most), power = std::pow(10, std::floor(std::log10(raw)));
    for (const double k : {1.0, 2.0, 2.5, 5.0})
        if (k * power >= raw) return k * power;
    return 10 * power;
}

QColor faint(QColor c, int alpha) {
    c.setAlpha(alpha);
    return c;
}

}  // namespace

void BandFrame::paintAxes(QPainter& p, const QString& y_title, double y_unit) {
    p.fillRect(rect(), theme_.panel);
    p.setFont(monoFont(8));
    const double step = niceStep((y1_ - y0_) / y_unit, std::max(2, static_cast<int>(plot().height() / 26)));
    for (double k = std::ceil(y0_ / y_unit / step) * step; k * y_unit <= y1_ + 1e-9; k += step) {
        const double v = k * y_unit;
        p.setPen(QPen(theme_.hairline(), 1, Qt::DotLine));
        p.drawLine(QPointF(plot().left(), toY(v)), QPointF(plot().right(), toY(v)));
        p.setPen(theme_.quiet);
        p.drawText(QRectF(0, toY(v) - 8, plot().left() - 6, 16), Qt::AlignRight | Qt::AlignVCenter,
                   QString::number(k, 'f', step < 1 ? 1 : 0));
    }
    p.setPen(theme_.quiet);
    p.drawText(QPointF(8, 14), y_title);
}

void BandFrame::paintNote(QPainter& p, double x, const QStringList& lines, const QColor& edge, bool at_bottom) {
    p.setFont(uiFont(8.5));
    double w = 0;
    for (const QString& l : lines) w = std::max(w, static_cast<double>(p.fontMetrics().horizontalAdvance(l)));
    const double h = 16.0 * static_cast<double>(lines.size()) + 8;
    double left = x + 10;
    if (left + w + 16 > width()) left = x - w - 26;
    const QRectF box(left, at_bottom ? plot().bottom() - h - 3 : plot().top() + 3, w + 16, h);
    p.setPen(QPen(edge, 1.4));
    p.setBrush(theme_.raised);
    p.drawRoundedRect(box, 3, 3);
    p.setPen(theme_.ink);
    for (int i = 0; i < lines.size(); ++i) p.drawText(QPointF(box.left() + 8, box.top() + 16 + 16.0 * i), lines[i]);
}

// ---- profile

ProfileBand::ProfileBand(PlanSession* session, QWidget* parent) : BandFrame(parent), session_(session) {
    setObjectName("profile");
    connect(session_, &PlanSession::derivedChanged, this, &ProfileBand::rebuild);
    connect(session_, &PlanSession::selectionChanged, this, [this] { update(); });
}

void ProfileBand::rebuild() {
    const Derived& d = *session_->derived();
    if (dragged_ == 0) {  // the scale stays put under a drag
        y0_ = 0;
        y1_ = 10;
        bool first = true;
        for (const ProfileSample& s : d.view.clearance.profile)
            for (const auto& v : {s.amsl_m, s.ground_m})
                if (v) {
                    y0_ = first ? *v : std::min(y0_, *v);
                    y1_ = first ? *v + 10 : std::max(y1_, *v);
                    first = false;
                }
        y0_ = std::floor(y0_ / 10) * 10;
        y1_ = std::ceil((y1_ + 0.12 * (y1_ - y0_)) / 10) * 10;
    }
    x0_ = 0;
    x1_ = std::max(1.0, d.view.path.length_m);
    update();
}

const ProfileSample* ProfileBand::sampleAt(double along_m) const {
    const auto& profile = session_->derived()->view.clearance.profile;
    const auto at = std::lower_bound(profile.begin(), profile.end(), along_m,
                                     [](const ProfileSample& s, double v) { return s.along_m < v; });
    if (profile.empty()) return nullptr;
    return at == profile.end() ? &profile.back() : &*at;
}

ItemId ProfileBand::pointAt(QPointF at) const {
    const Derived& d = *session_->derived();
    for (const PathPoint& pt : d.view.path.points) {
        if (!pt.amsl_m || pt.on_the_way || std::abs(toX(pt.along_m) - at.x()) > 9) continue;
        const Item* item = d.plan->find(pt.source);
        if (item == nullptr || (!hasPosition(item->kind) && item->kind != ItemKind::takeOff)) continue;
        if (std::hypot(toX(pt.along_m) - at.x(), toY(*pt.amsl_m) - at.y()) < 9) return item->id;
    }
    return 0;
}

QPointF ProfileBand::screenPointOf(ItemId item) const {
    for (const PathPoint& pt : session_->derived()->view.path.points)
        if (pt.source == item && pt.amsl_m && !pt.on_the_way) return {toX(pt.along_m), toY(*pt.amsl_m)};
    return {-1, -1};
}

void ProfileBand::paintEvent(QPaintEvent*) {
    QPainter p(this);
    p.setRenderHint(QPainter::Antialiasing);
    const UnitChoice& height_unit = unitOf(UnitKind::height);
    paintAxes(p, QString(height_unit.name) + " AMSL", height_unit.si);
    const Derived& d = *session_->derived();
    const auto& profile = d.view.clearance.profile;
    p.setFont(monoFont(8));
    p.setPen(theme_.quiet);
    p.drawText(QPointF(plot().left(), height() - 8), inUnits(QString("0 m"), UnitKind::distance));
    p.drawText(QRectF(plot().right() - 100, height() - 22, 100, 16), Qt::AlignRight,
               inUnits(distanceText(d.view.path.length_m), UnitKind::distance));
    if (profile.empty()) {
        p.setFont(uiFont(9.5));
        p.drawText(plot(), Qt::AlignCenter, "The height profile appears here once the route has a leg");
        return;
    }
    p.setClipRect(plot().adjusted(-8, -20, 8, 2));
    // Patterns as a tinted stretch with their name.
    for (const Item& item : d.plan->items) {
        if (!isPattern(item.kind)) continue;
        double from = INFINITY, to = -INFINITY;
        for (const PathPoint& pt : d.view.path.points)
            if (pt.source == item.id && !pt.on_the_way) {
                from = std::min(from, pt.along_m);
                to = std::max(to, pt.along_m);
            }
        if (!(to > from)) continue;
        const QRectF span(QPointF(toX(from), plot().top() - 14), QPointF(toX(to), plot().bottom()));
        p.fillRect(span, faint(theme_.reed, 38));
        p.setPen(theme_.quiet);
        p.setFont(uiFont(8));
        p.drawText(span.adjusted(4, 1, -4, 0), Qt::AlignTop | Qt::AlignHCenter,
                   QString("%1 %2").arg(itemNumber(*d.plan, item.id)).arg(kindText(item.kind)));
    }
    // At most a few samples a pixel are drawn: the highest ground, the lowest route, so that nothing dangerous is lost.
    struct Column {
        double x = 0;
        std::optional<double> ground, obstacle, amsl;
        int level = 3;  // 0 clear, 1 margin, 2 below the minimum, 3 unknown, 4 climb
        bool unknown = false;
    };
    std::vector<Column> columns;
    columns.reserve(static_cast<std::size_t>(plot().width()) * 2 + 16);
    const auto levelOf = [&](const ProfileSample& s) {
        if (d.view.path.legs[s.leg].climb) return 4;
        const auto c = s.clearance();
        return !c ? 3 : *c < d.plan->clearance_min_m ? 2 : *c < d.plan->clearance_margin_m ? 1 : 0;
    };
    const double kStep_px = profile.size() > 4000 ? 1.6 : 0.8;
    for (const ProfileSample& s : profile) {
        const double x = toX(s.along_m);
        const int level = levelOf(s);
        if (columns.empty() || x - columns.back().x > kStep_px || level == 4 || columns.back().level == 4) {
            columns.push_back({x, s.ground_m, s.obstacle_m, s.amsl_m, level, !s.ground_m || s.obstacle_unknown});
            continue;
        }
        Column& c = columns.back();
        if (s.ground_m && (!c.ground || *s.ground_m > *c.ground)) c.ground = s.ground_m;
        if (s.obstacle_m && (!c.obstacle || *s.obstacle_m > *c.obstacle)) c.obstacle = s.obstacle_m;
        if (s.amsl_m && (!c.amsl || *s.amsl_m < *c.amsl)) c.amsl = s.amsl_m;
        c.unknown |= !s.ground_m || s.obstacle_unknown;
        if (level != 3 && c.level != 3) c.level = std::max(c.level, level);
        if (level == 3 && c.level < 2) c.level = 3;
    }
    // Terrain: known stretches filled, unknown ones cross-hatched to the top.
    const QColor earth = theme_.night ? QColor("#5b5345") : QColor("#b9ab8e");
    QPolygonF land;
    const auto flush = [&] {
        if (land.size() > 1) {
            QPolygonF fill = land;
            fill << QPointF(land.back().x(), plot().bottom()) << QPointF(land.front().x(), plot().bottom());
            // The edge is drawn over, so that the fill needs no smoothing.
            p.setRenderHint(QPainter::Antialiasing, false);
            p.setPen(Qt::NoPen);
            p.setBrush(earth);
            p.drawPolygon(fill);
            p.setRenderHint(QPainter::Antialiasing);
            p.setPen(QPen(theme_.quiet, 1.2, Qt::SolidLine, Qt::FlatCap));
            QVector<QLineF> edge;
            for (int k = 1; k < land.size(); ++k) edge.append(QLineF(land[k - 1], land[k]));
            p.drawLines(edge);
        }
        land.clear();
    };
    double unknown_from = -1;
    for (std::size_t i = 0; i <= columns.size(); ++i) {
        const bool unknown = i < columns.size() && !columns[i].ground;
        if (unknown && unknown_from < 0) unknown_from = columns[i].x;
        if (!unknown && unknown_from >= 0) {
            const double to = i < columns.size() ? columns[i].x : columns.back().x;
            const QRectF gap(unknown_from, plot().top(), std::max(2.0, to - unknown_from), plot().height());
            p.fillRect(gap, QBrush(faint(theme_.quiet, 120), Qt::BDiagPattern));
            if (gap.width() > 90) {
                p.setFont(uiFont(8.5, true));
                p.setPen(theme_.ink);
                p.drawText(gap, Qt::AlignCenter, "terrain unknown");
            }
            unknown_from = -1;
        }
        if (i == columns.size()) break;
        if (columns[i].ground)
            land << QPointF(columns[i].x, toY(*columns[i].ground));
        else
            flush();
    }
    flush();
    // Obstacles that reach the route, as solid as the ground they stand on.
    p.setPen(Qt::NoPen);
    p.setBrush(faint(theme_.vermilion, 120));
    for (std::size_t i = 0; i < columns.size(); ++i) {
        const Column& c = columns[i];
        if (!c.obstacle || !c.ground) continue;
        const double next = i + 1 < columns.size() ? columns[i + 1].x : c.x + 2;
        p.drawRect(QRectF(QPointF(c.x - 1, toY(*c.obstacle)), QPointF(std::max(c.x + 2, next), toY(*c.ground))));
    }
    // Margin above the ground, then the route with its clearance colour.
    QPolygonF margin;
    for (const Column& c : columns)
        if (c.ground)
            margin << QPointF(c.x,
                              toY(std::max(*c.ground, c.obstacle.value_or(*c.ground)) + d.plan->clearance_margin_m));
    // Dashes by hand: a dashed pen along a thousand corners costs more than everything else here.
    p.setPen(QPen(theme_.marigold, 1));
    QVector<QLineF> dashes;
    double run_px = 0;
    for (int i = 1; i < margin.size(); ++i) {
        run_px += margin[i].x() - margin[i - 1].x();
        if (std::fmod(run_px, 9) < 5.5) dashes.append(QLineF(margin[i - 1], margin[i]));
    }
    p.drawLines(dashes);
    const QColor levels[] = {theme_.lagoon, theme_.marigold, theme_.vermilion, theme_.quiet, theme_.quiet};
    QPolygonF run;
    int run_level = -1;
    const auto draw = [&] {
        if (run.size() > 1) {
            const bool faintly = run_level >= 3;
            p.setPen(QPen(levels[run_level], run_level == 4 ? 1.2 : 2.6, faintly ? Qt::DotLine : Qt::SolidLine,
                          Qt::FlatCap));
            if (run.size() > 300 && !faintly) {
                QVector<QLineF> lines;
                for (int k = 1; k < run.size(); ++k) lines.append(QLineF(run[k - 1], run[k]));
                p.drawLines(lines);
            } else {
                p.drawPolyline(run);
            }
        }
        run.clear();
    };
    for (std::size_t i = 0; i < columns.size(); ++i) {
        const Column& c = columns[i];
        if (!c.amsl) {
            draw();
            run_level = -1;
            continue;
        }
        if (c.level != run_level) {
            const QPointF last = run.isEmpty() ? QPointF() : run.back();
            const bool joins = !run.isEmpty();
            draw();
            run_level = c.level;
            if (joins) run << last;
        }
        run << QPointF(c.x, toY(*c.amsl));
    }
    draw();
    ItemId last = 0;
    double last_x = -100;
    const ItemIndex index = indexItems(*d.plan);
    const std::vector<int> numbers = itemNumbers(*d.plan);
    const bool many = d.plan->items.size() > 400;
    for (const PathPoint& pt : d.view.path.points) {
        const auto found = index.find(pt.source);
        const Item* item = found == index.end() ? nullptr : &d.plan->items[found->second];
        if (!pt.amsl_m || (item != nullptr && (isPattern(item->kind) || item->kind == ItemKind::returnHome)) ||
            pt.source == last || pt.on_the_way)
            continue;
        last = pt.source;
        const QPointF at(toX(pt.along_m), toY(*pt.amsl_m));
        const bool selected = session_->isSelected(pt.source);
        if (many && !selected && at.x() - last_x < 4) continue;  // dots on dots say nothing
        if (many) last_x = at.x();
        if (many && !selected) {
            p.fillRect(QRectF(at - QPointF(1.5, 1.5), QSizeF(3, 3)), theme_.ink);
        } else {
            p.setPen(QPen(selected ? theme_.lagoon : theme_.ink, selected ? 3 : 1.6));
            p.setBrush(theme_.raised);
            p.drawEllipse(at, 5, 5);
        }
        const int number = found == index.end() ? 0 : numbers[found->second];
        const QString label = pt.source == kHomeId ? "home" : number > 0 ? QString::number(number) : QString();
        if (label.isEmpty() || (many && !selected) || (!many && at.x() - last_x < 20)) continue;
        last_x = at.x();
        p.setPen(theme_.ink);
        p.setFont(uiFont(8.5, true));
        if (pt.source == kHomeId)
            p.drawText(QRectF(at.x() + 9, at.y() - 9, 60, 16), Qt::AlignLeft | Qt::AlignVCenter, label);
        else
            p.drawText(QRectF(at.x() - 24, at.y() - 22, 48, 16), Qt::AlignCenter, label);
    }
    p.setClipping(false);
    if (cursor_m_) {
        if (const ProfileSample* s = sampleAt(*cursor_m_)) {
            const double x = toX(*cursor_m_);
            p.setPen(QPen(theme_.fuchsia, 2));
            p.drawLine(QPointF(x, plot().top() - 16), QPointF(x, plot().bottom()));
            QStringList lines{
                inUnits(distanceText(*cursor_m_) + (s->amsl_m ? fmt::format(" · {:.0f} m AMSL", *s->amsl_m) : ""),
                        UnitKind::distance)};
            lines << inUnits(s->clearance() ? QString("%1 m over ground").arg(*s->clearance(), 0, 'f', 0)
                                            : QString("ground unknown"));
            paintNote(p, x, lines, theme_.fuchsia, s->amsl_m && toY(*s->amsl_m) < plot().center().y());
        }
    }
}

void ProfileBand::setCursorPlace(std::optional<GeoPoint> place) {
    std::optional<double> found;
    if (place) {
        double nearest = 60;  // metres from the route within which map and band belong together
        const LocalFrame frame(*place);
        for (const ProfileSample& s : session_->derived()->view.clearance.profile) {
            const double d = length(frame.toLocal(s.place));
            if (d < nearest) {
                nearest = d;
                found = s.along_m;
            }
        }
    }
    if (found == cursor_m_) return;
    cursor_m_ = found;
    update();
}

void ProfileBand::mousePressEvent(QMouseEvent* e) {
    if (e->button() != Qt::LeftButton) return;
    dragged_ = pointAt(e->position());
    ++drag_number_;
    grabbed_.reset();
    if (dragged_ == 0) return;
    auto selection = session_->selection();
    if ((e->modifiers() & Qt::ControlModifier) != 0)
        selection.insert(dragged_);
    else if (!selection.contains(dragged_))
        selection = {dragged_};
    session_->select(selection);
    const Item* item = session_->plan()->find(dragged_);
    if (item != nullptr) grabbed_ = amslOfItem(*session_->plan(), *item);
}

std::optional<double> ProfileBand::amslOfItem(const Plan& plan, const Item& item) const {
    const GeoPoint place = hasPosition(item.kind) ? item.position : plan.home ? plan.home->position : GeoPoint{};
    return amslOf(plan, session_->terrain().get(), place, effectiveHeight(plan, item));
}

void ProfileBand::mouseMoveEvent(QMouseEvent* e) {
    const double along = std::clamp(fromX(e->position().x()), x0_, x1_);
    if (dragged_ != 0 && grabbed_) {
        // The grabbed point goes to the pointer; everything else selected goes by the same step.
        const double step = std::round(fromY(e->position().y())) - std::round(*grabbed_);
        if (step != 0)
            session_->edit(
                session_->selection().size() > 1 ? "Change heights" : "Change height",
                [&](Plan& plan) {
                    for (const ItemId id : session_->selection()) {
                        Item* item = plan.find(id);
                        if (item == nullptr || item->kind == ItemKind::returnHome) continue;
                        Height h = effectiveHeight(plan, *item);
                        h.value_m = std::round(h.value_m + step);
                        item->height = h;
                    }
                },
                drag_number_);
        *grabbed_ = std::round(*grabbed_) + step;
    } else {
        setCursor(pointAt(e->position()) != 0 ? Qt::SizeVerCursor : Qt::ArrowCursor);
    }
    cursor_m_ = along;
    if (const ProfileSample* s = sampleAt(along)) emit hovered(s->place);
    update();
}

void ProfileBand::mouseReleaseEvent(QMouseEvent*) {
    dragged_ = 0;
    grabbed_.reset();
    session_->endMerge();
    rebuild();
}

void ProfileBand::mouseDoubleClickEvent(QMouseEvent* e) {
    if (pointAt(e->position()) != 0 || !session_->upToDate()) return;
    const ProfileSample* s = sampleAt(fromX(e->position().x()));
    if (s == nullptr || !s->amsl_m) return;
    const PathLeg& leg = session_->derived()->view.path.legs[s->leg];
    const ItemId before = leg.source;
    if (leg.climb || leg.way_home || session_->derived()->view.path.points[leg.from].source == before) return;
    ItemId made = 0;
    session_->edit("Insert waypoint", [&](Plan& plan) {
        Item item;
        item.id = made = plan.newId();
        item.position = s->place;
        const HeightRef ref = plan.defaults.height.ref;
        if (const auto h = converted(plan, session_->terrain().get(), s->place, Height::amsl(*s->amsl_m), ref))
            item.height = Height{std::round(h->value_m), ref};
        plan.items.insert(plan.items.begin() + plan.indexOf(before), item);
    });
    session_->select({made});
}

void ProfileBand::leaveEvent(QEvent*) {
    cursor_m_.reset();
    emit hovered(std::nullopt);
    update();
}

// ---- time

TimeBand::TimeBand(QWidget* parent) : BandFrame(parent) {
    setObjectName("timeband");
}

void TimeBand::setLines(std::vector<TimeLine> lines, double duration_s) {
    lines_ = std::move(lines);
    for (TimeLine& l : lines_) {
        if (l.unit != "m" && l.unit != "m/s") continue;
        const UnitChoice& unit = unitOf(l.unit == "m" ? UnitKind::height : UnitKind::speed);
        for (double& v : l.value) v /= unit.si;
        l.unit = unit.name;
    }
    x0_ = 0;
    x1_ = std::max(1.0, duration_s);
    y0_ = 0;
    y1_ = 10;
    for (const TimeLine& l : lines_)
        if (!l.right)
            for (const double v : l.value)
                if (std::isfinite(v)) {
                    y0_ = std::min(y0_, v);
                    y1_ = std::max(y1_, v);
                }
    y1_ += 0.1 * (y1_ - y0_);
    update();
}

void TimeBand::setModes(std::vector<std::pair<double, QString>> modes, double until_s) {
    modes_until_s_ = until_s;
    modes_ = std::move(modes);
    update();
}

void TimeBand::setPlayHead(std::optional<double> t_s) {
    head_s_ = t_s;
    update();
}

void TimeBand::paintEvent(QPaintEvent*) {
    QPainter p(this);
    p.setRenderHint(QPainter::Antialiasing);
    paintAxes(p, unitOf(UnitKind::height).name, 1);
    if (lines_.empty()) {
        p.setPen(theme_.quiet);
        p.setFont(uiFont(9.5));
        p.drawText(plot(), Qt::AlignCenter, "Nothing flown yet");
        return;
    }
    p.setFont(uiFont(8));
    for (std::size_t i = 0; i < modes_.size(); ++i) {
        const double from = std::max(0.0, modes_[i].first),
                     to = i + 1 < modes_.size() ? modes_[i + 1].first : std::min(x1_, modes_until_s_);
        const QRectF span(QPointF(toX(from), plot().top()), QPointF(toX(std::min(to, x1_)), plot().bottom()));
        p.fillRect(span, faint(modeColour(modes_[i].second, theme_), 34));
        if (span.width() > p.fontMetrics().horizontalAdvance(modes_[i].second) + 8) {
            p.setPen(theme_.quiet);
            p.drawText(span.adjusted(4, 2, 0, 0), modes_[i].second);
        }
    }
    p.setPen(theme_.quiet);
    p.setFont(monoFont(8));
    const double step = std::max(10.0, niceStep(x1_ / 60, 8) * 60);
    for (double t = 0; t <= x1_; t += step)
        p.drawText(QRectF(toX(t) - 40, height() - 22, 80, 16), Qt::AlignHCenter,
                   step < 60 ? QString("%1 s").arg(t)
                             : QString("%1 min").arg(t / 60, 0, 'f', step < 120 && std::fmod(step, 60) != 0 ? 1 : 0));
    for (const double v : {0.0, 50.0, 100.0})
        p.drawText(QRectF(plot().right() + 6, plot().bottom() - v / 100 * plot().height() - 8, 50, 16),
                   Qt::AlignLeft | Qt::AlignVCenter, QString("%1 %").arg(v));
    double legend = plot().left() + 6;
    for (const TimeLine& l : lines_) {
        p.setPen(QPen(l.colour, l.dashed ? 1.4 : 2.2, l.dashed ? Qt::DashLine : Qt::SolidLine));
        QPolygonF line;
        // At most a few points a pixel: long flights are thinned, extremes are kept.
        const std::size_t stride =
            std::max<std::size_t>(1, l.t_s.size() / static_cast<std::size_t>(plot().width() * 3 + 1));
        for (std::size_t i = 0; i < l.t_s.size(); i += stride) {
            const double y = l.right ? plot().bottom() - l.value[i] / 100 * plot().height() : toY(l.value[i]);
            line << QPointF(toX(l.t_s[i]), y);
        }
        p.drawPolyline(line);
        const QString name = l.name + " " + l.unit + (l.right ? " →" : "");
        p.setFont(uiFont(8.5, true));
        p.drawText(QPointF(legend, plot().top() - 6), name);
        legend += p.fontMetrics().horizontalAdvance(name) + 18;
    }
    const auto mark = hover_s_ ? hover_s_ : head_s_;
    if (head_s_) {
        p.setPen(QPen(theme_.fuchsia, 2));
        p.drawLine(QPointF(toX(*head_s_), plot().top() - 2), QPointF(toX(*head_s_), plot().bottom()));
    }
    if (!mark) return;
    QStringList lines{QString::fromStdString(durationText(*mark))};
    for (const TimeLine& l : lines_) {
        const auto after = std::upper_bound(l.t_s.begin(), l.t_s.end(), *mark);
        if (after != l.t_s.begin())
            lines << QString("%1 %2 %3")
                         .arg(l.name)
                         .arg(l.value[static_cast<std::size_t>(after - l.t_s.begin()) - 1], 0, 'f', 0)
                         .arg(l.unit);
    }
    paintNote(p, toX(*mark), lines, theme_.fuchsia);
}

void TimeBand::mousePressEvent(QMouseEvent* e) {
    emit scrubbed(std::clamp(fromX(e->position().x()), x0_, x1_));
}

void TimeBand::mouseMoveEvent(QMouseEvent* e) {
    hover_s_ = std::clamp(fromX(e->position().x()), x0_, x1_);
    if ((e->buttons() & Qt::LeftButton) != 0) emit scrubbed(*hover_s_);
    update();
}

void TimeBand::leaveEvent(QEvent*) {
    hover_s_.reset();
    update();
}

}  // namespace anhinga
