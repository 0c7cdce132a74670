#include "app/debrief/RelationDialog.h"

#include <qcustomplot.h>

#include <QtWidgets>

#include "app/widgets/PlotStyle.h"
#include "app/widgets/Quantity.h"
#include "core/review/Relation.h"

namespace anhinga {

RelationDialog::RelationDialog(TraceModel* model, QWidget* parent) : QDialog(parent), model_(model) {
    setObjectName("relation dialog");
    setWindowTitle("Relation");
    resize(820, 560);
    auto* column = new QVBoxLayout(this);
    auto* grid = new QGridLayout;
    const auto box = [&](const char* name, const char* label, int row, int place) {
        auto* b = new QComboBox;
        b->setObjectName(name);
        auto* text = new QLabel(label);
        text->setBuddy(b);
        grid->addWidget(text, row, 2 * place);
        grid->addWidget(b, row, 2 * place + 1);
        connect(b, &QComboBox::activated, this, &RelationDialog::work);
        return b;
    };
    view_ = box("relation view", "Show", 0, 0);
    view_->addItems({"one channel against another", "how often a value comes", "height over distance"});
    where_ = box("relation stretch", "of", 0, 1);
    where_->addItems({"what is in view", "the whole flight", "between the cursors"});
    x_ = box("relation x", "Across", 1, 0);
    y_ = box("relation y", "Up", 1, 1);
    for (QComboBox* b : {x_, y_}) {
        b->setEditable(true);
        b->setInsertPolicy(QComboBox::NoInsert);
        b->completer()->setCompletionMode(QCompleter::PopupCompletion);
        b->completer()->setFilterMode(Qt::MatchContains);
    }
    grid->setColumnStretch(1, 1);
    grid->setColumnStretch(3, 1);
    column->addLayout(grid);
    steady_ = new QCheckBox("Steady flight only: turns, rolls and the ground are left out");
    steady_->setObjectName("relation steady");
    steady_->setChecked(true);
    connect(steady_, &QCheckBox::toggled, this, &RelationDialog::work);
    column->addWidget(steady_);
    plot_ = new QCustomPlot;
    plot_->setObjectName("relation plot");
    plot_->setInteractions(QCP::iRangeDrag | QCP::iRangeZoom);
    column->addWidget(plot_, 1);
    result_ = new QLabel;
    result_->setObjectName("relation result");
    result_->setWordWrap(true);
    result_->setTextInteractionFlags(Qt::TextSelectableByMouse);
    column->addWidget(result_);
    connect(plot_, &QCustomPlot::mouseDoubleClick, this, [this] {
        plot_->rescaleAxes();
        plot_->replot();
    });
    connect(plot_, &QCustomPlot::mousePress, this, [this](QMouseEvent* e) {
        if (times_.empty() || plot_->graphCount() == 0 || e->button() != Qt::LeftButton) return;
        // The nearest point, in pixels.
        double best = 14;
        std::size_t at = times_.size();
        const auto* graph = plot_->graph(0);
        if (static_cast<std::size_t>(graph->dataCount()) != times_.size()) return;
        for (int i = 0; i < graph->dataCount(); ++i) {
            const QPointF p = graph->coordsToPixels(graph->data()->at(i)->key, graph->data()->at(i)->value);
            const double d = std::hypot(p.x() - e->position().x(), p.y() - e->position().y());
            if (d < best) {
                best = d;
                at = static_cast<std::size_t>(i);
            }
        }
        if (at < times_.size() && view_->currentIndex() == distance) emit goTo(times_[at]);
    });
}

void RelationDialog::setTheme(const Theme& theme) {
    theme_ = theme;
    if (isVisible()) work();
}

QString RelationDialog::result() const {
    return result_->text();
}

void RelationDialog::setView(View view) {
    view_->setCurrentIndex(view);
    if (isVisible()) work();
}

void RelationDialog::present() {
    fill();
    show();
    raise();
    work();
}

void RelationDialog::fill() {
    const QString x = x_->currentText(), y = y_->currentText();
    for (QComboBox* b : {x_, y_}) {
        b->clear();
        if (!model_->log()) continue;
        for (const FormulaChannel& f : model_->formulas()) b->addItem(f.name);
        for (const ChannelInfo& c : model_->log()->list()) b->addItem(QString::fromStdString(c.name));
    }
    const auto choose = [](QComboBox* b, const QString& before, const std::string& otherwise) {
        const int at = b->findText(before.isEmpty() ? QString::fromStdString(otherwise) : before);
        b->setCurrentIndex(std::max(0, at));
    };
    const auto& traces = model_->traces();
    choose(x_, x, traces.size() > 1 ? traces[1].name : std::string("throttle.percent"));
    choose(y_, y, traces.empty() ? std::string("position.height_home_m") : traces[0].name);
    where_->setItemText(2, model_->secondCursor() ? "between the cursors" : "between the cursors (no second one)");
}

Stretch RelationDialog::stretch() const {
    if (where_->currentIndex() == 1) return model_->whole();
    if (where_->currentIndex() == 2 && model_->secondCursor())
        return {std::min(model_->cursor(), *model_->secondCursor()),
                std::max(model_->cursor(), *model_->secondCursor())};
    return model_->view();
}

void RelationDialog::reset() {
    plot_->clearPlottables();
    plot_->clearItems();
    stylePlot(*plot_, theme_);
    times_.clear();
}

void RelationDialog::work() {
    reset();
    const auto view = static_cast<View>(view_->currentIndex());
    x_->setEnabled(view == against);
    y_->setEnabled(view != distance);
    steady_->setEnabled(view == against);
    const auto finish = [this](const QString& text) {
        result_->setText(text);
        plot_->rescaleAxes();
        plot_->xAxis->scaleRange(1.06);
        plot_->yAxis->scaleRange(1.1);
        plot_->replot();
    };
    if (!model_->log()) return finish("No log is open");
    const Channel* x = model_->channel(x_->currentText().toStdString());
    const Channel* y = model_->channel(y_->currentText().toStdString());
    const auto label = [](const Channel& c) {
        return QString::fromStdString(c.name + (c.unit.empty() ? "" : "  [" + c.unit + "]"));
    };
    if (view == distance) {
        const auto d = heightOverDistance(*model_->log(), stretch());
        if (!d) return finish(QString::fromStdString(d.error().message));
        const auto list = [](const std::vector<double>& v) { return QVector<double>(v.begin(), v.end()); };
        auto* line = plot_->addGraph();
        line->setPen(QPen(theme_.lagoon, 1.6));
        line->setData(list(d->distance_m), list(d->height_m), true);
        if (!d->ground_m.empty()) {
            auto* ground = plot_->addGraph();
            ground->setPen(QPen(theme_.reed, 1.2));
            ground->setBrush(QColor(theme_.reed.red(), theme_.reed.green(), theme_.reed.blue(), 60));
            ground->setData(list(d->distance_m), list(d->ground_m), true);
        }
        auto* slope = plot_->addGraph(plot_->xAxis, plot_->yAxis2);
        slope->setPen(QPen(theme_.iris, 1));
        slope->setData(list(d->distance_m), list(d->slope_percent), true);
        plot_->yAxis2->setVisible(true);
        plot_->yAxis2->setLabel("slope %");
        plot_->xAxis->setLabel("m flown");
        plot_->yAxis->setLabel(d->amsl ? "m AMSL" : "m home");
        times_ = d->t_s;
        return finish(inUnits(QString("%1 m over ground, %2 m climbed in all; steepest %3 %")
                                  .arg(d->length_m, 0, 'f', 0)
                                  .arg(d->climbed_m, 0, 'f', 0)
                                  .arg(d->steepest_percent, 0, 'f', 0),
                              UnitKind::distance) +
                      ". A click takes the cursor there.");
    }
    if (y == nullptr) return finish("This log has no channel \"" + y_->currentText() + "\"");
    if (view == often) {
        const auto h = histogramOf(*y, stretch());
        if (!h) return finish(QString::fromStdString(h.error().message));
        auto* bars = new QCPBars(plot_->xAxis, plot_->yAxis);
        QVector<double> at, n;
        for (std::size_t i = 0; i < h->count.size(); ++i) {
            at << h->from + (static_cast<double>(i) + 0.5) * h->width;
            n << static_cast<double>(h->count[i]);
        }
        bars->setWidth(h->width);
        bars->setPen(QPen(theme_.lagoon));
        bars->setBrush(QColor(theme_.lagoon.red(), theme_.lagoon.green(), theme_.lagoon.blue(), 110));
        bars->setData(at, n, true);
        plot_->xAxis->setLabel(label(*y));
        plot_->yAxis->setLabel("samples");
        return finish(
            QString("%1 samples: mean %2, deviation %3, from %4 to %5; 5 % below %6, half below %7, 95 % below %8")
                .arg(h->stats.count)
                .arg(h->stats.mean, 0, 'g', 5)
                .arg(h->stats.deviation, 0, 'g', 4)
                .arg(h->stats.lowest, 0, 'g', 5)
                .arg(h->stats.highest, 0, 'g', 5)
                .arg(h->p5, 0, 'g', 5)
                .arg(h->p50, 0, 'g', 5)
                .arg(h->p95, 0, 'g', 5) +
            QString(". %1 values a second in steps of %2: what is faster or finer is not in it")
                .arg(sampleRate_hz(*y), 0, 'g', 3)
                .arg(resolutionOf(*y), 0, 'g', 2));
    }
    if (x == nullptr) return finish("This log has no channel \"" + x_->currentText() + "\"");
    plot_->xAxis->setLabel(label(*x));
    plot_->yAxis->setLabel(label(*y));
    const auto r = relationOf(*model_->log(), *x, *y, stretch(), steady_->isChecked());
    if (!r) return finish(QString::fromStdString(r.error().message));
    auto* points = plot_->addGraph();
    points->setLineStyle(QCPGraph::lsNone);
    QColor dot = theme_.lagoon;
    dot.setAlpha(140);
    points->setScatterStyle(QCPScatterStyle(QCPScatterStyle::ssDisc, dot, 4));
    points->setData(QVector<double>(r->x.begin(), r->x.end()), QVector<double>(r->y.begin(), r->y.end()));
    const auto [low, high] = std::minmax_element(r->x.begin(), r->x.end());
    auto* fitted = plot_->addGraph();
    fitted->setPen(QPen(theme_.vermilion, 1.6));
    fitted->setData(QVector<double>{*low, *high},
                    QVector<double>{r->line.offset + r->line.slope * *low, r->line.offset + r->line.slope * *high});
    finish(QString("r %1 over %2 moments of %3 s; up %4 for each 1 across%5")
               .arg(r->line.r, 0, 'f', 2)
               .arg(r->x.size())
               .arg(r->step_s, 0, 'g', 2)
               .arg(r->line.slope, 0, 'g', 3)
               .arg(steady_->isChecked()
                        ? QString(". Turns, rolls and the ground left out: %1 moments").arg(r->left_out)
                        : QString(". Turns and rolls are in it: they may make or hide a relation")));
}

}  // namespace anhinga
