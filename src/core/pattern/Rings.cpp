// Rings: circles around a thing at one or more heights, the camera on its middle.
#include <algorithm>
#include <cmath>

#include "core/pattern/Around.h"
#include "core/pattern/Kinds.h"
#include "core/pattern/PhotoLines.h"

namespace anhinga::patterns {

PatternFlight rings(const Plan& plan, const Item& item, const Terrain* terrain) {
    PatternFlight flight;
    const Pattern& p = *item.pattern;
    if (p.outline.empty()) {
        flight.problem = "it has no centre: place it on the map";
        return flight;
    }
    if (!(p.radius_m >= 1)) {
        flight.problem = "its radius must be at least 1 m";
        flight.remedy_text = "Make it 40 m";
        flight.remedy = [](Item& i) { i.pattern.edit().radius_m = 40; };
        return flight;
    }
    const GeoPoint centre = p.outline.front();
    const LocalFrame frame(centre);
    const HeightRef ref = effectiveHeight(plan, item).ref;
    const Height target = levelHeight(plan, terrain, centre, p.target.value_m, p.target.ref);
    const auto target_amsl = amslOf(plan, terrain, centre, target);
    const auto heights = levels(p.low_m, p.high_m, p.step_up_m);
    double widest = p.radius_m + p.radius_step_m * static_cast<double>(heights.size() - 1);
    if (std::min(widest, p.radius_m) < 1) {
        flight.problem = "its upper rings would have no radius: a smaller step of the radius is needed";
        flight.remedy_text = "Make all rings equally wide";
        flight.remedy = [](Item& i) { i.pattern.edit().radius_step_m = 0; };
        return flight;
    }
    const auto apart = photosApart_m(plan, item);
    for (std::size_t k = 0; k < heights.size(); ++k) {
        const double radius = p.radius_m + p.radius_step_m * static_cast<double>(k);
        const Height height = levelHeight(plan, terrain, centre, heights[k], ref);
        const auto amsl = amslOf(plan, terrain, centre, height);
        const double wanted = apart ? std::ceil(2 * M_PI * radius / *apart) : p.per_ring;
        if (!(wanted <= 2000) || flight.photos.size() + static_cast<std::size_t>(wanted) > kMaxPhotos) {
            flight.problem = "more photos than can be planned: a larger spacing is needed";
            return flight;
        }
        const int n = std::max(3, static_cast<int>(wanted));
        const double chord = 2 * radius * std::sin(M_PI / n);
        flight.photo_spacing_m = k == 0 ? chord : std::min(flight.photo_spacing_m, chord);
        // With a pitch of its own the camera looks at another height of the same axis.
        Height look = target;
        if (p.pitch_deg && amsl) {
            const double at = *amsl + radius * std::tan(*p.pitch_deg * M_PI / 180);
            const auto home = homeAmsl(plan, terrain);
            look = home ? Height::aboveHome(at - *home) : Height::amsl(at);
        }
        const auto look_amsl = amslOf(plan, terrain, centre, look);
        LineSpan span{flight.points.size(), 0, flight.photos.size(), 0};
        for (int i = 0; i < n; ++i) {
            const double turn = (p.start_deg + (p.anticlockwise ? -360.0 : 360.0) * i / n) * M_PI / 180;
            const GeoPoint place = frame.toGeo(Vec2{std::sin(turn), std::cos(turn)} * radius);
            const Sight sight = sightTo(place, amsl, centre, look_amsl);
            PatternPoint point{place, height};
            if (i == 0) {
                point.actions.push_back(LookAt{centre, look, item.name});
                const auto start = startPhotos(p, chord, effectiveSpeed(plan, item));
                point.actions.insert(point.actions.end(), start.begin(), start.end());
            }
            if (p.stands()) {
                point.actions.push_back(Delay{1});
                point.actions.push_back(PhotoNow{});
            }
            if (p.takesPhotos())
                flight.photos.push_back(
                    {place, amsl, sight.yaw_deg, p.pitch_deg.value_or(sight.pitch_deg.value_or(0))});
            flight.points.push_back(std::move(point));
        }
        auto& last = flight.points.back().actions;
        const auto end = endPhotos(p);
        last.insert(last.end(), end.begin(), end.end());
        span.last_point = flight.points.size() - 1;
        span.photos = flight.photos.size() - span.first_photo;
        flight.spans.push_back(span);
        ++flight.lines;
        flight.line_m += chord * n;
        flight.height_above_ground_m = radius;
    }
    flight.points.back().actions.push_back(LookAtStop{});
    flight.distance_m = flownOver_m(flight.points);
    if (!target_amsl)
        flight.notes.push_back("the height of the thing is not known above sea level: its ground is unknown");
    flight.height_above_ground_m = p.radius_m;
    flight.footprint = footprintAt(plan.camera, p.radius_m);
    flight.gsd_least_m = footprintAt(plan.camera, std::min(p.radius_m, widest)).gsd_m;
    flight.gsd_most_m = footprintAt(plan.camera, std::max(p.radius_m, widest)).gsd_m;
    flight.gsd_mean_m = (flight.gsd_least_m + flight.gsd_most_m) / 2;
    return flight;
}

}  // namespace anhinga::patterns
