// Programs: what a plan is flown as, and what an autopilot is told of it.
#include <catch2/catch.hpp>

#include "Planned.h"
#include "core/RandomPlans.h"
#include "core/check/Check.h"
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
        while (std::getline(fields, field, ',')) row.flown.push_back(std::stod(field));
        rows.push_back(row);
    }
    return rows;
}

}  // namespace

TEST_CASE("a program says and flies what was said and flown before there were programs", "[program][demo]") {
    const auto rows = before();
    REQUIRE(rows.size() == 207);
    for (const Before& row : rows) {
        INFO(row.name);
        const bool demo_plan = row.name.find_first_not_of("0123456789") != std::string::npos;
        const auto opened = demo_plan ? loadPlan(demo(row.name + ".anhinga.geojson"))
                                      : Result<Plan>(randomPlan(static_cast<unsigned>(std::stoi(row.name)), true));
        REQUIRE(opened);
        const bool fly = !row.flown.empty();
        const auto terrain = demo_plan || std::stoi(row.name) % 5 == 0 ? island() : nullptr;
        const PlanView view = viewOf(*opened, terrain.get());
        if (!view.sendable()) {
            CHECK(row.items == 0);
            continue;
        }
        CHECK(view.program.entries() == row.items);
        CHECK(planFingerprint(view.toSend(*opened)) == row.fingerprint);
        if (!fly) continue;
        RehearseOptions options;
        options.time_limit_s = 1800;
        const auto flown = rehearse(*opened, view.program, terrain, options);
        REQUIRE(flown);
        CHECK(flown->duration_s == Approx(row.flown[0]).epsilon(0.002));
        CHECK(flown->distance_m == Approx(row.flown[1]).epsilon(0.002));
        CHECK(flown->energy_wh == Approx(row.flown[2]).epsilon(0.002));
        CHECK(flown->photos == Approx(row.flown[3]).margin(1));
    }
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
