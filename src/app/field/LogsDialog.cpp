#include "app/field/LogsDialog.h"

#include <QtWidgets>

#include "app/widgets/Theme.h"

namespace anhinga {

LogsDialog::LogsDialog(LinkSession* link, const QString& folder, QWidget* parent)
    : QDialog(parent), link_(link), folder_(folder) {
    setObjectName("logs dialog");
    setWindowTitle("Logs aboard");
    resize(620, 420);
    auto* column = new QVBoxLayout(this);
    summary_ = new QLabel;
    summary_->setObjectName("logs summary");
    summary_->setWordWrap(true);
    column->addWidget(summary_);
    table_ = new QTableWidget;
    table_->setObjectName("logs table");
    table_->setColumnCount(4);
    table_->setHorizontalHeaderLabels({"Log", "Begun", "Size", "Here"});
    table_->horizontalHeader()->setStretchLastSection(true);
    table_->verticalHeader()->hide();
    table_->setEditTriggers(QAbstractItemView::NoEditTriggers);
    table_->setSelectionBehavior(QAbstractItemView::SelectRows);
    table_->setSelectionMode(QAbstractItemView::SingleSelection);
    column->addWidget(table_, 1);
    progress_ = new QProgressBar;
    progress_->setRange(0, 1000);
    column->addWidget(progress_);
    auto* row = new QHBoxLayout;
    const auto button = [&](const QString& text, const QString& object) {
        auto* b = new QPushButton(text);
        b->setObjectName(object);
        b->setAutoDefault(false);
        row->addWidget(b);
        return b;
    };
    list_ = button("List again", "logs list");
    fetch_ = button("Fetch", "logs fetch");
    fetch_->setProperty("primary", true);
    stop_ = button("Stop", "logs stop");
    open_ = button("Open in Debrief", "logs open");
    row->addStretch(1);
    erase_ = button("Erase all …", "logs erase");
    erase_->setProperty("danger", true);
    auto* close = button("Close", "logs close");
    column->addLayout(row);
    connect(list_, &QPushButton::clicked, link_, &LinkSession::listLogs);
    connect(fetch_, &QPushButton::clicked, this, &LogsDialog::fetch);
    connect(table_, &QTableWidget::cellDoubleClicked, this, &LogsDialog::fetch);
    connect(stop_, &QPushButton::clicked, link_, &LinkSession::cancel);
    connect(close, &QPushButton::clicked, this, &QDialog::hide);
    connect(table_, &QTableWidget::itemSelectionChanged, this, &LogsDialog::refreshState);
    connect(open_, &QPushButton::clicked, this, [this] {
        const int r = table_->currentRow();
        if (r < 0 || r >= static_cast<int>(link_->logs().size())) return;
        hide();
        emit openLog(pathOf(link_->logs()[static_cast<std::size_t>(r)]));
    });
    connect(erase_, &QPushButton::clicked, this, [this] {
        const auto answer =
            QMessageBox::warning(this, "Erase the logs aboard",
                                 "All logs on the aircraft are erased. Those fetched here stay.\n\nErase them?",
                                 QMessageBox::Yes | QMessageBox::No, QMessageBox::No);
        if (answer == QMessageBox::Yes) link_->eraseLogs();
    });
    connect(link_, &LinkSession::logsChanged, this, &LogsDialog::refresh);
    connect(link_, &LinkSession::stateChanged, this, &LogsDialog::refreshState);
    connect(link_, &LinkSession::logFetched, this, [this](const QString& path, double seconds) {
        const double mb = static_cast<double>(QFileInfo(path).size()) / 1e6;
        summary_->setText(QString("Fetched %1, %2 MB in %3 s; its size is what the aircraft said")
                              .arg(QFileInfo(path).fileName())
                              .arg(mb, 0, 'f', 2)
                              .arg(seconds, 0, 'f', 1));
        const int chosen = table_->currentRow();
        refresh();
        table_->selectRow(chosen);
    });
    connect(link_, &LinkSession::logFailed, this, [this](const QString& why) {
        summary_->setText(why + (why == "stopped" ? "; Fetch goes on where it was" : ""));
    });
    refresh();
}

void LogsDialog::present() {
    show();
    raise();
    refresh();
    if (link_->logs().empty()) link_->listLogs();
}

QString LogsDialog::pathOf(const OnboardLog& log) const {
    const QString when =
        log.time_unix_s > 0
            ? QDateTime::fromSecsSinceEpoch(static_cast<qint64>(log.time_unix_s)).toUTC().toString("yyyyMMdd-HHmmss")
            : QString("undated");
    // As logs of its family are usually called; what is in it decides how it is read.
    const AutopilotFamily family = dialectOf(link_->vehicle()).family;
    const QString suffix = family == AutopilotFamily::three ? "bin" : family == AutopilotFamily::plain ? "log" : "ulg";
    return QString("%1/vehicle%2-log%3-%4.%5").arg(folder_).arg(link_->vehicle().system).arg(log.id).arg(when, suffix);
}

void LogsDialog::fetch() {
    const int r = table_->currentRow();
    if (r < 0 || r >= static_cast<int>(link_->logs().size()) || link_->busy()) return;
    if (!QDir().mkpath(folder_)) {
        summary_->setText(folder_ + ": cannot be made");
        return;
    }
    const OnboardLog& log = link_->logs()[static_cast<std::size_t>(r)];
    summary_->setText(
        QString("Log %1 is fetched; a link that is cut for less than a minute does not end it").arg(log.id));
    link_->fetchLog(log, pathOf(log));
}

void LogsDialog::refresh() {
    const auto& logs = link_->logs();
    table_->setRowCount(static_cast<int>(logs.size()));
    for (int r = 0; r < table_->rowCount(); ++r) {
        const OnboardLog& log = logs[static_cast<std::size_t>(r)];
        const bool here = QFileInfo::exists(pathOf(log)), part = QFileInfo::exists(pathOf(log) + ".part");
        const QString texts[] = {
            QString::number(log.id),
            log.time_unix_s > 0
                ? QDateTime::fromSecsSinceEpoch(static_cast<qint64>(log.time_unix_s)).toString("d MMM yyyy HH:mm")
                : QString("unknown"),
            QString("%1 MB").arg(static_cast<double>(log.bytes) / 1e6, 0, 'f', 2),
            here   ? "fetched"
            : part ? "begun"
                   : "only aboard"};
        for (int c = 0; c < 4; ++c) table_->setItem(r, c, new QTableWidgetItem(texts[c]));
    }
    table_->resizeColumnToContents(1);
    if (logs.empty() && !link_->busy()) summary_->setText("No logs listed yet, or none aboard");
    if (!logs.empty() && summary_->text().startsWith("No logs"))
        summary_->setText(QString("%1 logs aboard").arg(logs.size()));
    refreshState();
}

void LogsDialog::refreshState() {
    const bool heard = link_->connected() && link_->vehicle().heard, free = heard && !link_->busy();
    progress_->setVisible(link_->busy());
    progress_->setValue(static_cast<int>(link_->progress() * 1000));
    progress_->setFormat(link_->progressText());
    stop_->setVisible(link_->busy());
    const int r = table_->currentRow();
    const bool chosen = r >= 0 && r < static_cast<int>(link_->logs().size());
    list_->setEnabled(free);
    fetch_->setEnabled(free && chosen);
    erase_->setEnabled(free && !link_->logs().empty() && !link_->vehicle().armed);
    open_->setEnabled(chosen && QFileInfo::exists(pathOf(link_->logs()[static_cast<std::size_t>(r)])));
}

}  // namespace anhinga
