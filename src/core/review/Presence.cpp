#include "core/review/Presence.h"

#include <algorithm>
#include <cmath>

#include "core/geo/Polygon.h"

namespace anhinga {

namespace {

/// The place in its own plane.
class Ground {
  public:
    explicit Ground(const PresencePlace& place)
        : frame_(place.outline.empty() ? place.centre : place.outline.front()), radius_m_(place.radius_m) {
        if (!place.outline.empty()) outline_ = toLocal(frame_, place.outline);
        for (const auto& hole : place.holes) holes_.push_back(toLocal(frame_, hole));
    }
    Vec2 local(GeoPoint p) const { return frame_.toLocal(p); }
    bool inside(Vec2 p) const {
        if (outline_.empty()) return length(p) <= radius_m_;
        return contains(outline_, p) &&
               std::none_of(holes_.begin(), holes_.end(), [&](const Ring& h) { return contains(h, p); });
    }
    /// To its edge from outside; 0 inside.
    double distance(Vec2 p) const {
        if (inside(p)) return 0;
        if (outline_.empty()) return length(p) - radius_m_;
        double d = distanceToRing(p, outline_);
        for (const Ring& h : holes_) d = std::min(d, distanceToRing(p, h));
        return d;
    }

  private:
    LocalFrame frame_;
    double radius_m_;
    Ring outline_;
    std::vector<Ring> holes_;
};

struct Fix {
    double t_s;
    Vec2 at;
};

}  // namespace

Result<Presence> presence(const FlightLog& log, const PresencePlace& place, double gap_s, double fastest_mps) {
    const Channel* lat = log.find("position.lat_deg");
    const Channel* lon = log.find("position.lon_deg");
    const Channel* height = log.find("position.height_home_m");
    if (lat == nullptr || lon == nullptr || lat->t_s.empty()) return fail("the log has no positions");
    const Ground ground(place);
    std::vector<Fix> fixes;
    for (std::size_t i = 0; i < lat->t_s.size(); ++i) {
        const auto there = lon->at(lat->t_s[i]);
        if (!there) continue;
        const GeoPoint g{lat->value[i], *there};
        if (isValid(g)) fixes.push_back({lat->t_s[i], ground.local(g)});
    }
    if (fixes.empty()) return fail("the log has no positions that can be");

    Presence out;
    out.nearest_m = INFINITY;
    std::vector<double> steps;
    const auto look = [&](double t, Vec2 p) {
        const double d = ground.distance(p);
        if (d >= out.nearest_m) return;
        out.nearest_m = d;
        out.nearest_t_s = t;
    };
    bool in = ground.inside(fixes.front().at);
    look(fixes.front().t_s, fixes.front().at);
    if (in) out.visits.push_back({fixes.front().t_s, fixes.front().t_s, true, false, 0, 0});
    for (std::size_t i = 1; i < fixes.size(); ++i) {
        const Fix &a = fixes[i - 1], &b = fixes[i];
        const double dt = b.t_s - a.t_s;
        if (dt > 0) steps.push_back(dt);
        if (dt > gap_s) {
            // Where it was meanwhile is not known: was there time to be inside and come here?
            const double least = ground.distance(a.at) + ground.distance(b.at);
            if (least <= fastest_mps * dt) out.unknown.push_back({a.t_s, b.t_s});
            if (in) {
                out.visits.back().leave_s = a.t_s;
                out.visits.back().to_end = true;
            }
            in = ground.inside(b.at);
            look(b.t_s, b.at);
            if (in) out.visits.push_back({b.t_s, b.t_s, true, false, 0, 0});
            continue;
        }
        // Along the straight way between two positions, by steps of at most a metre, halved at an edge.
        const int n = std::clamp(static_cast<int>(std::ceil(length(b.at - a.at))), 1, 2000);
        for (int k = 1; k <= n; ++k) {
            const double f = static_cast<double>(k) / n;
            const Vec2 p = a.at + (b.at - a.at) * f;
            look(a.t_s + dt * f, p);
            if (ground.inside(p) == in) continue;
            double before = static_cast<double>(k - 1) / n, after = f;
            for (int h = 0; h < 20; ++h) {
                const double middle = (before + after) / 2;
                (ground.inside(a.at + (b.at - a.at) * middle) == in ? before : after) = middle;
            }
            const double t = a.t_s + dt * after;
            in = !in;
            if (in)
                out.visits.push_back({t, t, false, false, 0, 0});
            else
                out.visits.back().leave_s = t;
        }
    }
    if (in) {
        out.visits.back().leave_s = fixes.back().t_s;
        out.visits.back().to_end = true;
    }
    out.entered = !out.visits.empty();
    for (PresenceVisit& v : out.visits) {
        out.inside_s += v.leave_s - v.enter_s;
        if (height == nullptr) continue;
        v.lowest_m = INFINITY;
        v.highest_m = -INFINITY;
        const auto take = [&](std::optional<double> h) {
            if (!h) return;
            v.lowest_m = std::min(v.lowest_m, *h);
            v.highest_m = std::max(v.highest_m, *h);
        };
        take(height->at(v.enter_s));
        take(height->at(v.leave_s));
        for (std::size_t i = 0; i < height->t_s.size(); ++i)
            if (height->t_s[i] >= v.enter_s && height->t_s[i] <= v.leave_s) take(height->value[i]);
        if (v.lowest_m > v.highest_m) v.lowest_m = v.highest_m = 0;
    }
    if (out.entered) {
        out.nearest_m = 0;
        out.nearest_t_s = out.visits.front().enter_s;
    }
    if (height != nullptr) out.height_home_m = height->at(out.nearest_t_s);
    if (!steps.empty()) {
        std::nth_element(steps.begin(), steps.begin() + static_cast<std::ptrdiff_t>(steps.size() / 2), steps.end());
        out.position_every_s = steps[steps.size() / 2];
    }
    return out;
}

}  // namespace anhinga
