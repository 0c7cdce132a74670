#include "core/pattern/Follow.h"

#include <algorithm>
#include <cmath>
#include <span>

#include "core/base/Parallel.h"

namespace anhinga {

namespace {

struct Knot {
    std::size_t sample = 0;
    double amsl_m = 0;
};

/// One sample of the route: how far along it is, the height asked for there, and whether a piece must end at it.
struct Sample {
    Vec2 at;
    double along_m = 0, height_m = 0;
    bool vertex = false;
};

/// The fewest straight pieces that stay within the tolerance of the heights at every sample, by dynamic programming
/// over knots a few samples apart and at a few heights inside the tolerance; among equally few the nearest to them.
class FewestKnots {
  public:
    static constexpr double kLevels[] = {0, -0.32, 0.32, -0.64, 0.64, -0.93, 0.93};  // of the tolerance
    static constexpr std::size_t kLevelCount = std::size(kLevels), kStride = 8;
    static constexpr int kNever = 1 << 29;
    /// How a knot is best reached from the first sample.
    struct State {
        int pieces = kNever;
        double off = 0;  // summed deviation of the knots, to choose among equals
        std::size_t from = 0, from_level = 0;
    };

    FewestKnots(std::span<const Sample> samples, const FollowOptions& options) : samples_(samples), o_(options) {
        const std::size_t n = samples.size();
        node_of_.assign(n, n);
        for (std::size_t i = 0, since = 0; i < n; ++i, ++since)
            if (samples[i].vertex || since >= kStride || i + 1 == n) {
                node_of_[i] = nodes_.size();
                nodes_.push_back(i);
                since = 0;
            }
        best_.resize(nodes_.size() * kLevelCount);
        for (std::size_t level = 0; level < kLevelCount; ++level) best_[level] = {0, std::abs(kLevels[level]), 0, 0};
        for (std::size_t k = 0; k + 1 < nodes_.size(); ++k) lookAhead(k);
    }

    /// Of the last sample, at one of the levels.
    const State& end(std::size_t level) const { return best_[(nodes_.size() - 1) * kLevelCount + level]; }
    std::vector<Knot> knots(std::size_t level) const {
        std::vector<Knot> out;
        for (std::size_t k = nodes_.size() - 1;;) {
            out.push_back({nodes_[k], heightAt(k, level)});
            if (k == 0) break;
            const State& s = best_[k * kLevelCount + level];
            k = s.from;
            level = s.from_level;
        }
        std::reverse(out.begin(), out.end());
        return out;
    }

  private:
    double heightAt(std::size_t k, std::size_t level) const {
        return samples_[nodes_[k]].height_m + kLevels[level] * o_.tolerance_m;
    }

    /// From a knot all levels are looked ahead from at once: the cone of slopes that stay inside narrows sample by
    /// sample until nothing is left of it.
    void lookAhead(std::size_t k) {
        const double tolerance = 0.94 * o_.tolerance_m;  // between samples the ground bulges a little
        const std::size_t n = samples_.size();
        double base[kLevelCount], low[kLevelCount], high[kLevelCount];
        const double begin = samples_[nodes_[k]].along_m;
        for (std::size_t level = 0; level < kLevelCount; ++level) {
            base[level] = heightAt(k, level);
            // A little more than the limits, as the heights are at them.
            low[level] = -o_.descent_slope * 1.02 - 1e-6;
            high[level] = o_.climb_slope * 1.02 + 1e-6;
            if (best_[k * kLevelCount + level].pieces == kNever) high[level] = -INFINITY;
        }
        for (std::size_t i = nodes_[k] + 1; i < n; ++i) {
            const Sample& sample = samples_[i];
            const double per_run = 1 / std::max(1e-6, sample.along_m - begin);
            if (const std::size_t to = node_of_[i]; to < n)
                for (std::size_t level = 0; level < kLevelCount; ++level) {
                    if (low[level] > high[level]) continue;
                    const State& here = best_[k * kLevelCount + level];
                    for (std::size_t l = 0; l < kLevelCount; ++l) {
                        const double slope = (heightAt(to, l) - base[level]) * per_run;
                        if (slope < low[level] || slope > high[level]) continue;
                        State& there = best_[to * kLevelCount + l];
                        const double off = here.off + std::abs(kLevels[l]);
                        if (here.pieces + 1 < there.pieces || (here.pieces + 1 == there.pieces && off < there.off))
                            there = {here.pieces + 1, off, k, level};
                    }
                }
            if (sample.vertex) break;
            bool open = false;
            const double lowest = sample.height_m - tolerance, highest = sample.height_m + tolerance;
            for (std::size_t level = 0; level < kLevelCount; ++level) {
                low[level] = std::max(low[level], (lowest - base[level]) * per_run);
                high[level] = std::min(high[level], (highest - base[level]) * per_run);
                open |= low[level] <= high[level];
            }
            if (!open) break;
        }
    }

    std::span<const Sample> samples_;
    FollowOptions o_;
    std::vector<std::size_t> nodes_, node_of_;
    std::vector<State> best_;
};

/// Vertices, and of the samples between them those that are furthest off until none is by more than the tolerance
/// (Douglas & Peucker 1973, in distance-height space).
std::vector<Knot> knotsAtSamples(const std::vector<Sample>& samples, double tolerance_m) {
    std::vector<bool> kept(samples.size(), false);
    std::vector<std::pair<std::size_t, std::size_t>> open;
    std::size_t last = 0;
    for (std::size_t i = 0; i < samples.size(); ++i) {
        if (!samples[i].vertex && i + 1 < samples.size()) continue;
        kept[i] = true;
        if (i > last) open.emplace_back(last, i);
        last = i;
    }
    while (!open.empty()) {
        const auto [from, to] = open.back();
        open.pop_back();
        const double run = std::max(1e-9, samples[to].along_m - samples[from].along_m);
        double worst = tolerance_m;
        std::size_t at = from;
        for (std::size_t i = from + 1; i < to; ++i) {
            const double share = (samples[i].along_m - samples[from].along_m) / run;
            const double line = samples[from].height_m + (samples[to].height_m - samples[from].height_m) * share;
            if (const double off = std::abs(samples[i].height_m - line); off > worst) {
                worst = off;
                at = i;
            }
        }
        if (at == from) continue;
        kept[at] = true;
        open.emplace_back(from, at);
        open.emplace_back(at, to);
    }
    std::vector<Knot> knots;
    for (std::size_t i = 0; i < samples.size(); ++i)
        if (kept[i]) knots.push_back({i, samples[i].height_m});
    return knots;
}

std::vector<Knot> fewestKnots(const std::vector<Sample>& samples, const FollowOptions& o) {
    // A piece ends at every vertex: from the one in the middle both ways are looked for at once, the second from the
    // end back to it, and joined at the level where they are fewest together.
    constexpr std::size_t kWorthAThread = 4000;
    const std::size_t n = samples.size();
    std::size_t middle = n / 2;
    while (middle + 1 < n && !samples[middle].vertex) ++middle;
    std::optional<FewestKnots> to_middle, to_end;
    std::vector<Sample> backward(samples.rbegin(), samples.rend() - static_cast<std::ptrdiff_t>(middle));
    for (Sample& s : backward) s.along_m = samples.back().along_m - s.along_m;
    FollowOptions turned = o;
    std::swap(turned.climb_slope, turned.descent_slope);
    bothAtOnce(
        n > kWorthAThread, [&] { to_middle.emplace(std::span(samples).first(middle + 1), o); },
        [&] { to_end.emplace(backward, turned); });
    std::size_t level = 0;
    int fewest = FewestKnots::kNever;
    double off = 0;
    for (std::size_t l = 0; l < FewestKnots::kLevelCount; ++l) {
        const auto &a = to_middle->end(l), &b = to_end->end(l);
        if (a.pieces == FewestKnots::kNever || b.pieces == FewestKnots::kNever) continue;
        const double both = a.off + b.off - std::abs(FewestKnots::kLevels[l]);
        if (a.pieces + b.pieces > fewest || (a.pieces + b.pieces == fewest && both >= off)) continue;
        fewest = a.pieces + b.pieces;
        off = both;
        level = l;
    }
    std::vector<Knot> knots;
    if (fewest == FewestKnots::kNever) {
        // Steeper between two knots than the tolerance is wide: samples themselves are the knots then.
        return knotsAtSamples(samples, o.tolerance_m);
    }
    knots = to_middle->knots(level);
    const auto rest = to_end->knots(level);
    for (auto k = rest.rbegin() + 1; k < rest.rend(); ++k) knots.push_back({n - 1 - k->sample, k->amsl_m});
    return knots;
}

/// Samples of the route with their heights; nothing where ground is unknown.
std::optional<std::vector<Sample>> sampled(const LocalFrame& frame, const std::vector<Vec2>& vertices,
                                           const Terrain& terrain, double sample_m, const FollowOptions& o) {
    std::vector<Sample> out;
    double whole = 0;
    for (std::size_t v = 0; v + 1 < vertices.size(); ++v) whole += length(vertices[v + 1] - vertices[v]);
    const double rise_per_m = whole > 0 ? o.rise_m / whole : 0;
    const auto add = [&](Vec2 at, GeoPoint place, double along, bool vertex) {
        const auto ground = terrain.sample(place);
        if (ground) out.push_back({at, along, *ground + o.height_m + rise_per_m * along, vertex});
        return ground.has_value();
    };
    double along = 0;
    if (!add(vertices.front(), frame.toGeo(vertices.front()), 0, true)) return std::nullopt;
    for (std::size_t v = 0; v + 1 < vertices.size(); ++v) {
        const Vec2 from = vertices[v], to = vertices[v + 1];
        const double run = length(to - from);
        const auto n = std::max<std::size_t>(1, static_cast<std::size_t>(std::ceil(run / std::max(0.5, sample_m))));
        const GeoPoint a = frame.toGeo(from), b = frame.toGeo(to);
        // Over a few kilometres degrees run straight to well below a cell; the plane's own way back is slow.
        const bool plain = run < 3000 && std::abs(a.lat_deg) < 85 && std::abs(a.lon_deg - b.lon_deg) < 1;
        for (std::size_t i = 1; i <= n; ++i) {
            const double f = static_cast<double>(i) / static_cast<double>(n);
            const Vec2 at = from + (to - from) * f;
            const GeoPoint place =
                plain ? GeoPoint{a.lat_deg + (b.lat_deg - a.lat_deg) * f, a.lon_deg + (b.lon_deg - a.lon_deg) * f}
                      : frame.toGeo(at);
            if (!add(at, place, along + run * f, i == n)) return std::nullopt;
        }
        along += run;
    }
    return out;
}

}  // namespace

FollowedRoute followGround(const LocalFrame& frame, const std::vector<Vec2>& vertices, const Terrain& terrain,
                           double sample_m, const FollowOptions& o) {
    FollowedRoute route;
    if (vertices.size() < 2) return route;
    auto samples = sampled(frame, vertices, terrain, sample_m, o);
    if (!samples) {
        route.unknown_ground = true;
        return route;
    }
    constexpr double kLifted_m = 0.05;
    for (std::size_t i = samples->size(); i-- > 1;) {
        Sample &a = (*samples)[i - 1], &b = (*samples)[i];
        const double least = b.height_m - o.climb_slope * (b.along_m - a.along_m);
        route.lifted_early |= a.height_m < least - kLifted_m;
        a.height_m = std::max(a.height_m, least);
    }
    for (std::size_t i = 1; i < samples->size(); ++i) {
        Sample &a = (*samples)[i - 1], &b = (*samples)[i];
        const double least = a.height_m - o.descent_slope * (b.along_m - a.along_m);
        route.lifted_early |= b.height_m < least - kLifted_m;
        b.height_m = std::max(b.height_m, least);
    }
    for (const Knot& k : fewestKnots(*samples, o)) {
        const Sample& s = (*samples)[k.sample];
        if (!route.pieces.empty()) route.pieces.back().push_back({s.at, k.amsl_m});
        if (s.vertex && k.sample + 1 < samples->size()) route.pieces.push_back({{s.at, k.amsl_m}});
    }
    return route;
}

}  // namespace anhinga
