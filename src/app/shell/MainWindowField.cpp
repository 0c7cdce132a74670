// The Field's part of the window: strip, instrument and dialogs over the shared map, what is heard into band and
// figures.
#include <QtWidgets>

#include "app/field/CarryOver.h"
#include "app/field/CompareDialog.h"
#include "app/field/LogsDialog.h"
#include "app/field/ParametersDialog.h"
#include "app/shell/MainWindow.h"

#include "app/shell/Parts.h"
#include "app/widgets/Quantity.h"
#include "core/pattern/Heights.h"

namespace anhinga {

void MainWindow::makeField() {
    strip_ = new StateStrip(&field_session_, &link_, &plan_, views_);
    strip_->hide();
}

void MainWindow::makeFieldActions() {
    addAct("mark", "Mark in the recording", QKeySequence("Ctrl+M"), [this] { field_->flyPage()->mark(); });
    addAct("acknowledge", "Acknowledge all alarms", QKeySequence("Shift+A"),
           [this] { field_session_.acknowledge(""); });
    addAct("return", "Aircraft: return home", QKeySequence("Shift+R"), [this] {
        if (link_.vehicle().armed)
            link_.command("Return home",
                          [](VehicleLink& l, std::stop_token s) { return commandReturn(l, std::move(s)); });
        else
            showMessage("No aircraft is flying");
    });
    addAct("follow aircraft", "Map follows the aircraft", QKeySequence("Ctrl+Shift+A"), [this] {
        follow_aircraft_ = !follow_aircraft_;
        showMessage(follow_aircraft_ ? "The map follows the aircraft" : "The map stays where it is");
    });
    const std::pair<const char*, FieldPanel::Page> pages[] = {
        {"Link", FieldPanel::Page::link}, {"Checklist", FieldPanel::Page::checklist}, {"Fly", FieldPanel::Page::fly}};
    int n = 0;
    for (const auto& [name, page] : pages)
        addAct(QString("field %1").arg(name), QString("Field: %1").arg(name), QKeySequence(QString("Ctrl+%1").arg(++n)),
               [this, p = page] {
                   setWorkspace(Workspace::field);
                   field_->showPage(p);
               });
}

/// Space in the Field: what a hand wants in a hurry.
void MainWindow::pauseOrResume() {
    const VehicleSnapshot& v = link_.vehicle();
    if (!link_.connected() || !v.armed) return;
    if (modeKind(v) == ModeKind::hold)
        link_.command("Go on", [](VehicleLink& l, std::stop_token s) { return commandResume(l, std::move(s)); });
    else
        link_.command("Hold", [](VehicleLink& l, std::stop_token s) { return commandPause(l, std::move(s)); });
}

/// The click that says where to go, when one is waited for.
bool MainWindow::sendThere(GeoPoint place) {
    if (!std::exchange(going_there_, false)) return false;
    map_->unsetCursor();
    if (workspace_ != Workspace::field || !link_.vehicle().armed) return false;
    const double height = field_->flyPage()->goToHeight_m();
    const QString what = QString("Go there, %1 above home").arg(shownNumber(height, kHeightUnit, 0));
    link_.command(what, [place, height](VehicleLink& l, std::stop_token s) {
        return commandGoTo(l, place, height, std::move(s));
    });
    return true;
}

/// Speed and height as they were set on the instrument: one order, the speed first.
void MainWindow::flySo(std::optional<double> speed_mps, std::optional<double> height_m) {
    QStringList parts;
    if (speed_mps) parts << shownNumber(*speed_mps, "m/s", 1);
    if (height_m) parts << shownNumber(*height_m, kHeightUnit, 0) + " over home";
    if (parts.isEmpty()) return;
    link_.command("Fly so, " + parts.join(", "), [speed_mps, height_m](VehicleLink& l, std::stop_token s) {
        if (speed_mps)
            if (auto ok = commandSpeed(l, *speed_mps, s); !ok) return ok;
        return height_m ? commandHeight(l, *height_m, s) : Result<void>();
    });
}

std::set<ItemId> MainWindow::itemsToGoOn() const {
    std::set<ItemId> out;
    if (workspace_ == Workspace::field && link_.vehicle().armed)
        for (const FieldSession::GoOnPlace& p : field_session_.goOnPlaces()) out.insert(p.id);
    return out;
}

std::map<ItemId, QString> MainWindow::itemStates() const {
    std::map<ItemId, QString> out;
    const PlanView& view = plan_.flownView();
    if (!view.sendable() || link_.batches() != nullptr) return out;
    const auto states = link_.states(view.program);
    if (states.empty()) return out;
    // What most of them are the seal says once; the others are named.
    std::map<HoldState, int> counts;
    for (const HoldState state : states) ++counts[state];
    const auto most = std::max_element(counts.begin(), counts.end(),
                                       [](const auto& x, const auto& y) { return x.second < y.second; });
    std::map<ItemId, HoldState> named;
    for (std::size_t i = 0; i < states.size(); ++i) {
        const ItemId id = view.program.sourceAt(static_cast<int>(i));
        if (id == 0 || states[i] == most->first) continue;
        const auto at = named.find(id);
        if (at == named.end() || states[i] == HoldState::active ||
            (states[i] < at->second && at->second != HoldState::active))
            named[id] = states[i];
    }
    for (const auto& [id, state] : named) out[id] = holdText(state);
    return out;
}

void MainWindow::carryOver() {
    plan_.whenDerived(this, [this] { showCarryOver(); });
}

void MainWindow::showCarryOver() {
    if (!plan_.flownView().sendable()) return showMessage("The plan cannot be flown yet: see the findings");
    auto* dialog = new CarryOverDialog(&plan_, this);
    dialog->setAttribute(Qt::WA_DeleteOnClose);
    connect(dialog, &CarryOverDialog::message, this, &MainWindow::showMessage);
    dialog->open();
}

void MainWindow::vehicleHeard() {
    const VehicleSnapshot& v = link_.vehicle();
    if (v.boot_s && v.armed && v.height_home_m) {
        // The clock starts with the mission, as it does in rehearsal; waiting armed on the ground does not count.
        const bool begins = modeKind(v) == ModeKind::mission && !field_modes_.empty() && field_modes_.size() == 1 &&
                            field_modes_[0].second != "mission" && *v.height_home_m < 1;
        if (field_start_s_ < 0 || *v.boot_s < field_start_s_ || begins) {
            field_start_s_ = *v.boot_s;
            field_heights_.clear();
            field_battery_.clear();
            field_modes_.clear();
            field_step_s_ = 0.4;
        }
        const double t = *v.boot_s - field_start_s_;
        if (field_heights_.empty() || t > field_heights_.back().first + field_step_s_) {
            // A long flight is kept whole at half the points.
            constexpr std::size_t kMostPoints = 4000;
            if (field_heights_.size() >= kMostPoints) {
                for (auto* line : {&field_heights_, &field_battery_}) {
                    std::size_t kept = 0;
                    for (std::size_t i = 0; i < line->size(); i += 2) (*line)[kept++] = (*line)[i];
                    line->resize(kept);
                }
                field_step_s_ *= 2;
            }
            field_heights_.emplace_back(t, *v.height_home_m);
            if (v.battery_percent) field_battery_.emplace_back(t, *v.battery_percent);
            const QString mode = QString::fromStdString(modeName(v));
            if (field_modes_.empty() || field_modes_.back().second != mode) field_modes_.emplace_back(t, mode);
            if (workspace_ == Workspace::field) refreshTimeBand();
        }
    } else if (!v.armed && v.heard) {
        if (field_start_s_ >= 0 && field_heights_.size() > 10 && workspace_ == Workspace::field) refreshTimeBand();
        field_start_s_ = -1;
    }
    if (workspace_ == Workspace::field) {
        refreshOverlay();
        const auto ground = v.position ? plan_.terrain()->sample(*v.position) : std::nullopt;
        instrument_->show(v, field_session_.progress(), !hovers(plan_.plan()->vehicle.kind),
                          v.heard && v.heartbeat_age_s < 3,
                          ground && v.amsl_m ? std::optional(*v.amsl_m - *ground) : std::nullopt);
        if (follow_aircraft_ && v.position && !sceneShown()) map_->keepInView(*v.position);
    }
    refreshTop();
}

void MainWindow::connectField() {
    connect(&link_, &LinkSession::vehicleChanged, this, &MainWindow::vehicleHeard);
    connect(&link_, &LinkSession::stateChanged, this, [this] {
        if (!link_.connected()) instrument_->show({}, {}, false, false, {});
    });
    connect(&link_, &LinkSession::fetched, this, [this](const HeldPlan& held) {
        // A plan of its own, at the same place: nothing of the open one but what it is flown with and over.
        Plan base = *plan_.plan();
        base.title = QString("Vehicle %1 as read %2")
                         .arg(link_.vehicle().system)
                         .arg(QDateTime::currentDateTime().toString("yyyy-MM-dd HH:mm"))
                         .toStdString();
        base.notes.clear();
        base.seals.clear();
        base.revision = 1;
        base.frozen = false;
        for (CheckItem& c : base.checklist) c.ticked_unix_s = 0;
        const auto back = held.plan(base);
        if (!back) return showMessage(QString::fromStdString(back.error().message));
        plan_.replaceAsNew("Read from aircraft", back->plan);
        setWorkspace(Workspace::draft);
        showMessage(QString("%1 mission items read from the aircraft into a new plan. Undo brings the earlier one "
                            "back, with its file")
                        .arg(held.route()));
    });
    connect(&link_, &LinkSession::fetchFailed, this, &MainWindow::showMessage);
    connect(field_, &FieldPanel::message, this, &MainWindow::showMessage);
    LinkPage* page = field_->linkPage();
    connect(page, &LinkPage::openRecording, this, [this](const QString& path) { openFile(path); });
    connect(page, &LinkPage::movePlanWanted, this, [this](GeoPoint home) { movePlan(home); });
    connect(page, &LinkPage::carryOverWanted, this, &MainWindow::carryOver);
    connect(page, &LinkPage::compareWanted, this, [this] {
        if (compare_ == nullptr) compare_ = new CompareDialog(&plan_, &link_, this);
        compare_->present();
    });
    connect(page, &LinkPage::parametersWanted, this, [this] {
        if (parameters_ == nullptr) {
            parameters_ = new ParametersDialog(&link_, this);
            connect(parameters_, &ParametersDialog::message, this, &MainWindow::showMessage);
        }
        parameters_->present();
    });
    connect(page, &LinkPage::valuesWanted, this, &MainWindow::showValues);
    connect(page, &LinkPage::logsWanted, this, [this] {
        if (logs_ == nullptr) {
            logs_ = new LogsDialog(&link_, dataFolder() + "/logs", this);
            connect(logs_, &LogsDialog::message, this, &MainWindow::showMessage);
            connect(logs_, &LogsDialog::openLog, this, [this](const QString& path) { openFile(path); });
        }
        logs_->present();
    });
    connect(field_->flyPage(), &FlyPage::goToWanted, this, [this] {
        going_there_ = true;
        showScene(false);
        map_->setCursor(Qt::CrossCursor);
        showMessage("Click the place on the map where the aircraft is to go and hold");
    });
    connect(&field_session_, &FieldSession::changed, this, [this] {
        if (workspace_ != Workspace::field) return;
        strip_->refresh();
        itinerary_->setStates(itemStates());
        itinerary_->setGoOn(itemsToGoOn());
    });
    connect(itinerary_, &Itinerary::goOnWanted, this, [this](ItemId id) {
        for (const FieldSession::GoOnPlace& p : field_session_.goOnPlaces())
            if (p.id == id)
                return link_.command("Go on from " + p.text, [seq = p.seq](VehicleLink& l, std::stop_token s) {
                    return commandSkipTo(l, seq, std::move(s));
                });
        showMessage("The aircraft cannot go on from this item now");
    });
    connect(instrument_, &Instrument::flySo, this, &MainWindow::flySo);
    connect(&field_session_, &FieldSession::alarmsChanged, this, &MainWindow::placeOverlays);
    connect(&field_session_, &FieldSession::raised, this, [this](const QString& text, AlarmLevel level) {
        sounds_.play(level == AlarmLevel::danger ? Sound::danger
                     : level == AlarmLevel::warn ? Sound::warning
                                                 : Sound::note);
        if (workspace_ != Workspace::field) showMessage(text);
    });
    connect(&field_session_, &FieldSession::spoken, this, [this](const QString&, int severity) {
        constexpr int kCritical = 2, kWarning = 4, kNotice = 5;
        if (severity <= kCritical) return;  // an alarm of its own
        if (severity <= kNotice) sounds_.play(severity <= kWarning ? Sound::warning : Sound::note);
    });
    connect(&field_session_, &FieldSession::hasLanded, this, [this] {
        if (workspace_ != Workspace::field) showMessage(field_session_.landedText() + ". What follows is in the Field");
    });
}

}  // namespace anhinga
