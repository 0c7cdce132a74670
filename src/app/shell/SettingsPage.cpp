#include "app/shell/SettingsPage.h"

#include <QtWidgets>

#include "app/layers/LayerStack.h"
#include "app/widgets/Labels.h"
#include "app/widgets/Quantity.h"
#include "app/widgets/Sounds.h"
#include "core/base/File.h"
#include "core/base/Text.h"

namespace anhinga {

namespace {

QLabel* heading(const QString& text) {
    auto* l = new QLabel(text);
    l->setFont(uiFont(11, true));
    return l;
}
}  // namespace

SettingsPage::SettingsPage(PlanSession* session, const QString& profiles_file, QWidget* parent)
    : QScrollArea(parent), session_(session), file_(profiles_file) {
    setObjectName("settings");
    setWidgetResizable(true);
    auto* page = new QWidget;
    auto* column = new QVBoxLayout(page);
    column->setContentsMargins(36, 24, 36, 24);
    column->setSpacing(14);
    auto* head = new QHBoxLayout;
    auto* title = new QLabel("Settings");
    title->setFont(uiFont(15, true));
    auto* close = new QPushButton("Back to the plan   Esc");
    close->setObjectName("settings close");
    connect(close, &QPushButton::clicked, this, &SettingsPage::closeWanted);
    head->addWidget(title);
    head->addStretch();
    head->addWidget(close);
    column->addLayout(head);
    auto* both = new QHBoxLayout;
    both->setSpacing(48);
    both->addWidget(makeUnits());
    both->addWidget(makeProfiles(), 1);
    column->addLayout(both);
    column->addStretch();
    setWidget(page);
    auto* escape = new QShortcut(Qt::Key_Escape, this, nullptr, nullptr, Qt::WidgetWithChildrenShortcut);
    connect(escape, &QShortcut::activated, this, &SettingsPage::closeWanted);
    loadLibrary();
    fillList();
    connect(session_, &PlanSession::planChanged, this, [this] {
        if (isVisible()) fillForm();
    });
}

QWidget* SettingsPage::makeUnits() {
    auto* box = new QWidget;
    box->setFixedWidth(330);
    auto* column = new QVBoxLayout(box);
    column->setContentsMargins(0, 0, 0, 0);
    column->addWidget(heading("Units"));
    auto* form = new QFormLayout;
    form->setVerticalSpacing(8);
    const std::pair<UnitKind, const char*> kinds[] = {
        {UnitKind::height, "Heights"}, {UnitKind::distance, "Distances"}, {UnitKind::speed, "Speeds"}};
    for (const auto& [kind, text] : kinds) {
        auto* choice = new QComboBox;
        choice->setObjectName(QString("unit %1").arg(text));
        for (const UnitChoice& u : unitChoices(kind)) choice->addItem(u.text);
        choice->setCurrentIndex(unitChoice(kind));
        connect(choice, &QComboBox::activated, this, [this, kind = kind](int i) {
            setUnitChoice(kind, i);
            emit unitsChanged();
            fillForm();
        });
        form->addRow(quietLabel(text), choice);
    }
    auto* coordinates = new QComboBox;
    coordinates->setObjectName("coordinates");
    coordinates->addItems({"decimal degrees", "degrees, minutes, seconds", "UTM", "MGRS"});
    coordinates->setCurrentIndex(static_cast<int>(coordinateFormat()));
    connect(coordinates, &QComboBox::activated, this, [this](int i) {
        setCoordinateFormat(static_cast<CoordinateFormat>(i));
        emit unitsChanged();
    });
    form->addRow(quietLabel("Coordinates"), coordinates);
    column->addLayout(form);
    column->addWidget(
        quietLabel("What is typed may always name its unit: \"200 ft\", \"12 kt\", \"0.3 NM\". Plans and "
                   "logs are kept in metres and seconds whatever is shown."));
    column->addSpacing(12);
    column->addWidget(heading("Look and sound"));
    auto* look = new QFormLayout;
    theme_ = new QComboBox;
    theme_->setObjectName("theme");
    theme_->addItems({"paper, for daylight", "night"});
    connect(theme_, &QComboBox::activated, this, [this](int i) { emit nightWanted(i == 1); });
    look->addRow(quietLabel("Theme"), theme_);
    auto* sounds = new QComboBox;
    sounds->setObjectName("sounds");
    sounds->addItems({"all", "warnings and dangers", "none"});
    sounds->setCurrentIndex(static_cast<int>(Sounds::choice()));
    connect(sounds, &QComboBox::activated, this, [](int i) { Sounds::setChoice(static_cast<Sounds::Choice>(i)); });
    look->addRow(quietLabel("Sounds"), sounds);
    column->addLayout(look);
    column->addSpacing(12);
    column->addWidget(heading("Maps for the field"));
    auto* where = quietLabel(LayerStack::folders().stored);
    where->setTextInteractionFlags(Qt::TextSelectableByMouse);
    column->addWidget(where);
    auto* choose = new QPushButton("Keep them elsewhere …");
    column->addWidget(choose, 0, Qt::AlignLeft);
    connect(choose, &QPushButton::clicked, this, [this, where] {
        const QString folder = QFileDialog::getExistingDirectory(window(), "Folder for stored maps", where->text());
        if (folder.isEmpty()) return;
        LayerStack::setStoredFolder(folder);
        where->setText(folder);
        emit message("Maps are stored there from the next start on. What is stored already stays where it is");
    });
    column->addStretch();
    return box;
}

QWidget* SettingsPage::makeProfiles() {
    auto* box = new QWidget;
    auto* column = new QVBoxLayout(box);
    column->setContentsMargins(0, 0, 0, 0);
    column->addWidget(heading("Profiles"));
    column->addWidget(
        quietLabel("Rehearsal, photo lines and checks count with these. A plan keeps its own copy: what is "
                   "changed here changes no plan until it is used in one."));
    tabs_ = new QTabBar;
    tabs_->setObjectName("profile kinds");
    for (const char* t : {"Vehicles", "Cameras", "Autopilots"}) tabs_->addTab(t);
    tabs_->setExpanding(false);
    tabs_->setDrawBase(false);
    column->addWidget(tabs_);
    connect(tabs_, &QTabBar::currentChanged, this, &SettingsPage::fillList);
    auto* row = new QHBoxLayout;
    row->setSpacing(18);
    auto* left = new QVBoxLayout;
    list_ = new QListWidget;
    list_->setObjectName("profile list");
    list_->setFixedWidth(270);
    list_->setMinimumHeight(300);
    connect(list_, &QListWidget::currentRowChanged, this, &SettingsPage::fillForm);
    left->addWidget(list_);
    auto* buttons = new QHBoxLayout;
    const auto button = [&](const QString& text, const QString& name, const QString& tip, auto act) {
        auto* b = new QPushButton(text);
        b->setObjectName(name);
        b->setToolTip(tip);
        connect(b, &QPushButton::clicked, this, act);
        buttons->addWidget(b);
        return b;
    };
    button("Copy", "profile copy", "A new one like this", &SettingsPage::copy);
    button("From plan", "profile from plan", "Adds what the open plan has", &SettingsPage::takeFromPlan);
    remove_ = button("Remove", "profile remove", "From the library; plans keep theirs", &SettingsPage::remove);
    left->addLayout(buttons);
    row->addLayout(left);
    auto* right = new QVBoxLayout;
    use_ = new QPushButton("Use in the open plan");
    use_->setObjectName("profile use");
    use_->setProperty("primary", true);
    connect(use_, &QPushButton::clicked, this, &SettingsPage::use);
    in_plan_ = quietLabel();
    in_plan_->setObjectName("profile in plan");
    form_ = new QWidget;
    right->addWidget(form_);
    right->addStretch();
    right->addWidget(in_plan_);
    right->addWidget(use_, 0, Qt::AlignLeft);
    row->addLayout(right, 1);
    column->addLayout(row, 1);
    return box;
}

void SettingsPage::setNight(bool night) {
    theme_->setCurrentIndex(night ? 1 : 0);
}

void SettingsPage::loadLibrary() {
    library_ = genericProfiles();
    const std::string path = file_.toStdString();
    if (!QFileInfo::exists(file_)) return;
    const auto text = readFile(path);
    const auto read = text ? readProfiles(*text, path) : tl::unexpected(text.error());
    readable_ = read.has_value();
    if (read)
        library_ = *read;
    else
        in_plan_->setToolTip(QString::fromStdString(read.error().message));
}

void SettingsPage::saveLibrary() {
    if (!readable_) {
        // What could not be read is somebody's work: it is put aside, not written over.
        QFile::rename(file_, file_ + ".unreadable");
        emit message(QString("%1 could not be read; it is kept as %2")
                         .arg(QFileInfo(file_).fileName(), QFileInfo(file_ + ".unreadable").fileName()));
        readable_ = true;
    }
    QDir().mkpath(QFileInfo(file_).absolutePath());
    if (const auto ok = writeFileAtomic(file_.toStdString(), writeProfiles(library_)); !ok)
        emit message(QString::fromStdString(ok.error().message));
}

std::size_t SettingsPage::count() const {
    return tabs_->currentIndex() == kVehicles  ? library_.vehicles.size()
           : tabs_->currentIndex() == kCameras ? library_.cameras.size()
                                               : library_.autopilots.size();
}

std::string& SettingsPage::nameAt(std::size_t i) {
    return tabs_->currentIndex() == kVehicles  ? library_.vehicles[i].name
           : tabs_->currentIndex() == kCameras ? library_.cameras[i].name
                                               : library_.autopilots[i].name;
}

void SettingsPage::fillList() {
    const int row = std::max(0, list_->currentRow());
    {
        const QSignalBlocker quiet(list_);
        list_->clear();
        for (std::size_t i = 0; i < count(); ++i) list_->addItem(QString::fromStdString(nameAt(i)));
        list_->setCurrentRow(std::min(row, list_->count() - 1));
    }
    fillForm();
}

void SettingsPage::fillForm() {
    if (form_->isAncestorOf(QApplication::focusWidget()) && sender() == session_) return;
    auto* fresh = new QWidget;
    auto* grid = new QGridLayout(fresh);
    grid->setContentsMargins(0, 0, 0, 0);
    grid->setHorizontalSpacing(10);
    grid->setVerticalSpacing(6);
    const int row = list_->currentRow();
    const bool some = row >= 0 && static_cast<std::size_t>(row) < count();
    const auto i = static_cast<std::size_t>(std::max(row, 0));
    int k = 0;
    const auto add = [&](const QString& label, QWidget* field, bool whole_row = false) {
        grid->addWidget(quietLabel(label), k / 2, k % 2 * 2);
        grid->addWidget(field, k / 2, k % 2 * 2 + 1, 1, whole_row ? 3 : 1);
        k += whole_row ? 2 : 1;
    };
    const auto edit = [&](const QString& label, const QString& text, const std::function<bool(const QString&)>& set,
                          bool whole_row = false) {
        auto* e = new QLineEdit(text);
        e->setObjectName("profile " + label);
        connect(e, &QLineEdit::editingFinished, this, [this, e, set] {
            if (!e->isModified()) return;
            e->setModified(false);
            if (set(e->text())) saveLibrary();
            // Not from inside the field's own signal: it is replaced.
            QTimer::singleShot(0, this, &SettingsPage::fillList);
        });
        add(label, e, whole_row);
    };
    const auto number = [&](const QString& label, const QString& unit, double low, double high, double value,
                            const std::function<void(double)>& set) {
        edit(label, shownNumber(value, unit, 4), [this, label, unit, low, high, set](const QString& text) {
            const auto v = typedNumber(text, unit);
            if (!v || *v < low || *v > high) {
                emit message(
                    QString("%1 must be from %2 to %3").arg(label, shownNumber(low, unit), shownNumber(high, unit)));
                return false;
            }
            set(*v);
            return true;
        });
    };
    const auto flag = [&](const char* label, const char* text, const std::function<bool&()>& value) {
        if (k % 2 != 0) ++k;
        auto* check = new QCheckBox(text);
        check->setObjectName(QString("profile %1").arg(label));
        check->setChecked(value());
        connect(check, &QCheckBox::toggled, this, [this, value](bool on) {
            value() = on;
            saveLibrary();
        });
        add(label, check, true);
    };
    if (some) {
        edit(
            "Name", QString::fromStdString(nameAt(i)),
            [this, i](const QString& t) {
                if (t.trimmed().isEmpty()) return false;
                nameAt(i) = t.trimmed().toStdString();
                return true;
            },
            true);
        if (tabs_->currentIndex() == kVehicles) {
            auto* kind = new QComboBox;
            kind->setObjectName("profile Kind");
            for (const auto each : {VehicleKind::multirotor, VehicleKind::fixedWing, VehicleKind::helicopter})
                kind->addItem(vehicleText(each));
            kind->setCurrentIndex(static_cast<int>(library_.vehicles[i].kind));
            connect(kind, &QComboBox::activated, this, [this, i](int chosen) {
                library_.vehicles[i].kind = static_cast<VehicleKind>(chosen);
                saveLibrary();
                // Another kind has other numbers; not from inside the field's own signal.
                QTimer::singleShot(0, this, &SettingsPage::fillList);
            });
            add("Kind", kind, true);
            const auto numbers = numbersOf(library_.vehicles[i]);
            for (std::size_t n = 0; n < numbers.size(); ++n)
                number(numbers[n].label, numbers[n].unit, numbers[n].low, numbers[n].high, *numbers[n].value,
                       [this, i, n](double v) { *numbersOf(library_.vehicles[i])[n].value = v; });
        } else if (tabs_->currentIndex() == kCameras) {
            CameraProfile& c = library_.cameras[i];
            number("Pixels across", "", 1, 200000, c.px_across,
                   [this, i](double v) { library_.cameras[i].px_across = static_cast<int>(v); });
            number("Pixels along", "", 1, 200000, c.px_along,
                   [this, i](double v) { library_.cameras[i].px_along = static_cast<int>(v); });
            const auto numbers = numbersOf(c);
            for (std::size_t n = 0; n < numbers.size(); ++n)
                number(numbers[n].label, numbers[n].unit, numbers[n].low, numbers[n].high, *numbers[n].value,
                       [this, i, n](double v) { *numbersOf(library_.cameras[i])[n].value = v; });
            flag("Mount", "upright: long side along the flight line",
                 [this, i]() -> bool& { return library_.cameras[i].portrait; });
            flag("Trigger", "by the aircraft; otherwise somebody starts it by hand",
                 [this, i]() -> bool& { return library_.cameras[i].triggered; });
        } else {
            const AutopilotTraits& t = library_.autopilots[i].traits;
            number("Mission items", "", 1, 65535, t.item_limit,
                   [this, i](double v) { library_.autopilots[i].traits.item_limit = static_cast<int>(v); });
            number("First waypoint", "m", 1, 1e6, t.first_waypoint_max_m,
                   [this, i](double v) { library_.autopilots[i].traits.first_waypoint_max_m = v; });
            number("Lowest height", kHeightUnit, -500, 1000, t.lowest_height_m,
                   [this, i](double v) { library_.autopilots[i].traits.lowest_height_m = v; });
            const auto traits = [this, i]() -> AutopilotTraits& { return library_.autopilots[i].traits; };
            flag("Item 0", "holds home", [traits]() -> bool& { return traits().item0_is_home; });
            flag("Repeats", "count anew when flown past again", [traits]() -> bool& { return traits().repeats_rearm; });
            flag("Curves", "flies spline waypoints", [traits]() -> bool& { return traits().splines; });
            number("Own acceptance", "m", 0, 1000, t.ways.acceptance_m,
                   [traits](double v) { traits().ways.acceptance_m = v; });
            number("Own jerk", "m/s³", 0, 1000, t.ways.jerk_mps3, [traits](double v) { traits().ways.jerk_mps3 = v; });
            number("Return cone", "", 0, 10, t.ways.return_cone, [traits](double v) { traits().ways.return_cone = v; });
            number("Wait over home", "s", 0, 3600, t.ways.return_wait_s,
                   [traits](double v) { traits().ways.return_wait_s = v; });
            flag("Return", "a fixed wing lands by itself", [traits]() -> bool& { return traits().ways.wing_lands; });
        }
    }
    grid->setColumnStretch(1, 1);
    grid->setColumnStretch(3, 1);
    // At once: no field of the form is ever the one that asks for this.
    qDeleteAll(form_->findChildren<QWidget*>(Qt::FindDirectChildrenOnly));
    delete form_->layout();
    auto* holder = new QVBoxLayout(form_);
    holder->setContentsMargins(0, 0, 0, 0);
    holder->addWidget(fresh);
    const Plan& plan = *session_->plan();
    bool same = false;
    if (some)
        same = tabs_->currentIndex() == kVehicles  ? library_.vehicles[i] == plan.vehicle
               : tabs_->currentIndex() == kCameras ? library_.cameras[i] == plan.camera
                                                   : library_.autopilots[i].traits == plan.traits;
    const QString has = tabs_->currentIndex() == kVehicles  ? QString::fromStdString(plan.vehicle.name)
                        : tabs_->currentIndex() == kCameras ? QString::fromStdString(plan.camera.name)
                                                            : QString();
    in_plan_->setText(same            ? QString("The open plan has exactly this")
                      : has.isEmpty() ? QString("The open plan has other traits")
                                      : QString("The open plan has: %1").arg(has));
    use_->setEnabled(some && !same);
    remove_->setEnabled(some && count() > 1);
}

void SettingsPage::use() {
    const auto i = static_cast<std::size_t>(list_->currentRow());
    session_->edit(tabs_->currentIndex() == kVehicles  ? "Choose vehicle"
                   : tabs_->currentIndex() == kCameras ? "Choose camera"
                                                       : "Choose autopilot",
                   [&](Plan& p) {
                       if (tabs_->currentIndex() == kVehicles)
                           p.vehicle = library_.vehicles[i];
                       else if (tabs_->currentIndex() == kCameras)
                           p.camera = library_.cameras[i];
                       else
                           p.traits = library_.autopilots[i].traits;
                   });
    fillForm();
}

void SettingsPage::takeFromPlan() {
    const Plan& plan = *session_->plan();
    if (tabs_->currentIndex() == kVehicles)
        library_.vehicles.push_back(plan.vehicle);
    else if (tabs_->currentIndex() == kCameras)
        library_.cameras.push_back(plan.camera);
    else
        library_.autopilots.push_back({"As in " + plan.title, plan.traits});
    saveLibrary();
    fillList();
    list_->setCurrentRow(list_->count() - 1);
}

void SettingsPage::copy() {
    const auto i = static_cast<std::size_t>(std::max(0, list_->currentRow()));
    if (i >= count()) return;
    if (tabs_->currentIndex() == kVehicles)
        library_.vehicles.push_back(VehicleProfile(library_.vehicles[i]));
    else if (tabs_->currentIndex() == kCameras)
        library_.cameras.push_back(CameraProfile(library_.cameras[i]));
    else
        library_.autopilots.push_back(NamedTraits(library_.autopilots[i]));
    nameAt(count() - 1) += ", copy";
    saveLibrary();
    fillList();
    list_->setCurrentRow(list_->count() - 1);
}

void SettingsPage::remove() {
    const int i = list_->currentRow();
    if (i < 0 || count() < 2) return;
    if (tabs_->currentIndex() == kVehicles)
        library_.vehicles.erase(library_.vehicles.begin() + i);
    else if (tabs_->currentIndex() == kCameras)
        library_.cameras.erase(library_.cameras.begin() + i);
    else
        library_.autopilots.erase(library_.autopilots.begin() + i);
    saveLibrary();
    fillList();
}

}  // namespace anhinga
