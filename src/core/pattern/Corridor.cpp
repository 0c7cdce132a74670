// Corridor: a line photographed along one or more strips beside it.
#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "core/geo/Polygon.h"
#include "core/pattern/Kinds.h"
#include "core/pattern/PhotoLines.h"

namespace anhinga::patterns {

namespace {

Vec2 unitOf(Vec2 v) {
    return v * (1 / length(v));
}
Vec2 rightOf(Vec2 u) {
    return {u.y, -u.x};
}

/// One strip `offset` metres to the right of the line. Gentle bends are flown through; before a sharp one the strip
/// goes on straight by `beyond` and begins anew as far before the next leg, so that the outside of the bend is seen.
std::vector<PhotoLine> strip(const std::vector<Vec2>& line, double offset, double beyond, double most_tangent) {
    std::vector<PhotoLine> out;
    const std::size_t n = line.size();
    PhotoLine now;
    now.points.push_back(line[0] + rightOf(unitOf(line[1] - line[0])) * offset);
    for (std::size_t k = 0; k + 1 < n; ++k) {
        const Vec2 u = unitOf(line[k + 1] - line[k]);
        const Vec2 here = line[k + 1] + rightOf(u) * offset;
        if (k + 2 == n) {
            now.points.push_back(here);
            break;
        }
        const Vec2 w = unitOf(line[k + 2] - line[k + 1]);
        const double tangent = std::abs(cross(u, w)) / std::max(1e-9, 1 + dot(u, w));  // of half the turn
        const Vec2 bisector = rightOf(u) + rightOf(w);
        const Vec2 mitre = line[k + 1] + bisector * (offset / std::max(1e-9, 1 + dot(u, w)));
        const bool runs_on =
            dot(mitre - now.points.back(), u) > 0 && tangent * std::abs(offset) < length(line[k + 2] - line[k + 1]);
        if (tangent <= most_tangent && runs_on) {
            now.points.push_back(mitre);
            continue;
        }
        now.points.push_back(here + u * beyond);
        out.push_back(std::move(now));
        now = {};
        now.points.push_back(line[k + 1] + rightOf(w) * offset - w * beyond);
    }
    out.push_back(std::move(now));
    return out;
}

}  // namespace

PatternFlight corridor(const Plan& plan, const Item& item, const Terrain* terrain) {
    PatternFlight flight;
    const Pattern& p = *item.pattern;
    if (p.outline.size() < 2) {
        flight.problem = "its line needs at least 2 points";
        return flight;
    }
    const LocalFrame frame(middleOf(p.outline));
    std::vector<Vec2> line;
    for (const Vec2& v : toLocal(frame, p.outline))
        if (line.empty() || length(v - line.back()) > 0.1) line.push_back(v);
    if (line.size() < 2) {
        flight.problem = "its line has no length: move its points apart";
        return flight;
    }
    if (!(p.width_m > 0)) {
        flight.problem = "its width must be larger than 0";
        return flight;
    }
    const PhotoScale scale = photoScale(plan, item, terrain);
    if (!scale.problem.empty()) {
        flight.problem = scale.problem;
        if (scale.height_m <= 0.5) {
            flight.remedy_text = "Fly it 60 m over ground";
            flight.remedy = [](Item& i) { i.height = Height::aboveGround(60); };
        }
        return flight;
    }
    const double outside = p.whole_photos ? std::max(0.0, (scale.footprint.across_m - scale.across_m) / 2) : p.margin_m;
    const double range = p.width_m + 2 * outside;
    const double count = p.strips > 0 ? p.strips : std::max(1.0, std::ceil(range / scale.across_m - 1e-9));
    double run = 0;
    for (std::size_t k = 0; k + 1 < line.size(); ++k) run += length(line[k + 1] - line[k]);
    if (!(count <= static_cast<double>(kMaxLines)) || count * run / scale.along_m > static_cast<double>(kMaxPhotos)) {
        flight.problem = fmt::format("it would take {:.0f} photos on {:.0f} strips; at most {} can be planned",
                                     count * run / scale.along_m, count, kMaxPhotos);
        flight.remedy_text = "Usual overlaps, 75 and 60 %";
        flight.remedy = [](Item& i) {
            i.pattern.edit().overlap_percent = std::min(i.pattern->overlap_percent, 75.0);
            i.pattern.edit().sidelap_percent = std::min(i.pattern->sidelap_percent, 60.0);
        };
        return flight;
    }
    flight.area_m2 = run * p.width_m;
    const double step = p.strips > 0 ? scale.across_m : range / count;
    // Photos reach half a footprint ahead; less what may lie between the last photo and the bend.
    const double spare = std::max(0.0, scale.footprint.along_m / 2 - scale.along_m);
    const double most_tangent = std::min(0.35, 2 * spare / scale.footprint.across_m);
    const double beyond = p.width_m / 2 + std::abs(p.offset_m);
    std::vector<PhotoLine> lines;
    for (int i = 0; i < static_cast<int>(count); ++i) {
        const double offset = p.offset_m + (i - (count - 1) / 2) * step;
        auto one = strip(line, offset, beyond, most_tangent);
        const double ends = p.whole_photos ? scale.footprint.along_m / 2 : p.margin_m;
        auto& first = one.front().points;
        auto& last = one.back().points;
        first[0] = first[0] - unitOf(first[1] - first[0]) * ends;
        last.back() = last.back() + unitOf(last.back() - last[last.size() - 2]) * ends;
        // Whole steps, so that the last photo is at the end.
        for (PhotoLine& l : one) {
            const double whole = std::ceil(l.length_m() / scale.along_m - 1e-6) * scale.along_m;
            auto& pts = l.points;
            pts.back() = pts.back() + unitOf(pts.back() - pts[pts.size() - 2]) * (whole - l.length_m());
        }
        if (i % 2 == 1) {
            std::reverse(one.begin(), one.end());
            for (PhotoLine& l : one) std::reverse(l.points.begin(), l.points.end());
        }
        lines.insert(lines.end(), one.begin(), one.end());
    }
    if (p.reverse) {
        std::reverse(lines.begin(), lines.end());
        for (PhotoLine& l : lines) std::reverse(l.points.begin(), l.points.end());
    }
    flyLines(plan, item, terrain, frame, lines, scale, flight);
    flight.line_spacing_m = count > 1 ? step : 0;
    return flight;
}

}  // namespace anhinga::patterns
