#include "app/debrief/TraceBand.h"

#include <qcustomplot.h>

#include <QVBoxLayout>

#include "app/widgets/TrackColours.h"
#include "core/base/Text.h"

namespace anhinga {

namespace {

/// Extremes of each pixel column: the curve looks the same and stays light at any zoom.
QVector<QCPGraphData> reduced(const Channel& c, double from, double to, int pixels) {
    QVector<QCPGraphData> out;
    auto first = std::lower_bound(c.t_s.begin(), c.t_s.end(), from);
    auto last = std::upper_bound(c.t_s.begin(), c.t_s.end(), to);
    std::size_t i = static_cast<std::size_t>(first - c.t_s.begin()),
                end = static_cast<std::size_t>(last - c.t_s.begin());
    if (i > 0) --i;
    if (end < c.t_s.size()) ++end;
    const std::size_t stride = std::max<std::size_t>(1, (end - i) / static_cast<std::size_t>(std::max(1, pixels)));
    for (; i < end; i += stride) {
        std::size_t low = i, high = i;
        for (std::size_t k = i; k < std::min(end, i + stride); ++k) {
            if (c.value[k] < c.value[low]) low = k;
            if (c.value[k] > c.value[high]) high = k;
        }
        out.push_back({c.t_s[std::min(low, high)], c.value[std::min(low, high)]});
        if (low != high) out.push_back({c.t_s[std::max(low, high)], c.value[std::max(low, high)]});
    }
    return out;
}

}  // namespace

TraceBand::TraceBand(QWidget* parent) : QWidget(parent), plot_(new QCustomPlot) {
    setObjectName("traces");
    auto* box = new QVBoxLayout(this);
    box->setContentsMargins(0, 0, 0, 0);
    box->addWidget(plot_);
    setMinimumHeight(150);
    plot_->setInteractions(QCP::iRangeDrag | QCP::iRangeZoom);
    plot_->axisRect()->setRangeDrag(Qt::Horizontal);
    plot_->axisRect()->setRangeZoom(Qt::Horizontal);
    plot_->yAxis2->setVisible(true);
    const QSharedPointer<QCPAxisTickerTime> ticker(new QCPAxisTickerTime);
    ticker->setTimeFormat("%m:%s");
    plot_->xAxis->setTicker(ticker);
    connect(plot_->xAxis, qOverload<const QCPRange&>(&QCPAxis::rangeChanged), this, [this] { refreshData(); });
    connect(plot_, &QCustomPlot::mousePress, this, [this](QMouseEvent* e) {
        if (e->button() != Qt::LeftButton || (e->modifiers() & Qt::ControlModifier) != 0) return;
        setCursor(plot_->xAxis->pixelToCoord(e->position().x()));
        emit cursorMoved(t_s_);
    });
    connect(plot_, &QCustomPlot::mouseDoubleClick, this, &TraceBand::showAll);
}

QColor TraceBand::colourOf(std::size_t index) const {
    const QColor colours[] = {theme_.lagoon, theme_.marigold, theme_.vermilion, theme_.plum, theme_.reed, theme_.ink};
    return colours[index % std::size(colours)];
}

void TraceBand::setTheme(const Theme& theme) {
    theme_ = theme;
    plot_->setBackground(theme.panel);
    for (QCPAxis* a : {plot_->xAxis, plot_->yAxis, plot_->yAxis2}) {
        a->setBasePen(QPen(theme.hairline()));
        a->setTickPen(QPen(theme.hairline()));
        a->setSubTickPen(Qt::NoPen);
        a->setTickLabelColor(theme.quiet);
        a->setLabelColor(theme.ink);
        a->setTickLabelFont(monoFont(8));
        a->setLabelFont(uiFont(8.5, true));
        a->grid()->setPen(QPen(theme.hairline(), 1, Qt::DotLine));
        a->grid()->setZeroLinePen(Qt::NoPen);
    }
    rebuild();
}

void TraceBand::setLog(LogPtr log) {
    log_ = std::move(log);
    t_s_ = log_ ? log_->firstTime() + 2 : 0;
    rebuild();
    showAll();
}

void TraceBand::setTraces(std::vector<Trace> traces) {
    traces_ = std::move(traces);
    rebuild();
}

void TraceBand::showAll() {
    if (!log_) return;
    plot_->xAxis->setRange(log_->firstTime(), log_->firstTime() + std::max(1.0, log_->duration_s()));
    refreshData();
}

void TraceBand::rebuild() {
    plot_->clearGraphs();
    plot_->clearItems();
    line_ = nullptr;
    text_ = nullptr;
    if (log_) {
        const double end = log_->firstTime() + log_->duration_s();
        for (std::size_t i = 0; i < log_->modes.size(); ++i) {
            const ModeChange& m = log_->modes[i];
            const double to = i + 1 < log_->modes.size() ? log_->modes[i + 1].t_s : end;
            auto* band = new QCPItemRect(plot_);
            band->topLeft->setTypeY(QCPItemPosition::ptAxisRectRatio);
            band->bottomRight->setTypeY(QCPItemPosition::ptAxisRectRatio);
            band->topLeft->setCoords(m.t_s, 0);
            band->bottomRight->setCoords(to, 1);
            QColor tint = modeColour(QString::fromStdString(m.name), theme_);
            tint.setAlpha(theme_.night ? 44 : 34);
            band->setBrush(tint);
            band->setPen(Qt::NoPen);
            band->setClipToAxisRect(true);
            if (to - m.t_s < log_->duration_s() / 14) continue;
            auto* label = new QCPItemText(plot_);
            label->position->setTypeY(QCPItemPosition::ptAxisRectRatio);
            label->position->setCoords(m.t_s, 0.01);
            label->setPositionAlignment(Qt::AlignLeft | Qt::AlignTop);
            label->setText(" " + QString::fromStdString(m.name));
            label->setFont(uiFont(8));
            label->setColor(theme_.quiet);
        }
    }
    QStringList left, right;
    for (std::size_t i = 0; i < traces_.size(); ++i) {
        const Channel* c = log_ ? log_->find(traces_[i].name) : nullptr;
        QCPGraph* g = plot_->addGraph(plot_->xAxis, traces_[i].right ? plot_->yAxis2 : plot_->yAxis);
        g->setPen(QPen(colourOf(i), 1.6));
        if (c == nullptr) continue;
        // The end of the name says quantity and unit; the whole name stands in the list and at the cursor.
        const QString name = QString::fromStdString(c->name.substr(c->name.rfind('.') + 1));
        (traces_[i].right ? right : left) << name;
    }
    plot_->yAxis->setLabel(left.join("  "));
    plot_->yAxis2->setLabel(right.join("  "));
    refreshData();
}

void TraceBand::refreshData() {
    if (!log_) {
        plot_->replot(QCustomPlot::rpQueuedReplot);
        return;
    }
    const QCPRange range = plot_->xAxis->range();
    double low[2] = {INFINITY, INFINITY}, high[2] = {-INFINITY, -INFINITY};
    for (std::size_t i = 0; i < traces_.size(); ++i) {
        const Channel* c = log_->find(traces_[i].name);
        if (c == nullptr || c->t_s.empty()) continue;
        auto points = reduced(*c, range.lower, range.upper, std::max(100, plot_->width()));
        for (const QCPGraphData& d : points)
            if (std::isfinite(d.value)) {
                low[traces_[i].right] = std::min(low[traces_[i].right], d.value);
                high[traces_[i].right] = std::max(high[traces_[i].right], d.value);
            }
        plot_->graph(static_cast<int>(i))->data()->set(points, true);
    }
    QCPAxis* axes[] = {plot_->yAxis, plot_->yAxis2};
    for (int a = 0; a < 2; ++a) {
        axes[a]->setTickLabels(high[a] >= low[a]);
        if (high[a] < low[a]) continue;
        const double room = std::max(0.5, (high[a] - low[a]) * 0.08);
        axes[a]->setRange(low[a] - room, high[a] + room);
    }
    drawCursor();
    plot_->replot(QCustomPlot::rpQueuedReplot);
}

void TraceBand::setCursor(double t_s) {
    t_s_ = t_s;
    drawCursor();
    plot_->replot(QCustomPlot::rpQueuedReplot);
}

void TraceBand::drawCursor() {
    if (!log_) return;
    if (line_ == nullptr) {
        line_ = new QCPItemLine(plot_);
        line_->start->setTypeY(QCPItemPosition::ptAxisRectRatio);
        line_->end->setTypeY(QCPItemPosition::ptAxisRectRatio);
        line_->setPen(QPen(theme_.marigold, 2));
        text_ = new QCPItemText(plot_);
        text_->position->setTypeY(QCPItemPosition::ptAxisRectRatio);
        text_->setPadding(QMargins(6, 4, 6, 4));
        text_->setBrush(theme_.raised);
        text_->setPen(QPen(theme_.marigold, 1.2));
        text_->setFont(uiFont(8.5));
        text_->setColor(theme_.ink);
        text_->setTextAlignment(Qt::AlignLeft);
    }
    line_->start->setCoords(t_s_, 0);
    line_->end->setCoords(t_s_, 1);
    QString text = QString::fromStdString(durationText(t_s_ - log_->firstTime()));
    for (const Trace& trace : traces_) {
        const Channel* c = log_->find(trace.name);
        const auto v = c != nullptr ? c->at(t_s_) : std::nullopt;
        text += QString("\n%1 %2").arg(
            QString::fromStdString(trace.name),
            v ? QString::number(*v, 'f', 2) + " " + QString::fromStdString(c->unit) : QString("–"));
    }
    text_->setText(text);
    const bool right_half = t_s_ > plot_->xAxis->range().center();
    text_->setPositionAlignment((right_half ? Qt::AlignRight : Qt::AlignLeft) | Qt::AlignTop);
    text_->position->setCoords(t_s_, 0.08);
}

}  // namespace anhinga
