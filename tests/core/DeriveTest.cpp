// What follows from a plan, in its three steps, and the gate before it is sent.
#include <catch2/catch.hpp>

#include "core/derive/PlanAnalysis.h"
#include "core/plan/PlanFile.h"
#include "support.h"

using namespace anhinga;
using namespace anhinga::testing;

namespace {

PlanAnalysis analysed(const Plan& plan, Wind wind = {}) {
    return completed(beginAnalysis(std::make_shared<const Plan>(plan), std::make_shared<const Terrain>(), wind));
}
std::set<std::string> rulesOf(const std::vector<Finding>& findings) {
    std::set<std::string> out;
    for (const Finding& f : findings) out.insert(f.rule);
    return out;
}
/// A row so long that the battery of half the size does not carry it, cut in the middle.
Plan longRow() {
    Plan plan = rowPlan(40);
    plan.defaults.speed_mps = 4;
    return plan;
}

}  // namespace

TEST_CASE("an analysis comes in steps, each of which says what it is of", "[derive]") {
    const Plan plan = rowPlan(4);
    const PlanAnalysis begun = beginAnalysis(std::make_shared<const Plan>(plan), std::make_shared<const Terrain>());
    CHECK_FALSE(begun.complete);
    CHECK_FALSE(begun.rehearsal);
    CHECK(begun.view.program.steps.size() > 5);
    const auto flown = withFlights(begun);
    REQUIRE(flown);
    CHECK(flown->complete);
    REQUIRE(flown->rehearsal);
    CHECK(flown->rehearsal->landed);
    CHECK(flown->covered);  // there is nothing to count
    std::stop_source stop;
    stop.request_stop();
    CHECK_FALSE(withFlights(begun, stop.get_token()));
}

TEST_CASE("what stands in the way of a flight is why it was not rehearsed", "[derive]") {
    Plan plan = rowPlan(3);
    plan.home.reset();
    const PlanAnalysis a = analysed(plan);
    CHECK_FALSE(a.rehearsal);
    CHECK(a.notRehearsed(0).find("home") != std::string::npos);
    CHECK(a.notRehearsed(7) == a.notRehearsed(0));  // no such sortie: the whole
    CHECK_FALSE(stopsBefore(a, 0).empty());
}

TEST_CASE("each sortie has its own rehearsal and findings, the whole is judged in one", "[derive][sortie]") {
    Plan plan = longRow();
    plan.vehicle.battery_wh = 40;
    const PlanAnalysis in_one = analysed(plan);
    REQUIRE(rulesOf(stopsBefore(in_one, 0)).contains("energy"));
    const ItemId middle = plan.items[20].id;
    addCut(plan, Cut{middle, 0, 0});
    const PlanAnalysis cut = analysed(plan);
    REQUIRE(cut.sorties.size() == 2);
    CHECK(cut.sortie(0) == nullptr);
    CHECK(cut.sortie(3) == nullptr);
    REQUIRE(cut.sortie(1) != nullptr);
    CHECK(&cut.viewOf(1) == &cut.sortie(1)->view);
    CHECK(&cut.viewOf(0) == &cut.view);
    CHECK(cut.rehearsalOf(1) == cut.sortie(1)->rehearsal);
    CHECK(cut.rehearsalOf(1)->energy_wh < in_one.rehearsal->energy_wh);
    // Whoever sends the whole all the same must hear of the battery.
    CHECK(rulesOf(stopsBefore(cut, 0)).contains("energy"));
    CHECK(rulesOf(cut.findingsOf(0)).contains("energy"));
}

TEST_CASE("sorties are checked in the same wind as the whole, gusts included", "[derive][sortie]") {
    Plan plan = rowPlan(12);
    plan.vehicle.max_mps = 12;
    addCut(plan, Cut{plan.items[6].id, 0, 0});
    Wind wind;
    wind.from_deg = 10;
    wind.speed_mps = 7.5;
    CHECK_FALSE(rulesOf(analysed(plan, wind).findingsOf(1)).contains("wind"));
    wind.gust_mps = 3;
    const PlanAnalysis gusty = analysed(plan, wind);
    REQUIRE(gusty.sorties.size() == 2);
    CHECK(rulesOf(gusty.findings).contains("wind"));
    CHECK(rulesOf(gusty.findingsOf(1)).contains("wind"));
}

TEST_CASE("in flight only what is still ahead is asked about", "[derive][gate]") {
    Plan plan = rowPlan(10);
    plan.terrain_files.clear();
    // Two points below the floor that stop: one early, one late.
    plan.floor_m = 20;
    Item& early = plan.items[2];
    Item& late = plan.items[8];
    for (Item* low : {&early, &late}) low->actions.push_back(Repeat{ItemId{9999}, 1});  // a repeat without a target
    const PlanAnalysis a = analysed(plan);
    const auto stopsAt = [&](std::optional<int> from) {
        std::set<ItemId> items;
        for (const Finding& f : stopsBefore(a, 0, from))
            if (f.rule == "repeat-target") items.insert(f.item);
        return items;
    };
    CHECK(stopsAt({}) == std::set{early.id, late.id});
    const int flown = *a.view.program.lastOf(plan.items[4].id);
    CHECK(stopsAt(flown) == std::set{late.id});
    CHECK(stopsAt(*a.view.program.lastOf(late.id) + 1).empty());
    // A repeat that still leads back makes what was flown lie ahead again.
    plan.items[7].actions.push_back(Repeat{plan.items[1].id, 2});
    const PlanAnalysis again = analysed(plan);
    std::set<ItemId> items;
    for (const Finding& f : stopsBefore(again, 0, *again.view.program.lastOf(plan.items[4].id)))
        if (f.rule == "repeat-target") items.insert(f.item);
    CHECK(items == std::set{early.id, late.id});
}

TEST_CASE("an analysis begun from an earlier one is that of the plan alone", "[derive]") {
    const auto first = std::make_shared<const Plan>(longRow());
    const auto terrain = std::make_shared<const Terrain>();
    const PlanAnalysis before = completed(beginAnalysis(first, terrain));
    Plan changed = *first;
    changed.items[7].height = Height::aboveHome(45);
    const auto second = std::make_shared<const Plan>(changed);
    const PlanAnalysis quick = completed(beginAnalysis(second, terrain, {}, &before));
    const PlanAnalysis fresh = completed(beginAnalysis(second, terrain));
    CHECK(quick.view.path.length_m == fresh.view.path.length_m);
    CHECK(quick.rehearsal->energy_wh == fresh.rehearsal->energy_wh);
    REQUIRE(quick.findings.size() == fresh.findings.size());
    for (std::size_t i = 0; i < fresh.findings.size(); ++i)
        CHECK(quick.findings[i].message == fresh.findings[i].message);
}
