// Face: a wall, cliff or tower side photographed from beside it, row by row or column by column.
#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "core/geo/Polygon.h"
#include "core/pattern/Around.h"
#include "core/pattern/Kinds.h"
#include "core/pattern/PhotoLines.h"

namespace anhinga::patterns {

namespace {

constexpr double kStandOffSlack_m = 0.15;

/// A column of camera places: in front of `foot` on the wall, looking along `yaw`.
struct Column {
    Vec2 at;
    GeoPoint foot;
    double yaw_deg = 0;
};

/// A wall in stretches of some parts, each with the box around it: most are too far away to be looked at.
class Stretches {
  public:
    explicit Stretches(const std::vector<Vec2>& wall) : wall_(wall) {
        for (std::size_t from = 0; from + 1 < wall.size(); from += kParts) {
            Box box{from, std::min(from + kParts, wall.size() - 1), wall[from], wall[from]};
            for (std::size_t i = from; i <= box.to; ++i) {
                box.low = {std::min(box.low.x, wall[i].x), std::min(box.low.y, wall[i].y)};
                box.high = {std::max(box.high.x, wall[i].x), std::max(box.high.y, wall[i].y)};
            }
            boxes_.push_back(box);
        }
    }
    /// Whether any part is nearer to `at` than `limit_m`.
    bool nearer(Vec2 at, double limit_m) const {
        for (const Box& box : boxes_) {
            const Vec2 beside{std::max({box.low.x - at.x, at.x - box.high.x, 0.0}),
                              std::max({box.low.y - at.y, at.y - box.high.y, 0.0})};
            if (length(beside) >= limit_m) continue;
            for (std::size_t i = box.from; i < box.to; ++i)
                if (distanceToSegment(at, wall_[i], wall_[i + 1]).distance_m < limit_m) return true;
        }
        return false;
    }

  private:
    static constexpr std::size_t kParts = 64;
    struct Box {
        std::size_t from, to;  // points of the wall
        Vec2 low, high;
    };
    const std::vector<Vec2>& wall_;
    std::vector<Box> boxes_;
};

std::vector<Column> columnsOf(const std::vector<Vec2>& wall, const LocalFrame& frame, double spacing, double stand_off,
                              bool left) {
    std::vector<Column> out;
    const Stretches stretches(wall);
    double whole = 0;
    for (std::size_t k = 0; k + 1 < wall.size(); ++k) whole += length(wall[k + 1] - wall[k]);
    const double n = std::max(1.0, std::ceil(whole / spacing - 1e-9));
    double before = 0;
    std::size_t k = 0;
    for (int i = 0; i <= static_cast<int>(n); ++i) {
        const double s = whole * i / n;
        while (k + 2 < wall.size() && s > before + length(wall[k + 1] - wall[k])) {
            before += length(wall[k + 1] - wall[k]);
            ++k;
        }
        const double run = length(wall[k + 1] - wall[k]);
        const Vec2 u = (wall[k + 1] - wall[k]) * (1 / run);
        const Vec2 foot = wall[k] + u * std::clamp(s - before, 0.0, run);
        const Vec2 away = left ? Vec2{-u.y, u.x} : Vec2{u.y, -u.x};
        const Vec2 at = foot + away * stand_off;
        // In a hollow of the wall another part of it may be nearer.
        if (stretches.nearer(at, stand_off - kStandOffSlack_m)) continue;
        const double yaw = std::atan2(-away.x, -away.y) * 180 / M_PI;
        out.push_back({at, frame.toGeo(foot), yaw < 0 ? yaw + 360 : yaw});
    }
    return out;
}

}  // namespace

PatternFlight face(const Plan& plan, const Item& item, const Terrain* terrain) {
    PatternFlight flight;
    const Pattern& p = *item.pattern;
    std::vector<Vec2> wall;
    if (!p.outline.empty()) {
        const LocalFrame frame(middleOf(p.outline));
        for (const Vec2& v : toLocal(frame, p.outline))
            if (wall.empty() || length(v - wall.back()) > 0.1) wall.push_back(v);
    }
    if (wall.size() < 2) {
        flight.problem = "its line has no length: it needs 2 points apart";
        return flight;
    }
    const LocalFrame frame(middleOf(p.outline));
    if (!(p.stand_off_m >= 1)) {
        flight.problem = "its stand-off must be at least 1 m";
        flight.remedy_text = "Stand 15 m off";
        flight.remedy = [](Item& i) { i.pattern.edit().stand_off_m = 15; };
        return flight;
    }
    flight.footprint = footprintAt(plan.camera, p.stand_off_m);
    if (!(flight.footprint.across_m > 0) || p.overlap_percent >= 100 || p.sidelap_percent >= 100) {
        flight.problem = "the camera has no sensor size, or an overlap is 100 % or more";
        return flight;
    }
    const double spacing =
        photosApart_m(plan, item).value_or(flight.footprint.across_m * (1 - p.overlap_percent / 100));
    const double up = p.step_up_m > 0 ? p.step_up_m : flight.footprint.along_m * (1 - p.sidelap_percent / 100);
    const auto heights = levels(p.low_m, p.high_m, up);
    if (p.tilts_deg.empty() || p.turns_deg.empty()) {
        flight.problem = "it has no tilt or no turn of the camera: 0 looks straight at it";
        flight.remedy_text = "Look straight at it";
        flight.remedy = [](Item& i) { i.pattern.edit().tilts_deg = i.pattern.edit().turns_deg = {0}; };
        return flight;
    }
    const auto &tilts = p.tilts_deg, &turns = p.turns_deg;
    const int shots = std::clamp(p.shots, 1, 50);
    double run = 0;
    for (std::size_t k = 0; k + 1 < wall.size(); ++k) run += length(wall[k + 1] - wall[k]);
    const double total =
        run / spacing * static_cast<double>(heights.size() * tilts.size() * turns.size()) * static_cast<double>(shots);
    if (!(total < static_cast<double>(kMaxPhotos))) {
        flight.problem = fmt::format("it would take {:.0f} photos; at most {} can be planned", total, kMaxPhotos);
        flight.remedy_text = "Space photos by 75 % overlap";
        flight.remedy = [](Item& i) {
            i.pattern.edit().spacing_m = i.pattern.edit().every_s = 0;
            i.pattern.edit().overlap_percent = 75;
        };
        return flight;
    }
    const auto columns = columnsOf(wall, frame, spacing, p.stand_off_m, p.left_side);
    if (columns.empty()) {
        flight.problem = "there is no place at this stand-off: the wall bends around it";
        return flight;
    }
    const HeightRef ref = effectiveHeight(plan, item).ref;
    const bool photos = p.takesPhotos();
    const bool moving = !p.stands();
    const auto visit = [&](const Column& c, double value, bool first, bool last) {
        const Height height = levelHeight(plan, terrain, c.foot, value, ref);
        PatternPoint point{frame.toGeo(c.at), height};
        const auto amsl = amslOf(plan, terrain, c.foot, height);
        const std::size_t photos_before = flight.photos.size();
        if (moving) {
            point.actions.push_back(SetHeading{c.yaw_deg + turns.front()});
            if (first) {
                point.actions.push_back(GimbalPitch{tilts.front()});
                const auto start = startPhotos(p, p.columns ? up : spacing, effectiveSpeed(plan, item));
                point.actions.insert(point.actions.end(), start.begin(), start.end());
            }
            if (photos) flight.photos.push_back({point.place, amsl, c.yaw_deg + turns.front(), tilts.front()});
            if (last) {
                const auto end = endPhotos(p);
                point.actions.insert(point.actions.end(), end.begin(), end.end());
            }
        } else {
            for (const double turn : turns) {
                point.actions.push_back(SetHeading{std::fmod(c.yaw_deg + turn + 360, 360)});
                for (const double tilt : tilts) {
                    point.actions.push_back(GimbalPitch{tilt});
                    point.actions.push_back(Delay{1});
                    for (int k = 0; k < shots; ++k) {
                        point.actions.push_back(PhotoNow{});
                        flight.photos.push_back({point.place, amsl, std::fmod(c.yaw_deg + turn + 360, 360), tilt});
                    }
                }
            }
        }
        flight.points.push_back(std::move(point));
        LineSpan& span = first ? flight.spans.emplace_back(LineSpan{flight.points.size() - 1, 0, photos_before, 0})
                               : flight.spans.back();
        span.last_point = flight.points.size() - 1;
        span.photos = flight.photos.size() - span.first_photo;
    };
    bool back = p.reverse;
    if (p.columns) {
        for (std::size_t c = 0; c < columns.size(); ++c) {
            for (std::size_t k = 0; k < heights.size(); ++k)
                visit(columns[p.reverse ? columns.size() - 1 - c : c], heights[c % 2 == 1 ? heights.size() - 1 - k : k],
                      k == 0, k + 1 == heights.size());
        }
        flight.lines = static_cast<int>(columns.size());
        flight.line_m = static_cast<double>(columns.size()) * (heights.back() - heights.front());
    } else {
        for (const double height : heights) {
            for (std::size_t c = 0; c < columns.size(); ++c)
                visit(columns[back ? columns.size() - 1 - c : c], height, c == 0, c + 1 == columns.size());
            back = !back;
        }
        flight.lines = static_cast<int>(heights.size());
        flight.line_m = run * static_cast<double>(heights.size());
    }
    flight.area_m2 = run * std::max(0.0, p.high_m - p.low_m);
    flight.distance_m = flownOver_m(flight.points);
    flight.photo_spacing_m = spacing;
    flight.line_spacing_m =
        heights.size() > 1 ? (heights.back() - heights.front()) / static_cast<double>(heights.size() - 1) : 0;
    flight.height_above_ground_m = p.stand_off_m;
    flight.gsd_least_m = flight.gsd_mean_m = flight.gsd_most_m = flight.footprint.gsd_m;
    return flight;
}

}  // namespace anhinga::patterns
