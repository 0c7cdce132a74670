// GPS: jumps its own speed does not explain, and how well it could see.
#include <cmath>

#include "core/geo/Geo.h"
#include "core/review/health/Question.h"

namespace anhinga::health {

namespace {
constexpr double kAttention_m = 4, kBad_m = 12;  // of a jump
constexpr double kMostStep_s = 3;                // longer between positions: cannot be told
constexpr double kReturns_s = 300;               // a jump back within this is the end of it
constexpr double kFewAttention = 9.5, kFewBad = 6.5, kWideAttention = 1.6, kWideBad = 3;

struct Jump {
    double t_s = 0;
    Vec2 by;
};
}  // namespace

Answer askGpsJumps(const Flown& flown) {
    const bool raw = flown.find("gps.lat_deg") != nullptr && flown.find("gps.lon_deg") != nullptr;
    const Channel* lat = flown.find(raw ? "gps.lat_deg" : "position.lat_deg");
    const Channel* lon = flown.find(raw ? "gps.lon_deg" : "position.lon_deg");
    if (lat == nullptr || lon == nullptr) return unknown("The log has no positions");
    if (lat->t_s.size() < 10 || lon->t_s.size() != lat->t_s.size()) return unknown("Too few positions");
    const Channel* speed = flown.find(raw ? "gps.speed_mps" : "velocity.ground_mps");
    if (speed == nullptr) speed = flown.find("velocity.ground_mps");
    if (1 / sampleRate_hz(*lat) > kMostStep_s)
        return unknown(
            fmt::format("One position every {:.0f} s: a jump cannot be told from flying", 1 / sampleRate_hz(*lat)));
    std::vector<Jump> jumps;
    Vec2 before_step;
    double before_dt = 0, fastest = 0;
    for (std::size_t i = 1; i < lat->t_s.size(); ++i) {
        const double t = lat->t_s[i], dt = t - lat->t_s[i - 1];
        const GeoPoint a{lat->value[i - 1], lon->value[i - 1]}, b{lat->value[i], lon->value[i]};
        if (t < flown.span.from_s || t > flown.span.to_s || !isValid(a) || !isValid(b) || dt <= 0 || dt > kMostStep_s) {
            before_dt = 0;
            continue;
        }
        const Vec2 step = LocalFrame(a).toLocal(b);
        // What it flew anyway: as the step before, else its speed.
        const double flies = speed != nullptr ? speed->at(t).value_or(0)
                             : before_dt > 0  ? length(before_step) / before_dt
                                              : 0;
        const Vec2 expected = before_dt > 0 ? before_step * (dt / before_dt) : Vec2{};
        const double unexplained = std::min(length(step - expected), std::max(0.0, length(step) - flies * dt));
        fastest = std::max(fastest, unexplained);
        if (unexplained >= kAttention_m) {
            jumps.push_back({t, step - expected});
            continue;  // the step before stays what was flown
        }
        before_step = step;
        before_dt = dt;
    }
    Answer a;
    a.unit = "m";
    a.channels = {lat->name, lon->name};
    a.confidence = raw ? Answer::high : Answer::medium;
    if (!raw) a.held_back.emplace_back("the log has only estimated positions: those hide jumps");
    if (jumps.empty()) {
        a.value = fastest;
        a.verdict = Verdict::ok;
        a.evidence = fmt::format("no step is more than {:.1f} m off what its speed explains", fastest);
        return a;
    }
    std::size_t at = 0;
    for (std::size_t i = 1; i < jumps.size(); ++i)
        if (length(jumps[i].by) > length(jumps[at].by)) at = i;
    // The larger may be the way back: then the one before it is the beginning.
    const auto opposite = [](const Jump& x, const Jump& y) {
        return x.by.x * y.by.x + x.by.y * y.by.y < -0.5 * length(x.by) * length(y.by) &&
               length(y.by) > 0.4 * length(x.by);
    };
    std::size_t from = at, to = at;
    for (std::size_t i = at; i-- > 0 && jumps[at].t_s - jumps[i].t_s < kReturns_s;)
        if (opposite(jumps[at], jumps[i])) {
            from = i;
            break;
        }
    if (from == at)
        for (std::size_t i = at + 1; i < jumps.size() && jumps[i].t_s - jumps[at].t_s < kReturns_s; ++i)
            if (opposite(jumps[at], jumps[i])) {
                to = i;
                break;
            }
    a.value = length(jumps[at].by);
    a.from_s = jumps[from].t_s;
    a.to_s = jumps[to].t_s;
    const bool returned = to > from;
    if (!returned) a.to_s = flown.span.to_s;
    a.verdict = judged(a.value, kAttention_m, kBad_m);
    a.evidence = returned ? fmt::format("it jumps {:.0f} m and is back after {:.0f} s", a.value, a.to_s - a.from_s)
                          : fmt::format("it jumps {:.0f} m and does not come back", a.value);
    if (jumps.size() > 2) a.evidence += fmt::format("; {} jumps in all", jumps.size());
    if (const Channel* count = flown.find("gps.satellites")) {
        const Stats there = statsOf(*count, a.from_s, a.to_s);
        if (there.count > 0) {
            a.evidence += fmt::format("; {:.0f} satellites or more then", there.lowest);
            if (there.lowest >= kFewAttention) a.ruled_out.emplace_back("too few satellites");
        }
    }
    a.ruled_out.emplace_back("flying: its own speed does not explain the step");
    a.advice =
        "Fly away from walls and steep slopes; put the antenna clear of transmitters and cables; let the aircraft "
        "return by itself only once positions are steady";
    a.next_flight = "Leave it standing in the open for ten minutes: does it jump there too?";
    return a;
}

Answer askGpsQuality(const Flown& flown) {
    const Channel* satellites = flown.find("gps.satellites");
    const Channel* hdop = flown.find("gps.hdop");
    const Channel* fix = flown.find("gps.fix");
    if (satellites == nullptr && hdop == nullptr && fix == nullptr) return unknown("The log has nothing about the GPS");
    Answer a;
    a.verdict = Verdict::ok;
    a.confidence = Answer::high;
    const Stretch air = flown.no_air.empty() ? flown.air() : flown.span;
    if (satellites != nullptr) {
        const Stats s = statsOf(*satellites, air.from_s, air.to_s);
        a.value = s.lowest;
        a.unit = "satellites";
        a.evidence = fmt::format("{:.0f} satellites or more", s.lowest);
        a.verdict = judged(-s.lowest, -kFewAttention, -kFewBad);
        a.from_s = s.lowest_s;
        a.to_s = s.lowest_s + 5;
        a.channels.push_back(satellites->name);
    }
    if (hdop != nullptr) {
        const Stats s = statsOf(*hdop, air.from_s, air.to_s);
        a.evidence += fmt::format("{}horizontal dilution {:.1f} at most", a.evidence.empty() ? "" : ", ", s.highest);
        const Verdict v = judged(s.highest, kWideAttention, kWideBad);
        if (v > a.verdict || satellites == nullptr) {
            a.verdict = v;
            a.from_s = s.highest_s;
            a.to_s = s.highest_s + 5;
            a.value = s.highest;
            a.unit = "HDOP";
        }
        a.channels.push_back(hdop->name);
    }
    if (fix != nullptr) {
        const Stats s = statsOf(*fix, air.from_s, air.to_s);
        if (s.count > 0 && s.lowest < 3) {
            a.verdict = Verdict::bad;
            a.value = s.lowest;
            a.unit = "fix";
            a.from_s = s.lowest_s;
            a.to_s = s.lowest_s + 5;
            a.evidence += ", the fix was lost in the air";
        }
    }
    if (a.verdict != Verdict::ok) {
        a.advice = "Wait longer before take-off; clear the view of the sky; look for what disturbs the antenna";
        a.next_flight = "Stand in the open with everything switched on, then switch things off one by one";
    }
    return a;
}

}  // namespace anhinga::health
