#include "core/review/Trend.h"

#include <algorithm>
#include <cmath>

#include "core/analysis/Series.h"
#include "core/review/health/Question.h"

namespace anhinga {

namespace {

constexpr double kTrendSigmas = 4, kTrendShare = 0.05;
constexpr std::size_t kLeastBeside = 2, kLeastCreep = 6;

/// By what a change of current over two seconds does to the voltage.
std::optional<Measure> resistance(const FlightLog& log, int session) {
    HealthOptions options;
    options.session = session;
    const health::Flown flown(log, options);
    const Channel* voltage = flown.find("battery.voltage_v");
    const Channel* current = flown.find("battery.current_a");
    if (voltage == nullptr || current == nullptr) return std::nullopt;
    const std::size_t n = flown.cells();
    const auto volts = onGrid(*voltage, flown.span.from_s, health::Flown::kStep_s, n),
               amps = onGrid(*current, flown.span.from_s, health::Flown::kStep_s, n);
    std::vector<double> dv, di;
    for (std::size_t i = 2; i < n; ++i) {
        const double v = volts[i] - volts[i - 2], a = amps[i] - amps[i - 2];
        if (!std::isfinite(v) || !std::isfinite(a)) continue;
        dv.push_back(v);
        di.push_back(a);
    }
    constexpr std::size_t kLeast = 30;
    constexpr double kLeastTogether = 0.5;
    if (dv.size() < kLeast) return std::nullopt;
    const FittedLine line = fitLine(di, dv);
    // Where voltage and current hardly go together, this is no resistance.
    if (!(line.r <= -kLeastTogether)) return std::nullopt;
    const double error =
        std::abs(line.slope) * std::sqrt((1 / (line.r * line.r) - 1) / static_cast<double>(dv.size() - 2));
    return Measure{"Internal resistance of the battery", "mOhm", -1000 * line.slope, 1000 * error, dv.size()};
}

double meanOf(const std::vector<TrendPoint>& points, std::size_t from, std::size_t to) {
    double sum = 0;
    for (std::size_t i = from; i < to; ++i) sum += points[i].value;
    return sum / static_cast<double>(to - from);
}

double deviationOf(const std::vector<TrendPoint>& points, std::size_t from, std::size_t to) {
    const double mean = meanOf(points, from, to);
    double sum = 0;
    for (std::size_t i = from; i < to; ++i) sum += (points[i].value - mean) * (points[i].value - mean);
    return std::sqrt(sum / static_cast<double>(std::max<std::size_t>(1, to - from - 1)));
}

/// How far flights differ of themselves: by what neighbours differ, and never less than each is sure of.
double noiseOf(const std::vector<TrendPoint>& points) {
    std::vector<double> steps, errors;
    for (std::size_t i = 0; i < points.size(); ++i) {
        errors.push_back(points[i].error);
        if (i > 0) steps.push_back(std::abs(points[i].value - points[i - 1].value));
    }
    // The median of differences of two of a normal distribution is 0.954 of its deviation.
    constexpr double kMedianOfDifferences = 0.954;
    const double apart = steps.empty() ? 0 : percentile(steps, 50) / kMedianOfDifferences;
    return std::max(apart, errors.empty() ? 0 : percentile(errors, 50));
}

struct Found {
    std::size_t at = 0;
    double excess = 0;  // by what it exceeds what it must
};
/// Where both sides differ most, against what they must differ by.
std::optional<Found> bestStep(const std::vector<TrendPoint>& points, std::size_t from, std::size_t to, double noise) {
    std::optional<Found> best;
    for (std::size_t at = from + kLeastBeside; at + kLeastBeside <= to; ++at) {
        const double before = meanOf(points, from, at), after = meanOf(points, at, to);
        const double sure = noise * std::sqrt(1 / static_cast<double>(at - from) + 1 / static_cast<double>(to - at));
        const double must = kTrendSigmas * sure;
        const double excess = must > 0 ? std::abs(after - before) / must : 0;
        if (excess > 1 && (!best || excess > best->excess)) best = Found{at, excess};
    }
    return best;
}

/// A straight line through the values explains them better than a step does.
struct Line {
    double slope = 0, error = 0, left = 0;  // left: sum of squares
};
Line lineOf(const std::vector<TrendPoint>& points, std::size_t from, std::size_t to) {
    std::vector<double> x, y;
    for (std::size_t i = from; i < to; ++i) {
        x.push_back(static_cast<double>(i));
        y.push_back(points[i].value);
    }
    const FittedLine fit = fitLine(x, y);
    const auto n = static_cast<double>(x.size());
    const double mean_x = (x.front() + x.back()) / 2, mean_y = meanOf(points, from, to);
    Line line{fit.slope, 0, 0};
    double spread = 0;
    for (std::size_t i = 0; i < x.size(); ++i) {
        const double off = y[i] - mean_y - fit.slope * (x[i] - mean_x);
        line.left += off * off;
        spread += (x[i] - mean_x) * (x[i] - mean_x);
    }
    line.error = n > 2 && spread > 0 ? std::sqrt(line.left / (n - 2) / spread) : INFINITY;
    return line;
}
double leftBySteps(const std::vector<TrendPoint>& points, std::size_t from, std::size_t at, std::size_t to) {
    double left = 0;
    for (const auto& [a, b] : {std::pair(from, at), std::pair(at, to)}) {
        const double mean = meanOf(points, a, b);
        for (std::size_t i = a; i < b; ++i) left += (points[i].value - mean) * (points[i].value - mean);
    }
    return left;
}

void findSteps(const std::vector<TrendPoint>& points, std::size_t from, std::size_t to, double noise,
               std::vector<std::size_t>& out) {
    const auto best = bestStep(points, from, to, noise);
    if (!best) return;
    if (to - from >= kLeastCreep && lineOf(points, from, to).left < leftBySteps(points, from, best->at, to)) return;
    findSteps(points, from, best->at, noise, out);
    out.push_back(best->at);
    findSteps(points, best->at, to, noise, out);
}

/// Takes away steps too small to matter, the smallest first, as what lies beside it becomes one.
void dropSmall(const std::vector<TrendPoint>& points, std::vector<std::size_t>& steps) {
    while (!steps.empty()) {
        std::size_t least = 0;
        double least_share = INFINITY;
        for (std::size_t i = 0; i < steps.size(); ++i) {
            const double before = meanOf(points, i > 0 ? steps[i - 1] : 0, steps[i]),
                         after = meanOf(points, steps[i], i + 1 < steps.size() ? steps[i + 1] : points.size());
            const double share = std::abs(after - before) / std::max({1e-12, std::abs(before), std::abs(after)});
            if (share < least_share) {
                least = i;
                least_share = share;
            }
        }
        if (least_share >= kTrendShare) return;
        steps.erase(steps.begin() + static_cast<std::ptrdiff_t>(least));
    }
}

}  // namespace

std::vector<Measure> trendMeasures(const FlightLog& log, int session) {
    auto out = measuresOf(log, session);
    if (!out.empty())
        if (auto ohm = resistance(log, session)) out.push_back(std::move(*ohm));
    return out;
}

std::vector<MeasureTrend> trendsOf(std::vector<TrendFlight> flights, const std::vector<TrendNote>& notes) {
    std::erase_if(flights, [](const TrendFlight& f) { return f.start_unix_s <= 0; });
    std::stable_sort(flights.begin(), flights.end(),
                     [](const TrendFlight& a, const TrendFlight& b) { return a.start_unix_s < b.start_unix_s; });
    std::vector<MeasureTrend> out;
    for (const TrendFlight& f : flights)
        for (const Measure& m : f.measures) {
            auto at = std::find_if(out.begin(), out.end(), [&](const MeasureTrend& t) { return t.name == m.name; });
            if (at == out.end()) at = out.insert(out.end(), MeasureTrend{m.name, m.unit, {}, {}, {}, 0});
            at->flights.push_back({f.start_unix_s, m.value, m.error, f.file});
        }
    for (MeasureTrend& t : out) {
        t.noise = noiseOf(t.flights);
        const std::size_t n = t.flights.size();
        std::vector<std::size_t> steps;
        findSteps(t.flights, 0, n, t.noise, steps);
        dropSmall(t.flights, steps);
        std::vector<std::size_t> edges{0};
        edges.insert(edges.end(), steps.begin(), steps.end());
        edges.push_back(n);
        for (std::size_t i = 0; i < steps.size(); ++i) {
            // Both sides are steady: one flight that was off makes no level.
            const double most = std::max(
                3 * t.noise,
                std::abs(meanOf(t.flights, edges[i], steps[i]) - meanOf(t.flights, steps[i], edges[i + 2])) / 3);
            if (deviationOf(t.flights, edges[i], steps[i]) > most ||
                deviationOf(t.flights, steps[i], edges[i + 2]) > most)
                continue;
            TrendStep step;
            step.at_unix_s = t.flights[steps[i]].start_unix_s;
            step.from = meanOf(t.flights, edges[i], steps[i]);
            step.to = meanOf(t.flights, steps[i], edges[i + 2]);
            for (const TrendNote& note : notes)
                if (note.time_unix_s > t.flights[steps[i] - 1].start_unix_s && note.time_unix_s <= step.at_unix_s)
                    step.note += (step.note.empty() ? "" : "; ") + note.text;
            t.steps.push_back(std::move(step));
        }
        const std::size_t since = steps.empty() ? 0 : steps.back();
        if (n - since < kLeastCreep) continue;
        const Line line = lineOf(t.flights, since, n);
        const double all = std::abs(line.slope) * static_cast<double>(n - since - 1);
        const double middle = std::abs(meanOf(t.flights, since, n));
        if (std::abs(line.slope) > kTrendSigmas * line.error && all > kTrendShare * middle && all > 2 * t.noise / 3)
            t.creep = TrendCreep{line.slope, line.error, static_cast<int>(n - since)};
    }
    return out;
}

}  // namespace anhinga
