#include "core/pattern/Coverage.h"

#include "core/pattern/Around.h"
#include "core/pattern/Heights.h"

#include <algorithm>
#include <array>
#include <cmath>

namespace anhinga {

namespace {

struct Vec3 {
    double x = 0, y = 0, z = 0;
};
double dot(const Vec3& a, const Vec3& b) {
    return a.x * b.x + a.y * b.y + a.z * b.z;
}

/// A photo on the plane: where it is, where it looks, and half its angles as tangents.
struct View {
    Vec3 place, ahead, right, up;
    double tan_across = 0, tan_along = 0;
};

View viewOf(const PlannedPhoto& photo, const CameraProfile& camera, const LocalFrame& frame) {
    const Vec2 at = frame.toLocal(photo.place);
    const double yaw = photo.yaw_deg * M_PI / 180, pitch = photo.pitch_deg * M_PI / 180;
    View v;
    v.place = {at.x, at.y, photo.amsl_m.value_or(0)};
    v.ahead = {std::cos(pitch) * std::sin(yaw), std::cos(pitch) * std::cos(yaw), std::sin(pitch)};
    v.right = {std::cos(yaw), -std::sin(yaw), 0};
    v.up = {-std::sin(pitch) * std::sin(yaw), -std::sin(pitch) * std::cos(yaw), std::cos(pitch)};
    const double w = camera.sensor_w_mm / (2 * camera.focal_mm), h = camera.sensor_h_mm / (2 * camera.focal_mm);
    v.tan_across = camera.portrait ? h : w;
    v.tan_along = camera.portrait ? w : h;
    return v;
}

Vec3 cornerRay(const View& v, int corner) {
    const double a = (corner == 1 || corner == 2 ? 1 : -1) * v.tan_across, b = (corner < 2 ? 1 : -1) * v.tan_along;
    const Vec3 r{v.ahead.x + v.right.x * a + v.up.x * b, v.ahead.y + v.right.y * a + v.up.y * b,
                 v.ahead.z + v.right.z * a + v.up.z * b};
    const double l = std::sqrt(dot(r, r));
    return {r.x / l, r.y / l, r.z / l};
}

/// How far along a ray the height `z` is reached, at most `range`.
double reach(const View& v, const Vec3& ray, double z, double range) {
    if (ray.z > -1e-6) return range;
    return std::min(range, (z - v.place.z) / ray.z);
}

/// A PhotoArea on the plane of a frame.
class Ground {
  public:
    Ground(const PhotoArea& area, const LocalFrame& frame) : half_(area.half_m), offset_(area.offset_m) {
        for (const auto& ring : area.rings) rings_.emplace_back(toLocal(frame, ring));
        if (rings_.empty()) line_ = toLocal(frame, area.line);
        const double reach = rings_.empty() ? half_ + std::abs(offset_) : 0;
        for (const Vec2& p : rings_.empty() ? line_ : rings_.front().ring()) {
            low_ = {std::min(low_.x, p.x - reach), std::min(low_.y, p.y - reach)};
            high_ = {std::max(high_.x, p.x + reach), std::max(high_.y, p.y + reach)};
        }
    }
    Vec2 low() const { return low_; }
    Vec2 high() const { return high_; }
    bool contains(Vec2 at) const {
        bool in = false;
        for (const RingIndex& ring : rings_) in ^= ring.contains(at);
        return rings_.empty() ? besideLine(at) : in;
    }

  private:
    bool besideLine(Vec2 at) const {
        double nearest = INFINITY, right = 0;
        bool beyond = false;
        for (std::size_t k = 0; k + 1 < line_.size(); ++k) {
            const Vec2 a = line_[k], along = line_[k + 1] - a;
            const double run = length(along);
            if (run <= 0) continue;
            const double share = dot(at - a, along) / (run * run);
            const Vec2 off = at - (a + along * std::clamp(share, 0.0, 1.0));
            if (length(off) >= nearest) continue;
            nearest = length(off);
            right = dot(off, Vec2{along.y, -along.x}) >= 0 ? nearest : -nearest;
            beyond = (k == 0 && share < 0) || (k + 2 == line_.size() && share > 1);
        }
        return !beyond && std::abs(right - offset_) <= half_;
    }

    double half_, offset_;
    std::vector<RingIndex> rings_;
    std::vector<Vec2> line_;
    Vec2 low_{INFINITY, INFINITY}, high_{-INFINITY, -INFINITY};
};

}  // namespace

double Coverage::shareBelow(int n) const {
    std::size_t few = 0, all = 0;
    for (std::size_t i = 0; i < inside.size(); ++i) {
        if (inside[i] == 0 || known[i] == 0) continue;
        ++all;
        few += seen[i] < n;
    }
    return all > 0 ? static_cast<double>(few) / static_cast<double>(all) : 0;
}

double Coverage::shareUnknown() const {
    std::size_t unknown = 0;
    for (std::size_t i = 0; i < inside.size(); ++i) unknown += inside[i] != 0 && known[i] == 0;
    const std::size_t all = cellsInside();
    return all > 0 ? static_cast<double>(unknown) / static_cast<double>(all) : 0;
}

std::size_t Coverage::cellsInside() const {
    return static_cast<std::size_t>(std::count(inside.begin(), inside.end(), 1));
}

std::vector<Coverage::Gap> Coverage::gaps(int n, std::size_t most) const {
    std::vector<std::uint8_t> done(seen.size(), 0);
    std::vector<Gap> found;
    std::vector<std::pair<int, int>> open;
    const auto few = [&](int c, int r) {
        return c >= 0 && r >= 0 && c < columns && r < rows && inside[at(c, r)] != 0 && done[at(c, r)] == 0 &&
               seen[at(c, r)] < n && known[at(c, r)] != 0;
    };
    for (int row = 0; row < rows; ++row)
        for (int column = 0; column < columns; ++column) {
            if (!few(column, row)) continue;
            Vec2 sum;
            double cells = 0;
            open.assign(1, {column, row});
            done[at(column, row)] = 1;
            while (!open.empty()) {
                const auto [c, r] = open.back();
                open.pop_back();
                sum = sum + middle(c, r);
                ++cells;
                for (const auto& [dc, dr] : {std::pair{1, 0}, {-1, 0}, {0, 1}, {0, -1}})
                    if (few(c + dc, r + dr)) {
                        done[at(c + dc, r + dr)] = 1;
                        open.emplace_back(c + dc, r + dr);
                    }
            }
            found.push_back({frame.toGeo(sum * (1 / cells)), cells * cell_m * cell_m});
        }
    std::sort(found.begin(), found.end(), [](const Gap& a, const Gap& b) { return a.area_m2 > b.area_m2; });
    if (found.size() > most) found.resize(most);
    return found;
}

Coverage coverageOf(const std::vector<PlannedPhoto>& photos, const CameraProfile& camera, const Terrain* terrain,
                    double level_amsl_m, const PhotoArea& area, const CoverageOptions& o) {
    constexpr double kMostCells = 16e6;
    Coverage out;
    if (area.rings.empty() ? area.line.size() < 2 : area.rings.front().size() < 3) return out;
    out.frame = LocalFrame(middleOf(area.rings.empty() ? area.line : area.rings.front()));
    const Ground inside(area, out.frame);
    const Vec2 low = inside.low(), high = inside.high();
    const double width = high.x - low.x, height = high.y - low.y;
    out.cell_m = std::max({0.05, o.cell_m, std::sqrt(width * height / kMostCells)});
    out.corner = low;
    out.columns = std::max(1, static_cast<int>(std::ceil(width / out.cell_m)));
    out.rows = std::max(1, static_cast<int>(std::ceil(height / out.cell_m)));
    const std::size_t n = static_cast<std::size_t>(out.columns) * static_cast<std::size_t>(out.rows);
    out.seen.assign(n, 0);
    out.inside.assign(n, 0);
    out.known.assign(n, 1);
    std::vector<float> ground(n, static_cast<float>(level_amsl_m));
    float lowest = INFINITY;
    const auto cancelled = [&] {
        if (!o.stop.stop_requested()) return false;
        out.columns = out.rows = 0;
        out.seen.clear();
        out.inside.clear();
        out.known.clear();
        return true;
    };
    for (int r = 0; r < out.rows; ++r) {
        if (cancelled()) return out;
        for (int c = 0; c < out.columns; ++c) {
            const Vec2 at = out.middle(c, r);
            const bool in = inside.contains(at);
            const std::size_t i = out.at(c, r);
            out.inside[i] = in;
            if (!in) continue;
            if (terrain != nullptr) {
                const auto g = terrain->sample(out.frame.toGeo(at));
                out.known[i] = g.has_value();
                if (g) ground[i] = static_cast<float>(*g);
            }
            if (out.known[i] != 0) lowest = std::min(lowest, ground[i]);
        }
    }
    for (std::size_t k = 0; k < photos.size(); ++k) {
        if (k % 256 == 0) {
            if (cancelled()) return out;
            if (o.progress) o.progress(static_cast<double>(k) / static_cast<double>(photos.size()));
        }
        if (!photos[k].amsl_m && terrain != nullptr) continue;
        const View v = viewOf(photos[k], camera, out.frame);
        // No cell that is seen lies outside of what the corners see of the lowest ground.
        Vec2 from{v.place.x, v.place.y}, to = from;
        for (int corner = 0; corner < 4; ++corner) {
            const Vec3 ray = cornerRay(v, corner);
            const double run = reach(v, ray, lowest, o.range_m);
            const Vec2 at{v.place.x + ray.x * run, v.place.y + ray.y * run};
            from = {std::min(from.x, at.x), std::min(from.y, at.y)};
            to = {std::max(to.x, at.x), std::max(to.y, at.y)};
        }
        const auto index = [&](double x, double origin, int most) {
            return static_cast<int>(std::clamp(std::floor((x - origin) / out.cell_m), 0.0, static_cast<double>(most)));
        };
        const int c0 = index(from.x, out.corner.x, out.columns), c1 = index(to.x, out.corner.x, out.columns - 1);
        const int r0 = index(from.y, out.corner.y, out.rows), r1 = index(to.y, out.corner.y, out.rows - 1);
        for (int r = r0; r <= r1; ++r)
            for (int c = c0; c <= c1; ++c) {
                const std::size_t i = out.at(c, r);
                if (out.inside[i] == 0 || out.known[i] == 0) continue;
                const Vec2 at = out.middle(c, r);
                const Vec3 d{at.x - v.place.x, at.y - v.place.y, ground[i] - v.place.z};
                const double depth = dot(d, v.ahead);
                if (depth <= 0 || std::abs(dot(d, v.right)) > depth * v.tan_across ||
                    std::abs(dot(d, v.up)) > depth * v.tan_along || dot(d, d) > o.range_m * o.range_m)
                    continue;
                if (out.seen[i] < 65535) ++out.seen[i];
            }
    }
    if (o.progress) o.progress(1);
    return out;
}

std::vector<GeoPoint> photoOnGround(const PlannedPhoto& photo, const CameraProfile& camera, const Terrain* terrain,
                                    double level_amsl_m, double range_m) {
    const LocalFrame frame(photo.place);
    const View v = viewOf(photo, camera, frame);
    std::vector<GeoPoint> out;
    for (int corner = 0; corner < 4; ++corner) {
        const Vec3 ray = cornerRay(v, corner);
        double run = reach(v, ray, level_amsl_m, range_m);
        if (terrain != nullptr) {
            // Step along the ray until it is below the ground, then halve the step.
            const double step = std::max(1.0, terrain->cell_m() / 2);
            const auto above = [&](double s) {
                const auto g = terrain->sample(frame.toGeo({v.place.x + ray.x * s, v.place.y + ray.y * s}));
                return !g || v.place.z + ray.z * s > *g;
            };
            run = range_m;
            for (double s = step; s <= range_m; s += step) {
                if (above(s)) continue;
                double lo = s - step, hi = s;
                for (int i = 0; i < 12; ++i) (above((lo + hi) / 2) ? lo : hi) = (lo + hi) / 2;
                run = (lo + hi) / 2;
                break;
            }
        }
        out.push_back(frame.toGeo({v.place.x + ray.x * run, v.place.y + ray.y * run}));
    }
    return out;
}

PhotoArea photoAreaOf(const Item& item) {
    const Pattern& p = *item.pattern;
    if (item.kind == ItemKind::block) {
        PhotoArea area{{p.outline}, {}, 0, 0};
        area.rings.insert(area.rings.end(), p.holes.begin(), p.holes.end());
        return area;
    }
    if (item.kind == ItemKind::corridor) return {{}, p.outline, p.width_m / 2, p.offset_m};
    if (item.kind == ItemKind::lap) return {{p.outline}, {}, 0, 0};
    if (item.kind == ItemKind::rings && !p.outline.empty()) {
        constexpr int kCorners = 72;
        const auto rings = static_cast<double>(levels(p.low_m, p.high_m, p.step_up_m).size());
        const double widest = std::max(p.radius_m, p.radius_m + p.radius_step_m * (rings - 1));
        return {{circleOutline(p.outline.front(), widest, kCorners)}, {}, 0, 0};
    }
    return {};
}

bool coversGround(ItemKind kind) {
    return kind == ItemKind::block || kind == ItemKind::corridor;
}

std::optional<std::vector<PatternCoverPtr>> countCovers(const Plan& plan, const std::vector<OpenedPattern>& patterns,
                                                        const Terrain* terrain, const std::stop_token& stop,
                                                        const std::vector<PatternCoverPtr>& before,
                                                        const std::function<void(double)>& progress) {
    constexpr double kCellsAlong = 20, kMostCells = 400e3;
    std::vector<PatternCoverPtr> out;
    for (const OpenedPattern& opened : patterns) {
        const PhotoArea area = photoAreaOf(opened.item);
        if (opened.flight->photos.empty() || area.empty()) continue;
        const auto known = std::find_if(before.begin(), before.end(), [&](const PatternCoverPtr& c) {
            return c->item == opened.item.id && c->flight == opened.flight;
        });
        if (known != before.end()) {
            out.push_back(*known);
            continue;
        }
        auto counted = std::make_shared<PatternCover>();
        counted->item = opened.item.id;
        counted->flight = opened.flight;
        counted->promised = promisedPhotos(opened.item);
        counted->wanted = coversGround(opened.item.kind);
        CoverageOptions options;
        options.stop = stop;
        options.progress = progress;
        options.cell_m = std::max(
            {1.0, opened.flight->footprint.along_m / kCellsAlong, std::sqrt(opened.flight->area_m2 / kMostCells)});
        // Without terrain the ground is level: at what the height was taken above, or as high as home.
        const auto first = opened.flight->photos.front().amsl_m;
        const double level = counted->wanted && first ? *first - opened.flight->height_above_ground_m
                                                      : homeAmsl(plan, terrain).value_or(0);
        const Terrain* ground = terrain == nullptr || terrain->empty() ? nullptr : terrain;
        counted->cover = coverageOf(opened.flight->photos, plan.camera, ground, level, area, options);
        if (stop.stop_requested()) return std::nullopt;
        out.push_back(std::move(counted));
    }
    return out;
}

int promisedPhotos(const Item& item) {
    constexpr int kSights = 3;
    if (!coversGround(item.kind)) return kSights;
    const Pattern& p = *item.pattern;
    const auto times = [](double percent) {
        return std::max(1, static_cast<int>(std::floor(1 / (1 - std::clamp(percent, 0.0, 99.0) / 100) + 1e-9)));
    };
    return times(p.overlap_percent) * times(p.sidelap_percent);
}

}  // namespace anhinga
