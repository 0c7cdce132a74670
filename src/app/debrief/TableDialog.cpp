#include "app/debrief/TableDialog.h"

#include <QtWidgets>

#include "core/base/File.h"
#include "core/flightlog/FlightLog.h"

namespace anhinga {

namespace {
enum HeaderColumn { headerColumn, sampleColumn, channelColumn, unitColumn, noteColumn, headerColumns };

struct Choice {
    const char *channel, *text;
};
constexpr Choice kChoices[] = {{"", "kept as it is"},
                               {kTimeColumn, "time"},
                               {kDateColumn, "date"},
                               {kPlaceColumn, "latitude and longitude in one"},
                               {"position.lat_deg", "latitude"},
                               {"position.lon_deg", "longitude"},
                               {"position.height_home_m", "height above home"},
                               {"position.height_amsl_m", "height above sea level"},
                               {"position.height_ground_m", "height above ground"},
                               {"velocity.ground_mps", "speed over ground"},
                               {"velocity.air_mps", "airspeed"},
                               {"velocity.climb_mps", "climb rate"},
                               {"attitude.roll_deg", "roll"},
                               {"attitude.pitch_deg", "pitch"},
                               {"attitude.yaw_deg", "heading"},
                               {"gps.satellites", "satellites"},
                               {"gps.hdop", "HDOP"},
                               {"battery.voltage_v", "battery voltage"},
                               {"battery.current_a", "battery current"},
                               {"battery.used_mah", "charge used"},
                               {"battery.left_percent", "battery left"},
                               {"throttle.percent", "throttle"},
                               {kModeColumn, "flight mode"},
                               {kArmedColumn, "armed or not"},
                               {kEllipsoidColumn, "height above the ellipsoid"},
                               {"stick.roll", "roll stick"},
                               {"stick.pitch", "pitch stick"},
                               {"stick.throttle", "throttle stick"},
                               {"stick.yaw", "yaw stick"},
                               {"link.receiver_v", "receiver voltage"},
                               {"link.rssi", "signal strength"}};

QString keyOf(const std::string& signature) {
    return QString("tables/%1").arg(fingerprint(signature), 16, 16, QChar('0'));
}
}  // namespace

TableMapping rememberedMapping(const std::string& signature) {
    TableMapping m;
    QSettings settings;
    settings.beginGroup(keyOf(signature));
    const auto read = [&](const char* key, std::map<std::string, std::string>& into) {
        const QVariantMap kept = settings.value(key).toMap();
        for (auto at = kept.begin(); at != kept.end(); ++at)
            into[at.key().toStdString()] = at.value().toString().toStdString();
    };
    read("channels", m.channels);
    read("units", m.units);
    if (settings.contains("utc_offset_s")) m.utc_offset_s = settings.value("utc_offset_s").toDouble();
    return m;
}

void rememberMapping(const std::string& signature, const TableMapping& mapping) {
    QSettings settings;
    settings.beginGroup(keyOf(signature));
    const auto write = [&](const char* key, const std::map<std::string, std::string>& from) {
        QVariantMap kept;
        for (const auto& [header, value] : from) kept[QString::fromStdString(header)] = QString::fromStdString(value);
        settings.setValue(key, kept);
    };
    write("channels", mapping.channels);
    write("units", mapping.units);
    if (mapping.utc_offset_s)
        settings.setValue("utc_offset_s", *mapping.utc_offset_s);
    else
        settings.remove("utc_offset_s");
}

TableDialog::TableDialog(const QString& path, std::string bytes, QWidget* parent)
    : QDialog(parent), bytes_(std::move(bytes)) {
    setObjectName("table dialog");
    setWindowTitle("Columns of " + QFileInfo(path).fileName());
    resize(860, 520);
    auto* column = new QVBoxLayout(this);
    summary_ = new QLabel;
    summary_->setObjectName("table summary");
    summary_->setWordWrap(true);
    column->addWidget(summary_);
    table_ = new QTableWidget;
    table_->setObjectName("table columns");
    table_->setColumnCount(headerColumns);
    table_->setHorizontalHeaderLabels({"Column", "First value", "Is", "Unit", "Assumed"});
    table_->verticalHeader()->hide();
    table_->horizontalHeader()->setSectionResizeMode(noteColumn, QHeaderView::Stretch);
    table_->setColumnWidth(headerColumn, 150);
    table_->setColumnWidth(sampleColumn, 150);
    table_->setColumnWidth(channelColumn, 220);
    table_->setColumnWidth(unitColumn, 70);
    column->addWidget(table_, 1);
    auto* row = new QHBoxLayout;
    row->addWidget(new QLabel("Times are"));
    zone_ = new QComboBox;
    zone_->setObjectName("table zone");
    zone_->addItem("local, as on this computer");
    for (int minutes = -12 * 60; minutes <= 14 * 60; minutes += 30)
        zone_->addItem(minutes == 0 ? QString("UTC")
                                    : QString("UTC %1%2:%3")
                                          .arg(minutes < 0 ? "-" : "+")
                                          .arg(std::abs(minutes) / 60)
                                          .arg(std::abs(minutes) % 60, 2, 10, QChar('0')),
                       minutes * 60);
    row->addWidget(zone_);
    row->addStretch();
    auto* forget = new QPushButton("As recognised");
    forget->setObjectName("table forget");
    forget->setToolTip("Forgets what was said of tables like this one");
    open_ = new QPushButton("Open");
    open_->setObjectName("table open");
    open_->setProperty("primary", true);
    auto* cancel = new QPushButton("Cancel");
    cancel->setObjectName("table cancel");
    for (QPushButton* b : {forget, open_, cancel}) row->addWidget(b);
    column->addLayout(row);
    if (const auto layout = recogniseTable(bytes_)) {
        signature_ = layout->signature;
        mapping_ = rememberedMapping(signature_);
    }
    zone_->setCurrentIndex(
        mapping_.utc_offset_s ? std::max(0, zone_->findData(static_cast<int>(*mapping_.utc_offset_s))) : 0);
    connect(zone_, &QComboBox::activated, this, [this](int i) {
        mapping_.utc_offset_s = i == 0 ? std::nullopt : std::optional(zone_->itemData(i).toDouble());
    });
    connect(forget, &QPushButton::clicked, this, [this] {
        mapping_ = {};
        zone_->setCurrentIndex(0);
        fill();
    });
    connect(open_, &QPushButton::clicked, this, [this] {
        rememberMapping(signature_, mapping_);
        accept();
    });
    connect(cancel, &QPushButton::clicked, this, &QDialog::reject);
    connect(table_, &QTableWidget::cellChanged, this, [this](int r, int c) {
        if (!filling_ && c == unitColumn) take(r);
    });
    fill();
}

/// What was chosen in a row becomes part of the mapping.
void TableDialog::take(int row) {
    const std::string header = table_->item(row, headerColumn)->text().toStdString();
    const auto* choice = qobject_cast<QComboBox*>(table_->cellWidget(row, channelColumn));
    mapping_.channels[header] = choice->currentData().toString().toStdString();
    const QString unit = table_->item(row, unitColumn)->text().trimmed();
    if (unit.isEmpty())
        mapping_.units.erase(header);
    else
        mapping_.units[header] = unit.toStdString();
    // The rows are made anew: not while one of them is still in use.
    QMetaObject::invokeMethod(this, &TableDialog::fill, Qt::QueuedConnection);
}

void TableDialog::fill() {
    const auto layout = recogniseTable(bytes_, mapping_);
    usable_ = false;
    if (!layout) {
        summary_->setText(QString::fromStdString(layout.error().message));
        open_->setEnabled(false);
        return;
    }
    filling_ = true;
    table_->setRowCount(static_cast<int>(layout->columns.size()));
    for (int r = 0; r < table_->rowCount(); ++r) {
        const TableColumn& c = layout->columns[static_cast<std::size_t>(r)];
        const auto put = [&](int at, const std::string& text, bool may_edit) {
            auto* item = new QTableWidgetItem(QString::fromStdString(text));
            item->setFlags(Qt::ItemIsEnabled | Qt::ItemIsSelectable |
                           (may_edit ? Qt::ItemIsEditable : Qt::NoItemFlags));
            item->setToolTip(item->text());
            table_->setItem(r, at, item);
        };
        put(headerColumn, c.header, false);
        put(sampleColumn, c.sample, false);
        put(unitColumn, c.unit, true);
        put(noteColumn, c.note, false);
        auto* choice = new QComboBox;
        choice->setObjectName("is " + QString::fromStdString(c.header));
        for (const Choice& k : kChoices) choice->addItem(k.text, QString(k.channel));
        choice->setCurrentIndex(std::max(0, choice->findData(QString::fromStdString(c.channel))));
        connect(choice, &QComboBox::activated, this, [this, r] { take(r); });
        table_->setCellWidget(r, channelColumn, choice);
    }
    filling_ = false;
    refreshSummary(*layout);
}

void TableDialog::refreshSummary(const TableLayout& layout) {
    const auto has = [&](const char* channel) {
        return std::any_of(layout.columns.begin(), layout.columns.end(),
                           [&](const TableColumn& c) { return c.channel == channel; });
    };
    const bool place = has(kPlaceColumn) || (has("position.lat_deg") && has("position.lon_deg"));
    const bool height =
        has("position.height_home_m") || has("position.height_amsl_m") || has("position.height_ground_m");
    QStringList missing;
    if (!has(kTimeColumn)) missing << "the time: without it nothing can be opened";
    if (!place) missing << "the place: there will be no track";
    if (!height) missing << "a height: the flight will have none";
    usable_ = has(kTimeColumn);
    open_->setEnabled(usable_);
    summary_->setText(
        missing.isEmpty()
            ? QString(
                  "Time, place and height are known. What is said here is remembered for tables with the same header.")
            : "Not known yet: " + missing.join("; ") + ".");
}

}  // namespace anhinga
