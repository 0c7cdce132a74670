#include "core/pattern/Around.h"

#include <algorithm>
#include <cmath>

namespace anhinga {

Height levelHeight(const Plan& plan, const Terrain* terrain, GeoPoint over, double value_m, HeightRef ref) {
    if (ref != HeightRef::ground) return {value_m, ref};
    const auto amsl = amslOf(plan, terrain, over, Height::aboveGround(value_m));
    if (!amsl) return {value_m, ref};
    const auto home = homeAmsl(plan, terrain);
    return home ? Height::aboveHome(*amsl - *home) : Height::amsl(*amsl);
}

std::vector<double> levels(double low_m, double high_m, double step_m) {
    constexpr double kMost = 500;
    if (!(high_m > low_m)) return {low_m};
    const double n = std::clamp(std::ceil((high_m - low_m) / std::max(0.1, step_m) - 1e-9), 1.0, kMost);
    std::vector<double> out;
    for (int i = 0; i <= static_cast<int>(n); ++i) out.push_back(low_m + (high_m - low_m) * i / n);
    return out;
}

Sight sightTo(GeoPoint from, std::optional<double> from_amsl, GeoPoint to, std::optional<double> to_amsl) {
    Sight s;
    s.distance_m = distance_m(from, to);
    s.yaw_deg = s.distance_m > 1e-6 ? bearing_deg(from, to) : 0;
    if (from_amsl && to_amsl) s.pitch_deg = std::atan2(*to_amsl - *from_amsl, s.distance_m) * 180 / M_PI;
    return s;
}

double flownOver_m(const std::vector<PatternPoint>& points) {
    double sum = 0;
    for (std::size_t i = 1; i < points.size(); ++i) {
        const PatternPoint &a = points[i - 1], &b = points[i];
        const double up = a.height.ref == b.height.ref ? b.height.value_m - a.height.value_m : 0;
        sum += std::hypot(distance_m(a.place, b.place), up);
    }
    return sum;
}

}  // namespace anhinga
