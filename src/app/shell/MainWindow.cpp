#include "app/shell/MainWindow.h"

#include "app/shell/Parts.h"

#include "app/widgets/PlaceholderInk.h"

#include <QtWidgets>

#include "app/layers/LayersPanel.h"
#include "app/shell/ActionFinder.h"
#include "app/shell/SettingsPage.h"
#include "app/shell/StartPage.h"
#include "core/base/File.h"
#include "core/base/Text.h"
#include "core/exchange/Export.h"
#include "core/plan/PlanFile.h"
#include "session/UnsavedKeeper.h"

namespace anhinga {

MainWindow::MainWindow(const LinkWorld& world, QWidget* parent) : QMainWindow(parent), link_(world) {
    qApp->setFont(uiFont(9.5));
    setWindowTitle("Anhinga");
    setAcceptDrops(true);
    resize(1280, 800);
    auto* centre = new QWidget;
    auto* column = new QVBoxLayout(centre);
    column->setContentsMargins(0, 0, 0, 0);
    column->setSpacing(0);

    map_ = new MapView(&plan_);
    itinerary_ = new Itinerary(&plan_);
    inspector_ = new Inspector(&plan_);
    findings_ = new FindingsPanel(&plan_);
    rehearse_ = new RehearsePanel(&plan_);
    field_ = new FieldPanel(&field_session_, &plan_, &link_);
    profile_ = new ProfileBand(&plan_);
    rehearse_band_ = new TimeBand;
    field_band_ = new TimeBand;
    field_band_->setObjectName("field band");
    traces_ = new TraceBand(&trace_model_);
    channels_ = new ChannelPanel(&review_, traces_);
    channels_->setSizePolicy(QSizePolicy::Ignored, QSizePolicy::Preferred);
    channels_->setMinimumWidth(250);
    comparison_ = new ComparisonPanel(&review_, &plan_);
    health_ = new HealthPanel(&review_);
    values_ = new ValuesPanel(&trace_model_);
    debrief_tabs_ = new QTabWidget;
    debrief_tabs_->setObjectName("debrief tabs");
    debrief_tabs_->setDocumentMode(true);
    // No wider than the other workspaces' panels: the map's room is theirs all.
    debrief_tabs_->setSizePolicy(QSizePolicy::Ignored, QSizePolicy::Preferred);
    debrief_tabs_->setMinimumWidth(240);
    debrief_tabs_->addTab(health_, "Health report");
    debrief_tabs_->addTab(comparison_, "Plan and events");
    debrief_tabs_->addTab(values_, "Values");
    figures_ = new FiguresView;
    figures_->setObjectName("figures");

    left_ = new QStackedWidget;
    left_->addWidget(itinerary_);
    left_->addWidget(channels_);
    right_ = new QStackedWidget;
    draft_right_ = new QSplitter(Qt::Vertical);
    draft_right_->addWidget(inspector_);
    draft_right_->addWidget(findings_);
    draft_right_->setSizes({330, 230});
    right_->addWidget(draft_right_);
    auto* scroll = new QScrollArea;  // low windows
    scroll->setWidgetResizable(true);
    scroll->setFrameShape(QFrame::NoFrame);
    scroll->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
    scroll->setMinimumWidth(rehearse_->minimumSizeHint().width());
    scroll->setWidget(rehearse_);
    right_->addWidget(scroll);
    right_->addWidget(field_);
    right_->addWidget(debrief_tabs_);
    band_ = new QStackedWidget;
    for (QWidget* w : {static_cast<QWidget*>(profile_), static_cast<QWidget*>(rehearse_band_),
                       static_cast<QWidget*>(field_band_), static_cast<QWidget*>(traces_)})
        band_->addWidget(w);

    makeActions();
    makeTopBar();
    column->addWidget(top_);
    auto* line = new QFrame;
    line->setProperty("rule", true);
    column->addWidget(line);

    auto* middle = new QSplitter(Qt::Horizontal);
    middle->addWidget(left_);
    views_ = new QStackedWidget;
    views_->setMinimumSize(300, 200);
    views_->addWidget(map_);
    middle->addWidget(views_);
    middle->addWidget(right_);
    middle->setStretchFactor(1, 1);
    middle->setSizes({272, 720, 288});
    middle->setHandleWidth(1);
    middle->setChildrenCollapsible(false);
    auto* bottom = new QSplitter(Qt::Horizontal);
    figures_stack_ = new QStackedWidget;
    figures_stack_->addWidget(figures_);
    instrument_ = new Instrument;
    figures_stack_->addWidget(instrument_);
    bottom_ = bottom;
    bottom->addWidget(figures_stack_);
    bottom->addWidget(band_);
    bottom->setStretchFactor(1, 1);
    bottom->setSizes({272, 1008});
    bottom->setHandleWidth(1);
    bottom->setChildrenCollapsible(false);
    auto* both = new QSplitter(Qt::Vertical);
    both->addWidget(middle);
    both->addWidget(bottom);
    both->setStretchFactor(0, 1);
    both->setSizes(flat_sizes_);
    work_split_ = both;
    both->setHandleWidth(1);
    both->setChildrenCollapsible(false);
    pages_ = new QStackedWidget;
    work_page_ = both;
    pages_->addWidget(both);
    makePages();
    column->addWidget(pages_, 1);
    setCentralWidget(centre);

    makeTools();
    makeLayers();
    makeField();
    replay_ = new ReplayBar(&trace_model_, views_);
    message_ = new QLabel(views_);
    message_->setObjectName("message");
    message_->setTextFormat(Qt::PlainText);
    message_->setWordWrap(true);
    message_->hide();
    message_timer_.setSingleShot(true);
    message_timer_.setInterval(9000);
    connect(&message_timer_, &QTimer::timeout, message_, &QLabel::hide);
    connectAll();
    connectLogbook();
    link_.setRecordFolder(dataFolder() + "/recordings");
    link_.setCopyFolder(dataFolder() + "/aircraft");
    keeper_ = new UnsavedKeeper(&plan_, dataFolder() + "/unsaved", this);
    connect(keeper_, &UnsavedKeeper::problemChanged, this, [this](const QString& problem) {
        if (!problem.isEmpty()) showMessage(problem);
    });
    setNight(QSettings().value("theme/night", false).toBool());
    setUsualTraces();
    setWorkspace(Workspace::draft);
    rebuildRecent();
}

MainWindow::~MainWindow() {
    delete keeper_;  // it writes from the plan session, which goes with the members
}

bool MainWindow::oneFaceSelected() const {
    const auto& chosen = plan_.selection();
    const Item* item = chosen.size() == 1 ? plan_.plan()->find(*chosen.begin()) : nullptr;
    return item != nullptr && item->kind == ItemKind::face;
}

QAction* MainWindow::addAct(const QString& name, const QString& text, const QKeySequence& key,
                            const std::function<void()>& act) {
    auto* a = new QAction(text, this);
    a->setObjectName(name);
    a->setShortcut(key);
    connect(a, &QAction::triggered, this, act);
    addAction(a);
    return a;
}

QAction* MainWindow::action(const QString& name) const {
    for (QAction* a : actions())
        if (a->objectName() == name) return a;
    return nullptr;
}

void MainWindow::makeActions() {
    addAct("new", "New plan", QKeySequence::New, [this] { newPlan(); });
    addAct("start", "Plans and templates", QKeySequence("Ctrl+Home"), [this] { showStart(); });
    addAct("keep template", "Keep plan as template", QKeySequence("Ctrl+Alt+S"), [this] { keepTemplate(); });
    addAct("logbook", "Logbook", QKeySequence("Ctrl+B"), [this] { showLogbook(); });
    addAct("compare flights", "Compare the flight with another", QKeySequence("Ctrl+Shift+B"),
           [this] { showFlights(); });
    addAct("hop flights", "To the flight beside, and back", QKeySequence("Shift+H"), [this] { hopFlights(); });
    addAct("values", "Values of every channel", QKeySequence("Ctrl+Shift+V"), [this] { showValues(); });
    addAct("relation", "One channel against another", QKeySequence("Ctrl+Shift+R"), [this] { showRelation(); });
    addAct("log contents", "Parameters and missions in the log", QKeySequence("Ctrl+Shift+K"),
           [this] { showContents(); });
    addAct("presence", "Presence: was it in a place?", QKeySequence("Ctrl+Shift+P"), [this] { showPresence(); });
    addAct("spectrum", "Spectrum of a channel", QKeySequence("Ctrl+Shift+U"), [this] { showSpectrum(); });
    addAct("report", "Flight report …", QKeySequence("Ctrl+P"), [this] { reportDialog(); });
    addAct("settings", "Settings", QKeySequence("Ctrl+,"), [this] { showSettings(); });
    addAct("open", "Open plan or log …", QKeySequence::Open, [this] { openDialog(); });
    addAct("save", "Save plan", QKeySequence::Save, [this] { save(); });
    addAct("save as", "Save plan as …", QKeySequence("Ctrl+Shift+S"), [this] { saveAs(); });
    addAct("export plan", "Export plan …", QKeySequence("Ctrl+E"), [this] { exportPlan(); });
    addAct("export log", "Export log …", QKeySequence("Ctrl+Shift+E"), [this] { exportLog(); });
    addAct("undo", "Undo", QKeySequence::Undo, [this] { plan_.undo(); });
    addAct("redo", "Redo", QKeySequence("Ctrl+Shift+Z"), [this] { plan_.redo(); });
    addAct("delete", "Delete selection", QKeySequence::Delete, [this] { deleteSelection(); });
    addAct("duplicate", "Duplicate selection", QKeySequence("Ctrl+D"), [this] { duplicateSelection(); });
    addAct("earlier", "Move selection earlier", QKeySequence("Alt+Up"), [this] { itinerary_->shiftSelection(-1); });
    addAct("later", "Move selection later", QKeySequence("Alt+Down"), [this] { itinerary_->shiftSelection(1); });
    makeEditActions();
    addAct("select all", "Select all items", QKeySequence::SelectAll, [this] {
        std::set<ItemId> ids;
        for (const Item& i : plan_.plan()->items) ids.insert(i.id);
        plan_.select(ids);
    });
    struct Tool {
        const char *name, *text, *key;
        MapTool tool;
    };
    const Tool tools[] = {{"tool select", "Select", "V", MapTool::select},
                          {"tool waypoint", "Waypoint", "W", MapTool::waypoint},
                          {"tool home", "Home", "H", MapTool::home},
                          {"tool block", "Block", "B", MapTool::block},
                          {"tool corridor", "Corridor", "C", MapTool::corridor},
                          {"tool rings", "Rings", "N", MapTool::rings},
                          {"tool face", "Face", "F", MapTool::face},
                          {"tool lap", "Lap", "E", MapTool::lap},
                          {"tool keep in", "Keep-in fence", "I", MapTool::keepIn},
                          {"tool keep out", "Keep-out fence", "X", MapTool::keepOut},
                          {"tool circle", "Keep-out circle", "O", MapTool::circle},
                          {"tool look-at", "Look-at", "L", MapTool::lookAt},
                          {"tool rally", "Rally point", "R", MapTool::rally},
                          {"tool mast", "Obstacle: mast", "T", MapTool::mast},
                          {"tool wire", "Obstacle: wire", "Y", MapTool::wire},
                          {"tool trees", "Obstacle: trees", "U", MapTool::trees},
                          {"tool measure", "Measure", "M", MapTool::measure},
                          {"tool side", "Face: click the side it is flown on", "Shift+F", MapTool::side}};
    for (const Tool& t : tools)
        addAct(t.name, t.text, QKeySequence(t.key), [this, tool = t.tool] {
            if (workspace_ != Workspace::draft) setWorkspace(Workspace::draft);
            if (tool == MapTool::lookAt && plan_.selection().size() != 1)
                showMessage("Select the item from which the look-at begins, then choose Look-at");
            else if (tool == MapTool::side && !oneFaceSelected())
                showMessage("Select the Face whose side is to be chosen");
            else
                map_->setTool(tool);
            map_->setFocus();
        })->setCheckable(false);
    addAct("whole plan", "Show whole plan", QKeySequence("P"), [this] {
        map_->showWholePlan();
        if (scene_ != nullptr) scene_->showWholePlan();
    });
    addAct("show selection", "Show selection", QKeySequence("G"), [this] {
        map_->showSelection();
        if (scene_ != nullptr) scene_->showSelection();
    });
    addAct("show flight", "Show the flight of the open log", QKeySequence("Shift+P"), [this] {
        if (!showFlight())
            showMessage(review_.log() ? "This log has no places: there is nothing to show on the map"
                                      : "Open a log first");
    });
    addAct("show aircraft", "Show aircraft", QKeySequence("A"), [this] {
        if (link_.vehicle().position) map_->showPlace(*link_.vehicle().position);
    });
    const char* names[] = {"Draft", "Rehearse", "Field", "Debrief"};
    for (int i = 0; i < 4; ++i)
        addAct(QString("workspace %1").arg(names[i]), QString("Go to %1").arg(names[i]),
               QKeySequence(QString("F%1").arg(i + 1)), [this, i] { setWorkspace(static_cast<Workspace>(i)); });
    addAct("play", "Play or pause (in the Field: the aircraft)", QKeySequence(Qt::Key_Space), [this] {
        if (workspace_ == Workspace::rehearse) rehearse_->togglePlay();
        if (workspace_ == Workspace::field) pauseOrResume();
        if (workspace_ == Workspace::debrief) replay_->togglePlay();
    });
    addAct("next item", "Play head to next item", QKeySequence("."), [this] { stepPlayHead(1); });
    addAct("previous item", "Play head to previous item", QKeySequence(","), [this] { stepPlayHead(-1); });
    addAct("connect", "Connect or disconnect", QKeySequence("Ctrl+L"), [this] { field_->toggleConnection(); });
    addAct("hand over", "Hand over to aircraft", QKeySequence("Ctrl+Return"), [this] {
        setWorkspace(Workspace::field);
        if (link_.vehicle().heard)
            field_->handOver();
        else
            showMessage("No vehicle is connected");
    });
    makeFieldActions();
    addAct("scene", "Switch between map and Scene", QKeySequence("S"), [this] { showScene(!sceneShown()); });
    addAct("camera eye", "Camera eye: off, inset, full", QKeySequence("K"), [this] {
        if (!sceneShown()) showScene(true);
        if (scene_ == nullptr) return;
        const EyeMode now = scene_->eyeMode();
        scene_->setEye(now == EyeMode::off ? EyeMode::inset : now == EyeMode::inset ? EyeMode::full : EyeMode::off);
    });
    const auto take_view = [this](ViewTo to) {
        if (sceneShown() && scene_ != nullptr)
            (void)scene_->takeView(to);
        else
            showMessage("Look from there first, in the Scene (S)");
    };
    addAct("add view", "Add a point with this view (from the Scene)", QKeySequence("Shift+W"),
           [take_view] { take_view(ViewTo::newPoint); });
    addAct("move to view", "Move the selected point to this view (from the Scene)", QKeySequence("Ctrl+Alt+W"),
           [take_view] { take_view(ViewTo::selectedPoint); });
    addAct("layers", "Map layers", QKeySequence("J"), [this] { showLayers(!layers_->isVisible()); });
    addAct("store area", "Store an area of a web map for the field …", QKeySequence("Ctrl+J"), [this] {
        showLayers(true);
        layers_->storeArea();
    });
    addAct("night", "Switch light and night theme", QKeySequence("Ctrl+T"), [this] { setNight(!theme_.night); });
    addAct("find", "Find action", QKeySequence("Ctrl+K"), [this] {
        auto* finder = new ActionFinder(actions(), this);
        finder->move(mapToGlobal(QPoint(width() - 440, 46)));
        finder->show();
    });
    addAct("quit", "Quit", QKeySequence::Quit, [this] { close(); });
}

void MainWindow::makeTopBar() {
    top_ = new QWidget;
    top_->setFixedHeight(46);
    auto* row = new QHBoxLayout(top_);
    row->setContentsMargins(6, 0, 12, 0);
    row->setSpacing(4);
    file_ = new QPushButton;
    file_->setProperty("step", true);
    file_->setObjectName("file");
    file_menu_ = new QMenu(this);
    for (const char* a : {"start", "new", "open"}) file_menu_->addAction(action(a));
    recent_ = file_menu_->addMenu("Recent");
    for (const char* a : {"save", "save as", "keep template", "import", "import airspace", "export plan", "export log"})
        file_menu_->addAction(action(a));
    file_menu_->addSeparator();
    for (const char* a : {"logbook", "report", "settings", "night", "quit"}) file_menu_->addAction(action(a));
    connect(file_, &QPushButton::clicked, this,
            [this] { file_menu_->popup(file_->mapToGlobal(QPoint(0, file_->height()))); });
    file_->setMinimumWidth(210);
    row->addWidget(file_);
    row->addStretch(1);
    const char* names[] = {"Draft", "Rehearse", "Field", "Debrief"};
    for (int i = 0; i < 4; ++i) {
        steps_[i] = new QPushButton(names[i]);
        steps_[i]->setObjectName(QString("step %1").arg(names[i]));
        steps_[i]->setProperty("step", true);
        steps_[i]->setCheckable(true);
        steps_[i]->setToolTip(QString("%1 (F%2)").arg(names[i]).arg(i + 1));
        connect(steps_[i], &QPushButton::clicked, this, [this, i] { setWorkspace(static_cast<Workspace>(i)); });
        row->addWidget(steps_[i]);
        if (i < 3) {
            auto* bar = new QFrame;
            bar->setProperty("rule", true);
            bar->setFixedWidth(20);
            row->addWidget(bar);
        }
    }
    row->addStretch(1);
    findings_button_ = new QPushButton;
    findings_button_->setObjectName("findings count");
    connect(findings_button_, &QPushButton::clicked, this, [this] {
        setWorkspace(Workspace::draft);
        const auto f = plan_.findings();
        if (!f.empty() && f.front().place) map_->showPlace(*f.front().place);
    });
    link_button_ = new QPushButton;
    connect(link_button_, &QPushButton::clicked, this, [this] { setWorkspace(Workspace::field); });
    auto* find = new QPushButton("find action  Ctrl K");
    connect(find, &QPushButton::clicked, action("find"), &QAction::trigger);
    for (QPushButton* b : {findings_button_, link_button_, find}) row->addWidget(b);
    // Long texts are cut before the window grows for them: the map must not move under the pointer.
    for (QPushButton* b : {steps_[0], steps_[1], steps_[2], steps_[3], findings_button_, link_button_, find})
        b->setMinimumWidth(60);
}

void MainWindow::makeTools() {
    tools_ = new QWidget(map_);
    tools_->setObjectName("tools");
    auto* column = new QVBoxLayout(tools_);
    column->setContentsMargins(3, 3, 3, 3);
    column->setSpacing(1);
    for (const char* name : {"tool select", "tool waypoint", "tool home", "tool block", "tool corridor", "tool rings",
                             "tool face", "tool lap", "tool keep in", "tool keep out", "tool circle", "tool look-at",
                             "tool rally", "tool mast", "tool wire", "tool trees", "tool measure"}) {  // as in MapTool
        QAction* a = action(name);
        auto* b = new QPushButton(a->text());
        b->setObjectName(QString("button ") + name);
        b->setCheckable(true);
        b->setFocusPolicy(Qt::NoFocus);
        b->setMinimumWidth(128);
        auto* inside = new QHBoxLayout(b);
        inside->setContentsMargins(0, 0, 9, 0);
        auto* key = new QLabel(a->shortcut().toString());
        key->setProperty("quiet", true);
        key->setAttribute(Qt::WA_TransparentForMouseEvents);
        inside->addWidget(key, 0, Qt::AlignRight);
        b->setToolTip(QString("%1 (%2)").arg(a->text(), a->shortcut().toString()));
        connect(b, &QPushButton::clicked, a, &QAction::trigger);
        column->addWidget(b);
    }
    const auto mark = [this](MapTool tool) {
        const auto buttons = tools_->findChildren<QPushButton*>();
        for (int i = 0; i < buttons.size(); ++i) buttons[i]->setChecked(i == static_cast<int>(tool));
    };
    connect(map_, &MapView::toolChanged, this, mark);
    mark(MapTool::select);
}

void MainWindow::makeLayers() {
    layers_button_ = new QPushButton("Layers   J", map_);
    layers_button_->setObjectName("layers button");
    layers_button_->setFocusPolicy(Qt::NoFocus);
    layers_button_->setToolTip("Map layers (J)");
    connect(layers_button_, &QPushButton::clicked, action("layers"), &QAction::trigger);
    scene_button_ = new QPushButton("Scene   S", map_);
    scene_button_->setObjectName("scene button");
    scene_button_->setFocusPolicy(Qt::NoFocus);
    scene_button_->setToolTip("The plan over the ground in three dimensions (S)");
    connect(scene_button_, &QPushButton::clicked, action("scene"), &QAction::trigger);
    layers_ = new LayersPanel(&map_->layers(), &plan_, map_);
    layers_->hide();
    StoreAreaPage* store = layers_->storePage();
    connect(layers_, &LayersPanel::closeWanted, this, [this] { showLayers(false); });
    connect(layers_, &LayersPanel::message, this, &MainWindow::showMessage);
    connect(layers_, &LayersPanel::resized, this, &MainWindow::placeOverlays);
    connect(layers_, &LayersPanel::showBox, map_, &MapView::showBox);
    connect(store, &StoreAreaPage::showBox, map_, &MapView::showBox);
    connect(store, &StoreAreaPage::areaWanted, map_, &MapView::pickArea);
    connect(store, &StoreAreaPage::frameChanged, this, [this, store] { map_->setFrame(store->frame()); });
    connect(map_, &MapView::areaDrawn, store, &StoreAreaPage::setDrawn);
    connect(map_, &MapView::viewChanged, store, &StoreAreaPage::setView);
}

void MainWindow::showLayers(bool on) {
    layers_->setVisible(on);
    layers_->raise();
    placeOverlays();
    if (!on) map_->setFocus();
}

void MainWindow::connectAll() {
    connect(&plan_, &PlanSession::planChanged, this, &MainWindow::refreshTop);
    connect(&plan_, &PlanSession::derivedChanged, this, [this] {
        refreshTop();
        refreshFigures();
        refreshTimeBand();
        refreshOverlay();
        holdAgainstPlanAsItIs();
        comparison_->refresh();
    });
    connect(map_, &MapView::message, this, &MainWindow::showMessage);
    connect(map_, &MapView::sortieWanted, this, [this](const Cut& cut) {
        plan_.beginSortieAt("Begin a sortie at " + QString::fromStdString(cutText(*plan_.plan(), cut)), cut);
    });
    connect(&plan_, &PlanSession::cutEnded, this, &MainWindow::showMessage);
    connect(&plan_, &PlanSession::refused, this, &MainWindow::showMessage);
    connect(&plan_, &PlanSession::cuttingChanged, this, [this] {
        if (plan_.cutting() && plan_.cuttingShare() == 0)
            showMessage("Looking for the fewest sorties …; Rehearse shows how far, and cancels");
    });
    connect(map_, &MapView::hovered, this, &MainWindow::cursorFromMap);
    connect(map_, &MapView::clicked, this, [this](GeoPoint place) {
        if (!sendThere(place)) headTo(place, map_->transform().metresPerPixel() * 25);
    });
    connect(rehearse_, &RehearsePanel::followChanged, this, [this](bool on) {
        if (scene_ != nullptr) scene_->setFollow(on);
        refreshOverlay();
    });
    connect(profile_, &ProfileBand::hovered, map_, &MapView::setCursorPlace);
    connect(inspector_, &Inspector::lookAtWanted, action("tool look-at"), &QAction::trigger);
    connect(inspector_, &Inspector::sideWanted, action("tool side"), &QAction::trigger);
    connect(inspector_, &Inspector::message, this, [this](const QString& text) { showMessage(text); });
    connect(itinerary_, &Itinerary::chosen, map_, &MapView::showSelection);
    connect(findings_, &FindingsPanel::goTo, this, [this](ItemId item, std::optional<GeoPoint> place) {
        if (item != 0) plan_.select({item});
        if (place) map_->showPlace(*place);
        if (place && scene_ != nullptr) scene_->showPlace(*place);
        map_->setCursorPlace(place);
    });
    connect(&plan_, &PlanSession::aircraftFindingsChanged, this, &MainWindow::refreshTop);
    connect(findings_, &FindingsPanel::setOnAircraftWanted, &field_session_,
            qOverload<const Finding&>(&FieldSession::setOnAircraft));
    connect(findings_, &FindingsPanel::lookForFile, this, &MainWindow::lookForFile);
    connect(findings_, &FindingsPanel::checklistWanted, this, [this] {
        setWorkspace(Workspace::field);
        field_->showPage(FieldPanel::Page::checklist);
    });
    connect(rehearse_, &RehearsePanel::playHeadMoved, this, [this](double t) {
        rehearse_band_->setPlayHead(t);
        refreshOverlay();
    });
    connect(rehearse_, &RehearsePanel::message, this, &MainWindow::showMessage);
    connect(rehearse_, &RehearsePanel::openInDebrief, this, [this] {
        const auto rehearsal = plan_.flownRehearsal();
        if (!rehearsal) return;
        review_.show(rehearsal->log, "rehearsal of " + QString::fromStdString(plan_.plan()->title));
        setWorkspace(Workspace::debrief);
    });
    connect(rehearse_band_, &TimeBand::scrubbed, rehearse_, &RehearsePanel::setPlayHead);
    connect(&link_, &LinkSession::stateChanged, this, &MainWindow::refreshTop);
    connectField();
    connect(&review_, &ReviewSession::logChanged, this, &MainWindow::logOpened);
    connect(&review_, &ReviewSession::failed, this, &MainWindow::showMessage);
    connectDebrief();
}

void MainWindow::cursorFromMap(std::optional<GeoPoint> place) {
    profile_->setCursorPlace(place);
}

/// Made when it is first wanted: a window with OpenGL in it is drawn through OpenGL, and a display without a graphics
/// card is slow at that.
SceneView* MainWindow::scene() {
    if (scene_ != nullptr) return scene_;
    if (const QString problem = sceneProblem(); !problem.isEmpty()) {
        if (views_->count() > 1) return nullptr;
        auto* refusal = new QWidget;
        refusal->setObjectName("no scene");
        auto* column = new QVBoxLayout(refusal);
        auto* why = new QLabel("The Scene cannot be drawn: " + problem +
                               ".\nEverything else works; the map shows the same plan.");
        why->setAlignment(Qt::AlignCenter);
        why->setWordWrap(true);
        auto* back = new QPushButton("Map   S");
        connect(back, &QPushButton::clicked, this, [this] { showScene(false); });
        column->addStretch();
        column->addWidget(why);
        column->addWidget(back, 0, Qt::AlignHCenter);
        column->addStretch();
        views_->addWidget(refusal);
        return nullptr;
    }
    scene_ = new SceneView(&plan_);
    views_->addWidget(scene_);
    activateWindow();                    // its native window was made anew
    constexpr double kSceneReach_m = 5;  // the Scene gives a place of the track itself
    connect(scene_, &SceneView::clicked, this, [this](GeoPoint place) { headTo(place, kSceneReach_m); });
    connect(scene_, &SceneView::message, this, &MainWindow::showMessage);
    connect(scene_, &SceneView::mapWanted, this, [this] { showScene(false); });
    scene_->setFollow(rehearse_->following());
    scene_->setTheme(theme_);
    scene_->setEditable(workspace_ == Workspace::draft);
    scene_->setFlown(workspace_ == Workspace::rehearse || workspace_ == Workspace::field);
    return scene_;
}

void MainWindow::showScene(bool on) {
    if (on) (void)scene();
    if (pages_->currentWidget() != work_page_) showPage(work_page_);
    views_->setCurrentIndex(on ? 1 : 0);
    views_->currentWidget()->setFocus();
    strip_->raise();
    message_->raise();
    placeOverlays();
    refreshOverlay();
}

bool MainWindow::sceneShown() const {
    return views_->currentIndex() == 1;
}

void MainWindow::setWorkspace(Workspace w) {
    showPage(work_page_);
    workspace_ = w;
    const int i = static_cast<int>(w);
    for (int k = 0; k < 4; ++k) steps_[k]->setChecked(k == i);
    left_->setCurrentIndex(w == Workspace::debrief ? 1 : 0);
    right_->setCurrentIndex(i);
    band_->setCurrentIndex(i);
    // Stacked plots want more room than one line; each kind keeps what it was given.
    const bool tall = w == Workspace::debrief;
    if (tall != tall_band_) {
        (tall_band_ ? tall_sizes_ : flat_sizes_) = work_split_->sizes();
        tall_band_ = tall;
        work_split_->setSizes(tall ? tall_sizes_ : flat_sizes_);
    }
    map_->setEditable(w == Workspace::draft);
    map_->setFlown(w == Workspace::rehearse || w == Workspace::field);
    if (scene_ != nullptr) {
        scene_->setEditable(w == Workspace::draft);
        scene_->setFlown(w == Workspace::rehearse || w == Workspace::field);
    }
    map_->setCursorPlace(std::nullopt);
    tools_->setVisible(w == Workspace::draft);
    strip_->setVisible(w == Workspace::field);
    replay_->setVisible(w == Workspace::debrief);
    if (w != Workspace::debrief) replay_->stop();
    const int left = w == Workspace::field ? 340 : 272;
    if (figures_stack_->currentIndex() != (w == Workspace::field ? 1 : 0)) {
        figures_stack_->setCurrentIndex(w == Workspace::field ? 1 : 0);
        const int all = bottom_->width();
        bottom_->setSizes({left, std::max(200, all - left)});
    }
    itinerary_->setStates(w == Workspace::field ? itemStates() : std::map<ItemId, QString>());
    itinerary_->setGoOn(itemsToGoOn());
    if (w == Workspace::debrief && held_against_ != plan_.derived()->plan) {
        holdAgainstPlanAsItIs();
        comparison_->refresh();
    }
    placeOverlays();
    refreshTop();
    refreshFigures();
    refreshTimeBand();
    refreshOverlay();
}

void MainWindow::setNight(bool night) {
    theme_ = night ? Theme::dark() : Theme::light();
    scene_track_of_ = nullptr;  // its colours are another theme's
    QSettings().setValue("theme/night", night);
    // Set anew it would be worked out anew for every widget.
    if (const QString sheet = theme_.styleSheet(); sheet != styleSheet()) setStyleSheet(sheet);
    auto* placeholders = findChild<PlaceholderInk*>();
    if (placeholders == nullptr) placeholders = new PlaceholderInk(this);
    placeholders->setInk(theme_.quiet);
    map_->setTheme(theme_);
    if (scene_ != nullptr) scene_->setTheme(theme_);
    itinerary_->setTheme(theme_);
    findings_->setTheme(theme_);
    field_->setTheme(theme_);
    strip_->setTheme(theme_);
    logbook_page_->setTheme(theme_);
    if (spectrum_ != nullptr) spectrum_->setTheme(theme_);
    instrument_->setTheme(theme_);
    for (BandFrame* b : {static_cast<BandFrame*>(profile_), static_cast<BandFrame*>(rehearse_band_),
                         static_cast<BandFrame*>(field_band_)})
        b->setTheme(theme_);
    traces_->setTheme(theme_);
    health_->setTheme(theme_);
    values_->setTheme(theme_);
    if (live_values_ != nullptr) live_values_->setTheme(theme_);
    themeDebriefDialogs();
    layers_->setTheme(theme_);
    start_->setTheme(theme_);
    settings_->setNight(night);
    tools_->setStyleSheet(
        QString("#tools { background: %1; border: 1px solid %2; border-radius: 4px; } QPushButton { "
                "border: none; border-radius: 3px; text-align: left; padding: 4px 26px 4px 10px; background: "
                "transparent; color: %3; } QPushButton:checked { background: %3; color: %1; }")
            .arg(theme_.panel.name(), theme_.ink.name(), theme_.ink.name()));
    message_->setStyleSheet(QString("background: %1; color: %2; border-radius: 4px; padding: 8px 12px;")
                                .arg(theme_.ink.name(), theme_.panel.name()));
    placeOverlays();
    refreshTop();
    refreshTimeBand();
    channels_->refresh();
}

void MainWindow::refreshTop() {
    const Plan& p = *plan_.plan();
    file_->setText(QString::fromStdString(p.title) + "\n" +
                   (plan_.modified()         ? "edited, not saved"
                    : plan_.path().isEmpty() ? "not saved yet"
                                             : QFileInfo(plan_.path()).fileName()));
    const Derived& d = *plan_.derived();
    const QString count = "plan: " + plan_.findingsText();  // beside a log's verdicts it says whose they are
    steps_[0]->setText(QString("Draft\n%1 items").arg(p.items.size()));
    const auto flown = plan_.flownRehearsal();
    const QString which = plan_.failure()      ? QString("what if · ")
                          : plan_.sortie() > 0 ? QString("sortie %1 of %2 · ").arg(plan_.sortie()).arg(d.sorties.size())
                                               : "";
    steps_[1]->setText("Rehearse\n" + which +
                       (flown ? QString(which.isEmpty() ? "%1 · rehearsed %2 %" : "%1 · %2 %")
                                    .arg(QString::fromStdString(durationText(flown->duration_s)))
                                    .arg(flown->energy_left_percent, 0, 'f', 0)
                              : QString("not possible yet")));
    steps_[2]->setText("Field\n" + field_session_.sealLine());
    steps_[3]->setText("Debrief\n" + debriefLine());
    findings_button_->setText(count);
    const auto findings = plan_.findings();
    const bool stop = !findings.empty() && findings.front().severity == Severity::stop;
    // Green is only what was checked whole.
    const bool all_checked = findings.empty() && !p.items.empty() && !(p.zones.empty() && p.covers.empty());
    const QColor c = stop                ? theme_.dangerInk()
                     : !findings.empty() ? theme_.attentionInk()
                     : all_checked       ? theme_.goodInk()
                                         : theme_.ink;
    findings_button_->setStyleSheet(QString("color: %1; border-color: %1; font-weight: bold;").arg(c.name()));
    const VehicleSnapshot& v = link_.vehicle();
    QString text = "no link";
    if (link_.connected())
        text = !v.heard                ? "waiting"
               : v.heartbeat_age_s > 3 ? QString("link lost %1 s").arg(v.heartbeat_age_s, 0, 'f', 0)
                                       : QString::fromStdString(modeName(v)) + (v.armed ? " · armed" : "");
    if (link_button_->text() != text) link_button_->setText(text);
    action("undo")->setText(plan_.canUndo() ? "Undo: " + plan_.undoName() : "Undo");
    action("redo")->setText(plan_.canRedo() ? "Redo: " + plan_.redoName() : "Redo");
    action("undo")->setEnabled(plan_.canUndo());
    action("redo")->setEnabled(plan_.canRedo());
    setWindowTitle(QString("%1%2 · Anhinga").arg(QString::fromStdString(p.title), plan_.modified() ? " *" : ""));
}

void MainWindow::refreshFigures() {
    const Derived& d = *plan_.derived();
    const auto r = workspace_ == Workspace::draft ? d.rehearsal : plan_.flownRehearsal();
    const auto time = [](double s) { return QString::fromStdString(durationText(s)); };
    if (workspace_ == Workspace::field && link_.connected()) {
        const VehicleSnapshot& v = link_.vehicle();
        const double flown = field_heights_.empty() ? 0 : field_heights_.back().first;
        QString rehearsed = "–";
        if (r)
            if (const Channel* b = r->log->find("battery.left_percent"))
                if (const auto left = b->at(flown)) rehearsed = QString("%1 %").arg(*left, 0, 'f', 0);
        figures_->setFigures(
            v.height_home_m ? QString("%1 m home").arg(*v.height_home_m, 0, 'f', 0) : "–", "Height now",
            {{"Flown", time(flown)},
             {"To go, as rehearsed", r ? time(std::max(0.0, r->duration_s - flown)) : "–"},
             {"Battery", v.battery_percent ? QString("%1 %").arg(*v.battery_percent, 0, 'f', 0) : "unknown"},
             {"Battery, as rehearsed", rehearsed},
             {"Plan on aircraft", field_session_.sealLine()}});
        return;
    }
    if (workspace_ == Workspace::debrief) return refreshDebriefFigures();
    const PlanView& view = workspace_ == Workspace::draft ? d.view : plan_.flownView();
    const Clearance& c = view.clearance;
    QString where;
    if (c.lowest_m) {
        const PathLeg& leg = view.path.legs[c.lowest_leg];
        where = leg.way_home ? "on the way home"
                             : "before " + QString::fromStdString(itemText(*d.plan, view.path.points[leg.to].source));
    }
    double duration = r ? r->duration_s : 0, left = r ? r->energy_left_percent : 0;
    int photos = r ? r->photos : 0;
    if (workspace_ == Workspace::draft && !d.sorties.empty()) {
        duration = photos = 0;
        left = 100;
        for (const FlownSortiePtr& s : d.sorties)
            if (s->rehearsal) {
                duration += s->rehearsal->duration_s;
                photos += s->rehearsal->photos;
                left = std::min(left, s->rehearsal->energy_left_percent);
            }
    }
    const QString sorties = d.sorties.empty() || workspace_ != Workspace::draft
                                ? QString()
                                : QString(" in %1 sorties").arg(d.sorties.size());
    figures_->setFigures(c.lowest_m ? QString("%1 m").arg(*c.lowest_m, 0, 'f', 0) : "unknown",
                         "Lowest clearance of the route, " + where,
                         {{"Route, each leg once", QString::fromStdString(distanceText(view.path.length_m))},
                          {"Time" + sorties, r ? time(duration) : "–"},
                          {!sorties.isEmpty() ? "Rehearsed to land with at least"
                           : !r || r->landed  ? "Rehearsed to land with"
                                              : "Rehearsed to end in the air with",
                           r ? QString("%1 %").arg(left, 0, 'f', 0) : "–"},
                          {"Photos, as rehearsed", r ? QString::number(photos) : "–"},
                          {"Mission items", view.sendable() ? QString::number(view.program.entries()) : "–"}});
}

void MainWindow::refreshTimeBand() {
    const auto r = plan_.flownRehearsal();
    const auto lineOf = [&](const char* channel, const QString& name, const QString& unit, const QColor& colour,
                            bool right, bool dashed) {
        TimeLine l{name, unit, colour, {}, {}, right, dashed};
        if (r)
            if (const Channel* c = r->log->find(channel)) {
                l.t_s = c->t_s;
                l.value = c->value;
            }
        return l;
    };
    if (workspace_ == Workspace::rehearse) {
        std::vector<TimeLine> lines;
        std::vector<std::pair<double, QString>> modes;
        if (r) {
            lines = {lineOf("position.height_home_m", "height home", "m", theme_.lagoon, false, false),
                     lineOf("position.height_ground_m", "over ground", "m", theme_.reed, false, false),
                     lineOf("velocity.ground_mps", "speed", "m/s", theme_.plum, false, false),
                     lineOf("battery.left_percent", "battery", "%", theme_.iris, true, false),
                     lineOf("battery.home_percent", "left if called home", "%", theme_.iris, true, true)};
            for (const ModeChange& m : r->log->modes) modes.emplace_back(m.t_s, QString::fromStdString(m.name));
        }
        rehearse_band_->setModes(modes);
        rehearse_band_->setLines(lines, r ? r->duration_s : 1);
        rehearse_band_->setPlayHead(r ? std::optional(rehearse_->playHead()) : std::nullopt);
    } else if (workspace_ == Workspace::field) {
        std::vector<TimeLine> lines;
        if (r)
            lines = {lineOf("position.height_home_m", "height planned", "m", theme_.quiet, false, true),
                     lineOf("battery.left_percent", "battery planned", "%", theme_.quiet, true, true)};
        const auto live = [&](const std::vector<std::pair<double, double>>& points, const QString& name,
                              const QString& unit, const QColor& colour, bool right) {
            TimeLine l{name, unit, colour, {}, {}, right, false};
            for (const auto& [t, v] : points) {
                l.t_s.push_back(t);
                l.value.push_back(v);
            }
            lines.push_back(l);
        };
        live(field_heights_, "height home", "m", theme_.lagoon, false);
        live(field_battery_, "battery", "%", theme_.iris, true);
        const double flown = field_heights_.empty() ? 0 : field_heights_.back().first;
        field_band_->setModes(field_modes_, flown);
        field_band_->setLines(lines, std::max(r ? r->duration_s : 60, flown));
        field_band_->setPlayHead(flown > 0 ? std::optional(flown) : std::nullopt);
    }
}

void MainWindow::logOpened() {
    holdAgainst(review_.rehearsed());
    trace_model_.setLog(review_.log());
    replay_->stop();
    replay_->refresh();
    channels_->refresh();
    comparison_->refresh();
    review_.diagnoseLog(-1, judgingPlan());
    setWorkspace(Workspace::debrief);
    if (!hopping_) showFlight();
}

void MainWindow::showMessage(const QString& text) {
    message_text_ = text;
    message_->setText(text);
    message_->show();
    message_->raise();
    placeOverlays();
    message_timer_.start();
}

void MainWindow::placeOverlays() {
    if (tools_ != nullptr) {
        tools_->adjustSize();
        tools_->move(10, 10);
    }
    if (layers_ != nullptr) {
        layers_button_->adjustSize();
        const int top = strip_ != nullptr && workspace_ == Workspace::field ? 84 : 10;  // below the strip
        layers_button_->move(map_->width() - layers_button_->width() - 10, top);
        scene_button_->adjustSize();
        scene_button_->move(layers_button_->x() - scene_button_->width() - 6, top);
        layers_->setFixedWidth(296);
        layers_->setFixedHeight(std::min(map_->height() - 20, layers_->sizeHint().height()));
        layers_->move(map_->width() - layers_->width() - 10, 10);
    }
    if (replay_ != nullptr) {
        replay_->adjustSize();
        replay_->move(10, 10);
    }
    if (strip_ != nullptr) {
        strip_->setFixedWidth(std::max(300, views_->width() - 20));
        strip_->fit();
        strip_->move(10, 10);
    }
    if (message_ != nullptr) {
        message_->setFixedWidth(std::min(560, std::max(200, views_->width() - 60)));
        message_->adjustSize();
        message_->move((views_->width() - message_->width()) / 2, views_->height() - message_->height() - 40);
    }
}

void MainWindow::resizeEvent(QResizeEvent* e) {
    QMainWindow::resizeEvent(e);
    placeOverlays();
}

void MainWindow::dragEnterEvent(QDragEnterEvent* e) {
    if (e->mimeData()->hasUrls()) e->acceptProposedAction();
}

void MainWindow::dropEvent(QDropEvent* e) {
    for (const QUrl& url : e->mimeData()->urls())
        if (url.isLocalFile()) openFile(url.toLocalFile());
}

}  // namespace anhinga
