// The window's pages beside the workspaces: start page with plans and templates, settings.
#include <QtWidgets>

#include "app/shell/MainWindow.h"

#include "app/shell/Parts.h"
#include "app/shell/SettingsPage.h"
#include "app/shell/StartPage.h"
#include "core/plan/Edit.h"
#include "core/plan/PlanFile.h"
#include "core/plan/Templates.h"

namespace anhinga {

void MainWindow::makePages() {
    start_ = new StartPage;
    settings_ = new SettingsPage(&plan_, dataFolder() + "/profiles.json");
    pages_->addWidget(start_);
    pages_->addWidget(settings_);
    logbook_page_ = new LogbookPage(&logbook_);
    pages_->addWidget(logbook_page_);
    connect(start_, &StartPage::openWanted, this, &MainWindow::openFile);
    connect(start_, &StartPage::browseWanted, this, &MainWindow::openDialog);
    connect(start_, &StartPage::backWanted, this, [this] { showPage(work_page_); });
    connect(start_, &StartPage::templateWanted, this, [this](int i) {
        const GeoPoint middle = fromMercator(map_->transform().centre);
        fromTemplate(planTemplates()[static_cast<std::size_t>(i)].make(middle));
    });
    connect(start_, &StartPage::ownTemplateWanted, this, [this](const QString& path) {
        auto plan = loadPlan(path.toStdString());
        if (!plan) return showMessage(QString::fromStdString(plan.error().message));
        fromTemplate(std::move(*plan));
        map_->showWholePlan();
    });
    connect(settings_, &SettingsPage::closeWanted, this, [this] { showPage(work_page_); });
    connect(settings_, &SettingsPage::message, this, &MainWindow::showMessage);
    connect(settings_, &SettingsPage::nightWanted, this, &MainWindow::setNight);
    connect(settings_, &SettingsPage::unitsChanged, this, &MainWindow::unitsChanged);
}

void MainWindow::showPage(QWidget* page) {
    if (pages_->currentWidget() == page) return;
    pages_->setCurrentWidget(page);
    // A message is seen on whatever page is shown.
    message_->setParent(page == work_page_ ? static_cast<QWidget*>(map_) : page);
    if (page == work_page_) map_->setFocus();
}

void MainWindow::showStart() {
    const QStringList recent = QSettings().value("files/recent").toStringList();
    QStringList folders{dataFolder() + "/plans"};
    for (const QString& path : recent)
        if (const QString folder = QFileInfo(path).absolutePath(); !folders.contains(folder) && folders.size() < 6)
            folders << folder;
    start_->refresh(recent, folders, dataFolder() + "/templates");
    showPage(start_);
}

void MainWindow::showSettings() {
    showPage(settings_);
}

void MainWindow::fromTemplate(Plan plan) {
    if (!mayDiscard()) return;
    plan_.startNew();
    plan_.replace("Begin from template", [&] {
        if (plan.terrain_files.empty()) plan.terrain_files = plan_.plan()->terrain_files;
        if (plan.imagery_files.empty()) plan.imagery_files = plan_.plan()->imagery_files;
        return std::move(plan);
    }());
    if (plan_.plan()->home && !plan_.plan()->home->amsl_m)
        if (const auto ground = plan_.terrain()->sample(plan_.plan()->home->position))
            plan_.edit("Begin from template", [&](Plan& p) { moveHome(p, p.home->position, ground); });
    setWorkspace(Workspace::draft);
    map_->setFocus();
}

void MainWindow::keepTemplate() {
    const QString folder = dataFolder() + "/templates";
    QDir().mkpath(folder);
    QString name = QString::fromStdString(plan_.plan()->title);
    name.replace(QRegularExpression("[/\\\\:]"), "-");
    const Plan copy = movedTo(*plan_.plan(), plan_.path().toStdString(), "");
    const QString path = folder + "/" + name + kPlanExtension;
    if (QFile::exists(path) &&
        QMessageBox::question(this, "Template", QString("There is a template \"%1\" already.").arg(name),
                              QMessageBox::Save | QMessageBox::Cancel) != QMessageBox::Save)
        return;
    const auto ok = savePlan(copy, path.toStdString());
    showMessage(ok ? QString("\"%1\" is now among your templates (Plans and templates, Ctrl+Home)").arg(name)
                   : QString::fromStdString(ok.error().message));
}

void MainWindow::unitsChanged() {
    inspector_->refresh();
    findings_->refreshUnits();
    itinerary_->update();
    for (QWidget* w : itinerary_->findChildren<QWidget*>()) w->update();
    map_->setTheme(theme_);
    profile_->update();
    rehearse_->refreshUnits();
    refreshFigures();
    refreshTimeBand();
    channels_->refresh();
}

}  // namespace anhinga
