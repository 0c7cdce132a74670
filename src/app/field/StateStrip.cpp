#include "app/field/StateStrip.h"

#include <QtWidgets>

#include "app/widgets/Quantity.h"
#include "core/base/Text.h"

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
    auto* cells = new QHBoxLayout(row);
    cells->setContentsMargins(10, 4, 10, 4);
    cells->setSpacing(14);
    mode_ = addCell("aircraft", row);
    next_ = addCell("flying to", row);
    battery_ = addCell("battery", row);
    gps_ = addCell("GPS", row);
    wind_ = addCell("wind", row);
    link_cell_ = addCell("link", row);
    column->addWidget(row);
    alarms_ = new QVBoxLayout;
    alarms_->setSpacing(3);
    column->addLayout(alarms_);
    connect(field_, &FieldSession::alarmsChanged, this, &StateStrip::refreshAlarms);
}

StateStrip::Cell StateStrip::addCell(const QString& name, QWidget* row) {
    auto* cell = new QVBoxLayout;
    cell->setSpacing(0);
    auto* title = new QLabel(name);
    title->setFont(uiFont(7.5));
    title->setProperty("quiet", true);
    auto* value = new QLabel("–");
    value->setObjectName("state " + name);
    value->setFont(uiFont(10.5, true));
    cell->addWidget(title);
    cell->addWidget(value);
    static_cast<QHBoxLayout*>(row->layout())->addLayout(cell, name == "flying to" ? 1 : 0);
    return {title, value};
}

void StateStrip::setTheme(const Theme& theme) {
    theme_ = theme;
    setStyleSheet(QString("#state\\ cells, #alarm { background: %1; border: 1px solid %2; border-radius: 5px; }")
                      .arg(theme.panel.name(), theme.ink.name()));
    findChild<QFrame*>("state cells")
        ->setStyleSheet(
            QString("QFrame { background: %1; border: 1px solid %2; border-radius: 5px; } QLabel { border: none; }")
                .arg(theme.panel.name(), theme.ink.name()));
    refresh();
    refreshAlarms();
}

void StateStrip::put(const Cell& cell, const QString& text, int level) {
    if (cell.value->text() != text) cell.value->setText(text);
    const QColor colour = level == danger      ? theme_.vermilion
                          : level == attention ? theme_.marigold.darker(theme_.night ? 100 : 130)
                                               : theme_.ink;
    const QString sheet = QString("border: none; color: %1;").arg(colour.name());
    if (cell.value->styleSheet() != sheet) cell.value->setStyleSheet(sheet);
}

void StateStrip::refresh() {
    const VehicleSnapshot& v = link_->vehicle();
    const bool heard = link_->connected() && v.heard;
    if (!heard) {
        put(mode_, link_->connected() ? "waiting for a vehicle" : "not connected", calm);
        for (const Cell& c : {next_, battery_, gps_, wind_, link_cell_}) put(c, "–", calm);
        return;
    }
    const bool lost = v.heartbeat_age_s > 3;
    put(mode_, QString::fromStdString(modeName(v)) + (v.armed ? " · ARMED" : " · disarmed"),
        v.armed ? attention : calm);

    QString next = "–";
    const auto& mission = plan_->flownView().mission;
    const auto flown = link_->flownItem();
    if (v.armed && flown && mission && *flown > 0 && static_cast<std::size_t>(*flown) < mission->source.size()) {
        next = QString::fromStdString(itemText(*plan_->plan(), mission->source[static_cast<std::size_t>(*flown)]));
        if (v.item_distance_m) next += ", " + QString::fromStdString(distanceText(*v.item_distance_m));
        if (const auto& p = field_->progress())
            next += ", " + QString::fromStdString(durationText(p->left_s)) + " to the end";
    } else if (const auto seal = field_->sealLine(); !v.armed) {
        next = seal;
    }
    put(next_, inUnits(next), calm);

    QString battery = v.battery_percent ? QString("%1 %").arg(*v.battery_percent, 0, 'f', 0) : "unknown";
    int level = calm;
    const double reserve = plan_->plan()->vehicle.reserve_percent;
    if (const auto& p = field_->progress(); p && p->battery_at_landing) {
        battery += QString(", lands with %1 %").arg(std::max(0.0, *p->battery_at_landing), 0, 'f', 0);
        if (*p->battery_at_landing < reserve) level = danger;
    } else if (v.battery_v) {
        battery += QString(" · %1 V").arg(*v.battery_v, 0, 'f', 1);
    }
    if (v.battery_percent && *v.battery_percent <= reserve) level = danger;
    put(battery_, battery, level);

    const bool fix = v.fix && *v.fix >= 3;
    put(gps_,
        (v.fix ? QString(fixText(*v.fix)) : "unknown") +
            (v.satellites ? QString(" · %1").arg(*v.satellites) : QString()),
        !v.fix ? attention
        : fix  ? calm
               : danger);
    put(wind_,
        v.wind_mps
            ? QString("%1 from %2°").arg(shownNumber(*v.wind_mps, "m/s", 0)).arg(v.wind_from_deg.value_or(0), 0, 'f', 0)
            : "unknown",
        calm);
    QString link = lost ? QString("lost %1 s").arg(v.heartbeat_age_s, 0, 'f', 0)
                        : QString("%1 % lost").arg(100 * v.link.recent_loss, 0, 'f', 0);
    if (!lost && v.link.round_trip_ms) link += QString(" · %1 ms").arg(*v.link.round_trip_ms, 0, 'f', 0);
    put(link_cell_, link, lost ? danger : v.link.recent_loss > 0.15 ? attention : calm);
}

void StateStrip::refreshAlarms() {
    for (QWidget* row : rows_) delete row;
    rows_.clear();
    constexpr std::size_t kMostShown = 4;
    for (const Alarm& a : field_->alarms()) {
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
        auto* text = new QLabel(inUnits(a.text) + (a.over ? "  (over)" : ""));
        text->setFont(uiFont(10.5, true));
        text->setWordWrap(true);
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
        line->addWidget(seen);
        alarms_->addWidget(row);
        rows_.push_back(row);
    }
    adjustSize();
}

QStringList StateStrip::shownAlarms() const {
    QStringList out;
    for (const QLabel* label : findChildren<QLabel*>("alarm text")) out << label->text();
    return out;
}

}  // namespace anhinga
