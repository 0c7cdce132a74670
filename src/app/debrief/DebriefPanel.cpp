#include "app/debrief/DebriefPanel.h"

#include <QtWidgets>

#include "app/debrief/FormulaDialog.h"
#include "app/widgets/Quantity.h"
#include "core/base/Text.h"
#include "core/review/PhotosFlown.h"

namespace anhinga {

namespace {
constexpr int kAircraft = -10;  // and below: in the list of flights, another aircraft of the file
constexpr int kNameRole = Qt::UserRole;
const QString kFavourites = "Favourites", kFormulas = "Formulas";
}  // namespace

ChannelPanel::ChannelPanel(ReviewSession* review, TraceBand* band, QWidget* parent)
    : QWidget(parent), review_(review), band_(band) {
    auto* column = new QVBoxLayout(this);
    column->setContentsMargins(14, 10, 10, 6);
    column->setSpacing(5);
    title_ = new QLabel;
    title_->setWordWrap(true);
    title_->setObjectName("log title");
    connect(title_, &QLabel::linkActivated, this, [this](const QString& file) { review_->open(file); });
    column->addWidget(title_);
    auto* busy = new QHBoxLayout;
    reading_ = new QProgressBar;
    reading_->setObjectName("reading log");
    reading_->setRange(0, 1000);
    reading_->setFormat("reading %p %");
    stop_ = new QPushButton("Stop");
    stop_->setObjectName("stop reading");
    busy->addWidget(reading_, 1);
    busy->addWidget(stop_);
    column->addLayout(busy);
    connect(stop_, &QPushButton::clicked, review_, &ReviewSession::stopOpening);
    const auto show_busy = [this] {
        reading_->setVisible(review_->opening());
        stop_->setVisible(review_->opening());
        reading_->setValue(static_cast<int>(review_->openingShare() * 1000));
    };
    connect(review_, &ReviewSession::openingChanged, this, show_busy);
    show_busy();
    sessions_ = new QComboBox;
    sessions_->setObjectName("sessions");
    sessions_->setToolTip("Flights in this log: how long, how far, how high above home");
    column->addWidget(sessions_);
    auto* grid = new QGridLayout;
    grid->setSpacing(5);
    int place = 0;
    const auto button = [&](const char* name, const char* object, const char* tip, auto signal) {
        auto* b = new QPushButton(name);
        b->setObjectName(object);
        b->setToolTip(tip);
        connect(b, &QPushButton::clicked, this, signal);
        grid->addWidget(b, place / 3, place % 3);
        ++place;
        return b;
    };
    button("Open …", "open log", "A log of any kind this program reads", &ChannelPanel::openWanted);
    button("Logbook", "open logbook", "Every flight that was opened, fetched or recorded here (Ctrl+B)",
           &ChannelPanel::logbookWanted);
    button("Export …", "export log", "Track, channels or photo positions in an open format",
           &ChannelPanel::exportWanted);
    button("Report", "report", "This flight as a page to keep or print (Ctrl+P)", &ChannelPanel::reportWanted);
    button("Spectrum", "spectrum", "What repeats in a channel: propellers, frame, control (Ctrl+Shift+U)",
           &ChannelPanel::spectrumWanted);
    button("Compare", "compare flights", "Another flight beside this one (Ctrl+Shift+B)", &ChannelPanel::compareWanted);
    button("Relation", "relation", "One channel against another; how often a value comes",
           &ChannelPanel::relationWanted);
    button("Contents", "log contents", "Parameters and missions in this log", &ChannelPanel::parametersWanted);
    button("Presence", "presence", "Was it in a place, when, and how near?", &ChannelPanel::presenceWanted);
    for (int i = 0; i < 3; ++i) grid->setColumnStretch(i, 1);
    columns_ =
        button("Columns …", "table columns button", "What the columns of this table are", &ChannelPanel::columnsWanted);
    column->addLayout(grid);
    auto* row = new QHBoxLayout;
    row->setSpacing(5);
    presets_ = new QToolButton;
    presets_->setObjectName("presets");
    presets_->setText("Presets");
    presets_->setToolTip("Traces that belong together");
    presets_->setPopupMode(QToolButton::InstantPopup);
    presets_->setToolButtonStyle(Qt::ToolButtonTextOnly);
    auto* menu = new QMenu(presets_);
    menu->setObjectName("presets menu");
    for (const QString& name : TraceModel::presets())
        menu->addAction(name, this, [this, name] { band_->model().usePreset(name); });
    connect(menu, &QMenu::aboutToShow, this, [this, menu] {
        for (QAction* a : menu->actions()) a->setEnabled(band_->model().hasPreset(a->text()));
    });
    presets_->setMenu(menu);
    auto* formula = new QPushButton("+ formula");
    formula->setObjectName("new formula");
    formula->setToolTip("A channel made of others");
    connect(formula, &QPushButton::clicked, this, [this] { editFormula({}); });
    search_ = new QLineEdit;
    search_->setPlaceholderText("search channels");
    search_->setClearButtonEnabled(true);
    search_->setObjectName("channel search");
    row->addWidget(presets_);
    row->addWidget(formula);
    row->addStretch(1);
    column->addLayout(row);
    column->addWidget(search_);
    tree_ = new QTreeWidget;
    tree_->setObjectName("channels");
    tree_->setHeaderHidden(true);
    tree_->setColumnCount(2);
    tree_->header()->setStretchLastSection(false);
    tree_->header()->setSectionResizeMode(0, QHeaderView::Stretch);
    tree_->header()->setSectionResizeMode(1, QHeaderView::Fixed);
    tree_->header()->resizeSection(1, 24);
    tree_->setIndentation(12);
    tree_->setUniformRowHeights(true);
    tree_->setContextMenuPolicy(Qt::CustomContextMenu);
    tree_->setToolTip(
        "Click: left axis, Shift+click: right axis, Ctrl+click: a plot of its own; again: remove. "
        "The mark at the right makes a favourite");
    column->addWidget(tree_, 1);
    connect(search_, &QLineEdit::textChanged, this, &ChannelPanel::fill);
    connect(tree_, &QTreeWidget::itemClicked, this, &ChannelPanel::clicked);
    connect(tree_, &QTreeWidget::customContextMenuRequested, this, &ChannelPanel::menuAt);
    const auto remember = [this](QTreeWidgetItem* item, bool open) {
        if (filling_ || item->data(0, kNameRole).isValid()) return;
        if (open)
            open_groups_.insert(item->text(0));
        else
            open_groups_.erase(item->text(0));
    };
    connect(tree_, &QTreeWidget::itemExpanded, this, [remember](QTreeWidgetItem* i) { remember(i, true); });
    connect(tree_, &QTreeWidget::itemCollapsed, this, [remember](QTreeWidgetItem* i) { remember(i, false); });
    connect(sessions_, &QComboBox::activated, this, [this](int i) {
        const int choice = sessions_->itemData(i).toInt();
        if (choice <= kAircraft) {
            // The list is made anew by it: not while it tells of the choice.
            QTimer::singleShot(0, this, [this, choice] { review_->chooseAircraft(kAircraft - choice); });
        } else {
            band_->model().setSession(choice);
        }
    });
    connect(&band_->model(), &TraceModel::tracesChanged, this, &ChannelPanel::fill);
    connect(&band_->model(), &TraceModel::channelsChanged, this, &ChannelPanel::fill);
    open_groups_ = {"position", "velocity", "battery", kFavourites, kFormulas};
    refresh();
}

void ChannelPanel::refresh() {
    columns_->setVisible(review_->log() && review_->log()->format == "table");
    for (const char* name :
         {"export log", "report", "spectrum", "compare flights", "relation", "log contents", "presence"})
        if (auto* b = findChild<QPushButton*>(name)) b->setEnabled(review_->log() != nullptr);
    if (const LogPtr log = review_->log()) {
        QString text =
            QString("<b>%1</b><br>%2")
                .arg(QFileInfo(review_->path()).fileName().toHtmlEscaped(), QString::fromStdString(log->format));
        if (!log->vehicle.empty()) text += " · " + QString::fromStdString(log->vehicle).toHtmlEscaped();
        if (log->start_unix_s > 0)
            text += " · " + QString::fromStdString(isoUtc(log->start_unix_s)).left(16).replace('T', ' ');
        if (log->not_believed > 0)
            text += QString("<br>%1 packets that were not believed are in nothing here: <a href='%2'>show them</a>")
                        .arg(QLocale(QLocale::English).toString(static_cast<qulonglong>(log->not_believed)),
                             QString::fromStdString(log->not_believed_file).toHtmlEscaped());
        if (!log->believed) text += "<br>None of this was believed when it came; it is in no figure of the flight";
        if (log->damaged_bytes > 0) text += QString("<br>%1 damaged bytes passed over").arg(log->damaged_bytes);
        title_->setText(text);
    } else {
        title_->setText("<b>No log open</b><br>Open a recording, or fly one in Field");
    }
    fillSessions();
    fill();
}

void ChannelPanel::fillSessions() {
    sessions_->clear();
    const LogPtr log = review_->log();
    sessions_->setVisible(log != nullptr && (!log->sessions.empty() || !review_->fileLog()->others.empty()));
    if (!log) return;
    const auto words = [](const LogSession& s) {
        return inUnits(QString("%1 · %2 · %3 m home")
                           .arg(QString::fromStdString(durationText(s.to_s - s.from_s)),
                                QString::fromStdString(distanceText(s.distance_m)))
                           .arg(s.max_height_home_m, 0, 'f', 0),
                       UnitKind::distance);
    };
    const std::size_t n = log->sessions.size();
    if (n != 1) sessions_->addItem(QString("All %1 flights").arg(n), -1);
    for (std::size_t i = 0; i < n; ++i)
        sessions_->addItem((n > 1 ? QString("%1 of %2: ").arg(i + 1).arg(n) : QString()) + words(log->sessions[i]),
                           n > 1 ? static_cast<int>(i) : -1);
    sessions_->setCurrentIndex(std::max(0, sessions_->findData(band_->model().session())));
    // The other aircraft of the same recording.
    const LogPtr file = review_->fileLog();
    if (file->others.empty()) return;
    sessions_->insertSeparator(sessions_->count());
    for (int k = 0; k <= static_cast<int>(file->others.size()); ++k)
        if (const FlightLog& of = k == 0 ? *file : *file->others[static_cast<std::size_t>(k) - 1];
            k != review_->aircraft())
            sessions_->addItem("To " + QString::fromStdString(of.vehicle), kAircraft - k);
}

void ChannelPanel::clicked(QTreeWidgetItem* item, int column) {
    const QVariant name = item->data(0, kNameRole);
    if (!name.isValid()) return item->setExpanded(!item->isExpanded());
    TraceModel& model = band_->model();
    if (column == 1) return model.setFavourite(name.toString(), !model.favourites().contains(name.toString()));
    const auto keys = QApplication::keyboardModifiers();
    const bool own_plot = (keys & Qt::ControlModifier) != 0;
    model.toggle(name.toString().toStdString(), (keys & Qt::ShiftModifier) != 0,
                 own_plot ? std::min(model.plots(), TraceModel::kMostPlots - 1) : 0);
}

void ChannelPanel::menuAt(const QPoint& at) {
    QTreeWidgetItem* item = tree_->itemAt(at);
    if (item == nullptr || !item->data(0, kNameRole).isValid()) return;
    const QString name = item->data(0, kNameRole).toString();
    TraceModel& model = band_->model();
    QMenu menu(this);
    const auto draw = [&](const QString& text, bool right, int plot) {
        menu.addAction(text, this, [&model, name, right, plot] { model.toggle(name.toStdString(), right, plot); });
    };
    const bool drawn = std::any_of(model.traces().begin(), model.traces().end(),
                                   [&](const Trace& t) { return t.name == name.toStdString(); });
    if (drawn) {
        draw("Remove", false, 0);
    } else {
        draw("Left axis", false, 0);
        draw("Right axis\tShift+click", true, 0);
        draw("A plot of its own\tCtrl+click", false, std::min(model.plots(), TraceModel::kMostPlots - 1));
    }
    const bool favourite = model.favourites().contains(name);
    menu.addAction(favourite ? "No favourite any more" : "Favourite", this,
                   [&model, name, favourite] { model.setFavourite(name, !favourite); });
    menu.addAction("Colour the track by it", this, [this, name] { emit colourTrackWanted(name); });
    if (std::any_of(model.formulas().begin(), model.formulas().end(),
                    [&](const FormulaChannel& f) { return f.name == name; })) {
        menu.addSeparator();
        menu.addAction("Edit formula …", this, [this, name] { editFormula(name); });
        menu.addAction("Remove formula", this, [&model, name] { model.removeFormula(name); });
    }
    menu.exec(tree_->viewport()->mapToGlobal(at));
}

void ChannelPanel::editFormula(const QString& name) {
    FormulaDialog dialog(&band_->model(), name, this);
    dialog.exec();
}

void ChannelPanel::fill() {
    const int scroll = tree_->verticalScrollBar()->value();
    filling_ = true;
    tree_->clear();
    const LogPtr log = review_->log();
    if (!log) {
        filling_ = false;
        return;
    }
    const TraceModel& model = band_->model();
    const QString wanted = search_->text().trimmed();
    std::map<QString, QTreeWidgetItem*> groups;
    const QStringList favourites = model.favourites();
    const auto add = [&](const QString& group, const QString& name, const QString& unit, std::size_t count) {
        if (!wanted.isEmpty() && !name.contains(wanted, Qt::CaseInsensitive)) return;
        QTreeWidgetItem*& parent = groups[group];
        if (parent == nullptr) {
            parent = new QTreeWidgetItem(tree_, {group});
            parent->setFirstColumnSpanned(true);
            QFont bold = parent->font(0);
            bold.setBold(true);
            parent->setFont(0, bold);
        }
        const QString own = group != kFavourites && name.startsWith(group + ".") ? name.mid(group.size() + 1) : name;
        auto* item = new QTreeWidgetItem(
            parent, {own + (unit.isEmpty() ? "" : "  " + unit), favourites.contains(name) ? "★" : "☆"});
        item->setData(0, kNameRole, name);
        item->setToolTip(0, QString("%1\n%2 values").arg(name).arg(count));
        item->setToolTip(1, "Favourite");
        for (std::size_t i = 0; i < model.traces().size(); ++i) {
            const Trace& t = model.traces()[i];
            if (t.name != name.toStdString()) continue;
            QPixmap chip(14, 14);
            chip.fill(band_->colourOf(i));
            item->setIcon(0, QIcon(chip));
            item->setText(0, item->text(0) + (model.plots() > 1 ? QString("  plot %1").arg(t.plot + 1) : QString()) +
                                 (t.right ? "  → right" : ""));
            QFont bold = item->font(0);
            bold.setBold(true);
            item->setFont(0, bold);
        }
    };
    for (const FormulaChannel& f : model.formulas()) add(kFormulas, f.name, "", 0);
    const auto all = log->list();
    for (const ChannelInfo& c : all)
        if (favourites.contains(QString::fromStdString(c.name)))
            add(kFavourites, QString::fromStdString(c.name), QString::fromStdString(c.unit), c.count);
    for (const ChannelInfo& c : all) {
        const QString name = QString::fromStdString(c.name);
        add(name.left(std::max<qsizetype>(0, name.indexOf('.'))), name, QString::fromStdString(c.unit), c.count);
    }
    for (auto& [name, item] : groups) item->setExpanded(!wanted.isEmpty() || open_groups_.contains(name));
    tree_->verticalScrollBar()->setValue(scroll);
    filling_ = false;
}

ComparisonPanel::ComparisonPanel(ReviewSession* review, PlanSession* plan, QWidget* parent)
    : QWidget(parent), review_(review), plan_(plan) {
    auto* column = new QVBoxLayout(this);
    column->setContentsMargins(0, 0, 0, 8);
    figures_ = new FiguresView;
    figures_->setObjectName("planned flown");
    column->addWidget(figures_);
    against_ = new QLabel;
    against_->setObjectName("held against");
    against_->setWordWrap(true);
    against_->setContentsMargins(12, 0, 8, 0);
    column->addWidget(against_);
    anyway_ = new QPushButton("Hold against the open plan");
    anyway_->setObjectName("hold against plan");
    anyway_->setToolTip("The log does not say which mission was flown: use the open plan's");
    connect(anyway_, &QPushButton::clicked, this, &ComparisonPanel::openPlanWanted);
    auto* below = new QHBoxLayout;
    below->setContentsMargins(12, 0, 8, 0);
    below->addWidget(anyway_);
    below->addStretch(1);
    column->addLayout(below);
    photos_ = new QLabel;
    photos_->setObjectName("photos flown");
    photos_->setWordWrap(true);
    photos_->setContentsMargins(12, 0, 8, 0);
    column->addWidget(photos_);
    legs_ = new QTableWidget(0, 5);
    legs_->setObjectName("legs flown");
    legs_->setHorizontalHeaderLabels({"Leg", "Off mean", "most", "Height", "Past"});
    legs_->horizontalHeaderItem(1)->setToolTip("Beside the line of the leg, metres");
    legs_->horizontalHeaderItem(3)->setToolTip("Largest height error, metres");
    legs_->horizontalHeaderItem(4)->setToolTip("Past its end before it turned, metres");
    legs_->verticalHeader()->hide();
    legs_->setEditTriggers(QAbstractItemView::NoEditTriggers);
    legs_->setSelectionBehavior(QAbstractItemView::SelectRows);
    legs_->setFrameShape(QFrame::NoFrame);
    legs_->horizontalHeader()->setSectionResizeMode(QHeaderView::Stretch);
    legs_->verticalHeader()->setDefaultSectionSize(20);
    legs_->setToolTip("A click leads to where the leg was worst");
    column->addWidget(legs_, 2);
    connect(legs_, &QTableWidget::cellClicked, this,
            [this](int row, int) { emit goTo(legs_->item(row, 0)->data(Qt::UserRole).toDouble()); });
    auto* title = new QLabel("  Events");
    title->setFont(uiFont(10, true));
    column->addWidget(title);
    events_ = new QListWidget;
    events_->setFrameShape(QFrame::NoFrame);
    column->addWidget(events_, 1);
    connect(events_, &QListWidget::itemClicked, this,
            [this](QListWidgetItem* item) { emit goTo(item->data(Qt::UserRole).toDouble()); });
}

void ComparisonPanel::refresh() {
    events_->clear();
    legs_->setRowCount(0);
    photos_->clear();
    photo_looker_.drop();
    emit missedFound({});
    const LogPtr log = review_->log();
    legs_->setVisible(log && review_->comparison() && !review_->comparison()->legs.empty());
    photos_->setVisible(legs_->isVisibleTo(this));
    against_->setVisible(log != nullptr);
    anyway_->setVisible(false);
    if (!log) return figures_->setFigures("–", "Planned against flown", {});
    for (const LogEvent& e : log->events) {
        if (e.kind == "photo") continue;
        const QString what = e.kind == "item"      ? "item " + QString::fromStdString(e.text) + " reached"
                             : e.kind == "message" ? QString::fromStdString(e.text)
                                                   : QString::fromStdString(e.kind);
        auto* item = new QListWidgetItem(
            QString("%1  %2").arg(QString::fromStdString(durationText(std::max(0.0, e.t_s - log->zero()))), what));
        item->setData(Qt::UserRole, e.t_s);
        events_->addItem(item);
    }
    const FlownMission& mission = review_->mission();
    anyway_->setVisible(mission.from == FlownMission::From::nothing && log->has("mission.item") &&
                        plan_->flownView().sendable());
    const auto& c = mission.figures;
    against_->setText(c ? QString("Held against %1").arg(mission.text())
                        : QString("Not held against a mission: ") +
                              (mission.not_compared.empty() ? QString("none is known") : review_->notCompared()));
    if (!c) return figures_->setFigures("–", "Planned against flown", {});
    const auto r = mission.is_plan ? plan_->flownRehearsal() : nullptr;
    const auto pair = [](const QString& a, const QString& b) { return a + " / " + b; };
    std::vector<std::pair<QString, QString>> rows;
    if (!c->legs.empty()) {
        const LegError& worst = c->legs[c->worst_leg];
        const FlightProgram& program = plan_->flownView().program;
        const auto name = [&](int number) {
            if (!mission.is_plan) return QString("item %1").arg(number);
            const int in_plan = mission.inPlan(number);
            const ItemId id = in_plan >= 0 ? program.sourceAt(in_plan) : 0;
            return id != 0 ? QString::fromStdString(itemText(*plan_->plan(), id)) : QString("home");
        };
        rows.emplace_back(QString("Largest, to %1").arg(name(worst.to_seq)),
                          QString("%1 m").arg(worst.cross_max_m, 0, 'f', 1));
    }
    rows.emplace_back("Height error, mean / largest",
                      c->height_mean_m && c->height_max_m
                          ? QString("%1 / %2 m").arg(*c->height_mean_m, 0, 'f', 1).arg(*c->height_max_m, 0, 'f', 1)
                          : QString("not known"));
    rows.emplace_back("Past a corner, at most", QString("%1 m").arg(c->overshoot_max_m, 0, 'f', 1));
    rows.emplace_back("Time planned / flown", pair(r ? QString::fromStdString(durationText(r->duration_s)) : "–",
                                                   QString::fromStdString(durationText(c->flown_s))));
    rows.emplace_back("Photos planned / taken",
                      pair(r ? QString::number(r->photos) : "–", QString::number(c->photos_flown)));
    rows.emplace_back("Energy planned / used",
                      pair(r ? QString("%1").arg(r->energy_wh, 0, 'f', 1) : "–",
                           c->energy_wh ? QString("%1 Wh").arg(*c->energy_wh, 0, 'f', 1) : "unknown"));
    figures_->setFigures(
        c->cross_mean_m ? QString("%1 m mean off the line").arg(*c->cross_mean_m, 0, 'f', 1) : QString("–"),
        c->cross_mean_m ? "Planned against flown" : "Planned against flown: none of its straight legs was flown", rows);
    for (const LegError& leg : c->legs) {
        const int row = legs_->rowCount();
        legs_->insertRow(row);
        const auto put = [&](int at, const QString& text) {
            auto* cell = new QTableWidgetItem(text);
            if (at > 0) cell->setTextAlignment(Qt::AlignRight | Qt::AlignVCenter);
            cell->setData(Qt::UserRole, leg.max_at_s);
            legs_->setItem(row, at, cell);
        };
        put(0, QString("%1→%2").arg(leg.from_seq).arg(leg.to_seq));
        put(1, QString::number(leg.cross_mean_m, 'f', 1));
        put(2, QString::number(leg.cross_max_m, 'f', 1));
        put(3, leg.height_max_m ? QString::number(*leg.height_max_m, 'f', 1) : "–");
        put(4, leg.overshoot_m > 0 ? QString::number(leg.overshoot_m, 'f', 1) : "–");
    }
    lookAtPhotos();
}

/// What was missed and what ground is shown takes a moment: beside the window.
void ComparisonPanel::lookAtPhotos() {
    const auto rehearsal = plan_->flownRehearsal();
    if (!review_->mission().is_plan || !rehearsal || rehearsal->photos == 0) return;
    photos_->setText("Photos: looking at what they show …");
    photo_looker_.begin(
        [plan = plan_->plan(), terrain = plan_->terrain(), planned = rehearsal->log,
         flown = review_->log()](const LatestTask::Run&) {
            return photosFlown(*plan, terrain.get(), homeAmsl(*plan, terrain.get()).value_or(0), *planned, *flown);
        },
        [this, plan = plan_->plan()](const auto& result) {
            if (!result) return photos_->setText("Photos: " + QString::fromStdString(result.error().message));
            QString text = QString("Photos planned %1, taken %2, places missed %3")
                               .arg(result->planned)
                               .arg(result->taken)
                               .arg(result->missed.size());
            for (const AreaShown& a : result->areas) {
                if (a.unknown_percent > 99.9) {
                    text += QString("\n%1: what is shown is not known, no elevation is loaded there")
                                .arg(QString::fromStdString(itemText(*plan, a.item)));
                    continue;
                }
                text += QString("\n%1: %2 % shown (planned %3 %), %4 % by %5 photos or more (%6 %)")
                            .arg(QString::fromStdString(itemText(*plan, a.item)))
                            .arg(a.flown_percent, 0, 'f', 1)
                            .arg(a.planned_percent, 0, 'f', 1)
                            .arg(a.flown_promised_percent, 0, 'f', 1)
                            .arg(a.promised)
                            .arg(a.planned_promised_percent, 0, 'f', 1);
                if (a.unknown_percent > 0.05)
                    text += QString(", of what is known; %1 % is not").arg(a.unknown_percent, 0, 'f', 1);
            }
            photos_->setText(text);
            emit missedFound(result->missed);
        });
}

}  // namespace anhinga
