#include "core/geo/Geo.h"

#include <GeographicLib/Geocentric.hpp>
#include <GeographicLib/Geodesic.hpp>
#include <vector>

namespace anhinga {

bool isValid(GeoPoint p) {
    return std::isfinite(p.lat_deg) && std::isfinite(p.lon_deg) && std::abs(p.lat_deg) <= 90 &&
           std::abs(p.lon_deg) <= 180;
}

double wrapLongitude(double lon_deg) {
    const double wrapped = std::remainder(lon_deg, 360.0);
    return wrapped >= 180 ? wrapped - 360 : wrapped;
}

double wrapAngle(double deg) {
    const double wrapped = std::remainder(deg, 360.0);
    return wrapped <= -180 ? wrapped + 360 : wrapped;
}

double wrapBearing(double deg) {
    const double wrapped = std::fmod(deg, 360.0);
    const double positive = wrapped < 0 ? wrapped + 360 : wrapped;
    return positive >= 360 ? 0 : positive;
}

double distance_m(GeoPoint a, GeoPoint b) {
    double s = 0;
    GeographicLib::Geodesic::WGS84().Inverse(a.lat_deg, a.lon_deg, b.lat_deg, b.lon_deg, s);
    return s;
}

double bearing_deg(GeoPoint a, GeoPoint b) {
    double azimuth = 0, back = 0;
    GeographicLib::Geodesic::WGS84().Inverse(a.lat_deg, a.lon_deg, b.lat_deg, b.lon_deg, azimuth, back);
    return azimuth < 0 ? azimuth + 360 : azimuth;
}

GeoPoint destination(GeoPoint from, double bearing, double distance) {
    GeoPoint to;
    GeographicLib::Geodesic::WGS84().Direct(from.lat_deg, from.lon_deg, bearing, distance, to.lat_deg, to.lon_deg);
    return to;
}

LocalFrame::LocalFrame(GeoPoint origin) : origin_(origin) {
    std::vector<double> m(9);  // columns are east, north, up in earth-centred axes
    GeographicLib::Geocentric::WGS84().Forward(origin.lat_deg, origin.lon_deg, 0, origin_ecef_[0], origin_ecef_[1],
                                               origin_ecef_[2], m);
    for (int axis = 0; axis < 3; ++axis)
        for (int i = 0; i < 3; ++i) rotation_[axis * 3 + i] = m[static_cast<std::size_t>(i * 3 + axis)];
}

Vec2 LocalFrame::toLocal(GeoPoint p) const {
    double e[3];
    GeographicLib::Geocentric::WGS84().Forward(p.lat_deg, p.lon_deg, 0, e[0], e[1], e[2]);
    const double dx = e[0] - origin_ecef_[0], dy = e[1] - origin_ecef_[1], dz = e[2] - origin_ecef_[2];
    return {rotation_[0] * dx + rotation_[1] * dy + rotation_[2] * dz,
            rotation_[3] * dx + rotation_[4] * dy + rotation_[5] * dz};
}

GeoPoint LocalFrame::toGeo(Vec2 v) const {
    // A point of the ellipsoid lies below the plane by about d^2 / 2R: put that in, so that there and back agree.
    const double up = -(v.x * v.x + v.y * v.y) / (2 * 6371000.0);
    double e[3];
    for (int i = 0; i < 3; ++i)
        e[i] = origin_ecef_[i] + rotation_[i] * v.x + rotation_[3 + i] * v.y + rotation_[6 + i] * up;
    GeoPoint p;
    double height = 0;
    GeographicLib::Geocentric::WGS84().Reverse(e[0], e[1], e[2], p.lat_deg, p.lon_deg, height);
    return p;
}

}  // namespace anhinga
