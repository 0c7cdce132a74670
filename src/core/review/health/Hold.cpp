// Hold: stretches in which it stays in one place, and whether it goes around in them.
#include <cmath>

#include "core/base/Modes.h"
#include "core/geo/Geo.h"
#include "core/review/health/Question.h"

namespace anhinga::health {

namespace {
constexpr double kLeast_s = 12;       // of a stretch in one place
constexpr double kMostRadius_m = 12;  // wider is a route
constexpr double kTurns = 1.2;        // as often around: it circles
constexpr double kHoldAttention_m = 0.8, kHoldBad_m = 2;
constexpr double kStep_s = 0.5;
constexpr double kStands_mps = 0.5;  // four fifths of the stretch are slower: it stands, it does not turn between lines
constexpr double kDriftAttention_m = 3, kDriftBad_m = 6;  // from where it was told to stay
constexpr double kSettles_s = 4;                          // it brakes first
constexpr double kStickMoves = 0.1;

struct Standing {
    double from_s = 0, to_s = 0, radius_m = 0, turns = 0;
    bool round = false;   // it keeps its distance to the middle
    bool stands = false;  // it hardly moves
};

Standing lookAt(const std::vector<Vec2>& p, std::size_t from, std::size_t to, double start_s) {
    Standing s{start_s + static_cast<double>(from) * kStep_s, start_s + static_cast<double>(to) * kStep_s, 0, 0};
    // Middle of what it covers: flying in or out at an end would draw a mean away.
    std::vector<double> x, y, away, speed;
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
        speed.push_back(length(p[i] - p[i - 1]) / kStep_s);
        const Vec2 b = p[i - 1] - centre;
        turned += std::atan2(a.x * b.y - a.y * b.x, a.x * b.x + a.y * b.y);
    }
    s.radius_m = percentile(away, 50);
    constexpr double kRound = 1.7;
    s.round = percentile(away, 90) < kRound * s.radius_m && percentile(away, 100) < 2 * kRound * s.radius_m;
    s.stands = percentile(speed, 80) < kStands_mps;
    s.turns = std::abs(turned) / (2 * M_PI);
    return s;
}
/// A stretch in which holding was commanded and nobody moved a stick.
struct Held {
    double from_s = 0, to_s = 0, drift_m = 0, worst_s = 0;
};

/// Stretches of the modes that keep a place, without their first seconds.
std::vector<Stretch> commanded(const Flown& flown, const Stretch& air) {
    std::vector<Stretch> out;
    const auto& modes = flown.log.modes;
    for (std::size_t i = 0; i < modes.size(); ++i) {
        if (modes[i].name != modeWord(ModeKind::hold) && modes[i].name != modeWord(ModeKind::positionHold)) continue;
        const double from = std::max(air.from_s, modes[i].t_s + kSettles_s),
                     to = std::min(air.to_s, i + 1 < modes.size() ? modes[i + 1].t_s : air.to_s);
        if (to - from >= kLeast_s) out.push_back({from, to});
    }
    return out;
}

/// The part of it that leaves where it began most; a stick that moves begins it anew.
std::optional<Held> driftOf(const Flown& flown, const std::vector<Vec2>& p, const std::vector<char>& known,
                            const Stretch& air, const Stretch& held) {
    const Channel* sticks[] = {flown.find("stick.roll"), flown.find("stick.pitch")};
    const auto moved = [&](double t) {
        return std::any_of(std::begin(sticks), std::end(sticks), [&](const Channel* c) {
            const auto at = c != nullptr ? c->at(t) : std::nullopt;
            return at && std::abs(*at) > kStickMoves;
        });
    };
    std::optional<Held> worst;
    std::optional<std::size_t> begin;
    double free_from_s = held.from_s;
    for (auto i = static_cast<std::size_t>(std::max(0.0, (held.from_s - air.from_s) / kStep_s));
         i < p.size() && air.from_s + static_cast<double>(i) * kStep_s < held.to_s; ++i) {
        const double t = air.from_s + static_cast<double>(i) * kStep_s;
        if (moved(t)) {
            begin.reset();
            free_from_s = t + kSettles_s;
        }
        if (known[i] == 0 || t < free_from_s) continue;
        if (!begin) begin = i;
        const double began_s = air.from_s + static_cast<double>(*begin) * kStep_s;
        const double drift = length(p[i] - p[*begin]);
        if (t - began_s >= kLeast_s && (!worst || drift > worst->drift_m)) worst = Held{began_s, t, drift, t};
    }
    return worst;
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
    // Where holding was commanded, leaving the place is a fault, too.
    std::optional<Held> drifted;
    const auto held = commanded(flown, air);
    for (const Stretch& stretch : held)
        if (const auto drift = driftOf(flown, p, known, air, stretch);
            drift && (!drifted || drift->drift_m > drifted->drift_m))
            drifted = drift;
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
            const bool circling = s.turns >= kTurns && s.round;
            if (!circling && !s.stands) continue;
            const auto rank = [](const Standing& x) {
                return x.turns >= kTurns && x.round ? x.radius_m + 100 : x.radius_m;
            };
            if (!worst || rank(s) > rank(*worst)) worst = s;
        }
    Answer a;
    a.unit = "m";
    if (drifted && judged(drifted->drift_m, kDriftAttention_m, kDriftBad_m) != Verdict::ok) {
        a.value = drifted->drift_m;
        a.verdict = judged(a.value, kDriftAttention_m, kDriftBad_m);
        a.from_s = drifted->from_s;
        a.to_s = drifted->to_s;
        a.channels = {"position.lat_deg", "position.lon_deg"};
        a.evidence =
            fmt::format("told to hold, it left its place by {:.1f} m within {:.0f} s", a.value, a.to_s - a.from_s);
        a.ruled_out.emplace_back("the pilot: no stick was moved, or none is in the log");
        if (flown.find("stick.roll") == nullptr)
            a.held_back.emplace_back("the log has no sticks: the pilot may have moved it");
        a.advice = "See GPS reception and compass; hold lower and out of the wind until the cause is known";
        a.next_flight = "Hold for two minutes in calm air at 10 m without touching a stick";
        return a;
    }
    if (!worst && !drifted) return unknown(fmt::format("It never stayed in one place for {:.0f} seconds", kLeast_s));
    if (!worst) {
        a.value = drifted->drift_m;
        a.verdict = Verdict::ok;
        a.from_s = drifted->from_s;
        a.to_s = drifted->to_s;
        a.channels = {"position.lat_deg", "position.lon_deg"};
        a.evidence = fmt::format("told to hold, it stayed within {:.1f} m of its place", drifted->drift_m);
        return a;
    }
    a.value = worst->radius_m;
    a.from_s = worst->from_s;
    a.to_s = worst->to_s;
    a.channels = {"position.lat_deg", "position.lon_deg"};
    const bool circles = worst->round && worst->turns >= kTurns && worst->radius_m >= kHoldAttention_m;
    a.verdict = circles ? judged(worst->radius_m, kHoldAttention_m, kHoldBad_m) : Verdict::ok;
    a.evidence = circles ? fmt::format("it goes around {:.1f} times in {:.0f} s with a radius of {:.1f} m",
                                       worst->turns, worst->to_s - worst->from_s, worst->radius_m)
                         : fmt::format("it stays within {:.1f} m of the middle for half of the time", worst->radius_m);
    if (drifted) a.evidence += fmt::format("; told to hold, it stayed within {:.1f} m of its place", drifted->drift_m);
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
