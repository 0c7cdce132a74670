#include "core/check/Clearance.h"

namespace anhinga {

namespace {
constexpr double kMaxSamples = 200000;
}

Clearance clearanceOf(const Path& path, const Terrain* terrain) {
    Clearance result;
    double total = 1;
    for (const PathLeg& leg : path.legs)
        total += distance_m(path.points[leg.from].position, path.points[leg.to].position);
    const double cell = terrain != nullptr ? terrain->cell_m() : 30;
    const double step = std::max(cell, total / kMaxSamples);
    for (std::size_t k = 0; k < path.legs.size(); ++k) {
        const PathLeg& leg = path.legs[k];
        const PathPoint &a = path.points[leg.from], &b = path.points[leg.to];
        LegClearance found;
        found.where = b.position;
        found.has_unknown = step > cell;
        const double run = distance_m(a.position, b.position);
        const int n = std::max(1, static_cast<int>(std::ceil(run / step)));
        const double bearing = run > 0 ? bearing_deg(a.position, b.position) : 0;
        const LocalFrame frame(a.position);
        const Vec2 end = frame.toLocal(b.position);
        for (int i = 0; i <= n; ++i) {
            const double f = static_cast<double>(i) / n;
            // Long legs follow the geodesic, short ones the plane: the same within a millimetre below 20 km.
            const GeoPoint place = run > 20000 ? destination(a.position, bearing, run * f) : frame.toGeo(end * f);
            ProfileSample s{a.along_m + (b.along_m - a.along_m) * f, place, {}, {}, k};
            if (a.amsl_m && b.amsl_m) s.amsl_m = *a.amsl_m + (*b.amsl_m - *a.amsl_m) * f;
            if (terrain != nullptr) s.ground_m = terrain->sample(place);
            const auto clear = s.clearance();
            if (!clear) {
                found.has_unknown = true;
            } else if (!found.lowest_m || *clear < *found.lowest_m) {
                found.lowest_m = clear;
                found.where = place;
                found.ground_m = *s.ground_m;
            }
            if (!leg.repeat) result.profile.push_back(s);
        }
        if (!leg.climb && found.lowest_m && (!result.lowest_m || *found.lowest_m < *result.lowest_m)) {
            result.lowest_m = found.lowest_m;
            result.lowest_leg = k;
        }
        result.legs.push_back(found);
    }
    return result;
}

}  // namespace anhinga
