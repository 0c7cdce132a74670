// What stands and flies in the Scene, as lines and faces: route, fences, obstacles, photos, tracks, the aircraft. Made
// from the same snapshot as the map. No OpenGL in here.
#pragma once

#include <QColor>
#include <vector>

#include "app/scene/SceneCamera.h"
#include "app/widgets/Theme.h"
#include "session/PlanSession.h"

namespace anhinga {

struct SceneLine {
    QVector3D a, b;  // Scene space
    QColor colour;
    float width_px = 2;
    ItemId id = 0;  // picked by a click; 0: nothing is
};
struct SceneFace {
    QVector3D a, b, c;
    QColor colour;
};
struct SceneLabel {
    QVector3D at;
    QString text;
    ItemId id = 0;
    enum Kind { item, home, thing } kind = item;
};
struct SceneShapes {
    std::vector<SceneLine> lines;
    std::vector<SceneFace> faces;  // opaque ones are drawn before see-through ones
    std::vector<SceneLabel> labels;
};

struct SceneAircraft {
    GeoPoint place;
    double amsl_m = 0;
    double heading_deg = 0, pitch_deg = 0, roll_deg = 0;
    double gimbal_pitch_deg = 0;
    bool wing = false;
};

/// Obstacles with their true heights; labels are their names.
SceneShapes obstacleShapes(const Plan& plan, const Terrain* terrain, const SceneSpace& space, const Theme& theme,
                           const std::set<ItemId>& selected);
/// The plan: route with drop lines and clearance colours, fences, rally points, look-ats.
SceneShapes planShapes(const Plan& plan, const PlanView& view, const Terrain* terrain, const SceneSpace& space,
                       const Theme& theme, const std::set<ItemId>& selected);
/// The planned photos nearest to the eye, each as the pyramid it sees.
SceneShapes photoShapes(const PlanView& view, const CameraProfile& camera, const SceneSpace& space, const Theme& theme,
                        const QVector3D& eye, std::size_t most);
/// One photo's pyramid and what it shows of the ground.
SceneShapes flashShapes(const PlannedPhoto& photo, const CameraProfile& camera, const Terrain* terrain,
                        const SceneSpace& space, const Theme& theme);
/// `size_m`: from tip to tail.
SceneShapes aircraftShapes(const SceneAircraft& aircraft, const SceneSpace& space, const Theme& theme, double size_m);
struct TrackPoint {
    GeoPoint place;
    double amsl_m = 0;
    QColor colour = {};  // invalid: the usual one
};
SceneShapes trackShapes(const std::vector<TrackPoint>& track, const SceneSpace& space, const Theme& theme);

}  // namespace anhinga
