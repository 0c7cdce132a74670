#include <catch2/catch.hpp>

#include "Planned.h"
#include "core/check/Clearance.h"
#include "core/program/Path.h"
#include "support.h"

using namespace anhinga;
using namespace anhinga::testing;

namespace {
Path pathFor(const Plan& plan) {
    return pathIn(plan);
}
int climbs(const Path& path) {
    return static_cast<int>(
        std::count_if(path.legs.begin(), path.legs.end(), [](const PathLeg& l) { return l.climb; }));
}
}  // namespace

TEST_CASE("the path goes up, across and home, each leg once", "[mission][path]") {
    const Plan plan = rowPlan(3);
    const Path path = pathFor(plan);
    REQUIRE(path.legs.size() == 6);  // climb, three legs, home, down (already at the return height)
    CHECK(path.legs.front().climb);
    CHECK(path.points[1].amsl_m == 30.0);
    CHECK(path.legs[4].way_home);
    CHECK(path.legs.back().climb);
    CHECK(path.points.back().amsl_m == 0.0);
    CHECK(path.length_m == Approx(600).margin(0.01));
    CHECK(path.points[3].along_m == Approx(198).margin(0.01));  // where the next leg takes over
    for (std::size_t i = 0; i + 1 < path.points.size(); ++i)
        CHECK(path.points[i].along_m <= path.points[i + 1].along_m);
}

TEST_CASE("the way home climbs first when it is lower than the return height, and never descends for it",
          "[mission][path]") {
    Plan plan = rowPlan(2);
    plan.return_height_m = 100;
    const Path low = pathFor(plan);
    CHECK(climbs(low) == 3);
    bool found = false;
    for (const PathLeg& leg : low.legs)
        if (leg.way_home) {
            found = true;
            CHECK(low.points[leg.from].amsl_m == 100.0);
            CHECK(low.points[leg.to].amsl_m == 100.0);
        }
    CHECK(found);
    plan.return_height_m = 20;
    for (const PathLeg& leg : pathFor(plan).legs)
        if (leg.way_home) CHECK(pathFor(plan).points[leg.from].amsl_m == 60.0);
}

TEST_CASE("a repeat adds the leg it flies, but not to the length", "[mission][path][repeat]") {
    Plan plan = rowPlan(4);
    const double before = pathFor(plan).length_m;
    plan.items[4].actions = {Repeat{plan.items[1].id, 3}};
    const Path path = pathFor(plan);
    CHECK(path.length_m == Approx(before));
    const auto leg = std::find_if(path.legs.begin(), path.legs.end(), [](const PathLeg& l) { return l.repeat; });
    REQUIRE(leg != path.legs.end());
    CHECK(path.points[leg->from].source == plan.items[4].id);
    CHECK(path.points[leg->to].source == plan.items[1].id);
    plan.items[4].actions = {Repeat{plan.items[4].id, 3}};
    const Path self = pathFor(plan);
    CHECK(std::none_of(self.legs.begin(), self.legs.end(), [](const PathLeg& l) { return l.repeat; }));
    plan.items[4].actions = {Repeat{4711, 3}};
    CHECK(pathFor(plan).legs.size() == self.legs.size());
}

TEST_CASE("a landing ends on the ground of its own place", "[mission][path]") {
    Plan plan = rowPlan(2);
    plan.items.back().kind = ItemKind::land;
    plan.items.back().position = destination(plan.home->position, 0, 300);
    const Path path = pathFor(plan);
    CHECK(path.legs.back().climb);
    CHECK(distance_m(path.points.back().position, plan.items.back().position) < 0.01);
    CHECK_FALSE(path.points.back().amsl_m);  // ground unknown without terrain
}

TEST_CASE("without a take-off the first move is drawn up, then across", "[mission][path]") {
    Plan plan = rowPlan(2);
    plan.items.erase(plan.items.begin());
    const Path path = pathFor(plan);
    REQUIRE(path.legs.size() >= 2);
    CHECK(path.legs[0].climb);
    CHECK(path.points[1].amsl_m == 60.0);
    CHECK(distance_m(path.points[1].position, plan.home->position) < 0.01);
}

TEST_CASE("no home, no items and unknown heights give a path all the same", "[mission][path]") {
    CHECK(pathFor(Plan{}).points.empty());
    Plan no_home = rowPlan(3);
    no_home.home.reset();
    const Path path = pathFor(no_home);
    CHECK(path.points.size() == 3);
    for (const PathPoint& p : path.points) CHECK_FALSE(p.amsl_m);  // above a home nobody knows
    Plan unknown = rowPlan(2);
    unknown.home->amsl_m.reset();
    unknown.items[2].height = Height::amsl(80);
    const Path mixed = pathFor(unknown);
    int known = 0;
    for (const PathPoint& p : mixed.points) known += p.amsl_m.has_value() && p.source == unknown.items[2].id;
    CHECK(known == 1);
}

TEST_CASE("expansion keeps the order of points and actions and opens patterns", "[mission][expand]") {
    Plan plan = rowPlan(2);
    Item block;
    block.id = plan.newId();
    block.kind = ItemKind::block;
    block.height = Height::aboveGround(50);
    for (const double b : {0.0, 90.0, 180.0, 270.0})
        block.pattern.edit().outline.push_back(destination(plan.home->position, b, 120));
    plan.items.insert(plan.items.begin() + 2, block);
    plan.items[1].actions = {PhotoNow{}, GimbalPitch{-45}};
    const Route route = expand(plan, nullptr);
    CHECK(route.photos > 10);
    CHECK(route.area_m2 == Approx(2 * 120 * 120).epsilon(0.01));
    CHECK(std::holds_alternative<RouteNav>(route.steps[0].what));
    CHECK(std::get<Action>(route.steps[2].what).index() == Action(PhotoNow{}).index());
    CHECK(std::get<Action>(route.steps[3].what).index() == Action(GimbalPitch{}).index());
    int on = 0, off = 0;
    for (const RouteStep& s : route.steps)
        if (const auto* a = std::get_if<Action>(&s.what))
            if (const auto* e = std::get_if<PhotoEvery>(a)) (e->distance_m > 0 ? on : off) += 1;
    CHECK(on > 0);
    CHECK(on == off);  // photos stop at the end of every line
    const Route again = expand(plan, nullptr);
    CHECK(again.steps.size() == route.steps.size());
}

TEST_CASE("clearance without terrain is unknown on every leg, and the profile covers the whole path",
          "[check][clearance]") {
    const Path path = pathFor(rowPlan(3));
    const Clearance c = clearanceOf(path, nullptr);
    REQUIRE(c.legs.size() == path.legs.size());
    for (const LegClearance& l : c.legs) {
        CHECK_FALSE(l.lowest_m);
        CHECK(l.has_unknown);
    }
    CHECK_FALSE(c.lowest_m);
    REQUIRE_FALSE(c.profile.empty());
    CHECK(c.profile.front().along_m == 0);
    CHECK(c.profile.back().along_m == Approx(path.length_m));
}

TEST_CASE("a leg of a thousand kilometres is sampled without filling the memory", "[check][clearance]") {
    Plan plan = rowPlan(1);
    plan.items[1].position = destination(plan.home->position, 45, 1e6);
    const Clearance c = clearanceOf(pathFor(plan), nullptr);
    CHECK(c.profile.size() < 450000);
}

TEST_CASE("heights convert there and back, and not where something is unknown", "[mission][height]") {
    Plan plan = rowPlan(1);
    plan.home->amsl_m = -4;  // below sea level
    const GeoPoint p = plan.items[1].position;
    const auto amsl = converted(plan, nullptr, p, Height::aboveHome(60), HeightRef::amsl);
    REQUIRE(amsl);
    CHECK(amsl->value_m == Approx(56));
    CHECK(converted(plan, nullptr, p, *amsl, HeightRef::home)->value_m == Approx(60));
    CHECK(converted(plan, nullptr, p, *amsl, HeightRef::amsl) == amsl);
    CHECK_FALSE(converted(plan, nullptr, p, *amsl, HeightRef::ground));
    plan.home.reset();
    CHECK_FALSE(converted(plan, nullptr, p, Height::aboveHome(60), HeightRef::amsl));
    CHECK_FALSE(homeAmsl(plan, nullptr));
}
