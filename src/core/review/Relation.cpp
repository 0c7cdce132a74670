#include "core/review/Relation.h"

#include <algorithm>
#include <cmath>

#include "core/geo/Geo.h"
#include "core/review/health/Question.h"

namespace anhinga {

Result<Relation> relationOf(const FlightLog& log, const Channel& x, const Channel& y, Stretch stretch, bool steady_only,
                            std::size_t most) {
    Relation out;
    const double slowest = std::min(sampleRate_hz(x), sampleRate_hz(y));
    if (slowest <= 0 || stretch.length_s() <= 0) return fail("one of the channels has no two samples");
    out.step_s = std::max({1 / slowest, stretch.length_s() / static_cast<double>(most), 1e-4});
    const auto n = static_cast<std::size_t>(stretch.length_s() / out.step_s);
    const auto xs = onGrid(x, stretch.from_s, out.step_s, n, 2 * out.step_s),
               ys = onGrid(y, stretch.from_s, out.step_s, n, 2 * out.step_s);
    const health::Flown flown(log, {});
    for (std::size_t i = 0; i < n; ++i) {
        const double t = stretch.from_s + (static_cast<double>(i) + 0.5) * out.step_s;
        if (!std::isfinite(xs[i]) || !std::isfinite(ys[i])) continue;
        if (steady_only) {
            const double cell = (t - flown.span.from_s) / health::Flown::kStep_s;
            if (cell < 0 || cell >= static_cast<double>(flown.cells()) ||
                flown.steady[static_cast<std::size_t>(cell)] == 0) {
                ++out.left_out;
                continue;
            }
        }
        out.x.push_back(xs[i]);
        out.y.push_back(ys[i]);
        out.t_s.push_back(t);
    }
    if (out.x.size() < 3)
        return fail("{}", steady_only && out.left_out > 0
                              ? "fewer than three moments of steady flight with both; take turns in too"
                              : "fewer than three moments with both channels");
    out.line = fitLine(out.x, out.y);
    return out;
}

Result<Histogram> histogramOf(const Channel& c, Stretch stretch, int bars) {
    std::vector<double> values;
    const auto first = std::lower_bound(c.t_s.begin(), c.t_s.end(), stretch.from_s);
    for (auto i = static_cast<std::size_t>(first - c.t_s.begin()); i < c.t_s.size() && c.t_s[i] <= stretch.to_s; ++i)
        if (std::isfinite(c.value[i])) values.push_back(c.value[i]);
    if (values.empty()) return fail("no value in this stretch");
    Histogram out;
    out.stats = statsOf(c, stretch.from_s, stretch.to_s);
    out.p5 = percentile(values, 5);
    out.p50 = percentile(values, 50);
    out.p95 = percentile(values, 95);
    const double range = out.stats.highest - out.stats.lowest;
    out.from = out.stats.lowest;
    out.width = range > 0 ? range / bars : 1;
    out.count.assign(static_cast<std::size_t>(range > 0 ? bars : 1), 0);
    for (const double v : values) {
        const auto bar = static_cast<std::size_t>(std::max(0.0, (v - out.from) / out.width));
        ++out.count[std::min(bar, out.count.size() - 1)];
    }
    return out;
}

Result<DistanceProfile> heightOverDistance(const FlightLog& log, Stretch stretch, double step_m) {
    const Channel* lat = log.find("position.lat_deg");
    const Channel* lon = log.find("position.lon_deg");
    if (lat == nullptr || lon == nullptr) return fail("the log has no positions");
    DistanceProfile out;
    const Channel* height = log.find("position.height_amsl_m");
    out.amsl = height != nullptr;
    if (height == nullptr) height = log.find("position.height_home_m");
    if (height == nullptr) return fail("the log has no heights");
    const Channel* over = log.find("position.height_ground_m");
    double distance = 0, next = 0;
    std::optional<GeoPoint> before;
    for (std::size_t i = 0; i < lat->t_s.size(); ++i) {
        const double t = lat->t_s[i];
        if (t < stretch.from_s || t > stretch.to_s) continue;
        const GeoPoint p{lat->value[i], lon->at(t).value_or(NAN)};
        const auto h = height->at(t);
        if (!isValid(p) || !h || !std::isfinite(*h)) continue;
        if (before) distance += distance_m(*before, p);
        before = p;
        if (!out.distance_m.empty() && distance < next) continue;
        next = distance + step_m;
        out.distance_m.push_back(distance);
        out.t_s.push_back(t);
        out.height_m.push_back(*h);
        if (over != nullptr)
            if (const auto g = over->at(t)) out.ground_m.push_back(*h - *g);
    }
    if (out.distance_m.size() < 2) return fail("it did not move in this stretch");
    if (out.ground_m.size() != out.height_m.size()) out.ground_m.clear();
    out.length_m = distance;
    constexpr std::size_t kOver = 5;
    for (std::size_t i = 0; i < out.height_m.size(); ++i) {
        const std::size_t a = i >= kOver / 2 ? i - kOver / 2 : 0, b = std::min(out.height_m.size() - 1, i + kOver / 2);
        const double run = out.distance_m[b] - out.distance_m[a];
        const double slope = run > 0 ? 100 * (out.height_m[b] - out.height_m[a]) / run : 0;
        out.slope_percent.push_back(slope);
        if (std::abs(slope) > std::abs(out.steepest_percent)) out.steepest_percent = slope;
        if (i > 0) out.climbed_m += std::max(0.0, out.height_m[i] - out.height_m[i - 1]);
    }
    return out;
}

}  // namespace anhinga
