// Block: an area photographed along parallel lines.
#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "core/geo/Polygon.h"
#include "core/pattern/Kinds.h"
#include "core/pattern/PhotoLines.h"
#include "core/pattern/Strips.h"

namespace anhinga::patterns {

namespace {

StripLayout layoutOf(const Pattern& p, const PhotoScale& scale) {
    StripLayout layout;
    layout.heading_rad = p.heading_deg * M_PI / 180;
    layout.spacing_m = scale.across_m;
    layout.half_m = p.whole_photos ? scale.footprint.across_m / 2 : scale.across_m / 2 + p.margin_m;
    layout.beyond_m = p.whole_photos ? scale.footprint.along_m / 2 : p.margin_m;
    const bool photos = p.takesPhotos();
    layout.unit_m = photos ? scale.along_m : 0;
    layout.start_corner = p.start_corner;
    const double angle = layout.heading_rad;
    layout.nudge_across_m = p.nudge_east_m * std::cos(angle) - p.nudge_north_m * std::sin(angle);
    return layout;
}

void offer(PatternFlight& flight, const char* text, std::function<void(Item&)> change) {
    flight.remedy_text = text;
    flight.remedy = std::move(change);
}

}  // namespace

PatternFlight block(const Plan& plan, const Item& item, const Terrain* terrain) {
    PatternFlight flight;
    const Pattern& p = *item.pattern;
    if (p.outline.size() < 3) {
        flight.problem = "its outline has fewer than 3 corners";
        return flight;
    }
    const LocalFrame frame(middleOf(p.outline));
    std::vector<Ring> rings{toLocal(frame, p.outline)};
    flight.area_m2 = area_m2(rings[0]);
    if (flight.area_m2 < 1) {
        flight.problem = "its outline has no area: move its corners apart";
        return flight;
    }
    if (selfCrossing(rings[0])) {
        flight.problem = "its outline crosses itself: move its corners apart";
        return flight;
    }
    for (const auto& hole : p.holes) {
        rings.push_back(toLocal(frame, hole));
        if (rings.back().size() < 3 || selfCrossing(rings.back())) {
            flight.problem = "a hole in it crosses itself: move its corners apart";
            return flight;
        }
        flight.area_m2 -= area_m2(rings.back());
    }
    const PhotoScale scale = photoScale(plan, item, terrain);
    if (!scale.problem.empty()) {
        flight.problem = scale.problem;
        if (scale.height_m <= 0.5)
            offer(flight, "Fly it 60 m over ground", [](Item& i) {
                i.height = Height::aboveGround(60);
                i.pattern.edit().gsd_cm.reset();
            });
        return flight;
    }
    if (flight.area_m2 / (scale.along_m * scale.across_m) > static_cast<double>(kMaxPhotos)) {
        flight.problem = fmt::format("it would take {:.0f} photos; at most {} can be planned",
                                     flight.area_m2 / (scale.along_m * scale.across_m), kMaxPhotos);
        offer(flight, "Usual overlaps, 75 and 60 %", [](Item& i) {
            i.pattern.edit().overlap_percent = std::min(i.pattern->overlap_percent, 75.0);
            i.pattern.edit().sidelap_percent = std::min(i.pattern->sidelap_percent, 60.0);
        });
        return flight;
    }
    StripLayout layout = layoutOf(p, scale);
    if (p.best_heading) layout.heading_rad = bestHeading_deg(rings, layout, kMaxLines) * M_PI / 180;
    flight.heading_deg = layout.heading_rad * 180 / M_PI;
    std::vector<Strip> strips = layStrips(rings, layout, kMaxLines);
    if (strips.empty()) {
        flight.problem =
            fmt::format("it would take more than {} lines: a larger height or less sidelap is needed", kMaxLines);
        return flight;
    }
    if (p.crossing) {
        layout.heading_rad += M_PI / 2;
        // Begun at the corner nearest to where the first pass ends.
        std::vector<Strip> best;
        for (int corner = 0; corner < 4; ++corner) {
            layout.start_corner = corner;
            auto tried = layStrips(rings, layout, kMaxLines);
            if (tried.empty()) continue;
            if (best.empty() ||
                length(tried.front().from - strips.back().to) < length(best.front().from - strips.back().to))
                best = std::move(tried);
        }
        strips.insert(strips.end(), best.begin(), best.end());
    }
    if (p.reverse) {
        std::reverse(strips.begin(), strips.end());
        for (Strip& s : strips) std::swap(s.from, s.to);
    }
    const Vec2 nudge{p.nudge_east_m, p.nudge_north_m};
    std::vector<PhotoLine> lines;
    lines.reserve(strips.size());
    for (const Strip& s : strips) {
        // Across the lines the nudge is in the layout, so that the area stays covered; along them it moves the photos.
        const Vec2 along = s.length_m() > 0 ? (s.to - s.from) * (1 / s.length_m()) : Vec2{};
        const double step = scale.along_m > 0 ? std::fmod(dot(nudge, along), scale.along_m) : 0;
        lines.push_back({{s.from + along * step, s.to + along * step}});
    }
    flyLines(plan, item, terrain, frame, lines, scale, flight);
    return flight;
}

}  // namespace anhinga::patterns
