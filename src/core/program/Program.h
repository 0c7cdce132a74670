// What is flown: a plan's route as typed legs and actions, with every height resolved once. Checks, rehearsal, sorties,
// watch and review take it; a dialect makes mission items of it and reads items back into it.
#pragma once

#include <functional>
#include <optional>
#include <variant>
#include <vector>

#include "core/base/Result.h"
#include "core/program/Route.h"

namespace anhinga {

/// `stay`: for ever; a wing circles there.
enum class LegKind { takeOff, pass, hold, circle, toHeight, land, returnHome, wait, stay };

/// Why it is not known how high above the sea a place is.
enum class HeightGap { none, homeHeight, ground };

/// True for what ends a flight: nothing that is to be done comes after it.
inline bool endsFlight(LegKind kind) {
    return kind == LegKind::land || kind == LegKind::returnHome || kind == LegKind::stay;
}

/// Flies to a place, or stays at one.
struct ProgramLeg {
    LegKind kind = LegKind::pass;
    bool placed = true;            // else it happens wherever the aircraft is
    GeoPoint place;                // of a circle: its middle; of take-off and return: home, where there is one
    Height height;                 // as it was asked for; unused where it waits
    std::optional<double> amsl_m;  // the same above sea level; nothing for the reason in `gap`
    HeightGap gap = HeightGap::none;
    double speed_mps = 0;
    bool through_air = false;  // the speed is through the air, else over ground
    double acceptance_m = 2;   // how near counts as reached
    double hold_s = 0;
    bool spline = false;
    double turns = 0, radius_m = 0;  // of a circle; turns below 0 go left. Of a stay: 0 is the aircraft's own
    int part = 0;                    // which leg of its item, from 0: a pattern has many
    bool on_the_way = false;         // leads to its item along the ground, which comes after it

    /// Whether it is flown the same as `o`, at whatever speed.
    bool sameAim(const ProgramLeg& o) const {
        return kind == o.kind && placed == o.placed && place == o.place && height == o.height &&
               acceptance_m == o.acceptance_m && hold_s == o.hold_s && spline == o.spline && turns == o.turns &&
               radius_m == o.radius_m;
    }
};

struct SetSpeed {
    double speed_mps = 0;
};
/// On with an earlier (or later) step; `count` extra passes, endless when negative.
struct GoBack {
    static constexpr std::size_t kNowhere = static_cast<std::size_t>(-1);
    ItemId target = 0;
    std::size_t to = kNowhere;
    int count = 0;
};
/// A photo every so many metres from here on, 0 stops; `at_once`: the first here.
struct PhotosByDistance {
    double distance_m = 0;
    bool at_once = false;
};
struct LookAtPlace {
    GeoPoint place;
    Height height;
    std::optional<double> amsl_m;
};

/// What happens on the way.
using ProgramAction = std::variant<SetSpeed, GoBack, PhotosByDistance, LookAtPlace, LookAtStop, PhotoNow, PhotoInterval,
                                   Video, SetHeading, GimbalPitch, Servo, Relay, RawCommand>;

struct ProgramStep {
    ItemId source = 0;  // the plan's item it comes from; 0: none
    std::variant<ProgramLeg, ProgramAction> what;

    const ProgramLeg* leg() const { return std::get_if<ProgramLeg>(&what); }
    const ProgramAction* action() const { return std::get_if<ProgramAction>(&what); }
};

/// A leg between two heights above ground as it was laid out along it: where the points stand, and from what.
struct GroundLeg {
    GeoPoint from, to;
    double from_m = 0, to_m = 0;  // above ground
    double climb_slope = 0, descent_slope = 0, tolerance_m = 0;
    struct Point {
        GeoPoint place;
        double height_m = 0;  // above ground
    };
    std::vector<Point> points;
    bool unknown_ground = false;  // somewhere on the way: it is flown straight
    bool laidOutAs(const GroundLeg& o) const {
        return from == o.from && to == o.to && from_m == o.from_m && to_m == o.to_m && climb_slope == o.climb_slope &&
               descent_slope == o.descent_slope && tolerance_m == o.tolerance_m;
    }
};

/// Where a flight along a leg that follows the ground was furthest from the height asked for.
struct GroundOff {
    ItemId item = 0;   // the leg leads to
    double off_m = 0;  // higher, or lower where negative
    GeoPoint at;
};

/// Steps in the order of the itinerary, repeats not unrolled. Aboard they are counted from 1 where home comes first.
struct FlightProgram {
    std::vector<ProgramStep> steps;
    bool home_slot = true;
    std::optional<Home> home;
    std::vector<GroundLeg> ground_legs;  // in the order of the steps they lead to

    int first() const { return home_slot ? 1 : 0; }
    /// The number of a step as it is counted aboard; and the step of a number, null for home and beyond the end.
    int numberOf(std::size_t step) const { return static_cast<int>(step) + first(); }
    const ProgramStep* at(int number) const;
    ItemId sourceAt(int number) const;
    /// How many entries it takes aboard, home counted.
    std::size_t entries() const { return steps.size() + static_cast<std::size_t>(first()); }
    /// Number of the last entry of an item, or nothing.
    std::optional<int> lastOf(ItemId id) const;
};

/// The program of a route. The speed is set before the first leg that has one, wherever it changes, and at every target
/// of a repeat (going back must not inherit another). A straight leg between two heights above ground gets points on
/// the way, between which it is flown straight and stays within the plan's tolerance of the height asked for; what is
/// known of `before` (over the same terrain) is taken from there.
FlightProgram programOf(const Plan& plan, const Route& route, const Terrain* terrain,
                        const FlightProgram* before = nullptr);
/// What is flown over and over until something ends it: the numbers of its first entry, of its last leg, and of the
/// repeat that leads back. Nothing where every repeat ends.
struct EndlessLoop {
    int first = 0, last_leg = 0, repeat = 0;
};
std::optional<EndlessLoop> endlessLoop(const FlightProgram& program);
/// Why it cannot be sent at all, in words: no home, a repeat without a target, nothing to fly, too long.
Result<void> sendable(const Plan& plan, const FlightProgram& program);
/// Every height anew, from home's height and over this terrain (either may be unknown).
void resolveHeights(FlightProgram& program, std::optional<double> home_amsl_m, const Terrain* terrain);
/// The same over a ground of its own.
void resolveHeights(FlightProgram& program, std::optional<double> home_amsl_m,
                    const std::function<std::optional<double>(GeoPoint)>& ground_amsl_m);
/// The first step whose height is not known though it decides where is flown; nothing when all are. A take-off is known
/// once it is begun, a landing comes down until it stands.
std::optional<std::size_t> firstUnknown(const FlightProgram& program);
/// The same with its numbers as an autopilot holds them: places to 1e-7 degrees, all else as 32-bit floats.
FlightProgram asHeld(FlightProgram program);

/// All of a plan that is handed over.
struct ToSend {
    FlightProgram program;
    std::vector<Fence> fences;
    std::vector<RallyPoint> rally;
};

}  // namespace anhinga
