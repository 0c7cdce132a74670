#include "core/check/Clearance.h"

#include <algorithm>

namespace anhinga {

namespace {

constexpr double kMaxSamples = 200000;
constexpr double kPlainRun_m = 1000;  // below, latitude and longitude are linear along a line within 2 cm

class Sampler {
  public:
    Sampler(const Path& path, const Terrain* terrain, const std::vector<Obstacle>& obstacles)
        : path_(path), terrain_(terrain), field_(obstacles, terrain, path.frame) {
        const double total = path.line.empty() ? 0 : path.line.back().along_m;
        cell_ = terrain != nullptr ? terrain->cell_m() : 30;
        step_ = std::max(cell_, total / kMaxSamples);
    }

    LegClearance leg(std::size_t k, std::vector<ProfileSample>& out) {
        const PathLeg& leg = path_.legs[k];
        found_ = {};
        found_.where = found_.unknown_at = path_.points[leg.to].position;
        found_.has_unknown = step_ > cell_;
        for (std::size_t i = leg.line_from; i < leg.line_to; ++i) {
            if (i == leg.line_from)
                take(path_.line[i], path_.line[i], 0, k, out);
            else
                segment(path_.line[i - 1], path_.line[i], k, out);
        }
        return found_;
    }

    /// About how many samples there will be.
    std::size_t expected() const {
        const double total = path_.line.empty() ? 0 : path_.line.back().along_m;
        return static_cast<std::size_t>(total / step_) + path_.line.size() * 2 + 16;
    }

  private:
    void segment(const LinePoint& a, const LinePoint& b, std::size_t k, std::vector<ProfileSample>& out) {
        const double run = length(b.local - a.local);
        const int n = std::max(1, static_cast<int>(std::ceil(run / step_)));
        shares_.clear();
        if (!field_.empty() && run > 0) field_.criticalAlong(a.local, b.local, shares_);
        const bool extra = !shares_.empty();
        for (int i = 1; i <= n; ++i) shares_.push_back(static_cast<double>(i) / n);
        if (extra) std::sort(shares_.begin(), shares_.end());
        for (const double f : shares_) take(a, b, f, k, out);
    }

    void take(const LinePoint& a, const LinePoint& b, double f, std::size_t k, std::vector<ProfileSample>& out) {
        const Vec2 local = a.local + (b.local - a.local) * f;
        const bool plain = std::abs(b.local.x - a.local.x) + std::abs(b.local.y - a.local.y) < kPlainRun_m &&
                           std::abs(b.position.lon_deg - a.position.lon_deg) < 1;
        ProfileSample s{.along_m = a.along_m + (b.along_m - a.along_m) * f,
                        .place = f == 0   ? a.position
                                 : f == 1 ? b.position
                                 : plain  ? GeoPoint{a.position.lat_deg + (b.position.lat_deg - a.position.lat_deg) * f,
                                                    a.position.lon_deg + (b.position.lon_deg - a.position.lon_deg) * f}
                                          : path_.frame.toGeo(local),
                        .leg = k};
        if (a.amsl_m && b.amsl_m) s.amsl_m = *a.amsl_m + (*b.amsl_m - *a.amsl_m) * f;
        if (terrain_ != nullptr) s.ground_m = terrain_->sample(s.place);
        if (!field_.empty())
            if (const auto top = field_.at(local)) {
                s.obstacle = top->id;
                s.obstacle_m = top->top_amsl_m;
                s.obstacle_unknown = !top->top_amsl_m;
            }
        const auto clear = s.clearance();
        if (!clear) {
            if (!found_.has_unknown) found_.unknown_at = s.place;
            found_.has_unknown = true;
        } else if (!found_.lowest_m || *clear < *found_.lowest_m) {
            found_.lowest_m = clear;
            found_.where = s.place;
            found_.under_m = *s.amsl_m - *clear;
            found_.obstacle = s.obstacle_m && *s.obstacle_m > *s.ground_m ? s.obstacle : 0;
        }
        out.push_back(s);
    }

    const Path& path_;
    const Terrain* terrain_;
    ObstacleField field_;
    double cell_ = 30, step_ = 30;
    LegClearance found_;
    std::vector<double> shares_;
};

/// Finds legs of an earlier path that are flown along the same line, and their samples.
class Earlier {
  public:
    explicit Earlier(const ClearanceBefore& before) : before_(before) {
        const auto& legs = before.path.legs;
        first_.resize(legs.size(), {nullptr, 0});
        for (const auto* list : {&before.clearance.profile, &before.clearance.repeats})
            for (std::size_t i = 0; i < list->size(); ++i) {
                auto& run = first_[(*list)[i].leg];
                if (run.second++ == 0) run.first = &(*list)[i];
            }
    }
    bool usable(const Path& path) const {
        return before_.path.frame.origin() == path.frame.origin() &&
               before_.clearance.legs.size() == before_.path.legs.size();
    }

    /// The samples of a leg like `leg` of `path`; nothing when there is none. Legs keep their order mostly: the search
    /// goes on from where the last one was found.
    std::optional<std::size_t> find(const Path& path, const PathLeg& leg) {
        constexpr std::size_t kAhead = 4;
        const auto& legs = before_.path.legs;
        for (std::size_t k = next_; k < std::min(legs.size(), next_ + kAhead); ++k)
            if (sameLine(path, leg, legs[k])) {
                next_ = k + 1;
                return k;
            }
        if (next_ < legs.size()) ++next_;
        return std::nullopt;
    }
    std::pair<const ProfileSample*, std::size_t> samples(std::size_t leg) const { return first_[leg]; }
    const LegClearance& leg(std::size_t k) const { return before_.clearance.legs[k]; }
    double startAlong(std::size_t k) const { return before_.path.line[before_.path.legs[k].line_from].along_m; }

  private:
    bool sameLine(const Path& path, const PathLeg& a, const PathLeg& b) const {
        if (a.line_to - a.line_from != b.line_to - b.line_from || a.climb != b.climb || a.repeat != b.repeat)
            return false;
        for (std::size_t i = 0; i < a.line_to - a.line_from; ++i) {
            const LinePoint &p = path.line[a.line_from + i], &q = before_.path.line[b.line_from + i];
            if (!(p.position == q.position) || p.amsl_m != q.amsl_m) return false;
        }
        return true;
    }

    const ClearanceBefore& before_;
    std::vector<std::pair<const ProfileSample*, std::size_t>> first_;
    std::size_t next_ = 0;
};

Clearance compute(const Path& path, const Terrain* terrain, const std::vector<Obstacle>& obstacles, Earlier* earlier) {
    Clearance result;
    Sampler sampler(path, terrain, obstacles);
    result.legs.reserve(path.legs.size());
    result.profile.reserve(sampler.expected());
    for (std::size_t k = 0; k < path.legs.size(); ++k) {
        const PathLeg& leg = path.legs[k];
        auto& to = leg.repeat ? result.repeats : result.profile;
        LegClearance found;
        const auto same = earlier != nullptr ? earlier->find(path, leg) : std::nullopt;
        if (same) {
            found = earlier->leg(*same);
            const auto [samples, n] = earlier->samples(*same);
            const double shift = path.line[leg.line_from].along_m - earlier->startAlong(*same);
            const std::size_t begin = to.size();
            to.insert(to.end(), samples, samples + n);
            for (std::size_t i = begin; i < to.size(); ++i) {
                to[i].along_m += shift;
                to[i].leg = k;
            }
        } else {
            found = sampler.leg(k, to);
        }
        if (!leg.climb) {
            result.has_unknown |= found.has_unknown;
            if (found.lowest_m && (!result.lowest_m || *found.lowest_m < *result.lowest_m)) {
                result.lowest_m = found.lowest_m;
                result.lowest_leg = k;
            }
        }
        result.legs.push_back(found);
    }
    return result;
}

}  // namespace

Clearance clearanceOf(const Path& path, const Terrain* terrain, const std::vector<Obstacle>& obstacles) {
    return compute(path, terrain, obstacles, nullptr);
}

Clearance clearanceOf(const Path& path, const Terrain* terrain, const std::vector<Obstacle>& obstacles,
                      const ClearanceBefore& before) {
    Earlier earlier(before);
    return compute(path, terrain, obstacles, earlier.usable(path) ? &earlier : nullptr);
}

}  // namespace anhinga
