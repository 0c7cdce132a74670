// The library of profiles, and the plans to begin with.
#include <catch2/catch.hpp>

#include "core/check/Check.h"
#include "core/flight/Rehearse.h"
#include "core/plan/PlanFile.h"
#include "core/plan/ProfileLibrary.h"
#include "core/plan/Templates.h"
#include "support.h"

using namespace anhinga;
using namespace anhinga::testing;

TEST_CASE("generic profiles are fit to be flown and come back from their file", "[profiles]") {
    const ProfileLibrary library = genericProfiles();
    CHECK(library.vehicles.size() >= 4);
    CHECK(library.cameras.size() >= 6);
    CHECK(library.autopilots.size() >= 3);
    for (const VehicleProfile& v : library.vehicles) {
        CAPTURE(v.name);
        CHECK(v.cruise_mps <= v.max_mps);
        VehicleProfile copy = v;
        for (const ProfileNumber& n : numbersOf(copy)) {
            CAPTURE(n.label);
            CHECK((*n.value >= n.low && *n.value <= n.high));
        }
        // Each lifts itself and has minutes to spare: the patrol template lands with more than its reserve.
        Plan plan = planTemplates()[1].make({47.31, -20.12});
        plan.vehicle = v;
        plan.home->amsl_m = 20;
        const PlanView view = viewOf(plan, nullptr);
        REQUIRE(view.sendable());
        const auto flown = rehearse(plan, view.program, nullptr, {{}, 3600, {}});
        REQUIRE(flown);
        CHECK(flown->landed);
        CHECK(flown->energy_left_percent > v.reserve_percent);
    }
    for (CameraProfile c : library.cameras) {
        CAPTURE(c.name);
        for (const ProfileNumber& n : numbersOf(c)) CHECK((*n.value >= n.low && *n.value <= n.high));
        // Square pixels, near enough.
        CHECK(c.sensor_w_mm / c.px_across == Approx(c.sensor_h_mm / c.px_along).epsilon(0.03));
    }
    const auto back = readProfiles(writeProfiles(library), "profiles.json");
    REQUIRE(back);
    CHECK(*back == library);
}

TEST_CASE("profiles that cannot be read say which one and why", "[profiles][hostile]") {
    const struct {
        const char *label, *text, *expected;
    } rows[] = {
        {"not JSON", "{", "profiles.json"},
        {"a list", "[]", "anhinga_profiles"},
        {"another file", "{\"type\":\"FeatureCollection\"}", "anhinga_profiles"},
        {"newer", "{\"anhinga_profiles\":3}", "newer"},
        {"vehicles no list", "{\"anhinga_profiles\":1,\"vehicles\":{}}", "vehicles"},
        {"no name", "{\"anhinga_profiles\":1,\"vehicles\":[{\"mass_kg\":1}]}", "entry 1"},
        {"mass of a text", "{\"anhinga_profiles\":1,\"vehicles\":[{\"name\":\"A\",\"mass_kg\":\"x\"}]}",
         "\"A\": mass_kg"},
        {"negative pixels", "{\"anhinga_profiles\":1,\"cameras\":[{\"name\":\"C\",\"px_across\":-4}]}", "px_across"},
        {"flag of a number", "{\"anhinga_profiles\":1,\"autopilots\":[{\"name\":\"F\",\"splines\":1}]}", "splines"}};
    for (const auto& r : rows) {
        CAPTURE(r.label);
        const auto read = readProfiles(r.text, "profiles.json");
        REQUIRE_FALSE(read);
        CHECK(read.error().message.find(r.expected) != std::string::npos);
    }
    // Members this version has no word for are passed over; what is not given has its usual value.
    const auto read = readProfiles(
        "{\"anhinga_profiles\":1,\"vehicles\":[{\"name\":\"A\",\"colour\":\"red\",\"mass_kg\":2.5}]}", "p");
    REQUIRE(read);
    CHECK(read->vehicles[0].mass_kg == 2.5);
    CHECK(read->vehicles[0].cruise_mps == VehicleProfile().cruise_mps);
    int refused = 0;
    for (const std::string& bytes : damaged(writeProfiles(genericProfiles()), 60, 4)) {
        const auto r = readProfiles(bytes, "p");
        refused += r ? 0 : 1;
    }
    CHECK(refused > 20);
}

TEST_CASE("every template can be flown as it is, wherever home is", "[templates]") {
    for (const PlanTemplate& t : planTemplates())
        for (const GeoPoint home : {GeoPoint{47.31, -20.12}, GeoPoint{-70, 179.9995}, GeoPoint{0, 0}}) {
            CAPTURE(t.name, home.lat_deg);
            Plan plan = t.make(home);
            REQUIRE(plan.home);
            CHECK(plan.home->position == home);
            plan.home->amsl_m = 10;
            const auto back = readPlanText(writePlanText(plan), "t");
            REQUIRE(back);
            CHECK(*back == plan);
            if (plan.items.empty()) continue;
            const PlanView view = viewOf(plan, nullptr);
            for (const Finding& f : check({plan, view, nullptr, {}, 0})) {
                CAPTURE(f.message);
                // Terrain is not known here, which heights above ground need: said, and by nothing else.
                CHECK((f.severity != Severity::stop || f.message.find("terrain") != std::string::npos));
            }
            for (const Item& item : plan.items)
                if (hasPosition(item.kind)) CHECK(distance_m(home, item.position) < 400);
        }
}

TEST_CASE("a multirotor written before its blades were a number hovers as it did and cruises on more",
          "[profiles][power]") {
    // As formats 1 of profiles and 7 of plans had it.
    const auto read =
        readProfiles(R"({"anhinga_profiles":1,"vehicles":[{"name":"Old","mass_kg":1.9,"rotor_area_m2":0.29,
        "drag_area_m2":0.035,"efficiency":0.55,"other_power_w":14},{"name":"Own","mass_kg":2.2,"drag_area_m2":0.05,
        "efficiency":0.9}]})",
                     "profiles.json");
    REQUIRE(read);
    const VehicleProfile& old = read->vehicles[0];
    const double weight = 1.9 * 9.80665, hover = std::pow(weight, 1.5) / std::sqrt(2 * 1.225 * 0.29) / 0.55 + 14;
    CHECK(flightPower_w(old, 0, 0, 1.225) == Approx(hover));
    CHECK(flightPower_w(old, 8, 0, 1.225) > 0.9 * hover);
    const VehicleProfile& own = read->vehicles[1];
    CHECK(own.drag_area_m2 == 0.05);
    CHECK(own.efficiency <= 1);
    CHECK((1 + own.blade_share) / own.efficiency == Approx(1 / 0.9));
    // Written again it is what it is now.
    const auto again = readProfiles(writeProfiles(*read), "profiles.json");
    REQUIRE(again);
    CHECK(again->vehicles == read->vehicles);
    std::string text = writePlanText(rowPlan(2));
    for (const auto& [from, to] : std::initializer_list<std::pair<std::string, std::string>>{
             {"\"format\":8", "\"format\":7"},
             {"\"efficiency\":0.825", "\"efficiency\":0.55"},
             {"\"blade_share\":0.5,", ""},
             {"\"drag_area_m2\":0.07", "\"drag_area_m2\":0.035"}}) {
        REQUIRE(text.find(from) != std::string::npos);
        text.replace(text.find(from), from.size(), to);
    }
    const auto plan = readPlanText(text, "old");
    REQUIRE(plan);
    CHECK(flightPower_w(plan->vehicle, 0, 0, 1.225) == Approx(hover));
    CHECK(plan->vehicle.drag_area_m2 == VehicleProfile{}.drag_area_m2);
}
