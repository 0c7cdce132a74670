// Compass: the length of its field against the current of the motors, and against the Earth's field there.
#include <array>
#include <cmath>
#include <numbers>
#include <numeric>

#include "core/geo/MagneticField.h"
#include "core/review/health/Question.h"

namespace anhinga::health {

namespace {
// A field across the heading turns it by its arc tangent: 5 % are 3 degrees, 15 % are 9.
constexpr double kMotorsAttention_percent = 5, kMotorsBad_percent = 15;
constexpr double kRelated = 0.5;                                       // correlation below which it is not the motors
constexpr double kModelAttention_percent = 8, kModelBad_percent = 20;  // 5 and 11 degrees
constexpr std::size_t kEnough_s = 20;

Channel fieldOf(const Flown& flown) {
    Channel out;
    if (const Channel* field = flown.find("mag.field_ut")) return *field;
    const Channel* axes[] = {flown.find("mag.x_ut"), flown.find("mag.y_ut"), flown.find("mag.z_ut")};
    if (axes[0] == nullptr || axes[1] == nullptr || axes[2] == nullptr) return out;
    out.name = "mag.x_ut";
    for (std::size_t i = 0; i < axes[0]->t_s.size(); ++i) {
        const double t = axes[0]->t_s[i];
        const auto y = axes[1]->at(t), z = axes[2]->at(t);
        if (y && z) out.add(t, std::hypot(axes[0]->value[i], *y, *z));
    }
    return out;
}

std::size_t known(const std::vector<double>& v) {
    return static_cast<std::size_t>(std::count_if(v.begin(), v.end(), [](double x) { return std::isfinite(x); }));
}

/// Cosine and sine of the heading on the grid.
using Headings = std::array<std::vector<double>, 2>;
Headings headingsOf(const Flown& flown, const Channel& yaw_deg) {
    Channel north, east;
    for (std::size_t i = 0; i < yaw_deg.t_s.size(); ++i) {
        const double yaw = yaw_deg.value[i] * std::numbers::pi / 180;
        north.add(yaw_deg.t_s[i], std::cos(yaw));
        east.add(yaw_deg.t_s[i], std::sin(yaw));
    }
    return {onGrid(north, flown.span.from_s, Flown::kStep_s, flown.cells()),
            onGrid(east, flown.span.from_s, Flown::kStep_s, flown.cells())};
}

/// Takes out of a series what follows the heading (its mean, too), by least squares: what a calibration leaves turns
/// with the aircraft. Cells where the heading is not known become unknown.
void leaveOutHeading(std::vector<double>& series, const Headings& headings) {
    const auto dot = [](const std::vector<double>& a, const std::vector<double>& b) {
        return std::inner_product(a.begin(), a.end(), b.begin(), 0.0);
    };
    const auto takeOut = [](std::vector<double>& from, double share, const std::vector<double>& what) {
        for (std::size_t i = 0; i < from.size(); ++i) from[i] -= share * what[i];
    };
    std::array<std::vector<double>, 3> columns;  // each at right angles to those before
    for (auto& column : columns) column.assign(series.size(), 0);
    for (std::size_t i = 0; i < series.size(); ++i) {
        if (std::isfinite(series[i]) && std::isfinite(headings[0][i]) && std::isfinite(headings[1][i])) {
            columns[0][i] = 1;
            columns[1][i] = headings[0][i];
            columns[2][i] = headings[1][i];
        } else {
            series[i] = NAN;
        }
    }
    std::vector<double> known = series;
    for (double& v : known) v = std::isfinite(v) ? v : 0;
    for (std::size_t c = 0; c < columns.size(); ++c) {
        const double whole = dot(columns[c], columns[c]);
        for (std::size_t b = 0; b < c; ++b)
            if (const double norm = dot(columns[b], columns[b]); norm > 0)
                takeOut(columns[c], dot(columns[c], columns[b]) / norm, columns[b]);
        const double norm = dot(columns[c], columns[c]);
        constexpr double kSame = 0.02;  // of what it was: hardly another heading was flown
        if (norm > kSame * whole)
            takeOut(series, dot(known, columns[c]) / norm, columns[c]);
        else
            columns[c].assign(series.size(), 0);
    }
}
}  // namespace

Answer askCompassMotors(const Flown& flown) {
    if (!flown.no_air.empty()) return unknown("It is not known when it flew: " + flown.no_air);
    const Channel field = fieldOf(flown);
    if (field.t_s.empty()) return unknown("The log has no compass");
    const Channel* load = flown.find("battery.current_a");
    const bool amps = load != nullptr;
    if (load == nullptr) load = flown.find("throttle.percent");
    if (load == nullptr) return unknown("The log has neither current nor throttle to hold the compass against");
    // On the ground the motors stand: those seconds are the best to compare with, and nothing turns there.
    const std::size_t n = flown.cells();
    auto fields = onGrid(field, flown.span.from_s, Flown::kStep_s, n);
    auto loads = onGrid(*load, flown.span.from_s, Flown::kStep_s, n);
    for (std::size_t i = 0; i < n; ++i)
        if (flown.in_air[i] != 0 && flown.steady[i] == 0) fields[i] = NAN;
    for (std::size_t i = 0; i < n; ++i)
        if (!std::isfinite(fields[i])) loads[i] = NAN;
    if (known(loads) < kEnough_s)
        return unknown(fmt::format("Only {} seconds of steady flight with compass and {}; {} are needed", known(loads),
                                   amps ? "current" : "throttle", kEnough_s));
    const double low = percentile(loads, 3), high = percentile(loads, 97);
    const double mean = statsOf(fields).mean;
    Answer a;
    if (const Channel* yaw = flown.find("attitude.yaw_deg")) {
        const Headings headings = headingsOf(flown, *yaw);
        leaveOutHeading(fields, headings);
        leaveOutHeading(loads, headings);
        a.ruled_out.emplace_back("what follows the heading: a calibration leaves that, and it is taken out");
    }
    const FittedLine line = fitLine(loads, fields);
    a.unit = "%";
    const double effect = std::abs(line.slope) * (high - low);
    a.value = mean > 0 ? 100 * effect / mean : 0;
    a.channels = {field.name, load->name};
    const Stretch air = flown.air();
    a.from_s = air.from_s;
    a.to_s = air.to_s;
    const double needs = amps ? 1 : 5;
    if (high - low < needs)
        return unknown(
            fmt::format("The {} hardly changes ({:.1f} to {:.1f} {}): what it does to the compass cannot be told",
                        amps ? "current" : "throttle", low, high, amps ? "A" : "%"));
    const bool related = std::abs(line.r) >= kRelated;
    a.verdict = related ? judged(a.value, kMotorsAttention_percent, kMotorsBad_percent) : Verdict::ok;
    a.evidence = fmt::format(
        "field {:.1f} µT; {:+.2f} µT a{}, {:.1f} µT ({:.0f} %) over {:.0f} to {:.0f} {} (r {:.2f})", mean, line.slope,
        amps ? "n ampere" : " percent throttle", effect, a.value, low, high, amps ? "A" : "%", line.r);
    a.ruled_out.emplace_back("turns and rolls: those seconds are left out");
    a.confidence = known(loads) > 60 ? Answer::high : Answer::medium;
    if (const double rate = sampleRate_hz(field); rate < 5)
        a.held_back.push_back(fmt::format("the compass is logged only {:.1f} times a second", rate));
    if (a.verdict != Verdict::ok) {
        a.advice = "Move the compass away from the wires to the motors, twist them, or let the autopilot compensate it";
        a.next_flight =
            "On the ground, tied down, throttle slowly up and down without turning: the field must not follow";
    }
    return a;
}

Answer askCompassModel(const Flown& flown) {
    const Channel field = fieldOf(flown);
    if (field.t_s.empty()) return unknown("The log has no compass");
    const Channel* lat = flown.find("position.lat_deg");
    const Channel* lon = flown.find("position.lon_deg");
    if (lat == nullptr || lon == nullptr) return unknown("The log has no place: the Earth's field there is not known");
    const double half = (flown.span.from_s + flown.span.to_s) / 2;
    const GeoPoint place{lat->at(half).value_or(lat->value.front()), lon->at(half).value_or(lon->value.front())};
    if (!isValid(place)) return unknown("The positions are not on Earth");
    Answer a;
    constexpr double kYear_s = 365.25 * 86400;
    double year = 1970 + flown.log.start_unix_s / kYear_s;
    if (!isMagneticModelValid(year)) {
        a.held_back.emplace_back(
            "the log's date is not known or outside of the World Magnetic Model 2025: 2027 is assumed");
        year = 2027;
    }
    const auto heights = flown.find("position.height_amsl_m");
    const double model = magneticField(place, heights != nullptr ? heights->value.front() : 0, year).field_nt / 1000;
    std::vector<double> seconds =
        flown.no_air.empty() ? flown.steadily(field) : onGrid(field, flown.span.from_s, Flown::kStep_s, flown.cells());
    const double seen = percentile(seconds, 50);
    if (!std::isfinite(seen)) return unknown("No second of steady flight with the compass");
    a.unit = "%";
    a.value = 100 * std::abs(seen / model - 1);
    a.verdict = judged(a.value, kModelAttention_percent, kModelBad_percent);
    a.channels = {field.name};
    a.evidence = fmt::format("field {:.1f} µT, the model says {:.1f} µT there ({:+.0f} %)", seen, model,
                             100 * (seen / model - 1));
    a.held_back.emplace_back("the length alone is compared: a field that is only turned is not seen");
    if (a.verdict != Verdict::ok) {
        a.advice = "Calibrate the compass away from metal; look for magnets, screws and loudspeakers near it";
        a.next_flight = "Turn once around on the spot on the ground: the field's length must stay the same";
    }
    return a;
}

}  // namespace anhinga::health
