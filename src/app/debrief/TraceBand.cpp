#include "app/debrief/TraceBand.h"

#include <QtWidgets>
#include <array>
#include <cmath>

#include "app/widgets/TrackColours.h"
#include "core/base/Text.h"

namespace anhinga {

namespace {
constexpr double kLeft = 58, kRight = 58, kTop = 6, kBottom = 30, kGap = 8;
constexpr double kRightBare = 14;   // where no axis stands at the right
constexpr double kBoxLeast = 6;     // pixels: a smaller box is a click
constexpr std::size_t kFew = 6000;  // samples of all traces that are drawn wide and smooth
constexpr double kHole_s = 3;       // longer without a sample: the line is broken there
constexpr std::size_t kMostCopied = 200000;

/// 1, 2 or 5 times a power of ten, so that about `count` fit into the range.
double niceStep(double range, double count) {
    const double raw = range / std::max(1.0, count);
    const double power = std::pow(10, std::floor(std::log10(raw)));
    const double share = raw / power;
    return power * (share <= 1 ? 1 : share <= 2 ? 2 : share <= 5 ? 5 : 10);
}
double timeStep(double range, double count) {
    constexpr double kSteps[] = {0.001, 0.002, 0.005, 0.01, 0.02, 0.05, 0.1,  0.2,  0.5,  1,     2,     5,     10,   15,
                                 30,    60,    120,   300,  600,  900,  1800, 3600, 7200, 10800, 21600, 43200, 86400};
    for (const double s : kSteps)
        if (range / s <= count) return s;
    return 86400 * std::ceil(range / count / 86400);
}
QString timeText(double t, double step) {
    const bool negative = t < -step / 2;
    t = std::abs(t);
    if (step < 1)
        return QString("%1%2:%3")
            .arg(negative ? "−" : "")
            .arg(static_cast<int>(t / 60))
            .arg(std::fmod(t, 60), 6, 'f', 3, '0');
    const auto s = static_cast<long>(std::lround(t));
    if (s >= 3600)
        return QString("%1%2:%3:%4")
            .arg(negative ? "−" : "")
            .arg(s / 3600)
            .arg(s / 60 % 60, 2, 10, QChar('0'))
            .arg(s % 60, 2, 10, QChar('0'));
    return QString("%1%2:%3").arg(negative ? "−" : "").arg(s / 60).arg(s % 60, 2, 10, QChar('0'));
}
QString numberText(double v, double step) {
    const int digits = std::clamp(static_cast<int>(std::ceil(-std::log10(step) - 1e-9)), 0, 8);
    return QString::number(std::abs(v) < step * 1e-6 ? 0.0 : v, std::abs(v) > 1e7 ? 'g' : 'f',
                           std::abs(v) > 1e7 ? 6 : digits);
}
/// "height home", "vibration z": words in place of a name for the list; other names as they are.
QString shortName(const Channel& c) {
    if (!isCanonical(c.name) || c.name.find('.') == std::string::npos)
        return QString::fromStdString(c.name.substr(c.name.rfind('.') + 1));
    QString group = QString::fromStdString(c.name.substr(0, c.name.find('.')));
    QString rest = QString::fromStdString(c.name.substr(c.name.find('.') + 1));
    if (rest == "percent") return group;
    if (!canonicalUnit(c.name).empty() && rest.contains('_')) rest = rest.left(rest.lastIndexOf('_'));
    rest.replace('_', ' ');
    return group == "position" ? rest : group + " " + rest;
}
QString unitText(const Channel& c) {
    if (c.unit == "deg") return "°";
    if (c.unit == "deg/s") return "°/s";
    return QString::fromStdString(c.unit).replace("s2", "s²").replace("uT", "µT");
}
}  // namespace

TraceBand::TraceBand(TraceModel* model, QWidget* parent) : QWidget(parent), model_(model) {
    setObjectName("traces");
    setMinimumHeight(150);
    setFocusPolicy(Qt::StrongFocus);
    setMouseTracking(true);
    setAccessibleName("Traces");
    connect(model_, &TraceModel::tracesChanged, this, [this] {
        boxes_.clear();
        update();
    });
    connect(model_, &TraceModel::besideChanged, this, qOverload<>(&TraceBand::update));
    connect(model_, &TraceModel::viewChanged, this, qOverload<>(&TraceBand::update));
    connect(model_, &TraceModel::cursorChanged, this, qOverload<>(&TraceBand::update));
}

QColor TraceBand::colourOf(std::size_t index) const {
    const QColor colours[] = {theme_.lagoon, theme_.iris, theme_.vermilion, theme_.plum, theme_.reed, theme_.ink};
    const int own = index < traces().size() ? traces()[index].colour : -1;
    return colours[(own >= 0 ? static_cast<std::size_t>(own) : index) % std::size(colours)];
}

void TraceBand::setTheme(const Theme& theme) {
    theme_ = theme;
    update();
}

double TraceBand::timeAt(double x) const {
    const QRectF r = plotRect(0);
    return model_->view().from_s + (x - r.left()) / r.width() * model_->view().length_s();
}

double TraceBand::xOf(double t_s) const {
    const QRectF r = plotRect(0);
    return r.left() + (t_s - model_->view().from_s) / model_->view().length_s() * r.width();
}

QRectF TraceBand::plotRect(int plot) const {
    const int n = model_->plots();
    bool right = false;
    for (const Trace& t : traces()) right |= t.right;
    const double height = (this->height() - kTop - kBottom - kGap * (n - 1)) / n;
    return {kLeft, kTop + plot * (height + kGap), std::max(20.0, width() - kLeft - (right ? kRight : kRightBare)),
            std::max(10.0, height)};
}

int TraceBand::plotAt(double y) const {
    for (int i = 0; i < model_->plots(); ++i)
        if (y < plotRect(i).bottom() + kGap / 2) return i;
    return model_->plots() - 1;
}

std::pair<double, double> TraceBand::valueRange(int plot, bool right) const {
    const auto i = static_cast<std::size_t>(plot);
    if (i >= axes_.size()) return {0, 0};
    return {axes_[i][right].low, axes_[i][right].high};
}

/// Columns of every trace in view, and what their axes must hold.
void TraceBand::measure() {
    const auto& traces = model_->traces();
    const auto n = static_cast<std::size_t>(model_->plots());
    drawn_.resize(traces.size());
    beside_.assign(traces.size(), {});
    axes_.assign(n, {});
    boxes_.resize(n);
    const Stretch view = model_->view();
    for (std::size_t i = 0; i < traces.size(); ++i) {
        auto& columns = drawn_[i].columns;
        const Channel* c = model_->channelOf(traces[i]);
        measureBeside(i, axes_[static_cast<std::size_t>(traces[i].plot)][traces[i].right]);
        if (c == nullptr) {
            columns.clear();
            continue;
        }
        const int pixels = static_cast<int>(plotRect(traces[i].plot).width());
        model_->pyramidOf(traces[i]).columns(view.from_s, view.to_s, pixels, columns);
        Axis& axis = axes_[static_cast<std::size_t>(traces[i].plot)][traces[i].right];
        for (const Pyramid::Column& col : columns) {
            if (col.last <= col.first) continue;
            axis.low = axis.any ? std::min(axis.low, col.lowest) : col.lowest;
            axis.high = axis.any ? std::max(axis.high, col.highest) : col.highest;
            axis.any = true;
        }
        // Between two samples far apart nothing lies in view, but a line does.
        if (!axis.any) {
            const auto after = std::lower_bound(c->t_s.begin(), c->t_s.end(), view.from_s);
            if (after != c->t_s.end() && after != c->t_s.begin()) {
                const double v = c->value[static_cast<std::size_t>(after - c->t_s.begin()) - 1];
                if (std::isfinite(v)) axis = {v, v, true, false};
            }
        }
    }
    for (std::size_t i = 0; i < n; ++i)
        for (std::size_t side = 0; side < 2; ++side) {
            Axis& a = axes_[i][side];
            if (boxes_[i]) {
                a.low = (*boxes_[i])[side].first;
                a.high = (*boxes_[i])[side].second;
                a.fixed = true;
            } else if (a.any) {
                // A hair's breadth of a large value is not worth the whole height.
                const double room = a.high > a.low ? std::max((a.high - a.low) * 0.08, std::abs(a.high) * 1e-3)
                                                   : std::max(0.5, std::abs(a.high) * 0.02);
                a.low -= room;
                a.high += room;
            }
        }
}

void TraceBand::paintEvent(QPaintEvent*) {
    QElapsedTimer timer;
    timer.start();
    QPainter p(this);
    p.fillRect(rect(), theme_.panel);
    if (!model_->log()) {
        p.setPen(theme_.quiet);
        p.setFont(uiFont(10));
        p.drawText(rect(), Qt::AlignCenter, "No log open. Drop a file here, or open one from the logbook (Ctrl+B)");
        return;
    }
    measure();
    paintModes(p);
    for (int i = 0; i < model_->plots(); ++i) paintPlot(p, i);
    paintTimes(p);
    paintEvents(p);
    paintCursors(p);
    if (grip_ == Grip::box) {
        p.setPen(QPen(theme_.fuchsia, 1.2, Qt::DashLine));
        QColor fill = theme_.fuchsia;
        fill.setAlpha(40);
        p.setBrush(fill);
        p.drawRect(QRectF(from_, to_).normalized());
    }
    if (hasFocus()) {
        p.setPen(QPen(theme_.lagoon, 1));
        p.setBrush(Qt::NoBrush);
        p.drawRect(rect().adjusted(0, 0, -1, -1));
    }
    frame_ms_ = static_cast<double>(timer.nsecsElapsed()) * 1e-6;
}

void TraceBand::paintModes(QPainter& p) const {
    const auto& modes = model_->log()->modes;
    const double end = model_->log()->firstTime() + model_->log()->duration_s();
    const QRectF first = plotRect(0);
    p.setFont(uiFont(8));
    for (std::size_t i = 0; i < modes.size(); ++i) {
        const double from = std::max(xOf(modes[i].t_s), first.left());
        const double to = std::min(xOf(i + 1 < modes.size() ? modes[i + 1].t_s : end), first.right());
        if (to <= from) continue;
        const QString name = QString::fromStdString(modes[i].name);
        QColor tint = modeColour(name, theme_);
        tint.setAlpha(theme_.night ? 44 : 34);
        for (int k = 0; k < model_->plots(); ++k) {
            const QRectF r = plotRect(k);
            p.fillRect(QRectF(from, r.top(), to - from, r.height()), tint);
        }
        if (to - from < QFontMetricsF(p.font()).horizontalAdvance(name) + 8) continue;
        p.setPen(theme_.quiet);
        p.drawText(QRectF(from + 4, first.bottom() - 16, to - from - 4, 14), Qt::AlignLeft | Qt::AlignVCenter, name);
    }
}

void TraceBand::paintPlot(QPainter& p, int plot) const {
    const QRectF r = plotRect(plot);
    const auto& axes = axes_[static_cast<std::size_t>(plot)];
    p.setFont(monoFont(8));
    for (const int side : {0, 1}) {
        const Axis& a = axes[static_cast<std::size_t>(side)];
        if (!a.any || !(a.high > a.low)) continue;
        const double step = niceStep(a.high - a.low, std::max(1.0, r.height() / 24));
        int drawn = 0;
        for (double v = std::ceil(a.low / step) * step; v <= a.high && ++drawn < 100; v += step) {
            const double y = a.y(v, r);
            if (side == 0) {
                p.setPen(QPen(theme_.hairline(), 1, Qt::DotLine));
                p.drawLine(QPointF(r.left(), y), QPointF(r.right(), y));
            }
            p.setPen(theme_.quiet);
            const QRectF where =
                side == 0 ? QRectF(0, y - 8, r.left() - 6, 16) : QRectF(r.right() + 6, y - 8, kRight - 8, 16);
            p.drawText(where, (side == 0 ? Qt::AlignRight : Qt::AlignLeft) | Qt::AlignVCenter, numberText(v, step));
        }
    }
    p.setPen(QPen(theme_.hairline(), 1));
    p.setBrush(Qt::NoBrush);
    p.drawRect(r);
    p.save();
    p.setClipRect(r);
    for (std::size_t i = 0; i < traces().size(); ++i)
        if (traces()[i].plot == plot) paintBeside(p, i, r, axes[traces()[i].right]);
    for (std::size_t i = 0; i < traces().size(); ++i)
        if (traces()[i].plot == plot) paintTrace(p, i, r, axes[traces()[i].right]);
    p.restore();
    if (plot == 0) paintBesideName(p, r);
    // What is drawn here, in its colour.
    double x = r.left() + 6;
    p.setFont(uiFont(8.5, true));
    const QFontMetricsF metrics(p.font());
    for (std::size_t i = 0; i < traces().size(); ++i) {
        if (traces()[i].plot != plot) continue;
        const Channel* c = model_->channelOf(traces()[i]);
        QString text = c != nullptr ? shortName(*c)
                                    : QString::fromStdString(traces()[i].name) +
                                          (model_->waitsFor(traces()[i]) ? " (being read …)" : " (not in this log)");
        if (c != nullptr && !c->unit.empty()) text += " " + unitText(*c);
        if (traces()[i].smooth_s > 0) text += QString(" ~%1 s").arg(traces()[i].smooth_s);
        if (traces()[i].right) text += " →";
        const double wide = metrics.horizontalAdvance(text);
        if (x + wide > r.right() - 4 && x > r.left() + 6) break;
        QColor paper = theme_.panel;
        paper.setAlpha(190);
        p.fillRect(QRectF(x - 2, r.top() + 2, wide + 4, metrics.height()), paper);
        p.setPen(colourOf(i));
        p.drawText(QPointF(x, r.top() + 2 + metrics.ascent()), text);
        x += wide + 14;
    }
}

void TraceBand::paintTrace(QPainter& p, std::size_t index, const QRectF& r, const Axis& axis) const {
    const Trace& trace = traces()[index];
    const Channel* c = model_->channelOf(trace);
    if (c == nullptr || !(axis.high > axis.low)) return;
    const auto& columns = drawn_[index].columns;
    if (columns.empty()) return;
    const double pixel = r.width() / static_cast<double>(columns.size());
    std::size_t samples = 0, first = c->t_s.size(), last = 0;
    for (const auto& col : columns)
        if (col.last > col.first) {
            samples += col.last - col.first;
            first = std::min(first, col.first);
            last = std::max(last, col.last);
        }
    const auto y = [&](double v) { return std::clamp(axis.y(v, r), r.top() - 4000, r.bottom() + 4000); };
    // Wide smooth lines are dear: as many as are drawn in time have them, more are drawn thin or as extremes.
    const bool few = samples * traces().size() < kFew;
    if (samples > (few ? 3 : 1) * columns.size()) {
        // Extremes of each column, joined to the next: upright strokes need no smoothing.
        p.setRenderHint(QPainter::Antialiasing, false);
        p.setPen(QPen(colourOf(index), 1));
        static thread_local std::vector<QLineF> lines;
        lines.clear();
        double before = NAN;
        for (std::size_t i = 0; i < columns.size(); ++i) {
            const auto& col = columns[i];
            if (col.last <= col.first) continue;
            const double x = std::floor(r.left() + static_cast<double>(i) * pixel) + 0.5;
            double low = y(col.lowest), high = y(col.highest);
            if (trace.style == Trace::points) {
                lines.emplace_back(x, low, x, low);
                if (high < low) lines.emplace_back(x, high, x, high);
                continue;
            }
            if (std::isfinite(before) && before < high) high = before;
            if (std::isfinite(before) && before > low) low = before;
            lines.emplace_back(x, low, x, high < low ? high : low - 1);
            const double v = c->value[col.last - 1];
            before = std::isfinite(v) ? y(v) : NAN;
        }
        p.drawLines(lines.data(), static_cast<int>(lines.size()));
        return;
    }
    // Few samples: each of them, and one beyond either edge.
    const Stretch view = model_->view();
    if (first > last) {
        first = static_cast<std::size_t>(std::lower_bound(c->t_s.begin(), c->t_s.end(), view.from_s) - c->t_s.begin());
        last = first;
    }
    if (first > 0) --first;
    if (last < c->t_s.size()) ++last;
    p.setRenderHint(QPainter::Antialiasing, true);
    p.setPen(QPen(colourOf(index),
                  trace.style == Trace::points ? 3.2
                  : few                        ? 1.6
                                               : 1.0,
                  Qt::SolidLine, few ? Qt::RoundCap : Qt::FlatCap, few ? Qt::RoundJoin : Qt::BevelJoin));
    QPolygonF line;
    const auto flush = [&] {
        if (trace.style == Trace::points)
            p.drawPoints(line);
        else if (line.size() == 1)
            p.drawPoint(line[0]);
        else
            p.drawPolyline(line);
        line.clear();
    };
    for (std::size_t i = first; i < last; ++i) {
        if (!std::isfinite(c->value[i])) {
            flush();
            continue;
        }
        // Slow channels come seldom of themselves; a hole is much longer than the steps around it.
        if (i > first && !line.isEmpty()) {
            const double step = c->t_s[i] - c->t_s[i - 1];
            const double usual = i > 1 ? c->t_s[i - 1] - c->t_s[i - 2] : step;
            if (step > kHole_s && step > 5 * usual && trace.style != Trace::steps) flush();
        }
        const QPointF at(r.left() + (c->t_s[i] - view.from_s) / view.length_s() * r.width(), y(c->value[i]));
        if (trace.style == Trace::steps && !line.isEmpty()) line << QPointF(at.x(), line.back().y());
        line << at;
    }
    flush();
}

void TraceBand::paintTimes(QPainter& p) const {
    const QRectF r = plotRect(model_->plots() - 1);
    const Stretch view = model_->view();
    const double zero = model_->whole().from_s;
    const double step = timeStep(view.length_s(), std::max(2.0, r.width() / 90));
    p.setFont(uiFont(8));
    int drawn = 0;
    for (double t = std::ceil((view.from_s - zero) / step) * step; t <= view.to_s - zero && ++drawn < 200; t += step) {
        const double x = xOf(zero + t);
        p.setPen(QPen(theme_.hairline(), 1));
        p.drawLine(QPointF(x, r.bottom()), QPointF(x, r.bottom() + 4));
        p.setPen(theme_.quiet);
        p.drawText(QRectF(x - 40, r.bottom() + 12, 80, 14), Qt::AlignCenter, timeText(t, step));
    }
}

void TraceBand::paintEvents(QPainter& p) const {
    const QRectF r = plotRect(model_->plots() - 1);
    p.setRenderHint(QPainter::Antialiasing, true);
    p.setPen(Qt::NoPen);
    double last = -100;
    for (const LogEvent& e : model_->log()->events) {
        const double x = xOf(e.t_s);
        if (x < r.left() || x > r.right() || e.kind == "photo") continue;
        if (x - last < 1.5 && e.kind == "item") continue;
        last = x;
        p.setBrush(e.kind == "armed" || e.kind == "disarmed" ? theme_.reed
                   : e.kind == "message"                     ? theme_.vermilion
                   : e.kind == "mark"                        ? theme_.plum
                                                             : theme_.ink);
        p.drawPolygon(QPolygonF({{x, r.bottom() + 2}, {x - 4, r.bottom() + 10}, {x + 4, r.bottom() + 10}}));
    }
}

QString TraceBand::textAtCursor() const {
    const double t = model_->cursor();
    QString text = QString::fromStdString(durationText(std::max(0.0, t - model_->whole().from_s)));
    QString mode;
    for (const ModeChange& m : model_->log()->modes)
        if (m.t_s <= t) mode = QString::fromStdString(m.name);
    if (!mode.isEmpty()) text += " · " + mode;
    for (const Trace& trace : traces()) {
        const Channel* c = model_->channelOf(trace);
        const auto v = c != nullptr ? c->at(t) : std::nullopt;
        text += QString("\n%1  %2")
                    .arg(c != nullptr ? shortName(*c) : QString::fromStdString(trace.name),
                         v && std::isfinite(*v) ? QString::number(*v, 'f', 2) + " " + unitText(*c) : QString("–")) +
                besideAtCursor(trace);
    }
    return text;
}

void TraceBand::paintCursors(QPainter& p) const {
    const QRectF top = plotRect(0), bottom = plotRect(model_->plots() - 1);
    const double x = xOf(model_->cursor());
    if (const auto second = model_->secondCursor()) {
        const double x2 = xOf(*second);
        QColor between = theme_.fuchsia;
        between.setAlpha(36);
        const double from = std::clamp(std::min(x, x2), top.left(), top.right()),
                     to = std::clamp(std::max(x, x2), top.left(), top.right());
        p.fillRect(QRectF(from, top.top(), to - from, bottom.bottom() - top.top()), between);
        if (x2 >= top.left() && x2 <= top.right()) {
            p.setPen(QPen(theme_.fuchsia, 2, Qt::DashLine));
            p.drawLine(QPointF(x2, top.top()), QPointF(x2, bottom.bottom()));
        }
    }
    if (x < top.left() || x > top.right()) return;
    p.setPen(QPen(theme_.fuchsia, 2));
    p.drawLine(QPointF(x, top.top()), QPointF(x, bottom.bottom()));
    const QString text = textAtCursor();
    p.setFont(uiFont(8.5));
    const QFontMetricsF metrics(p.font());
    const QSizeF size = metrics.size(0, text) + QSizeF(16, 10);
    const bool right_half = x > (top.left() + top.right()) / 2;
    QRectF box(QPointF(right_half ? x - size.width() - 8 : x + 8, top.top() + 18), size);
    if (box.bottom() > bottom.bottom()) box.moveTop(std::max(top.top(), bottom.bottom() - size.height()));
    p.setRenderHint(QPainter::Antialiasing, true);
    p.setPen(QPen(theme_.fuchsia, 1.2));
    p.setBrush(theme_.raised);
    p.drawRoundedRect(box, 4, 4);
    const QStringList lines = text.split('\n');
    for (int i = 0; i < lines.size(); ++i) {
        p.setPen(i == 0 ? theme_.ink : colourOf(static_cast<std::size_t>(i - 1)));
        p.drawText(QPointF(box.left() + 8, box.top() + 5 + metrics.ascent() + i * metrics.lineSpacing()), lines[i]);
    }
}

// ---- by hand

void TraceBand::mousePressEvent(QMouseEvent* e) {
    if (!model_->log()) return;
    from_ = to_ = e->position();
    const bool inside = e->position().x() >= plotRect(0).left() - 4 && e->position().x() <= plotRect(0).right() + 4;
    if (e->button() == Qt::MiddleButton || (e->button() == Qt::LeftButton && (e->modifiers() & Qt::AltModifier) != 0)) {
        grip_ = Grip::pan;
    } else if (e->button() == Qt::LeftButton && inside) {
        if ((e->modifiers() & Qt::ControlModifier) != 0) {
            grip_ = Grip::box;
        } else if ((e->modifiers() & Qt::ShiftModifier) != 0) {
            grip_ = Grip::second;
            model_->setSecondCursor(timeAt(e->position().x()));
        } else {
            grip_ = Grip::cursor;
            model_->setCursor(timeAt(e->position().x()));
            emit cursorMoved(model_->cursor());
        }
    }
}

void TraceBand::mouseMoveEvent(QMouseEvent* e) {
    if (!model_->log()) return;
    const double t = std::clamp(timeAt(e->position().x()), model_->view().from_s, model_->view().to_s);
    switch (grip_) {
        case Grip::cursor:
            model_->setCursor(t);
            emit cursorMoved(t);
            break;
        case Grip::second:
            model_->setSecondCursor(t);
            break;
        case Grip::pan:
            model_->pan(timeAt(to_.x()) - timeAt(e->position().x()));
            break;
        case Grip::box:
            break;
        case Grip::none:
            setCursor(plotRect(0).left() <= e->position().x() && e->position().x() <= plotRect(0).right()
                          ? Qt::CrossCursor
                          : Qt::ArrowCursor);
            return;
    }
    to_ = e->position();
    if (grip_ == Grip::box) update();
}

void TraceBand::mouseReleaseEvent(QMouseEvent* e) {
    const Grip grip = std::exchange(grip_, Grip::none);
    if (grip != Grip::box) return;
    to_ = e->position();
    const QRectF box = QRectF(from_, to_).normalized();
    update();
    if (box.width() < kBoxLeast) return;
    const double from = timeAt(box.left()), to = timeAt(box.right());
    const int plot = plotAt(from_.y());
    const QRectF r = plotRect(plot);
    // A flat box is a stretch of time; a high one takes the values too.
    if (box.height() > r.height() * 0.15 && box.height() < r.height() * 0.9) {
        const auto i = static_cast<std::size_t>(plot);
        std::array<std::pair<double, double>, 2> own;
        for (std::size_t side = 0; side < 2; ++side) {
            const Axis& a = axes_[i][side];
            const auto value = [&](double y) { return a.low + (r.bottom() - y) / r.height() * (a.high - a.low); };
            own[side] = {value(box.bottom()), value(box.top())};
        }
        boxes_.resize(axes_.size());
        boxes_[i] = own;
    }
    model_->setView({from, to});
}

void TraceBand::mouseDoubleClickEvent(QMouseEvent*) {
    boxes_.clear();
    model_->showAll();
    update();
}

void TraceBand::wheelEvent(QWheelEvent* e) {
    if (!model_->log()) return;
    const double turns = e->angleDelta().y() != 0 ? e->angleDelta().y() / 120.0 : e->angleDelta().x() / 120.0;
    if ((e->modifiers() & Qt::ShiftModifier) != 0)
        model_->pan(-turns * model_->view().length_s() * 0.1);
    else
        model_->zoom(std::pow(0.8, turns), timeAt(e->position().x()));
    e->accept();
}

void TraceBand::keyPressEvent(QKeyEvent* e) {
    if (!model_->log()) return QWidget::keyPressEvent(e);
    const double step =
        model_->view().length_s() / plotRect(0).width() * ((e->modifiers() & Qt::ShiftModifier) != 0 ? 20 : 2);
    const auto move = [&](double t) {
        model_->setCursor(std::clamp(t, model_->whole().from_s, model_->whole().to_s));
        emit cursorMoved(model_->cursor());
        const Stretch v = model_->view();
        if (!v.holds(model_->cursor())) model_->pan(model_->cursor() - (v.from_s + v.to_s) / 2);
    };
    switch (e->key()) {
        case Qt::Key_Left:
            return move(model_->cursor() - step);
        case Qt::Key_Right:
            return move(model_->cursor() + step);
        case Qt::Key_Home:
            return move(model_->whole().from_s);
        case Qt::Key_End:
            return move(model_->whole().to_s);
        case Qt::Key_Plus:
        case Qt::Key_Equal:
            return model_->zoom(0.8, model_->cursor());
        case Qt::Key_Minus:
            return model_->zoom(1.25, model_->cursor());
        case Qt::Key_A:
            boxes_.clear();
            update();
            return model_->showAll();
        case Qt::Key_B:
            return model_->setSecondCursor(model_->cursor());
        case Qt::Key_Backspace:
            if (std::any_of(boxes_.begin(), boxes_.end(), [](const auto& b) { return b.has_value(); })) {
                boxes_.clear();
                update();
            }
            return model_->back();
        case Qt::Key_Escape:
            if (model_->secondCursor()) return model_->setSecondCursor(std::nullopt);
            break;
        default:
            break;
    }
    QWidget::keyPressEvent(e);
}

bool TraceBand::event(QEvent* e) {
    // Its own keys come before the window's while it has the focus.
    if (e->type() == QEvent::ShortcutOverride) {
        const auto* key = static_cast<QKeyEvent*>(e);
        constexpr int kKeys[] = {Qt::Key_Left, Qt::Key_Right,     Qt::Key_Home,  Qt::Key_End,
                                 Qt::Key_Plus, Qt::Key_Equal,     Qt::Key_Minus, Qt::Key_A,
                                 Qt::Key_B,    Qt::Key_Backspace, Qt::Key_Escape};
        const bool plain = (key->modifiers() & ~(Qt::ShiftModifier | Qt::KeypadModifier)) == 0;
        if (plain && std::find(std::begin(kKeys), std::end(kKeys), key->key()) != std::end(kKeys)) {
            e->accept();
            return true;
        }
    }
    if (e->type() == QEvent::ToolTip && model_->log()) {
        auto* help = static_cast<QHelpEvent*>(e);
        QStringList texts;
        for (const LogEvent& event : model_->log()->events)
            if (event.kind != "photo" && std::abs(xOf(event.t_s) - help->pos().x()) < 4 && texts.size() < 6)
                texts << QString::fromStdString(event.kind + (event.text.empty() ? "" : ": " + event.text));
        if (help->pos().y() > plotRect(model_->plots() - 1).bottom() && !texts.isEmpty())
            QToolTip::showText(help->globalPos(), texts.join('\n'), this);
        else
            QToolTip::showText(
                help->globalPos(),
                "Click or drag: cursor · Shift+click: second cursor · Ctrl+drag: zoom into a box · wheel: zoom · "
                "middle button: move · double click: all · Backspace: back",
                this);
        return true;
    }
    return QWidget::event(e);
}

void TraceBand::contextMenuEvent(QContextMenuEvent* e) {
    if (!model_->log()) return;
    QMenu menu(this);
    const int plot = plotAt(e->pos().y());
    menu.addAction("Show all\tA", this, [this] {
        boxes_.clear();
        model_->showAll();
        update();
    });
    QAction* back = menu.addAction("Back\tBackspace", model_, &TraceModel::back);
    back->setEnabled(model_->canGoBack());
    const double t = timeAt(e->pos().x());
    menu.addAction("Second cursor here\tB", this, [this, t] { model_->setSecondCursor(t); });
    menu.addAction("Zoom between the cursors", this,
                   [this] {
                       const double a = model_->cursor(), b = *model_->secondCursor();
                       model_->setView({std::min(a, b), std::max(a, b)});
                   })
        ->setEnabled(model_->secondCursor().has_value());
    menu.addAction("Take the second cursor away\tEsc", this, [this] { model_->setSecondCursor(std::nullopt); })
        ->setEnabled(model_->secondCursor().has_value());
    menu.addSeparator();
    for (std::size_t i = 0; i < traces().size(); ++i) {
        if (traces()[i].plot != plot) continue;
        QMenu* sub = menu.addMenu(QString::fromStdString(traces()[i].name));
        const auto with = [this, i](auto set) {
            return [this, i, set] {
                Trace trace = traces()[i];
                set(trace);
                model_->change(i, trace);
            };
        };
        sub->addAction(traces()[i].right ? "To the left axis" : "To the right axis", this,
                       with([](Trace& x) { x.right = !x.right; }));
        for (int k = 0; k < std::min(TraceModel::kMostPlots, model_->plots() + 1); ++k)
            if (k != plot) sub->addAction(QString("To plot %1").arg(k + 1), this, with([k](Trace& x) { x.plot = k; }));
        sub->addSeparator();
        sub->addAction("Lines", this, with([](Trace& x) { x.style = Trace::line; }));
        sub->addAction("Steps", this, with([](Trace& x) { x.style = Trace::steps; }));
        sub->addAction("Points", this, with([](Trace& x) { x.style = Trace::points; }));
        sub->addSeparator();
        for (const double s : {0.0, 0.2, 1.0, 5.0, 20.0})
            sub->addAction(s == 0 ? QString("As measured") : QString("Mean over %1 s").arg(s), this,
                           with([s](Trace& x) { x.smooth_s = s; }));
        sub->addSeparator();
        sub->addAction("Next colour", this,
                       with([i](Trace& x) { x.colour = (x.colour < 0 ? static_cast<int>(i) + 1 : x.colour + 1) % 6; }));
        sub->addAction("Remove", this, [this, i] { model_->remove(i); });
    }
    menu.addSeparator();
    menu.addAction("One against another, histogram …", this, &TraceBand::relationWanted);
    menu.addAction("Copy picture", this, &TraceBand::copyPicture);
    menu.addAction("Copy data in view", this, &TraceBand::copyData);
    menu.exec(e->globalPos());
}

void TraceBand::copyPicture() {
    QGuiApplication::clipboard()->setPixmap(grab());
}

void TraceBand::copyData() {
    const Stretch view = model_->view();
    // Times of the trace with most samples; the others as they were then.
    const Channel* base = nullptr;
    std::vector<const Channel*> all;
    QString text = "t_s";
    for (const Trace& t : traces())
        if (const Channel* c = model_->channelOf(t)) {
            all.push_back(c);
            text += "\t" + QString::fromStdString(c->name) +
                    (c->unit.empty() ? "" : " [" + QString::fromStdString(c->unit) + "]");
            if (base == nullptr || c->t_s.size() > base->t_s.size()) base = c;
        }
    text += "\n";
    if (base == nullptr) return;
    std::size_t rows = 0;
    for (auto at = std::lower_bound(base->t_s.begin(), base->t_s.end(), view.from_s);
         at != base->t_s.end() && *at <= view.to_s && rows < kMostCopied; ++at, ++rows) {
        text += QString::number(*at - model_->whole().from_s, 'f', 4);
        for (const Channel* c : all) {
            const auto v = c->at(*at);
            text += "\t" + (v && std::isfinite(*v) ? QString::number(*v, 'g', 10) : QString());
        }
        text += "\n";
    }
    QGuiApplication::clipboard()->setText(text);
}

}  // namespace anhinga
