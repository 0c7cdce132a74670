// Hold: stretches in which it stays in one place, and whether it goes around in them.
#include <cmath>

#include "core/geo/Geo.h"
#include "core/review/health/Question.h"

namespace anhinga::health {

namespace {
constexpr double kLeast_s = 12;       // of a stretch in one place
constexpr double kMostRadius_m = 12;  // wider is a route
constexpr double kTurns = 1.2;        // as often around: it circles
constexpr double kHoldAttention_m = 0.8, kHoldBad_m = 2;
constexpr double kStep_s = 0.5;

struct Standing {
    double from_s = 0, to_s = 0, radius_m = 0, turns = 0;
    bool round = false;  // it keeps its distance to the middle
};

Standing lookAt(const std::vector<Vec2>& p, std::size_t from, std::size_t to, double start_s) {
    Standing s{start_s + static_cast<double>(from) * kStep_s, start_s + static_cast<double>(to) * kStep_s, 0, 0};
    // Middle of what it covers: flying in or out at an end would draw a mean away.
    std::vector<double> x, y, away;
    for (std::size_t i = from; i < to; ++i) {
        x.push_back(p[i].x);
        y.push_back(p[i].y);
    }
    const Vec2 centre{(percentile(x, 5) + percentile(x, 95)) / 2, (percentile(y, 5) + percentile(y, 95)) / 2};
    double turned = 0;
    for (std::size_t i = from; i < to; ++i) {
        const Vec2 a = p[i] - centre;
        away.push_back(length(a));
        if (i == from) continue;
        const Vec2 b = p[i - 1] - centre;
        turned += std::atan2(a.x * b.y - a.y * b.x, a.x * b.x + a.y * b.y);
    }
    s.radius_m = percentile(away, 50);
    constexpr double kRound = 1.7;
    s.round = percentile(away, 90) < kRound * s.radius_m && percentile(away, 100) < 2 * kRound * s.radius_m;
    s.turns = std::abs(turned) / (2 * M_PI);
    return s;
}
}  // namespace

Answer askHold(const Flown& flown) {
    if (!flown.no_air.empty()) return unknown("It is not known when it flew: " + flown.no_air);
    const Channel* lat = flown.find("position.lat_deg");
    const Channel* lon = flown.find("position.lon_deg");
    if (lat == nullptr || lon == nullptr) return unknown("The log has no positions");
    const Stretch air = flown.air();
    const auto n = static_cast<std::size_t>(air.length_s() / kStep_s);
    const auto lats = onGrid(*lat, air.from_s, kStep_s, n, 2), lons = onGrid(*lon, air.from_s, kStep_s, n, 2);
    const auto first = std::find_if(lats.begin(), lats.end(), [](double v) { return std::isfinite(v); });
    if (first == lats.end()) return unknown("No position while it was in the air");
    const LocalFrame frame({*first, lons[static_cast<std::size_t>(first - lats.begin())]});
    std::vector<Vec2> p(n);
    std::vector<char> known(n, 0);
    for (std::size_t i = 0; i < n; ++i)
        if (std::isfinite(lats[i]) && std::isfinite(lons[i]) && isValid({lats[i], lons[i]})) {
            p[i] = frame.toLocal({lats[i], lons[i]});
            known[i] = 1;
        }
    // Windows that stay within the radius of where they began (twice, as it may begin at the rim).
    std::optional<Standing> worst;
    const auto least = static_cast<std::size_t>(kLeast_s / kStep_s);
    for (const std::size_t span : {least, 2 * least})
        for (std::size_t from = 0; from + span <= n; from += least / 4) {
            bool stays = true;
            for (std::size_t k = from; k < from + span && stays; ++k)
                stays = known[k] != 0 && length(p[k] - p[from]) < 2 * kMostRadius_m;
            if (!stays) continue;
            const Standing s = lookAt(p, from, from + span, air.from_s);
            if (s.radius_m > kMostRadius_m) continue;
            // Moving through: a line leaves a radius but does not go around; what stands still has next to none.
            const double straight = length(p[from + span - 1] - p[from]);
            if (s.turns < 0.5 && straight > 2 * s.radius_m) continue;
            const auto rank = [](const Standing& x) {
                return x.turns >= kTurns && x.round ? x.radius_m + 100 : x.radius_m;
            };
            if (!worst || rank(s) > rank(*worst)) worst = s;
        }
    if (!worst) return unknown(fmt::format("It never stayed in one place for {:.0f} seconds", kLeast_s));
    Answer a;
    a.unit = "m";
    a.value = worst->radius_m;
    a.from_s = worst->from_s;
    a.to_s = worst->to_s;
    a.channels = {"position.lat_deg", "position.lon_deg"};
    const bool circles = worst->round && worst->turns >= kTurns && worst->radius_m >= kHoldAttention_m;
    a.verdict = circles ? judged(worst->radius_m, kHoldAttention_m, kHoldBad_m) : Verdict::ok;
    a.evidence = circles ? fmt::format("it goes around {:.1f} times in {:.0f} s with a radius of {:.1f} m",
                                       worst->turns, worst->to_s - worst->from_s, worst->radius_m)
                         : fmt::format("it stays within {:.1f} m of the middle for half of the time", worst->radius_m);
    a.held_back.push_back(
        fmt::format("a circle that was asked for with a radius below {:.0f} m would look the same", kMostRadius_m));
    if (circles) {
        a.ruled_out.emplace_back("wind: it pushes one way and does not go around");
        a.advice =
            "It corrects in a wrong direction: calibrate the compass, see its two answers here, and its mounting angle";
        a.next_flight = "Hold in calm air for a minute facing north, then east: does it circle both times?";
    }
    return a;
}

}  // namespace anhinga::health
