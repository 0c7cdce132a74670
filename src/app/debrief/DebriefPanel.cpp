#include "app/debrief/DebriefPanel.h"

#include <QtWidgets>

#include "app/widgets/Quantity.h"
#include "core/base/Text.h"

namespace anhinga {

ChannelPanel::ChannelPanel(ReviewSession* review, TraceBand* band, QWidget* parent)
    : QWidget(parent), review_(review), band_(band) {
    auto* column = new QVBoxLayout(this);
    column->setContentsMargins(14, 10, 10, 10);
    title_ = new QLabel;
    title_->setWordWrap(true);
    title_->setObjectName("log title");
    column->addWidget(title_);
    auto* grid = new QGridLayout;
    auto* open = new QPushButton("Open log …");
    auto* book = new QPushButton("Logbook …");
    book->setObjectName("open logbook");
    book->setToolTip("Every flight that was opened, fetched or recorded here (Ctrl+B)");
    auto* save = new QPushButton("Export …");
    auto* report = new QPushButton("Report …");
    report->setObjectName("report");
    report->setToolTip("This flight as a page to keep or print (Ctrl+P)");
    grid->addWidget(open, 0, 0);
    grid->addWidget(book, 0, 1);
    grid->addWidget(save, 1, 0);
    grid->addWidget(report, 1, 1);
    auto* spectrum = new QPushButton("Spectrum …");
    spectrum->setObjectName("spectrum");
    spectrum->setToolTip("What repeats in a channel: propellers, frame, control (Ctrl+Shift+U)");
    connect(spectrum, &QPushButton::clicked, this, &ChannelPanel::spectrumWanted);
    grid->addWidget(spectrum, 2, 0, 1, 2);
    columns_ = new QPushButton("Columns …");
    columns_->setObjectName("table columns button");
    columns_->setToolTip("What the columns of this table are");
    connect(columns_, &QPushButton::clicked, this, &ChannelPanel::columnsWanted);
    grid->addWidget(columns_, 3, 0, 1, 2);
    column->addLayout(grid);
    connect(book, &QPushButton::clicked, this, &ChannelPanel::logbookWanted);
    connect(report, &QPushButton::clicked, this, &ChannelPanel::reportWanted);
    search_ = new QLineEdit;
    search_->setPlaceholderText("search channels");
    search_->setClearButtonEnabled(true);
    search_->setObjectName("channel search");
    column->addWidget(search_);
    list_ = new QListWidget;
    list_->setObjectName("channels");
    list_->setToolTip("Click: left axis, Shift+click: right axis, again: remove");
    column->addWidget(list_, 1);
    connect(open, &QPushButton::clicked, this, &ChannelPanel::openWanted);
    connect(save, &QPushButton::clicked, this, &ChannelPanel::exportWanted);
    connect(search_, &QLineEdit::textChanged, this, &ChannelPanel::fill);
    connect(list_, &QListWidget::itemClicked, this, [this](QListWidgetItem* item) {
        auto traces = band_->traces();
        const std::string name = item->data(Qt::UserRole).toString().toStdString();
        const auto at =
            std::find_if(traces.begin(), traces.end(), [&](const TraceBand::Trace& t) { return t.name == name; });
        if (at != traces.end())
            traces.erase(at);
        else
            traces.push_back({name, (QApplication::keyboardModifiers() & Qt::ShiftModifier) != 0});
        band_->setTraces(traces);
        fill();
    });
    refresh();
}

void ChannelPanel::refresh() {
    columns_->setVisible(review_->log() && review_->log()->format == "table");
    if (const LogPtr log = review_->log()) {
        QString text =
            QString("<b>%1</b><br>%2")
                .arg(QFileInfo(review_->path()).fileName().toHtmlEscaped(), QString::fromStdString(log->format));
        for (const LogSession& s : log->sessions)
            text += inUnits(QString("<br>%1 · %2 · top %3 m home")
                                .arg(QString::fromStdString(durationText(s.to_s - s.from_s)),
                                     QString::fromStdString(distanceText(s.distance_m)))
                                .arg(s.max_height_home_m, 0, 'f', 0),
                            UnitKind::distance);
        if (log->damaged_bytes > 0) text += QString("<br>%1 damaged bytes passed over").arg(log->damaged_bytes);
        title_->setText(text);
    } else {
        title_->setText("<b>No log open</b><br>Open a recording, or fly one in Field");
    }
    fill();
}

void ChannelPanel::fill() {
    const int scroll = list_->verticalScrollBar()->value();
    list_->clear();
    const LogPtr log = review_->log();
    if (!log) return;
    const QString wanted = search_->text().trimmed();
    for (const ChannelInfo& c : log->list()) {
        const QString name = QString::fromStdString(c.name);
        if (!wanted.isEmpty() && !name.contains(wanted, Qt::CaseInsensitive)) continue;
        auto* item = new QListWidgetItem(name + (c.unit.empty() ? "" : "  " + QString::fromStdString(c.unit)));
        item->setData(Qt::UserRole, name);
        for (std::size_t i = 0; i < band_->traces().size(); ++i)
            if (band_->traces()[i].name == c.name) {
                QPixmap chip(14, 14);
                chip.fill(band_->colourOf(i));
                item->setIcon(QIcon(chip));
                item->setText(item->text() + (band_->traces()[i].right ? "  → right" : ""));
                QFont bold = item->font();
                bold.setBold(true);
                item->setFont(bold);
            }
        list_->addItem(item);
    }
    list_->verticalScrollBar()->setValue(scroll);
}

ComparisonPanel::ComparisonPanel(ReviewSession* review, PlanSession* plan, QWidget* parent)
    : QWidget(parent), review_(review), plan_(plan) {
    auto* column = new QVBoxLayout(this);
    column->setContentsMargins(0, 0, 0, 8);
    figures_ = new FiguresView;
    figures_->setObjectName("planned flown");
    column->addWidget(figures_);
    auto* title = new QLabel("  Events");
    title->setFont(uiFont(10, true));
    column->addWidget(title);
    events_ = new QListWidget;
    events_->setFrameShape(QFrame::NoFrame);
    column->addWidget(events_, 1);
    connect(events_, &QListWidget::itemClicked, this,
            [this](QListWidgetItem* item) { emit goTo(item->data(Qt::UserRole).toDouble()); });
}

void ComparisonPanel::refresh() {
    events_->clear();
    const LogPtr log = review_->log();
    if (!log) return figures_->setFigures("–", "Planned against flown", {});
    for (const LogEvent& e : log->events) {
        if (e.kind == "photo") continue;
        const QString what = e.kind == "item"      ? "item " + QString::fromStdString(e.text) + " reached"
                             : e.kind == "message" ? QString::fromStdString(e.text)
                                                   : QString::fromStdString(e.kind);
        auto* item = new QListWidgetItem(
            QString("%1  %2").arg(QString::fromStdString(durationText(e.t_s - log->firstTime())), what));
        item->setData(Qt::UserRole, e.t_s);
        events_->addItem(item);
    }
    const auto& c = review_->comparison();
    if (!c)
        return figures_->setFigures(
            "–",
            "Planned against flown: " +
                (review_->notCompared().isEmpty() ? QString("no plan to compare with") : review_->notCompared()),
            {});
    const auto r = plan_->flownRehearsal();
    const auto pair = [](const QString& a, const QString& b) { return a + " / " + b; };
    std::vector<std::pair<QString, QString>> rows;
    if (!c->legs.empty()) {
        const LegError& worst = c->legs[c->worst_leg];
        rows.emplace_back(QString("Largest, item %1 to %2").arg(worst.from_seq).arg(worst.to_seq),
                          QString("%1 m").arg(c->cross_max_m, 0, 'f', 1));
    }
    rows.emplace_back("Height error, mean / largest",
                      QString("%1 / %2 m").arg(c->height_mean_m, 0, 'f', 1).arg(c->height_max_m, 0, 'f', 1));
    rows.emplace_back("Time planned / flown", pair(r ? QString::fromStdString(durationText(r->duration_s)) : "–",
                                                   QString::fromStdString(durationText(c->flown_s))));
    rows.emplace_back("Photos planned / taken",
                      pair(r ? QString::number(r->photos) : "–", QString::number(c->photos_flown)));
    rows.emplace_back("Energy planned / used",
                      pair(r ? QString("%1").arg(r->energy_wh, 0, 'f', 1) : "–",
                           c->energy_wh ? QString("%1 Wh").arg(*c->energy_wh, 0, 'f', 1) : "unknown"));
    figures_->setFigures(QString("%1 m mean off the line").arg(c->cross_mean_m, 0, 'f', 1), "Planned against flown",
                         rows);
}

}  // namespace anhinga
