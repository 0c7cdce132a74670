// The window's dealings with files: opening, saving, exporting, what is kept safe against a bad end.
#include <QtWidgets>

#include "app/debrief/TableDialog.h"
#include "app/shell/MainWindow.h"

#include "app/shell/Parts.h"
#include "core/base/File.h"
#include "core/exchange/Export.h"
#include "core/logio/LogReader.h"
#include "core/plan/KeptPlan.h"
#include "core/plan/PlanFile.h"
#include "session/UnsavedKeeper.h"

namespace anhinga {

QString MainWindow::dataFolder() {
    return QStandardPaths::writableLocation(QStandardPaths::AppDataLocation);
}

bool MainWindow::mayDiscard() {
    if (!plan_.modified()) return true;
    const auto answer = QMessageBox::warning(
        this, "Unsaved changes",
        QString("The plan \"%1\" has changes that are not saved.").arg(QString::fromStdString(plan_.plan()->title)),
        QMessageBox::Save | QMessageBox::Discard | QMessageBox::Cancel, QMessageBox::Save);
    if (answer == QMessageBox::Save) return save();
    return answer == QMessageBox::Discard;
}

void MainWindow::newPlan() {
    if (!mayDiscard()) return;
    plan_.startNew();
    setWorkspace(Workspace::draft);
}

bool MainWindow::openFile(const QString& path) {
    // A log may be very large: only its beginning is looked at here.
    constexpr qint64 kBegin = 65536;
    QFile file(path);
    if (!QFileInfo(path).isFile() || !file.open(QIODevice::ReadOnly)) {
        const auto why = readFile(path.toStdString());
        showMessage(why ? path + ": cannot be read" : QString::fromStdString(why.error().message));
        return false;
    }
    const QByteArray begin = file.read(kBegin);
    const bool is_plan = path.endsWith("json", Qt::CaseInsensitive) || begin.trimmed().startsWith('{');
    file.close();
    if (!is_plan) {
        openLogFile(path, begin.toStdString());
        return true;
    }
    if (!mayDiscard()) return false;
    if (const auto ok = plan_.load(path); !ok) {
        showMessage(QString::fromStdString(ok.error().message));
        return false;
    }
    remember(path);
    setWorkspace(Workspace::draft);
    return true;
}

/// A table is opened with what was said of tables like it; where the time cannot be told, the operator is asked.
void MainWindow::openLogFile(const QString& path, const std::string& begin) {
    if (!looksLikeTableText(begin)) return review_.open(path);
    const auto layout = recogniseTable(begin);
    const TableMapping mapping = layout ? rememberedMapping(layout->signature) : TableMapping();
    const auto mapped = recogniseTable(begin, mapping);
    const bool timed = mapped && std::any_of(mapped->columns.begin(), mapped->columns.end(),
                                             [](const TableColumn& c) { return c.channel == kTimeColumn; });
    if (timed) return review_.openTable(path, mapping);
    askForColumns(path);
}

/// The columns of a table, by hand.
void MainWindow::askForColumns(const QString& path) {
    QFile file(path);
    if (!file.open(QIODevice::ReadOnly)) return showMessage(path + ": cannot be read");
    constexpr qint64 kBegin = 65536;
    TableDialog dialog(path, file.read(kBegin).toStdString(), this);
    if (dialog.exec() == QDialog::Accepted) review_.openTable(path, dialog.mapping());
}

void MainWindow::openDialog() {
    const QString last = QSettings().value("files/folder").toString();
    const QString path = QFileDialog::getOpenFileName(
        this, "Open plan or log", last,
        "Plans and logs (*.geojson *.tlog *.ulg *.bin *.log *.bbl *.bfl *.gpx *.kml *.csv);;All files (*)");
    if (path.isEmpty()) return;
    QSettings().setValue("files/folder", QFileInfo(path).absolutePath());
    openFile(path);
}

void MainWindow::saveTo(const QString& path) {
    if (path == plan_.path() && plan_.changedOnDisk()) {
        const auto answer = QMessageBox::warning(
            this, "Changed meanwhile",
            QString("%1 was changed by another window or program since it was opened here. Saving now would undo "
                    "that.")
                .arg(QFileInfo(path).fileName()),
            QMessageBox::Save | QMessageBox::Cancel, QMessageBox::Cancel);
        if (answer != QMessageBox::Save) return showMessage("Not saved. \"Save plan as …\" keeps both versions");
    }
    auto ok = plan_.save(path);
    if (!ok && ok.error().code == ErrorCode::guarded) {
        const auto answer = QMessageBox::warning(this, "Guarded file",
                                                 QString::fromStdString(ok.error().message) + ". Replace it anyway?",
                                                 QMessageBox::Save | QMessageBox::Cancel, QMessageBox::Cancel);
        if (answer != QMessageBox::Save) return showMessage("Not saved. \"Save plan as …\" keeps it elsewhere");
        ok = plan_.save(path, true);
    }
    if (!ok) return showMessage(QString::fromStdString(ok.error().message));
    keeper_->flush();
    remember(path);
    refreshTop();
}

bool MainWindow::save() {
    if (plan_.path().isEmpty()) return saveAs();
    saveTo(plan_.path());
    return !plan_.modified();
}

bool MainWindow::saveAs() {
    QString path = QFileDialog::getSaveFileName(
        this, "Save plan",
        plan_.path().isEmpty() ? QSettings().value("files/folder").toString() + "/" +
                                     QString::fromStdString(plan_.plan()->title) + kPlanExtension
                               : plan_.path(),
        QString("Plans (*%1)").arg(kPlanExtension), nullptr, QFileDialog::DontConfirmOverwrite);
    if (path.isEmpty()) return false;
    if (!path.endsWith(".geojson")) path += kPlanExtension;
    // Asked here, with the whole name: what was typed may have been without its ending.
    if (QFileInfo::exists(path) && path != plan_.path() &&
        QMessageBox::warning(this, "Replace",
                             QString("%1 is there already. Replace it with this plan?").arg(QFileInfo(path).fileName()),
                             QMessageBox::Save | QMessageBox::Cancel, QMessageBox::Cancel) != QMessageBox::Save)
        return false;
    saveTo(path);
    return !plan_.modified();
}

void MainWindow::exportPlan() {
    const QString path = QFileDialog::getSaveFileName(
        this, "Export plan", QString(), "KML (*.kml);;KMZ (*.kmz);;GPX (*.gpx);;GeoJSON (*.geojson);;CSV (*.csv)");
    if (!path.isEmpty()) plan_.whenDerived(this, [this, path] { exportPlanTo(path); });
}

void MainWindow::exportPlanTo(const QString& path) {
    const Derived& d = *plan_.derived();
    const auto content = planExport(*d.plan, d.view.path, path.toStdString(),
                                    {&d.view.route, d.terrain.get(), d.rehearsal ? d.rehearsal->log.get() : nullptr});
    if (!content) return showMessage(QString::fromStdString(content.error().message));
    const auto ok = writeFileAtomic(path.toStdString(), *content);
    const bool tour = path.endsWith(".kml") || path.endsWith(".kmz");
    showMessage(!ok                    ? QString::fromStdString(ok.error().message)
                : tour && !d.rehearsal ? "Exported to " + path + ", without a tour: there is no rehearsal"
                                       : "Exported to " + path);
}

void MainWindow::remember(const QString& path) {
    QStringList list = QSettings().value("files/recent").toStringList();
    list.removeAll(QFileInfo(path).absoluteFilePath());
    list.prepend(QFileInfo(path).absoluteFilePath());
    while (list.size() > 10) list.removeLast();
    QSettings().setValue("files/recent", list);
    rebuildRecent();
}

void MainWindow::rebuildRecent() {
    recent_->clear();
    for (const QString& path : QSettings().value("files/recent").toStringList())
        recent_->addAction(QFileInfo(path).fileName(), [this, path] { openFile(path); })->setToolTip(path);
    recent_->setEnabled(!recent_->isEmpty());
}

void MainWindow::autosave() {
    keeper_->flush();
}

void MainWindow::recover() {
    unsaved_left_ = leftPlans(keeper_->folder().toStdString());
    recoverNext();
}

/// One question after the other about what windows that ended badly have left.
void MainWindow::recoverNext() {
    if (unsaved_left_.empty()) return;
    const LeftPlan left = unsaved_left_.front();
    unsaved_left_.erase(unsaved_left_.begin());
    const bool readable = left.problem.empty();
    const QString file = QString::fromStdString(left.file);
    const QString whose =
        left.original.empty() ? QString() : " of " + QFileInfo(QString::fromStdString(left.original)).fileName();
    // A plan that was asked for stays open, unless the answer is to open these.
    const bool beside = readable && !plan_.path().isEmpty() && plan_.path().toStdString() != left.original;
    auto* box = new QMessageBox(
        QMessageBox::NoIcon, readable ? "Unsaved changes found" : "Unsaved changes that cannot be read",
        readable ? QString("The program ended before the changes to \"%1\"%2 were saved.")
                       .arg(QString::fromStdString(left.plan.title), whose)
                 : QString("The program ended before changes were saved, and what was kept of them cannot be read:\n%1")
                       .arg(QString::fromStdString(left.problem)),
        QMessageBox::NoButton, this);
    box->setAttribute(Qt::WA_DeleteOnClose);
    const auto add = [&](QMessageBox::StandardButton button, const char* text) {
        box->addButton(button);
        box->button(button)->setText(text);
        box->button(button)->setIcon({});
    };
    if (readable) {
        add(QMessageBox::Yes, beside ? "Open them instead" : "Open them");
        add(QMessageBox::No, "Discard them");
    } else {
        add(QMessageBox::Save, "Save as a file …");
    }
    add(QMessageBox::Ignore, "Ask later");  // again next time
    box->setDefaultButton(beside ? QMessageBox::Ignore : readable ? QMessageBox::Yes : QMessageBox::Save);
    connect(box, &QMessageBox::finished, this, [this, left, file](int answer) {
        if (answer == QMessageBox::Yes) {
            // First it is open and kept by this window, then the old copy goes.
            if (!plan_.plan()->items.empty() && plan_.modified()) {
                showMessage("Save this plan first; the changes that were left are asked about at the next start");
                return;
            }
            plan_.restore(QString::fromStdString(left.original), left.plan);
            keeper_->flush();
            if (keeper_->problem().isEmpty()) removeLeft(left);
            return;
        }
        if (answer == QMessageBox::No) removeLeft(left);
        if (answer == QMessageBox::Save) {
            auto* dialog =
                new QFileDialog(this, "Save the copy as it is", QSettings().value("files/folder").toString());
            dialog->setAttribute(Qt::WA_DeleteOnClose);
            dialog->setAcceptMode(QFileDialog::AcceptSave);
            dialog->selectFile(QFileInfo(file).fileName());
            connect(dialog, &QFileDialog::fileSelected, this, [this, file](const QString& to) {
                const auto text = readFile(file.toStdString());
                const auto ok =
                    text ? writeFileAtomic(to.toStdString(), *text) : Result<void>(tl::unexpected(text.error()));
                showMessage(ok ? "The copy is in " + to : QString::fromStdString(ok.error().message));
            });
            dialog->open();
        }
        recoverNext();
    });
    box->open();
}

/// Another file takes the place of one that the plan names and that is not there.
void MainWindow::lookForFile(const QString& name) {
    auto* dialog = new QFileDialog(
        this, "Look for " + QFileInfo(name).fileName(),
        plan_.path().isEmpty() ? QSettings().value("files/folder").toString() : QFileInfo(plan_.path()).absolutePath());
    dialog->setObjectName("look for file");
    dialog->setAttribute(Qt::WA_DeleteOnClose);
    dialog->setFileMode(QFileDialog::ExistingFile);
    connect(dialog, &QFileDialog::fileSelected, this, [this, name](const QString& found) {
        const std::string whole = QFileInfo(found).absoluteFilePath().toStdString();
        const std::string named =
            plan_.path().isEmpty()
                ? whole
                : QFileInfo(plan_.path()).absoluteDir().relativeFilePath(QString::fromStdString(whole)).toStdString();
        (void)plan_.edit("Find " + QFileInfo(name).fileName(), [&](Plan& p) {
            for (auto* files : {&p.terrain_files, &p.imagery_files})
                for (std::string& f : *files)
                    if (f == name.toStdString()) f = named;
        });
    });
    dialog->open();
}

void MainWindow::closeEvent(QCloseEvent* e) {
    if (!mayDiscard()) return e->ignore();
    map_->rememberView();
    // What was recorded goes into the logbook before the window goes.
    link_.disconnectLink();
    constexpr int kPatience_ms = 5000;
    logbook_.waitUntilIdle(kPatience_ms);
    e->accept();
}

}  // namespace anhinga
