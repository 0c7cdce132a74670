// Programs: what a plan is flown as, and what an autopilot is told of it.
#include <catch2/catch.hpp>
#include <random>
#include <sstream>

#include "Planned.h"
#include "core/RandomPlans.h"
#include "core/check/Check.h"
#include "core/derive/PlanAnalysis.h"
#include "core/exchange/Export.h"
#include "core/flight/Rehearse.h"
#include "core/plan/PlanFile.h"
#include "support.h"

using namespace anhinga;
using namespace anhinga::testing;

namespace {

/// Items and rehearsals of the demo's plans and of 200 random ones, as they were worked out before there were programs.
struct Before {
    std::string name;
    std::size_t items = 0;
    std::uint64_t fingerprint = 0;
    std::vector<double> flown;  // seconds, metres, Wh, photos; empty: not rehearsed
};
std::vector<Before> before() {
    std::vector<Before> rows;
    std::istringstream text(slurp(std::string(TESTS_DIR) + "/core/plans-before-programs.csv"));
    for (std::string line; std::getline(text, line);) {
        std::istringstream fields(line);
        Before row;
        std::string field;
        std::getline(fields, row.name, ',');
        std::getline(fields, field, ',');
        row.items = std::stoul(field);
        std::getline(fields, field, ',');
        row.fingerprint = std::stoull(field, nullptr, 16);
        while (std::getline(fields, field, ',')) {
            double number = 0;
            REQUIRE(std::istringstream(field) >> number);
            row.flown.push_back(number);
        }
        rows.push_back(row);
    }
    return rows;
}

}  // namespace

TEST_CASE("a program says and flies what was said and flown before there were programs", "[program][demo]") {
    const auto rows = before();
    REQUIRE(rows.size() == 207);
    int follow = 0;
    for (const Before& row : rows) {
        INFO(row.name);
        const bool demo_plan = row.name.find_first_not_of("0123456789") != std::string::npos;
        auto opened = demo_plan ? loadPlan(demo(row.name + ".anhinga.geojson"))
                                : Result<Plan>(randomPlan(static_cast<unsigned>(std::stoi(row.name)), true));
        REQUIRE(opened);
        const bool fly = !row.flown.empty();
        const auto terrain = demo_plan || std::stoi(row.name) % 5 == 0 ? island() : nullptr;
        const PlanView view = viewOf(*opened, terrain.get());
        if (!view.sendable()) {
            CHECK(row.items == 0);
            continue;
        }
        // Legs between two heights above ground follow it since: these are other items, and another flight.
        if (!view.program.ground_legs.empty()) {
            ++follow;
            continue;
        }
        CHECK(view.program.entries() == row.items);
        // A landing was told the height of a waypoint; it has none since.
        MissionSet items = itemsOf(view.toSend(*opened));
        for (MissionItem& i : items.mission)
            if (const Item* item = opened->find(view.program.sourceAt(i.seq)); i.command == cmd::land) {
                REQUIRE(item != nullptr);
                i.z = static_cast<float>(effectiveHeight(*opened, *item).value_m);
                i.frame = frameOf(effectiveHeight(*opened, *item).ref);
            }
        CHECK(missionFingerprint(items) == row.fingerprint);
        // Landings came down from the height of a waypoint.
        if (!fly || (!demo_plan && opened->items.back().kind == ItemKind::land)) continue;
        // Flown with what was known of the vehicle then.
        if (opened->vehicle.kind == VehicleKind::multirotor) {
            opened->vehicle.efficiency = 0.55;
            opened->vehicle.blade_share = 0;
            opened->vehicle.drag_area_m2 = 0.035;
            opened->vehicle.jerk_mps3 = 15;
            opened->vehicle.battery_wh = 89;
        }
        RehearseOptions options;
        options.time_limit_s = 1800;
        const auto flown = rehearse(*opened, view.program, terrain, options);
        REQUIRE(flown);
        // Since then a corner is passed no faster than the slope behind it allows: some of the random ones are steep.
        // Braking builds up within the jerk limit since, too: short legs take longer. Circles are left at speed.
        // Wings come back to a line by another law since.
        const double close = demo_plan ? 0.004 : hovers(opened->vehicle.kind) ? 0.01 : 0.03;
        CHECK(flown->duration_s == Approx(row.flown[0]).epsilon(close));
        CHECK(flown->distance_m == Approx(row.flown[1]).epsilon(close));
        CHECK(flown->energy_wh == Approx(row.flown[2]).epsilon(close));
        CHECK(flown->photos == Approx(row.flown[3]).epsilon(demo_plan ? 0 : close).margin(demo_plan ? 1 : 3));
    }
    CHECK(follow < 12);
}

TEST_CASE("what is read back as a program is told in the same items again", "[program]") {
    for (unsigned seed = 1; seed <= 200; ++seed) {
        INFO(seed);
        const Plan plan = randomPlan(seed, true);
        const auto items = itemsIn(plan);
        const auto again = itemsOf(programRead(items, plan.traits.item0_is_home));
        REQUIRE(again.size() == items.size());
        CHECK(missionFingerprint({again, {}, {}}) == missionFingerprint({items, {}, {}}));
    }
}

TEST_CASE("every height is resolved once, or says why it cannot be", "[program][height]") {
    Plan plan = rowPlan(3);
    plan.items[1].height = Height::amsl(100);
    plan.items[2].height = Height::aboveGround(40);
    const auto leg = [](const FlightProgram& p, const Plan& of, std::size_t item) -> ProgramLeg {
        for (const ProgramStep& step : p.steps)
            if (step.source == of.items[item].id && step.leg() != nullptr) return *step.leg();
        return {};
    };
    FlightProgram program = programIn(plan);
    CHECK(leg(program, plan, 1).amsl_m == 100);
    CHECK_FALSE(leg(program, plan, 2).amsl_m);
    CHECK(leg(program, plan, 2).gap == HeightGap::ground);
    CHECK(leg(program, plan, 3).amsl_m == 60);  // above home at 0 m
    REQUIRE(firstUnknown(program));
    CHECK(program.steps[*firstUnknown(program)].source == plan.items[2].id);
    resolveHeights(program, 5.0, [](GeoPoint) { return std::optional(12.0); });
    CHECK(leg(program, plan, 2).amsl_m == 52);
    CHECK(leg(program, plan, 3).amsl_m == 65);
    CHECK_FALSE(firstUnknown(program));
    plan.home->amsl_m.reset();
    program = programIn(plan);
    CHECK(leg(program, plan, 3).gap == HeightGap::homeHeight);
    CHECK(leg(program, plan, 1).gap == HeightGap::none);
}

TEST_CASE("a height above ground is not rehearsed over ground nobody knows", "[program][flight]") {
    Plan plan = rowPlan(3);
    plan.items[2].height = Height::aboveGround(40);
    const auto flown = rehearse(plan, programIn(plan), nullptr);
    REQUIRE_FALSE(flown);
    CHECK(flown.error().code == ErrorCode::unknownGround);
    CHECK(flown.error().message.find("Waypoint 2") != std::string::npos);
}

TEST_CASE("steps are numbered as they are counted aboard", "[program]") {
    Plan plan = rowPlan(2);
    FlightProgram program = programIn(plan);
    CHECK(program.numberOf(0) == 1);
    CHECK(program.at(0) == nullptr);  // home
    CHECK(program.sourceAt(1) == plan.items[0].id);
    CHECK(program.entries() == program.steps.size() + 1);
    CHECK(program.sourceAt(static_cast<int>(program.entries())) == 0);
    CHECK(program.sourceAt(-4) == 0);
    CHECK(program.lastOf(plan.items.back().id) == static_cast<int>(program.entries()) - 1);
    plan.traits.item0_is_home = false;
    program = programIn(plan);
    CHECK(program.numberOf(0) == 0);
    CHECK(program.sourceAt(0) == plan.items[0].id);
}

namespace {

/// Points over the island's relief, all so high above the ground, from its shore across its hills.
Plan acrossTheIsland(double height_m, bool wing = false) {
    Plan plan = rowPlan(4, {47.3052, -20.1068});
    plan.home->amsl_m.reset();
    if (wing) plan.vehicle = skimmer();
    plan.defaults.height = Height::aboveGround(height_m);
    const double north[] = {500, 1200, 900, -300}, east[] = {-400, 300, 1300, 900};
    for (std::size_t k = 0; k < 4; ++k) {
        plan.items[k + 1].height.reset();
        plan.items[k + 1].position = destination(destination(plan.home->position, 0, north[k]), 90, east[k]);
    }
    return plan;
}

/// How far below and above `asked_m` over the ground it flies from the first waypoint on to the last.
std::pair<double, double> offTheGround(const Plan& plan, const FlightProgram& program, const Rehearsal& flown,
                                       double asked_m) {
    const Channel &lat = *flown.log->find("position.lat_deg"), &lon = *flown.log->find("position.lon_deg"),
                  &item = *flown.log->find("mission.item"), &amsl = *flown.log->find("position.height_amsl_m");
    double lowest = 0, highest = 0;
    for (std::size_t i = 0; i < lat.t_s.size(); ++i) {
        const ProgramStep* step = program.at(static_cast<int>(item.at(lat.t_s[i]).value_or(0)));
        const bool led = step != nullptr && step->leg() != nullptr && step->leg()->kind == LegKind::pass &&
                         step->source != plan.items[1].id;
        if (!led) continue;
        const auto ground = island()->sample({lat.value[i], lon.value[i]});
        REQUIRE(ground);
        const double off = *amsl.at(lat.t_s[i]) - *ground - asked_m;
        lowest = std::min(lowest, off);
        highest = std::max(highest, off);
    }
    return {lowest, highest};
}

}  // namespace

TEST_CASE("every leg that follows the ground is measured, also behind a wait", "[program][follow]") {
    Plan plan = acrossTheIsland(70);
    plan.items[1].actions = {Delay{3}};
    plan.items[2].actions = {Delay{2}};
    const FlightProgram program = programIn(plan, island().get());
    const auto flown = rehearse(plan, program, island());
    REQUIRE(flown);
    REQUIRE(program.ground_legs.size() == 3);
    REQUIRE(flown->ground_off.size() == 3);
    for (std::size_t k = 0; k < 3; ++k) CHECK(flown->ground_off[k].item == plan.items[k + 2].id);
}

TEST_CASE("a height above ground is flown as asked for, or it is a stop", "[program][follow][check]") {
    std::mt19937 random(17);
    std::uniform_real_distribution<double> away(-1400, 1400);
    int refused[2] = {0, 0}, flown_so[2] = {0, 0};
    for (int k = 0; k < 24; ++k) {
        const bool wing = k % 2 == 1;
        Plan plan = acrossTheIsland(wing ? 120 : 70, wing);
        for (std::size_t i = 1; i <= 4; ++i) {
            const double north_m = away(random), east_m = away(random);  // in this order with every compiler
            plan.items[i].position = destination(destination(plan.home->position, 0, north_m), 90, east_m);
        }
        INFO("route " << k);
        plan.defaults.follow_tolerance_m = k % 4 < 2 ? 2 : 5;
        const double allowed = plan.defaults.follow_tolerance_m + 1;
        const auto analysis = withFlights(beginAnalysis(std::make_shared<const Plan>(plan), island()));
        REQUIRE(analysis);
        REQUIRE(analysis->rehearsal);
        const auto stops = stopsBefore(*analysis, 0);
        const auto found = std::find_if(stops.begin(), stops.end(), [](auto& f) { return f.rule == "above-ground"; });
        const bool stop = found != stops.end();
        const auto [lowest, highest] =
            offTheGround(plan, analysis->view.program, *analysis->rehearsal, wing ? 120 : 70);
        CAPTURE(lowest, highest);
        ++(stop ? refused : flown_so)[wing ? 1 : 0];
        CHECK(stop == (lowest < -allowed || highest > allowed));
        if (!stop || wing) continue;
        // Slower, as is offered, it comes nearer to what was asked.
        REQUIRE(found->corrections.size() == 2);
        Plan slower = plan;
        found->corrections.front().apply(slower);
        const auto again = withFlights(beginAnalysis(std::make_shared<const Plan>(slower), island()));
        REQUIRE(again);
        const auto [low, high] = offTheGround(slower, again->view.program, *again->rehearsal, 70);
        CHECK(std::max(-low, high) < std::max(-lowest, highest));
    }
    CHECK(flown_so[0] >= 5);
    CHECK(refused[0] >= 3);
    CHECK(refused[1] >= 6);  // wings cannot climb the island's sides
}

TEST_CASE("between two heights above ground it is flown along the ground, over real relief", "[program][follow]") {
    for (const bool wing : {false, true})
        for (const double tolerance : {2.0, 8.0}) {
            INFO((wing ? "wing" : "rotors") << " within " << tolerance);
            Plan plan = acrossTheIsland(70, wing);
            plan.defaults.follow_tolerance_m = tolerance;
            const FlightProgram program = programIn(plan, island().get());
            // Relief: straight from point to point it would be far off.
            REQUIRE(program.ground_legs.size() == 3);
            int between = 0;
            for (const GroundLeg& leg : program.ground_legs) between += static_cast<int>(leg.points.size());
            CHECK(between > 2);
            const auto flown = rehearse(plan, program, island());
            REQUIRE(flown);
            const auto [lowest, highest] = offTheGround(plan, program, *flown, 70);
            CHECK(lowest > -tolerance - 1);
            CHECK(lowest < -0.2);
            // Wings climb before what is steeper than they can. A corner at the gully's edge is cut by a metre or two,
            // where the ground falls by three quarters of that.
            CHECK(highest < (wing ? 60 : tolerance + 1.5));
        }
}

TEST_CASE("a repeat goes back to the point itself, not to the way there", "[program][follow][repeat]") {
    Plan plan = acrossTheIsland(60);
    plan.items[3].actions = {Repeat{plan.items[2].id, 1}};
    plan.items[2].speed_mps = 5;
    const FlightProgram program = programIn(plan, island().get());
    const ProgramStep* back = nullptr;
    for (const ProgramStep& step : program.steps)
        if (step.action() != nullptr && std::holds_alternative<GoBack>(*step.action())) back = &step;
    REQUIRE(back != nullptr);
    std::size_t to = std::get<GoBack>(*back->action()).to;
    REQUIRE(program.steps[to].action() != nullptr);  // its speed first
    CHECK(std::get<SetSpeed>(*program.steps[to].action()).speed_mps == 5);
    REQUIRE(program.steps[to + 1].leg() != nullptr);
    CHECK_FALSE(program.steps[to + 1].leg()->on_the_way);
    CHECK(distance_m(program.steps[to + 1].leg()->place, plan.items[2].position) < 0.1);
    for (const bool wing : {false, true}) {
        Plan drawn = plan;
        if (wing) drawn.vehicle = skimmer();
        const Path path = pathIn(drawn, island().get());
        REQUIRE(path.legs.back().repeat);
        CHECK(distance_m(path.points[path.legs.back().to].position, plan.items[2].position) < 0.5);
    }
    const auto flown = rehearse(plan, program, island());
    REQUIRE(flown);
    CHECK(flown->visits.at(plan.items[2].id) == 2);
    // The way back is flown straight: that is said where it is not the height asked for.
    const PlanView view = viewOf(plan, island().get());
    bool said = false;
    for (const Finding& f : check({plan, view, island().get()}))
        said |= f.rule == "above-ground" && f.message.find("straight back") != std::string::npos;
    CHECK(said);
}

TEST_CASE("above ground nobody knows is a stop", "[program][follow][check]") {
    Plan plan = acrossTheIsland(60);
    plan.home->amsl_m = 20;
    const PlanView view = viewOf(plan, nullptr);
    int stops = 0;
    for (const Finding& f : check({plan, view, nullptr}))
        stops += f.rule == "above-ground" && f.severity == Severity::stop;
    CHECK(stops == 1);
    // And what was laid out is taken over by the next view where nothing of it changed.
    const PlanView before = viewOf(plan, island().get());
    Plan moved = plan;
    moved.items[4].position = destination(moved.items[4].position, 90, 40);
    const PlanView quick = viewOf(moved, island().get(), plan, before), whole = viewOf(moved, island().get());
    CHECK(planFingerprint(quick.toSend(moved)) == planFingerprint(whole.toSend(moved)));
    CHECK(planFingerprint(quick.toSend(moved)) != planFingerprint(before.toSend(plan)));
}

TEST_CASE("a landing arrives as high as it comes and then goes down, whatever height stands with it",
          "[program][landing]") {
    for (const double height : {0.0, 25.0, 90.0}) {
        INFO(height);
        Plan plan = rowPlan(3);
        plan.items.back().kind = ItemKind::land;
        plan.items.back().position = destination(plan.items[3].position, 0, 80);
        plan.items.back().height = Height::aboveHome(height);
        const auto items = itemsIn(plan);
        CHECK(items.back().command == cmd::land);
        CHECK(items.back().z == 0);
        CHECK(items.back().frame == frame::home);
        const Path path = pathIn(plan);
        REQUIRE(path.legs.size() >= 2);
        const PathLeg& level = path.legs[path.legs.size() - 2];
        CHECK(path.points[level.from].amsl_m == path.points[level.to].amsl_m);
        CHECK(path.legs.back().climb);
        // And so it is rehearsed: level until it is there.
        const auto flown = rehearse(plan, programIn(plan), nullptr);
        REQUIRE(flown);
        CHECK(flown->landed);
        CHECK(flown->max_height_home_m < 61);
    }
    // As a list read from an aircraft holds it.
    Plan plan = rowPlan(2);
    plan.items.back().kind = ItemKind::land;
    const auto back = decompile({itemsIn(plan), {}, {}}, plan);
    REQUIRE(back);
    CHECK_FALSE(back->plan.items.back().height);
}

TEST_CASE("what stands after a landing is not flown, and that is found", "[program][landing][check]") {
    Plan plan = rowPlan(3);
    const auto found = [&] {
        const PlanView view = viewOf(plan, nullptr);
        std::vector<Finding> out;
        for (const Finding& f : check({plan, view, nullptr}))
            if (f.rule == "after-landing") out.push_back(f);
        return out;
    };
    CHECK(found().empty());
    std::rotate(plan.items.begin() + 2, plan.items.end() - 1, plan.items.end());  // the return after the first point
    const auto said = found();
    REQUIRE(said.size() == 1);
    CHECK(said[0].item == plan.items[3].id);
    CHECK(said[0].message.find("2 items after it are not flown") != std::string::npos);
    said[0].corrections.at(0).apply(plan);
    CHECK(found().empty());
    CHECK(plan.items.back().kind == ItemKind::returnHome);
}

TEST_CASE("exports name the points on the way along the ground, and give the items their own heights",
          "[program][follow][exchange]") {
    const Plan plan = acrossTheIsland(70);
    const Path path = pathIn(plan, island().get());
    const auto ground = island()->sample(plan.items[2].position);
    REQUIRE(ground);
    std::istringstream rows(planCsv(plan, path));
    int own = 0, on_the_way = 0;
    for (std::string row; std::getline(rows, row);) {
        if (row.find(",way to Waypoint 2,") != std::string::npos) ++on_the_way;
        if (row.find(",Waypoint 2,") == std::string::npos) continue;
        ++own;
        CHECK(row.find(",70.00,ground,") != std::string::npos);
        CHECK(row.ends_with(fmt::format(",{:.2f}", *ground + 70)));
    }
    CHECK(own == 1);
    CHECK(on_the_way > 2);
    // Where an item is shown with its height it is its own, not that of the first point on the way there.
    const std::string kml = planKml(plan, path);
    const auto at = kml.find("<name>Waypoint 2</name>");
    REQUIRE(at != std::string::npos);
    CHECK(kml.substr(at, 400).find(fmt::format(",{:.2f}", *ground + 70)) != std::string::npos);
}

TEST_CASE("a heading holds all along a leg that follows the ground", "[program][follow]") {
    Plan plan = acrossTheIsland(70);
    plan.items[1].actions = {SetHeading{200}};
    const FlightProgram program = programIn(plan, island().get());
    const auto flown = rehearse(plan, program, island());
    REQUIRE(flown);
    const Channel &yaw = *flown->log->find("attitude.yaw_deg"), &item = *flown->log->find("mission.item");
    int looked = 0;
    double left_s = 0;
    ItemId before = 0;
    for (std::size_t i = 0; i < yaw.t_s.size(); ++i) {
        const ItemId to = program.sourceAt(static_cast<int>(item.at(yaw.t_s[i]).value_or(0)));
        if (to != before) left_s = yaw.t_s[i];
        before = to;
        constexpr double kTurns_s = 6;
        if (to != plan.items[2].id || yaw.t_s[i] - left_s < kTurns_s) continue;
        ++looked;
        CHECK(std::abs(wrapAngle(yaw.value[i] - 200)) < 3);
    }
    CHECK(looked > 100);
}
