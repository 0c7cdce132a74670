// The flight beside the open one, in broken lines of the same colours.
#include <QtWidgets>
#include <cmath>

#include "app/debrief/TraceBand.h"

namespace anhinga {

void TraceBand::measureBeside(std::size_t index, Axis& axis) {
    const Trace& trace = traces()[index];
    if (!model_->beside() || model_->besideOf(trace) == nullptr) return;
    auto& columns = beside_[index].columns;
    const Stretch view = model_->view();
    const double shift = model_->beside()->shift_s;
    model_->besidePyramidOf(trace).columns(view.from_s + shift, view.to_s + shift,
                                           static_cast<int>(plotRect(trace.plot).width()), columns);
    for (const Pyramid::Column& col : columns) {
        if (col.last <= col.first) continue;
        axis.low = axis.any ? std::min(axis.low, col.lowest) : col.lowest;
        axis.high = axis.any ? std::max(axis.high, col.highest) : col.highest;
        axis.any = true;
    }
}

void TraceBand::paintBeside(QPainter& p, std::size_t index, const QRectF& r, const Axis& axis) const {
    const auto& columns = beside_[index].columns;
    const Channel* c = model_->besideOf(traces()[index]);
    if (columns.empty() || c == nullptr || !(axis.high > axis.low)) return;
    const double pixel = r.width() / static_cast<double>(columns.size());
    const auto y = [&](double v) { return std::clamp(axis.y(v, r), r.top() - 4000, r.bottom() + 4000); };
    std::size_t samples = 0;
    for (const auto& col : columns) samples += col.last > col.first ? col.last - col.first : 0;
    QColor colour = colourOf(index);
    colour.setAlpha(190);
    if (samples > 2 * columns.size()) {
        // Extremes of a column, with gaps in between.
        constexpr std::size_t kOn = 5, kOf = 8;
        p.setRenderHint(QPainter::Antialiasing, false);
        p.setPen(QPen(colour, 1));
        QList<QLineF> lines;
        double before = NAN;
        for (std::size_t i = 0; i < columns.size(); ++i) {
            const auto& col = columns[i];
            if (col.last <= col.first) continue;
            const double x = std::floor(r.left() + static_cast<double>(i) * pixel) + 0.5;
            double low = y(col.lowest), high = y(col.highest);
            if (std::isfinite(before) && before < high) high = before;
            if (std::isfinite(before) && before > low) low = before;
            const double v = c->value[col.last - 1];
            before = std::isfinite(v) ? y(v) : NAN;
            if (i % kOf < kOn) lines << QLineF(x, low, x, high < low ? high : low - 1);
        }
        p.drawLines(lines);
        return;
    }
    const Stretch view = model_->view();
    const double shift = model_->beside()->shift_s;
    const auto place = [&](double t_s) {
        return static_cast<std::size_t>(std::lower_bound(c->t_s.begin(), c->t_s.end(), t_s) - c->t_s.begin());
    };
    std::size_t first = place(view.from_s + shift), last = place(view.to_s + shift);
    if (first > 0) --first;
    if (last < c->t_s.size()) ++last;
    p.setRenderHint(QPainter::Antialiasing, true);
    QPen pen(colour, 1.6);
    pen.setDashPattern({4, 3});
    p.setPen(pen);
    QPolygonF line;
    for (std::size_t i = first; i < last; ++i) {
        if (!std::isfinite(c->value[i])) {
            p.drawPolyline(line);
            line.clear();
            continue;
        }
        line << QPointF(r.left() + (c->t_s[i] - shift - view.from_s) / view.length_s() * r.width(), y(c->value[i]));
    }
    p.drawPolyline(line);
}

/// Whose the broken lines are, at the lower right.
void TraceBand::paintBesideName(QPainter& p, const QRectF& r) const {
    if (!model_->beside()) return;
    p.setFont(uiFont(8.5));
    const QFontMetricsF metrics(p.font());
    const QString text = metrics.elidedText("broken lines: " + QFileInfo(model_->beside()->path).fileName(),
                                            Qt::ElideMiddle, r.width() / 2);
    const double wide = metrics.horizontalAdvance(text);
    const QRectF box(r.right() - wide - 10, r.bottom() - metrics.height() - 3, wide + 6, metrics.height());
    QColor paper = theme_.panel;
    paper.setAlpha(210);
    p.fillRect(box, paper);
    p.setPen(theme_.ink);
    p.drawText(box, Qt::AlignCenter, text);
}

/// Behind the value of the open flight: that of the other one.
QString TraceBand::besideAtCursor(const Trace& trace) const {
    if (!model_->beside()) return {};
    const Channel* c = model_->besideOf(trace);
    const auto v = c != nullptr ? c->at(model_->cursor() + model_->beside()->shift_s) : std::nullopt;
    return v && std::isfinite(*v) ? QString("  ┆  %1").arg(*v, 0, 'f', 2) : QString("  ┆  –");
}

}  // namespace anhinga
