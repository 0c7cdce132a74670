#include <catch2/catch.hpp>

#include "Planned.h"
#include "core/check/Check.h"
#include "core/flight/Executor.h"
#include "core/flight/Rehearse.h"
#include "core/logio/LogReader.h"
#include "core/plan/PlanFile.h"
#include "core/plan/ProfileLibrary.h"
#include "support.h"

using namespace anhinga;
using namespace anhinga::testing;

namespace {

/// Items in short: "p" a point, "jT:N" a repeat to point T (1-based) N extra times. Gives the visit order as point
/// numbers.
struct Jump {
    int after, to, count;
};
std::vector<int> visitOrder(int points, std::vector<Jump> jumps, bool rearm, std::size_t most = 60) {
    std::vector<MissionItem> items{{0, 0, cmd::waypoint}};
    std::vector<int> point_of{0}, seq_of(static_cast<std::size_t>(points) + 2, 0);
    for (int p = 1; p <= points; ++p) {
        seq_of[static_cast<std::size_t>(p)] = static_cast<int>(items.size());
        items.push_back({static_cast<std::uint16_t>(items.size()), 3, cmd::waypoint});
        point_of.push_back(p);
        for (const Jump& j : jumps)
            if (j.after == p) {
                items.push_back({static_cast<std::uint16_t>(items.size()), 2, cmd::jump, static_cast<float>(-j.to),
                                 static_cast<float>(j.count)});
                point_of.push_back(0);
            }
    }
    seq_of[static_cast<std::size_t>(points) + 1] = static_cast<int>(items.size());
    for (MissionItem& i : items)
        if (i.command == cmd::jump) i.param1 = static_cast<float>(seq_of[static_cast<std::size_t>(-i.param1)]);
    Executor executor(programRead(items, true), rearm);
    std::vector<int> order;
    while (order.size() < most) {
        const auto seq = executor.advance();
        if (!seq) break;
        order.push_back(point_of[*seq + 1]);  // counted with home
    }
    return order;
}
std::vector<int> digits(const std::string& text) {
    std::vector<int> out;
    for (const char c : text)
        if (c >= '0' && c <= '9') out.push_back(c - '0');
    return out;
}

Result<Rehearsal> flown(const Plan& plan, RehearseOptions options = {},
                        std::shared_ptr<const Terrain> terrain = nullptr) {
    return rehearse(plan, programIn(plan, terrain.get()), terrain, options);
}

}  // namespace

TEST_CASE("a mission is changed while it is flown and while it is paused, and never lost by it", "[flight][orders]") {
    const Plan plan = rowPlan(5);
    const FlightProgram program = programIn(plan);
    const auto legs = [](FlightProgram& p, const std::function<void(int, ProgramLeg&)>& change) {
        for (std::size_t k = 0; k < p.steps.size(); ++k)
            if (auto* leg = std::get_if<ProgramLeg>(&p.steps[k].what)) change(p.numberOf(k), *leg);
    };
    FlightProgram lifted = program;
    legs(lifted, [&](int number, ProgramLeg& leg) {
        if (number + 3 >= static_cast<int>(lifted.entries()) && leg.kind == LegKind::pass) leg.height.value_m = 75;
    });
    for (const bool paused : {false, true}) {
        Flight flight(flightSetup(plan, 0, nullptr, {}));
        flight.setMission(program);
        REQUIRE(flight.arm());
        REQUIRE(flight.startMission());
        for (int i = 0; i < 400; ++i) flight.step();
        if (paused) {
            REQUIRE(flight.pause());
            for (int i = 0; i < 50; ++i) flight.step();
        }
        REQUIRE(flight.changeMission(lifted));
        FlightProgram elsewhere = program;
        legs(elsewhere, [](int, ProgramLeg& leg) { leg.place.lat_deg += 0.01; });
        if (!paused) CHECK_FALSE(flight.changeMission(elsewhere));
        if (paused) REQUIRE(flight.resume());
        double highest = 0;
        for (int i = 0; i < 20000 && flight.state().armed; ++i) {
            flight.step();
            if (flight.mode() == FlightMode::mission) highest = std::max(highest, flight.heightHome_m());
        }
        CHECK(highest == Approx(75).margin(1));
        CHECK_FALSE(flight.state().armed);  // it came home
    }
}

TEST_CASE("orders in flight: go there, speed, height, and the mission goes on afterwards", "[flight][orders]") {
    for (const bool wing : {false, true}) {
        Plan plan = rowPlan(8);
        if (wing) plan.vehicle = skimmer();
        Flight flight(flightSetup(plan, 0, nullptr, {}));
        flight.setMission(programIn(plan));
        CHECK_FALSE(flight.goTo(plan.home->position, 50));
        REQUIRE(flight.arm());
        REQUIRE(flight.startMission());
        for (int i = 0; i < 600; ++i) flight.step();
        const GeoPoint aside = destination(plan.home->position, 0, 400);
        REQUIRE(flight.goTo(aside, 65));
        double nearest = INFINITY, height = 0;
        for (int i = 0; i < 1500; ++i) {
            flight.step();
            if (const double d = distance_m(flight.place(), aside); d < nearest) {
                nearest = d;
                height = flight.heightHome_m();
            }
        }
        CHECK(nearest < (wing ? 60 : 1));
        CHECK(height == Approx(65).margin(wing ? 8 : 1));
        CHECK(flight.mode() == FlightMode::hold);
        CHECK_FALSE(flight.changeSpeed(500));
        REQUIRE(flight.changeSpeed(wing ? 17 : 5));
        REQUIRE(flight.resume());
        CHECK(flight.mode() == FlightMode::mission);
        for (int i = 0; i < 40000 && flight.state().armed; ++i) flight.step();
        CHECK_FALSE(flight.state().armed);
        CHECK(flight.executor().visits().size() >= 9);
    }
}

TEST_CASE("motors that stop or fail bring it down, and it says so", "[flight][orders]") {
    for (const bool stop : {false, true}) {
        const Plan plan = rowPlan(3);
        Flight flight(flightSetup(plan, 0, nullptr, {}));
        REQUIRE(flight.arm());
        REQUIRE(flight.takeOff(60));
        for (int i = 0; i < 400; ++i) flight.step();
        REQUIRE(flight.heightHome_m() > 50);
        (void)flight.takeEvents();
        if (stop)
            flight.cutMotors();
        else
            flight.loseMotor();
        CHECK_FALSE(flight.pause());
        double fastest = 0;
        int steps = 0;
        for (; steps < 1000 && flight.state().armed; ++steps) {
            flight.step();
            fastest = std::min(fastest, flight.state().climb_mps);
        }
        CHECK_FALSE(flight.state().armed);
        CHECK(flight.heightHome_m() == Approx(0).margin(0.1));
        CHECK(fastest == Approx(stop ? -std::sqrt(2 * 9.80665 * 60) : -7).margin(stop ? 3 : 0.1));
        bool said = false;
        for (const FlightEvent& e : flight.takeEvents()) said |= e.text.find("motor") != std::string::npos;
        CHECK(said);
    }
}

TEST_CASE("repeats visit items in exactly the agreed order", "[flight][executor][repeat]") {
    struct Row {
        const char* label;
        int points;
        std::vector<Jump> jumps;
        bool rearm;
        const char* expected;
    };
    const Row rows[] = {
        {"plain", 3, {}, true, "123"},
        {"back once", 3, {{3, 1, 1}}, true, "123 123"},
        {"nested, re-armed", 7, {{4, 2, 2}, {6, 1, 1}}, true, "1 234 234 234 56 1 234 234 234 56 7"},
        {"nested, not re-armed", 7, {{4, 2, 2}, {6, 1, 1}}, false, "1 234 234 234 56 1 234 56 7"},
        {"skip and back, re-armed", 4, {{2, 4, 2}, {4, 1, 3}}, true, "12 4 12 4 123 4 12 4"},
        {"skip and back, not re-armed", 4, {{2, 4, 2}, {4, 1, 3}}, false, "12 4 12 4 123 4 123 4"},
        {"to itself", 3, {{2, 2, 3}}, true, "1 2222 3"},
        {"on the last item", 2, {{2, 1, 2}}, false, "12 12 12"},
        {"forward over the end", 3, {{2, 4, 1}}, true, "12"},
        {"two on one item", 3, {{2, 1, 1}, {2, 1, 1}}, false, "12 12 12 3"},
        {"count zero does nothing", 3, {{2, 1, 0}}, true, "123"},
        {"back to the first from the middle, re-armed", 5, {{3, 1, 1}}, true, "12312345"},
        {"back to the first from the middle, not re-armed", 5, {{3, 1, 1}}, false, "12312345"},
        {"back to the first from the middle, twice, re-armed", 5, {{3, 1, 2}}, true, "12312312345"},
        {"back to the first from the middle, twice, not re-armed", 5, {{3, 1, 2}}, false, "12312312345"},
        {"two loops one after the other, re-armed", 6, {{2, 1, 1}, {5, 4, 2}}, true, "121234545456"},
        {"two loops one after the other, not re-armed", 6, {{2, 1, 1}, {5, 4, 2}}, false, "121234545456"},
        {"two loops that share their target, re-armed", 5, {{3, 2, 1}, {4, 2, 1}}, true, "123234232345"},
        {"two loops that share their target, not re-armed", 5, {{3, 2, 1}, {4, 2, 1}}, false, "1232342345"},
        {"two loops that overlap, re-armed", 6, {{3, 1, 1}, {5, 2, 1}}, true, "1231234523123456"},
        {"two loops that overlap, not re-armed", 6, {{3, 1, 1}, {5, 2, 1}}, false, "1231234523456"},
        {"three nested, re-armed", 6, {{3, 3, 1}, {4, 2, 1}, {5, 1, 1}}, true, "123342334512334233456"},
        {"three nested, not re-armed", 6, {{3, 3, 1}, {4, 2, 1}, {5, 1, 1}}, false, "123342345123456"},
        {"nested with the same target, re-armed", 5, {{2, 1, 1}, {4, 1, 1}}, true, "1212341212345"},
        {"nested with the same target, not re-armed", 5, {{2, 1, 1}, {4, 1, 1}}, false, "12123412345"},
        {"nested with the same end, re-armed", 4, {{3, 2, 1}, {3, 1, 1}}, true, "12323123234"},
        {"nested with the same end, not re-armed", 4, {{3, 2, 1}, {3, 1, 1}}, false, "123231234"},
        {"skip ahead once, re-armed", 5, {{2, 4, 1}}, true, "1245"},
        {"skip ahead once, not re-armed", 5, {{2, 4, 1}}, false, "1245"},
        {"skip ahead more often than passed, re-armed", 5, {{2, 4, 9}}, true, "1245"},
        {"skip ahead more often than passed, not re-armed", 5, {{2, 4, 9}}, false, "1245"},
        {"skip ahead inside a loop, re-armed", 5, {{2, 4, 1}, {5, 1, 2}}, true, "1245123451245"},
        {"skip ahead inside a loop, not re-armed", 5, {{2, 4, 1}, {5, 1, 2}}, false, "12451234512345"},
        {"skip into a loop, re-armed", 6, {{1, 4, 1}, {5, 3, 1}}, true, "1453456"},
        {"skip into a loop, not re-armed", 6, {{1, 4, 1}, {5, 3, 1}}, false, "1453456"},
        {"skip out of a loop, re-armed", 6, {{3, 6, 1}, {4, 2, 2}}, true, "1236"},
        {"skip out of a loop, not re-armed", 6, {{3, 6, 1}, {4, 2, 2}}, false, "1236"},
        {"skip to the next does nothing, re-armed", 4, {{2, 3, 3}}, true, "1234"},
        {"skip to the next does nothing, not re-armed", 4, {{2, 3, 3}}, false, "1234"},
        {"to itself inside a loop, re-armed", 4, {{2, 2, 1}, {3, 1, 1}}, true, "122312234"},
        {"to itself inside a loop, not re-armed", 4, {{2, 2, 1}, {3, 1, 1}}, false, "12231234"},
        {"on the last, to the last, re-armed", 3, {{3, 3, 2}}, true, "12333"},
        {"on the last, to the last, not re-armed", 3, {{3, 3, 2}}, false, "12333"},
        {"on the first, to itself, re-armed", 3, {{1, 1, 2}}, true, "11123"},
        {"on the first, to itself, not re-armed", 3, {{1, 1, 2}}, false, "11123"},
        {"two repeats on one item, out and back, re-armed", 5, {{3, 1, 1}, {3, 5, 1}}, true, "1231235"},
        {"two repeats on one item, out and back, not re-armed", 5, {{3, 1, 1}, {3, 5, 1}}, false, "1231235"},
        {"forward over the end inside a loop, re-armed", 4, {{2, 5, 1}, {4, 1, 1}}, true, "12"},
        {"forward over the end inside a loop, not re-armed", 4, {{2, 5, 1}, {4, 1, 1}}, false, "12"},
        {"a long loop with a short one at its start, re-armed",
         6,
         {{2, 1, 2}, {6, 1, 1}},
         true,
         "12121234561212123456"},
        {"a long loop with a short one at its start, not re-armed",
         6,
         {{2, 1, 2}, {6, 1, 1}},
         false,
         "1212123456123456"},
        {"a long loop with a short one at its end, re-armed", 6, {{6, 5, 2}, {6, 1, 1}}, true, "12345656561234565656"},
        {"a long loop with a short one at its end, not re-armed", 6, {{6, 5, 2}, {6, 1, 1}}, false, "1234565656123456"},
        {"skip back and ahead in turn, re-armed", 6, {{2, 5, 1}, {5, 2, 1}, {6, 4, 1}}, true, "1252345645256"},
        {"skip back and ahead in turn, not re-armed", 6, {{2, 5, 1}, {5, 2, 1}, {6, 4, 1}}, false, "12523456456"},
    };
    for (const Row& row : rows) {
        INFO(row.label);
        CHECK(visitOrder(row.points, row.jumps, row.rearm) == digits(row.expected));
    }
}

TEST_CASE("an endless repeat goes on and a ring of repeats alone ends", "[flight][executor][repeat]") {
    CHECK(visitOrder(2, {{2, 1, -1}}, true, 60).size() == 60);
    std::vector<MissionItem> ring{{0, 0, cmd::waypoint}, {1, 2, cmd::jump, 1, -1}};
    Executor executor(programRead(ring, true), true);
    CHECK_FALSE(executor.advance());
}

TEST_CASE("looking ahead changes nothing", "[flight][executor]") {
    std::vector<MissionItem> items{{0, 0, 16}, {1, 3, 16}, {2, 2, cmd::jump, 1, 1}, {3, 3, 16}};
    Executor executor(programRead(items, true), true);
    REQUIRE(executor.advance() == 0u);
    for (int i = 0; i < 5; ++i) CHECK(executor.peek() == 0u);
    CHECK(executor.advance() == 0u);
    CHECK(executor.advance() == 2u);
    CHECK_FALSE(executor.advance());
}

TEST_CASE("hover power follows momentum theory", "[flight][power]") {
    const VehicleProfile v;
    const double rho = 1.225, weight = v.mass_kg * 9.80665;
    const double ideal = std::pow(weight, 1.5) / std::sqrt(2 * rho * v.rotor_area_m2);
    CHECK(multirotorPower_w(v, 0, 0, rho) == Approx(ideal * (1 + v.blade_share) / v.efficiency + v.other_power_w));
    CHECK(multirotorPower_w(v, 6, 0, rho) < multirotorPower_w(v, 0, 0, rho));   // translational lift
    CHECK(multirotorPower_w(v, 15, 0, rho) > multirotorPower_w(v, 8, 0, rho));  // drag
    CHECK(multirotorPower_w(v, 0, 3, rho) > multirotorPower_w(v, 0, 0, rho));
    CHECK(airDensity_kgm3(0) == Approx(1.225));
    CHECK(airDensity_kgm3(2000) == Approx(1.0066).epsilon(0.002));  // ISO 2533 table
}

TEST_CASE("the battery gives what it holds", "[flight][battery]") {
    const VehicleProfile v;
    Battery b;
    double hours = 0;
    while (b.left_percent > 0 && hours < 10) {
        b.draw(v, 100, 1);
        hours += 1 / 3600.0;
    }
    CHECK(b.used_wh == Approx(v.battery_wh).epsilon(0.01));
    CHECK(hours * 100 < v.battery_wh);  // some is lost inside
    CHECK(hours * 100 > 0.9 * v.battery_wh);
    CHECK(b.voltage_v < 4 * 3.6);
}

TEST_CASE("a rehearsed row of points takes the time its speed and climbs give", "[flight][rehearse]") {
    const auto r = flown(rowPlan(5));
    REQUIRE(r);
    CHECK(r->landed);
    // 500 m out and back at 8 m/s, 60 m up at 3 m/s, down 52 m at 2 m/s and 8 m at 0.7 m/s, and the changes between.
    const double expected = 1000 / 8.0 + 60 / 3.0 + 52 / 2.0 + 8 / 0.7;
    CHECK(r->duration_s > expected - 4);  // reached within the acceptance radius
    CHECK(r->duration_s < expected + 40);
    CHECK(r->distance_m == Approx(1000).margin(15));
    CHECK(r->max_height_home_m == Approx(60).margin(1.5));
    CHECK(r->energy_left_percent < 100);
    CHECK_FALSE(r->min_clearance_m);  // no terrain: unknown
}

TEST_CASE("rehearsal counts visits, holds and photos", "[flight][rehearse]") {
    Plan plan = rowPlan(3);
    plan.items[2].actions = {PhotoNow{}, Repeat{plan.items[1].id, 2}};
    const auto without = flown(plan);
    plan.items[3].kind = ItemKind::hold;
    plan.items[3].hold_s = 30;
    const auto with = flown(plan);
    REQUIRE(without);
    REQUIRE(with);
    CHECK(with->visits.at(plan.items[1].id) == 3);
    CHECK(with->visits.at(plan.items[3].id) == 1);
    CHECK(with->photos == 3);
    CHECK(with->duration_s == Approx(without->duration_s + 30).margin(6));
}

TEST_CASE("limits of the vehicle are kept at every instant", "[flight][motion]") {
    Plan plan = rowPlan(4);
    plan.items[2].height = Height::aboveHome(120);
    plan.items[3].height = Height::aboveHome(20);
    const auto r = flown(plan, {{230, 5}, 3600, {}});
    REQUIRE(r);
    const auto range = [&](const char* name) {
        const Channel* c = r->log->find(name);
        REQUIRE(c != nullptr);
        const auto [low, high] = std::minmax_element(c->value.begin(), c->value.end());
        return std::pair(*low, *high);
    };
    CHECK(range("velocity.ground_mps").second < 9.1);
    CHECK(range("velocity.climb_mps").second <= plan.vehicle.climb_mps + 0.01);
    CHECK(range("velocity.climb_mps").first >= -plan.vehicle.descent_mps - 0.01);
    CHECK(range("attitude.roll_deg").second < 35);
    const Channel* v = r->log->find("velocity.ground_mps");
    for (std::size_t i = 1; i < v->value.size(); ++i)
        CHECK(std::abs(v->value[i] - v->value[i - 1]) <= plan.vehicle.accel_mps2 * (v->t_s[i] - v->t_s[i - 1]) + 1e-6);
}

TEST_CASE("wind costs energy and the aircraft still lands at home", "[flight][wind]") {
    const auto calm = flown(rowPlan(4)), windy = flown(rowPlan(4), {{90, 9}, 3600, {}});
    REQUIRE(calm);
    REQUIRE(windy);
    CHECK(windy->landed);
    CHECK(windy->energy_wh > calm->energy_wh);
    const Channel* lat = windy->log->find("position.lat_deg");
    const Channel* lon = windy->log->find("position.lon_deg");
    CHECK(distance_m({lat->value.back(), lon->value.back()}, {47.31, -20.12}) < 2);
}

TEST_CASE("an endless repeat is rehearsed until the battery reserve and then comes home", "[flight][rehearse]") {
    Plan plan = rowPlan(2);
    plan.items[2].actions = {Repeat{plan.items[1].id, -1}};
    plan.vehicle.battery_wh = 30;
    const auto r = flown(plan);
    REQUIRE(r);
    CHECK(r->landed);
    CHECK(r->reached_reserve);
    CHECK(r->energy_left_percent < plan.vehicle.reserve_percent);
    CHECK(r->energy_left_percent > 5);
}

TEST_CASE("the nose follows a look-at", "[flight][look-at]") {
    Plan plan = rowPlan(4);
    const GeoPoint place = destination(plan.home->position, 45, 400);
    plan.items[1].actions = {LookAt{place, Height::amsl(0), ""}};
    const auto r = flown(plan);
    REQUIRE(r);
    const Channel *lat = r->log->find("position.lat_deg"), *lon = r->log->find("position.lon_deg"),
                  *yaw = r->log->find("attitude.yaw_deg");
    const Channel* item = r->log->find("mission.item");
    int compared = 0;
    for (std::size_t i = 0; i < yaw->value.size(); ++i) {
        if (item->value[i] < 6 || item->value[i] > 7) continue;
        CHECK(std::abs(wrapAngle(yaw->value[i] - bearing_deg({lat->value[i], lon->value[i]}, place))) < 4);
        ++compared;
    }
    CHECK(compared > 50);
}

TEST_CASE("refusals come in words", "[flight][command]") {
    Flight flight({VehicleProfile{}, {47.31, -20.12}, 0, nullptr, {}, 60, {}, true});
    CHECK(flight.startMission().error().message == "not armed");
    CHECK(flight.takeOff(20).error().message == "not armed");
    REQUIRE(flight.arm());
    CHECK(flight.startMission().error().message == "no mission is stored");
    CHECK_FALSE(flight.takeOff(-3));
    REQUIRE(flight.takeOff(20));
    for (int i = 0; i < 200; ++i) flight.step();
    CHECK(flight.heightHome_m() == Approx(20).margin(1.2));
    CHECK(flight.mode() == FlightMode::hold);
    CHECK(flight.disarm().error().message.find("land first") != std::string::npos);
    REQUIRE(flight.returnHome());
    for (int i = 0; i < 3000 && flight.state().armed; ++i) flight.step();
    CHECK_FALSE(flight.state().armed);
    CHECK(flight.state().on_ground);
}

TEST_CASE("rehearsal needs home's height and can be stopped", "[flight][rehearse]") {
    Plan plan = rowPlan(2);
    plan.home->amsl_m.reset();
    CHECK(flown(plan).error().message.find("height above sea level is unknown") != std::string::npos);
    std::stop_source stop;
    stop.request_stop();
    CHECK(flown(rowPlan(2), {{}, 3600, stop.get_token()}).error().message.find("stopped") != std::string::npos);
}

TEST_CASE("without a take-off item the first move is up, then across", "[flight][motion]") {
    Plan plan = rowPlan(2);
    plan.items.erase(plan.items.begin());
    const auto r = flown(plan);
    REQUIRE(r);
    const Channel *h = r->log->find("position.height_home_m"), *lon = r->log->find("position.lon_deg");
    for (std::size_t i = 0; i < h->value.size() && h->value[i] < 55; ++i) CHECK(std::abs(lon->value[i] + 20.12) < 1e-5);
}

TEST_CASE("could it get home: what is foretold at a time is what a return then lands with", "[flight][failure]") {
    const auto plan = loadPlan(demo("patrol.anhinga.geojson"));
    REQUIRE(plan);
    const PlanView view = viewOf(*plan, island().get());
    for (const Wind wind : {Wind{}, Wind{270, 6}, Wind{40, 9}}) {
        RehearseOptions options;
        options.wind = wind;
        const auto whole = rehearse(*plan, view.program, island(), options);
        REQUIRE(whole);
        const Channel* home = whole->log->find("battery.home_percent");
        REQUIRE(home != nullptr);
        CHECK(home->t_s.size() > 600);
        double least = 100;
        for (const double v : home->value) least = std::min(least, v);
        CHECK(whole->least_home_percent == least);
        CHECK_FALSE(whole->no_return_s);
        for (const double t : {60.0, 300.0, 571.0, 900.0}) {
            INFO("wind " << wind.speed_mps << ", at " << t);
            options.failures = {{Failure::returnHome, t, {}}};
            const auto back = rehearse(*plan, view.program, island(), options);
            REQUIRE(back);
            CHECK(back->failed_s == Approx(t).margin(0.11));
            CHECK(back->landed);
            CHECK(back->landed_from_home_m < 2);
            CHECK(back->energy_left_percent == Approx(*home->at(t)).margin(1.2));
            // Up to then it is the same flight.
            CHECK(back->log->find("position.lat_deg")->at(t - 1) == whole->log->find("position.lat_deg")->at(t - 1));
        }
        options.failures.clear();
    }
}

TEST_CASE("a battery too small for the way out has a time from which it does not get home", "[flight][failure]") {
    Plan plan = rowPlan(60);  // six kilometres
    plan.vehicle.battery_wh = 34;
    plan.vehicle.reserve_percent = 5;
    const PlanView view = viewOf(plan, nullptr);
    const auto r = rehearse(plan, view.program, nullptr);
    REQUIRE(r);
    REQUIRE(r->reserve_home_s);
    REQUIRE(r->no_return_s);
    CHECK(*r->reserve_home_s < *r->no_return_s);
    // Called home just before the first it lands at home, above the reserve; after the second it does not arrive.
    const auto called = [&](double t) {
        RehearseOptions options;
        options.failures = {{Failure::returnHome, t, {}}};
        return *rehearse(plan, view.program, nullptr, options);
    };
    CHECK(called(*r->reserve_home_s - 15).energy_left_percent > plan.vehicle.reserve_percent - 1);
    CHECK(called(*r->reserve_home_s - 15).landed_from_home_m < 2);
    CHECK(called(*r->no_return_s + 30).landed_from_home_m > 50);
}

TEST_CASE("failures do what they say, each at its time", "[flight][failure]") {
    const auto plan = loadPlan(demo("patrol.anhinga.geojson"));
    REQUIRE(plan);
    const PlanView view = viewOf(*plan, island().get());
    const auto fly = [&](std::vector<Failure> failures, Wind wind = {}) {
        RehearseOptions options;
        options.failures = std::move(failures);
        options.wind = wind;
        auto r = rehearse(*plan, view.program, island(), options);
        REQUIRE(r);
        return *r;
    };
    const Rehearsal whole = fly({});
    CHECK_FALSE(whole.failed_s);
    const Rehearsal link = fly({{Failure::lostLink, 300, {}}});
    CHECK(link.duration_s < whole.duration_s - 300);
    CHECK(link.landed_from_home_m < 2);
    const auto event = [](const Rehearsal& r) {
        for (const LogEvent& e : r.log->events)
            if (e.kind == "failure") return e.text;
        return std::string();
    };
    CHECK(event(link) == "lost-link");
    const Rehearsal battery = fly({{Failure::lowBattery, 400, {}}});
    CHECK(battery.reached_reserve);
    CHECK(*battery.log->find("battery.left_percent")->at(402) <= plan->vehicle.reserve_percent);
    CHECK(battery.landed_from_home_m < 2);
    // Without a position it comes down where it is, carried as far as the wind blows meanwhile.
    const Rehearsal calm = fly({{Failure::gpsLoss, 500, {}}});
    const Rehearsal blown = fly({{Failure::gpsLoss, 500, {}}}, {270, 5});
    const auto landed = [](const Rehearsal& r) {
        return GeoPoint{r.log->find("position.lat_deg")->value.back(), r.log->find("position.lon_deg")->value.back()};
    };
    const auto at = [](const Rehearsal& r, double t) {
        return GeoPoint{*r.log->find("position.lat_deg")->at(t), *r.log->find("position.lon_deg")->at(t)};
    };
    CHECK(calm.landed);
    CHECK(distance_m(landed(calm), at(calm, 500)) < 25);
    const double down_s = blown.duration_s - 500;
    CHECK(distance_m(landed(blown), at(blown, 500)) == Approx(5 * down_s).epsilon(0.15));
    CHECK(bearing_deg(at(blown, 500), landed(blown)) == Approx(90).margin(12));
    // The wind costs from then on, and not before.
    const Rehearsal windy = fly({{Failure::wind, 600, {270, 9}}});
    CHECK(windy.energy_left_percent < whole.energy_left_percent - 5);
    CHECK(*windy.log->find("battery.left_percent")->at(599) == *whole.log->find("battery.left_percent")->at(599));
    // Two of them, told in any order; what comes after the landing does not happen.
    const Rehearsal both =
        fly({{Failure::returnHome, 700, {}}, {Failure::wind, 200, {0, 7}}, {Failure::gpsLoss, 5000, {}}});
    CHECK(*both.failed_s == Approx(200).margin(0.11));
    CHECK(both.landed_from_home_m < 2);
    for (const char* text : {"", "return", "return@", "return@x", "foo@1", "return@1:2", "wind@1", "wind@1:2",
                             "wind@1:2:99", "wind@1:2:3:4", "return@-1", "return@1e999", "@5"}) {
        INFO(text);
        CHECK_FALSE(parseFailure(text));
    }
    CHECK(parseFailure("low-battery@12.5")->at_s == 12.5);
    CHECK(parseFailure("wind@60:270:8")->blows.speed_mps == 8);
}

TEST_CASE("wind grows with height, gusts have their spread and are the same for the same seed", "[flight][wind]") {
    const Air sheared(Wind{270, 6, 0.14});
    CHECK(length(sheared.mean(10)) == Approx(6));
    CHECK(length(sheared.mean(100)) == Approx(6 * std::pow(10, 0.14)));
    CHECK(sheared.mean(60).x > 0);  // from the west it blows east
    CHECK(std::abs(sheared.mean(60).y) < 1e-9);
    CHECK(length(sheared.mean(-20)) == Approx(length(sheared.mean(1))));
    CHECK(length(Air(Wind{0, 6}).mean(200)) == Approx(6));
    Air gusty(Wind{90, 5, 0, 1.5, 7}), same(Wind{90, 5, 0, 1.5, 7}), other(Wind{90, 5, 0, 1.5, 8});
    double sum = 0, squares = 0, lagged = 0, before = 0;
    constexpr int kSteps = 200000;
    bool differs = false;
    for (int i = 0; i < kSteps; ++i) {
        gusty.step(0.1);
        same.step(0.1);
        other.step(0.1);
        const double g = gusty.at(50).x - gusty.mean(50).x;
        REQUIRE(gusty.at(50) == same.at(50));
        differs |= !(gusty.at(50) == other.at(50));
        sum += g;
        squares += g * g;
        lagged += g * before;
        before = g;
    }
    CHECK(differs);
    CHECK(std::abs(sum / kSteps) < 0.1);
    CHECK(std::sqrt(squares / kSteps) == Approx(1.5).epsilon(0.05));
    CHECK(lagged / squares == Approx(std::exp(-0.1 / 4)).margin(0.005));
}

TEST_CASE("a gusty rehearsal is the same for the same seed, costs more, and obeys the limits", "[flight][wind]") {
    const auto plan = loadPlan(demo("patrol.anhinga.geojson"));
    REQUIRE(plan);
    const auto calm = flown(*plan, {}, island());
    RehearseOptions options;
    options.wind = {250, 4, 0.14, 2, 3};
    const auto a = flown(*plan, options, island()), b = flown(*plan, options, island());
    options.wind.seed = 4;
    const auto c = flown(*plan, options, island());
    REQUIRE((calm && a && b && c));
    CHECK(writeUlog(*a->log) == writeUlog(*b->log));
    CHECK(writeUlog(*a->log) != writeUlog(*c->log));
    CHECK(a->energy_wh > calm->energy_wh);
    CHECK(a->energy_wh == Approx(c->energy_wh).epsilon(0.04));
    // Energy never rises; nothing jumps: the limits hold from sample to sample.
    const auto& v = plan->vehicle;
    const Channel* used = a->log->find("battery.used_wh");
    const Channel* lat = a->log->find("position.lat_deg");
    const Channel* lon = a->log->find("position.lon_deg");
    const Channel* height = a->log->find("position.height_home_m");
    const Channel* speed = a->log->find("velocity.ground_mps");
    const LocalFrame frame(plan->home->position);
    for (std::size_t i = 1; i < used->value.size(); ++i) {
        const double dt = used->t_s[i] - used->t_s[i - 1];
        REQUIRE(used->value[i] >= used->value[i - 1]);
        const Vec2 step =
            frame.toLocal({lat->value[i], lon->value[i]}) - frame.toLocal({lat->value[i - 1], lon->value[i - 1]});
        REQUIRE(length(step) <= v.max_mps * dt + 1e-3);
        REQUIRE(height->value[i] - height->value[i - 1] <= v.climb_mps * dt + 1e-3);
        REQUIRE(height->value[i - 1] - height->value[i] <= std::max(v.descent_mps, v.land_mps) * dt + 0.06);
        REQUIRE(std::abs(speed->value[i] - speed->value[i - 1]) <= v.accel_mps2 * dt + 1e-6);
    }
    // Hover against momentum theory: P = (1 + blades) (m g)^1.5 / sqrt(2 rho A) / efficiency + the rest.
    const double weight = v.mass_kg * 9.80665;
    const double ideal = std::pow(weight, 1.5) / std::sqrt(2 * airDensity_kgm3(0) * v.rotor_area_m2);
    CHECK(multirotorPower_w(v, 0, 0, airDensity_kgm3(0)) ==
          Approx(ideal * (1 + v.blade_share) / v.efficiency + v.other_power_w).epsilon(1e-9));
}

TEST_CASE("however softly it accelerates, it stops where it is to stop", "[flight][jerk]") {
    for (const double jerk : {0.5, 1.0, 4.0, 15.0})
        for (const double leg_m : {3.0, 12.0, 60.0, 250.0}) {
            INFO(jerk << " m/s3 over " << leg_m << " m");
            Plan plan = rowPlan(1);
            plan.items.pop_back();
            plan.items[1].position = destination(plan.home->position, 90, leg_m);
            plan.items[1].kind = ItemKind::hold;
            plan.items[1].hold_s = 3;
            plan.at_end = AtEnd::waitThere;
            plan.vehicle.jerk_mps3 = jerk;
            plan.defaults.speed_mps = 10;
            const auto flown = rehearse(plan, programOf(plan, expand(plan, nullptr), nullptr), nullptr, {});
            REQUIRE(flown);
            const Channel &lat = *flown->log->find("position.lat_deg"), &lon = *flown->log->find("position.lon_deg"),
                          &speed = *flown->log->find("velocity.ground_mps");
            double farthest = 0, change = 0, before = 0;
            for (std::size_t i = 0; i < lat.value.size(); ++i) {
                farthest = std::max(farthest, distance_m({lat.value[i], lon.value[i]}, plan.home->position));
                if (i > 0) {
                    const double push = (speed.value[i] - speed.value[i - 1]) / (speed.t_s[i] - speed.t_s[i - 1]);
                    // Where it hardly moves the speed has no sign to tell its change by.
                    if (i > 1 && speed.value[i] > 0.8)
                        change = std::max(change, std::abs(push - before) / (speed.t_s[i] - speed.t_s[i - 1]));
                    before = push;
                }
            }
            CHECK(farthest > leg_m - 0.6);
            CHECK(farthest < leg_m + 0.8);
            CHECK(change < 1.1 * jerk + 0.05);
        }
}
