// What the operator is told in the field: progress against the rehearsal, alarms, automatic checks, heading test, a
// home that moved, item states.
#include <catch2/catch.hpp>

#include "core/base/Text.h"
#include "core/check/Check.h"
#include "core/geo/MagneticField.h"
#include "core/plan/ChecklistTemplates.h"
#include "core/plan/PlanFile.h"
#include "core/watch/Alarms.h"
#include "core/watch/AutoChecks.h"
#include "core/watch/HoldState.h"
#include "core/watch/SafetyChecks.h"
#include "support.h"

using namespace anhinga;
using namespace anhinga::testing;

namespace {

struct Flown {
    Plan plan = rowPlan(6);
    PlanView view = viewOf(plan, nullptr);
    Rehearsal rehearsal = *rehearse(plan, view.program, nullptr);
    const Channel& channel(const char* name) const { return *rehearsal.log->find(name); }
    /// The vehicle as it was rehearsed to be at that second.
    VehicleSnapshot at(double t) const {
        VehicleSnapshot v;
        v.heard = v.armed = true;
        v.system = 1;
        v.type = 2;
        v.autopilot = 3;
        v.custom_mode = 3;
        v.position = GeoPoint{*channel("position.lat_deg").at(t), *channel("position.lon_deg").at(t)};
        v.height_home_m = channel("position.height_home_m").at(t);
        v.battery_percent = channel("battery.left_percent").at(t);
        v.boot_s = 100 + t;
        v.mission_item = static_cast<int>(*channel("mission.item").at(t));
        v.fix = 3;
        v.satellites = 15;
        v.hdop = 0.8;
        return v;
    }
};

const Alarm* find(const AlarmWatch& watch, const std::string& id) {
    for (const Alarm& a : watch.alarms())
        if (a.id == id) return &a;
    return nullptr;
}

}  // namespace

TEST_CASE("a flight is followed in its rehearsal, second by second", "[watch][progress]") {
    const Flown f;
    ProgressFollower follower(f.rehearsal.log);
    CHECK_FALSE(follower.follow(VehicleSnapshot{}));
    for (double t = 20; t < f.rehearsal.duration_s - 30; t += 1) {
        const auto p = follower.follow(f.at(t));
        REQUIRE(p);
        CHECK(p->rehearsed_s == Approx(t).margin(1.5));
        CHECK(p->left_s == Approx(f.rehearsal.duration_s - t).margin(2));
        CHECK(p->beside_m < 3);
        if (p->battery_at_landing) CHECK(*p->battery_at_landing == Approx(f.rehearsal.energy_left_percent).margin(1));
    }
}

TEST_CASE("a repeated leg is followed each time it is flown", "[watch][progress]") {
    Flown f;
    Repeat repeat;
    repeat.target = f.plan.items[2].id;
    repeat.count = 3;
    f.plan.items[4].actions.push_back({repeat});
    f.view = viewOf(f.plan, nullptr);
    f.rehearsal = *rehearse(f.plan, f.view.program, nullptr);
    ProgressFollower follower(f.rehearsal.log);
    for (double t = 20; t < f.rehearsal.duration_s - 30; t += 0.5) {
        const auto p = follower.follow(f.at(t));
        REQUIRE(p);
        CHECK(p->rehearsed_s == Approx(t).margin(2));
    }
}

TEST_CASE("a battery that drains faster is forecast and said in time", "[watch][alarm]") {
    Flown f;
    f.plan.vehicle.battery_wh = 16;  // rehearsed: lands a little above the reserve
    f.rehearsal = *rehearse(f.plan, f.view.program, nullptr);
    REQUIRE(f.rehearsal.energy_left_percent > 30);
    ProgressFollower follower(f.rehearsal.log);
    AlarmWatch watch;
    watch.setPlan(f.plan);
    double said = -1;
    for (double t = 10; t < f.rehearsal.duration_s - 20; t += 1) {
        VehicleSnapshot v = f.at(t);
        v.battery_percent = 100 - (100 - *v.battery_percent) * 2.2;
        watch.watch(v, follower.follow(v), t);
        if (find(watch, "battery") != nullptr && said < 0) said = t;
    }
    INFO("said at " << said << " of " << f.rehearsal.duration_s);
    CHECK(said > 0);
    CHECK(said < f.rehearsal.duration_s * 0.6);
}

TEST_CASE("alarms come, are acknowledged, grow worse and go", "[watch][alarm]") {
    const Flown f;
    AlarmWatch watch;
    Plan plan = f.plan;
    plan.lost_link = SafetyAction::land;
    watch.setPlan(plan);
    VehicleSnapshot v = f.at(30);
    CHECK_FALSE(watch.watch(v, {}, 0));
    CHECK(watch.alarms().empty());

    v.heartbeat_age_s = 7;
    CHECK(watch.watch(v, {}, 1));
    REQUIRE(find(watch, "link") != nullptr);
    CHECK(find(watch, "link")->text == "Link lost for 7 s: as planned, it lands where it is by itself");
    CHECK(find(watch, "link")->level == AlarmLevel::danger);
    REQUIRE(watch.takeRaised().size() == 1);
    v.heartbeat_age_s = 8;
    watch.watch(v, {}, 2);
    CHECK(watch.takeRaised().empty());  // the same alarm, grown older
    v.heartbeat_age_s = 0.1;
    watch.watch(v, {}, 3);
    REQUIRE(find(watch, "link") != nullptr);  // danger stays until it was seen
    CHECK(find(watch, "link")->over);
    watch.acknowledge("link");
    CHECK(find(watch, "link") == nullptr);

    v.hdop = 3;
    watch.watch(v, {}, 4);
    REQUIRE(find(watch, "gps") != nullptr);
    CHECK(find(watch, "gps")->level == AlarmLevel::warn);
    watch.acknowledge("gps");
    v.fix = 1;
    watch.watch(v, {}, 5);
    CHECK(find(watch, "gps")->level == AlarmLevel::danger);
    CHECK_FALSE(find(watch, "gps")->acknowledged);  // it is worse than what was acknowledged
    v.fix = 3;
    v.hdop = 0.7;
    watch.watch(v, {}, 6);
    watch.acknowledge("");
    CHECK(watch.alarms().empty());

    v.texts.edit().push_back({1, "Crash: disarming", 1});
    v.texts.edit().push_back({6, "nothing much", 2});
    watch.watch(v, {}, 7);
    CHECK(watch.alarms().size() == 1);
    CHECK(watch.alarms()[0].text == "Aircraft: Crash: disarming");
    watch.watch(v, {}, 8);
    watch.watch(v, {}, 9);
    CHECK(watch.takeRaised().size() == 3);  // gps twice, the text once
}

TEST_CASE("fences near and broken, heights and photos that are off are said", "[watch][alarm]") {
    Flown f;
    const GeoPoint home = f.plan.home->position;
    Fence fence;
    fence.id = f.plan.newId();
    fence.name = "bay";
    for (const double bearing : {45.0, 135.0, 225.0, 315.0}) fence.outline.push_back(destination(home, bearing, 1000));
    f.plan.fences.push_back(fence);
    AlarmWatch watch;
    watch.setPlan(f.plan);
    VehicleSnapshot v = f.at(30);
    watch.watch(v, {}, 0);
    CHECK(watch.alarms().empty());
    v.position = destination(home, 0, 1000 * std::sqrt(0.5) - 8);
    watch.watch(v, {}, 1);
    REQUIRE(find(watch, "fence near") != nullptr);
    CHECK(find(watch, "fence near")->text == "8 m from the bay fence");
    v.position = destination(home, 0, 650);
    v.ground_mps = 15;
    v.course_deg = 0;
    watch.watch(v, {}, 2);
    REQUIRE(find(watch, "fence near") != nullptr);
    CHECK(find(watch, "fence near")->text.find("flying towards it") != std::string::npos);
    v.position = destination(home, 0, 900);
    watch.watch(v, {}, 3);
    REQUIRE(find(watch, "fence") != nullptr);
    CHECK(find(watch, "fence")->level == AlarmLevel::danger);

    FlightProgress p;
    p.height_home_m = 30;
    p.photos = 5;
    VehicleSnapshot high = f.at(30);
    high.height_home_m = 41;
    high.photos = 3;
    AlarmWatch second;
    second.setPlan(f.plan);
    second.watch(high, p, 0);
    CHECK(find(second, "height") == nullptr);  // for a moment it may be
    second.watch(high, p, 2);
    CHECK(find(second, "photos") == nullptr);
    high.photos = 2;
    second.watch(high, p, 4);
    REQUIRE(find(second, "height") != nullptr);
    CHECK(find(second, "height")->text == "11 m higher than rehearsed at this place: 41 m instead of 30 m above home");
    REQUIRE(find(second, "photos") != nullptr);
    CHECK(find(second, "photos")->text.find("2 photos reported, 5 planned") == 0);
}

TEST_CASE("every automatic check says why, good or bad, and unknown without a vehicle", "[watch][checklist]") {
    Flown f;
    VehicleSnapshot v = f.at(1);
    v.armed = false;
    v.custom_mode = 5;
    v.home = f.plan.home->position;
    v.home_amsl_m = 1;
    v.roll_deg = 1;
    v.pitch_deg = -2;
    v.heading_deg = 41;
    v.battery_percent = 96;
    v.link.round_trip_ms = 40;
    v.amsl_m = 0;
    const double field = magneticField(*v.home, 0, 2026.9).field_nt / 1000;
    v.field_x_ut = field;
    v.field_y_ut = v.field_z_ut = 0;
    v.sensors_present = v.sensors_on = v.sensors_ok = 268435456u + 16777216u + 4u;
    v.radio_us = {1500, 1500, 1100, 1500};
    CameraSnapshot camera;
    camera.card = CardState::ready;
    camera.free_mb = 30000;
    v.cameras = {camera};
    ParameterSet parameters{{"RTL_ALT", {6000, 6}}};
    FieldInput in;
    in.plan = &f.plan;
    in.vehicle = &v;
    in.rehearsal = &f.rehearsal;
    in.program = &f.view.program;
    in.home_amsl_m = 0;
    in.sealed = in.fence_sent = true;
    in.parameters = &parameters;
    in.heading_test = "turned half round";
    in.heading_test_good = true;
    in.year = 2026.9;
    for (const AutoCheck& check : safetyChecks()) {
        const CheckResult none = check.look({});
        CHECK(none.state == CheckState::unknown);
        CHECK_FALSE(none.text.empty());
    }
    for (const AutoCheck& check : autoChecks()) {
        const CheckResult r = check.look(in);
        INFO(check.name << ": " << r.text);
        CHECK(r.state == CheckState::good);
        CHECK_FALSE(r.text.empty());
        FieldInput nothing;
        const CheckResult none = check.look(nothing);
        CHECK(none.state != CheckState::good);
        CHECK_FALSE(none.text.empty());
        CHECK(autoCheck(check.name) == &check);
    }
    struct Wrong {
        const char* check;
        std::function<void()> make;
    };
    const Wrong wrongs[] = {{"link", [&] { v.link.recent_loss = 0.3; }},
                            {"gps", [&] { v.hdop = 2; }},
                            {"gps", [&] { v.hdop = 0.8, v.position_within_m = 7.5; }},
                            {"home", [&] { v.home = destination(*v.home, 90, 40); }},
                            {"card",
                             [&] {
                                 v.cameras[0].free_mb = 50;
                                 f.rehearsal.photos = 20;
                             }},
                            {"card", [&] { v.cameras[0].card = CardState::none; }},
                            {"return-height", [&] { parameters["RTL_ALT"].value = 1500; }},
                            {"kind", [&] { v.type = 1; }},
                            {"level", [&] { v.roll_deg = 12; }},
                            {"heading", [&] { in.heading_test_good = false; }},
                            {"compass", [&] { v.field_x_ut = field * 1.6; }},
                            {"battery", [&] { v.battery_percent = 22; }},
                            {"route", [&] { in.sealed = false; }},
                            {"fence",
                             [&] {
                                 f.plan.fences.push_back({});
                                 in.fence_sent = false;
                             }},
                            {"first-waypoint", [&] { v.position = destination(*v.position, 270, 2000); }},
                            {"mode",
                             [&] {
                                 v.type = 2;
                                 v.custom_mode = 3;
                             }},
                            {"ready", [&] { *v.sensors_ok -= 268435456u; }},
                            {"storage", [&] { *v.sensors_ok -= 16777216u; }}};
    for (const Wrong& w : wrongs) {
        w.make();
        const CheckResult r = autoCheck(w.check)->look(in);
        INFO(w.check << ": " << r.text);
        CHECK(r.state == CheckState::bad);
    }
}

TEST_CASE("an aircraft pointed at its first waypoint agrees with the map, or is told what to do", "[watch][heading]") {
    Flown f;
    VehicleSnapshot v = f.at(1);
    v.position = f.plan.home->position;
    FieldInput in;
    in.plan = &f.plan;
    in.vehicle = &v;
    in.program = &f.view.program;
    const auto look = [&](double heading) {
        v.heading_deg = heading;
        return autoCheck("heading")->look(in);
    };
    CHECK(look(94).state == CheckState::good);
    CHECK(look(94).text == "heading 94° differs from map course 90° to the first waypoint: fine");
    CHECK(look(81).state == CheckState::good);
    CHECK(look(140).state == CheckState::unknown);  // it may stand as it likes
    CHECK(look(270).text.find("point the aircraft at it") != std::string::npos);
    v.position = destination(f.plan.home->position, 90, 99);  // at the waypoint: no course to it
    CHECK(look(90).state == CheckState::unknown);
}

TEST_CASE("the pilot's sticks and mode switch are read as the vehicle's parameters say", "[watch][pilot]") {
    VehicleSnapshot v;
    v.autopilot = 3;
    v.type = 2;
    CHECK_FALSE(pilotInput(v, nullptr).heard);
    v.radio_us = {1700, 1500, 1100, 1300, 1900, 1400, 0, 65000};
    v.radio_rssi = 127;
    PilotInput p = pilotInput(v, nullptr);
    CHECK(p.heard);
    CHECK(*p.roll == Approx(0.5));
    CHECK(*p.pitch == Approx(0));
    CHECK(*p.throttle == Approx(0));
    CHECK(*p.yaw == Approx(-0.5));
    CHECK(p.mode_channel == 5);
    CHECK_FALSE(p.mode_channel_known);
    CHECK(*p.mode_position == 6);
    CHECK(p.mode.empty());
    CHECK(*p.rssi_percent == 50);
    CHECK(p.sticksMoved());
    // The receiver says itself that it hears nothing, whatever pulses are still sent.
    v.sensors_on = 65536 | 1;
    v.sensors_ok = 1;
    CHECK_FALSE(pilotInput(v, nullptr).heard);
    v.sensors_ok = 65536 | 1;
    CHECK(pilotInput(v, nullptr).heard);
    ParameterSet set{{"RCMAP_ROLL", {4, 2}}, {"RCMAP_YAW", {1, 2}},  {"FLTMODE_CH", {6, 2}},  {"FLTMODE3", {5, 2}},
                     {"RC3_MIN", {1000, 4}}, {"RC3_MAX", {1200, 4}}, {"RC2_TRIM", {1480, 4}}, {"RCMAP_PITCH", {99, 2}}};
    p = pilotInput(v, &set);
    CHECK(*p.roll == Approx(-0.5));
    CHECK(*p.yaw == Approx(0.5));
    CHECK(*p.throttle == Approx(0.5));
    CHECK(*p.pitch == Approx(20.0 / 420));
    CHECK(p.mode_channel_known);
    CHECK(*p.mode_position == 3);
    CHECK(p.mode == "hold");
    // The limits of the six positions.
    const std::pair<int, int> positions[] = {{1230, 1}, {1231, 2}, {1360, 2}, {1361, 3}, {1490, 3},
                                             {1491, 4}, {1620, 4}, {1621, 5}, {1749, 5}, {1750, 6}};
    for (const auto& [us, position] : positions) {
        v.radio_us[5] = us;
        CHECK(*pilotInput(v, &set).mode_position == position);
    }
    // Pulses that cannot be are not read; a channel that is not there is nothing.
    set["FLTMODE_CH"].value = 7;
    CHECK_FALSE(pilotInput(v, &set).mode_position);
    set["FLTMODE_CH"].value = 12;
    CHECK_FALSE(pilotInput(v, &set).mode_position);
    set["FLTMODE_CH"].value = NAN;
    CHECK(pilotInput(v, &set).mode_channel == 5);
}

TEST_CASE("a mode switch that moves in flight, and a transmitter that falls silent, are alarms",
          "[watch][alarm][pilot]") {
    const Flown f;
    AlarmWatch watch;
    watch.setPlan(f.plan);
    watch.setParameters({{"FLTMODE_CH", {5, 2}}, {"FLTMODE6", {5, 2}}});
    VehicleSnapshot v = f.at(30);
    v.radio_us = {1500, 1500, 1100, 1500, 1300};
    watch.watch(v, std::nullopt, 1);
    CHECK(find(watch, "pilot") == nullptr);
    v.radio_us[4] = 1900;
    CHECK(watch.watch(v, std::nullopt, 2));
    REQUIRE(find(watch, "pilot") != nullptr);
    CHECK(find(watch, "pilot")->text == "The pilot has moved the mode switch to position 6 (hold); it is mission now");
    v.radio_us[4] = 1300;
    watch.watch(v, std::nullopt, 3);
    CHECK(find(watch, "pilot") == nullptr);
    v.radio_us.clear();
    watch.watch(v, std::nullopt, 4);
    REQUIRE(find(watch, "pilot") != nullptr);
    CHECK(find(watch, "pilot")->level == AlarmLevel::danger);
    // On the ground a switch may stand as it likes, and one that was never heard is not missed.
    AlarmWatch other;
    v.armed = false;
    other.watch(v, std::nullopt, 1);
    v.armed = true;
    other.watch(v, std::nullopt, 2);
    CHECK(find(other, "pilot") == nullptr);
}

TEST_CASE("the heading test follows a hand that turns the aircraft", "[watch][heading]") {
    const auto turn = [](double off_after, double field_after) {
        HeadingTest test;
        test.begin(49);
        VehicleSnapshot v;
        v.heard = true;
        v.field_y_ut = v.field_z_ut = 0;
        for (double t = 0; t < 30 && test.stage() != HeadingTest::Stage::done; t += 0.2) {
            const double turned = std::clamp((t - 5) * 30, 0.0, 180.0);
            v.heading_deg = wrapBearing(40 + turned + (turned > 90 ? off_after : 0) + 0.5 * std::sin(t * 9));
            v.field_x_ut = turned > 90 ? field_after : 49.5;
            test.look(v, t);
        }
        REQUIRE(test.stage() == HeadingTest::Stage::done);
        return test;
    };
    CHECK(turn(4, 49).good());
    CHECK(turn(4, 49).text().find("49 and 49") == std::string::npos);
    const HeadingTest stuck = turn(-45, 49);
    CHECK_FALSE(stuck.good());
    CHECK(stuck.text().find("not 180") != std::string::npos);
    const HeadingTest iron = turn(0, 75);
    CHECK_FALSE(iron.good());
    CHECK(iron.text().find("disturbs") != std::string::npos);
    HeadingTest armed;
    armed.begin(49);
    VehicleSnapshot v;
    v.heading_deg = 3;
    v.armed = true;
    armed.look(v, 1);
    CHECK(armed.stage() == HeadingTest::Stage::done);
    CHECK_FALSE(armed.good());
}

TEST_CASE("a home that moved tells distance, heights, first leg and clearance", "[watch][home]") {
    const Flown f;
    VehicleSnapshot v;
    CHECK_FALSE(homeMove(f.plan, nullptr, v));
    v.home = destination(f.plan.home->position, 45, 120);
    v.home_amsl_m = 12;
    const auto move = homeMove(f.plan, nullptr, v);
    REQUIRE(move);
    CHECK(move->distance_m == Approx(120).margin(0.1));
    CHECK(*move->higher_m == Approx(12));
    CHECK(move->first_leg_planned_m == Approx(100).margin(0.5));
    CHECK(move->first_leg_m == Approx(std::hypot(100 - 84.85, 84.85)).margin(1));
    const std::string text = homeMoveText(*move);
    CHECK(text.find("120 m north-east of the planned home, 12.0 m higher") == 0);
    const Plan moved = withMeasuredHome(f.plan, v);
    CHECK(moved.home->amsl_m == 12);
    CHECK(moved.items == f.plan.items);
}

TEST_CASE("of each item it is said how far it has got", "[watch][states]") {
    const Flown f;
    const FlightProgram& program = f.view.program;
    CHECK(holdStates({program})[3] == HoldState::drawn);
    MissionSet aboard = {itemsOf(program), {}, {}};
    aboard.mission[4].z += 5;
    aboard.mission[0].x += 900;  // the autopilot's own home
    HeldPlan held(aboard);
    HoldInput in{program};
    in.held = &held;
    auto states = holdStates(in);
    CHECK(states[0] == HoldState::confirmed);
    CHECK(states[3] == HoldState::confirmed);
    CHECK(states[4] == HoldState::drawn);
    in.stored = true;
    in.flown = 3;
    states = holdStates(in);
    CHECK(states[2] == HoldState::stored);
    CHECK(states[3] == HoldState::active);
    aboard.mission.resize(3);
    held = HeldPlan(aboard);
    CHECK(held.firstDifference(program) == 3);
    in.sent = program.entries();
    CHECK(holdStates(in).back() == HoldState::sent);
    CHECK(firstChangeable(4, 2) == 6);
    CHECK(firstChangeable(std::nullopt, 2) == 0);
    CHECK_FALSE(firstChangeable(4, 0));
    for (const HoldState s :
         {HoldState::drawn, HoldState::sent, HoldState::confirmed, HoldState::stored, HoldState::active})
        CHECK(std::string(holdText(s)).size() > 5);
}

TEST_CASE("checklists are added once, kept with the plan, and hostile ones refused", "[plan][checklist]") {
    Plan plan = rowPlan(2);
    for (const ChecklistTemplate& t : checklistTemplates()) {
        addChecklist(plan, t);
        const auto n = plan.checklist.size();
        addChecklist(plan, t);
        CHECK(plan.checklist.size() == n);
        for (const ChecklistLine& line : t.lines)
            CHECK((line.automatic[0] == '\0' || autoCheck(line.automatic) != nullptr));
    }
    plan.checklist[2].ticked_unix_s = 1800000123;
    plan.seals.push_back({2, 0xfedcba9876543210, 1800000000, 7, 3, 41, 13, 2, true, 1800003600, {}});
    plan.revision = 3;
    plan.frozen = true;
    const std::string text = writePlanText(plan);
    const auto back = readPlanText(text, "x");
    REQUIRE(back);
    CHECK(*back == plan);
    CHECK(back->sealOf(2)->fingerprint == 0xfedcba9876543210);
    CHECK(back->sealOf(1) == nullptr);
    const auto without = [&](const std::string& from, const std::string& to) {
        std::string changed = text;
        const auto at = changed.find(from);
        REQUIRE(at != std::string::npos);
        changed.replace(at, from.size(), to);
        return readPlanText(changed, "x");
    };
    CHECK_FALSE(without("fedcba9876543210", "not a number"));
    CHECK_FALSE(without("2027-01-15T08:02:03Z", "2027-01-45T08:02:03Z"));
    CHECK_FALSE(without("\"revision\":3", "\"revision\":-3"));
}

TEST_CASE("times are written and read back, and what is no time is refused", "[base][text]") {
    for (const double t : {1.0, 86399.0, 951782400.0, 1800000123.0, 4102444799.0}) CHECK(parseUtc(isoUtc(t)) == t);
    for (const char* bad :
         {"", "2027-02-30T00:00:00Z", "2027-01-01T24:00:00Z", "2027-01-01 00:00:00Z", "2027-01-01T00:00:00"})
        CHECK_FALSE(parseUtc(bad));
}
