// How it is flown: whether the height asked for is kept, how fast it comes down, whether rotors turn steadily, whether
// the sticks worked against the mode.
#include <cmath>

#include "core/base/Modes.h"
#include "core/review/health/Question.h"

namespace anhinga::health {

namespace {

constexpr double kKeptAttention_m = 2, kKeptBad_m = 5;
constexpr double kAskedStill_mps = 0.3;  // faster changes of what is asked for are climbs
constexpr double kNearGround_m = 8;
constexpr double kNearAttention_mps = 2, kNearBad_mps = 3.5, kDownAttention_mps = 3, kDownBad_mps = 5;
constexpr double kThroughOwnAir_mps = 2;  // slower over ground: it falls into the air it pushes down
constexpr double kRotorAttention_percent = 4, kRotorBad_percent = 8;
constexpr double kMoved = 0.15, kMovedAttention_s = 2;
constexpr std::size_t kEnoughSeconds = 15;

/// Each second's value less the one before; the first is none.
std::vector<double> changes(const std::vector<double>& v) {
    std::vector<double> out(v.size(), NAN);
    for (std::size_t i = 1; i < v.size(); ++i) out[i] = v[i] - v[i - 1];
    return out;
}
std::size_t finite(const std::vector<double>& v) {
    return static_cast<std::size_t>(std::count_if(v.begin(), v.end(), [](double x) { return std::isfinite(x); }));
}
/// Whether the machine flies by itself in that mode: no stick is to move it.
bool fliesItself(const std::string& mode) {
    for (const ModeKind kind : {ModeKind::mission, ModeKind::returnHome, ModeKind::land, ModeKind::takeOff,
                                ModeKind::led, ModeKind::circle, ModeKind::stop})
        if (mode == modeWord(kind)) return true;
    return false;
}
/// The mode that holds at that time; empty where none is known.
std::string modeAt(const FlightLog& log, double t) {
    std::string mode;
    for (const ModeChange& m : log.modes) {
        if (m.t_s > t) break;
        mode = m.name;
    }
    return mode;
}

}  // namespace

Answer askHeightKept(const Flown& flown) {
    if (!flown.no_air.empty()) return unknown("It is not known when it flew: " + flown.no_air);
    const Channel* height = flown.find("position.height_home_m");
    const Channel* desired = flown.find("desired.height_home_m");
    if (height == nullptr) return unknown("The log has no height");
    if (desired == nullptr) return unknown("The log does not say which height was asked for");
    if (desired->value == height->value)
        return unknown("The height asked for in this log is the measured one: it cannot be held against it");
    const auto is = flown.inAir(*height), asked = flown.inAir(*desired);
    const auto climbing = changes(asked);
    // Only where the same height has been asked for a while: the first seconds after a climb belong to it.
    constexpr std::size_t kSettle = 4;
    std::vector<double> off(is.size(), NAN);
    std::size_t still = 0;
    for (std::size_t i = 0; i < off.size(); ++i) {
        still = std::isfinite(climbing[i]) && std::abs(climbing[i]) < kAskedStill_mps ? still + 1 : 0;
        if (still >= kSettle) off[i] = std::abs(is[i] - asked[i]);
    }
    if (finite(off) < kEnoughSeconds)
        return unknown(fmt::format("Only {} seconds in which one height was asked for; {} are needed", finite(off),
                                   kEnoughSeconds));
    Answer a;
    a.unit = "m";
    a.value = percentile(off, 95);
    a.verdict = judged(a.value, kKeptAttention_m, kKeptBad_m);
    const Stretch worst = worstStretch(flown, off, 10);
    a.from_s = worst.from_s;
    a.to_s = worst.to_s;
    a.channels = {height->name, desired->name};
    a.evidence = fmt::format("within {:.1f} m of the height asked for in 95 of 100 of {} seconds; most {:.1f} m",
                             a.value, finite(off), percentile(off, 100));
    a.confidence = Answer::high;
    if (a.verdict != Verdict::ok) {
        for (const char* axis : {"x", "y", "z"})
            if (const Channel* v = flown.find(fmt::format("vibration.{}_mps2", axis)))
                if (const double r = correlation(off, flown.inAir(*v)); r > 0.6)
                    a.evidence += fmt::format("; it leaves where {} shakes (r {:.2f})", axis, r);
        a.advice = "See the height estimate and vibration first, then the gains of the height control and the weight";
        a.next_flight = "Hold at 20 m for two minutes in calm air: the height asked for must be kept";
    }
    return a;
}

Answer askDescent(const Flown& flown) {
    if (!flown.no_air.empty()) return unknown("It is not known when it flew: " + flown.no_air);
    constexpr int kFixedWing = 1;  // MAV_TYPE
    if (flown.log.type == kFixedWing) return unknown("Wings come down along a slope: this is a question for rotors");
    const Channel* height = flown.find("position.height_home_m");
    if (height == nullptr) return unknown("The log has no height");
    const Channel* climb = flown.find("velocity.climb_mps");
    const Channel* speed = flown.find("velocity.ground_mps");
    const Channel* ground = flown.find("position.height_ground_m");
    const auto heights = flown.inAir(*height);
    const auto down = climb != nullptr ? flown.inAir(*climb) : changes(heights);
    const auto over = ground != nullptr ? flown.inAir(*ground) : heights;
    const auto speeds = speed != nullptr ? flown.inAir(*speed) : std::vector<double>(heights.size(), NAN);
    double near = 0, through = 0, near_s = 0, through_s = 0;
    for (std::size_t i = 0; i < down.size(); ++i) {
        if (!std::isfinite(down[i])) continue;
        const double rate = -down[i];
        if (std::isfinite(over[i]) && over[i] < kNearGround_m && rate > near) {
            near = rate;
            near_s = flown.timeOf(i);
        }
        const bool slow = !std::isfinite(speeds[i]) || speeds[i] < kThroughOwnAir_mps;
        if (slow && rate > through) {
            through = rate;
            through_s = flown.timeOf(i);
        }
    }
    if (finite(down) < kEnoughSeconds) return unknown("Too few seconds in the air");
    const Verdict at_ground = judged(near, kNearAttention_mps, kNearBad_mps),
                  in_own_air = judged(through, kDownAttention_mps, kDownBad_mps);
    Answer a;
    a.unit = "m/s";
    const bool low = at_ground >= in_own_air && near > 0;
    a.value = low ? near : through;
    a.verdict = std::max(at_ground, in_own_air);
    const double when = low ? near_s : through_s;
    a.from_s = std::max(flown.span.from_s, when - 5);
    a.to_s = std::min(flown.span.to_s, when + 5);
    a.channels = {height->name};
    if (climb != nullptr) a.channels.push_back(climb->name);
    a.evidence = fmt::format("down with {:.1f} m/s below {:.0f} m, with {:.1f} m/s where it hardly moves over ground",
                             near, kNearGround_m, through);
    if (ground == nullptr) a.held_back.emplace_back("heights are those above home: the ground may lie higher or lower");
    a.confidence = climb != nullptr ? Answer::high : Answer::medium;
    if (a.verdict != Verdict::ok) {
        a.advice = "Let it come down slower, the last metres above all, and move ahead while it does";
        a.next_flight = "The same with half the descent rate";
    }
    return a;
}

Answer askRotorSpeed(const Flown& flown) {
    if (!flown.no_air.empty()) return unknown("It is not known when it flew: " + flown.no_air);
    double worst = -1;
    std::string of;
    double mean = 0;
    for (int i = 1; i <= 12; ++i) {
        const Channel* rpm = flown.find(fmt::format("rpm.{}", i));
        if (rpm == nullptr) continue;
        const auto steady = flown.steadily(*rpm);
        if (finite(steady) < kEnoughSeconds) continue;
        const Stats all = statsOf(steady);
        if (all.mean <= 0) continue;
        // Slow changes belong to the battery and the climb: each second against those around it.
        std::vector<double> off;
        for (std::size_t k = 2; k + 2 < steady.size(); ++k) {
            const double around = (steady[k - 2] + steady[k - 1] + steady[k + 1] + steady[k + 2]) / 4;
            if (std::isfinite(around) && std::isfinite(steady[k])) off.push_back(std::abs(steady[k] / around - 1));
        }
        if (off.size() < kEnoughSeconds) continue;
        const double percent = 100 * percentile(off, 95);
        if (percent <= worst) continue;
        worst = percent;
        of = rpm->name;
        mean = all.mean;
    }
    if (of.empty()) return unknown("The log has no speeds of rotors or motors in steady flight");
    Answer a;
    a.unit = "%";
    a.value = worst;
    a.verdict = judged(worst, kRotorAttention_percent, kRotorBad_percent);
    a.channels = {of};
    a.evidence = fmt::format("{} wanders by {:.1f} % of {:.0f} turns a minute from second to second", of, worst, mean);
    a.ruled_out.emplace_back("turns and rolls: only steady seconds count");
    if (a.verdict != Verdict::ok) {
        a.advice =
            "Look at the governor, the speed controller and its plugs, the belt or gear, and the battery under load";
        a.next_flight = "Hover a minute in calm air: the speed must stand still";
    }
    return a;
}

Answer askSticks(const Flown& flown) {
    const Channel* sticks[] = {flown.find("stick.roll"), flown.find("stick.pitch"), flown.find("stick.yaw")};
    if (std::all_of(std::begin(sticks), std::end(sticks), [](const Channel* c) { return c == nullptr; }))
        return unknown("The log does not say where the sticks stood");
    if (flown.log.modes.empty()) return unknown("The log has no modes: what the sticks were to do is not known");
    if (!flown.no_air.empty()) return unknown("It is not known when it flew: " + flown.no_air);
    double moved_s = 0, by_itself_s = 0, first_s = -1, most = 0;
    std::string mode;
    const char* which = "";
    constexpr const char* kNames[] = {"roll", "pitch", "yaw"};
    for (int k = 0; k < 3; ++k) {
        if (sticks[k] == nullptr) continue;
        const auto at = flown.inAir(*sticks[k]);
        double this_s = 0, own_s = 0;
        for (std::size_t i = 0; i < at.size(); ++i) {
            if (!std::isfinite(at[i])) continue;
            const std::string now = modeAt(flown.log, flown.timeOf(i));
            if (!fliesItself(now)) continue;
            own_s += Flown::kStep_s;
            if (std::abs(at[i]) < kMoved) continue;
            this_s += Flown::kStep_s;
            most = std::max(most, std::abs(at[i]));
            if (first_s < 0 || flown.timeOf(i) < first_s) {
                first_s = flown.timeOf(i);
                mode = now;
            }
        }
        by_itself_s = std::max(by_itself_s, own_s);
        if (this_s > moved_s) {
            moved_s = this_s;
            which = kNames[k];
        }
    }
    if (by_itself_s <= 0) return unknown("It never flew by itself: the sticks were to move it all the time");
    Answer a;
    a.unit = "s";
    a.value = moved_s;
    a.verdict = moved_s >= kMovedAttention_s ? Verdict::attention : Verdict::ok;
    a.confidence = Answer::medium;
    for (const Channel* c : sticks)
        if (c != nullptr) a.channels.push_back(c->name);
    if (moved_s > 0) {
        a.evidence =
            fmt::format("{} was off its middle for {:.0f} s (up to {:.0f} %) while it flew by itself, first in \"{}\"",
                        which, moved_s, 100 * most, mode);
        a.from_s = first_s - 3;
        a.to_s = first_s + 7;
    } else {
        a.evidence = fmt::format("the sticks rested in all {:.0f} s in which it flew by itself", by_itself_s);
    }
    if (a.verdict != Verdict::ok) {
        a.advice =
            "Let go of the sticks, or take the aircraft over by a mode of one's own; see trims and calibration where "
            "nobody touched them";
        a.held_back.emplace_back("a trim or a stick that does not rest in its middle looks the same");
    }
    return a;
}

}  // namespace anhinga::health
