#include "app/field/FlyPage.h"

#include <QtWidgets>

#include "app/field/Instrument.h"
#include "app/field/PilotSticks.h"
#include "app/widgets/Quantity.h"
#include "core/base/Text.h"
#include "core/mavlink/ModeNames.h"

namespace anhinga {

namespace {
constexpr int kArmHold_ms = 900, kStopHold_ms = 1500;
constexpr std::size_t kNotesShown = 3;
}  // namespace

FlyPage::FlyPage(FieldSession* field, PlanSession* plan, LinkSession* link, QWidget* parent)
    : QWidget(parent), field_(field), plan_(plan), link_(link) {
    auto* column = new QVBoxLayout(this);
    column->setContentsMargins(0, 0, 0, 0);
    column->setSpacing(5);
    by_hand_text_ = new QLabel;
    by_hand_text_->setWordWrap(true);
    column->addWidget(by_hand_text_);
    by_hand_ = new QCheckBox("The camera is running");
    by_hand_->setObjectName("camera by hand");
    column->addWidget(by_hand_);
    musts_ = new QLabel;
    musts_->setObjectName("open musts");
    musts_->setWordWrap(true);
    column->addWidget(musts_);

    auto* grid = new QGridLayout;
    grid->setSpacing(5);
    arm_ = new QPushButton("Arm");
    arm_->setObjectName("command Arm");
    arm_->setProperty("danger", true);
    stop_ = new QPushButton("Emergency stop");
    stop_->setObjectName("command Emergency stop");
    stop_->setProperty("danger", true);
    stop_->setToolTip("Press and hold, then confirm: all motors stop wherever it is");
    using Stop = std::stop_token;
    grid->addWidget(arm_, 0, 0);
    grid->addWidget(
        button("Start", "Flies the mission", [](VehicleLink& l, Stop s) { return commandStart(l, std::move(s)); }), 0,
        1);
    grid->addWidget(button("Pause", "Holds where it is (Space)",
                           [](VehicleLink& l, Stop s) { return commandPause(l, std::move(s)); }),
                    1, 0);
    grid->addWidget(button("Resume", "Goes on with the mission",
                           [](VehicleLink& l, Stop s) { return commandResume(l, std::move(s)); }),
                    1, 1);
    grid->addWidget(button("Return", "Up to return height, home, down (Shift+R)",
                           [](VehicleLink& l, Stop s) { return commandReturn(l, std::move(s)); }),
                    2, 0);
    grid->addWidget(
        button("Land", "Down where it is", [](VehicleLink& l, Stop s) { return commandLand(l, std::move(s)); }), 2, 1);
    grid->addWidget(button("Disarm", "Motors off, on the ground",
                           [](VehicleLink& l, Stop s) { return commandDisarm(l, std::move(s)); }),
                    3, 0);
    grid->addWidget(stop_, 3, 1);
    column->addLayout(grid);

    auto* typed = new QGridLayout;
    typed->setSpacing(5);
    const auto field_of = [](const QString& name, const QString& text) {
        auto* edit = new QLineEdit(text);
        edit->setObjectName("fly " + name);
        edit->setMaximumWidth(84);
        return edit;
    };
    take_off_m_ = field_of("take-off", shownNumber(20, kHeightUnit, 0));
    speed_ = field_of("speed", shownNumber(5, "m/s", 0));
    height_ = field_of("height", shownNumber(40, kHeightUnit, 0));
    const auto typed_command = [this](const QString& name, QLineEdit* edit, const QString& unit, double low,
                                      double high,
                                      std::function<Result<void>(VehicleLink&, double, std::stop_token)> act) {
        auto* b = new QPushButton(name);
        b->setObjectName("command " + name);
        connect(b, &QPushButton::clicked, this, [this, name, edit, unit, low, high, act] {
            const auto value = typedNumber(edit->text(), unit);
            if (!value || *value < low || *value > high)
                return emit message(QString("%1: a value from %2 to %3 is needed")
                                        .arg(name, shownNumber(low, unit, 0), shownNumber(high, unit, 0)));
            link_->command(name + " " + shownNumber(*value, unit, 1),
                           [act, v = *value](VehicleLink& l, std::stop_token s) { return act(l, v, std::move(s)); });
        });
        commands_.push_back(b);
        return b;
    };
    typed->addWidget(take_off_m_, 0, 0);
    typed->addWidget(
        typed_command("Take off", take_off_m_, kHeightUnit, 1, 1000,
                      [](VehicleLink& l, double v, std::stop_token s) { return commandTakeOff(l, v, std::move(s)); }),
        0, 1);
    typed->addWidget(speed_, 1, 0);
    typed->addWidget(
        typed_command("Speed", speed_, "m/s", 0.5, 100,
                      [](VehicleLink& l, double v, std::stop_token s) { return commandSpeed(l, v, std::move(s)); }),
        1, 1);
    typed->addWidget(height_, 1, 2);
    typed->addWidget(
        typed_command("Height", height_, kHeightUnit, 1, 5000,
                      [](VehicleLink& l, double v, std::stop_token s) { return commandHeight(l, v, std::move(s)); }),
        1, 3);
    go_there_ = new QPushButton("Go to a place …");
    go_there_->setObjectName("command Go there");
    go_there_->setToolTip("Click the place on the map: it flies there at the height typed below and holds");
    typed->addWidget(go_there_, 0, 2, 1, 2);
    places_ = new QComboBox;
    places_->setObjectName("fly places");
    skip_ = new QPushButton("Go on from");
    skip_->setObjectName("command Skip");
    typed->addWidget(places_, 2, 0, 1, 2);
    typed->addWidget(skip_, 2, 2, 1, 2);
    modes_ = new QComboBox;
    modes_->setObjectName("fly modes");
    set_mode_ = new QPushButton("Set mode");
    set_mode_->setObjectName("command Mode");
    typed->addWidget(modes_, 3, 0, 1, 2);
    typed->addWidget(set_mode_, 3, 2, 1, 2);
    for (int i = 0; i < 4; ++i) typed->setColumnStretch(i, 1);
    column->addLayout(typed);
    // Four in a row: a field is as wide as its number.
    for (QLineEdit* edit : {take_off_m_, speed_, height_}) edit->setMinimumWidth(56);
    for (QPushButton* b : commands_) b->setMinimumWidth(60);

    command_ = new QLabel;
    command_->setWordWrap(true);
    command_->setObjectName("command state");
    column->addWidget(command_);
    resume_later_ = new QPushButton("Go on later from where it ended");
    resume_later_->setProperty("link", true);
    resume_later_->setObjectName("resume later");
    column->addWidget(resume_later_);
    traces_ = new AttitudeTraces;
    column->addWidget(traces_);
    sticks_ = new PilotSticks;
    column->addWidget(sticks_);
    auto* note_row = new QHBoxLayout;
    note_ = new QLineEdit;
    note_->setObjectName("fly note");
    note_->setPlaceholderText("a few words");
    auto* mark = new QPushButton("Mark");
    mark->setObjectName("mark");
    mark->setToolTip("A mark in the recording, now (Ctrl+M)");
    note_row->addWidget(note_, 1);
    note_row->addWidget(mark);
    column->addLayout(note_row);
    texts_ = new QPlainTextEdit;
    texts_->setObjectName("aircraft texts");
    texts_->setReadOnly(true);
    texts_->setMaximumBlockCount(500);
    texts_->setMinimumHeight(60);
    texts_->setPlaceholderText("Messages from the aircraft appear here");
    texts_->setFont(uiFont(8.5));
    column->addWidget(texts_, 1);

    holdToPress(arm_, kArmHold_ms, [this] { arm(); });
    holdToPress(stop_, kStopHold_ms, [this] {
        const auto answer = QMessageBox::critical(this, "Emergency stop",
                                                  "All motors stop at once. In the air it falls.\n\nStop the motors?",
                                                  QMessageBox::Yes | QMessageBox::No, QMessageBox::No);
        if (answer == QMessageBox::Yes)
            link_->command("Emergency stop",
                           [](VehicleLink& l, std::stop_token s) { return commandEmergencyStop(l, std::move(s)); });
    });
    connect(go_there_, &QPushButton::clicked, this, &FlyPage::goToWanted);
    connect(skip_, &QPushButton::clicked, this, [this] {
        const int seq = places_->currentData().toInt();
        if (seq > 0)
            link_->command(QString("Go on from %1").arg(places_->currentText()),
                           [seq](VehicleLink& l, std::stop_token s) { return commandSkipTo(l, seq, std::move(s)); });
    });
    connect(set_mode_, &QPushButton::clicked, this, [this] {
        const auto mode = modes_->currentData().toUInt();
        link_->command("Mode " + modes_->currentText(),
                       [mode](VehicleLink& l, std::stop_token s) { return commandMode(l, mode, std::move(s)); });
    });
    connect(by_hand_, &QCheckBox::toggled, this, &FlyPage::refresh);
    connect(resume_later_, &QPushButton::clicked, this, &FlyPage::goOnLater);
    connect(mark, &QPushButton::clicked, this, &FlyPage::mark);
    connect(note_, &QLineEdit::returnPressed, this, &FlyPage::mark);
    refresh();
}

/// Acts when the button was held for so long: a slip of the hand must not do it.
void FlyPage::holdToPress(QPushButton* button, int ms, const std::function<void()>& act) {
    auto* hold = new QTimer(this);
    hold->setSingleShot(true);
    hold->setInterval(ms);
    const QString text = button->text();
    connect(button, &QPushButton::pressed, this, [button, hold] {
        hold->start();
        button->setText("hold …");
    });
    connect(button, &QPushButton::released, this, [button, hold, text] {
        hold->stop();
        button->setText(text);
    });
    connect(hold, &QTimer::timeout, this, [button, text, act] {
        button->setText(text);
        act();
    });
}

QPushButton* FlyPage::button(const QString& text, const QString& tip, LinkSession::Command command) {
    auto* b = new QPushButton(text);
    b->setObjectName("command " + text);
    b->setToolTip(tip);
    connect(b, &QPushButton::clicked, this, [this, text, command] { link_->command(text, command); });
    commands_.push_back(b);
    return b;
}

void FlyPage::setTheme(const Theme& theme) {
    theme_ = theme;
    traces_->setTheme(theme);
    sticks_->setTheme(theme);
    refresh();
}

void FlyPage::setCameraByHand(const QString& text) {
    by_hand_needed_ = text;
}
void FlyPage::forgetCamera() {
    by_hand_->setChecked(false);
}
void FlyPage::forgetTexts() {
    texts_->clear();
    texts_shown_ = 0;
    traces_->clear();
    sticks_->show({});
}
double FlyPage::goToHeight_m() const {
    return typedNumber(height_->text(), kHeightUnit).value_or(40);
}

void FlyPage::mark() {
    if (!link_->connected()) return;
    const QString note = note_->text().trimmed();
    field_->mark(note.isEmpty() ? "mark" : note);
    note_->clear();
    emit message(note.isEmpty() ? "Marked in the recording" : "Marked in the recording: " + note);
}

void FlyPage::arm() {
    const QStringList open = field_->openMusts();
    if (!open.isEmpty()) {
        const auto answer =
            QMessageBox::warning(this, "Open on the checklist",
                                 "These lines must be fulfilled before arming:\n\n• " + open.mid(0, 6).join("\n• ") +
                                     (open.size() > 6 ? QString("\n… and %1 more").arg(open.size() - 6) : QString()) +
                                     "\n\nArm all the same?",
                                 QMessageBox::Yes | QMessageBox::No, QMessageBox::No);
        if (answer != QMessageBox::Yes) return;
    }
    link_->command("Arm", [](VehicleLink& l, std::stop_token s) { return commandArm(l, std::move(s)); });
}

bool FlyPage::endedEarly() const {
    const VehicleSnapshot& v = link_->vehicle();
    if (!link_->connected() || !v.heard || v.armed || v.reached->empty() || !field_->sealHolds() ||
        link_->batches() != nullptr)
        return false;
    const auto& items = plan_->flownView().mission->items;
    int last = 0;
    for (const MissionItem& i : items)
        if (isNavigation(i.command) && i.command != cmd::returnHome && i.command != cmd::land) last = i.seq;
    return v.reached->back() < last;
}

void FlyPage::goOnLater() {
    const VehicleSnapshot& v = link_->vehicle();
    const auto cut = resumeCut(plan_->flownView(), v.last_photo, v.last_photo_amsl_m,
                               v.reached->empty() ? std::nullopt : std::optional(v.reached->back()));
    if (!cut) return emit message("Nothing of this plan is left to fly");
    plan_->beginSortieAt("Go on at " + QString::fromStdString(cutText(*plan_->plan(), *cut)), *cut);
    emit message("What is left is a sortie of its own, chosen now and not handed over yet: " +
                 QString::fromStdString(cutText(*plan_->plan(), *cut)));
}

/// Items and sections one can go on from, with the mission item of each.
void FlyPage::fillPlaces() {
    if (places_of_ == plan_->derived()->plan) return;
    places_of_ = plan_->derived()->plan;
    places_->clear();
    const auto& mission = plan_->flownView().mission;
    if (!mission) return;
    const Plan& plan = *plan_->plan();
    ItemId last = 0, last_section = 0;
    for (std::size_t i = 0; i < mission->items.size() && i < mission->source.size(); ++i) {
        const ItemId id = mission->source[i];
        if (id == 0 || id == last || !isNavigation(mission->items[i].command)) continue;
        last = id;
        const Item* item = plan.find(id);
        if (item == nullptr) continue;
        const Section* section = plan.findSection(item->section);
        if (section != nullptr && section->id != last_section)
            places_->addItem("Section " + QString::fromStdString(section->name), static_cast<int>(i));
        last_section = section != nullptr ? section->id : 0;
        places_->addItem(QString::fromStdString(itemText(plan, id)), static_cast<int>(i));
    }
}

/// What the vehicle says it offers; the words of its family where it does not say.
void FlyPage::fillModes() {
    const VehicleSnapshot& v = link_->vehicle();
    const std::size_t now = v.modes.size() * 1000 + static_cast<std::size_t>(v.autopilot * 100 + v.type) + 1;
    if (now == modes_of_) return;
    modes_of_ = now;
    modes_->clear();
    for (const OfferedMode& m : v.modes)
        if (m.selectable) modes_->addItem(QString::fromStdString(m.name), m.custom_mode);
    if (!v.modes.empty()) return;
    for (const mavlink::ModeName& m : mavlink::modesOf(v.autopilot, v.type)) modes_->addItem(m.text, m.mode);
}

void FlyPage::refresh() {
    const VehicleSnapshot& v = link_->vehicle();
    const bool heard = link_->connected() && v.heard;
    const auto colour = [](const QColor& c, const QString& text) {
        return QString("<span style='color:%1'><b>%2</b></span>").arg(c.name(), text);
    };
    // A camera that nobody started takes no photo: said here, and arming waits for it.
    by_hand_->setVisible(!by_hand_needed_.isEmpty());
    by_hand_text_->setVisible(!by_hand_needed_.isEmpty());
    by_hand_text_->setText(colour(theme_.marigold, by_hand_needed_.left(1).toUpper() + by_hand_needed_.mid(1)));
    const bool camera_ready = by_hand_needed_.isEmpty() || by_hand_->isChecked();
    arm_->setEnabled(heard && !v.armed && camera_ready);
    arm_->setToolTip(camera_ready ? "Press and hold for a second: propellers may turn"
                                  : "First start the camera, then tick it above");
    stop_->setEnabled(heard && v.armed);
    const auto open = field_->openMusts().size();
    musts_->setVisible(heard && !v.armed && open > 0);
    musts_->setText(colour(theme_.marigold.darker(theme_.night ? 100 : 130),
                           QString("%1 must-lines of the checklist are open").arg(open)));
    for (QPushButton* b : commands_) b->setEnabled(heard);
    fillPlaces();
    fillModes();
    go_there_->setEnabled(heard && v.armed);
    skip_->setEnabled(heard && field_->sealHolds() && places_->count() > 0 && link_->batches() == nullptr);
    set_mode_->setEnabled(heard && modes_->count() > 0);
    QStringList lines;
    const auto& notes = link_->commands();
    for (std::size_t i = notes.size() > kNotesShown ? notes.size() - kNotesShown : 0; i < notes.size(); ++i) {
        const CommandNote& c = notes[i];
        lines << (c.state == CommandNote::sent       ? c.name + ": sent, waiting for the answer"
                  : c.state == CommandNote::accepted ? colour(theme_.reed, c.name + ": accepted")
                                                     : colour(theme_.vermilion, c.reason.toHtmlEscaped()));
    }
    command_->setText(lines.join("<br>"));
    command_->setVisible(!lines.isEmpty());
    resume_later_->setVisible(endedEarly());
    refreshVehicle();
}

void FlyPage::refreshVehicle() {
    const VehicleSnapshot& v = link_->vehicle();
    if (!link_->connected() || !v.heard) return;
    traces_->add(monotonicMs() / 1000, v);
    sticks_->show(pilotInput(v, link_->parameters().empty() ? nullptr : &link_->parameters()));
    resume_later_->setVisible(endedEarly());
    for (const SpokenText& t : *v.texts) {
        if (t.number <= texts_shown_) continue;
        texts_shown_ = t.number;
        const QColor ink = t.severity <= 3   ? theme_.vermilion
                           : t.severity == 4 ? theme_.marigold.darker(theme_.night ? 100 : 130)
                                             : theme_.ink;
        texts_->appendHtml(QString("<span style='color:%1'>%2 %3</span>")
                               .arg(ink.name(), QTime::currentTime().toString("HH:mm:ss"),
                                    QString::fromStdString(t.text).toHtmlEscaped()));
    }
}

}  // namespace anhinga
