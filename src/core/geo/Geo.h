// WGS-84 points, geodesics on the ellipsoid and a local tangent plane.
// Latitude and longitude are geodetic degrees; bearings are degrees clockwise from true north.
#pragma once

#include <cmath>
#include <memory>

namespace anhinga {

struct GeoPoint {
    double lat_deg = 0;
    double lon_deg = 0;
    bool operator==(const GeoPoint&) const = default;
};

/// Finite, latitude within +-90, longitude within +-180.
bool isValid(GeoPoint p);
/// Longitude brought into [-180, 180).
double wrapLongitude(double lon_deg);
/// Angle brought into (-180, 180].
double wrapAngle(double deg);
/// [0, 360).
double wrapBearing(double deg);

/// Shortest distance on the WGS-84 ellipsoid, metres (Karney 2013, error below 15 nm).
double distance_m(GeoPoint a, GeoPoint b);
/// Azimuth at `a` of the geodesic to `b`, degrees [0, 360).
double bearing_deg(GeoPoint a, GeoPoint b);
/// The point `distance_m` metres from `from` along the geodesic that starts at `bearing_deg`.
GeoPoint destination(GeoPoint from, double bearing_deg, double distance_m);

/// East and north metres in a LocalFrame.
struct Vec2 {
    double x = 0;
    double y = 0;
    bool operator==(const Vec2&) const = default;
    Vec2 operator+(Vec2 o) const { return {x + o.x, y + o.y}; }
    Vec2 operator-(Vec2 o) const { return {x - o.x, y - o.y}; }
    Vec2 operator*(double k) const { return {x * k, y * k}; }
};
inline double dot(Vec2 a, Vec2 b) {
    return a.x * b.x + a.y * b.y;
}
inline double cross(Vec2 a, Vec2 b) {
    return a.x * b.y - a.y * b.x;
}
inline double length(Vec2 a) {
    return std::sqrt(a.x * a.x + a.y * a.y);  // metres of a plane: no overflow to guard against, and quick
}

/// Tangent plane at `origin` (x east, y north, metres), through earth-centred coordinates, so that it holds at the
/// poles and across the 180th meridian. Within 20 km lengths differ from the ellipsoid by less than 0.05 %o.
class LocalFrame {
  public:
    explicit LocalFrame(GeoPoint origin);
    Vec2 toLocal(GeoPoint p) const;
    GeoPoint toGeo(Vec2 v) const;
    GeoPoint origin() const { return origin_; }

  private:
    GeoPoint origin_;
    double origin_ecef_[3];
    double rotation_[9];  // rows: east, north, up
};

}  // namespace anhinga
