// What an aircraft is set to do by itself, read from the parameters of families as their stand-ins hold them.
#include <catch2/catch.hpp>

#include "core/link/Safety.h"
#include "core/plan/ChecklistTemplates.h"
#include "core/watch/SafetyChecks.h"
#include "standin/families/Family.h"
#include "support.h"

using namespace anhinga;
using namespace anhinga::testing;

namespace {

struct Aircraft {
    int autopilot, type;
    ParameterSet parameters;
};
/// MAV_AUTOPILOT and MAV_TYPE of the standard; parameters as that family's stand-in holds them.
Aircraft made(int autopilot, families::Body body) {
    const auto family = autopilot == 3 ? families::familyThree(body) : families::familyTwelve(body);
    Aircraft a{autopilot, body == families::Body::wing ? 1 : body == families::Body::helicopter ? 4 : 2, {}};
    constexpr int kInt = 6, kFloat = 9;
    for (const auto& [name, p] : family->parameters()) a.parameters[name] = {p.value, p.whole ? kInt : kFloat};
    return a;
}
CheckResult look(const std::string& name, const Plan& plan, const Aircraft& aircraft,
                 const Rehearsal* rehearsal = nullptr) {
    VehicleSnapshot v;
    v.heard = true;
    v.autopilot = aircraft.autopilot;
    v.type = aircraft.type;
    FieldInput in;
    in.plan = &plan;
    in.vehicle = &v;
    in.rehearsal = rehearsal;
    in.parameters = aircraft.parameters.empty() ? nullptr : &aircraft.parameters;
    const AutoCheck* check = autoCheck(name);
    REQUIRE(check != nullptr);
    return check->look(in);
}
/// The same after what is proposed was set.
CheckResult lookAfter(const std::string& name, const Plan& plan, Aircraft aircraft) {
    const CheckResult before = look(name, plan, aircraft);
    REQUIRE(before.setting);
    REQUIRE(aircraft.parameters.contains(before.setting->first));
    aircraft.parameters[before.setting->first] = before.setting->second;
    return look(name, plan, aircraft);
}
Plan fencedPlan() {
    Plan plan = rowPlan(3);
    plan.ceiling_m = 120;
    Fence in;
    in.id = plan.newId();
    for (const double bearing : {45.0, 135.0, 225.0, 315.0})
        in.outline.push_back(destination(plan.home->position, bearing, 900));
    plan.fences = {in};
    return plan;
}

}  // namespace

TEST_CASE("a fence that is off as delivered is told, and can be set", "[watch][safety]") {
    const Plan plan = fencedPlan();
    const Aircraft three = made(3, families::Body::rotors);
    const CheckResult off = look("fence-acts", plan, three);
    CHECK(off.state == CheckState::bad);
    REQUIRE(off.setting);
    CHECK(off.setting->first == "FENCE_ENABLE");
    CHECK(off.setting->second.value == 1);
    CHECK(lookAfter("fence-acts", plan, three).state == CheckState::good);
    // Family 12 has no switch: its action decides.
    Aircraft twelve = made(12, families::Body::rotors);
    CHECK(look("fence-acts", plan, twelve).state == CheckState::good);
    for (const double value : {0.0, 1.0}) {
        twelve.parameters["GF_ACTION"].value = value;
        CHECK(look("fence-acts", plan, twelve).state == CheckState::bad);
        CHECK(lookAfter("fence-acts", plan, twelve).state == CheckState::good);
    }
    // A value that is in no table is unknown, neither good nor bad.
    twelve.parameters["GF_ACTION"].value = 77;
    CHECK(look("fence-acts", plan, twelve).state == CheckState::unknown);
    CHECK(look("fence-acts", rowPlan(3), three).state == CheckState::good);  // nothing to act at
}

TEST_CASE("the same number means another action for another kind", "[watch][safety]") {
    Plan plan = rowPlan(3);
    for (const auto& [action, rotors, wings] :
         {std::tuple{SafetyAction::land, 1.0, 2.0}, {SafetyAction::returnHome, 2.0, 1.0}}) {
        plan.low_battery = action;
        for (const bool wing : {false, true}) {
            Aircraft a = made(3, wing ? families::Body::wing : families::Body::rotors);
            INFO(wing);
            const CheckResult nothing = look("low-battery", plan, a);
            CHECK(nothing.state == CheckState::bad);  // 0 as delivered: it only says so
            REQUIRE(nothing.setting);
            CHECK(nothing.setting->second.value == (wing ? wings : rotors));
            a.parameters["BATT_FS_LOW_ACT"].value = wing ? wings : rotors;
            CHECK(look("low-battery", plan, a).state == CheckState::good);
            a.parameters["BATT_FS_LOW_ACT"].value = wing ? rotors : wings;
            CHECK(look("low-battery", plan, a).state == CheckState::bad);
        }
    }
}

TEST_CASE("a lost link: what is set, against what is planned", "[watch][safety]") {
    Plan plan = rowPlan(3);
    plan.lost_link = SafetyAction::returnHome;
    const Aircraft three = made(3, families::Body::rotors), twelve = made(12, families::Body::wing);
    for (const Aircraft& a : {three, twelve}) {
        CHECK(look("lost-link", plan, a).state == CheckState::bad);
        CHECK(lookAfter("lost-link", plan, a).state == CheckState::good);
    }
    plan.lost_link = SafetyAction::carryOn;
    CHECK(look("lost-link", plan, three).state == CheckState::good);
    plan.lost_link = SafetyAction::hold;  // which family 3 cannot be told
    CHECK_FALSE(look("lost-link", plan, three).setting);
    CHECK(look("lost-link", plan, three).text.find("cannot be set") != std::string::npos);
    // A wing's action counts only with its switch.
    Aircraft wing = made(3, families::Body::wing);
    wing.parameters["FS_GCS_ENABL"] = {0, 6};
    wing.parameters["FS_LONG_ACTN"] = {1, 6};
    plan.lost_link = SafetyAction::returnHome;
    CHECK(look("lost-link", plan, wing).state == CheckState::bad);
    wing.parameters["FS_GCS_ENABL"].value = 1;
    CHECK(look("lost-link", plan, wing).state == CheckState::good);
}

TEST_CASE("heights and distances come in the plan's units, whatever the aircraft counts in", "[watch][safety]") {
    Plan plan = fencedPlan();
    plan.return_height_m = 60;
    plan.defaults.acceptance_m = 2;
    const Aircraft three = made(3, families::Body::rotors), wing = made(3, families::Body::wing),
                   twelve = made(12, families::Body::rotors);
    CHECK(look("return-height", plan, three).state == CheckState::good);   // 6000 cm
    CHECK(look("return-height", plan, twelve).state == CheckState::good);  // 60 m
    CHECK(look("return-height", plan, wing).state == CheckState::bad);     // 100 m, in centimetres
    CHECK(lookAfter("return-height", plan, wing).state == CheckState::good);
    plan.return_height_m = 85;
    const CheckResult r = look("return-height", plan, three);
    REQUIRE(r.setting);
    CHECK(r.setting->second.value == 8500);
    CHECK(look("acceptance", plan, three).state == CheckState::good);  // 200 cm
    CHECK(look("acceptance", plan, wing).state == CheckState::bad);    // 30 m
    CHECK_FALSE(look("acceptance", plan, wing).setting);               // how it flies is for its owner to say
    // A ceiling with the fence off, or with an action that is none, is not kept.
    const CheckResult idle = look("ceiling", plan, three);
    CHECK(idle.state == CheckState::bad);
    CHECK(idle.text.find("not kept") != std::string::npos);
    REQUIRE(idle.setting);
    CHECK(idle.setting->first == "FENCE_ENABLE");
    Aircraft kept = three;
    kept.parameters["FENCE_ENABLE"].value = 1;
    kept.parameters["FENCE_ACTION"].value = 0;
    CHECK(look("ceiling", plan, kept).state == CheckState::bad);
    // 100 m set, 120 m planned: lower is safe; none at all is not.
    kept.parameters["FENCE_ACTION"].value = 1;
    CHECK(look("ceiling", plan, kept).state == CheckState::good);
    CHECK(look("ceiling", plan, twelve).state == CheckState::bad);
    CHECK(lookAfter("ceiling", plan, twelve).state == CheckState::good);
    // Lower than the plan flies it is no help: it would be stopped on the way.
    Rehearsal high;
    high.max_height_home_m = 110;
    const CheckResult low = look("ceiling", plan, kept, &high);
    CHECK(low.state == CheckState::bad);
    CHECK_FALSE(low.setting);
}

TEST_CASE("what was not asked, or is not known of a family, is said to be planned and no more", "[watch][safety]") {
    const Plan plan = fencedPlan();
    for (const AutoCheck& check : safetyChecks()) {
        INFO(check.name);
        const CheckResult r = look(check.name, plan, {3, 2, {}});
        CHECK(r.state == CheckState::unknown);
        CHECK(r.text.find("not asked") != std::string::npos);
        CHECK_FALSE(r.setting);
        // Of the common set nothing is known, whatever names it holds.
        const CheckResult plain = look(check.name, plan, {0, 2, {{"FENCE_ENABLE", {1, 9}}, {"RTL_ALT", {6000, 9}}}});
        CHECK(plain.state == CheckState::unknown);
        // Numbers that are none.
        Aircraft broken = made(3, families::Body::rotors);
        for (auto& [name, p] : broken.parameters) p.value = NAN;
        CHECK(look(check.name, plan, broken).state == CheckState::unknown);
    }
}

TEST_CASE("whether the mission is on the pilot's switch", "[watch][safety]") {
    const Plan plan = rowPlan(3);
    Aircraft three = made(3, families::Body::rotors);
    CHECK(look("mission-switch", plan, three).state == CheckState::unknown);
    for (int n = 1; n <= 6; ++n) three.parameters[fmt::format("FLTMODE{}", n)] = {5, 6};
    CHECK(look("mission-switch", plan, three).state == CheckState::bad);
    three.parameters["FLTMODE4"].value = 3;  // the mission mode of its rotors
    const CheckResult r = look("mission-switch", plan, three);
    CHECK(r.state == CheckState::good);
    CHECK(r.text.find("position 4") != std::string::npos);
    three.parameters["FLTMODE4"].value = -1e30;  // from a hostile aircraft
    CHECK(look("mission-switch", plan, three).state == CheckState::bad);
}

TEST_CASE("the list before every flight has the settings in it, each known by its name", "[watch][safety]") {
    Plan plan;
    addChecklist(plan, checklistTemplates()[0]);
    for (const AutoCheck& check : safetyChecks())
        CHECK(std::any_of(plan.checklist.begin(), plan.checklist.end(),
                          [&](const CheckItem& c) { return c.automatic == check.name; }));
    for (const CheckItem& c : plan.checklist) CHECK(autoCheck(c.automatic) != nullptr);
}

TEST_CASE("a fence that looks at no height keeps no ceiling, one that looks at no areas keeps none",
          "[watch][safety]") {
    const Plan plan = fencedPlan();
    Aircraft three = made(3, families::Body::rotors);
    three.parameters["FENCE_ENABLE"].value = 1;
    three.parameters["FENCE_ALT_MAX"].value = 120;
    CHECK(look("ceiling", plan, three).state == CheckState::good);
    CHECK(look("fence-acts", plan, three).state == CheckState::good);
    three.parameters["FENCE_TYPE"].value = 6;  // circle and areas
    const CheckResult no_height = look("ceiling", plan, three);
    CHECK(no_height.state == CheckState::bad);
    REQUIRE(no_height.setting);
    CHECK(no_height.setting->first == "FENCE_TYPE");
    CHECK(no_height.setting->second.value == 7);
    CHECK(look("fence-acts", plan, three).state == CheckState::good);
    three.parameters["FENCE_TYPE"].value = 3;  // height and circle
    const CheckResult no_area = look("fence-acts", plan, three);
    CHECK(no_area.state == CheckState::bad);
    REQUIRE(no_area.setting);
    CHECK(no_area.setting->second.value == 7);
    CHECK(look("ceiling", plan, three).state == CheckState::good);
}

TEST_CASE("what the aircraft moves by is told against the profile, and can be taken into the plan", "[watch][safety]") {
    Plan plan = rowPlan(3);
    plan.vehicle.cruise_mps = 10;
    const Aircraft three = made(3, families::Body::rotors);
    const CheckResult r = look("moves", plan, three);
    CHECK(r.state == CheckState::bad);
    CHECK(r.text.find("1 m/s³ (reckoned with 4)") != std::string::npos);
    CHECK(r.text.find("cone of 3") != std::string::npos);
    CHECK(r.text.find("waits 5 s") != std::string::npos);
    CHECK_FALSE(r.setting);
    REQUIRE(r.take);
    r.take(plan);
    CHECK(plan.traits.ways.jerk_mps3 == 1);
    CHECK(plan.traits.ways.return_cone == 3);
    CHECK(plan.traits.ways.return_wait_s == 5);
    CHECK(plan.vehicle.accel_mps2 == 2.5);
    CHECK(look("moves", plan, three).state == CheckState::good);
    // A wing's acceptance is its own: 30 m here.
    const Aircraft wing = made(3, families::Body::wing);
    const CheckResult wide = look("acceptance", plan, wing);
    REQUIRE(wide.take);
    wide.take(plan);
    CHECK(plan.traits.ways.acceptance_m == 30);
    CHECK(look("acceptance", plan, wing).state == CheckState::good);
    // Nonsense aboard is not taken.
    Aircraft odd = made(12, families::Body::rotors);
    odd.parameters["MPC_ACC_HOR"].value = -4;
    odd.parameters["MPC_JERK_AUTO"].value = 1e30;
    Plan fresh = rowPlan(3);
    const CheckResult of = look("moves", fresh, odd);
    if (of.take) of.take(fresh);
    CHECK(fresh.vehicle.accel_mps2 == VehicleProfile{}.accel_mps2);
    CHECK(flownVehicle(fresh).jerk_mps3 == VehicleProfile{}.jerk_mps3);
    fresh.traits.ways.jerk_mps3 = 1e-9;
    CHECK(flownVehicle(fresh).jerk_mps3 >= 0.2);  // it still gets anywhere
}

TEST_CASE("where the aircraft's own fence would break the flight off is said before it is sent", "[watch][safety]") {
    Plan plan = rowPlan(5);
    const FlightProgram program = programOf(plan, expand(plan, nullptr), nullptr);
    const auto rehearsal = rehearse(plan, program, nullptr, {});
    REQUIRE(rehearsal);
    double far = 0;
    for (const Item& i : plan.items)
        if (hasPosition(i.kind)) far = std::max(far, distance_m(i.position, plan.home->position));
    REQUIRE(far > 50);
    Aircraft three = made(3, families::Body::rotors);
    VehicleSnapshot v;
    v.heard = true;
    v.autopilot = 3;
    v.type = 2;
    FieldInput in;
    in.plan = &plan;
    in.vehicle = &v;
    in.rehearsal = &*rehearsal;
    in.program = &program;
    const auto stops = [&] {
        std::vector<std::string> out;
        for (const Finding& f : aircraftFindings(in))
            if (f.severity == Severity::stop) out.push_back(f.message);
        return out;
    };
    CHECK(aircraftFindings(in).empty());  // not asked
    in.parameters = &three.parameters;
    three.parameters["FENCE_ALT_MAX"].value = 10;
    three.parameters["FENCE_RADIUS"] = {40, 9};
    CHECK(stops().empty());  // off as delivered
    three.parameters["FENCE_ENABLE"].value = 1;
    REQUIRE(stops().size() == 2);
    CHECK(stops()[0].find("10 m above home (FENCE_ALT_MAX)") != std::string::npos);
    CHECK(stops()[1].find("40 m from home (FENCE_RADIUS)") != std::string::npos);
    CHECK(autoCheck("reach")->look(in).state == CheckState::bad);
    three.parameters["FENCE_TYPE"].value = 4;  // areas alone
    CHECK(stops().empty());
    CHECK(autoCheck("reach")->look(in).state == CheckState::good);
    three.parameters["FENCE_TYPE"].value = 7;
    three.parameters["FENCE_ALT_MAX"].value = 500;
    three.parameters["FENCE_RADIUS"].value = far + 10;
    CHECK(stops().empty());
}

TEST_CASE("every line in which the aircraft differs is a finding, with what can be done about it", "[watch][safety]") {
    Plan plan = rowPlan(5);
    plan.lost_link = SafetyAction::land;
    const Aircraft three = made(3, families::Body::rotors);
    VehicleSnapshot v;
    v.heard = true;
    v.autopilot = 3;
    v.type = 2;
    FieldInput in;
    in.plan = &plan;
    in.vehicle = &v;
    in.parameters = &three.parameters;
    const auto named = [&](const std::string& line) -> std::optional<Finding> {
        for (const Finding& f : aircraftFindings(in))
            if (f.line == line) return f;
        return std::nullopt;
    };
    int bad = 0;
    for (const AutoCheck& check : safetyChecks()) bad += check.look(in).state == CheckState::bad;
    CHECK(aircraftFindings(in).size() == static_cast<std::size_t>(bad));
    const auto lost = named("lost-link");
    REQUIRE(lost);
    CHECK(lost->severity == Severity::warn);
    CHECK(lost->rule == "aircraft-lost-link");
    CHECK(lost->message.find("planned: it lands") != std::string::npos);
    CHECK(lost->can_be_set);
    CHECK(lost->corrections.empty());
    const auto moves = named("moves");
    REQUIRE(moves);
    CHECK_FALSE(moves->can_be_set);
    REQUIRE(moves->corrections.size() == 1);
    moves->corrections.front().apply(plan);
    CHECK(plan.traits.ways.jerk_mps3 == 1);
    CHECK_FALSE(named("moves"));
    // Of a limit that is a stop nothing is said twice.
    Aircraft low = three;
    low.parameters["FENCE_ENABLE"].value = 1;
    low.parameters["FENCE_RADIUS"] = {10, 9};
    in.parameters = &low.parameters;
    const FlightProgram program = programOf(plan, expand(plan, nullptr), nullptr);
    in.program = &program;
    REQUIRE(named("reach"));
    CHECK(named("reach")->severity == Severity::stop);
    int reaches = 0;
    for (const Finding& f : aircraftFindings(in)) reaches += f.line == "reach";
    CHECK(reaches == 1);
}

TEST_CASE("a compass that was never calibrated, or is off by more than the Earth's field, is told", "[watch][safety]") {
    const Plan plan = rowPlan(3);
    Aircraft three = made(3, families::Body::rotors), twelve = made(12, families::Body::rotors);
    const auto set = [](Aircraft& a, const char* names, double x, double y, double z) {
        const double values[] = {x, y, z};
        for (int i = 0; i < 3; ++i) {
            std::string name = names;
            name.replace(name.find('?'), 1, 1, "XYZ"[i]);
            a.parameters[name] = {values[i], 9};
        }
    };
    CHECK(look("compass-offsets", plan, three).state == CheckState::unknown);  // it has none
    set(three, "COMPASS_OFS_?", 0, 0, 0);
    CHECK(look("compass-offsets", plan, three).state == CheckState::bad);
    set(three, "COMPASS_OFS_?", 120, -40, 60);  // milligauss: 14 microtesla
    CHECK(look("compass-offsets", plan, three).state == CheckState::good);
    CHECK(look("compass-offsets", plan, three).text.find("14 µT") != std::string::npos);
    set(three, "COMPASS_OFS_?", 500, 300, 0);
    CHECK(look("compass-offsets", plan, three).state == CheckState::bad);
    set(twelve, "CAL_MAG0_?OFF", 0.1, 0.1, 0);  // gauss
    CHECK(look("compass-offsets", plan, twelve).state == CheckState::good);
    set(twelve, "CAL_MAG0_?OFF", 0.6, 0.1, 0.3);
    CHECK(look("compass-offsets", plan, twelve).state == CheckState::bad);
}
