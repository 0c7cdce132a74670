// The one window: top row, the shared map between the workspace's panels, the band below. Wiring only.
#pragma once

#include <QMainWindow>
#include <QTimer>

#include "app/widgets/Sounds.h"
#include "app/widgets/Theme.h"
#include "app/widgets/TrackColours.h"
#include "core/plan/KeptPlan.h"
#include "session/FieldSession.h"
#include "session/LinkSession.h"
#include "session/LogbookSession.h"
#include "session/PlanSession.h"
#include "session/ReviewSession.h"
#include "session/TraceModel.h"

class QLabel;
class QPushButton;
class QSplitter;
class QStackedWidget;
class QTabWidget;

namespace anhinga {

class ChannelPanel;
class CompareDialog;
class ComparisonPanel;
class ContentsDialog;
class FieldPanel;
class FiguresView;
class FindingsPanel;
class FlightsDialog;
class HealthPanel;
class Inspector;
class Instrument;
class Itinerary;
class LayersPanel;
class LogbookPage;
class LogsDialog;
class MapView;
class ParametersDialog;
class PresenceDialog;
class ProfileBand;
class RehearsePanel;
class RelationDialog;
class ReplayBar;
class SceneView;
class SettingsPage;
class SpectrumDialog;
class StartPage;
class StateStrip;
class TimeBand;
class TraceBand;
class UnsavedKeeper;
class ValuesDialog;
class ValuesPanel;

struct TrackPoint;

enum class Workspace { draft, rehearse, field, debrief };

class MainWindow : public QMainWindow {
    Q_OBJECT
  public:
    /// The aircraft are heard in `world`: the machine's, unless one is played.
    explicit MainWindow(const LinkWorld& world = {}, QWidget* parent = nullptr);
    ~MainWindow() override;

    /// A plan or a log, told apart by content. The reason is shown when it cannot be opened.
    bool openFile(const QString& path);
    void setWorkspace(Workspace w);
    Workspace workspace() const { return workspace_; }
    void setNight(bool night);
    /// Plans and templates instead of the workspaces.
    void showStart();
    void showSettings();
    /// Offers what was not saved before the last run ended badly.
    void recover();
    /// Keeps what is not saved safe against a bad end; done by itself a moment after each edit.
    void autosave();
    /// Shows a message for a while.
    void say(const QString& text) { showMessage(text); }

    PlanSession& plan() { return plan_; }
    LinkSession& link() { return link_; }
    FieldSession& field() { return field_session_; }
    ReviewSession& review() { return review_; }
    TraceModel& traceModel() { return trace_model_; }
    LogbookSession& logbook() { return logbook_; }
    MapView& map() { return *map_; }
    /// Null where there is no OpenGL: the reason stands in its place.
    SceneView* scene();
    /// The Scene takes the map's place, or gives it back.
    void showScene(bool on);
    bool sceneShown() const;
    QAction* action(const QString& name) const;
    const Sounds& sounds() const { return sounds_; }
    QString lastMessage() const { return message_text_; }
    void saveTo(const QString& path);
    /// The flight in Debrief as a page, PDF or HTML by the name.
    void saveReport(const QString& path);
    /// Shows what of a file will become what, and adds it as one step when that is accepted.
    bool importFile(const QString& path);
    bool importAirspace(const QString& path);
    static QString dataFolder();

  protected:
    void closeEvent(QCloseEvent*) override;
    void resizeEvent(QResizeEvent*) override;
    void dragEnterEvent(QDragEnterEvent*) override;
    void dropEvent(QDropEvent*) override;

  private:
    bool oneFaceSelected() const;
    QAction* addAct(const QString& name, const QString& text, const QKeySequence& key,
                    const std::function<void()>& act);
    void makeActions();
    void makeEditActions();
    void movePlan(std::optional<GeoPoint> home_to);
    void goTo();
    void recoverNext();
    void lookForFile(const QString& name);
    void makeTopBar();
    void makeTools();
    void makeLayers();
    void makePages();
    void showPage(QWidget* page);
    void showLogbook();
    void connectLogbook();
    // MainWindowDebrief.cpp
    void connectDebrief();
    void setUsualTraces();
    std::shared_ptr<const Plan> judgingPlan() const;
    void holdAgainst(bool asked);
    void holdAgainstPlanAsItIs();
    void showMoment(double t_s);
    void showEvidence(const Answer& answer);
    QString debriefLine() const;
    void refreshDebriefFigures();
    void showReplayed();
    void stepPlayHead(int direction);
    void showRelation();
    void showFlights();
    /// The flight beside becomes the open one, at the same moment, and the other way round.
    void hopFlights();
    /// Every channel: of the open log in Debrief, else what the aircraft says now.
    void showValues();
    void showContents();
    void openLoggedMission(int number);
    void showPresence();
    void themeDebriefDialogs();
    void reportDialog();
    void showSpectrum();
    void fromTemplate(Plan plan);
    void keepTemplate();
    void unitsChanged();
    void showLayers(bool on);
    void connectAll();
    void showMessage(const QString& text);
    void refreshTop();
    void refreshFigures();
    void refreshOverlay();  // MainWindowOverlay.cpp
    void headTo(GeoPoint place, double reach_m);
    // MainWindowField.cpp
    void makeField();
    void makeFieldActions();
    void connectField();
    void vehicleHeard();
    void pauseOrResume();
    bool sendThere(GeoPoint place);
    std::map<ItemId, QString> itemStates() const;
    std::set<ItemId> itemsToGoOn() const;
    void flySo(std::optional<double> speed_mps, std::optional<double> height_m);
    void carryOver();
    void showCarryOver();
    std::shared_ptr<const std::vector<TrackPoint>> trackInScene(const LogPtr& log, double home_amsl_m);
    void refreshTimeBand();
    void cursorFromMap(std::optional<GeoPoint> place);
    bool mayDiscard();
    void newPlan();
    void openDialog();
    void openLogFile(const QString& path, const std::string& begin);
    void askForColumns(const QString& path);
    bool save();
    bool saveAs();
    void exportPlan();
    void exportPlanTo(const QString& path);
    void exportLog();
    void remember(const QString& path);
    void rebuildRecent();
    void deleteSelection();
    void duplicateSelection();
    void logOpened();
    /// Map and Scene over all of the open log's flight, or of the session of it that is chosen. False for a
    /// log without places.
    bool showFlight();
    void placeOverlays();

    PlanSession plan_;
    LinkSession link_;
    FieldSession field_session_{&plan_, &link_};
    ReviewSession review_;
    TraceModel trace_model_;
    LogbookSession logbook_;
    Theme theme_ = Theme::light();
    Workspace workspace_ = Workspace::draft;

    QWidget* top_ = nullptr;
    QStackedWidget* pages_ = nullptr;
    QWidget* work_page_ = nullptr;
    StartPage* start_ = nullptr;
    SettingsPage* settings_ = nullptr;
    LogbookPage* logbook_page_ = nullptr;
    QPushButton *file_ = nullptr, *findings_button_ = nullptr, *link_button_ = nullptr;
    QPushButton* steps_[4] = {};
    QMenu *file_menu_ = nullptr, *recent_ = nullptr;
    QStackedWidget *left_ = nullptr, *right_ = nullptr, *band_ = nullptr;
    FiguresView* figures_ = nullptr;
    QSplitter* draft_right_ = nullptr;
    QStackedWidget* views_ = nullptr;
    MapView* map_ = nullptr;
    SceneView* scene_ = nullptr;  // until it is first shown
    QPushButton* scene_button_ = nullptr;
    LogPtr scene_track_of_;
    std::shared_ptr<const std::vector<TrackPoint>> scene_track_;
    QWidget* tools_ = nullptr;
    LayersPanel* layers_ = nullptr;
    QPushButton* layers_button_ = nullptr;
    QLabel* message_ = nullptr;
    QTimer message_timer_;
    UnsavedKeeper* keeper_ = nullptr;
    std::vector<LeftPlan> unsaved_left_;  // still to be asked about
    QString message_text_;
    Itinerary* itinerary_ = nullptr;
    Inspector* inspector_ = nullptr;
    FindingsPanel* findings_ = nullptr;
    RehearsePanel* rehearse_ = nullptr;
    FieldPanel* field_ = nullptr;
    StateStrip* strip_ = nullptr;
    Instrument* instrument_ = nullptr;
    QStackedWidget* figures_stack_ = nullptr;
    QSplitter* bottom_ = nullptr;
    ParametersDialog* parameters_ = nullptr;
    LogsDialog* logs_ = nullptr;
    CompareDialog* compare_ = nullptr;
    SpectrumDialog* spectrum_ = nullptr;
    bool going_there_ = false;  // the next click on the map is where to go
    bool follow_aircraft_ = false;
    Sounds sounds_;
    ChannelPanel* channels_ = nullptr;
    ComparisonPanel* comparison_ = nullptr;
    HealthPanel* health_ = nullptr;
    ValuesPanel* values_ = nullptr;
    ValuesDialog* live_values_ = nullptr;
    QTabWidget* debrief_tabs_ = nullptr;
    QSplitter* work_split_ = nullptr;  // the views above, the band below
    bool tall_band_ = false;
    QList<int> flat_sizes_{570, 184}, tall_sizes_{494, 260};
    ReplayBar* replay_ = nullptr;
    RelationDialog* relation_ = nullptr;
    std::shared_ptr<const Plan> held_against_;  // the plan as it was when the log was held against it
    bool held_asked_ = false;
    FlightsDialog* flights_ = nullptr;
    ContentsDialog* contents_ = nullptr;
    PresenceDialog* presence_ = nullptr;
    /// The flown track as the map draws it; made anew when what it shows changes.
    struct ReviewedTrack {
        LogPtr log;
        QString by;
        bool night = false;
        int session = -1;
        std::vector<GeoPoint> places;
        std::vector<double> t_s;  // of each of them
        TrackColours colours;
        std::vector<GeoPoint> photos;
    } reviewed_;
    const ReviewedTrack& reviewedTrack();
    std::vector<GeoPoint> missed_photos_;
    LogPtr beside_track_of_;
    std::vector<GeoPoint> beside_track_;
    bool beside_rehearsed_ = false, hopping_ = false;
    ProfileBand* profile_ = nullptr;
    TimeBand *rehearse_band_ = nullptr, *field_band_ = nullptr;
    TraceBand* traces_ = nullptr;
    std::vector<std::pair<double, double>> field_heights_, field_battery_;
    std::vector<std::pair<double, QString>> field_modes_;
    double field_start_s_ = -1, field_step_s_ = 0.4;
};

}  // namespace anhinga
