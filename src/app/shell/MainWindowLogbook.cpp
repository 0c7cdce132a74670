// Logbook, spectrum and flight report in the window: what comes into the logbook by itself, the page, the report as a
// file.
#include <QtWidgets>

#include <QPdfWriter>
#include <QTextDocument>

#include "app/shell/MainWindow.h"

#include "app/shell/Parts.h"
#include "core/base/Digest.h"
#include "core/base/File.h"
#include "core/review/FlightReport.h"

namespace anhinga {

void MainWindow::connectLogbook() {
    logbook_.setFile(dataFolder() + "/logbook.sqlite");
    if (const QString watched = QSettings().value("logbook/watched").toString(); !watched.isEmpty())
        logbook_.watchFolder(watched);
    connect(logbook_page_, &LogbookPage::backWanted, this, [this] { showPage(work_page_); });
    connect(logbook_page_, &LogbookPage::message, this, &MainWindow::showMessage);
    connect(logbook_page_, &LogbookPage::openWanted, this, [this](const QString& path) {
        showPage(work_page_);
        openFile(path);
    });
    connect(channels_, &ChannelPanel::logbookWanted, this, &MainWindow::showLogbook);
    connect(channels_, &ChannelPanel::columnsWanted, this, [this] { askForColumns(review_.path()); });
    connect(channels_, &ChannelPanel::spectrumWanted, this, &MainWindow::showSpectrum);
    connect(channels_, &ChannelPanel::reportWanted, this, &MainWindow::reportDialog);
    // Fetched, recorded or opened: straight into the logbook.
    connect(&link_, &LinkSession::logFetched, this,
            [this](const QString& path) { logbook_.add(path, false, plan_.path()); });
    connect(&link_, &LinkSession::recordingEnded, this,
            [this](const QString& path) { logbook_.add(path, true, plan_.path()); });
    connect(&review_, &ReviewSession::logChanged, this, [this] {
        // The recording that is still being written comes when it is complete.
        const bool growing = link_.connected() && review_.path() == link_.recordPath();
        if (review_.fileLog() && review_.aircraft() == 0 && !growing && QFileInfo(review_.path()).isFile())
            logbook_.add(review_.path(), review_.fileLog());
    });
    connect(&logbook_, &LogbookSession::failed, this, [this](const QString& why) {
        if (!logbook_page_->isVisible()) showMessage("Not in the logbook: " + why);
    });
}

void MainWindow::showLogbook() {
    showPage(logbook_page_);
    logbook_page_->refresh();
    logbook_page_->setFocus();
}

void MainWindow::showSpectrum() {
    if (!review_.log()) return showMessage("Open a log first: the spectrum is of a channel in Debrief");
    if (spectrum_ == nullptr) {
        spectrum_ = new SpectrumDialog(this);
        spectrum_->setTheme(theme_);
    }
    // What is drawn last is what is looked at.
    spectrum_->present(review_.log(),
                       trace_model_.traces().empty() ? std::string() : trace_model_.traces().back().name);
}

void MainWindow::reportDialog() {
    if (!review_.log()) return showMessage("Open a log first: the report is of the flight in Debrief");
    const QString name = QFileInfo(review_.path()).completeBaseName();
    const QString path = QFileDialog::getSaveFileName(
        this, "Flight report", (name.isEmpty() ? "flight" : name) + ".pdf", "PDF (*.pdf);;HTML (*.html)");
    if (!path.isEmpty()) saveReport(path);
}

void MainWindow::saveReport(const QString& path) {
    // What was planned is only known where the open plan was flown.
    const auto rehearsal = review_.mission().is_plan ? plan_.flownRehearsal() : nullptr;
    ReportInput in;
    in.log = review_.log().get();
    if (in.log == nullptr) return;
    in.file = QFileInfo(review_.path()).fileName().toStdString();
    if (const auto digest = sha256OfFile(review_.path().toStdString())) in.sha256 = *digest;
    const auto plan = plan_.plan();
    if (review_.mission().is_plan) in.plan = plan.get();
    in.against = review_.mission().text();
    if (review_.comparison()) in.flown = &*review_.comparison();
    in.health = review_.health();
    in.not_compared = review_.notCompared().toStdString();
    if (rehearsal) {
        in.planned_s = rehearsal->duration_s;
        in.planned_wh = rehearsal->energy_wh;
        in.planned_photos = rehearsal->photos;
    }
    if (!sceneShown()) {
        QBuffer png;
        png.open(QIODevice::WriteOnly);
        map_->grab().save(&png, "PNG");
        in.map_png = png.data().toStdString();
    }
    const std::string html = flightReport(in);
    if (path.endsWith(".pdf", Qt::CaseInsensitive)) {
        QTextDocument page;
        page.setHtml(QString::fromStdString(html));
        QPdfWriter writer(path);
        writer.setPageSize(QPageSize(QPageSize::A4));
        writer.setTitle("Flight report");
        page.print(&writer);
        if (!QFileInfo(path).isFile() || QFileInfo(path).size() == 0) return showMessage(path + ": cannot be written");
    } else if (const auto ok = writeFileAtomic(path.toStdString(), html); !ok) {
        return showMessage(QString::fromStdString(ok.error().message));
    }
    showMessage("Report written: " + path);
}

}  // namespace anhinga
