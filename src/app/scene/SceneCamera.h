// Where the Scene is looked at from, and what is seen where. Space: metres east, north and up of home (heights AMSL
// minus home's, times the exaggeration); screen: pixels from the upper left.
#pragma once

#include <QMatrix4x4>
#include <QPointF>
#include <QSize>
#include <QVector3D>
#include <cmath>
#include <optional>

#include "core/geo/Geo.h"

namespace anhinga {

constexpr double kDeg = M_PI / 180;  // radians

/// Between places on earth and the Scene's space.
struct SceneSpace {
    LocalFrame frame{GeoPoint{}};
    double base_amsl_m = 0;
    double exaggeration = 1;

    QVector3D of(Vec2 local, double amsl_m) const {
        return {static_cast<float>(local.x), static_cast<float>(local.y),
                static_cast<float>((amsl_m - base_amsl_m) * exaggeration)};
    }
    QVector3D of(GeoPoint place, double amsl_m) const { return of(frame.toLocal(place), amsl_m); }
    GeoPoint placeOf(const QVector3D& p) const {
        return frame.toGeo({static_cast<double>(p.x()), static_cast<double>(p.y())});
    }
    double amslOf(const QVector3D& p) const { return base_amsl_m + static_cast<double>(p.z()) / exaggeration; }
};

/// A view turns about a pivot; yaw is the bearing looked along, pitch -90 looks straight down.
class SceneCamera {
  public:
    QVector3D pivot;
    double distance_m = 800, yaw_deg = 0, pitch_deg = -35, roll_deg = 0;
    double fov_deg = 45;  // upright

    QVector3D direction() const;
    QVector3D eye() const { return pivot - direction() * static_cast<float>(distance_m); }
    /// The same view direction from another eye, near pivot.
    void setEye(const QVector3D& eye);
    void orbit(double yaw_by_deg, double pitch_by_deg);
    /// Moves pivot and eye with the ground under the pointer, by pixels.
    void pan(QPointF by, QSize size);
    /// Nearer or farther; the place `at` stays under the pointer.
    void zoom(double factor, const QVector3D& at);
    /// Ahead, to the right and up, in metres; level.
    void move(double ahead_m, double right_m, double up_m);

    QMatrix4x4 matrix(QSize size) const;
    /// Nothing when behind the eye.
    std::optional<QPointF> project(const QVector3D& point, QSize size) const;
    /// Unit direction from the eye through a pixel.
    QVector3D ray(QPointF at, QSize size) const;
    /// Pixels a metre is high at a place.
    double pixelsPerMetre(const QVector3D& point, QSize size) const;
};

}  // namespace anhinga
