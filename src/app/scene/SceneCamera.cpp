#include "app/scene/SceneCamera.h"

#include <algorithm>
#include <cmath>

namespace anhinga {

namespace {
constexpr double kNearest_m = 3, kFarthest_m = 40000;

QVector3D vec(double x, double y, double z) {
    return {static_cast<float>(x), static_cast<float>(y), static_cast<float>(z)};
}
}  // namespace

QVector3D SceneCamera::direction() const {
    const double y = yaw_deg * kDeg, p = pitch_deg * kDeg;
    return vec(std::sin(y) * std::cos(p), std::cos(y) * std::cos(p), std::sin(p));
}

void SceneCamera::setEye(const QVector3D& eye) {
    distance_m = std::clamp(distance_m, kNearest_m, 200.0);
    pivot = eye + direction() * static_cast<float>(distance_m);
}

void SceneCamera::orbit(double yaw_by_deg, double pitch_by_deg) {
    yaw_deg = std::fmod(yaw_deg + yaw_by_deg + 720, 360);
    pitch_deg = std::clamp(pitch_deg + pitch_by_deg, -90.0, 60.0);
}

void SceneCamera::pan(QPointF by, QSize size) {
    const double metres = 2 * distance_m * std::tan(fov_deg / 2 * kDeg) / std::max(1, size.height());
    // Seen at a slant, the ground runs away faster than the pointer.
    const double slant = std::max(0.25, std::sin(std::abs(pitch_deg) * kDeg));
    move(by.y() * metres / slant, -by.x() * metres, 0);
}

void SceneCamera::zoom(double factor, const QVector3D& at) {
    const double to = std::clamp(distance_m * factor, kNearest_m, kFarthest_m);
    const double share = to / distance_m;
    pivot = at + (pivot - at) * static_cast<float>(share);
    distance_m = to;
}

void SceneCamera::move(double ahead_m, double right_m, double up_m) {
    const double y = yaw_deg * kDeg;
    pivot += vec(std::sin(y) * ahead_m + std::cos(y) * right_m, std::cos(y) * ahead_m - std::sin(y) * right_m, up_m);
}

QMatrix4x4 SceneCamera::matrix(QSize size) const {
    QMatrix4x4 m;
    // The nearest that is drawn follows how close it is: depth keeps its resolution.
    const double near = std::clamp(distance_m / 50, 0.5, 20.0);
    m.perspective(static_cast<float>(fov_deg),
                  static_cast<float>(size.width()) / static_cast<float>(std::max(1, size.height())),
                  static_cast<float>(near), 60000);
    m.rotate(static_cast<float>(-roll_deg), 0, 0, 1);
    // From east-north-up to right-up-backward.
    m.rotate(static_cast<float>(-pitch_deg - 90), 1, 0, 0);
    m.rotate(static_cast<float>(yaw_deg), 0, 0, 1);
    m.translate(-eye());
    return m;
}

std::optional<QPointF> SceneCamera::project(const QVector3D& point, QSize size) const {
    const QVector4D clip = matrix(size) * QVector4D(point, 1);
    if (clip.w() <= 0.1f) return std::nullopt;
    return QPointF((static_cast<double>(clip.x() / clip.w()) + 1) / 2 * size.width(),
                   (1 - static_cast<double>(clip.y() / clip.w())) / 2 * size.height());
}

QVector3D SceneCamera::ray(QPointF at, QSize size) const {
    // By hand and in doubles: the inverse of the matrix is far too coarse for a ray to the horizon.
    const double high = std::tan(fov_deg / 2 * kDeg), wide = high * size.width() / std::max(1, size.height());
    double x = (2 * at.x() / std::max(1, size.width()) - 1) * wide,
           y = (1 - 2 * at.y() / std::max(1, size.height())) * high;
    const double r = roll_deg * kDeg;
    const double level = x * std::cos(r) + y * std::sin(r);
    y = y * std::cos(r) - x * std::sin(r);
    x = level;
    const double yaw = yaw_deg * kDeg, pitch = pitch_deg * kDeg;
    const double flat = std::cos(pitch) - y * std::sin(pitch);  // along the bearing
    return vec(std::sin(yaw) * flat + std::cos(yaw) * x, std::cos(yaw) * flat - std::sin(yaw) * x,
               std::sin(pitch) + y * std::cos(pitch))
        .normalized();
}

double SceneCamera::pixelsPerMetre(const QVector3D& point, QSize size) const {
    const double depth = static_cast<double>(QVector3D::dotProduct(point - eye(), direction()));
    return depth <= 0 ? 0 : size.height() / (2 * std::tan(fov_deg / 2 * kDeg) * depth);
}

}  // namespace anhinga
