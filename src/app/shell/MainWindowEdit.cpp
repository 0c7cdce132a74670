// What the window does to the plan as a whole: clipboard, import, moving it, and the small actions of the edit menu.
#include <QtWidgets>

#include "app/draft/ImportDialog.h"
#include "app/draft/MovePlanDialog.h"
#include "app/shell/MainWindow.h"

#include "app/shell/Parts.h"
#include "app/widgets/Quantity.h"
#include "core/exchange/FlownLine.h"
#include "core/exchange/OpenAir.h"
#include "core/plan/Edit.h"

namespace anhinga {

void MainWindow::makeEditActions() {
    addAct("copy", "Copy selection", QKeySequence::Copy, [this] {
        if (!plan_.selection().empty())
            QApplication::clipboard()->setText(QString::fromStdString(copyText(*plan_.plan(), plan_.selection())));
    });
    addAct("cut", "Cut selection", QKeySequence::Cut, [this] {
        action("copy")->trigger();
        deleteSelection();
    });
    addAct("paste", "Paste", QKeySequence::Paste, [this] {
        if (workspace_ != Workspace::draft) setWorkspace(Workspace::draft);
        const std::string text = QApplication::clipboard()->text().toStdString();
        Result<Ids> made = fail("nothing");
        const auto ok = plan_.edit("Paste", [&](Plan& plan) { made = pasteText(plan, text, plan_.selection()); });
        if (made && ok)
            plan_.select(*made);
        else if (!made)
            showMessage(QString::fromStdString(made.error().message) + ": copy items or areas of a plan first");
    });
    addAct("reverse", "Reverse order of selection", QKeySequence("Ctrl+R"), [this] {
        if (plan_.selection().size() < 2) return showMessage("Select the items whose order is to be turned round");
        plan_.edit("Reverse order", [this](Plan& plan) { reverse(plan, plan_.selection()); });
    });
    addAct("correct all", "Apply all corrections", QKeySequence("Ctrl+Shift+F"), [this] {
        plan_.whenDerived(this, [this] {
            const DerivedPtr d = plan_.derived();
            plan_.edit("Apply all corrections", [&](Plan& plan) { applyAll(plan, d->findings); });
        });
    });
    addAct("import", "Import places …", QKeySequence("Ctrl+I"), [this] {
        const QString path =
            QFileDialog::getOpenFileName(this, "Import places", QSettings().value("files/folder").toString(),
                                         "Places (*.kml *.kmz *.gpx *.geojson *.json *.csv);;All files (*)");
        if (!path.isEmpty()) importFile(path);
    });
    addAct("import airspace", "Import airspace …", QKeySequence("Ctrl+Shift+I"), [this] {
        const QString path =
            QFileDialog::getOpenFileName(this, "Import airspace", QSettings().value("files/folder").toString(),
                                         "Airspace (*.txt *.geojson *.json);;All files (*)");
        if (!path.isEmpty()) importAirspace(path);
    });
    addAct("move plan", "Move the whole plan …", QKeySequence("Ctrl+Shift+M"), [this] { movePlan({}); });
    addAct("plan to aircraft", "Move the plan: home to the aircraft …", QKeySequence("Ctrl+Alt+H"), [this] {
        if (link_.vehicle().position)
            movePlan(*link_.vehicle().position);
        else
            showMessage("No aircraft is connected");
    });
    addAct("go to", "Go to a coordinate", QKeySequence("Ctrl+G"), [this] { goTo(); });
    addAct("coordinate format", "Next coordinate format", QKeySequence("Ctrl+Shift+C"), [this] {
        const int next = (static_cast<int>(coordinateFormat()) + 1) % 4;
        setCoordinateFormat(static_cast<CoordinateFormat>(next));
        const char* names[] = {"decimal degrees", "degrees, minutes, seconds", "UTM", "MGRS"};
        showMessage(QString("Coordinates in %1").arg(names[next]));
        inspector_->refresh();
        map_->update();
    });
}

void MainWindow::deleteSelection() {
    const auto ids = plan_.selection();
    if (ids.empty() || workspace_ != Workspace::draft) return;
    plan_.edit("Delete", [&](Plan& plan) { remove(plan, ids); });
}

void MainWindow::duplicateSelection() {
    Ids made;
    const auto ok = plan_.edit("Duplicate", [&](Plan& plan) { made = duplicate(plan, plan_.selection(), 135, 20); });
    if (ok && !made.empty()) plan_.select(made);
}

bool MainWindow::importFile(const QString& path) {
    const auto file = readShapes(path.toStdString());
    if (!file) {
        showMessage(QString::fromStdString(file.error().message));
        return false;
    }
    ImportDialog dialog(*file, QFileInfo(path).fileName(), plan_.plan()->home.has_value(), this);
    if (dialog.exec() != QDialog::Accepted) return false;
    Ids made;
    const std::vector<ShapeRole> roles = dialog.roles();
    const auto ok = plan_.edit("Import " + QFileInfo(path).fileName(), [&](Plan& plan) {
        if (dialog.wantsHome()) takeHomeOfFlight(plan, *file, roles);
        for (std::size_t i = 0; i < roles.size(); ++i)
            for (const ItemId id : addShape(plan, dialog.file().shapes[i], roles[i])) made.insert(id);
    });
    if (!ok) return false;
    setWorkspace(Workspace::draft);
    plan_.select(made);
    map_->showWholePlan();
    showMessage(QString("%1 things imported; undo takes all of them back").arg(made.size()));
    return true;
}

bool MainWindow::importAirspace(const QString& path) {
    const auto file = anhinga::readAirspace(path.toStdString());
    if (!file) {
        showMessage(QString::fromStdString(file.error().message));
        return false;
    }
    QMessageBox box(this);
    box.setWindowTitle("Import airspace");
    box.setText(QString("%1 zones in %2.").arg(file->zones.size()).arg(QFileInfo(path).fileName()));
    QString notes;
    for (const std::string& n : file->notes) notes += QString::fromStdString(n) + "\n";
    box.setInformativeText(
        notes +
        "Is this data complete for the area the map shows now? Only there will places outside of zones count as "
        "clear; everywhere else airspace stays unknown.");
    QPushButton* complete = box.addButton("Complete here", QMessageBox::YesRole);
    complete->setObjectName("airspace complete");
    box.addButton("Zones only", QMessageBox::NoRole);
    QPushButton* cancel = box.addButton(QMessageBox::Cancel);
    box.exec();
    if (box.clickedButton() == cancel) return false;
    std::vector<GeoPoint> covered;
    if (box.clickedButton() == complete) {
        const MapTransform& t = map_->transform();
        for (const QPointF corner : {QPointF(0, 0), QPointF(map_->width(), 0), QPointF(map_->width(), map_->height()),
                                     QPointF(0, map_->height())})
            covered.push_back(t.toGeo(corner));
    }
    const std::string source =
        QFileInfo(path).fileName().toStdString() + ", " + QDate::currentDate().toString(Qt::ISODate).toStdString();
    if (!plan_.edit("Import airspace", [&](Plan& plan) { addAirspace(plan, *file, source, covered); })) return false;
    showMessage(QString("%1 zones imported").arg(file->zones.size()));
    return true;
}

void MainWindow::movePlan(std::optional<GeoPoint> home_to) {
    if (!plan_.plan()->home) return showMessage("The plan has no home to move from: set it first");
    MovePlanDialog dialog(plan_.plan(), plan_.terrain(), home_to, this);
    if (dialog.exec() != QDialog::Accepted) return;
    plan_.edit("Move plan", [&](Plan& plan) { plan = dialog.moved(); });
    map_->showWholePlan();
}

void MainWindow::goTo() {
    auto* field = new QLineEdit(map_);
    field->setObjectName("go to");
    field->setPlaceholderText("coordinate: 47.312, -20.118 · 47d18'43\"N 20d07'05\"W · UTM · MGRS");
    field->setFixedWidth(430);
    field->move((map_->width() - field->width()) / 2, 14);
    field->setAttribute(Qt::WA_DeleteOnClose);
    field->show();
    field->setFocus();
    connect(field, &QLineEdit::returnPressed, this, [this, field] {
        const auto place = parseCoordinate(field->text().toStdString());
        if (!place) return showMessage(QString::fromStdString(place.error().message));
        map_->showPlace(*place);
        map_->setCursorPlace(*place);
        map_->setFocus();
        field->close();
    });
    auto* escape = new QShortcut(Qt::Key_Escape, field, [field] { field->close(); });
    escape->setContext(Qt::WidgetShortcut);
}

}  // namespace anhinga
