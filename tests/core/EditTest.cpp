// The tools of Draft as plain functions.
#include <catch2/catch.hpp>

#include "core/plan/Edit.h"
#include "core/plan/PlanFile.h"
#include "support.h"

using namespace anhinga;
using namespace anhinga::testing;

namespace {
Ids idsOf(const Plan& plan, std::initializer_list<std::size_t> at) {
    Ids ids;
    for (const std::size_t i : at) ids.insert(plan.items[i].id);
    return ids;
}
std::vector<ItemId> order(const Plan& plan) {
    std::vector<ItemId> ids;
    for (const Item& i : plan.items) ids.push_back(i.id);
    return ids;
}
}  // namespace

TEST_CASE("moving, rotating and scaling keep shape and what is not selected", "[plan][edit]") {
    Plan plan = rowPlan(4);
    const Plan before = plan;
    const Ids two = idsOf(plan, {2, 3});
    moveBy(plan, two, 30, 55.5);
    CHECK(distance_m(plan.items[2].position, before.items[2].position) == Approx(55.5).margin(0.001));
    CHECK(distance_m(plan.items[2].position, plan.items[3].position) == Approx(100).margin(0.01));
    CHECK(plan.items[1] == before.items[1]);
    Plan turned = before;
    const GeoPoint about = before.items[2].position;
    rotateBy(turned, two, about, 90);
    CHECK(turned.items[2] == before.items[2]);
    CHECK(std::abs(wrapAngle(bearing_deg(about, turned.items[3].position) - 180)) < 0.01);
    rotateBy(turned, two, about, -90);
    CHECK(distance_m(turned.items[3].position, before.items[3].position) < 1e-4);
    Plan scaled = before;
    scaleBy(scaled, two, about, 2.5);
    CHECK(distance_m(about, scaled.items[3].position) == Approx(250).margin(0.05));
    scaleBy(scaled, two, about, 0);  // no such factor
    CHECK(distance_m(about, scaled.items[3].position) == Approx(250).margin(0.05));
    Plan whole = before;
    whole.items[1].actions = {LookAt{before.items[2].position, Height::aboveHome(1), ""}};
    moveWholePlan(whole, 0, 1000);
    CHECK(distance_m(whole.home->position, before.home->position) == Approx(1000).margin(0.01));
    CHECK(distance_m(std::get<LookAt>(whole.items[1].actions[0]).place, before.items[2].position) ==
          Approx(1000).margin(0.01));
}

TEST_CASE("order is changed by shift, move and reverse, and repeats keep their target", "[plan][edit][repeat]") {
    Plan plan = rowPlan(5);
    plan.items[4].actions = {Repeat{plan.items[2].id, 2}};
    const auto ids = order(plan);
    const ItemId target = plan.items[2].id;
    reverse(plan, idsOf(plan, {1, 2, 3, 4, 5}));
    CHECK(order(plan) == std::vector<ItemId>{ids[0], ids[5], ids[4], ids[3], ids[2], ids[1], ids[6]});
    CHECK(std::get<Repeat>(plan.find(ids[4])->actions[0]).target == target);
    reverse(plan, {ids[0], ids[6]});  // take-off and the way home have their places
    CHECK(plan.items.front().id == ids[0]);
    shift(plan, {ids[4], ids[3]}, -1);
    CHECK(order(plan)[1] == ids[4]);
    CHECK(order(plan)[2] == ids[3]);
    for (int i = 0; i < 9; ++i) shift(plan, {ids[4], ids[3]}, -1);
    CHECK(order(plan)[0] == ids[4]);  // and no further
    moveTo(plan, {ids[1], ids[0]}, 0);
    CHECK(order(plan).size() == 7);
    CHECK(order(plan)[0] == ids[0]);
    CHECK(order(plan)[1] == ids[1]);
}

TEST_CASE("copies are new things whose repeats go among themselves", "[plan][edit][clipboard]") {
    Plan plan = rowPlan(4);
    plan.items[3].actions = {Repeat{plan.items[2].id, 1}};
    plan.items[4].actions = {Repeat{plan.items[1].id, 3}};
    const auto made = duplicate(plan, idsOf(plan, {2, 3}), 90, 20);
    REQUIRE(made.size() == 2);
    CHECK(plan.items.size() == 8);
    const Item& copy = plan.items[5];
    CHECK(made.contains(copy.id));
    CHECK(std::get<Repeat>(copy.actions[0]).target == plan.items[4].id);
    const std::string text = copyText(plan, idsOf(plan, {3, 6}));
    Plan other = rowPlan(1);
    other.defaults.height = Height::amsl(300);
    const auto pasted = pasteText(other, text, {});
    REQUIRE(pasted);
    CHECK(pasted->size() == 2);
    CHECK(other.items.size() == 5);
    CHECK(other.items.back().kind == ItemKind::returnHome);
    CHECK(other.items[2].height == Height::aboveHome(60));  // as it was where it came from
    CHECK(other.items[2].actions.empty());                  // its target was left behind
    CHECK_FALSE(pasteText(other, "words", {}));
    CHECK_FALSE(pasteText(other, "", {}));
    REQUIRE(readPlanText(writePlanText(other), "t"));
}

TEST_CASE("removing the target of a repeat keeps the point it hangs on", "[plan][edit][repeat]") {
    Plan plan = rowPlan(3);
    const ItemId hangs = plan.items[3].id, target = plan.items[1].id;
    plan.items[3].actions = {Repeat{target, 2}};
    remove(plan, {target});
    REQUIRE(plan.find(hangs) != nullptr);
    CHECK(std::get<Repeat>(plan.find(hangs)->actions[0]).target == target);
}

TEST_CASE("values of many items are set, added and scaled at once", "[plan][edit]") {
    Plan plan = rowPlan(3);
    plan.items[2].height = Height::amsl(80);
    const Ids all = idsOf(plan, {1, 2, 3, 4});
    changeHeights(plan, all, Bulk::add, 12);
    CHECK(plan.items[1].height == Height::aboveHome(72));
    CHECK(plan.items[2].height == Height::amsl(92));
    CHECK_FALSE(plan.items[4].height);  // the way home has the plan's return height
    changeHeights(plan, all, Bulk::scale, 0.5);
    CHECK(plan.items[2].height == Height::amsl(46));
    changeHeights(plan, all, Bulk::set, 70);
    CHECK(plan.items[2].height == Height::amsl(70));
    changeSpeeds(plan, all, Bulk::scale, 2);
    CHECK(plan.items[1].speed_mps == 16);
    changeSpeeds(plan, all, Bulk::add, -1000);
    CHECK(plan.items[1].speed_mps == 0.1);
}

TEST_CASE("sections hold items by id, and empty ones are gone", "[plan][edit][section]") {
    Plan plan = rowPlan(4);
    setSection(plan, idsOf(plan, {1, 2}), "shuttle");
    setSection(plan, idsOf(plan, {3}), "wait");
    REQUIRE(plan.sections.size() == 2);
    const ItemId between = insertWaypoint(plan, plan.home->position, plan.items[2].id, {});
    CHECK(plan.find(between)->section == plan.sections[0].id);
    setSection(plan, idsOf(plan, {1}), "wait");
    setSection(plan, idsOf(plan, {2, 3}), "");
    REQUIRE(plan.sections.size() == 1);
    CHECK(plan.sections[0].name == "wait");
    const auto back = readPlanText(writePlanText(plan), "t");
    REQUIRE(back);
    CHECK(*back == plan);
}

TEST_CASE("the first point of an empty plan makes home and take-off", "[plan][edit]") {
    Plan plan;
    const ItemId id = insertWaypoint(plan, {47.3, -20.1}, 0, 31.5);
    CHECK(plan.home->amsl_m == 31.5);
    CHECK(plan.items.size() == 2);
    CHECK(plan.items[0].kind == ItemKind::takeOff);
    CHECK(plan.items[1].id == id);
    CHECK(plan.heights_set_at_amsl_m == 31.5);
}
