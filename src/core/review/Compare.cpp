#include "core/review/Compare.h"

#include <algorithm>
#include <cmath>

#include "core/review/health/Question.h"

namespace anhinga {

namespace {

using health::Flown;

constexpr int kWindow = 10;  // seconds
constexpr double kSigmas = 3, kLeastShare = 0.05;
constexpr std::size_t kLeastWindows = 4;

/// Root mean square of what is left of a channel without slow movement, a second each.
std::vector<double> shaking(const Flown& f, const std::string& name) {
    const Channel* c = f.find(name);
    constexpr double kFastEnough_hz = 60, kSlow_s = 0.2;
    if (c == nullptr || sampleRate_hz(*c) < kFastEnough_hz) return {};
    return f.inAir(shakingOf(*c, kSlow_s, Flown::kStep_s));
}
std::vector<double> steady(const Flown& f, const std::string& name) {
    const Channel* c = f.find(name);
    return c != nullptr ? f.steadily(*c) : std::vector<double>{};
}
std::vector<double> off(const Flown& f, const char* name, const char* other) {
    const Channel *a = f.find(name), *b = f.find(other);
    if (a == nullptr || b == nullptr) return {};
    auto x = f.inAir(*a);
    const auto y = f.inAir(*b);
    for (std::size_t i = 0; i < x.size(); ++i) x[i] = std::abs(std::remainder(x[i] - y[i], 360.0));
    return x;
}
std::vector<double> heightOff(const Flown& f) {
    const Channel *a = f.find("position.height_home_m"), *b = f.find("baro.height_m");
    if (a == nullptr || b == nullptr || a->value == b->value) return {};  // one made from the other
    auto x = f.inAir(*a);
    const auto y = f.inAir(*b);
    for (std::size_t i = 0; i < x.size(); ++i) x[i] -= y[i];
    const double middle = percentile(x, 50);
    for (double& v : x) v = std::abs(v - middle);
    return x;
}

struct MeasureRow {
    const char *name, *unit;
    std::vector<double> (*seconds)(const Flown&);
};
constexpr MeasureRow kMeasures[] = {
    {"Shaking along (x)", "m/s2", [](const Flown& f) { return shaking(f, "imu.accel_x_mps2"); }},
    {"Shaking across (y)", "m/s2", [](const Flown& f) { return shaking(f, "imu.accel_y_mps2"); }},
    {"Shaking up and down (z)", "m/s2", [](const Flown& f) { return shaking(f, "imu.accel_z_mps2"); }},
    {"Shaking of the gyros (roll)", "deg/s", [](const Flown& f) { return shaking(f, "imu.gyro_x_dps"); }},
    {"Shaking of the gyros (pitch)", "deg/s", [](const Flown& f) { return shaking(f, "imu.gyro_y_dps"); }},
    {"Current in steady flight", "A", [](const Flown& f) { return steady(f, "battery.current_a"); }},
    {"Throttle in steady flight", "%", [](const Flown& f) { return steady(f, "throttle.percent"); }},
    {"Compass field in steady flight", "uT", [](const Flown& f) { return steady(f, "mag.field_ut"); }},
    {"Roll off the desired one", "deg", [](const Flown& f) { return off(f, "attitude.roll_deg", "desired.roll_deg"); }},
    {"Pitch off the desired one", "deg",
     [](const Flown& f) { return off(f, "attitude.pitch_deg", "desired.pitch_deg"); }},
    {"Estimated height off the barometer", "m", heightOff},
};

std::optional<Measure> measured(const MeasureRow& row, const Flown& flown) {
    const auto seconds = row.seconds(flown);
    std::vector<double> means;
    for (std::size_t from = 0; from + kWindow <= seconds.size(); from += kWindow) {
        const Stats s = statsOf(std::vector<double>(seconds.begin() + static_cast<long>(from),
                                                    seconds.begin() + static_cast<long>(from) + kWindow));
        if (s.count >= kWindow / 2) means.push_back(s.mean);
    }
    if (means.size() < kLeastWindows) return std::nullopt;
    const Stats s = statsOf(means);
    // Neighbouring windows are alike: the fewer are independent, by the first autocorrelation.
    double together = 0;
    for (std::size_t i = 1; i < means.size(); ++i) together += (means[i] - s.mean) * (means[i - 1] - s.mean);
    const double all = s.deviation * s.deviation * static_cast<double>(means.size() - 1);
    const double rho = all > 0 ? std::clamp(together / all, 0.0, 0.9) : 0;
    const double independent = std::max(2.0, static_cast<double>(means.size()) * (1 - rho) / (1 + rho));
    return Measure{row.name, row.unit, s.mean, s.deviation / std::sqrt(independent), means.size()};
}

bool same(double a, double b) {
    return std::abs(a - b) <= 1e-6 * std::max({1e-6, std::abs(a), std::abs(b)});
}

}  // namespace

std::vector<Measure> measuresOf(const FlightLog& log, int session) {
    HealthOptions options;
    options.session = session;
    const Flown flown(log, options);
    std::vector<Measure> out;
    if (!flown.no_air.empty()) return out;
    for (const MeasureRow& row : kMeasures)
        if (auto m = measured(row, flown)) out.push_back(std::move(*m));
    return out;
}

std::vector<ParamChange> paramChanges(const std::map<std::string, double>& before,
                                      const std::map<std::string, double>& after) {
    std::vector<ParamChange> out;
    for (const auto& [name, value] : before) {
        const auto other = after.find(name);
        if (other == after.end())
            out.push_back({name, value, std::nullopt});
        else if (!same(value, other->second))
            out.push_back({name, value, other->second});
    }
    for (const auto& [name, value] : after)
        if (!before.contains(name)) out.push_back({name, std::nullopt, value});
    std::sort(out.begin(), out.end(), [](const ParamChange& a, const ParamChange& b) { return a.name < b.name; });
    return out;
}

std::string paramText(double value) {
    const auto single = static_cast<float>(value);
    return static_cast<double>(single) == value ? fmt::format("{}", single) : fmt::format("{}", value);
}

std::optional<double> alignedBy(const FlightLog& one, const FlightLog& other, Alignment how) {
    const auto moment = [how](const FlightLog& log) -> std::optional<double> {
        switch (how) {
            case Alignment::takeoff:
                return takeoffTime(log);
            case Alignment::arming:
                for (const LogEvent& e : log.events)
                    if (e.kind == "armed") return e.t_s;
                return std::nullopt;
            case Alignment::utc:
                return log.start_unix_s > 0 ? std::optional(-log.start_unix_s) : std::nullopt;
        }
        return std::nullopt;
    };
    const auto a = moment(one), b = moment(other);
    return a && b ? std::optional(*b - *a) : std::nullopt;
}

double takeoffTime(const FlightLog& log) {
    constexpr double kOffGround_m = 1.5;
    if (const Channel* height = log.find("position.height_home_m"))
        for (std::size_t i = 0; i < height->t_s.size(); ++i)
            if (height->value[i] > kOffGround_m) return height->t_s[i];
    for (const LogEvent& e : log.events)
        if (e.kind == "armed") return e.t_s;
    return log.firstTime();
}

FlightComparison compareFlights(const FlightLog& before, const FlightLog& after) {
    FlightComparison out;
    const auto a = measuresOf(before), b = measuresOf(after);
    for (const MeasureRow& row : kMeasures) {
        const auto find = [&](const std::vector<Measure>& list) -> std::optional<Measure> {
            for (const Measure& m : list)
                if (m.name == row.name) return m;
            return std::nullopt;
        };
        MeasureChange c{row.name, row.unit, find(a), find(b)};
        if (!c.before && !c.after) continue;
        if (c.before && c.after) {
            c.difference = c.after->value - c.before->value;
            c.noise = std::max(kSigmas * std::hypot(c.before->error, c.after->error),
                               kLeastShare * std::max(std::abs(c.before->value), std::abs(c.after->value)));
            c.changed = std::abs(c.difference) > c.noise;
        }
        out.measures.push_back(std::move(c));
    }
    std::stable_sort(out.measures.begin(), out.measures.end(),
                     [](const MeasureChange& x, const MeasureChange& y) { return x.changed > y.changed; });
    if (!before.params.empty() && !after.params.empty()) out.params = paramChanges(before.params, after.params);
    out.before_takeoff_s = takeoffTime(before);
    out.after_takeoff_s = takeoffTime(after);
    if (before.params.empty() || after.params.empty())
        out.caution = "Parameters are not in both logs: what was set differently is not known.";
    else if (out.params.size() > 1)
        out.caution = fmt::format("{} parameters differ: what changed cannot be put down to one of them alone.",
                                  out.params.size());
    else if (out.params.size() == 1)
        out.caution = "One parameter differs; what was done to the aircraft itself only the logbook's notes say.";
    return out;
}

}  // namespace anhinga
