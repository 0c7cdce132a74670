#include "app/field/StateStrip.h"

#include <QtWidgets>

#include "app/widgets/Quantity.h"
#include "core/base/Text.h"
#include "core/mavlink/ModeNames.h"

namespace anhinga {

namespace {
enum Level { calm, attention, danger };
}

StateStrip::StateStrip(FieldSession* field, LinkSession* link, PlanSession* plan, QWidget* parent)
    : QWidget(parent), field_(field), link_(link), plan_(plan) {
    setObjectName("state strip");
    auto* column = new QVBoxLayout(this);
    column->setContentsMargins(0, 0, 0, 0);
    column->setSpacing(4);
    auto* row = new QFrame;
    row->setObjectName("state cells");
    auto* inside = new QVBoxLayout(row);
    inside->setContentsMargins(10, 4, 10, 5);
    inside->setSpacing(2);
    auto* cells = new QHBoxLayout;
    cells->setSpacing(14);
    inside->addLayout(cells);
    mode_ = addCell("aircraft", cells, 5);
    other_mode_ = new QToolButton(mode_.value->parentWidget());
    other_mode_->setObjectName("other mode");
    other_mode_->setText("other mode ▾");
    other_mode_->setFocusPolicy(Qt::NoFocus);
    other_mode_->setFont(uiFont(7.5, true));
    other_mode_->setToolTip("Choose the mode in which it is to fly");
    other_mode_->setCursor(Qt::PointingHandCursor);
    mode_.beside->addWidget(other_mode_);
    connect(other_mode_, &QToolButton::clicked, this, &StateStrip::offerModes);
    mode_.value->installEventFilter(this);
    battery_ = addCell("battery", cells, 6);
    gps_ = addCell("GPS", cells, 4);
    wind_ = addCell("wind", cells, 3);
    link_cell_ = addCell("link", cells, 4);
    next_ = new QLabel;
    next_->setObjectName("state next");
    next_->setFont(uiFont(10));
    inside->addWidget(next_);
    column->addWidget(row);
    alarms_ = new QVBoxLayout;
    alarms_->setSpacing(3);
    column->addLayout(alarms_);
    all_ = new QPushButton;
    all_->setObjectName("all alarms");
    all_->setFocusPolicy(Qt::NoFocus);
    all_->hide();
    column->addWidget(all_, 0, Qt::AlignLeft);
    connect(all_, &QPushButton::clicked, this, &StateStrip::showAllAlarms);
    connect(field_, &FieldSession::alarmsChanged, this, &StateStrip::refreshAlarms);
}

StateStrip::Cell StateStrip::addCell(const QString& name, QHBoxLayout* row, int stretch) {
    auto* cell = new QVBoxLayout;
    cell->setSpacing(0);
    auto* beside = new QHBoxLayout;
    beside->setSpacing(6);
    auto* title = new QLabel(name);
    title->setFont(uiFont(7.5));
    title->setProperty("quiet", true);
    auto* value = new QLabel("–");
    value->setObjectName("state " + name);
    value->setFont(uiFont(10.5, true));
    beside->addWidget(title);
    beside->addStretch();
    cell->addLayout(beside);
    cell->addWidget(value);
    row->addLayout(cell, stretch);
    return {title, value, beside};
}

/// The modes that the vehicle offers; the words of its family where it does not say. None is known: it says so.
void StateStrip::offerModes() {
    const VehicleSnapshot& v = link_->vehicle();
    if (!link_->connected() || !v.heard) return;
    auto* menu = new QMenu(this);
    menu->setObjectName("mode menu");
    menu->setAttribute(Qt::WA_DeleteOnClose);
    const auto offer = [&](const QString& name, std::uint32_t mode) {
        QAction* a = menu->addAction("Fly in this mode: " + name);
        a->setData(name);
        a->setEnabled(mode != v.custom_mode);
        connect(a, &QAction::triggered, this, [this, name, mode] {
            link_->command("Fly in mode " + name,
                           [mode](VehicleLink& l, std::stop_token s) { return commandMode(l, mode, std::move(s)); });
        });
    };
    // Only what is known to do what it says; the aircraft's own word stands beside ours.
    for (const OfferedMode& m : v.modes) {
        const auto kind = modeKind(v, m.custom_mode);
        if (!m.selectable || !kind || *kind == ModeKind::ended) continue;
        const QString ours = modeWord(*kind), theirs = QString::fromStdString(m.name);
        offer(theirs.isEmpty() || theirs == ours ? ours : QString("%1 (%2)").arg(ours, theirs), m.custom_mode);
    }
    if (v.modes.empty())
        for (const mavlink::ModeName& m : mavlink::modesOf(v.autopilot, v.type))
            if (m.selectable) offer(m.text(), m.mode);
    if (menu->isEmpty()) menu->addAction("This aircraft's modes are not known: use its transmitter")->setEnabled(false);
    menu->popup(mode_.value->mapToGlobal(QPoint(0, mode_.value->height() + 4)));
}

bool StateStrip::eventFilter(QObject* watched, QEvent* event) {
    if (watched == mode_.value && event->type() == QEvent::MouseButtonPress) {
        offerModes();
        return true;
    }
    return QWidget::eventFilter(watched, event);
}

void StateStrip::setTheme(const Theme& theme) {
    theme_ = theme;
    setStyleSheet(QString("#state\\ cells, #alarm { background: %1; border: 1px solid %2; border-radius: 5px; }")
                      .arg(theme.panel.name(), theme.ink.name()));
    other_mode_->setStyleSheet(QString("QToolButton { border: none; background: transparent; padding: 0; color: %1; }")
                                   .arg(theme.lagoon.name()));
    findChild<QFrame*>("state cells")
        ->setStyleSheet(
            QString("QFrame { background: %1; border: 1px solid %2; border-radius: 5px; } QLabel { border: none; }")
                .arg(theme.panel.name(), theme.ink.name()));
    refresh();
    refreshAlarms();
}

void StateStrip::put(const Cell& cell, const QString& text, int level) {
    if (cell.value->text() != text) cell.value->setText(text);
    const QColor colour = level == danger      ? theme_.dangerInk()
                          : level == attention ? theme_.attentionInk()
                                               : theme_.ink;
    const QString sheet = QString("border: none; color: %1;").arg(colour.name());
    if (cell.value->styleSheet() != sheet) cell.value->setStyleSheet(sheet);
}

void StateStrip::setNext(const QString& text) {
    const QString cut = next_->fontMetrics().elidedText(inUnits(text), Qt::ElideRight, std::max(100, width() - 24));
    if (next_->text() != cut) next_->setText(cut);
    next_->setToolTip(inUnits(text));
}

/// "pass 4, the battery lasts for 5 more".
QString StateStrip::passText(const FlightProgress& p) {
    QString text = QString("pass %1").arg(*p.pass);
    if (p.passes_more)
        text += *p.passes_more == 0 ? QString(", the battery ends in this one")
                                    : QString(", the battery lasts for %1 more").arg(*p.passes_more);
    return text;
}

/// What it flies to, how often it will go round, how long the rest takes, photos against those planned up to here.
QString StateStrip::nextLine() const {
    const VehicleSnapshot& v = link_->vehicle();
    const auto* sealed = field_->sealedFlight();
    const FlightProgram& program = sealed != nullptr ? sealed->program : plan_->flownView().program;
    const Plan& plan = sealed != nullptr ? *sealed->plan : *plan_->plan();
    const auto flown = link_->flownItem();
    if (!v.armed) return field_->landed() ? "Landed · " + field_->sealLine() : "Plan: " + field_->sealLine();
    QStringList parts;
    const auto mode = modeKind(v);
    if ((mode == ModeKind::returnHome || mode == ModeKind::land) && v.position) {
        const auto& home = v.home ? v.home : std::optional<GeoPoint>();
        QString line = mode == ModeKind::land ? "Landing where it is" : "Going home";
        if (home) line += ", " + QString::fromStdString(distanceText(distance_m(*v.position, *home)));
        if (home && mode == ModeKind::land) line += " from home";
        if (v.height_home_m) line += QString(" · %1 above home").arg(shownNumber(*v.height_home_m, kHeightUnit, 0));
        return line + QString(" · %1 photos taken").arg(v.photos);
    }
    if (flown && program.at(*flown) != nullptr) {
        const ItemId id = program.sourceAt(*flown);
        QString to = "To " + QString::fromStdString(itemText(plan, id));
        if (v.item_distance_m) to += ", " + QString::fromStdString(distanceText(*v.item_distance_m));
        parts << to;
        std::optional<int> visits;
        if (sealed != nullptr && sealed->rehearsal)
            if (const auto at = sealed->rehearsal->visits.find(id); at != sealed->rehearsal->visits.end())
                visits = at->second;
        const auto been = std::count(v.reached->begin(), v.reached->end(), *flown);
        if (visits && *visits > 1 && *visits > been)
            // Of a repeat without an end the passes are said instead.
            if (!field_->progress() || !field_->progress()->pass)
                parts << (*visits - been == 1 ? QString("once more") : QString("%1 times more").arg(*visits - been));
    }
    if (const auto& p = field_->progress()) {
        if (p->pass)
            parts << passText(*p);
        else
            parts << QString::fromStdString(durationText(p->left_s)) + " to the end";
        if (p->photos > 0 || v.photos > 0) parts << photosText(v.photos, p->photos);
        if (p->battery_percent) parts << QString("rehearsed %1 % here").arg(*p->battery_percent, 0, 'f', 0);
    }
    if (!v.cameras.empty())
        if (const QString card = cardText(v.cameras.front()); !card.isEmpty()) parts << "card: " + card;
    // First, as it is the one that will not wait.
    if (field_->changeTooLate())
        parts.prepend("Change too late to send");
    else if (field_->changeWaits()) {
        const auto left_s = field_->changeTime_s();
        parts.prepend(left_s ? "Change not sent, " + QString::fromStdString(durationText(*left_s)) + " left for it"
                             : QString("Change not sent"));
    }
    return parts.isEmpty() ? "Plan: " + field_->sealLine() : parts.join(" · ");
}

void StateStrip::refresh() {
    const VehicleSnapshot& v = link_->vehicle();
    const bool heard = link_->connected() && v.heard;
    other_mode_->setEnabled(heard);
    if (!heard) {
        put(mode_, link_->connected() ? "waiting for a vehicle" : "not connected", calm);
        for (const Cell& c : {battery_, gps_, wind_, link_cell_}) put(c, "–", calm);
        setNext(field_->sealLine());
        return;
    }
    const bool lost = v.heartbeat_age_s > 3;
    put(mode_, QString::fromStdString(modeName(v)) + (v.armed ? " · ARMED" : ""), v.armed ? attention : calm);
    mode_.name->setText(v.armed ? "aircraft" : "aircraft, disarmed");

    setNext(nextLine());
    QString battery = v.battery_percent ? QString("%1 %").arg(*v.battery_percent, 0, 'f', 0) : "unknown";
    int level = calm;
    const double reserve = plan_->plan()->vehicle.reserve_percent;
    if (const auto& p = field_->progress(); p && p->battery_at_landing) {
        battery += QString(", expected %1 %").arg(std::max(0.0, *p->battery_at_landing), 0, 'f', 0);
        if (*p->battery_at_landing < reserve) level = danger;
    } else if (v.battery_v) {
        battery += QString(" · %1 V").arg(*v.battery_v, 0, 'f', 1);
    }
    if (v.battery_percent && *v.battery_percent <= reserve) level = danger;
    put(battery_, battery, level);
    const auto* sealed = field_->sealedFlight();
    const auto rehearsed = sealed != nullptr ? sealed->rehearsal : plan_->flownRehearsal();
    battery_.value->setToolTip("Now, and what is expected at the end" +
                               (rehearsed ? "; rehearsed: " + QString::fromStdString(endText(*rehearsed)) : QString()));

    const bool fix = v.fix && *v.fix >= 3;
    put(gps_,
        (v.fix ? QString(fixText(*v.fix)) : "unknown") +
            (v.satellites ? QString(" · %1").arg(*v.satellites) : QString()) +
            (v.position_within_m ? QString(" · ±%1").arg(shownNumber(*v.position_within_m, "m", 1)) : QString()),
        !v.fix ? attention
        : fix  ? calm
               : danger);
    if (v.wind_mps && *v.wind_mps < 0.5)
        put(wind_, "calm", calm);
    else
        put(wind_,
            v.wind_mps ? QString("%1 from %2°")
                             .arg(shownNumber(*v.wind_mps, "m/s", 0))
                             .arg(v.wind_from_deg.value_or(0), 0, 'f', 0)
                       : "unknown",
            calm);
    QString link = lost ? QString("lost %1 s").arg(v.heartbeat_age_s, 0, 'f', 0)
                        : QString("%1 % lost").arg(100 * v.link.recent_loss, 0, 'f', 0);
    if (!lost && v.link.round_trip_ms) link += QString(" · %1 ms").arg(*v.link.round_trip_ms, 0, 'f', 0);
    put(link_cell_, link, lost ? danger : v.link.recent_loss > 0.15 ? attention : calm);
}

namespace {
void fillList(QListWidget& list, const std::vector<Alarm>& alarms) {
    list.clear();
    for (const Alarm& a : alarms)
        list.addItem(QString("%1: %2%3%4")
                         .arg(a.level == AlarmLevel::danger ? "danger" : "warning", inUnits(a.text),
                              a.over && !a.once ? "  (over)" : "", a.acknowledged ? "  (seen)" : ""));
}
}  // namespace

void StateStrip::refreshAlarms() {
    for (const Row& row : rows_) delete row.box;
    rows_.clear();
    constexpr std::size_t kMostShown = 4;
    const auto& alarms = field_->alarms();
    for (const Alarm& a : alarms) {
        if (a.acknowledged || rows_.size() >= kMostShown) continue;
        auto* row = new QFrame;
        row->setObjectName("alarm");
        const QColor colour = a.level == AlarmLevel::danger ? theme_.vermilion : theme_.marigold;
        const QColor ink = a.level == AlarmLevel::danger ? QColor(Qt::white) : QColor("#1b1b16");
        row->setStyleSheet(
            QString("#alarm { background: %1; border: 1px solid %2; border-radius: 5px; } QLabel { color: "
                    "%3; border: none; } QPushButton { background: transparent; color: %3; border: 1px "
                    "solid %3; border-radius: 4px; padding: 2px 8px; }")
                .arg(colour.name(), theme_.ink.name(), ink.name()));
        auto* line = new QHBoxLayout(row);
        line->setContentsMargins(10, 4, 6, 4);
        auto* text = new QLabel(inUnits(a.text) + (a.over && !a.once ? "  (over)" : ""));
        text->setFont(uiFont(10.5, true));
        text->setWordWrap(true);
        text->setTextFormat(Qt::PlainText);  // some of it is the aircraft's own words
        text->setObjectName("alarm text");
        line->addWidget(text, 1);
        auto* seen = new QPushButton("Seen");
        seen->setObjectName("alarm seen");
        seen->setFocusPolicy(Qt::NoFocus);
        seen->setToolTip("Acknowledge this alarm (Shift+A acknowledges all)");
        connect(seen, &QPushButton::clicked, this, [this, id = a.id] {
            // The button goes away with its row: not while it is still being clicked.
            QMetaObject::invokeMethod(
                this, [this, id] { field_->acknowledge(id); }, Qt::QueuedConnection);
        });
        line->addWidget(seen, 0, Qt::AlignTop);
        alarms_->addWidget(row);
        row->show();  // a layout counts only what is shown, and would show it later
        rows_.push_back({row, text, seen});
    }
    // What is not shown above, or was seen and is still so, is a press away.
    const std::size_t more = alarms.size() - rows_.size();
    all_->setVisible(more > 0);
    if (more > 0) all_->setText(QString("%1 more: all alarms").arg(more));
    if (auto* list = findChild<QListWidget*>("alarm list")) fillList(*list, alarms);
    giveRoom();
}

void StateStrip::giveRoom() {
    constexpr int kSides = 10 + 6, kBetween = 6, kAbove = 4 + 4;
    for (const Row& row : rows_) {
        const int wide = std::max(80, width() - kSides - kBetween - row.seen->sizeHint().width() - 2);
        const int high = std::max(row.text->heightForWidth(wide), row.seen->sizeHint().height());
        row.box->setMinimumHeight(high + kAbove + 2);
    }
    fit();
}

void StateStrip::fit() {
    layout()->invalidate();
    layout()->activate();
    resize(width(),
           layout()->hasHeightForWidth() ? layout()->totalHeightForWidth(width()) : layout()->totalSizeHint().height());
}

void StateStrip::resizeEvent(QResizeEvent* event) {
    QWidget::resizeEvent(event);
    if (event->oldSize().width() != event->size().width()) giveRoom();
}

void StateStrip::showAllAlarms() {
    auto* dialog = new QDialog(this);
    dialog->setAttribute(Qt::WA_DeleteOnClose);
    dialog->setWindowTitle("Alarms");
    dialog->resize(560, 320);
    auto* column = new QVBoxLayout(dialog);
    auto* list = new QListWidget;
    list->setObjectName("alarm list");
    list->setWordWrap(true);
    fillList(*list, field_->alarms());
    column->addWidget(list);
    auto* close = new QPushButton("Close");
    connect(close, &QPushButton::clicked, dialog, &QDialog::close);
    column->addWidget(close, 0, Qt::AlignRight);
    dialog->show();
}

QStringList StateStrip::shownAlarms() const {
    QStringList out;
    for (const QLabel* label : findChildren<QLabel*>("alarm text")) out << label->text();
    return out;
}

}  // namespace anhinga
