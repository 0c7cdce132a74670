#include "core/pattern/BlockPattern.h"

#include "core/geo/Polygon.h"

namespace anhinga {

namespace {

/// More lines than any aircraft flies: a mistyped overlap must not fill the memory.
constexpr double kMaxLines = 2000;

double heightAboveGround(const Plan& plan, const Item& item, const Terrain* terrain) {
    const Height height = effectiveHeight(plan, item);
    if (height.ref == HeightRef::ground || terrain == nullptr) return height.value_m;
    double sum = 0;
    int known = 0;
    for (const GeoPoint& p : item.block.outline)
        if (const auto ground = terrain->sample(p)) {
            sum += *ground;
            ++known;
        }
    if (known == 0) return height.value_m;
    const double ground = sum / known;
    if (height.ref == HeightRef::amsl) return height.value_m - ground;
    if (!plan.home) return height.value_m;
    const auto home = plan.home->amsl_m ? plan.home->amsl_m : terrain->sample(plan.home->position);
    return home ? *home + height.value_m - ground : height.value_m;
}

}  // namespace

Footprint footprintAt(const CameraProfile& c, double h) {
    return {h * c.sensor_w_mm / c.focal_mm, h * c.sensor_h_mm / c.focal_mm,
            h * c.sensor_w_mm / (c.focal_mm * c.px_across)};
}

BlockLines blockLines(const Plan& plan, const Item& item, const Terrain* terrain) {
    BlockLines result;
    const Block& block = item.block;
    if (block.outline.size() < 3) return result;
    const LocalFrame frame(middleOf(block.outline));
    const Ring ring = toLocal(frame, block.outline);
    result.area_m2 = area_m2(ring);
    if (selfCrossing(ring)) return result;
    const double h = heightAboveGround(plan, item, terrain);
    result.height_above_ground_m = h;
    if (!(h > 0)) return result;
    result.footprint = footprintAt(plan.camera, h);
    result.line_spacing_m = result.footprint.across_m * (1 - block.sidelap_percent / 100);
    result.photo_spacing_m = result.footprint.along_m * (1 - block.overlap_percent / 100);

    // u runs along the lines, v across them.
    const double angle = block.heading_deg * M_PI / 180;
    const Vec2 along{std::sin(angle), std::cos(angle)}, across{std::cos(angle), -std::sin(angle)};
    Ring turned;
    double low = INFINITY, high = -INFINITY;
    for (const Vec2& p : ring) {
        turned.push_back({dot(p, along), dot(p, across)});
        low = std::min(low, turned.back().y);
        high = std::max(high, turned.back().y);
    }
    const double count = std::max(1.0, std::ceil((high - low) / result.line_spacing_m));
    if (count > kMaxLines) return result;
    // Spread the lines evenly: never wider apart than the sidelap asks for.
    const double step = (high - low) / count;
    bool back = false;
    for (int i = 0; i < static_cast<int>(count); ++i) {
        const double v = low + step * (i + 0.5);
        std::vector<double> cuts;
        for (std::size_t k = 0; k < turned.size(); ++k) {
            const Vec2 a = turned[k], b = turned[(k + 1) % turned.size()];
            if ((a.y > v) != (b.y > v)) cuts.push_back(a.x + (b.x - a.x) * (v - a.y) / (b.y - a.y));
        }
        std::sort(cuts.begin(), cuts.end());
        std::vector<std::pair<double, double>> spans;
        for (std::size_t k = 0; k + 1 < cuts.size(); k += 2)
            spans.emplace_back(cuts[k] - block.margin_m, cuts[k + 1] + block.margin_m);
        if (back) std::reverse(spans.begin(), spans.end());
        for (auto [from, to] : spans) {
            if (back) std::swap(from, to);
            result.lines.emplace_back(frame.toGeo(along * from + across * v), frame.toGeo(along * to + across * v));
            result.photos += 1 + static_cast<int>(std::abs(to - from) / result.photo_spacing_m);
        }
        back = !back;
    }
    return result;
}

}  // namespace anhinga
