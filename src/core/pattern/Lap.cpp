// Lap: the outline of an area flown once, the camera on something inside.
#include <cmath>

#include "core/geo/Polygon.h"
#include "core/pattern/Around.h"
#include "core/pattern/Kinds.h"
#include "core/pattern/PhotoLines.h"

namespace anhinga::patterns {

PatternFlight lap(const Plan& plan, const Item& item, const Terrain* terrain) {
    PatternFlight flight;
    const Pattern& p = *item.pattern;
    if (p.outline.size() < 3) {
        flight.problem = "its outline has fewer than 3 corners";
        return flight;
    }
    const GeoPoint middle = middleOf(p.outline);
    const LocalFrame frame(middle);
    const Ring ring = toLocal(frame, p.outline);
    flight.area_m2 = area_m2(ring);
    if (flight.area_m2 < 1 || selfCrossing(ring)) {
        flight.problem = "its outline crosses itself or has no area: move its corners apart";
        return flight;
    }
    const Height target = levelHeight(plan, terrain, middle, p.target.value_m, p.target.ref);
    const auto target_amsl = amslOf(plan, terrain, middle, target);
    const Height height = effectiveHeight(plan, item);
    const double spacing = photosApart_m(plan, item).value_or(10);
    const std::size_t n = ring.size();
    const bool photos = p.takesPhotos();
    double next = 0, done = 0;
    for (std::size_t i = 0; i <= n; ++i) {
        const std::size_t k = p.reverse ? (n - i % n) % n : i % n;
        PatternPoint point{p.outline[k], height};
        if (i == 0) {
            point.actions.push_back(LookAt{middle, target, item.name});
            const auto start = startPhotos(p, spacing, effectiveSpeed(plan, item));
            point.actions.insert(point.actions.end(), start.begin(), start.end());
        }
        if (p.stands() && i < n) {
            point.actions.push_back(Delay{1});
            point.actions.push_back(PhotoNow{});
        }
        if (i == n) {
            const auto end = endPhotos(p);
            point.actions.insert(point.actions.end(), end.begin(), end.end());
            point.actions.push_back(LookAtStop{});
        }
        flight.points.push_back(std::move(point));
        if (!photos || i == n) continue;
        const std::size_t to = p.reverse ? (2 * n - i - 1) % n : (i + 1) % n;
        const double run = length(ring[to] - ring[k]);
        const auto take = [&](Vec2 at) {
            const GeoPoint place = frame.toGeo(at);
            const auto amsl = amslOf(plan, terrain, place, height);
            const Sight sight = sightTo(place, amsl, middle, target_amsl);
            flight.photos.push_back({place, amsl, sight.yaw_deg, sight.pitch_deg.value_or(0)});
        };
        if (p.stands()) {
            take(ring[k]);
            continue;
        }
        for (; next <= done + run && flight.photos.size() < kMaxPhotos; next += spacing)
            take(ring[k] + (ring[to] - ring[k]) * (run > 0 ? (next - done) / run : 0));
        done += run;
    }
    flight.lines = 1;
    flight.spans = {{0, flight.points.size() - 1, 0, flight.photos.size()}};
    flight.distance_m = flight.line_m = flownOver_m(flight.points);
    if (photos) flight.photo_spacing_m = p.stands() ? flight.line_m / static_cast<double>(n) : spacing;
    const double far = std::sqrt(flight.area_m2 / M_PI);
    flight.height_above_ground_m = far;
    flight.footprint = footprintAt(plan.camera, far);
    flight.gsd_least_m = flight.gsd_mean_m = flight.gsd_most_m = flight.footprint.gsd_m;
    return flight;
}

}  // namespace anhinga::patterns
