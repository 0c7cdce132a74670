#include "app/field/FlyPage.h"

#include <QtWidgets>

#include "app/field/PilotSticks.h"
#include "app/widgets/Instrument.h"
#include "app/widgets/Quantity.h"
#include "core/base/Text.h"

namespace anhinga {

namespace {
constexpr int kOnGround = 1;  // MAV_LANDED_STATE
constexpr int kArmHold_ms = 900, kStopHold_ms = 1500, kSettle_ms = 400;
constexpr std::size_t kNotesShown = 3;
}  // namespace

FlyPage::FlyPage(FieldSession* field, PlanSession* plan, LinkSession* link, QWidget* parent)
    : QWidget(parent), field_(field), plan_(plan), link_(link) {
    auto* column = new QVBoxLayout(this);
    column->setContentsMargins(0, 0, 0, 0);
    column->setSpacing(6);
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

    using Stop = std::stop_token;
    // One place for what comes next, so that nothing moves: to arm, to start, to hold, to go on.
    next_ = new QStackedWidget;
    next_->setObjectName("next order");
    arm_ = new QPushButton("Arm: press and hold");
    arm_->setObjectName("command Arm");
    arm_->setProperty("danger", true);
    next_->addWidget(arm_);
    next_->addWidget(button("Start the mission", "command Start", "Flies the list from its beginning",
                            [](VehicleLink& l, Stop s) { return commandStart(l, std::move(s)); }));
    next_->addWidget(button("Hold", "command Hold", "Stays where it is; Go on flies on (Space)",
                            [](VehicleLink& l, Stop s) { return commandPause(l, std::move(s)); }));
    next_->addWidget(button("Go on", "command Go on", "Goes on with the mission (Space)",
                            [](VehicleLink& l, Stop s) { return commandResume(l, std::move(s)); }));
    for (int i = 0; i < next_->count(); ++i) {
        auto* b = static_cast<QPushButton*>(next_->widget(i));
        b->setFont(uiFont(13, true));
        if (b != arm_) b->setProperty("primary", true);
    }
    next_->setFixedHeight(54);
    settle_ = new ClockTimer(link_->clock(), kSettle_ms, this);
    settle_->setSingleShot(true);
    connect(settle_, &ClockTimer::timeout, this, [this] { next_->setEnabled(true); });
    column->addWidget(next_);
    auto* ways = new QHBoxLayout;
    ways->setSpacing(6);
    for (QPushButton* b : {button("Return home", "command Return home", "Up to return height, home, down (Shift+R)",
                                  [](VehicleLink&l, Stop s) { return commandReturn(l, std::move(s)); }),
                           button("Land here", "command Land here", "Down where it is",
                                  [](VehicleLink&l, Stop s) { return commandLand(l, std::move(s)); })}) {
        b->setFont(uiFont(10.5, true));
        b->setFixedHeight(42);
        in_air_.push_back(b);
        ways->addWidget(b, 1);
    }
    column->addLayout(ways);

    auto* rest = new QWidget;
    auto* below = new QVBoxLayout(rest);
    below->setContentsMargins(0, 0, 6, 0);
    below->setSpacing(6);
    fold_ = new QPushButton;
    fold_->setObjectName("other orders");
    fold_->setCheckable(true);
    fold_->setChecked(QSettings().value("field/otherOrders", true).toBool());
    fold_->setProperty("link", true);
    fold_->setStyleSheet("QPushButton { background: transparent; }");
    others_ = makeOthers();
    const auto unfold = [this](bool on) {
        others_->setVisible(on);
        fold_->setText(on ? "▾ Other orders" : "▸ Other orders: launch, go to a place, disarm");
        QSettings().setValue("field/otherOrders", on);
    };
    connect(fold_, &QPushButton::toggled, this, unfold);
    unfold(fold_->isChecked());
    below->addWidget(fold_);
    below->addWidget(others_);
    below->addWidget(makeCamera());  // it comes once a camera has answered: below what must not move

    command_ = new QLabel;
    command_->setWordWrap(true);
    command_->setObjectName("command state");
    below->addWidget(command_);
    resume_later_ = new QPushButton("Go on later from where it ended");
    resume_later_->setProperty("link", true);
    resume_later_->setObjectName("resume later");
    below->addWidget(resume_later_);
    traces_ = new AttitudeTraces;
    below->addWidget(traces_);
    sticks_ = new PilotSticks;
    below->addWidget(sticks_);
    auto* note_row = new QHBoxLayout;
    note_ = new QLineEdit;
    note_->setObjectName("fly note");
    note_->setPlaceholderText("a few words");
    auto* mark = new QPushButton("Mark");
    mark->setObjectName("mark");
    mark->setToolTip("A mark in the recording, now (Ctrl+M)");
    note_row->addWidget(note_, 1);
    note_row->addWidget(mark);
    below->addLayout(note_row);
    texts_ = new QPlainTextEdit;
    texts_->setObjectName("aircraft texts");
    texts_->setReadOnly(true);
    texts_->setMaximumBlockCount(500);
    texts_->setMinimumHeight(60);
    texts_->setPlaceholderText("Messages from the aircraft appear here");
    texts_->setFont(uiFont(8.5));
    below->addWidget(texts_, 1);
    auto* scroll = new QScrollArea;  // low windows; the orders above and below stay
    scroll->setWidgetResizable(true);
    scroll->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
    scroll->setWidget(rest);
    column->addWidget(scroll, 1);
    cut_ = new QPushButton("Cut motors: press long, then confirm");
    cut_->setObjectName("command Cut motors");
    cut_->setProperty("danger", true);
    cut_->setToolTip("All motors stop wherever it is");
    column->addWidget(cut_);

    holdToPress(arm_, kArmHold_ms, [this] { arm(); });
    holdToPress(cut_, kStopHold_ms, [this] {
        const auto answer = QMessageBox::critical(this, "Cut motors",
                                                  "All motors stop at once. In the air it falls.\n\nCut the motors?",
                                                  QMessageBox::Yes | QMessageBox::No, QMessageBox::No);
        if (answer == QMessageBox::Yes)
            link_->command("Cut motors",
                           [](VehicleLink& l, std::stop_token s) { return commandEmergencyStop(l, std::move(s)); });
    });
    connect(by_hand_, &QCheckBox::toggled, this, &FlyPage::refresh);
    connect(resume_later_, &QPushButton::clicked, this, &FlyPage::goOnLater);
    connect(mark, &QPushButton::clicked, this, &FlyPage::mark);
    connect(note_, &QLineEdit::returnPressed, this, &FlyPage::mark);
    refresh();
}

/// Each order a sentence with its number in it.
QWidget* FlyPage::makeOthers() {
    auto* box = new QWidget;
    auto* column = new QVBoxLayout(box);
    column->setContentsMargins(0, 0, 0, 0);
    column->setSpacing(5);
    const auto sentence = [&](QPushButton* order, const char* name, double usual_m) {
        auto* row = new QHBoxLayout;
        auto* edit = new QLineEdit(shownNumber(usual_m, kHeightUnit, 0));
        edit->setObjectName(name);
        edit->setFixedWidth(72);
        auto* over = new QLabel("over home");
        over->setProperty("quiet", true);
        row->addWidget(order, 1);
        row->addWidget(edit);
        row->addWidget(over);
        column->addLayout(row);
        return edit;
    };
    launch_ = new QPushButton("Launch to");
    launch_->setObjectName("command Launch");
    launch_->setToolTip("Straight up to that height, and holds there");
    launch_m_ = sentence(launch_, "launch height", 20);
    go_there_ = new QPushButton("Go to a place, at");
    go_there_->setObjectName("command Go there");
    go_there_->setToolTip("Then click the place on the map: it flies there at that height and holds");
    go_there_m_ = sentence(go_there_, "go there height", 40);
    disarm_ = button("Disarm", "command Disarm", "Motors off, on the ground",
                     [](VehicleLink& l, std::stop_token s) { return commandDisarm(l, std::move(s)); });
    column->addWidget(disarm_);
    auto* where = new QLabel(
        "Speed and height: on the instrument below. Mode: on its cell above the map. From an item on: in "
        "its row of the list.");
    where->setWordWrap(true);
    where->setProperty("quiet", true);
    where->setFont(uiFont(8));
    column->addWidget(where);
    connect(launch_, &QPushButton::clicked, this, &FlyPage::launch);
    connect(go_there_, &QPushButton::clicked, this, &FlyPage::goToWanted);
    return box;
}

QWidget* FlyPage::makeCamera() {
    camera_ = new QWidget;
    camera_->setObjectName("camera orders");
    auto* column = new QVBoxLayout(camera_);
    column->setContentsMargins(0, 0, 0, 0);
    column->setSpacing(5);
    camera_row_ = new QWidget;
    auto* row = new QHBoxLayout(camera_row_);
    row->setContentsMargins(0, 0, 0, 0);
    photo_ = new QPushButton("Photo");
    photo_->setObjectName("command Photo");
    photo_->setToolTip("One photo, now");
    film_ = new QPushButton("Film");
    film_->setObjectName("command Film");
    film_->setToolTip("Films until it is pressed again");
    film_->setCheckable(true);
    row->addWidget(photo_, 1);
    row->addWidget(film_, 1);
    column->addWidget(camera_row_);
    camera_state_ = new QLabel;
    camera_state_->setObjectName("camera state");
    camera_state_->setTextFormat(Qt::PlainText);
    camera_state_->setWordWrap(true);
    camera_state_->setFont(uiFont(8.5));
    column->addWidget(camera_state_);
    tilt_row_ = new QWidget;
    auto* tilted = new QHBoxLayout(tilt_row_);
    tilted->setContentsMargins(0, 0, 0, 0);
    auto* order = new QPushButton("Tilt the camera to");
    order->setObjectName("command Tilt");
    order->setToolTip("0 looks ahead, -90 straight down");
    tilt_deg_ = new QLineEdit("-90°");
    tilt_deg_->setObjectName("tilt");
    tilt_deg_->setFixedWidth(72);
    tilt_state_ = new QLabel;
    tilt_state_->setObjectName("tilt state");
    tilt_state_->setProperty("quiet", true);
    tilted->addWidget(order, 1);
    tilted->addWidget(tilt_deg_);
    tilted->addWidget(tilt_state_);
    column->addWidget(tilt_row_);
    connect(photo_, &QPushButton::clicked, this, &FlyPage::photo);
    connect(film_, &QPushButton::clicked, this, &FlyPage::film);
    connect(order, &QPushButton::clicked, this, &FlyPage::tilt);
    connect(tilt_deg_, &QLineEdit::returnPressed, this, &FlyPage::tilt);
    return camera_;
}

void FlyPage::photo() {
    if (link_->vehicle().cameras.empty()) return;
    const int component = link_->vehicle().cameras.front().component;
    link_->command("Photo",
                   [component](VehicleLink& l, std::stop_token s) { return commandPhoto(l, component, std::move(s)); });
}

void FlyPage::film() {
    if (link_->vehicle().cameras.empty()) return;
    const CameraSnapshot& camera = link_->vehicle().cameras.front();
    const bool on = !camera.filming.value_or(false);
    film_->setChecked(!on);  // it shows what the camera says
    link_->command(on ? "Film" : "Stop filming", [component = camera.component, on](VehicleLink& l, std::stop_token s) {
        return commandVideo(l, component, on, std::move(s));
    });
}

void FlyPage::tilt() {
    if (!link_->vehicle().gimbal) return;
    const GimbalSnapshot& gimbal = *link_->vehicle().gimbal;
    const auto deg = parseNumber(tilt_deg_->text().remove("°").trimmed().toStdString());
    if (!deg || *deg < gimbal.pitch_min_deg || *deg > gimbal.pitch_max_deg)
        return emit message(QString("Tilt the camera: an angle from %1° to %2° is needed")
                                .arg(gimbal.pitch_min_deg, 0, 'f', 0)
                                .arg(gimbal.pitch_max_deg, 0, 'f', 0));
    link_->command(QString("Tilt the camera to %1°").arg(*deg), [pitch = *deg](VehicleLink& l, std::stop_token s) {
        return commandGimbal(l, pitch, 0, std::move(s));
    });
}

void FlyPage::refreshCamera() {
    const VehicleSnapshot& v = link_->vehicle();
    const bool heard = link_->connected() && v.heard;
    const bool any = heard && !v.cameras.empty(), gimbal = heard && v.gimbal.has_value();
    camera_->setVisible(any || gimbal);
    camera_row_->setVisible(any);
    camera_state_->setVisible(any);
    tilt_row_->setVisible(gimbal);
    if (any) {
        const CameraSnapshot& c = v.cameras.front();
        photo_->setEnabled(!c.answers || c.photos);
        film_->setEnabled(!c.answers || c.video);
        film_->setChecked(c.filming.value_or(false));
        film_->setText(c.filming.value_or(false) ? "Stop filming" : "Film");
        QStringList parts{c.model.empty() ? QString("Camera") : QString::fromStdString(c.model)};
        if (!c.answers) parts << "has not said yet what it is";
        if (c.images) parts << QString("%1 photos on it").arg(*c.images);
        parts << cardText(c);
        if (c.filming.value_or(false) && c.filming_s)
            parts << "films since " + QString::fromStdString(durationText(*c.filming_s));
        if (v.cameras.size() > 1) parts << QString("%1 more cameras").arg(v.cameras.size() - 1);
        parts.removeAll(QString());
        const QString text = parts.join(" · ");
        if (camera_state_->text() != text) camera_state_->setText(text);
    }
    if (!gimbal) return;
    const GimbalSnapshot& g = *v.gimbal;
    QString now =
        g.pitch_deg ? QString("now %1°").arg(std::round(*g.pitch_deg) + 0.0, 0, 'f', 0) : QString("now unknown");
    if (g.held_by_system != 0 && g.held_by_system != kOurSystem)
        now += QString(", steered by %1").arg(g.held_by_system);
    if (tilt_state_->text() != now) tilt_state_->setText(now);
}

void FlyPage::launch() {
    constexpr double kLeast_m = 1, kMost_m = 1000;
    const auto height = typedNumber(launch_m_->text(), kHeightUnit);
    if (!height || *height < kLeast_m || *height > kMost_m)
        return emit message(QString("Launch to: a height from %1 to %2 is needed")
                                .arg(shownNumber(kLeast_m, kHeightUnit, 0), shownNumber(kMost_m, kHeightUnit, 0)));
    link_->command("Launch to " + shownNumber(*height, kHeightUnit, 1),
                   [h = *height](VehicleLink& l, std::stop_token s) { return commandTakeOff(l, h, std::move(s)); });
}

/// When the large button comes to mean another thing it does nothing for a moment: a second press meant the first.
void FlyPage::showNext() {
    const int now = static_cast<int>(next());
    if (now == next_->currentIndex()) return;
    next_->setCurrentIndex(now);
    next_->setEnabled(false);
    settle_->start();
}

FlyPage::Next FlyPage::next() const {
    const VehicleSnapshot& v = link_->vehicle();
    if (!link_->connected() || !v.heard || !v.armed) return Next::arm;
    constexpr int kPaused = 4;  // MISSION_STATE
    const auto mode = modeKind(v);
    if (v.held_on_route) return Next::goOn;
    if (v.landed_state == kOnGround && mode != ModeKind::mission) return Next::start;
    if (mode == ModeKind::hold || mode == ModeKind::positionHold)
        // A list that was replaced on the way counts as not started; it goes on where it was all the same.
        return !v.reached->empty() && (v.mission_state.value_or(kPaused) == kPaused || v.mission_item.value_or(0) > 1)
                   ? Next::goOn
                   : Next::start;
    return Next::hold;
}

/// Acts when the button was held for so long: a slip of the hand must not do it.
void FlyPage::holdToPress(QPushButton* button, int ms, const std::function<void()>& act) {
    auto* hold = new ClockTimer(link_->clock(), ms, this);
    hold->setSingleShot(true);
    const QString text = button->text();
    connect(button, &QPushButton::pressed, this, [button, hold] {
        hold->start();
        button->setText("hold …");
    });
    connect(button, &QPushButton::released, this, [button, hold, text] {
        hold->stop();
        button->setText(text);
    });
    connect(hold, &ClockTimer::timeout, this, [button, text, act] {
        button->setText(text);
        act();
    });
}

QPushButton* FlyPage::button(const QString& text, const QString& name, const QString& tip,
                             LinkSession::Command command) {
    auto* b = new QPushButton(text);
    b->setObjectName(name);
    b->setToolTip(tip);
    connect(b, &QPushButton::clicked, this, [this, text, command] { link_->command(text, command); });
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
    return typedNumber(go_there_m_->text(), kHeightUnit).value_or(40);
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
    const FlightProgram& program = plan_->flownView().program;
    int last = 0;
    for (std::size_t k = 0; k < program.steps.size(); ++k)
        if (const ProgramLeg* leg = program.steps[k].leg(); leg != nullptr && !endsFlight(leg->kind))
            last = program.numberOf(k);
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

void FlyPage::refresh() {
    const VehicleSnapshot& v = link_->vehicle();
    const bool heard = link_->connected() && v.heard;
    const auto colour = [](const QColor& c, const QString& text) {
        return QString("<span style='color:%1'><b>%2</b></span>").arg(c.name(), text);
    };
    // A camera that nobody started takes no photo: said here, and arming waits for it.
    by_hand_->setVisible(!by_hand_needed_.isEmpty());
    by_hand_text_->setVisible(!by_hand_needed_.isEmpty());
    by_hand_text_->setText(colour(theme_.attentionInk(), by_hand_needed_.left(1).toUpper() + by_hand_needed_.mid(1)));
    const bool camera_ready = by_hand_needed_.isEmpty() || by_hand_->isChecked();
    showNext();
    arm_->setEnabled(heard && !v.armed && camera_ready);
    arm_->setToolTip(camera_ready ? "Press and hold for a second: propellers may turn"
                                  : "First start the camera, then tick it above");
    cut_->setEnabled(heard && v.armed);
    const auto open = field_->openMusts().size();
    musts_->setVisible(heard && !v.armed && open > 0);
    musts_->setText(colour(theme_.attentionInk(), QString("%1 must-lines of the checklist are open").arg(open)));
    for (QPushButton* b : in_air_) b->setEnabled(heard && v.armed);
    const bool on_ground = v.landed_state.value_or(kOnGround) == kOnGround;
    go_there_->setEnabled(heard && v.armed);
    for (QPushButton* b : {launch_, disarm_}) b->setEnabled(heard && v.armed && on_ground);
    QStringList lines;
    const auto& notes = link_->commands();
    for (std::size_t i = notes.size() > kNotesShown ? notes.size() - kNotesShown : 0; i < notes.size(); ++i) {
        const CommandNote& c = notes[i];
        lines << (c.state == CommandNote::sent       ? c.name + ": sent, waiting for the answer"
                  : c.state == CommandNote::accepted ? colour(theme_.goodInk(), c.name + ": accepted")
                                                     : colour(theme_.dangerInk(), c.reason.toHtmlEscaped()));
    }
    command_->setText(lines.join("<br>"));
    command_->setVisible(!lines.isEmpty());
    resume_later_->setVisible(endedEarly());
    refreshVehicle();
}

void FlyPage::refreshVehicle() {
    const VehicleSnapshot& v = link_->vehicle();
    refreshCamera();
    if (!link_->connected() || !v.heard) return;
    showNext();
    traces_->add(monotonicMs() / 1000, v);
    sticks_->show(pilotInput(v, link_->parameters().empty() ? nullptr : &link_->parameters()));
    resume_later_->setVisible(endedEarly());
    for (const SpokenText& t : *v.texts) {
        if (t.number <= texts_shown_) continue;
        texts_shown_ = t.number;
        const QColor ink = t.severity <= 3 ? theme_.vermilion : t.severity == 4 ? theme_.attentionInk() : theme_.ink;
        texts_->appendHtml(QString("<span style='color:%1'>%2 %3</span>")
                               .arg(ink.name(), QTime::currentTime().toString("HH:mm:ss"),
                                    QString::fromStdString(t.text).toHtmlEscaped()));
    }
}

}  // namespace anhinga
