#include "app/debrief/FlightsDialog.h"

#include <qcustomplot.h>

#include <QtWidgets>

#include "app/widgets/PlotStyle.h"
#include "app/widgets/Quantity.h"
#include "core/base/Text.h"

namespace anhinga {

namespace {
QString nameOf(const QString& path) {
    return QFileInfo(path).fileName();
}
QTableWidget* table(const char* name, const QStringList& heads) {
    auto* t = new QTableWidget(0, static_cast<int>(heads.size()));
    t->setObjectName(name);
    t->setHorizontalHeaderLabels(heads);
    t->verticalHeader()->hide();
    t->setEditTriggers(QAbstractItemView::NoEditTriggers);
    t->setSelectionBehavior(QAbstractItemView::SelectRows);
    t->setAlternatingRowColors(true);
    t->horizontalHeader()->setSectionResizeMode(QHeaderView::ResizeToContents);
    t->horizontalHeader()->setSectionResizeMode(0, QHeaderView::Stretch);
    return t;
}
}  // namespace

FlightsDialog::FlightsDialog(ReviewSession* review, LogbookSession* book, TraceModel* traces, QWidget* parent)
    : QDialog(parent), review_(review), book_(book), traces_(traces) {
    setObjectName("flights dialog");
    setWindowTitle("Compare two flights");
    resize(980, 640);
    auto* column = new QVBoxLayout(this);
    auto* row = new QHBoxLayout;
    row->addWidget(new QLabel("The open flight beside"));
    other_box_ = new QComboBox;
    other_box_->setObjectName("other flight");
    row->addWidget(other_box_, 1);
    auto* file = new QPushButton("From a file …");
    row->addWidget(file);
    column->addLayout(row);
    auto* side = new QHBoxLayout;
    beside_ = new QPushButton("Draw beside");
    beside_->setObjectName("draw beside");
    beside_->setToolTip("The other flight in broken lines under the traces and on the map, on the same cursor");
    align_ = new QComboBox;
    align_->setObjectName("beside alignment");
    align_->addItem("from take-off", static_cast<int>(Alignment::takeoff));
    align_->addItem("from arming", static_cast<int>(Alignment::arming));
    align_->addItem("at the same time of day (UTC)", static_cast<int>(Alignment::utc));
    align_->addItem("moved by hand", -1);
    shift_ = new QDoubleSpinBox;
    shift_->setObjectName("beside shift");
    shift_->setRange(-1e9, 1e9);
    shift_->setDecimals(1);
    shift_->setSingleStep(0.5);
    shift_->setSuffix(" s");
    shift_->setButtonSymbols(QAbstractSpinBox::NoButtons);
    shift_->setToolTip("How much later the same moment stands in the other log; arrow keys and wheel move it");
    side->addWidget(beside_);
    side->addWidget(align_);
    side->addWidget(shift_);
    auto* hop = new QLabel("Shift+H: to the other flight and back");
    hop->setProperty("quiet", true);
    side->addWidget(hop);
    side->addStretch(1);
    column->addLayout(side);
    connect(beside_, &QPushButton::clicked, this, [this] {
        if (traces_->beside() && traces_->beside()->log == other_)
            traces_->setBeside(std::nullopt);
        else
            drawBeside();
    });
    connect(align_, &QComboBox::activated, this, [this] {
        if (align_->currentData().toInt() >= 0 && traces_->beside()) drawBeside();
    });
    connect(shift_, &QDoubleSpinBox::valueChanged, this, [this](double shift_s) {
        if (!traces_->beside() || traces_->beside()->shift_s == shift_s) return;
        BesideLog moved = *traces_->beside();
        moved.shift_s = shift_s;
        align_->setCurrentIndex(align_->count() - 1);
        traces_->setBeside(moved);
    });
    connect(traces_, &TraceModel::besideChanged, this, &FlightsDialog::showBeside);
    heads_ = new QLabel;
    heads_->setObjectName("compared flights");
    heads_->setWordWrap(true);
    column->addWidget(heads_);
    caution_ = new QLabel;
    caution_->setObjectName("comparison caution");
    caution_->setWordWrap(true);
    caution_->setFont(uiFont(10, true));
    column->addWidget(caution_);
    auto* split = new QSplitter(Qt::Vertical);
    auto* tables = new QSplitter(Qt::Horizontal);
    measures_ = table("measures", {"Measure", "Before", "After", "Difference", "Noise", "Verdict"});
    changes_ = table("changes", {"Changed in between", "Before", "After"});
    tables->addWidget(measures_);
    tables->addWidget(changes_);
    tables->setSizes({600, 360});
    split->addWidget(tables);
    auto* lower = new QWidget;
    auto* lower_column = new QVBoxLayout(lower);
    lower_column->setContentsMargins(0, 0, 0, 0);
    auto* chooser = new QHBoxLayout;
    chooser->addWidget(new QLabel("Both from take-off on:"));
    channel_ = new QComboBox;
    channel_->setObjectName("compared channel");
    chooser->addWidget(channel_, 1);
    lower_column->addLayout(chooser);
    plot_ = new QCustomPlot;
    plot_->setObjectName("comparison plot");
    plot_->setInteractions(QCP::iRangeDrag | QCP::iRangeZoom);
    plot_->setMinimumHeight(140);
    lower_column->addWidget(plot_, 1);
    split->addWidget(lower);
    split->setSizes({330, 230});
    column->addWidget(split, 1);
    connect(other_box_, &QComboBox::activated, this, [this](int index) {
        const QString path = other_box_->itemData(index).toString();
        if (!path.isEmpty()) openOther(path);
    });
    connect(file, &QPushButton::clicked, this, [this] {
        const QString path =
            QFileDialog::getOpenFileName(this, "The other flight", QFileInfo(review_->path()).absolutePath());
        if (!path.isEmpty()) openOther(path);
    });
    connect(channel_, &QComboBox::activated, this, &FlightsDialog::draw);
    connect(plot_, &QCustomPlot::mouseDoubleClick, this, &FlightsDialog::draw);
    connect(review_, &ReviewSession::logChanged, this, [this] {
        // After a hop the one that was open is the other.
        if (review_->log() && review_->log() == other_) {
            other_ = open_.lock();
            other_path_ = open_path_;
        }
        if (isVisible()) present();
    });
}

FlightsDialog::~FlightsDialog() = default;

void FlightsDialog::setTheme(const Theme& theme) {
    theme_ = theme;
    if (isVisible()) draw();
}

void FlightsDialog::present() {
    fillBook();
    show();
    raise();
    work();
}

void FlightsDialog::fillBook() {
    other_box_->clear();
    other_box_->addItem("choose a flight of the logbook, or a file", QString());
    if (!other_path_.isEmpty()) other_box_->addItem(nameOf(other_path_), other_path_);
    if (const auto book = book_->book())
        for (const LogbookEntry& e : (*book)->entries()) {
            const QString path = QString::fromStdString(e.path);
            if (path == QFileInfo(review_->path()).absoluteFilePath() || path == other_path_ || e.session != 0 ||
                other_box_->findData(path) >= 0)
                continue;
            other_box_->addItem(
                QString("%1 · %2 · %3")
                    .arg(e.start_unix_s > 0 ? QString::fromStdString(isoUtc(e.start_unix_s)).left(16).replace('T', ' ')
                                            : QString("undated"),
                         nameOf(path), QString::fromStdString(e.vehicle)),
                path);
        }
    other_box_->setCurrentIndex(other_path_.isEmpty() ? 0 : 1);
}

void FlightsDialog::openOther(const QString& path) {
    caution_->setText("Reading " + nameOf(path) + " …");
    reader_.begin(
        [path](const LatestTask::Run& run) {
            LogWatch watch;
            watch.stop = run.stop;
            return openLog(path.toStdString(), watch);
        },
        [this, path](const Result<LogPtr>& log) {
            if (!log) return caution_->setText(QString::fromStdString(log.error().message));
            other_ = *log;
            other_path_ = path;
            fillBook();
            work();
        });
}

void FlightsDialog::drawBeside() {
    if (!other_ || !review_->log()) return;
    BesideLog beside{other_, other_path_, shift_->value()};
    const int how = align_->currentData().toInt();
    if (how >= 0) {
        const auto shift = alignedBy(*review_->log(), *other_, static_cast<Alignment>(how));
        if (!shift)
            return caution_->setText(QString("Not drawn %1: one of the two logs does not say when that was. Choose "
                                             "another way, or move it by hand")
                                         .arg(align_->currentText()));
        beside.shift_s = *shift;
    }
    traces_->setBeside(beside);
}

void FlightsDialog::showBeside() {
    const auto& beside = traces_->beside();
    beside_->setEnabled(other_ != nullptr);
    beside_->setText(beside && beside->log == other_ ? "No longer beside" : "Draw beside");
    shift_->setEnabled(beside.has_value());
    const QSignalBlocker quiet(shift_);
    shift_->setValue(beside ? beside->shift_s : 0);
}

void FlightsDialog::work() {
    showBeside();
    comparison_.reset();
    measures_->setRowCount(0);
    changes_->setRowCount(0);
    if (!review_->log()) return caution_->setText("Open a log first");
    if (!other_) {
        heads_->clear();
        return caution_->setText("Choose the other flight");
    }
    const LogPtr open = review_->log();
    open_ = open;
    open_path_ = review_->path();
    open_is_after_ = open->start_unix_s > 0 && other_->start_unix_s > 0 && open->start_unix_s > other_->start_unix_s;
    const LogPtr before = open_is_after_ ? other_ : open, after = open_is_after_ ? open : other_;
    const QString before_name = nameOf(open_is_after_ ? other_path_ : review_->path()),
                  after_name = nameOf(open_is_after_ ? review_->path() : other_path_);
    heads_->setText(
        QString("Before: <b>%1</b> · after: <b>%2</b>").arg(before_name.toHtmlEscaped(), after_name.toHtmlEscaped()) +
        (open->start_unix_s > 0 && other_->start_unix_s > 0
             ? ""
             : " (one of them is not dated: the open one is taken for the earlier)"));
    comparison_ = compareFlights(*before, *after);
    QString caution = QString::fromStdString(comparison_->caution);
    // Hardware notes of the time in between.
    std::vector<HardwareNote> notes;
    if (const auto book = book_->book())
        for (const HardwareNote& n : (*book)->notes())
            if (before->start_unix_s > 0 && n.time_unix_s >= before->start_unix_s &&
                n.time_unix_s <= after->start_unix_s)
                notes.push_back(n);
    if (notes.size() + comparison_->params.size() > 1)
        caution =
            QString(
                "%1 things were changed in between (%2 parameters, %3 notes on the aircraft): a difference cannot be "
                "put down to one of them alone.")
                .arg(notes.size() + comparison_->params.size())
                .arg(comparison_->params.size())
                .arg(notes.size());
    caution_->setText(caution);
    const auto put = [](QTableWidget* t, int r, int c, const QString& text, bool right = false) {
        auto* item = new QTableWidgetItem(text);
        if (right) item->setTextAlignment(Qt::AlignRight | Qt::AlignVCenter);
        t->setItem(r, c, item);
        return item;
    };
    for (const MeasureChange& m : comparison_->measures) {
        const int r = measures_->rowCount();
        measures_->insertRow(r);
        put(measures_, r, 0, QString::fromStdString(m.name + (m.unit.empty() ? "" : ", " + m.unit)));
        const auto value = [](const std::optional<Measure>& v) {
            return v ? QString::number(v->value, 'f', 2) : QString("no data");
        };
        put(measures_, r, 1, value(m.before), true);
        put(measures_, r, 2, value(m.after), true);
        const bool both = m.before && m.after;
        put(measures_, r, 3, both ? QString("%1%2").arg(m.difference > 0 ? "+" : "").arg(m.difference, 0, 'f', 2) : "",
            true);
        put(measures_, r, 4, both ? QString("± %1").arg(m.noise, 0, 'f', 2) : "", true);
        put(measures_, r, 5, !both ? "unknown" : m.changed ? "changed" : "within noise");
        if (m.changed)
            for (int c = 0; c < 6; ++c) {
                QFont bold = measures_->font();
                bold.setBold(true);
                measures_->item(r, c)->setFont(bold);
            }
    }
    for (const ParamChange& p : comparison_->params) {
        const int r = changes_->rowCount();
        changes_->insertRow(r);
        const auto value = [](const std::optional<double>& v) {
            return v ? QString::fromStdString(paramText(*v)) : QString("not there");
        };
        put(changes_, r, 0, QString::fromStdString(p.name));
        put(changes_, r, 1, value(p.before), true);
        put(changes_, r, 2, value(p.after), true);
    }
    for (const HardwareNote& n : notes) {
        const int r = changes_->rowCount();
        changes_->insertRow(r);
        put(changes_, r, 0, QString::fromStdString(n.text))
            ->setToolTip(QString::fromStdString(isoUtc(n.time_unix_s) + " " + n.vehicle));
        put(changes_, r, 1, "note");
        put(changes_, r, 2, QString::fromStdString(isoUtc(n.time_unix_s)).left(10));
    }
    const QString chosen = channel_->currentText();
    channel_->clear();
    for (const ChannelInfo& c : before->list())
        if (isCanonical(c.name) && after->has(c.name)) channel_->addItem(QString::fromStdString(c.name));
    int at = channel_->findText(chosen);
    if (at < 0) at = channel_->findText("vibration.z_mps2");
    if (at < 0) at = channel_->findText("position.height_home_m");
    channel_->setCurrentIndex(std::max(0, at));
    draw();
}

void FlightsDialog::draw() {
    plot_->clearPlottables();
    stylePlot(*plot_, theme_);
    plot_->xAxis->setLabel("s after take-off");
    plot_->legend->setVisible(true);
    if (!comparison_ || !other_ || !review_->log()) return plot_->replot();
    const std::string name = channel_->currentText().toStdString();
    const LogPtr before = open_is_after_ ? other_ : review_->log(), after = open_is_after_ ? review_->log() : other_;
    const auto add = [&](const LogPtr& log, double takeoff, const QColor& colour, const QString& title) {
        const Channel* c = log->find(name);
        if (c == nullptr) return;
        plot_->yAxis->setLabel(QString::fromStdString(c->unit));
        auto* g = plot_->addGraph();
        g->setName(title);
        g->setPen(QPen(colour, 1.4));
        QVector<double> t, v;
        // As many as there are pixels to tell apart.
        const std::size_t stride = std::max<std::size_t>(1, c->t_s.size() / 6000);
        for (std::size_t i = 0; i < c->t_s.size(); i += stride) {
            t << c->t_s[i] - takeoff;
            v << c->value[i];
        }
        g->setData(t, v, true);
    };
    add(before, comparison_->before_takeoff_s, theme_.iris, "before");
    add(after, comparison_->after_takeoff_s, theme_.lagoon, "after");
    plot_->rescaleAxes();
    plot_->yAxis->scaleRange(1.1);
    plot_->replot();
}

}  // namespace anhinga
