// The Scene: the plan over the ground in three dimensions, drawn by our own OpenGL code. It takes the map's place at
// one key. Where there is no OpenGL it says so, and everything else goes on.
#pragma once

#include <QHash>
#include <QOpenGLFramebufferObject>
#include <QOpenGLWidget>
#include <QPixmap>
#include <QTimer>

#include "app/scene/SceneGl.h"
#include "session/LatestTask.h"

class QPushButton;
class QLabel;

namespace anhinga {

/// Empty, or why this display cannot draw a Scene. To be asked before one is made: a window that holds an OpenGL widget
/// on a display without OpenGL takes the program down with it.
QString sceneProblem();

/// What the present workspace shows of a flight.
struct SceneOverlay {
    std::optional<SceneAircraft> aircraft;
    std::shared_ptr<const std::vector<TrackPoint>> track;  // the same object: the same track
    std::optional<PlannedPhoto> flash;                     // the photo just taken
    bool can_scrub = false;                                // clicks on the track say where
};

enum class EyeMode { off, inset, full };

enum class ViewTo { newPoint, selectedPoint };

class SceneView : public QOpenGLWidget {
    Q_OBJECT
  public:
    SceneView(PlanSession* session, QWidget* parent = nullptr);
    ~SceneView() override;

    void setTheme(const Theme& theme);
    void setFlown(bool on);
    void setOverlay(SceneOverlay overlay);
    void setEditable(bool on) { editable_ = on; }
    void fromAbove();
    /// About the pivot, as by hand.
    void turn(double yaw_deg, double pitch_deg);
    void showWholePlan();
    /// All of these places with their heights AMSL.
    void showPlaces(const std::vector<std::pair<GeoPoint, double>>& places);
    void showPlace(GeoPoint place);
    /// The middle of what is selected, as near as shows all of it.
    void showSelection();
    void setExaggeration(double k);
    void setEye(EyeMode mode);
    EyeMode eyeMode() const { return eye_; }
    void setFollow(bool on) { follow_ = on; }
    /// The selected item is put where the eye is, looking the same way; without one a new waypoint is.
    bool takeView(ViewTo to);

    SceneCamera& camera() { return camera_; }
    SceneSpace space() const { return space_; }
    std::optional<QPointF> onScreen(GeoPoint place, double amsl_m) const;
    /// Where the ground is under a pixel.
    std::optional<GeoPoint> groundAt(QPointF at) const;
    ItemId itemAt(QPointF at) const;
    /// Empty while it can draw.
    QString problem() const { return problem_; }
    bool groundReady() const { return ground_ != nullptr; }
    const SceneCost& lastCost() const { return cost_; }
    void setMeasuring(bool on) { measuring_ = on; }
    /// Drawn with fewer pixels while it moves: only where frames take long.
    bool coarse() const { return coarse_; }

  signals:
    void message(const QString& text);
    void clicked(GeoPoint place);
    void mapWanted();
    void eyeChanged(EyeMode mode);

  protected:
    void initializeGL() override;
    void paintGL() override;
    void resizeEvent(QResizeEvent* e) override;
    void mousePressEvent(QMouseEvent*) override;
    void mouseMoveEvent(QMouseEvent*) override;
    void mouseReleaseEvent(QMouseEvent*) override;
    void mouseDoubleClickEvent(QMouseEvent*) override;
    void wheelEvent(QWheelEvent*) override;
    void keyPressEvent(QKeyEvent*) override;
    void showEvent(QShowEvent*) override;

  private:
    const PlanView& shownView() const;
    void planChanged();
    void rebuildPlan();
    void showAll(const std::vector<QVector3D>& points);
    void rebuildPhotos();
    void rebuildMoving();
    void requestGround();
    void keepAboveGround();
    double groundAmsl(const QVector3D& at) const;
    QVector3D underPointer(QPointF at) const;
    void paintLabels();
    void paintFurniture(QPainter& p);
    SceneCamera eyeCamera() const;
    QRect insetRect() const;
    /// The camera has moved: the next frames may be coarse.
    void moved();
    void drawViews(double scale, int target_height);
    const QPixmap& tabOf(const SceneLabel& label, bool chosen);
    SceneGl::Look lookFrom(const SceneCamera& camera, QRect screen) const;
    void placeButtons();
    void updateButtons();

    PlanSession* session_;
    Theme theme_ = Theme::light();
    SceneGl gl_;
    SceneCamera camera_;
    SceneSpace space_;
    std::shared_ptr<const SceneGround> ground_;
    struct GroundKey {
        const Terrain* terrain = nullptr;
        std::vector<std::string> pictures;
        GeoPoint origin;
        bool operator==(const GroundKey&) const = default;
    } ground_of_;
    LatestTask ground_maker_;
    std::vector<SceneLabel> labels_, obstacle_labels_;
    std::vector<SceneLine> pickable_;
    SceneOverlay overlay_;
    SceneCost cost_;
    QString problem_;
    EyeMode eye_ = EyeMode::off;
    bool placed_ = false, flown_ = false, editable_ = true, follow_ = false, measuring_ = false;
    bool plan_dirty_ = true, moving_dirty_ = true, photos_dirty_ = true, track_dirty_ = true;
    QVector3D photos_for_{1e9f, 0, 0};  // eye the photos were chosen for
    QPointF pressed_, last_;
    bool dragged_ = false;
    bool coarse_ = false, slow_ = false;
    QTimer settle_;
    double paint_began_ms_ = 0;
    std::unique_ptr<QOpenGLFramebufferObject> small_;
    QHash<QString, QPixmap> tabs_;
    QWidget* bar_ = nullptr;
    QPushButton *map_, *above_, *exaggerate_, *eye_button_, *add_view_, *move_view_;
    QLabel* refusal_ = nullptr;
};

}  // namespace anhinga
