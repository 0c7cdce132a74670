#include "app/field/FieldPanel.h"

#include <QtWidgets>

#include "app/rehearse/SortieChooser.h"
#include "app/widgets/Quantity.h"
#include "core/base/Text.h"

namespace anhinga {

namespace {
QLabel* heading(const QString& text) {
    auto* label = new QLabel(text);
    label->setFont(uiFont(10, true));
    return label;
}
QFrame* rule() {
    auto* line = new QFrame;
    line->setProperty("rule", true);
    return line;
}
}  // namespace

FieldPanel::FieldPanel(PlanSession* plan, LinkSession* link, QWidget* parent)
    : QWidget(parent), plan_(plan), link_(link) {
    setObjectName("field");
    auto* column = new QVBoxLayout(this);
    column->setContentsMargins(14, 10, 14, 10);
    column->setSpacing(6);

    column->addWidget(heading("Link"));
    address_ = new QComboBox;
    address_->setEditable(true);
    address_->setObjectName("address");
    QStringList known = QSettings().value("link/addresses", QStringList{"udp-listen:14550"}).toStringList();
    address_->addItems(known);
    address_->setToolTip("udp-listen:PORT, udp:HOST:PORT or tcp:HOST:PORT");
    connect_ = new QPushButton("Connect");
    connect_->setObjectName("connect");
    auto* row = new QHBoxLayout;
    row->addWidget(address_, 1);
    row->addWidget(connect_);
    column->addLayout(row);
    vehicle_ = new QLabel;
    vehicle_->setWordWrap(true);
    vehicle_->setObjectName("vehicle state");
    column->addWidget(vehicle_);

    column->addWidget(rule());
    column->addWidget(heading("Hand-over"));
    column->addWidget(new SortieChooser(plan_, false));
    seal_ = new QLabel;
    seal_->setWordWrap(true);
    seal_->setObjectName("seal");
    column->addWidget(seal_);
    progress_ = new QProgressBar;
    progress_->setRange(0, 1000);
    column->addWidget(progress_);
    hand_over_ = new QPushButton("Hand over");
    hand_over_->setProperty("primary", true);
    hand_over_->setObjectName("hand over");
    hand_over_->setToolTip("Send the plan, read it back, compare (Ctrl+Return)");
    cancel_ = new QPushButton("Cancel");
    fetch_ = new QPushButton("Read from aircraft");
    auto* row2 = new QHBoxLayout;
    row2->addWidget(hand_over_);
    row2->addWidget(fetch_);
    row2->addWidget(cancel_);
    column->addLayout(row2);

    column->addWidget(rule());
    column->addWidget(heading("Fly"));
    by_hand_text_ = new QLabel;
    by_hand_text_->setWordWrap(true);
    column->addWidget(by_hand_text_);
    by_hand_ = new QCheckBox("The camera is running");
    by_hand_->setObjectName("camera by hand");
    column->addWidget(by_hand_);
    auto* grid = new QGridLayout;
    grid->setSpacing(6);
    const auto place = [&](QPushButton* b, int r, int c) { grid->addWidget(b, r, c); };
    arm_ = new QPushButton("Arm");
    arm_->setObjectName("command Arm");
    arm_->setProperty("danger", true);
    arm_->setToolTip("Press and hold for a second: propellers may turn");
    grid->addWidget(arm_, 0, 0);
    place(commandButton("Take off", "",
                        [](VehicleLink& l, std::stop_token s) { return commandTakeOff(l, 20, std::move(s)); }),
          0, 1);
    place(commandButton("Start", "", [](VehicleLink& l, std::stop_token s) { return commandStart(l, std::move(s)); }),
          1, 0);
    place(commandButton("Pause", "", [](VehicleLink& l, std::stop_token s) { return commandPause(l, std::move(s)); }),
          1, 1);
    place(commandButton("Resume", "", [](VehicleLink& l, std::stop_token s) { return commandResume(l, std::move(s)); }),
          2, 0);
    place(commandButton("Return", "", [](VehicleLink& l, std::stop_token s) { return commandReturn(l, std::move(s)); }),
          2, 1);
    column->addLayout(grid);
    command_ = new QLabel;
    command_->setWordWrap(true);
    command_->setObjectName("command state");
    column->addWidget(command_);
    resume_ = new QPushButton;
    resume_->setProperty("link", true);
    resume_->setObjectName("resume later");
    column->addWidget(resume_);
    texts_ = new QPlainTextEdit;
    texts_->setReadOnly(true);
    texts_->setMaximumBlockCount(500);
    texts_->setPlaceholderText("Messages from the aircraft appear here");
    texts_->setFont(uiFont(8.5));
    column->addWidget(texts_, 1);
    recording_ = new QPushButton;
    recording_->setProperty("link", true);
    recording_->setObjectName("open recording");
    column->addWidget(recording_);

    // Arming is held, not clicked: a slip of the hand must not do it.
    auto* hold = new QTimer(this);
    hold->setSingleShot(true);
    hold->setInterval(900);
    connect(arm_, &QPushButton::pressed, this, [this, hold] {
        hold->start();
        arm_->setText("hold …");
    });
    connect(arm_, &QPushButton::released, this, [this, hold] {
        hold->stop();
        arm_->setText("Arm");
    });
    connect(hold, &QTimer::timeout, this, [this] {
        arm_->setText("Arm");
        link_->command("Arm", [](VehicleLink& l, std::stop_token s) { return commandArm(l, std::move(s)); });
    });
    connect(connect_, &QPushButton::clicked, this, &FieldPanel::toggleConnection);
    connect(hand_over_, &QPushButton::clicked, this, &FieldPanel::handOver);
    connect(fetch_, &QPushButton::clicked, link_, &LinkSession::fetch);
    connect(cancel_, &QPushButton::clicked, link_, &LinkSession::cancel);
    connect(by_hand_, &QCheckBox::toggled, this, &FieldPanel::refresh);
    connect(resume_, &QPushButton::clicked, this, &FieldPanel::goOnLater);
    connect(recording_, &QPushButton::clicked, this, [this] {
        link_->flushRecording();
        emit openRecording(link_->recordPath());
    });
    connect(link_, &LinkSession::stateChanged, this, &FieldPanel::refresh);
    connect(link_, &LinkSession::vehicleChanged, this, &FieldPanel::refreshVehicle);
    connect(plan_, &PlanSession::derivedChanged, this, &FieldPanel::refresh);
    connect(plan_, &PlanSession::planChanged, this, &FieldPanel::refresh);
    refresh();
}

QPushButton* FieldPanel::commandButton(const QString& text, const QString& key, LinkSession::Command command) {
    auto* b = new QPushButton(text);
    b->setObjectName("command " + text);
    if (!key.isEmpty()) b->setToolTip(text + " (" + key + ")");
    connect(b, &QPushButton::clicked, this, [this, text, command] { link_->command(text, command); });
    commands_.push_back(b);
    return b;
}

void FieldPanel::setTheme(const Theme& theme) {
    theme_ = theme;
    refresh();
}

void FieldPanel::toggleConnection() {
    if (link_->connected()) return link_->disconnectLink();
    const QString address = address_->currentText().trimmed();
    const auto ok = link_->connectTo(address);
    if (!ok) return emit message(QString::fromStdString(ok.error().message));
    texts_->clear();
    texts_shown_ = 0;
    QStringList known = QSettings().value("link/addresses", QStringList{"udp-listen:14550"}).toStringList();
    known.removeAll(address);
    known.prepend(address);
    while (known.size() > 8) known.removeLast();
    QSettings().setValue("link/addresses", known);
}

void FieldPanel::handOver() {
    if (!plan_->waitUntilDerived(2000))
        return emit message("The plan is still being worked out; try again in a moment");
    const PlanView& view = plan_->flownView();
    if (!view.mission) return emit message(QString::fromStdString(view.not_sendable));
    for (const Finding& f : plan_->flownFindings())
        if (f.severity == Severity::stop) {
            // Not handed over without an explicit override.
            const auto answer = QMessageBox::question(this, "Findings of severity stop",
                                                      QString::fromStdString(f.message) + "\n\nHand over all the same?",
                                                      QMessageBox::Yes | QMessageBox::No, QMessageBox::No);
            if (answer != QMessageBox::Yes) return;
            break;
        }
    if (const QString by_hand = cameraByHand(); !by_hand.isEmpty()) {
        by_hand_->setChecked(false);
        const auto answer = QMessageBox::warning(
            this, "Camera", by_hand.left(1).toUpper() + by_hand.mid(1) + ".\n\nHand over the plan?",
            QMessageBox::Yes | QMessageBox::No, QMessageBox::Yes);
        if (answer != QMessageBox::Yes) return;
    }
    link_->handOver(view.toSend(), plan_->plan()->traits.item0_is_home);
}

bool FieldPanel::sealHolds() const {
    const PlanView& view = plan_->flownView();
    // Sorties are those of the plan as it is only once they are worked out.
    const bool known = plan_->upToDate() && (plan_->sortie() == 0 || plan_->derived()->complete);
    return link_->seal() == LinkSession::Seal::sealed && known && view.mission &&
           missionFingerprint(view.toSend()) == link_->sealFingerprint();
}

QString FieldPanel::sealLine() const {
    switch (link_->seal()) {
        case LinkSession::Seal::none:
            return "kept here, not sent";
        case LinkSession::Seal::failed:
            return "not handed over";
        case LinkSession::Seal::differs:
            return "aircraft differs";
        case LinkSession::Seal::sealed:
            return sealHolds() ? "sealed " + link_->sealTime().toString("HH:mm") : "changed since sealed";
    }
    return "";
}

bool FieldPanel::endedEarly() const {
    const VehicleSnapshot& v = link_->vehicle();
    if (!link_->connected() || !v.heard || v.armed || v.reached.empty() || !sealHolds()) return false;
    const auto& items = plan_->flownView().mission->items;
    int last = 0;
    for (const MissionItem& i : items)
        if (isNavigation(i.command) && i.command != cmd::returnHome && i.command != cmd::land) last = i.seq;
    return v.reached.back() < last;
}

void FieldPanel::goOnLater() {
    const VehicleSnapshot& v = link_->vehicle();
    const auto cut = resumeCut(plan_->flownView(), v.last_photo, v.last_photo_amsl_m,
                               v.reached.empty() ? std::nullopt : std::optional(v.reached.back()));
    if (!cut) return emit message("Nothing of this plan is left to fly");
    plan_->beginSortieAt("Go on at " + QString::fromStdString(cutText(*plan_->plan(), *cut)), *cut);
    emit message("What is left is a sortie of its own, chosen now and not handed over yet: " +
                 QString::fromStdString(cutText(*plan_->plan(), *cut)));
}

QString FieldPanel::cameraByHand() const {
    for (const Finding& f : plan_->flownFindings())
        if (f.rule == "camera-by-hand") return inUnits(f.message);
    return {};
}

void FieldPanel::refresh() {
    const bool on = link_->connected(), heard = on && link_->vehicle().heard;
    connect_->setText(on ? "Disconnect" : "Connect");
    address_->setEnabled(!on);
    hand_over_->setEnabled(heard && !link_->busy());
    fetch_->setEnabled(heard && !link_->busy());
    cancel_->setVisible(link_->busy());
    fetch_->setVisible(!link_->busy());
    progress_->setVisible(link_->busy());
    progress_->setValue(static_cast<int>(link_->progress() * 1000));
    const auto colour = [](const QColor& c, const QString& text) {
        return QString("<span style='color:%1'><b>%2</b></span>").arg(c.name(), text);
    };
    QString seal;
    if (link_->busy()) {
        seal = link_->progressText();
    } else {
        switch (link_->seal()) {
            case LinkSession::Seal::none:
                seal = "This plan is kept here, not sent.";
                break;
            case LinkSession::Seal::failed:
                seal = colour(theme_.vermilion, "Not handed over") + "<br>" + link_->sealText().toHtmlEscaped();
                break;
            case LinkSession::Seal::differs: {
                seal = colour(theme_.vermilion, "The aircraft holds something else") + "<br>" + link_->sealText();
                int n = 0;
                for (const MissionDifference& d : link_->differences()) {
                    if (++n > 6) break;
                    seal += QString("<br>%1 item %2, %3: plan %4, aircraft %5")
                                .arg(QString::fromStdString(d.type))
                                .arg(d.seq)
                                .arg(QString::fromStdString(d.field))
                                .arg(d.plan)
                                .arg(d.vehicle);
                }
                break;
            }
            case LinkSession::Seal::sealed:
                seal = sealHolds()
                           ? colour(theme_.reed, QString("Sealed at %1").arg(link_->sealTime().toString("HH:mm:ss"))) +
                                 QString("<br>%1<br>fingerprint %2")
                                     .arg(link_->sealText())
                                     .arg(link_->sealFingerprint(), 16, 16, QChar('0'))
                           : colour(theme_.marigold, "Seal broken") +
                                 "<br>the plan was changed after the hand-over; the aircraft holds the earlier one";
        }
    }
    seal_->setText(seal);
    // A camera that nobody started takes no photo: said here, and arming waits for it.
    const QString by_hand = cameraByHand();
    by_hand_->setVisible(!by_hand.isEmpty());
    by_hand_text_->setVisible(!by_hand.isEmpty());
    by_hand_text_->setText(colour(theme_.marigold, by_hand.left(1).toUpper() + by_hand.mid(1)));
    arm_->setEnabled(heard && (by_hand.isEmpty() || by_hand_->isChecked()));
    arm_->setToolTip(by_hand.isEmpty() || by_hand_->isChecked() ? "Press and hold for a second: propellers may turn"
                                                                : "First start the camera, then tick it above");
    for (QPushButton* b : commands_) b->setEnabled(heard);
    QStringList lines;
    for (std::size_t i = link_->commands().size() > 3 ? link_->commands().size() - 3 : 0; i < link_->commands().size();
         ++i) {
        const CommandNote& c = link_->commands()[i];
        lines << (c.state == CommandNote::sent       ? c.name + ": sent"
                  : c.state == CommandNote::accepted ? colour(theme_.reed, c.name + ": accepted")
                                                     : colour(theme_.vermilion, c.reason.toHtmlEscaped()));
    }
    command_->setText(lines.join("<br>"));
    resume_->setText("Go on later from where it ended");
    resume_->setVisible(endedEarly());
    recording_->setVisible(!link_->recordPath().isEmpty());
    recording_->setText("Open the recording in Debrief");
    recording_->setToolTip(link_->recordPath());
    refreshVehicle();
}

void FieldPanel::refreshVehicle() {
    if (!link_->connected()) {
        vehicle_->setText("Not connected.");
        return;
    }
    const VehicleSnapshot& v = link_->vehicle();
    if (!v.heard) {
        vehicle_->setText("Waiting for a vehicle …");
        return;
    }
    if (!hand_over_->isEnabled() && !link_->busy()) refresh();
    resume_->setVisible(endedEarly());
    const auto n = [](const auto& value, int decimals, const char* unit) {
        return value ? QString("%1 %2").arg(static_cast<double>(*value), 0, 'f', decimals).arg(unit)
                     : QString("unknown");
    };
    const double all = static_cast<double>(v.received + v.lost);
    QString text = QString("<b>%1 · %2</b> · vehicle %3")
                       .arg(v.armed ? "ARMED" : "disarmed", QString::fromStdString(modeName(v)))
                       .arg(v.system);
    if (v.heartbeat_age_s > 3)
        text += QString("<br><span style='color:%1'><b>link lost for %2 s</b></span>")
                    .arg(theme_.vermilion.name())
                    .arg(v.heartbeat_age_s, 0, 'f', 0);
    else
        text += QString("<br>link: loss %1 %, heartbeat %2 s ago")
                    .arg(all > 0 ? 100.0 * static_cast<double>(v.lost) / all : 0.0, 0, 'f', 1)
                    .arg(v.heartbeat_age_s, 0, 'f', 1);
    text += inUnits(QString("<br>height %1 home · %2 · climb %3")
                        .arg(n(v.height_home_m, 0, "m"), n(v.ground_mps, 1, "m/s"), n(v.climb_mps, 1, "m/s")));
    text += QString("<br>battery %1 · %2 · satellites %3")
                .arg(n(v.battery_percent, 0, "%"), n(v.battery_v, 1, "V"),
                     v.satellites ? QString::number(*v.satellites) : QString("unknown"));
    text += QString("<br>item %1 · %2 reached · %3 photos")
                .arg(v.mission_item ? QString::number(*v.mission_item) : QString("–"))
                .arg(v.reached.size())
                .arg(v.photos);
    vehicle_->setText(text);
    for (; texts_shown_ < v.texts.size(); ++texts_shown_)
        texts_->appendPlainText(QString::fromStdString(v.texts[texts_shown_]));
}

}  // namespace anhinga
