#include "app/debrief/LogbookPage.h"

#include <QtWidgets>

#include "app/widgets/Quantity.h"
#include "core/base/Text.h"
#include "core/review/Compare.h"
#include "core/tiles/TileStore.h"

namespace anhinga {

namespace {
enum Column { pictureColumn, begun, vehicle, place, duration, distance, top, tags, notes, file, columns };
constexpr int kIdRole = Qt::UserRole, kSortRole = Qt::UserRole + 1;

/// Sorts by a number where there is one.
class Cell : public QTableWidgetItem {
  public:
    using QTableWidgetItem::QTableWidgetItem;
    bool operator<(const QTableWidgetItem& other) const override {
        const QVariant a = data(kSortRole), b = other.data(kSortRole);
        return a.isValid() && b.isValid() ? a.toDouble() < b.toDouble() : text().localeAwareCompare(other.text()) < 0;
    }
};
}  // namespace

LogbookPage::LogbookPage(LogbookSession* logbook, QWidget* parent) : QWidget(parent), logbook_(logbook) {
    setObjectName("logbook");
    auto* column = new QVBoxLayout(this);
    column->setContentsMargins(24, 16, 24, 16);
    column->setSpacing(10);
    const auto button = [](const QString& text, const QString& name, const QString& tip = {}) {
        auto* b = new QPushButton(text);
        b->setObjectName(name);
        b->setToolTip(tip);
        return b;
    };
    auto* head = new QHBoxLayout;
    auto* title = new QLabel("Logbook");
    title->setFont(uiFont(15, true));
    count_ = new QLabel;
    count_->setProperty("quiet", true);
    count_->setObjectName("logbook count");
    search_ = new QLineEdit;
    search_->setObjectName("logbook search");
    search_->setPlaceholderText("search: date, vehicle, place, tag, note, file");
    search_->setClearButtonEnabled(true);
    search_->setMinimumWidth(300);
    import_ = button("Import folder …", "logbook import", "Every log in a folder and those inside it");
    watch_ = button("Watch folder …", "logbook watch");
    auto* back = button("Back   Esc", "logbook close");
    head->addWidget(title);
    head->addSpacing(10);
    head->addWidget(count_);
    head->addStretch();
    for (QWidget* w : std::initializer_list<QWidget*>{search_, import_, watch_, back}) head->addWidget(w);
    column->addLayout(head);
    auto* busy = new QHBoxLayout;
    doing_ = new QLabel;
    progress_ = new QProgressBar;
    progress_->setRange(0, 1000);
    stop_ = button("Stop", "logbook stop");
    busy->addWidget(doing_);
    busy->addWidget(progress_, 1);
    busy->addWidget(stop_);
    column->addLayout(busy);

    table_ = new QTableWidget;
    table_->setObjectName("logbook table");
    table_->setColumnCount(columns);
    table_->setHorizontalHeaderLabels(
        {"Track", "Begun", "Vehicle", "Place", "Duration", "Distance", "Top", "Tags", "Notes", "File"});
    table_->verticalHeader()->hide();
    table_->verticalHeader()->setDefaultSectionSize(44);
    table_->setIconSize({64, 38});
    table_->setSelectionBehavior(QAbstractItemView::SelectRows);
    table_->setEditTriggers(QAbstractItemView::EditKeyPressed | QAbstractItemView::SelectedClicked);
    table_->setShowGrid(false);
    table_->horizontalHeader()->setHighlightSections(false);
    table_->setToolTip(
        "Double click opens a flight; a slow second click, or F2, changes vehicle, place, tags and notes");
    constexpr int kWidths[] = {74, 132, 140, 96, 88, 78, 62, 84, 110, 120};
    for (int i = 0; i < columns; ++i) table_->setColumnWidth(i, kWidths[i]);
    table_->horizontalHeader()->setSectionResizeMode(notes, QHeaderView::Stretch);
    auto* right = new QWidget;
    right->setFixedWidth(250);
    auto* side = new QVBoxLayout(right);
    side->setContentsMargins(6, 0, 0, 0);
    auto* side_title = new QLabel("Done to the aircraft");
    side_title->setFont(uiFont(10, true));
    notes_ = new QListWidget;
    notes_->setObjectName("hardware notes");
    notes_->setWordWrap(true);
    note_ = new QLineEdit;
    note_->setObjectName("hardware note");
    note_->setPlaceholderText("new propellers, compass moved, …");
    add_note_ = button("Note it", "add hardware note", "Of the vehicle of the flight chosen");
    remove_note_ = button("Remove note", "remove hardware note");
    side->addWidget(side_title);
    side->addWidget(notes_, 1);
    side->addWidget(note_);
    auto* note_row = new QHBoxLayout;
    note_row->addWidget(add_note_);
    note_row->addWidget(remove_note_);
    side->addLayout(note_row);
    changes_ = new QLabel;
    changes_->setObjectName("parameter changes");
    changes_->setWordWrap(true);
    changes_->setTextInteractionFlags(Qt::TextSelectableByMouse);
    side->addWidget(changes_);
    auto* middle = new QHBoxLayout;
    middle->addWidget(table_, 1);
    middle->addWidget(right);
    column->addLayout(middle, 1);

    details_ = new QLabel;
    details_->setObjectName("logbook details");
    details_->setTextInteractionFlags(Qt::TextSelectableByMouse);
    details_->setProperty("quiet", true);
    details_->setMinimumWidth(100);
    details_->setSizePolicy(QSizePolicy::Ignored, QSizePolicy::Preferred);
    open_ = button("Open in Debrief", "logbook open");
    open_->setProperty("primary", true);
    plan_ = button("Open its plan", "logbook plan");
    remove_ = button("Remove from logbook …", "logbook remove", "The file itself stays where it is");
    auto* foot = new QHBoxLayout;
    foot->addWidget(details_, 1);
    for (QPushButton* b : {open_, plan_, remove_}) foot->addWidget(b);
    column->addLayout(foot);

    connect(back, &QPushButton::clicked, this, &LogbookPage::backWanted);
    auto* escape = new QShortcut(Qt::Key_Escape, this, nullptr, nullptr, Qt::WidgetWithChildrenShortcut);
    connect(escape, &QShortcut::activated, this, &LogbookPage::backWanted);
    auto* remove_key = new QShortcut(Qt::Key_Delete, table_, nullptr, nullptr, Qt::WidgetShortcut);
    connect(remove_key, &QShortcut::activated, this, &LogbookPage::removeChosen);
    connect(search_, &QLineEdit::textChanged, this, &LogbookPage::refresh);
    connect(import_, &QPushButton::clicked, this, [this] {
        const QString folder = QFileDialog::getExistingDirectory(window(), "Import every log of a folder");
        if (!folder.isEmpty()) logbook_->importFolder(folder);
    });
    connect(stop_, &QPushButton::clicked, logbook_, &LogbookSession::cancel);
    connect(watch_, &QPushButton::clicked, this, [this] {
        if (!logbook_->watchedFolder().isEmpty()) {
            logbook_->watchFolder({});
        } else {
            const QString folder = QFileDialog::getExistingDirectory(window(), "Watch this folder for new logs");
            if (!folder.isEmpty()) logbook_->watchFolder(folder);
        }
        refreshWatched();
    });
    const auto open = [this](int row) {
        if (const LogbookEntry* e = entryOf(row)) logbook_->open(*e);
    };
    connect(open_, &QPushButton::clicked, this, [this, open] { open(table_->currentRow()); });
    connect(table_, &QTableWidget::cellDoubleClicked, this, [open](int row, int) { open(row); });
    connect(plan_, &QPushButton::clicked, this, [this] {
        if (const LogbookEntry* e = entryOf(table_->currentRow()))
            emit openWanted(QString::fromStdString(e->plan_path));
    });
    connect(remove_, &QPushButton::clicked, this, &LogbookPage::removeChosen);
    connect(table_, &QTableWidget::itemSelectionChanged, this, &LogbookPage::refreshChosen);
    connect(table_, &QTableWidget::cellChanged, this, &LogbookPage::edited);
    connect(add_note_, &QPushButton::clicked, this, [this] {
        const LogbookEntry* e = entryOf(table_->currentRow());
        if (note_->text().trimmed().isEmpty()) return;
        logbook_->addNote(e != nullptr ? QString::fromStdString(e->vehicle) : QString(), note_->text().trimmed());
        note_->clear();
    });
    connect(note_, &QLineEdit::returnPressed, add_note_, &QPushButton::click);
    connect(remove_note_, &QPushButton::clicked, this, [this] {
        if (const QListWidgetItem* item = notes_->currentItem()) logbook_->removeNote(item->data(kIdRole).toLongLong());
    });
    // Later: a cell that was just edited is still in use.
    connect(
        logbook_, &LogbookSession::changed, this,
        [this] {
            if (isVisible()) refresh();
        },
        Qt::QueuedConnection);
    connect(logbook_, &LogbookSession::progress, this, &LogbookPage::refreshBusy);
    connect(logbook_, &LogbookSession::imported, this, &LogbookPage::message);
    connect(logbook_, &LogbookSession::failed, this, &LogbookPage::message);
    connect(logbook_, &LogbookSession::opened, this, &LogbookPage::openWanted);
    refreshBusy();
}

void LogbookPage::setTheme(const Theme& theme) {
    theme_ = theme;
    if (isVisible()) refresh();
}

const LogbookEntry* LogbookPage::entryOf(int row) const {
    const QTableWidgetItem* item = table_->item(row, pictureColumn);
    const auto at = item != nullptr ? entries_.find(item->data(kIdRole).toLongLong()) : entries_.end();
    return at == entries_.end() ? nullptr : &at->second;
}

std::vector<std::int64_t> LogbookPage::chosen() const {
    std::vector<std::int64_t> ids;
    for (const QModelIndex& i : table_->selectionModel()->selectedRows())
        if (const LogbookEntry* e = entryOf(i.row())) ids.push_back(e->id);
    return ids;
}

/// The track, north up, as large as fits.
QPixmap LogbookPage::picture(const LogbookEntry& entry) const {
    const double ratio = devicePixelRatioF();
    const QSizeF size(64, 38);
    QPixmap out((size * ratio).toSize());
    out.setDevicePixelRatio(ratio);
    out.fill(Qt::transparent);
    if (entry.track.size() < 2) return out;
    const LocalFrame frame(entry.track.front());
    QPolygonF line;
    for (const GeoPoint& g : entry.track) {
        const Vec2 at = frame.toLocal(g);
        line << QPointF(at.x, -at.y);
    }
    const QRectF box = line.boundingRect();
    const double scale =
        std::min((size.width() - 8) / std::max(1.0, box.width()), (size.height() - 8) / std::max(1.0, box.height()));
    QPainter p(&out);
    p.setRenderHint(QPainter::Antialiasing);
    p.translate(size.width() / 2, size.height() / 2);
    p.scale(scale, scale);
    p.translate(-box.center());
    QPen pen(theme_.reed, 1.6);
    pen.setCosmetic(true);
    p.setPen(pen);
    p.drawPolyline(line);
    return out;
}

void LogbookPage::refresh() {
    const auto opened = logbook_->book();
    if (!opened) {
        details_->setText(QString::fromStdString(opened.error().message));
        return;
    }
    const auto found = (*opened)->entries(search_->text().toStdString());
    const auto kept = chosen();
    filling_ = true;
    entries_.clear();
    table_->setSortingEnabled(false);
    table_->setRowCount(static_cast<int>(found.size()));
    for (int row = 0; row < table_->rowCount(); ++row) {
        const LogbookEntry& e = found[static_cast<std::size_t>(row)];
        entries_[e.id] = e;
        const auto put = [&](int at, const QString& text, bool may_edit = false, std::optional<double> number = {}) {
            auto* cell = new Cell(text);
            cell->setFlags(Qt::ItemIsEnabled | Qt::ItemIsSelectable |
                           (may_edit ? Qt::ItemIsEditable : Qt::NoItemFlags));
            if (number) cell->setData(kSortRole, *number);
            cell->setToolTip(text);
            table_->setItem(row, at, cell);
            return cell;
        };
        auto* first = put(pictureColumn, "", false, static_cast<double>(e.id));
        first->setData(kIdRole, QVariant::fromValue<qlonglong>(e.id));
        first->setIcon(QIcon(picture(e)));
        put(begun,
            e.start_unix_s > 0
                ? QDateTime::fromSecsSinceEpoch(static_cast<qint64>(e.start_unix_s)).toString("d MMM yyyy HH:mm")
                : QString("undated"),
            false, e.start_unix_s);
        put(vehicle, QString::fromStdString(e.vehicle), true);
        put(place,
            !e.place_name.empty() ? QString::fromStdString(e.place_name)
            : e.place             ? shownCoordinate(*e.place)
                                  : QString("unknown"),
            true);
        put(duration, QString::fromStdString(durationText(e.duration_s)), false, e.duration_s);
        put(distance, inUnits(QString::fromStdString(distanceText(e.distance_m)), UnitKind::distance), false,
            e.distance_m);
        put(top, shownNumber(e.top_height_home_m, kHeightUnit, 0), false, e.top_height_home_m);
        put(tags, QString::fromStdString(e.tags), true);
        put(notes, QString::fromStdString(e.notes), true);
        put(file, QFileInfo(QString::fromStdString(e.path)).fileName());
        if (std::find(kept.begin(), kept.end(), e.id) != kept.end() && kept.size() == 1) table_->selectRow(row);
    }
    table_->setSortingEnabled(true);
    if (table_->horizontalHeader()->sortIndicatorSection() >= columns ||
        table_->horizontalHeader()->sortIndicatorSection() == pictureColumn)
        table_->sortItems(begun, Qt::DescendingOrder);
    filling_ = false;
    const std::size_t all = (*opened)->count();
    count_->setText(all == 0              ? "No flight yet: import a folder, or fetch a log in the Field"
                    : found.size() == all ? QString("%1 flights").arg(all)
                                          : QString("%1 of %2 flights").arg(found.size()).arg(all));
    fillNotes();
    refreshWatched();
    refreshChosen();
}

void LogbookPage::refreshWatched() {
    const QString folder = logbook_->watchedFolder();
    watch_->setText(folder.isEmpty() ? "Watch folder …" : "Stop watching");
    watch_->setToolTip(folder.isEmpty() ? "New logs in a folder come into the logbook by themselves"
                                        : folder + " is watched for new logs");
}

QString LogbookPage::changesOf(const LogbookEntry& e) const {
    const auto opened = logbook_->book();
    if (!opened) return {};
    const auto after = (*opened)->parameters(e.sha256);
    if (after.empty()) return "This log has no parameters: what was set is not known.";
    const auto before = (*opened)->flightBefore(e);
    if (!before) return QString("%1 parameters; no earlier flight of this vehicle to compare with.").arg(after.size());
    const auto changes = paramChanges((*opened)->parameters(before->sha256), after);
    const QString when =
        QDateTime::fromSecsSinceEpoch(static_cast<qint64>(before->start_unix_s)).toString("d MMM yyyy HH:mm");
    if (changes.empty()) return "All parameters as on the flight before, " + when + ".";
    QString text =
        QString("%1 parameter%2 changed since %3:").arg(changes.size()).arg(changes.size() > 1 ? "s" : "", when);
    constexpr std::size_t kMost = 8;
    for (std::size_t i = 0; i < std::min(kMost, changes.size()); ++i) {
        const auto value = [](const std::optional<double>& v) {
            return v ? QString::fromStdString(paramText(*v)) : QString("not there");
        };
        text += QString("\n%1  %2 → %3")
                    .arg(QString::fromStdString(changes[i].name), value(changes[i].before), value(changes[i].after));
    }
    if (changes.size() > kMost) text += QString("\nand %1 more").arg(changes.size() - kMost);
    return text;
}

void LogbookPage::fillNotes() {
    const auto opened = logbook_->book();
    if (!opened) return;
    notes_->clear();
    for (const HardwareNote& n : (*opened)->notes()) {
        const QString when =
            QDateTime::fromSecsSinceEpoch(static_cast<qint64>(n.time_unix_s)).toString("d MMM yyyy HH:mm");
        auto* item = new QListWidgetItem(when + (n.vehicle.empty() ? "" : ", " + QString::fromStdString(n.vehicle)) +
                                         "\n" + QString::fromStdString(n.text));
        item->setData(kIdRole, QVariant::fromValue<qlonglong>(n.id));
        notes_->addItem(item);
    }
}

void LogbookPage::refreshChosen() {
    const auto ids = chosen();
    const LogbookEntry* e = ids.size() == 1 ? &entries_.at(ids.front()) : nullptr;
    const bool there = e != nullptr && QFileInfo::exists(QString::fromStdString(e->path));
    open_->setEnabled(there);
    plan_->setEnabled(e != nullptr && !e->plan_path.empty() && QFileInfo::exists(QString::fromStdString(e->plan_path)));
    remove_->setEnabled(!ids.empty());
    changes_->setText(e != nullptr ? changesOf(*e) : QString());
    if (e == nullptr) {
        details_->setText(ids.empty() ? QString() : QString("%1 flights chosen").arg(ids.size()));
        return;
    }
    details_->setText(QString("%1 · %2%3\nSHA-256 %4")
                          .arg(QString::fromStdString(e->path), QString::fromStdString(bytesText(e->bytes)),
                               there ? "" : " · the file is no longer there", QString::fromStdString(e->sha256)));
}

void LogbookPage::refreshBusy() {
    const bool busy = logbook_->busy() && !logbook_->doing().isEmpty();
    for (QWidget* w : std::initializer_list<QWidget*>{doing_, progress_, stop_}) w->setVisible(busy);
    doing_->setText(logbook_->doing());
    progress_->setValue(static_cast<int>(logbook_->share() * 1000));
    import_->setEnabled(!busy);
}

void LogbookPage::edited(int row, int column) {
    const LogbookEntry* e = entryOf(row);
    if (filling_ || e == nullptr) return;
    LogbookEntry changed = *e;
    const std::string text = table_->item(row, column)->text().trimmed().toStdString();
    if (column == vehicle) changed.vehicle = text;
    if (column == place) changed.place_name = text;
    if (column == tags) changed.tags = text;
    if (column == notes) changed.notes = text;
    logbook_->change(changed);
}

void LogbookPage::removeChosen() {
    const auto ids = chosen();
    if (ids.empty()) return;
    const auto answer = QMessageBox::question(
        this, "Remove from the logbook",
        QString("%1 and what was noted of %2 leave the logbook. The log %3 where it is.\n\nRemove?")
            .arg(ids.size() == 1 ? QString("One flight") : QString("%1 flights").arg(ids.size()),
                 ids.size() == 1 ? "it" : "them", ids.size() == 1 ? "file stays" : "files stay"),
        QMessageBox::Yes | QMessageBox::No, QMessageBox::No);
    if (answer == QMessageBox::Yes) logbook_->remove(ids);
}

}  // namespace anhinga
