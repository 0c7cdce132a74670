#include "core/pattern/Pattern.h"

#include "core/pattern/Kinds.h"

namespace anhinga {

namespace {

struct Kind {
    ItemKind kind;
    PatternFlight (*open)(const Plan&, const Item&, const Terrain*);
};
constexpr Kind kKinds[] = {{ItemKind::block, patterns::block},
                           {ItemKind::corridor, patterns::corridor},
                           {ItemKind::rings, patterns::rings},
                           {ItemKind::face, patterns::face},
                           {ItemKind::lap, patterns::lap}};

}  // namespace

Footprint footprintAt(const CameraProfile& c, double h) {
    const double w = h * c.sensor_w_mm / c.focal_mm, l = h * c.sensor_h_mm / c.focal_mm;
    return {c.portrait ? l : w, c.portrait ? w : l, w / c.px_across};
}

double heightForGsd_m(const CameraProfile& c, double gsd_cm) {
    return gsd_cm / 100 * c.focal_mm * c.px_across / c.sensor_w_mm;
}

PatternFlight openPattern(const Plan& plan, const Item& item, const Terrain* terrain) {
    for (const Kind& k : kKinds) {
        if (k.kind != item.kind) continue;
        PatternFlight flight = k.open(plan, item, terrain);
        if (!flight.problem.empty()) {
            flight.points.clear();
            flight.photos.clear();
        }
        return flight;
    }
    return {};
}

std::optional<double> largestSpeed_mps(const PatternFlight& flight, const CameraProfile& camera) {
    if (flight.photo_spacing_m <= 0 || flight.photos.empty() || camera.min_interval_s <= 0) return std::nullopt;
    return flight.photo_spacing_m / camera.min_interval_s;
}

}  // namespace anhinga
