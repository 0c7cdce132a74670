// What a flight is held against: the mission its log holds, laid out here number by number as the standard has it; the
// flown line is laid beside it by hand.
#include <catch2/catch.hpp>

#include "Planned.h"
#include "core/base/Modes.h"
#include "core/dialect/Held.h"
#include "core/logio/LogReader.h"
#include "core/logio/LoggedMission.h"
#include "core/plan/PlanFile.h"
#include "core/review/FlownMission.h"
#include "support.h"

using namespace anhinga;
using namespace anhinga::testing;

namespace {

const GeoPoint kHomeHere{47.31, -20.12};
constexpr int kWaypointCommand = 16, kTakeOffCommand = 22, kJumpCommand = 177;

LoggedItem itemAt(int seq, int frame, int command, GeoPoint at, double z) {
    LoggedItem i;
    i.seq = seq;
    i.frame = frame;
    i.command = command;
    i.x = at.lat_deg;
    i.y = at.lon_deg;
    i.z = z;
    return i;
}

/// Flies for 100 s from 100 m east of home to 600 m east of it, `off_m` to the north of that line; entry `last` of the
/// mission is flown from 10 s on, the one before it until then.
FlightLog flownLine(double off_m, const std::function<double(Vec2)>& height_home_m, int last) {
    FlightLog log;
    log.start_unix_s = 1.79e9;
    log.homes = {{0, {kHomeHere.lat_deg, kHomeHere.lon_deg, 12.0}}};
    const LocalFrame frame(kHomeHere);
    for (int s = 0; s <= 110; ++s) {
        const Vec2 p{100 + 5.0 * std::max(0, s - 10), off_m};
        const GeoPoint at = frame.toGeo(p);
        log.channel("position.lat_deg", "deg").add(s, at.lat_deg);
        log.channel("position.lon_deg", "deg").add(s, at.lon_deg);
        if (height_home_m) log.channel("position.height_home_m", "m").add(s, height_home_m(p));
        log.channel("mission.item", "").add(s, s < 10 ? last - 1 : last);
    }
    log.modes = {{0, modeWord(ModeKind::mission)}};
    log.findSessions({});
    return log;
}
/// East of home along its line.
GeoPoint eastOf(double metres) {
    return LocalFrame(kHomeHere).toGeo({metres, 0});
}

PlanBeside beside(const Plan& plan, bool asked = false) {
    return {std::make_shared<const Plan>(plan), std::make_shared<const FlightProgram>(programIn(plan)), nullptr, asked};
}

}  // namespace

TEST_CASE("a flight is held against the mission in its log, not against the plan that is open", "[review][mission]") {
    const auto level = [](Vec2) { return 33.0; };
    // Entry 0 is home with family 3, and the first that is flown with family 12.
    FlightLog three = flownLine(4, level, 3), twelve = flownLine(4, level, 2);
    three.autopilot = 3;
    three.type = twelve.type = 2;
    twelve.autopilot = 12;
    three.mission_lists = {
        {0,
         4,
         {itemAt(0, 0, kWaypointCommand, kHomeHere, 12), itemAt(1, 3, kTakeOffCommand, kHomeHere, 30),
          itemAt(2, 3, kWaypointCommand, eastOf(100), 30), itemAt(3, 3, kWaypointCommand, eastOf(600), 30)}}};
    twelve.mission_lists = {
        {0,
         3,
         {itemAt(0, 3, kTakeOffCommand, kHomeHere, 30), itemAt(1, 3, kWaypointCommand, eastOf(100), 30),
          // Above the sea: home lies 12 m above it.
          itemAt(2, 0, kWaypointCommand, eastOf(600), 42)}}};
    const Plan another = rowPlan(3, {47.4, -20.2});
    for (const FlightLog* log : {&three, &twelve}) {
        INFO("family " << log->autopilot);
        const FlownMission m = flownMission(*log, beside(another, true));
        CHECK(m.from == FlownMission::From::log);
        CHECK_FALSE(m.is_plan);
        REQUIRE(m.figures);
        REQUIRE(m.figures->legs.size() == 1);
        CHECK(m.figures->legs[0].to_seq == (log == &three ? 3 : 2));
        CHECK(m.figures->cross_mean_m.value() == Approx(4).margin(0.05));
        CHECK(m.figures->height_mean_m.value() == Approx(3).margin(0.05));
        CHECK(m.figures->height_max_m.value() == Approx(3).margin(0.05));
        // The same without any plan.
        CHECK(flownMission(*log, {}).figures->cross_mean_m.value() == Approx(4).margin(0.05));
    }
    // Without heights there is no height error, and it is not 0.
    FlightLog flat = flownLine(4, nullptr, 3);
    flat.autopilot = 3;
    flat.type = 2;
    flat.mission_lists = three.mission_lists;
    const FlownMission m = flownMission(flat, {});
    REQUIRE(m.figures);
    CHECK(m.figures->cross_max_m.value() == Approx(4).margin(0.05));
    CHECK_FALSE(m.figures->height_mean_m);
    CHECK_FALSE(m.figures->legs[0].height_max_m);
}

TEST_CASE("legs above ground are held against the ground they follow", "[review][mission]") {
    // A hill of 40 m halfway; home 12 m above the sea. The aircraft keeps 30 m above it.
    const LocalFrame frame(kHomeHere);
    const auto ground = [&](GeoPoint p) -> std::optional<double> {
        return 12 + 40 * std::sin(M_PI * (frame.toLocal(p).x - 100) / 500);
    };
    FlightLog log = flownLine(
        0, [&](Vec2 p) { return *ground(frame.toGeo(p)) - 12 + 31; }, 3);
    log.autopilot = 3;
    log.type = 2;
    const LoggedMission mission{
        0,
        4,
        {itemAt(0, 0, kWaypointCommand, kHomeHere, 12), itemAt(1, 3, kTakeOffCommand, kHomeHere, 30),
         itemAt(2, 10, kWaypointCommand, eastOf(100), 30), itemAt(3, 10, kWaypointCommand, eastOf(600), 30)}};
    LoggedProgram program = programOfLog(mission, log, nullptr);
    CHECK(program.follows_ground);
    CHECK(program.home_amsl_m == 12.0);
    const auto with = plannedAgainstFlown(program.program, log, {.home_amsl_m = 12, .ground_amsl_m = ground});
    REQUIRE(with);
    CHECK(with->height_mean_m.value() == Approx(1).margin(0.02));
    CHECK(with->height_max_m.value() == Approx(1).margin(0.02));
    // Where the ground is not known neither is the error.
    CHECK_FALSE(plannedAgainstFlown(program.program, log, {.home_amsl_m = 12})->height_max_m);
}

TEST_CASE("without a mission in the log only a plan that was handed over before counts, or one that is asked for",
          "[review][mission]") {
    Plan plan = rowPlan(6, kHomeHere);
    const auto second = programIn(plan).lastOf(plan.items[2].id);
    REQUIRE(second);
    FlightLog log = flownLine(
        2, [](Vec2) { return 30.0; }, *second);
    log.system = 7;
    CHECK(flownMission(log, beside(plan)).from == FlownMission::From::nothing);
    CHECK_FALSE(flownMission(log, beside(plan)).figures);
    CHECK(flownMission(log, beside(plan)).not_compared.find("no whole mission") != std::string::npos);
    CHECK(flownMission(log, {}).not_compared.find("no plan is open") != std::string::npos);
    const FlownMission asked = flownMission(log, beside(plan, true));
    CHECK(asked.from == FlownMission::From::asked);
    CHECK(asked.is_plan);
    REQUIRE(asked.figures);
    CHECK(asked.figures->cross_mean_m.value() == Approx(2).margin(0.05));
    Seal seal;
    seal.fingerprint = planFingerprint(toSend(plan));
    seal.vehicle = 7;
    seal.time_unix_s = log.start_unix_s - 60;
    plan.seals = {seal};
    CHECK(flownMission(log, beside(plan)).from == FlownMission::From::seal);
    // Another aircraft's; one of after the flight; one of another state of the plan.
    for (const int wrong : {0, 1, 2}) {
        INFO(wrong);
        plan.seals = {seal};
        if (wrong == 0) plan.seals[0].vehicle = 8;
        if (wrong == 1) plan.seals[0].time_unix_s = log.start_unix_s + 7200;
        if (wrong == 2) plan.seals[0].fingerprint ^= 1;
        CHECK(flownMission(log, beside(plan)).from == FlownMission::From::nothing);
    }
    // Half a mission is none.
    log.mission_lists = {{0, 4, {itemAt(0, 0, kWaypointCommand, kHomeHere, 12)}}};
    CHECK(flownMission(log, beside(rowPlan(6, kHomeHere))).from == FlownMission::From::nothing);
}

TEST_CASE("the demo's recording knows its plan, and the same figures come when the plan is changed afterwards",
          "[review][mission][demo]") {
    const auto log = openLog(demo("patrol-flight.tlog"));
    REQUIRE(log);
    Plan plan = *loadPlan(demo("patrol.anhinga.geojson"));
    const PlanBeside as_flown{std::make_shared<const Plan>(plan),
                              std::make_shared<const FlightProgram>(programIn(plan, island().get())), island(), false};
    const FlownMission own = flownMission(**log, as_flown);
    CHECK(own.from == FlownMission::From::log);
    CHECK(own.is_plan);
    REQUIRE(own.figures);
    CHECK(own.inPlan(3) == 3);
    for (Item& item : plan.items)
        if (item.kind == ItemKind::waypoint) item.position = destination(item.position, 10, 50);
    const PlanBeside moved{std::make_shared<const Plan>(plan),
                           std::make_shared<const FlightProgram>(programIn(plan, island().get())), island(), false};
    const FlownMission other = flownMission(**log, moved);
    CHECK(other.from == FlownMission::From::log);
    CHECK_FALSE(other.is_plan);
    REQUIRE(other.figures);
    CHECK(other.figures->cross_max_m == own.figures->cross_max_m);
    CHECK(other.figures->cross_max_m.value() < 8);
    CHECK(other.figures->height_max_m == own.figures->height_max_m);
}

TEST_CASE("of several missions in a log the one that was flown longest counts, while it was aboard",
          "[review][mission]") {
    FlightLog log = flownLine(
        4, [](Vec2) { return 30.0; }, 3);
    log.autopilot = 3;
    log.type = 2;
    const auto list = [&](double t_s, double north_m) {
        const LocalFrame frame(kHomeHere);
        return LoggedMission{
            t_s,
            4,
            {itemAt(0, 0, kWaypointCommand, kHomeHere, 12), itemAt(1, 3, kTakeOffCommand, kHomeHere, 30),
             itemAt(2, 3, kWaypointCommand, frame.toGeo({100, north_m}), 30),
             itemAt(3, 3, kWaypointCommand, frame.toGeo({600, north_m}), 30)}};
    };
    log.mission_lists = {list(-20, 300), list(-5, 0), list(80, 200)};
    const LoggedMission* flown = missionFlown(log);
    REQUIRE(flown == &log.mission_lists[1]);
    CHECK(aboard_s(*flown, log).second == 80);
    const FlownMission m = flownMission(log, {});
    REQUIRE(m.figures);
    CHECK(m.figures->cross_max_m.value() == Approx(4).margin(0.05));
    // A repeat in it leads where it says in the list's own count.
    LoggedMission repeating = list(0, 0);
    LoggedItem jump;
    jump.seq = 4;
    jump.frame = 2;
    jump.command = kJumpCommand;
    jump.param[0] = 2;
    jump.param[1] = 3;
    repeating.items.push_back(jump);
    repeating.count = 5;
    const LoggedProgram program = programOfLog(repeating, log, nullptr);
    const ProgramStep* step = program.program.at(4);
    REQUIRE(step != nullptr);
    const auto* back = step->action() != nullptr ? std::get_if<GoBack>(step->action()) : nullptr;
    REQUIRE(back != nullptr);
    CHECK(program.program.numberOf(back->to) == 2);
}
