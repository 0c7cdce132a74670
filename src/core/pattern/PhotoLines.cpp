#include "core/pattern/PhotoLines.h"

#include <algorithm>
#include <cmath>

#include "core/geo/Polygon.h"
#include "core/pattern/Follow.h"
#include "core/pattern/Heights.h"
#include "core/pattern/Transit.h"

namespace anhinga {

namespace {

constexpr double kFenceMargin_m = 5;
constexpr double kStopDelay_s = 1;  // the aircraft is still when the photo is taken

double yawOf(Vec2 along) {
    const double deg = std::atan2(along.x, along.y) * 180 / M_PI;
    return deg < 0 ? deg + 360 : deg;
}

/// How much nearer ground comes within the reach of a photo, as far as it costs overlap: of a grid over the area what
/// most places keep to, on one side of the photo alone (so about half of it counts), and the tolerance of following.
/// At most half the height. That it is enough is shown by tests/core/CoverageTest.cpp.
double riseWithin(const Pattern& pattern, const Terrain& terrain, const Footprint& footprint, double height_m) {
    constexpr int kAcross = 40;  // samples along each side of the area's box
    constexpr double kCounted = 0.95, kCosts = 0.5;
    const LocalFrame frame(middleOf(pattern.outline));
    Vec2 low{INFINITY, INFINITY}, high{-INFINITY, -INFINITY};
    for (const Vec2& p : toLocal(frame, pattern.outline)) {
        low = {std::min(low.x, p.x), std::min(low.y, p.y)};
        high = {std::max(high.x, p.x), std::max(high.y, p.y)};
    }
    const double reach = (footprint.across_m + footprint.along_m) / 4;
    std::vector<double> rises;
    for (int i = 0; i < kAcross; ++i)
        for (int k = 0; k < kAcross; ++k) {
            const Vec2 at{low.x + (high.x - low.x) * (i + 0.5) / kAcross,
                          low.y + (high.y - low.y) * (k + 0.5) / kAcross};
            const auto ground = terrain.sample(frame.toGeo(at));
            if (!ground) continue;
            double rise = 0;
            for (int side = 0; side < 8; ++side) {
                const double angle = side * M_PI / 4;
                const auto there = terrain.sample(frame.toGeo(at + Vec2{std::sin(angle), std::cos(angle)} * reach));
                if (there) rise = std::max(rise, *there - *ground);
            }
            rises.push_back(rise);
        }
    if (rises.empty()) return 0;
    const auto counted = rises.begin() + static_cast<std::ptrdiff_t>(kCounted * static_cast<double>(rises.size() - 1));
    std::nth_element(rises.begin(), counted, rises.end());
    return std::min(kCosts * *counted + pattern.tolerance_m, height_m / 2);
}

class LineFlyer {
  public:
    LineFlyer(const Plan& plan, const Item& item, const Terrain* terrain, const LocalFrame& frame,
              const PhotoScale& scale, PatternFlight& flight)
        : plan_(plan),
          pattern_(*item.pattern),
          terrain_(terrain),
          frame_(frame),
          scale_(scale),
          flight_(flight),
          transit_(plan.fences, frame, kFenceMargin_m),
          height_(flightHeight(plan, item, scale.height_m)),
          home_amsl_(homeAmsl(plan, terrain)),
          speed_(effectiveSpeed(plan, item)) {
        // A triggered photo at the very end would be lost: the place counts as reached a little before, and the first
        // photo may have come a little late, where the climb to the line's height lagged.
        const bool triggered = pattern_.takesPhotos() && pattern_.when != PhotoWhen::standing;
        if (triggered)
            overrun_m_ = item.acceptance_m.value_or(plan.defaults.acceptance_m) + std::max(0.5, 0.35 * scale.along_m);
    }

    void run(const std::vector<PhotoLine>& lines) {
        layRoute(lines);
        if (vertices_.size() < 2 || (pattern_.follow && !followRoute())) return;
        std::size_t k = 0;
        put(vertices_[0], heightAt(0, 0));
        const auto flyTo = [&](std::size_t vertex) {
            for (; k < vertex; ++k) fly(k);
            return flight_.points.size() - 1;
        };
        for (const Run& run : runs_) {
            LineSpan span{flyTo(run.entry), 0, flight_.photos.size(), 0};
            flyTo(run.first);
            photoLine(run.first, run.last);
            if (!flight_.problem.empty()) return;
            k = run.last;
            span.photos = flight_.photos.size() - span.first_photo;
            span.last_point = flyTo(run.exit);
            flight_.spans.push_back(span);
        }
        auto& actions = flight_.points.front().actions;
        actions.insert(actions.begin(), GimbalPitch{pattern_.pitch_deg.value_or(-90)});
    }

  private:
    static Vec2 unit(Vec2 v) {
        const double l = length(v);
        return l > 0 ? v * (1 / l) : Vec2{0, 1};
    }

    /// All places of the flight on the plane, and from which to which of them photos are taken.
    void layRoute(const std::vector<PhotoLine>& lines) {
        const auto vertex = [&](Vec2 at) {
            if (vertices_.empty() || length(at - vertices_.back()) > 0.01) vertices_.push_back(at);
        };
        bool blocked = false;
        for (const PhotoLine& line : lines) {
            if (line.points.size() < 2) continue;
            const Vec2 begin = line.points.front(), end = line.points.back();
            const Vec2 in = unit(line.points[1] - begin), out = unit(end - line.points[line.points.size() - 2]);
            const Vec2 entry = begin - in * pattern_.lead_m;
            if (!vertices_.empty()) {
                const auto way = transit_.between(vertices_.back(), entry);
                blocked |= !way.has_value();
                if (way)
                    for (const Vec2& p : *way) vertex(p);
            }
            Run run;
            vertex(entry);
            run.entry = vertices_.size() - 1;
            vertex(begin);
            run.first = vertices_.size() - 1;
            for (std::size_t i = 1; i + 1 < line.points.size(); ++i) vertex(line.points[i]);
            vertex(end + out * overrun_m_);
            run.last = vertices_.size() - 1;
            if (pattern_.lead_m > overrun_m_) vertex(end + out * pattern_.lead_m);
            run.exit = vertices_.size() - 1;
            if (run.last > run.first) runs_.push_back(run);
        }
        if (blocked)
            flight_.notes.push_back(
                "there is no way between some lines that keeps to the fences: they lie outside or are closed off");
    }

    bool followRoute() {
        FollowedRoute route;
        route.unknown_ground = terrain_ == nullptr;
        if (terrain_ != nullptr)
            route = followGround(frame_, vertices_, *terrain_, std::clamp(terrain_->cell_m() / 8, 0.5, 5.0),
                                 {scale_.height_m, pattern_.tolerance_m, plan_.vehicle.climb_mps / speed_,
                                  plan_.vehicle.descent_mps / speed_});
        if (route.unknown_ground) {
            flight_.problem =
                "the ground beneath is not known everywhere: add elevation data, or fly without following";
            return false;
        }
        if (route.lifted_early)
            flight_.notes.push_back("ground is steeper than the vehicle climbs: it flies higher before such slopes");
        pieces_ = std::move(route.pieces);
        return true;
    }

    /// Height at a share of the way from vertex k to the next, or at the last vertex.
    Height heightAt(std::size_t k, double f) const {
        if (pieces_.empty()) return height_;
        const auto& piece = pieces_[std::min(k, pieces_.size() - 1)];
        if (k >= pieces_.size()) f = 1;
        const Vec2 from = piece.front().at, to = piece.back().at;
        const double run = length(to - from) * f;
        for (std::size_t i = 1; i < piece.size(); ++i) {
            const double a = length(piece[i - 1].at - from), b = length(piece[i].at - from);
            if (run > b && i + 1 < piece.size()) continue;
            const double share = b > a ? std::clamp((run - a) / (b - a), 0.0, 1.0) : 1;
            const double amsl = piece[i - 1].amsl_m + (piece[i].amsl_m - piece[i - 1].amsl_m) * share;
            return home_amsl_ ? Height::aboveHome(amsl - *home_amsl_) : Height::amsl(amsl);
        }
        return height_;
    }

    void put(Vec2 at, Height height) {
        if (!flight_.points.empty()) flight_.distance_m += length(at - last_);
        last_ = at;
        flight_.points.push_back({frame_.toGeo(at), height});
    }

    /// From vertex k to the next, by the points that following needs.
    void fly(std::size_t k) { flyUntil(k, 1); }
    void flyUntil(std::size_t k, double share) {
        const Vec2 from = vertices_[k], to = vertices_[k + 1];
        const double run = length(to - from);
        if (!pieces_.empty())
            for (std::size_t i = 1; i + 1 < pieces_[k].size(); ++i) {
                const Vec2 at = pieces_[k][i].at;
                const double f = length(at - from) / run;
                if (f > done_ + 1e-9 && f < share - 1e-9) put(at, heightAt(k, f));
            }
        const Vec2 at = from + (to - from) * share;
        if (length(at - last_) > 0.01) put(at, heightAt(k, share));
        done_ = share < 1 ? share : 0;
    }

    void photoLine(std::size_t first, std::size_t last) {
        ++flight_.lines;
        const bool photos = scale_.along_m > 0 && pattern_.takesPhotos();
        const bool stops = pattern_.stands();
        auto act = [&](const std::vector<Action>& actions) {
            auto& all = flight_.points.back().actions;
            all.insert(all.end(), actions.begin(), actions.end());
        };
        if (!stops) act(startPhotos(pattern_, scale_.along_m, speed_));
        double whole = -overrun_m_;
        for (std::size_t k = first; k < last; ++k) whole += length(vertices_[k + 1] - vertices_[k]);
        double before = 0, next = 0;
        for (std::size_t k = first; k < last; ++k) {
            const Vec2 from = vertices_[k], to = vertices_[k + 1];
            const double run = length(to - from);
            const bool ends = k + 1 == last;
            for (; photos && next <= std::min(before + run, whole) + (ends ? 1e-3 : 0); next += scale_.along_m) {
                const double f = std::clamp((next - before) / run, 0.0, 1.0);
                const Height height = heightAt(k, f);
                photo(from + (to - from) * f, height, yawOf(to - from));
                if (flight_.photos.size() > kMaxPhotos) {
                    flight_.problem = "more photos than can be planned: less overlap or a larger height is needed";
                    return;
                }
                if (!stops) continue;
                flyUntil(k, f);
                act({Delay{kStopDelay_s}, PhotoNow{}});
            }
            flyUntil(k, 1);
            before += run;
        }
        flight_.line_m += whole;
        if (!stops) act(endPhotos(pattern_));
    }

    void photo(Vec2 at, Height height, double yaw) {
        const GeoPoint place = frame_.toGeo(at);
        flight_.photos.push_back(
            {place, amslOf(plan_, terrain_, place, height), yaw, pattern_.pitch_deg.value_or(-90)});
    }

    const Plan& plan_;
    const Pattern& pattern_;
    const Terrain* terrain_;
    const LocalFrame& frame_;
    const PhotoScale& scale_;
    PatternFlight& flight_;
    Transit transit_;
    Height height_;
    std::optional<double> home_amsl_;
    double speed_;
    std::vector<Vec2> vertices_;
    /// A line among the vertices: with its straight way in and out, and from where to where photos are taken.
    struct Run {
        std::size_t entry = 0, first = 0, last = 0, exit = 0;
    };
    std::vector<Run> runs_;
    std::vector<std::vector<FollowPoint>> pieces_;  // between vertices, when terrain is followed
    Vec2 last_;
    double overrun_m_ = 0;
    double done_ = 0;  // share of the present leg that is flown
};

}  // namespace

double PhotoLine::length_m() const {
    double sum = 0;
    for (std::size_t k = 0; k + 1 < points.size(); ++k) sum += length(points[k + 1] - points[k]);
    return sum;
}

PhotoScale photoScale(const Plan& plan, const Item& item, const Terrain* terrain) {
    PhotoScale s;
    const Pattern& pattern = *item.pattern;
    const CameraProfile& c = plan.camera;
    if (!(c.sensor_w_mm > 0 && c.sensor_h_mm > 0 && c.focal_mm > 0 && c.px_across > 0 && c.px_along > 0)) {
        s.problem = "the camera has no sensor size, focal length or image size: choose a camera profile";
        return s;
    }
    if (!(pattern.overlap_percent >= 0 && pattern.overlap_percent < 100) ||
        !(pattern.sidelap_percent >= 0 && pattern.sidelap_percent < 100)) {
        s.problem = "overlap and sidelap must be at least 0 and below 100 %";
        return s;
    }
    s.height_m = heightAboveGround(plan, item, terrain);
    if (!(s.height_m > 0.5)) {
        s.problem = "its height is at or below the ground there";
        return s;
    }
    s.footprint = footprintAt(c, s.height_m);
    if (pattern.follow && terrain != nullptr) s.rise_m = riseWithin(pattern, *terrain, s.footprint, s.height_m);
    const double share = 1 - s.rise_m / s.height_m;
    s.across_m = s.footprint.across_m * share * (1 - pattern.sidelap_percent / 100);
    s.along_m = photosApart_m(plan, item).value_or(s.footprint.along_m * share * (1 - pattern.overlap_percent / 100));
    return s;
}

std::optional<double> photosApart_m(const Plan& plan, const Item& item) {
    const Pattern& p = *item.pattern;
    if (p.takesPhotos() && p.when == PhotoWhen::time && p.every_s > 0) return p.every_s * effectiveSpeed(plan, item);
    return p.spacing_m > 0 ? std::optional(p.spacing_m) : std::nullopt;
}

void flyLines(const Plan& plan, const Item& item, const Terrain* terrain, const LocalFrame& frame,
              const std::vector<PhotoLine>& lines, const PhotoScale& scale, PatternFlight& flight) {
    flight.height_above_ground_m = scale.height_m;
    flight.footprint = scale.footprint;
    flight.photo_spacing_m = scale.along_m;
    flight.line_spacing_m = scale.across_m;
    LineFlyer(plan, item, terrain, frame, scale, flight).run(lines);
    if (flight.problem.empty()) measureGsd(plan, terrain, flight);
}

std::vector<Action> startPhotos(const Pattern& pattern, double spacing_m, double speed_mps) {
    if (pattern.makes == CameraMakes::film) return {Video{true}};
    if (!pattern.takesPhotos() || pattern.stands()) return {};
    if (pattern.when == PhotoWhen::distance) return {PhotoEvery{spacing_m}};
    return {PhotoInterval{pattern.every_s > 0 ? pattern.every_s : spacing_m / std::max(0.1, speed_mps)}};
}

std::vector<Action> endPhotos(const Pattern& pattern) {
    if (pattern.makes == CameraMakes::film) return {Video{false}};
    if (!pattern.takesPhotos() || pattern.stands()) return {};
    if (pattern.when == PhotoWhen::distance) return {PhotoEvery{0}};
    return {PhotoInterval{0}};
}

void measureGsd(const Plan& plan, const Terrain* terrain, PatternFlight& flight) {
    const double pixel = plan.camera.sensor_w_mm / (plan.camera.focal_mm * plan.camera.px_across);
    double sum = 0;
    std::size_t n = 0;
    flight.gsd_least_m = INFINITY;
    flight.gsd_most_m = 0;
    for (const PlannedPhoto& photo : flight.photos) {
        const auto ground = terrain != nullptr ? terrain->sample(photo.place) : std::nullopt;
        if (!ground || !photo.amsl_m) continue;
        const double gsd = (*photo.amsl_m - *ground) * pixel;
        sum += gsd;
        ++n;
        flight.gsd_least_m = std::min(flight.gsd_least_m, gsd);
        flight.gsd_most_m = std::max(flight.gsd_most_m, gsd);
    }
    flight.gsd_mean_m = n > 0 ? sum / static_cast<double>(n) : flight.footprint.gsd_m;
    if (n == 0) flight.gsd_least_m = flight.gsd_most_m = flight.gsd_mean_m;
}

}  // namespace anhinga
