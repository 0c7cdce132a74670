#include "core/pattern/Heights.h"

#include "core/pattern/Pattern.h"

namespace anhinga {

std::optional<double> homeAmsl(const Plan& plan, const Terrain* terrain) {
    if (!plan.home) return std::nullopt;
    if (plan.home->amsl_m) return plan.home->amsl_m;
    return terrain != nullptr ? terrain->sample(plan.home->position) : std::nullopt;
}

std::optional<double> amslOf(const Plan& plan, const Terrain* terrain, GeoPoint place, Height height) {
    std::optional<double> base = 0.0;
    if (height.ref == HeightRef::home) base = homeAmsl(plan, terrain);
    if (height.ref == HeightRef::ground) base = terrain != nullptr ? terrain->sample(place) : std::nullopt;
    return base ? std::optional(*base + height.value_m) : std::nullopt;
}

std::optional<Height> converted(const Plan& plan, const Terrain* terrain, GeoPoint place, Height height, HeightRef to) {
    if (height.ref == to) return height;
    const auto amsl = amslOf(plan, terrain, place, height);
    const auto zero = amslOf(plan, terrain, place, {0, to});
    if (!amsl || !zero) return std::nullopt;
    return Height{*amsl - *zero, to};
}

std::optional<double> meanGround(const std::vector<GeoPoint>& outline, const Terrain* terrain) {
    if (terrain == nullptr) return std::nullopt;
    double sum = 0;
    int known = 0;
    for (const GeoPoint& p : outline)
        if (const auto ground = terrain->sample(p)) {
            sum += *ground;
            ++known;
        }
    return known > 0 ? std::optional(sum / known) : std::nullopt;
}

double heightAboveGround(const Plan& plan, const Item& item, const Terrain* terrain) {
    const Pattern& pattern = *item.pattern;
    if (pattern.gsd_cm) return heightForGsd_m(plan.camera, *pattern.gsd_cm);
    const Height height = effectiveHeight(plan, item);
    if (height.ref == HeightRef::ground || pattern.follow) return height.value_m;
    const auto ground = meanGround(pattern.outline, terrain);
    const auto amsl = amslOf(plan, terrain, {}, height);
    return ground && amsl ? *amsl - *ground : height.value_m;
}

Height flightHeight(const Plan& plan, const Item& item, double above_ground_m) {
    if (item.pattern->gsd_cm || item.pattern->follow) return Height::aboveGround(above_ground_m);
    return effectiveHeight(plan, item);
}

}  // namespace anhinga
