#include "app/field/LinkPage.h"

#include <QtWidgets>
#include <map>

#include "app/rehearse/SortieChooser.h"
#include "app/widgets/Quantity.h"
#include "core/base/Text.h"

namespace anhinga {

namespace {
QString inColour(const QColor& c, const QString& text) {
    return QString("<span style='color:%1'><b>%2</b></span>").arg(c.name(), text);
}
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
QLabel* wrapped(const QString& name) {
    auto* label = new QLabel;
    label->setWordWrap(true);
    label->setObjectName(name);
    return label;
}
}  // namespace

LinkPage::LinkPage(FieldSession* field, PlanSession* plan, LinkSession* link, QWidget* parent)
    : QWidget(parent), field_(field), plan_(plan), link_(link) {
    auto* column = new QVBoxLayout(this);
    column->setContentsMargins(0, 0, 0, 0);
    column->setSpacing(6);
    address_ = new QComboBox;
    address_->setEditable(true);
    address_->setObjectName("address");
    address_->setToolTip("udp-listen:PORT, udp:HOST:PORT, tcp:HOST:PORT or serial:DEVICE:BAUD");
    listAddresses();
    connect_ = new QPushButton("Connect");
    connect_->setObjectName("connect");
    auto* row = new QHBoxLayout;
    row->addWidget(address_, 1);
    row->addWidget(connect_);
    column->addLayout(row);
    vehicles_ = new QComboBox;
    vehicles_->setObjectName("vehicles");
    vehicles_->setToolTip("Several vehicles are on this link: everything concerns this one");
    column->addWidget(vehicles_);
    vehicle_ = wrapped("vehicle state");
    column->addWidget(vehicle_);
    key_ = new QPushButton;
    key_->setProperty("link", true);
    key_->setObjectName("signing key");
    column->addWidget(key_);

    column->addWidget(rule());
    column->addWidget(heading("Hand-over"));
    column->addWidget(new SortieChooser(plan_, false));
    day_ = new QListWidget;
    day_->setObjectName("day");
    day_->setToolTip("What is flown today: click to choose");
    day_->setVerticalScrollBarPolicy(Qt::ScrollBarAsNeeded);
    day_->setFont(uiFont(9));
    connect(day_, &QListWidget::itemClicked, this,
            [this](QListWidgetItem* item) { plan_->chooseSortie(item->data(Qt::UserRole).toInt()); });
    column->addWidget(day_);
    seal_ = wrapped("seal");
    column->addWidget(seal_);
    progress_ = new QProgressBar;
    progress_->setRange(0, 1000);
    column->addWidget(progress_);
    const auto button = [](const QString& text, const QString& name, const QString& tip) {
        auto* b = new QPushButton(text);
        b->setObjectName(name);
        b->setToolTip(tip);
        return b;
    };
    hand_over_ = button("Hand over", "hand over", "Send the plan, read it back, compare (Ctrl+Return)");
    hand_over_->setProperty("primary", true);
    cancel_ = button("Cancel", "cancel transfer", "");
    fetch_ = button("Read from aircraft", "fetch", "What the aircraft holds becomes a plan; undo brings this one back");
    compare_ = button("Compare …", "compare", "Aircraft and plan side by side, item by item");
    check_ = button("Check", "check aircraft", "Reads what the aircraft holds and compares, without sending");
    clear_ = button("Clear aircraft …", "clear aircraft",
                    "Empties route, fence and rally points on the aircraft; a copy is kept");
    take_back_ = button("Take the change back", "take change back",
                        "The plan is again what the aircraft flies; undo brings the change back");
    store_ = button("Store for power-off", "store for power-off",
                    "Asks the aircraft to keep the sealed plan over a power cut");
    freeze_ = button("Freeze", "freeze plan", "A frozen plan cannot be changed by mistake; a new revision can");
    auto* grid = new QGridLayout;
    grid->setSpacing(6);
    grid->addWidget(hand_over_, 0, 0);
    grid->addWidget(fetch_, 0, 1);
    grid->addWidget(cancel_, 0, 1);
    grid->addWidget(check_, 1, 0);
    grid->addWidget(compare_, 1, 1);
    grid->addWidget(store_, 2, 0);
    grid->addWidget(clear_, 2, 1);
    grid->addWidget(take_back_, 2, 1);
    grid->addWidget(freeze_, 3, 0);
    column->addLayout(grid);
    home_box_ = new QFrame;
    auto* home = new QVBoxLayout(home_box_);
    home->setContentsMargins(0, 2, 0, 2);
    home_text_ = wrapped("measured home");
    home->addWidget(home_text_);
    auto* home_row = new QHBoxLayout;
    use_home_ = new QPushButton("Use this home");
    use_home_->setObjectName("use measured home");
    use_home_->setToolTip("The plan's home becomes the measured one: the changes above are accepted");
    move_plan_ = new QPushButton("Move plan here …");
    home_row->addWidget(use_home_);
    home_row->addWidget(move_plan_);
    home->addLayout(home_row);
    column->addWidget(home_box_);
    column->addWidget(rule());
    parameters_ = button("Parameters …", "parameters", "Read, search, set and compare the aircraft's parameters");
    logs_ = button("Onboard logs …", "onboard logs", "List and fetch the logs aboard");
    carry_ =
        button("Carry-over …", "carry over", "For aircraft without a link: the plan as a file, checked, with a sheet");
    all_values_ = button("All values …", "live values", "Everything the aircraft says, now (Ctrl+Shift+V)");
    auto* more = new QGridLayout;
    more->setSpacing(6);
    more->addWidget(parameters_, 0, 0);
    more->addWidget(logs_, 0, 1);
    more->addWidget(all_values_, 1, 0);
    more->addWidget(carry_, 1, 1);
    column->addLayout(more);
    recording_ = new QPushButton;
    recording_->setProperty("link", true);
    recording_->setObjectName("open recording");
    column->addWidget(recording_);
    column->addStretch(1);

    connect(connect_, &QPushButton::clicked, this, &LinkPage::toggleConnection);
    connect(key_, &QPushButton::clicked, this, [this] {
        if (link_->connected() && link_->hasPassphrase())
            putKeyAboard();
        else
            askPassphrase();
    });
    connect(vehicles_, &QComboBox::activated, this, [this](int i) { link_->choose(vehicles_->itemData(i).toInt()); });
    connect(hand_over_, &QPushButton::clicked, this, &LinkPage::handOver);
    connect(fetch_, &QPushButton::clicked, link_, &LinkSession::fetch);
    connect(cancel_, &QPushButton::clicked, link_, &LinkSession::cancel);
    connect(check_, &QPushButton::clicked, field_, &FieldSession::check);
    connect(compare_, &QPushButton::clicked, this, &LinkPage::compareWanted);
    connect(clear_, &QPushButton::clicked, this, [this] {
        const auto answer = QMessageBox::question(this, "Clear the aircraft",
                                                  "Route, fence and rally points on the aircraft are erased. A copy of "
                                                  "them is kept here.\n\nClear the aircraft?",
                                                  QMessageBox::Yes | QMessageBox::No, QMessageBox::No);
        if (answer == QMessageBox::Yes) link_->clearAircraft();
    });
    connect(store_, &QPushButton::clicked, link_, &LinkSession::storeForPowerOff);
    connect(take_back_, &QPushButton::clicked, field_, &FieldSession::takeChangeBack);
    connect(freeze_, &QPushButton::clicked, this, [this] { field_->setFrozen(!plan_->plan()->frozen); });
    connect(use_home_, &QPushButton::clicked, field_, &FieldSession::takeMeasuredHome);
    connect(move_plan_, &QPushButton::clicked, this, [this] {
        if (link_->vehicle().home) emit movePlanWanted(*link_->vehicle().home);
    });
    connect(parameters_, &QPushButton::clicked, this, &LinkPage::parametersWanted);
    connect(all_values_, &QPushButton::clicked, this, &LinkPage::valuesWanted);
    connect(logs_, &QPushButton::clicked, this, &LinkPage::logsWanted);
    connect(carry_, &QPushButton::clicked, this, &LinkPage::carryOverWanted);
    connect(recording_, &QPushButton::clicked, this, [this] {
        link_->flushRecording();
        emit openRecording(link_->recordPath());
    });
    refresh();
}

void LinkPage::listAddresses() {
    QStringList known = QSettings().value("link/addresses", QStringList{"udp-listen:14550"}).toStringList();
    for (const std::string& device : serialDevices()) {
        const QString address = QString("serial:%1:57600").arg(QString::fromStdString(device));
        if (!known.contains(address)) known << address;
    }
    address_->clear();
    address_->addItems(known);
}

void LinkPage::setTheme(const Theme& theme) {
    theme_ = theme;
    refresh();
}

void LinkPage::askPassphrase() {
    bool ok = false;
    const QString passphrase = QInputDialog::getText(
        this, "Signing",
        "Passphrase of the key that commands are signed with. Empty: nothing is signed.\nIt is kept "
        "until the program ends and holds from the next connection on.",
        QLineEdit::Password, {}, &ok);
    if (!ok) return;
    link_->setPassphrase(passphrase);
    refresh();
    if (link_->connected()) return emit message("It can be put aboard this aircraft now: press again");
    emit message(passphrase.isEmpty()
                     ? "Nothing is signed from the next connection on"
                     : "Everything is signed from the next connection on, and only what is signed with "
                       "the same key is believed");
}

void LinkPage::putKeyAboard() {
    auto* ask = new QMessageBox(QMessageBox::Question, "Put the key aboard",
                                "The key itself is sent to the aircraft, which anyone who listens on this link can "
                                "hear: use a cable.\n\nFrom then on the aircraft obeys only who has the "
                                "passphrase, and so do you believe only it. Without the passphrase the key can only "
                                "be taken off by whoever services the aircraft.\n\nPut the key aboard?",
                                QMessageBox::Yes | QMessageBox::No, this);
    ask->setObjectName("ask key");
    ask->setDefaultButton(QMessageBox::No);
    ask->setAttribute(Qt::WA_DeleteOnClose);
    connect(ask, &QMessageBox::finished, this, [this](int answer) {
        if (answer == QMessageBox::Yes) link_->putKeyAboard();
    });
    ask->open();
}

void LinkPage::toggleConnection() {
    if (link_->connected()) return link_->disconnectLink();
    const QString address = address_->currentText().trimmed();
    const auto ok = link_->connectTo(address);
    if (!ok) return emit message(QString::fromStdString(ok.error().message));
    QStringList known = QSettings().value("link/addresses", QStringList{"udp-listen:14550"}).toStringList();
    known.removeAll(address);
    known.prepend(address);
    while (known.size() > 8) known.removeLast();
    QSettings().setValue("link/addresses", known);
}

QString LinkPage::cameraByHand() const {
    for (const Finding& f : plan_->flownFindings())
        if (f.rule == "camera-by-hand") return inUnits(f.message);
    return {};
}

void LinkPage::handOver() {
    if (hand_over_waits_) return;
    hand_over_waits_ = true;
    plan_->whenDerived(this, [this] {
        hand_over_waits_ = false;
        handOverNow();
    });
    if (hand_over_waits_) emit message("It is handed over as soon as the plan is worked out");
}

void LinkPage::handOverNow() {
    const PlanView& view = plan_->flownView();
    if (!view.sendable()) return emit message(QString::fromStdString(view.not_sendable));
    bool in_batches = false;
    QStringList stops;
    for (const Finding& f : field_->stops()) {
        if (f.rule == "item-limit" && !link_->vehicle().armed) {
            const auto answer = QMessageBox::question(
                this, "More items than the aircraft holds",
                inUnits(f.message) +
                    "\n\nIt can be flown in batches: the next one is sent while the present one is flown. "
                    "Without a link the aircraft returns home at the end of a batch.\n\nFly in batches?",
                QMessageBox::Yes | QMessageBox::No, QMessageBox::No);
            if (answer != QMessageBox::Yes) return;
            in_batches = true;
            continue;
        }
        stops += inUnits(f.message);
    }
    // Not handed over without an explicit override, of all of them at once.
    if (!stops.isEmpty()) {
        const auto answer =
            QMessageBox::question(this, "Findings of severity stop", stops.join("\n\n") + "\n\nHand over all the same?",
                                  QMessageBox::Yes | QMessageBox::No, QMessageBox::No);
        if (answer != QMessageBox::Yes) return;
    }
    if (const QString by_hand = cameraByHand(); !by_hand.isEmpty()) {
        emit handedOver();
        const auto answer = QMessageBox::warning(
            this, "Camera", by_hand.left(1).toUpper() + by_hand.mid(1) + ".\n\nHand over the plan?",
            QMessageBox::Yes | QMessageBox::No, QMessageBox::Yes);
        if (answer != QMessageBox::Yes) return;
    }
    if (const auto ok = field_->handOver(in_batches); !ok) emit message(inUnits(ok.error().message));
}

void LinkPage::refresh() {
    const bool on = link_->connected(), heard = on && link_->vehicle().heard, free = heard && !link_->busy();
    connect_->setText(on ? "Disconnect" : "Connect");
    address_->setEnabled(!on);
    if (on && address_->currentText() != link_->address()) address_->setCurrentText(link_->address());
    hand_over_->setEnabled(free);
    hand_over_->setText(field_->changeWaits() ? "Send change" : "Hand over");
    for (QPushButton* b : {fetch_, check_}) b->setEnabled(free);
    clear_->setEnabled(free && !link_->vehicle().armed);
    const bool change = field_->changeWaits() && field_->sealedFlight() != nullptr;
    clear_->setVisible(!change);
    take_back_->setVisible(change);
    take_back_->setEnabled(!link_->busy());
    store_->setEnabled(free && link_->seal() == LinkSession::Seal::sealed && !link_->sealStored());
    compare_->setEnabled(link_->held().has_value());
    freeze_->setText(plan_->plan()->frozen ? "New revision" : "Freeze");
    freeze_->setEnabled(plan_->plan()->frozen || field_->notedSealFits());
    parameters_->setEnabled(heard);
    logs_->setEnabled(heard);
    all_values_->setEnabled(heard);
    cancel_->setVisible(link_->busy());
    fetch_->setVisible(!link_->busy());
    progress_->setVisible(link_->busy());
    progress_->setValue(static_cast<int>(link_->progress() * 1000));
    const bool signed_link = on && link_->isSigned();
    key_->setText(signed_link                    ? "Signed link"
                  : on && link_->hasPassphrase() ? "Put the key aboard …"
                                                 : "Signing key …");
    key_->setEnabled(!signed_link && (!on || (heard && !link_->vehicle().armed)));
    recording_->setVisible(!link_->recordPath().isEmpty());
    recording_->setText("Open the recording in Debrief");
    recording_->setToolTip(link_->recordPath());
    refreshDay();
    refreshSeal();
    refreshVehicle();
    refreshHome();
}

void LinkPage::refreshDay() {
    const auto entries = field_->day();
    day_->setVisible(entries.size() > 1);
    if (entries.size() < 2) return;
    constexpr int kMostShown = 5, kRow = 21;
    while (day_->count() > static_cast<int>(entries.size())) delete day_->takeItem(day_->count() - 1);
    while (day_->count() < static_cast<int>(entries.size())) day_->addItem(QString());
    using State = FieldSession::DayEntry::State;
    for (int i = 0; i < day_->count(); ++i) {
        const auto& e = entries[static_cast<std::size_t>(i)];
        QListWidgetItem* item = day_->item(i);
        const QString text = QString("Sortie %1: %2").arg(e.sortie).arg(e.text);
        if (item->text() != text) item->setText(text);
        item->setData(Qt::UserRole, e.sortie);
        item->setForeground(e.state == State::aboard    ? theme_.reed
                            : e.state == State::changed ? theme_.attentionInk()
                            : e.state == State::notSent ? theme_.quiet
                                                        : theme_.ink);
        QFont font = day_->font();
        font.setBold(e.sortie == plan_->sortie());
        item->setFont(font);
    }
    day_->setFixedHeight(kRow * std::min(kMostShown, day_->count()) + 6);
}

void LinkPage::refreshSeal() {
    // Whether the seal fits is known only once the plan is worked out again.
    if (link_->seal() == LinkSession::Seal::sealed && !plan_->upToDate() && !link_->busy()) return;
    QString seal, details;
    const Plan& plan = *plan_->plan();
    const QString revision = plan.revision > 1 || plan.frozen
                                 ? QString("<br>revision %1%2").arg(plan.revision).arg(plan.frozen ? ", frozen" : "")
                                 : QString();
    if (link_->busy()) {
        seal = link_->progressText();
    } else {
        switch (link_->seal()) {
            case LinkSession::Seal::none: {
                const Seal* noted = field_->notedSeal();
                if (noted == nullptr) {
                    seal = "This plan is kept here, not sent.";
                    break;
                }
                const QString when =
                    QDateTime::fromSecsSinceEpoch(static_cast<qint64>(noted->time_unix_s)).toString("d MMM yyyy HH:mm");
                seal = field_->notedSealFits()
                           ? inColour(theme_.attentionInk(), "Sealed on " + when) +
                                 QString("<br>by vehicle %1; not read back since. Check asks the aircraft.")
                                     .arg(noted->vehicle)
                           : inColour(theme_.attentionInk(), "Changed since it was sealed") + "<br>on " + when;
                break;
            }
            case LinkSession::Seal::failed:
                seal = inColour(theme_.dangerInk(), "Not handed over") + "<br>" + link_->sealText().toHtmlEscaped();
                details = refusedText();
                break;
            case LinkSession::Seal::differs: {
                seal = inColour(theme_.dangerInk(), "The aircraft holds something else") + "<br>" + link_->sealText();
                int n = 0;
                for (const MissionDifference& d : link_->differences()) {
                    if (++n > 3) break;
                    seal += QString("<br>%1, %2: plan %3, aircraft %4")
                                .arg(itemName(d.type, d.seq).toHtmlEscaped(), fieldName(d.type, d.seq, d.field))
                                .arg(d.plan)
                                .arg(d.vehicle);
                }
                break;
            }
            case LinkSession::Seal::sealed:
                details = keptText();
                seal = field_->sealHolds()
                           ? inColour(theme_.goodInk(),
                                      QString("Sealed at %1").arg(link_->sealTime().toString("HH:mm:ss"))) +
                                 QString("<br>%1<br>%2<br>fingerprint %3")
                                     .arg(link_->sealText(), storedText())
                                     .arg(link_->sealFingerprint(), 16, 16, QChar('0'))
                       : field_->changeWaits()
                           ? changeText()
                           : inColour(theme_.attentionInk(), "Seal broken") +
                                 "<br>the plan was changed after the hand-over; the aircraft holds the earlier one";
        }
        if (!link_->batchProblem().isEmpty())
            seal += "<br>" + inColour(theme_.dangerInk(), "Next batch: " + link_->batchProblem().toHtmlEscaped());
        if (!link_->copyPath().isEmpty())
            seal += "<br>what it held before is kept: " + QFileInfo(link_->copyPath()).fileName();
    }
    seal += revision;
    if (seal_->text() != seal) seal_->setText(seal);
    if (seal_->toolTip() != details) seal_->setToolTip(details);
}

QString LinkPage::storedText() const {
    if (link_->sealStored()) return "stored for power-off, says the aircraft";
    return link_->storeAnswer().isEmpty() ? QString("whether it outlives a power-off is not known")
                                          : "not stored for power-off: " + link_->storeAnswer().toHtmlEscaped();
}

QString LinkPage::changeText() const {
    if (field_->changeTooLate())
        return inColour(theme_.dangerInk(), "Too late to send this change") +
               "<br>the aircraft is there or nearly so, and flies the plan as it was sealed: take the change back, or "
               "change what is further ahead";
    const auto left_s = field_->changeTime_s();
    return inColour(theme_.attentionInk(), "Change not sent") +
           (left_s ? QString("<br>it can be sent for another %1").arg(QString::fromStdString(durationText(*left_s)))
                   : QString()) +
           "<br>the aircraft flies the plan as it was sealed; what is flown or near stays as it is";
}

/// The item of the plan that an item of its list came from, as the Itinerary names it.
QString LinkPage::itemName(const std::string& type, int seq) const {
    const ItemId id = type == "mission" ? plan_->flownView().program.sourceAt(seq) : 0;
    if (id != 0) return QString::fromStdString(itemText(*plan_->plan(), id));
    if (seq < 0) return type == "mission" ? QString("the plan") : QString::fromStdString(type);
    return QString("%1 item %2").arg(QString::fromStdString(type)).arg(seq);
}

QString LinkPage::fieldName(const std::string& type, int seq, const std::string& field) const {
    return QString::fromStdString(fieldWords(plan_->flownView().program, type == "mission" ? seq : -1, field));
}

/// What the aircraft rounds, leaves out or was told otherwise: each once, with the item it is first seen at.
QString LinkPage::keptText() const {
    constexpr int kMostLines = 20;
    QStringList lines;
    std::map<std::string, std::pair<QString, int>> seen;
    for (const KeptField& k : link_->kept()) {
        auto& [line, count] = seen[k.field + k.why];
        if (count++ == 0)
            line = QString("%1, %2: %3 kept as %4, %5")
                       .arg(itemName(k.type, k.seq), fieldName(k.type, k.seq, k.field))
                       .arg(k.plan)
                       .arg(k.vehicle)
                       .arg(QString::fromStdString(k.why));
    }
    for (const auto& [what, entry] : seen) {
        if (lines.size() == kMostLines) break;
        lines += entry.second == 1 ? entry.first : QString("%1 (%2 times)").arg(entry.first).arg(entry.second);
    }
    return lines.join("\n");
}

QString LinkPage::refusedText() const {
    constexpr int kMostLines = 20;
    QStringList lines;
    for (const Unsaid& u : link_->refusedItems()) {
        const QString line = QString("%1: %2").arg(itemName("mission", u.seq), QString::fromStdString(u.reason));
        if (lines.size() < kMostLines && !lines.contains(line)) lines += line;
    }
    return lines.join("\n");
}

void LinkPage::refreshVehicle() {
    const auto& all = link_->vehicles();
    vehicles_->setVisible(link_->connected() && all.size() > 1);
    if (vehicles_->count() != static_cast<int>(all.size())) {
        vehicles_->clear();
        for (const int system : all) vehicles_->addItem(QString("Vehicle %1").arg(system), system);
    }
    vehicles_->setCurrentIndex(vehicles_->findData(link_->vehicle().system));
    QString text;
    const VehicleSnapshot& v = link_->vehicle();
    if (!link_->connected()) {
        text = "Not connected.";
    } else if (!v.heard) {
        text = v.link.wrong_signature + v.link.not_signed > 0
                   ? "A vehicle is heard, but it does not sign with this key."
                   : "Waiting for a vehicle …";
    } else {
        text = QString("<b>%1 · %2</b> · vehicle %3")
                   .arg(v.armed ? "ARMED" : "disarmed", QString::fromStdString(modeName(v)))
                   .arg(v.system);
        text += " · " + QString::fromStdString(dialectText(dialectOf(v)));
        if (!v.firmware.empty()) text += " · firmware " + QString::fromStdString(v.firmware);
        if (v.heartbeat_age_s > 3)
            text += QString("<br><span style='color:%1'><b>link lost for %2 s</b></span>")
                        .arg(theme_.vermilion.name())
                        .arg(v.heartbeat_age_s, 0, 'f', 0);
        else
            text += QString("<br>%1 % lost lately, %2, %3/s, %4 kB/s")
                        .arg(100 * v.link.recent_loss, 0, 'f', 0)
                        .arg(v.link.round_trip_ms ? QString("%1 ms round trip").arg(*v.link.round_trip_ms, 0, 'f', 0)
                                                  : QString("round trip not known"))
                        .arg(v.link.messages_per_s, 0, 'f', 0)
                        .arg(v.link.bytes_per_s / 1000, 0, 'f', 1);
        if (v.link.rates < 1)
            text += QString("<br>slow radio: messages are asked for at 1/%1 of their rates")
                        .arg(1 / v.link.rates, 0, 'f', 0);
        if (v.link.wrong_signature > 0)
            text += QString("<br><span style='color:%1'>%2 packets with another key</span>")
                        .arg(theme_.vermilion.name())
                        .arg(v.link.wrong_signature);
        const QString problem = link_->recordProblem();
        text += problem.isEmpty()
                    ? QString("<br>recording, %1 MB").arg(static_cast<double>(link_->recordedBytes()) / 1e6, 0, 'f', 1)
                    : QString("<br><span style='color:%1'><b>%2</b></span>")
                          .arg(theme_.vermilion.name(), problem.toHtmlEscaped());
    }
    if (vehicle_->text() != text) vehicle_->setText(text);
}

void LinkPage::refreshHome() {
    const auto& move = field_->homeMoved();
    home_box_->setVisible(move.has_value());
    if (!move) return;
    const QString text = QString("<b>Measured home</b><br>%1").arg(inUnits(homeMoveText(*move)));
    if (home_text_->text() != text) home_text_->setText(text);
}

}  // namespace anhinga
