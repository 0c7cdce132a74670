// Fixed wing and helicopter: the laws they fly by, and whole flights.
#include <catch2/catch.hpp>

#include "core/check/Check.h"
#include "core/flight/Passes.h"
#include "core/flight/Rehearse.h"
#include "core/flight/WayHome.h"
#include "core/geo/Polygon.h"
#include "core/plan/PlanFile.h"
#include "core/plan/ProfileLibrary.h"
#include "core/program/Wing.h"
#include "support.h"

using namespace anhinga;
using namespace anhinga::testing;

namespace {

constexpr double kG = 9.80665, kDeg = M_PI / 180;

WingState cruising(const WingLimits& limits, double heading_deg = 0) {
    WingState s;
    s.heading_rad = heading_deg * kDeg;
    s.air_mps = limits.cruise_mps;
    s.velocity = Vec2{std::sin(s.heading_rad), std::cos(s.heading_rad)} * s.air_mps;
    s.amsl_m = 100;
    return s;
}

WingLeg circle(double radius, double speed) {
    WingLeg leg;
    leg.shape = WingLeg::circle;
    leg.to = {200, 0};
    leg.radius_m = radius;
    leg.speed_mps = speed;
    leg.to_amsl_m = leg.from_amsl_m = 100;
    return leg;
}

Plan wingPlan() {
    Plan plan;
    plan.vehicle = skimmer();
    plan.home = Home{{47.3, -20.1}, 20};
    plan.traits.first_waypoint_max_m = 1e6;
    plan.defaults.speed_mps = 16;
    Item up;
    up.id = plan.newId();
    up.kind = ItemKind::takeOff;
    up.height = Height::aboveHome(60);
    plan.items.push_back(up);
    return plan;
}
Item& addTo(Plan& plan, ItemKind kind, double bearing_deg, double far_m, double height_m) {
    Item item;
    item.id = plan.newId();
    item.kind = kind;
    item.position = destination(plan.home->position, bearing_deg, far_m);
    item.height = Height::aboveHome(height_m);
    plan.items.push_back(item);
    return plan.items.back();
}

Rehearsal flown(const Plan& plan, RehearseOptions options = {}, std::shared_ptr<const Terrain> terrain = nullptr) {
    const PlanView v = viewOf(plan, terrain.get());
    REQUIRE(v.sendable());
    auto r = rehearse(plan, v.program, std::move(terrain), options);
    REQUIRE(r);
    return *r;
}

/// How far the rehearsed track leaves the drawn line, level.
double farthestOff(const Plan& plan, const Rehearsal& r, const Terrain* terrain = nullptr) {
    const PlanView v = viewOf(plan, terrain);
    const Channel &lat = *r.log->find("position.lat_deg"), &lon = *r.log->find("position.lon_deg");
    double worst = 0;
    std::string where;
    for (std::size_t i = 0; i < lat.value.size(); ++i) {
        const Vec2 at = v.path.frame.toLocal({lat.value[i], lon.value[i]});
        double best = INFINITY;
        for (std::size_t k = 1; k < v.path.line.size(); ++k)
            best = std::min(best, distanceToSegment(at, v.path.line[k - 1].local, v.path.line[k].local).distance_m);
        if (best > worst) {
            worst = best;
            where = fmt::format("{:.1f} s, east {:.0f} north {:.0f}, item {}", lat.t_s[i], at.x, at.y,
                                r.log->find("mission.item")->at(lat.t_s[i]).value_or(-1));
        }
    }
    UNSCOPED_INFO(where);
    return worst;
}

bool says(const Plan& plan, const std::string& rule, const std::string& what) {
    const PlanView v = viewOf(plan, nullptr);
    for (const Finding& f : check({plan, v, nullptr}))
        if (f.rule == rule && f.message.find(what) != std::string::npos) return true;
    return false;
}

}  // namespace

TEST_CASE("a level turn has the radius v^2 / (g tan bank)", "[wing][flight]") {
    const WingLimits limits = wingLimits(skimmer());
    for (const double speed : {13.0, 16.0, 20.0, 23.0})
        for (const double sense : {-1.0, 1.0}) {
            INFO(speed);
            WingState s = cruising(limits);
            s.air_mps = speed;
            const double asked = 1.05 * tightestCircle_m(limits, speed);
            WingLeg leg = circle(sense * asked, speed);
            for (int i = 0; i < 1500; ++i) (void)flyWing(s, leg, {}, limits, 0.05);
            Vec2 low{INFINITY, INFINITY}, high{-INFINITY, -INFINITY};
            double bank = 0;
            constexpr int kSteps = 2000;
            for (int i = 0; i < kSteps; ++i) {
                (void)flyWing(s, leg, {}, limits, 0.05);
                bank += std::abs(s.bank_rad) / kSteps;
                low = {std::min(low.x, s.position.x), std::min(low.y, s.position.y)};
                high = {std::max(high.x, s.position.x), std::max(high.y, s.position.y)};
            }
            CHECK(s.bank_rad * sense > 0.2);
            const double radius = turnRadius_m(speed, bank);
            CHECK(radius == Approx(speed * speed / (kG * std::tan(bank))));
            CHECK(radius == Approx(asked).epsilon(0.02));
            CHECK((high.x - low.x) / 2 == Approx(radius).epsilon(0.01));
            CHECK((high.y - low.y) / 2 == Approx(radius).epsilon(0.01));
        }
}

TEST_CASE("the wind triangle closes and the limits hold while lines and circles are flown", "[wing][flight]") {
    const WingLimits limits = wingLimits(skimmer());
    for (const double from_deg : {0.0, 70.0, 200.0, 310.0}) {
        INFO(from_deg);
        const Vec2 wind = Vec2{std::sin((from_deg + 180) * kDeg), std::cos((from_deg + 180) * kDeg)} * 7;
        WingState s = cruising(limits, 90);
        WingLeg line;
        line.from = {0, 0};
        line.to = {900, 500};
        line.from_amsl_m = 100;
        line.to_amsl_m = 130;
        line.speed_mps = 16;
        WingLeg turns = circle(90, 16);
        turns.to = {1100, 500};
        turns.turns_rad = 4 * M_PI;
        double worst_line = 0, worst_circle = 0;
        for (WingLeg* leg : {&line, &turns}) {
            bool done = false;
            for (int i = 0; i < 6000 && !done; ++i) {
                const WingState before = s;
                done = flyWing(s, *leg, wind, limits, 0.1);
                const Vec2 air = Vec2{std::sin(s.heading_rad), std::cos(s.heading_rad)} * s.air_mps;
                REQUIRE(length(s.velocity - (air + wind)) < 1e-9);
                REQUIRE(std::abs(s.bank_rad) <= limits.bank_rad + 1e-9);
                REQUIRE(std::abs(s.bank_rad - before.bank_rad) <= limits.roll_radps * 0.1 + 1e-9);
                REQUIRE(s.air_mps >= limits.least_mps());
                REQUIRE(s.climb_mps <= limits.climb_mps + 1e-9);
                // What it moved is what it flew: no jumps.
                REQUIRE(length(s.position - before.position) <= (s.air_mps + 7) * 0.1 + 1e-6);
                if (leg == &line && i > 250)
                    worst_line = std::max(worst_line, distanceToSegment(s.position, line.from, line.to).distance_m);
                if (leg == &turns && leg->turned_rad > M_PI)
                    worst_circle = std::max(worst_circle, std::abs(length(s.position - turns.to) - 90));
            }
            CHECK(done);
        }
        CHECK(worst_line < 2);
        CHECK(worst_circle < 5);
        CHECK(turns.turned_rad == Approx(4 * M_PI).margin(0.1));
    }
}

TEST_CASE("the stall keeps its margin in a turn: slow flight banks less", "[wing][flight]") {
    WingLimits limits = wingLimits(skimmer());
    CHECK(limits.least_mps() == Approx(10.8));
    CHECK(mostBank_rad(limits, 30) == Approx(35 * kDeg));
    const double slow = mostBank_rad(limits, limits.least_mps());
    CHECK(slow < 35 * kDeg);
    // The stall in that bank, with half of the margin, is just the speed flown.
    CHECK(9 / std::sqrt(std::cos(slow)) * 1.1 == Approx(10.8).epsilon(0.001));
    limits.stall_mps = 40;  // faster than it ever flies: nothing divides by nothing
    CHECK(mostBank_rad(limits, 16) > 0);
}

TEST_CASE("a fixed wing flies the coast on the line that is drawn, in still air and in wind, and lands",
          "[wing][flight]") {
    const auto plan = loadPlan(demo("coast.anhinga.geojson"));
    REQUIRE(plan);
    const auto terrain = island();
    const Rehearsal calm = flown(*plan, {}, terrain);
    CHECK(calm.landed);
    CHECK(calm.landed_from_home_m < 80);
    CHECK(farthestOff(*plan, calm, terrain.get()) < 3);
    REQUIRE(calm.min_clearance_m);
    const PlanView v = viewOf(*plan, terrain.get());
    CHECK(*calm.min_clearance_m == Approx(*v.clearance.lowest_m).margin(4));
    CHECK(calm.distance_m == Approx(v.path.length_m).epsilon(0.02));
    RehearseOptions options;
    for (const double from : {20.0, 110.0, 250.0}) {
        INFO(from);
        options.wind = {from, 6};
        const Rehearsal windy = flown(*plan, options, terrain);
        CHECK(windy.landed);
        CHECK(farthestOff(*plan, windy, terrain.get()) < 60);  // turns drift with the wind
        CHECK(windy.duration_s > calm.duration_s);
    }
    CHECK(calm.log->find("attitude.roll_deg")->value.size() > 1000);
    double most = 0;
    for (const double roll : calm.log->find("attitude.roll_deg")->value) most = std::max(most, std::abs(roll));
    CHECK(most > 20);
    CHECK(most <= plan->vehicle.bank_deg + 0.01);
}

TEST_CASE("a wing comes home: up on the way, down in a circle, in and stopped", "[wing][flight]") {
    for (const double far : {150.0, 900.0, 3000.0})
        for (const double height : {40.0, 60.0, 200.0}) {
            INFO(far << " " << height);
            Plan plan = wingPlan();
            plan.return_height_m = 90;
            addTo(plan, ItemKind::waypoint, 40, far, height);
            Item back;
            back.id = plan.newId();
            back.kind = ItemKind::returnHome;
            plan.items.push_back(back);
            const Rehearsal r = flown(plan);
            CHECK(r.landed);
            CHECK(r.landed_from_home_m < 80);
            CHECK(r.max_height_home_m < std::max({90.0, height, 60.0}) + 8);
            CHECK(farthestOff(plan, r) < 6);
            const PlanView v = viewOf(plan, nullptr);
            REQUIRE_FALSE(v.path.legs.empty());
            CHECK(v.path.legs.back().climb);
            CHECK(v.path.line.back().amsl_m.value_or(-1) == Approx(20).margin(0.5));
        }
}

TEST_CASE("holds and repeats of a wing are circles and legs that end", "[wing][flight]") {
    Plan plan = wingPlan();
    const ItemId first = addTo(plan, ItemKind::waypoint, 60, 700, 80).id;
    addTo(plan, ItemKind::hold, 75, 1100, 80).hold_s = 60;
    Item& turns = addTo(plan, ItemKind::holdTurns, 95, 1000, 90);
    turns.turns = -2;
    turns.radius_m = 70;
    Item& up = addTo(plan, ItemKind::loiterToHeight, 120, 900, 150);
    up.actions.push_back(Repeat{first, 1});
    const ItemId last = up.id;  // the item moves as others are added
    addTo(plan, ItemKind::land, 0, 0, 0);
    const Rehearsal r = flown(plan);
    CHECK(r.landed);
    CHECK(r.visits.at(first) == 2);
    CHECK(r.visits.at(last) == 2);
    CHECK(farthestOff(plan, r) < 8);
    const PlanView v = viewOf(plan, nullptr);
    CHECK(std::any_of(v.path.legs.begin(), v.path.legs.end(), [](const PathLeg& l) { return l.repeat; }));
    // 60 s of circling at 60 m and 16 m/s: two and a half turns.
    const double hold = r.duration_s;
    plan.items[2].hold_s = 160;
    CHECK(flown(plan).duration_s == Approx(hold + 200).margin(6));
}

TEST_CASE("without a take-off item a wing still runs, climbs out and goes", "[wing][flight]") {
    Plan plan = wingPlan();
    plan.items.clear();
    addTo(plan, ItemKind::waypoint, 90, 800, 70);
    addTo(plan, ItemKind::waypoint, 180, 800, 70);
    addTo(plan, ItemKind::land, 0, 0, 0);
    const Rehearsal r = flown(plan);
    CHECK(r.landed);
    CHECK(r.landed_from_home_m < 80);
    CHECK(farthestOff(plan, r) < 6);
}

TEST_CASE("what a wing cannot do is a finding", "[wing][check]") {
    Plan plan = wingPlan();
    Item& circle_item = addTo(plan, ItemKind::holdTurns, 60, 700, 80);
    circle_item.radius_m = 15;
    CHECK(says(plan, "turn-tight", "it will circle with"));
    plan.items.back().radius_m = 80;
    CHECK_FALSE(says(plan, "turn-tight", ""));
    plan.items.back().actions.push_back(LookAt{plan.home->position, Height::aboveGround(2), "x"});
    CHECK(says(plan, "unsupported", "points where it flies"));
    Plan multirotor = plan;
    multirotor.vehicle = VehicleProfile{};
    CHECK_FALSE(says(multirotor, "unsupported", ""));
    Item rings;
    rings.id = plan.newId();
    rings.kind = ItemKind::rings;
    rings.position = plan.home->position;
    plan.items.push_back(rings);
    CHECK(says(plan, "unsupported", "stand still beside"));
}

TEST_CASE("a wing without position drifts down in a turn", "[wing][flight][failure]") {
    Plan plan = wingPlan();
    addTo(plan, ItemKind::waypoint, 90, 3000, 100);
    addTo(plan, ItemKind::land, 0, 0, 0);
    RehearseOptions options;
    options.wind = {270, 5};
    options.failures = {{Failure::gpsLoss, 90, {}}};
    const Rehearsal r = flown(plan, options);
    CHECK(r.landed);
    CHECK(r.failed_s.value_or(0) == Approx(90).margin(0.2));
    CHECK(r.landed_from_home_m > 500);
}

TEST_CASE("what happens at a lost link, at the end and at a low battery is the plan's to say", "[flight][failure]") {
    Plan plan;
    plan.home = Home{{47.3, -20.1}, 20};
    Item up;
    up.id = plan.newId();
    up.kind = ItemKind::takeOff;
    up.height = Height::aboveHome(40);
    plan.items.push_back(up);
    addTo(plan, ItemKind::waypoint, 90, 300, 40);
    addTo(plan, ItemKind::waypoint, 90, 600, 40);
    const auto modes = [&](const RehearseOptions& options) {
        std::string text;
        const Rehearsal r = flown(plan, options);
        for (const ModeChange& m : r.log->modes) text += m.name + " ";
        return text;
    };
    RehearseOptions lost;
    lost.failures = {{Failure::lostLink, 40, {}}};
    CHECK(modes({}).find("mission hold") != std::string::npos);
    plan.at_end = AtEnd::returnAndLand;
    CHECK(modes({}).find("mission return") != std::string::npos);
    CHECK(flown(plan).landed_from_home_m < 3);
    plan.at_end = AtEnd::landThere;
    CHECK(flown(plan).landed_from_home_m == Approx(600).margin(3));
    CHECK(flown(plan, lost).landed_from_home_m < 3);
    plan.lost_link = SafetyAction::land;
    const double there = flown(plan, lost).landed_from_home_m;
    CHECK(there > 100);
    CHECK(there < 400);
    plan.lost_link = SafetyAction::carryOn;
    CHECK(flown(plan, lost).landed_from_home_m == Approx(600).margin(3));
    plan.lost_link = SafetyAction::hold;
    CHECK_FALSE(flown(plan, lost).landed);
    RehearseOptions low;
    low.failures = {{Failure::lowBattery, 30, {}}};
    CHECK(flown(plan, low).landed_from_home_m < 3);
    plan.low_battery = SafetyAction::land;
    CHECK(flown(plan, low).landed_from_home_m > 50);
    plan.low_battery = SafetyAction::carryOn;
    CHECK(flown(plan, low).landed_from_home_m == Approx(600).margin(3));
    // They are kept in the file, and what makes no sense is refused.
    const auto again = readPlanText(writePlanText(plan), "t");
    REQUIRE(again);
    CHECK(*again == plan);
    std::string text = writePlanText(plan);
    text.replace(text.find("\"ending\":\"land-there\""), 21, "\"ending\":\"carry-on\"");
    CHECK_FALSE(readPlanText(text, "t"));
}

TEST_CASE("a rehearsal starts at any item", "[flight]") {
    Plan plan;
    plan.home = Home{{47.3, -20.1}, 20};
    std::vector<ItemId> ids;
    for (int i = 1; i <= 5; ++i) ids.push_back(addTo(plan, ItemKind::waypoint, 90, 100.0 * i, 40).id);
    addTo(plan, ItemKind::land, 0, 0, 0);
    RehearseOptions options;
    options.start_item = ids[3];
    const Rehearsal r = flown(plan, options);
    CHECK(r.landed);
    CHECK(r.visits.at(ids[1]) == 0);
    CHECK(r.visits.at(ids[3]) == 1);
    CHECK(r.visits.at(ids[4]) == 1);
    options.start_item = 9999;
    const PlanView v = viewOf(plan, nullptr);
    CHECK_FALSE(rehearse(plan, v.program, nullptr, options));
}

TEST_CASE("a wind stronger than the aircraft carries it off; a weaker one only slows it", "[flight][wind]") {
    Plan plan;
    plan.home = Home{{47.3, -20.1}, 20};
    plan.vehicle.max_mps = 10;
    addTo(plan, ItemKind::waypoint, 270, 200, 40);
    addTo(plan, ItemKind::land, 0, 0, 0);
    RehearseOptions options;
    options.wind = {270, 6};
    const Rehearsal slowed = flown(plan, options);
    CHECK(slowed.landed_from_home_m < 3);
    CHECK(slowed.duration_s > flown(plan).duration_s + 15);  // against it 4 m/s are left of 8
    const Channel& air = *slowed.log->find("velocity.air_mps");
    CHECK(*std::max_element(air.value.begin(), air.value.end()) < 10.6);
    options.wind = {270, 14};
    options.time_limit_s = 400;
    const Rehearsal carried = flown(plan, options);
    const Channel& lon = *carried.log->find("position.lon_deg");
    CHECK(*std::max_element(lon.value.begin(), lon.value.end()) > plan.home->position.lon_deg + 0.002);
}

TEST_CASE("a helicopter brings its rotor up before it takes off, and hovers on what theory says", "[flight][power]") {
    const VehicleProfile v = helicopter();
    const double rho = 1.225;
    const double thrust = v.mass_kg * kG;
    const double induced = thrust * std::sqrt(thrust / (2 * rho * v.rotor_area_m2));
    const double blades = rho * v.rotor_area_m2 * v.solidity * 0.012 / 8 * std::pow(v.tip_mps, 3);
    CHECK(helicopterPower_w(v, 0, 0, rho) == Approx((induced + blades) / v.efficiency + v.other_power_w).epsilon(1e-6));
    CHECK(helicopterPower_w(v, 0, 0, rho, false) < helicopterPower_w(v, 0, 0, rho));
    // Flying a little is cheaper than hovering, flying fast is not.
    CHECK(helicopterPower_w(v, 10, 0, rho) < helicopterPower_w(v, 0, 0, rho));
    CHECK(helicopterPower_w(v, 30, 0, rho) > helicopterPower_w(v, 10, 0, rho));
    Plan plan;
    plan.vehicle = v;
    plan.home = Home{{47.3, -20.1}, 20};
    addTo(plan, ItemKind::waypoint, 270, 200, 40);
    addTo(plan, ItemKind::land, 0, 0, 0);
    const Rehearsal r = flown(plan);
    CHECK(r.landed);
    const Channel& high = *r.log->find("position.height_home_m");
    double left_ground = -1;
    for (std::size_t i = 0; i < high.value.size() && left_ground < 0; ++i)
        if (high.value[i] > 0.2) left_ground = high.t_s[i];
    CHECK(left_ground > v.spool_s);
    CHECK(left_ground < v.spool_s + 3);
    plan.vehicle.spool_s = 0;
    CHECK(flown(plan).duration_s == Approx(r.duration_s - v.spool_s).margin(0.3));
}

TEST_CASE("a wing's power is its drag polar's", "[wing][power]") {
    const VehicleProfile v = skimmer();
    const double rho = 1.225, speed = 16, q = 0.5 * rho * speed * speed * v.wing_area_m2, weight = v.mass_kg * kG;
    const double cl = weight / q, drag = q * (v.drag_zero + v.drag_induced * cl * cl);
    CHECK(wingPower_w(v, speed, 0, rho, 0) == Approx(drag * speed / v.efficiency + v.other_power_w));
    CHECK(wingPower_w(v, speed, 2, rho, 0) == Approx((drag * speed + 2 * weight) / v.efficiency + v.other_power_w));
    CHECK(wingPower_w(v, speed, -5, rho, 0) == Approx(v.other_power_w));  // gliding
    CHECK(wingPower_w(v, speed, 0, rho, 0.6) > wingPower_w(v, speed, 0, rho, 0));
    CHECK(wingPower_w(v, 0, 0, rho, 0) == Approx(v.other_power_w));
    // Least somewhere between the stall and the fastest.
    CHECK(wingPower_w(v, 12, 0, rho, 0) < wingPower_w(v, 22, 0, rho, 0));
}

TEST_CASE("whether a wing gets home is reckoned with its air speed, and not at all against a gale", "[wing][flight]") {
    Plan plan = wingPlan();
    Item& far = addTo(plan, ItemKind::waypoint, 90, 2500, 100);
    (void)far;
    addTo(plan, ItemKind::land, 0, 0, 0);
    RehearseOptions options;
    const double calm = flown(plan).least_home_percent;
    options.wind = {270, 8};  // blows it out; against it home
    const Rehearsal r = flown(plan, options);
    CHECK(r.least_home_percent < calm - 1);
    options.wind = {270, 17};
    options.time_limit_s = 300;
    CHECK(flown(plan, options).no_return_s.has_value());
}

TEST_CASE("every pass of an item has its arrival, photos and battery; repeats are counted", "[flight][passes]") {
    const auto plan = loadPlan(demo("patrol.anhinga.geojson"));
    REQUIRE(plan);
    const auto terrain = island();
    const PlanView v = viewOf(*plan, terrain.get());
    REQUIRE(v.sendable());
    const auto r = rehearse(*plan, v.program, terrain);
    REQUIRE(r);
    const auto passes = passesOf(*r, v.program);
    std::map<ItemId, int> count;
    int photos = 0;
    double before = -1, left = 101;
    for (const ItemPass& p : passes) {
        CHECK(p.from_s >= before);
        CHECK(p.to_s > p.from_s);
        if (p.arrives_s) {
            CHECK(*p.arrives_s >= p.from_s);
            CHECK(*p.arrives_s <= p.to_s + 0.2);
        }
        CHECK(p.left_percent <= left);
        CHECK(p.pass == ++count[p.item]);
        left = p.left_percent;
        before = p.from_s;
        photos += p.photos;
    }
    CHECK(photos == r->photos);
    for (const auto& [item, n] : count) CHECK(n == r->visits.at(item));
    for (const ItemPass& p : passes) CHECK(p.of == count[p.item]);
    const ItemPass* at = passAt(passes, 200);
    REQUIRE(at != nullptr);
    CHECK(at->from_s <= 200);
    CHECK(at->to_s > 200);
    CHECK(passAt(passes, -1) == nullptr);
    CHECK(passAt({}, 5) == nullptr);
}

TEST_CASE("winds from eight sides are tried, and the worst of them is told", "[flight][wind]") {
    Plan plan;
    plan.home = Home{{47.3, -20.1}, 20};
    addTo(plan, ItemKind::waypoint, 90, 1500, 40);
    addTo(plan, ItemKind::land, 90, 3000, 40);  // one way, eastwards
    const PlanView v = viewOf(plan, nullptr);
    const auto tries = tryWinds(plan, v.program, nullptr, 6, {});
    REQUIRE(tries.size() == 8);
    const WindTry* worst = worstWind(tries);
    REQUIRE(worst != nullptr);
    CHECK(worst->wind.from_deg == 90);
    CHECK(worst->left_percent < tries[6].left_percent);
    CHECK(worstWind({}) == nullptr);
    std::stop_source stop;
    stop.request_stop();
    RehearseOptions stopped;
    stopped.stop = stop.get_token();
    CHECK(tryWinds(plan, v.program, nullptr, 6, stopped).empty());
}

TEST_CASE("a fence that wind and turns carry a wing over is a finding, though the line drawn keeps to it",
          "[wing][check][fence]") {
    Plan plan = wingPlan();
    plan.traits.first_waypoint_max_m = 1e6;
    addTo(plan, ItemKind::waypoint, 0, 1500, 80);
    addTo(plan, ItemKind::waypoint, 45, 2100, 80);  // a right turn to the east at the northern end
    addTo(plan, ItemKind::land, 0, 0, 0);
    const PlanView v = viewOf(plan, nullptr);
    double north = -1e9;
    for (const LinePoint& p : v.path.line) north = std::max(north, p.local.y);
    // A keep-in fence a dozen metres outside of all that is drawn.
    Fence fence;
    fence.id = plan.newId();
    fence.kind = FenceKind::keepIn;
    fence.name = "strip";
    const LocalFrame frame(plan.home->position);
    for (const Vec2 corner : {Vec2{-900, -900}, Vec2{-900, north + 12}, Vec2{4000, north + 12}, Vec2{4000, -900}})
        fence.outline.push_back(frame.toGeo(corner));
    plan.fences = {fence};
    const auto findings = [&](const Rehearsal& r) {
        const PlanView view = viewOf(plan, nullptr);
        std::string rules;
        for (const Finding& f :
             check({plan, view, nullptr,
                    EnergyForecast{r.energy_left_percent, r.reached_reserve, r.reserve_item, r.breaches}}))
            if (f.rule.starts_with("fence")) rules += f.rule + " ";
        return rules;
    };
    const Rehearsal calm = flown(plan);
    CHECK(calm.breaches.empty());
    CHECK(findings(calm).empty());
    RehearseOptions options;
    options.wind = {180, 9};  // carries the turn northwards
    const Rehearsal windy = flown(plan, options);
    REQUIRE(windy.breaches.size() == 1);
    CHECK(windy.breaches[0].fence == fence.id);
    CHECK(frame.toLocal(windy.breaches[0].at).y > north + 11);
    CHECK(findings(windy) == "fence-flown ");
    // What the line itself breaks is said once, of the line.
    plan.fences[0].outline[1] = frame.toGeo({-900, 800});
    plan.fences[0].outline[2] = frame.toGeo({4000, 800});
    CHECK(findings(flown(plan)).find("fence-flown") == std::string::npos);
    CHECK(findings(flown(plan)).find("fence-crossing") != std::string::npos);
    // A failure's path is held against the fences too.
    options.wind = {};
    options.failures = {{Failure::wind, 60, {270, 20}}};
    plan.fences[0].outline = fence.outline;
    CHECK_FALSE(flown(plan, options).breaches.empty());
}
