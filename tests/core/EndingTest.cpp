// How a plan ends: what was chosen is sent, rehearsed and said; and repeats without an end.
#include <catch2/catch.hpp>

#include "RunCli.h"
#include "core/derive/PlanAnalysis.h"
#include "core/dialect/Items.h"
#include "core/plan/PlanFile.h"
#include "core/plan/ProfileLibrary.h"
#include "core/watch/AutoChecks.h"
#include "core/watch/Progress.h"
#include "support.h"

using namespace anhinga;
using namespace anhinga::testing;

namespace {

/// MAV_CMD of the standard: NAV_LOITER_UNLIM, NAV_RETURN_TO_LAUNCH, NAV_LAND.
constexpr int kWaitForEver = 17, kReturn = 20, kLand = 21;

Plan openPlan(AtEnd end, bool wing = false) {
    Plan plan = rowPlan(3);
    plan.items.pop_back();
    plan.at_end = end;
    plan.return_height_m = 45;
    if (wing) {
        plan.vehicle = skimmer();
        plan.defaults.speed_mps = plan.vehicle.cruise_mps;
    }
    return plan;
}
PlanAnalysis endingOf(const Plan& plan) {
    return completed(beginAnalysis(std::make_shared<const Plan>(plan), std::make_shared<const Terrain>()));
}
const Finding* findIn(const std::vector<Finding>& findings, const std::string& rule) {
    for (const Finding& f : findings)
        if (f.rule == rule) return &f;
    return nullptr;
}
GeoPoint lastPlace(const Rehearsal& r) {
    return {r.log->find("position.lat_deg")->value.back(), r.log->find("position.lon_deg")->value.back()};
}
double lastHeight_m(const Rehearsal& r) {
    return r.log->find("position.height_home_m")->value.back();
}

/// Around a square for ever.
Plan roundAndRound(Leave leave) {
    Plan plan = rowPlan(1);
    plan.items.pop_back();
    plan.items[1].position = destination(plan.home->position, 0, 120);
    for (const double bearing : {60.0, 120.0}) {
        Item w;
        w.id = plan.newId();
        w.position = destination(plan.home->position, bearing, 150);
        plan.items.push_back(w);
    }
    plan.items.back().actions.push_back(Repeat{plan.items[1].id, -1, leave});
    plan.vehicle.battery_wh = 30;
    return plan;
}

}  // namespace

TEST_CASE("what is chosen for the end stands at the end of what is sent", "[ending][items]") {
    const auto lastItem = [](AtEnd end, bool wing = false) {
        const Plan plan = openPlan(end, wing);
        return itemsOf(programOf(plan, expand(plan, nullptr), nullptr)).back();
    };
    const Plan plan = openPlan(AtEnd::unsaid);
    const auto isAt = [](const MissionItem& i, GeoPoint place) {
        return distance_m({i.x * 1e-7, i.y * 1e-7}, place) < 0.05;
    };
    CHECK(lastItem(AtEnd::unsaid).command == 16);
    CHECK(lastItem(AtEnd::returnAndLand).command == kReturn);
    const MissionItem land = lastItem(AtEnd::landThere);
    CHECK(land.command == kLand);
    CHECK(isAt(land, plan.items.back().position));
    CHECK(land.z == 0);
    for (const bool wing : {false, true}) {
        const MissionItem there = lastItem(AtEnd::waitThere, wing);
        CHECK(there.command == kWaitForEver);
        CHECK(isAt(there, plan.items.back().position));
        CHECK(there.z == 60);  // as high as the last item
        const MissionItem home = lastItem(AtEnd::returnAndWait, wing);
        CHECK(home.command == kWaitForEver);
        CHECK(isAt(home, plan.home->position));
        CHECK(home.z == 45);  // the return height
    }
}

TEST_CASE("an end is read back as what was chosen", "[ending][items]") {
    for (const AtEnd end : {AtEnd::returnAndWait, AtEnd::waitThere}) {
        const Plan plan = openPlan(end);
        MissionSet held;
        held.mission = itemsOf(programOf(plan, expand(plan, nullptr), nullptr));
        Plan base;
        base.traits = plan.traits;
        const auto back = decompile(held, base);
        REQUIRE(back);
        CHECK(back->plan.at_end == end);
        CHECK(back->plan.items.size() == plan.items.size());
        if (end == AtEnd::returnAndWait) CHECK(back->plan.return_height_m == 45);
        const auto again = itemsOf(programOf(back->plan, expand(back->plan, nullptr), nullptr));
        REQUIRE(again.size() == held.mission.size());
        CHECK(again.back().command == kWaitForEver);
        CHECK(again.back().z == held.mission.back().z);
    }
    // Somewhere else, or in the middle, it is kept as it is.
    const Plan plan = openPlan(AtEnd::waitThere);
    MissionSet held;
    held.mission = itemsOf(programOf(plan, expand(plan, nullptr), nullptr));
    held.mission.back().x += 20000;
    Plan base;
    base.traits = plan.traits;
    const auto back = decompile(held, base);
    REQUIRE(back);
    CHECK(back->plan.at_end == AtEnd::unsaid);
    CHECK_FALSE(back->notes.empty());
}

TEST_CASE("an end is rehearsed as it was chosen, by rotors and by wings", "[ending][flight]") {
    for (const bool wing : {false, true}) {
        INFO(wing);
        const double near_m = wing ? 150 : 3;
        const auto flown = [&](AtEnd end) { return *endingOf(openPlan(end, wing)).rehearsal; };
        const Plan plan = openPlan(AtEnd::unsaid, wing);
        Rehearsal r = flown(AtEnd::returnAndLand);
        CHECK(r.landed);
        CHECK_FALSE(r.stays);
        CHECK(r.landed_from_home_m < (wing ? 60 : 3));
        r = flown(AtEnd::landThere);
        CHECK(r.landed);
        CHECK(r.landed_from_home_m == Approx(300).margin(wing ? 150 : 3));
        r = flown(AtEnd::waitThere);
        CHECK_FALSE(r.landed);
        CHECK(r.stays);
        CHECK(distance_m(lastPlace(r), plan.items.back().position) < near_m);
        CHECK(lastHeight_m(r) == Approx(60).margin(2));
        CHECK(endText(r).find("still in the air") == 0);
        r = flown(AtEnd::returnAndWait);
        CHECK_FALSE(r.landed);
        CHECK(r.stays);
        CHECK(distance_m(lastPlace(r), plan.home->position) < near_m);
        CHECK(lastHeight_m(r) == Approx(45).margin(2));
    }
}

TEST_CASE("a plan that ends in the air is a stop until an end is chosen, and a warning where it stays there",
          "[ending][check]") {
    const auto found = [](AtEnd end) {
        const PlanAnalysis a = endingOf(openPlan(end));
        const Finding* f = findIn(a.findings, "no-way-to-end");
        return f != nullptr ? std::optional(*f) : std::nullopt;
    };
    const auto unsaid = found(AtEnd::unsaid);
    REQUIRE(unsaid);
    CHECK(unsaid->severity == Severity::stop);
    for (const AtEnd end : {AtEnd::returnAndLand, AtEnd::landThere}) CHECK_FALSE(found(end));
    for (const AtEnd end : {AtEnd::returnAndWait, AtEnd::waitThere}) {
        const auto f = found(end);
        REQUIRE(f);
        CHECK(f->severity == Severity::warn);
    }
    // Each of the corrections ends it; applied twice they change nothing more.
    for (const Correction& c : unsaid->corrections) {
        Plan plan = openPlan(AtEnd::unsaid);
        c.apply(plan);
        const Plan once = plan;
        c.apply(plan);
        CHECK(plan == once);
        const PlanAnalysis a = endingOf(plan);
        CHECK(stopsBefore(a, 0).empty());
    }
}

TEST_CASE("the end is kept in the file, and files of earlier versions say theirs", "[ending][files]") {
    for (const AtEnd end :
         {AtEnd::unsaid, AtEnd::returnAndLand, AtEnd::returnAndWait, AtEnd::landThere, AtEnd::waitThere}) {
        const auto back = readPlanText(writePlanText(openPlan(end)), "t");
        REQUIRE(back);
        CHECK(back->at_end == end);
    }
    const auto earlier = [](const std::string& word) {
        std::string text = writePlanText(openPlan(AtEnd::landThere));
        const std::string now = "\"ending\":\"land-there\"";
        const auto at = text.find(now);
        REQUIRE(at != std::string::npos);
        return readPlanText(text.replace(at, now.size(), "\"at_end\":\"" + word + "\""), "t");
    };
    REQUIRE(earlier("hold"));
    CHECK(earlier("hold")->at_end == AtEnd::unsaid);  // it was written where nobody had chosen
    CHECK(earlier("land")->at_end == AtEnd::landThere);
    CHECK(earlier("return-home")->at_end == AtEnd::returnAndLand);
    CHECK_FALSE(earlier("carry-on"));
    CHECK(writePlanText(*earlier("hold")).find("at_end") == std::string::npos);
}

TEST_CASE("no line says that a plan lands which does not", "[ending][cli]") {
    TempDir dir;
    for (const AtEnd end : {AtEnd::waitThere, AtEnd::unsaid, AtEnd::landThere}) {
        const std::string file = dir / "open.anhinga.geojson";
        REQUIRE(savePlan(openPlan(end), file));
        const Ran r = cli("rehearse " + file);
        const bool lands = end == AtEnd::landThere;
        CHECK((r.out.find("lands with") != std::string::npos) == lands);
        CHECK((r.out.find("still in the air with") != std::string::npos) == !lands);
        CHECK(cli("rehearse " + file + " --json").json()["stays"] == !lands);
        CHECK(r.code == (end == AtEnd::unsaid ? 1 : 0));
    }
    // The checklist neither.
    const Plan plan = openPlan(AtEnd::waitThere);
    const PlanAnalysis a = endingOf(plan);
    VehicleSnapshot v;
    v.heard = true;
    v.battery_percent = 90;
    FieldInput in;
    in.plan = &plan;
    in.vehicle = &v;
    in.rehearsal = a.rehearsal.get();
    const AutoCheck* battery = autoCheck("battery");
    REQUIRE(battery != nullptr);
    CHECK(battery->look(in).text.find("lands") == std::string::npos);
}

TEST_CASE("a repeat without an end is to say how it is left, and is no stop from then on", "[ending][repeat]") {
    const PlanAnalysis unsaid = endingOf(roundAndRound(Leave::unsaid));
    REQUIRE(findIn(unsaid.findings, "endless-repeat") != nullptr);
    CHECK(findIn(unsaid.findings, "endless-repeat")->severity == Severity::warn);
    CHECK(findIn(unsaid.findings, "energy") != nullptr);
    CHECK(findIn(unsaid.findings, "no-way-to-end") != nullptr);
    REQUIRE(unsaid.rehearsal);
    REQUIRE(unsaid.rehearsal->endless);
    const int passes = unsaid.rehearsal->endless->passes;
    CHECK(passes > 3);
    for (const Correction& c : findIn(unsaid.findings, "endless-repeat")->corrections) {
        CHECK(c.wide);  // which of them is for the operator to say
        Plan plan = roundAndRound(Leave::unsaid);
        c.apply(plan);
        const PlanAnalysis a = endingOf(plan);
        CHECK(stopsBefore(a, 0).empty());
        const Finding* f = findIn(a.findings, "endless-repeat");
        REQUIRE(f != nullptr);
        CHECK(f->severity == Severity::note);
        CHECK(f->message.find(fmt::format("{} passes", passes)) != std::string::npos);
        const auto kept = readPlanText(writePlanText(plan), "t");
        REQUIRE(kept);
        CHECK(*kept == plan);
    }
    // As many passes as are said fit the battery when they are counted out, one more does not.
    const auto counted = [](int n) {
        Plan plan = roundAndRound(Leave::unsaid);
        std::get<Repeat>(plan.items.back().actions[0]).count = n - 1;
        return *rehearse(plan, programOf(plan, expand(plan, nullptr), nullptr), nullptr);
    };
    const Rehearsal most = counted(passes), more = counted(passes + 1);
    CHECK_FALSE(most.reached_reserve);
    CHECK(more.reached_reserve);
    CHECK_FALSE(most.endless);
    CHECK_FALSE(more.endless);
}

TEST_CASE("in a repeat without an end the pass is said and how many more the battery lasts for", "[ending][watch]") {
    const Plan plan = roundAndRound(Leave::atReserve);
    const PlanAnalysis a = endingOf(plan);
    const Rehearsal& r = *a.rehearsal;
    REQUIRE(r.endless);
    ProgressFollower follower(r.log, r.endless);
    const auto value = [&](const char* name, double t) { return r.log->find(name)->at(t); };
    VehicleSnapshot v;
    v.heard = v.armed = true;
    v.type = 2;
    v.autopilot = 3;
    v.custom_mode = 3;
    int last_item = 0, passes = 0, told = 0, least = 1000;
    bool alarm = false;
    for (double t = 10; t < r.duration_s; t += 1) {
        v.position = GeoPoint{*value("position.lat_deg", t), *value("position.lon_deg", t)};
        v.height_home_m = value("position.height_home_m", t);
        v.battery_percent = std::floor(*value("battery.left_percent", t));
        v.boot_s = 50 + t;
        v.mission_item = static_cast<int>(*value("mission.item", t));
        if (*v.mission_item<last_item&& * v.mission_item> 0) {
            v.reached.edit().push_back(r.endless->loop.last_leg);
            ++passes;
        }
        last_item = *v.mission_item;
        if (*v.battery_percent <= plan.vehicle.reserve_percent) break;
        const auto p = follower.follow(v);
        REQUIRE(p);
        CHECK_FALSE(p->battery_at_landing);  // no landing is made up
        alarm = alarm || p->battery_at_landing.has_value();
        if (!p->pass) continue;
        ++told;
        CHECK(*p->pass == passes + 1);
        REQUIRE(p->passes_more);
        CHECK(*p->pass + *p->passes_more >= r.endless->passes - 1);
        CHECK(*p->pass + *p->passes_more <= r.endless->passes + 1);
        least = std::min(least, *p->passes_more);
    }
    CHECK(told > 60);
    CHECK(least == 0);
    CHECK_FALSE(alarm);
}

namespace {

/// Out by so many metres, and home again.
Plan outAndBack(double metres, OwnWays ways, double height_m = 30) {
    Plan plan = rowPlan(1);
    plan.items.pop_back();
    plan.items[1].position = destination(plan.home->position, 90, metres);
    Item back;
    back.id = plan.newId();
    back.kind = ItemKind::returnHome;
    plan.items.push_back(back);
    plan.defaults.height = Height::aboveHome(height_m);
    plan.return_height_m = 60;
    plan.traits.ways = ways;
    return plan;
}
double highestOf(const Rehearsal& r) {
    return r.max_height_home_m;
}

}  // namespace

TEST_CASE("the way home is the autopilot's own: its cone, and its wait over home", "[ending][flight]") {
    const auto flown = [](const Plan& plan) {
        const PlanAnalysis a = endingOf(plan);
        REQUIRE(a.rehearsal);
        return *a.rehearsal;
    };
    CHECK(highestOf(flown(outAndBack(200, {}))) == Approx(60).margin(0.6));
    // 15 m away a cone of 3 goes up to 45 m; 200 m away it is no limit, and never is one below where it is.
    OwnWays cone;
    cone.return_cone = 3;
    CHECK(highestOf(flown(outAndBack(15, cone))) == Approx(45).margin(2));
    CHECK(highestOf(flown(outAndBack(200, cone))) == Approx(60).margin(0.6));
    CHECK(highestOf(flown(outAndBack(5, cone))) == Approx(30).margin(0.6));
    // The line that is drawn and checked goes as high.
    const Plan near = outAndBack(15, cone);
    double drawn = 0;
    const FlightProgram program = programOf(near, expand(near, nullptr), nullptr);
    for (const LinePoint& p : pathOf(near, program, nullptr).line) drawn = std::max(drawn, p.amsl_m.value_or(0));
    CHECK(drawn - *near.home->amsl_m == Approx(45).margin(2));
    OwnWays patient;
    patient.return_wait_s = 5;
    const Rehearsal at_once = flown(outAndBack(200, {})), later = flown(outAndBack(200, patient));
    CHECK(later.duration_s - at_once.duration_s == Approx(5).margin(0.2));
    CHECK(later.energy_left_percent < at_once.energy_left_percent);
}

TEST_CASE("a wing that is not landed by its return circles over home, and that is said", "[ending][wing]") {
    Plan plan = outAndBack(600, {}, 50);
    plan.vehicle = skimmer();
    plan.defaults.speed_mps = plan.vehicle.cruise_mps;
    CHECK(endingOf(plan).rehearsal->landed);
    CHECK(findIn(endingOf(plan).findings, "no-way-to-end") == nullptr);
    plan.traits.ways.wing_lands = false;
    const PlanAnalysis a = endingOf(plan);
    REQUIRE(a.rehearsal);
    CHECK_FALSE(a.rehearsal->landed);
    CHECK(a.rehearsal->stays);
    CHECK(distance_m(lastPlace(*a.rehearsal), plan.home->position) < plan.vehicle.circle_radius_m + 15);
    CHECK(lastHeight_m(*a.rehearsal) == Approx(60).margin(3));
    const Finding* f = findIn(a.findings, "no-way-to-end");
    REQUIRE(f != nullptr);
    CHECK(f->severity == Severity::warn);
    REQUIRE_FALSE(f->corrections.empty());
    f->corrections.front().apply(plan);
    CHECK(plan.items.back().kind == ItemKind::land);
    CHECK(findIn(endingOf(plan).findings, "no-way-to-end") == nullptr);
    CHECK(endingOf(plan).rehearsal->landed);
}
