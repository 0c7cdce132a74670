#include "app/debrief/ContentsDialog.h"

#include <QtWidgets>

#include "core/base/File.h"
#include "core/base/Text.h"
#include "core/review/Compare.h"

namespace anhinga {

ContentsDialog::ContentsDialog(ReviewSession* review, QWidget* parent) : QDialog(parent), review_(review) {
    setObjectName("contents dialog");
    setWindowTitle("Parameters and missions in the log");
    resize(640, 540);
    auto* column = new QVBoxLayout(this);
    tabs_ = new QTabWidget;
    tabs_->setObjectName("contents tabs");
    auto* page = new QWidget;
    auto* rows = new QVBoxLayout(page);
    auto* row = new QHBoxLayout;
    search_ = new QLineEdit;
    search_->setObjectName("parameter search");
    search_->setPlaceholderText("search parameters");
    search_->setClearButtonEnabled(true);
    row->addWidget(search_, 1);
    auto* beside = new QPushButton("Beside another log …");
    auto* save = new QPushButton("Save …");
    row->addWidget(beside);
    row->addWidget(save);
    rows->addLayout(row);
    summary_ = new QLabel;
    summary_->setObjectName("parameter summary");
    summary_->setWordWrap(true);
    rows->addWidget(summary_);
    table_ = new QTableWidget(0, 3);
    table_->setObjectName("log parameters");
    table_->setHorizontalHeaderLabels({"Parameter", "In this log", "In the other"});
    table_->verticalHeader()->hide();
    table_->setEditTriggers(QAbstractItemView::NoEditTriggers);
    table_->setAlternatingRowColors(true);
    table_->horizontalHeader()->setSectionResizeMode(QHeaderView::ResizeToContents);
    table_->horizontalHeader()->setSectionResizeMode(0, QHeaderView::Stretch);
    rows->addWidget(table_, 1);
    tabs_->addTab(page, "Parameters");
    auto* second = new QWidget;
    auto* lines = new QVBoxLayout(second);
    missions_ = new QListWidget;
    missions_->setObjectName("log missions");
    lines->addWidget(missions_, 1);
    mission_text_ = new QLabel;
    mission_text_->setWordWrap(true);
    lines->addWidget(mission_text_);
    auto* open = new QPushButton("Open as a plan");
    open->setObjectName("open log mission");
    lines->addWidget(open, 0, Qt::AlignLeft);
    tabs_->addTab(second, "Missions");
    speakers_ = new QListWidget;
    speakers_->setObjectName("log components");
    speakers_->setSelectionMode(QAbstractItemView::NoSelection);
    tabs_->addTab(speakers_, "Who spoke");
    column->addWidget(tabs_, 1);
    connect(search_, &QLineEdit::textChanged, this, &ContentsDialog::fill);
    connect(beside, &QPushButton::clicked, this, [this] {
        const QString path =
            QFileDialog::getOpenFileName(this, "The other log", QFileInfo(review_->path()).absolutePath());
        if (!path.isEmpty()) compareWith(path);
    });
    connect(save, &QPushButton::clicked, this, [this] {
        const QString path = QFileDialog::getSaveFileName(this, "Save parameters", "parameters.csv", "CSV (*.csv)");
        if (!path.isEmpty()) saveParameters(path);
    });
    connect(missions_, &QListWidget::currentRowChanged, this, [this, open](int r) {
        open->setEnabled(r >= 0 && review_->log() && r < static_cast<int>(review_->log()->mission_lists.size()) &&
                         !review_->log()->mission_lists[static_cast<std::size_t>(r)].items.empty());
    });
    connect(open, &QPushButton::clicked, this, [this] {
        if (missions_->currentRow() >= 0) emit missionWanted(missions_->currentRow());
    });
    connect(review_, &ReviewSession::logChanged, this, [this] {
        other_.reset();
        if (isVisible()) {
            fill();
            fillMissions();
            fillSpeakers();
        }
    });
}

void ContentsDialog::present() {
    fill();
    fillMissions();
    fillSpeakers();
    show();
    raise();
}

void ContentsDialog::fill() {
    table_->setRowCount(0);
    const LogPtr log = review_->log();
    if (!log) return summary_->setText("No log is open");
    table_->setColumnHidden(2, !other_);
    const QString wanted = search_->text().trimmed();
    const auto add = [&](const std::string& name, const std::optional<double>& a, const std::optional<double>& b) {
        const QString text = QString::fromStdString(name);
        if (!wanted.isEmpty() && !text.contains(wanted, Qt::CaseInsensitive)) return;
        const int r = table_->rowCount();
        table_->insertRow(r);
        const auto value = [](const std::optional<double>& v) {
            return v ? QString::fromStdString(paramText(*v)) : QString("not there");
        };
        table_->setItem(r, 0, new QTableWidgetItem(text));
        table_->setItem(r, 1, new QTableWidgetItem(value(a)));
        table_->setItem(r, 2, new QTableWidgetItem(value(b)));
    };
    if (other_) {
        const auto changes = paramChanges(log->params, *other_);
        for (const ParamChange& c : changes) add(c.name, c.before, c.after);
        summary_->setText(changes.empty() ? "All parameters are the same as in " + other_name_
                                          : QString("%1 differ from %2").arg(changes.size()).arg(other_name_));
        return;
    }
    for (const auto& [name, value] : log->params) add(name, value, std::nullopt);
    summary_->setText(log->params.empty() ? QString("This log has no parameters")
                                          : QString("%1 parameters").arg(log->params.size()));
}

void ContentsDialog::fillMissions() {
    missions_->clear();
    mission_text_->clear();
    const LogPtr log = review_->log();
    if (!log) return;
    const auto& lists = log->mission_lists;
    for (std::size_t i = 0; i < lists.size(); ++i) {
        QString text = QString("%1: %2 items, %3 %4 after the beginning")
                           .arg(i + 1)
                           .arg(lists[i].count)
                           .arg(lists[i].read ? "read from the aircraft" : "sent")
                           .arg(QString::fromStdString(durationText(std::max(0.0, lists[i].t_s - log->zero()))));
        if (lists[i].items.size() < lists[i].count)
            text += QString(", %1 of them in the log").arg(lists[i].items.size());
        if (i > 0) {
            // How it differs from the one before.
            std::size_t same = 0;
            for (const LoggedItem& item : lists[i].items)
                same +=
                    std::find(lists[i - 1].items.begin(), lists[i - 1].items.end(), item) != lists[i - 1].items.end();
            text += same == lists[i].items.size() && lists[i].items.size() == lists[i - 1].items.size()
                        ? QString(", the same as the one before")
                        : QString(", %1 items as before").arg(same);
        }
        missions_->addItem(text);
    }
    // The last one sent before it was armed is the one that was flown.
    double armed = -1;
    for (const LogEvent& e : log->events)
        if (e.kind == "armed") {
            armed = e.t_s;
            break;
        }
    for (std::size_t i = lists.size(); i-- > 0 && armed >= 0;)
        if (lists[i].t_s <= armed) {
            mission_text_->setText(QString("Number %1 was aboard when it was armed.").arg(i + 1));
            break;
        }
    if (lists.empty())
        mission_text_->setText(log->missions.empty() ? "No mission was sent while this log was written."
                                                     : "The log counts missions but does not hold their items.");
    if (!lists.empty()) missions_->setCurrentRow(0);
}

void ContentsDialog::fillSpeakers() {
    speakers_->clear();
    const LogPtr log = review_->fileLog();
    if (!log) return;
    for (const LogSpeaker& s : log->speakers)
        speakers_->addItem(QString("%1 %2/%3: %4 packets")
                               .arg(QString::fromStdString(s.kind))
                               .arg(s.system)
                               .arg(s.component)
                               .arg(QLocale(QLocale::English).toString(static_cast<qulonglong>(s.packets))));
    if (log->speakers.empty()) speakers_->addItem("This is no recording of a link: it is the aircraft's own log");
}

void ContentsDialog::compareWith(const QString& path) {
    const auto log = openLog(path.toStdString());
    if (!log) return summary_->setText(QString::fromStdString(log.error().message));
    other_ = (*log)->params;
    other_name_ = QFileInfo(path).fileName();
    fill();
}

bool ContentsDialog::saveParameters(const QString& path) {
    if (!review_->log()) return false;
    std::string text = "name,value\n";
    for (const auto& [name, value] : review_->log()->params) text += fmt::format("{},{}\n", name, paramText(value));
    const auto ok = writeFileAtomic(path.toStdString(), text);
    emit message(ok ? "Parameters saved: " + path : QString::fromStdString(ok.error().message));
    return ok.has_value();
}

}  // namespace anhinga
