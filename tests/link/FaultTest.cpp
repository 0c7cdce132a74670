// Every fault of the stand-in, as the ground sees it; its telemetry, modes and power cut.
#include <catch2/catch.hpp>

#include <set>

#include "core/mavlink/Frame.h"
#include "core/plan/ProfileLibrary.h"
#include "core/watch/Alarms.h"
#include "link/Rig.h"

using namespace anhinga;
using namespace anhinga::testing;
using mavlink::Message;

namespace {

/// The stand-in and what a ground station makes of what it says, on a clock of the test's own.
class Sky {
  public:
    explicit Sky(StandInOptions o = standInOptions())
        : standin(std::move(o), [this](const Message& m) {
              said.insert(std::string(m.info->name));
              vehicle.take(m, now_ms);
          }) {}
    void send(Message m) {
        m.system = 255;
        m.component = 190;
        standin.receive(m);
    }
    void run(double seconds) {
        for (double t = 0; t < seconds; t += 0.1) {
            now_ms += 100;
            standin.advance(0.1);
        }
    }
    void command(int number, double param1 = 0, double param2 = 0, double param7 = 0) {
        send(Message("COMMAND_LONG")
                 .set("command", number)
                 .set("param1", param1)
                 .set("param2", param2)
                 .set("param7", param7)
                 .set("target_system", 1)
                 .set("target_component", 1));
    }
    void upload(const std::vector<MissionItem>& items, MissionType type = MissionType::mission) {
        send(Message("MISSION_COUNT")
                 .set("target_system", 1)
                 .set("count", static_cast<double>(items.size()))
                 .set("mission_type", static_cast<int>(type)));
        for (const MissionItem& i : items) send(missionItemMessage(i, type, 1, 1));
    }
    /// In the air on its mission.
    void fly(int points = 12) {
        upload(rowMission(points));
        command(cmd::armDisarm, 1);
        command(cmd::missionStart);
        run(40);
        REQUIRE(now().armed);
        REQUIRE(modeName(now()) == "mission");
    }
    VehicleSnapshot now() const { return vehicle.at(now_ms); }
    std::string lastText() const { return now().texts->empty() ? "" : now().texts->back().text; }
    bool heardText(const std::string& part) const {
        for (const SpokenText& t : *now().texts)
            if (t.text.find(part) != std::string::npos) return true;
        return false;
    }

    double now_ms = 1000;
    std::set<std::string> said;
    VehicleState vehicle;
    StandIn standin;
};

StandInOptions with(const char* fault, double at_s = 0) {
    StandInOptions o = standInOptions();
    o.faults.set(fault, at_s);
    return o;
}

}  // namespace

TEST_CASE("faults are given by name and time, and unknown ones refused", "[standin][fault]") {
    Faults faults;
    CHECK(faults.add("gps-jump@30"));
    CHECK(faults.add("compass"));
    for (const char* bad : {"", "gremlins", "compass@", "compass@soon", "@5"}) CHECK_FALSE(faults.add(bad));
    CHECK_FALSE(faults.holds("gps-jump", 29));
    CHECK(faults.holds("gps-jump", 31));
    CHECK(faults.since("gps-jump", 34) == Approx(4));
    CHECK(faults.holds("compass", 0));
    CHECK_FALSE(faults.holds("wind", 1000));
    std::set<std::string> names;
    for (const FaultInfo& f : knownFaults()) {
        CHECK(names.insert(f.name).second);
        CHECK(std::string(f.text).size() > 10);
    }
    CHECK(names.size() >= 15);
}

TEST_CASE("refusals to arm come with their reason", "[standin][fault]") {
    const std::pair<const char*, const char*> reasons[] = {
        {"refuse-arm", "compasses disagree"}, {"compass", "compass field"}, {"gps-jump", "GPS cannot be trusted"}};
    for (const auto& [fault, reason] : reasons) {
        Sky sky(with(fault));
        sky.run(1);
        sky.command(cmd::armDisarm, 1);
        sky.run(1);
        INFO(fault);
        CHECK_FALSE(sky.now().armed);
        CHECK(sky.lastText().find(reason) != std::string::npos);
        constexpr std::uint32_t kPrearm = 268435456;
        sky.run(2);
        CHECK((*sky.now().sensors_ok & kPrearm) == 0);
    }
    Sky fine;
    fine.run(2);
    fine.command(cmd::doSetMode, 1, 24);  // return
    fine.command(cmd::armDisarm, 1);
    CHECK(fine.lastText().find("mode return does not allow it") != std::string::npos);
    fine.command(cmd::doSetMode, 1, 22);
    fine.command(cmd::armDisarm, 1);
    fine.run(1);
    CHECK(fine.now().armed);
}

TEST_CASE("a GPS jump moves the reported place for a while, a loss brings it down", "[standin][fault]") {
    Sky sky(with("gps-jump", 60));
    sky.fly();
    REQUIRE(sky.now().fix == 3);
    const double before = sky.now().position->lon_deg;
    sky.run(22);
    CHECK(sky.now().fix == 2);
    CHECK(*sky.now().hdop > 4);
    CHECK(*sky.now().position_ratio > 1);
    AlarmWatch watch;
    watch.setPlan(rowPlan(3));
    watch.watch(sky.now(), {}, 0);
    std::set<std::string> alarms;
    for (const Alarm& a : watch.alarms()) alarms.insert(a.id);
    CHECK(alarms.contains("gps"));
    CHECK(alarms.contains("position"));
    sky.run(14);
    CHECK(sky.now().fix == 3);
    CHECK(sky.now().position->lon_deg > before);

    Sky lost(with("gps-loss", 50));
    lost.fly();
    lost.run(15);
    CHECK(modeName(lost.now()) == "land");
    CHECK(lost.heardText("position is lost"));
    lost.run(120);
    CHECK_FALSE(lost.now().armed);
}

TEST_CASE("compass, vibration, battery and wind go wrong as they should", "[standin][fault]") {
    Sky calm;
    calm.fly();
    const auto field = [](const Sky& sky) {
        return std::hypot(*sky.now().field_x_ut, *sky.now().field_y_ut, *sky.now().field_z_ut);
    };
    const double earth = field(calm);
    CHECK(earth == Approx(magneticField({47.31, -20.12}, 0, 2026.9).field_nt / 1000).epsilon(0.02));
    CHECK(*calm.now().vibration_x < 25);
    CHECK(*calm.now().compass_ratio < 0.5);
    CHECK_FALSE(calm.now().radio_us.empty());

    Sky iron(with("compass", 30));
    iron.fly();
    CHECK(field(iron) > earth * 1.2);
    CHECK(*iron.now().compass_ratio > 1);
    CHECK(std::abs(wrapAngle(*iron.now().heading_deg - *calm.now().heading_deg)) > 20);

    Sky shaking(with("resonance", 30));
    shaking.fly();
    CHECK(*shaking.now().vibration_z > 40);
    CHECK(*shaking.now().clipped > 10);

    Sky weak(with("weak-battery", 45));
    weak.fly();
    weak.run(12);
    CHECK(*weak.now().battery_percent < 21);
    weak.run(40);
    CHECK(weak.heardText("battery is down to its reserve"));

    Sky windy(with("wind", 30));
    windy.fly();
    CHECK(*windy.now().wind_mps == Approx(9).margin(0.5));
    CHECK(*windy.now().wind_from_deg == Approx(270).margin(5));
}

TEST_CASE("a motor that fails, a pilot who takes over and a transmitter that is lost are seen", "[standin][fault]") {
    Sky motor(with("motor-loss", 45));
    motor.fly();
    motor.run(6);
    CHECK(motor.now().system_status == 5);  // critical
    CHECK(motor.heardText("a motor has failed"));
    motor.run(30);
    CHECK_FALSE(motor.now().armed);

    Sky pilot(with("pilot-switch", 45));
    pilot.fly();
    pilot.run(8);
    CHECK(modeName(pilot.now()) == "hold");
    CHECK(pilot.heardText("mode switch"));
    CHECK(pilot.now().radio_us.at(4) == 1900);

    Sky radio(with("radio-lost", 45));
    radio.fly();
    radio.run(8);
    CHECK(modeName(radio.now()) == "return");
    CHECK(radio.now().radio_us.empty());
}

TEST_CASE("a link that is lost makes it return, one that comes back tells the state as it is", "[standin][fault]") {
    Sky sky(with("lost-link", 60));
    Message beat("HEARTBEAT");
    beat.set("type", 6).set("autopilot", 8);
    const auto run = [&](double seconds) {
        for (double t = 0; t < seconds; t += 0.5) {
            Message m = beat;
            m.system = 255;
            m.component = 190;
            const std::string frame = mavlink::encode(m);
            sky.standin.hear(m, {reinterpret_cast<const std::uint8_t*>(frame.data()), frame.size()});
            beat.sequence++;
            sky.run(0.5);
        }
    };
    sky.fly();
    run(18);
    CHECK(modeName(sky.now()) == "mission");
    run(15);
    CHECK(sky.now().heartbeat_age_s > 8);
    CHECK(modeName(sky.now()) == "mission");  // as last heard
    run(22);
    CHECK(sky.now().heartbeat_age_s < 2);
    CHECK(modeName(sky.now()) != "mission");
}

TEST_CASE("memory that is full and a camera that does not shoot", "[standin][fault]") {
    Sky full(with("full-memory"));
    full.run(1.1);  // until its first heartbeat
    full.upload(rowMission(3));
    full.command(cmd::armDisarm, 1);
    full.command(cmd::missionStart);
    CHECK(full.lastText() == "no mission is stored");

    auto mission = rowMission(6);
    MissionItem trigger;
    trigger.command = cmd::photoDistance;
    trigger.param1 = 20;
    trigger.param3 = 1;
    mission.insert(mission.begin() + 3, trigger);
    for (std::size_t i = 0; i < mission.size(); ++i) mission[i].seq = static_cast<std::uint16_t>(i);
    for (const bool broken : {false, true}) {
        StandInOptions o = standInOptions();
        if (broken) o.faults.set("no-trigger", 0);
        Sky sky(o);
        sky.upload(mission);
        sky.command(cmd::armDisarm, 1);
        sky.command(cmd::missionStart);
        sky.run(80);
        if (broken)
            CHECK(sky.now().photos == 0);
        else
            CHECK(sky.now().photos > 8);
    }
}

TEST_CASE("a fence that is broken is reported and acted upon as its parameter says", "[standin][fence]") {
    for (const int action : {0, 1, 2}) {
        Sky sky;
        Plan plan = rowPlan(12);
        Fence fence;
        fence.id = 99;
        fence.kind = FenceKind::keepIn;
        fence.outline = {plan.home->position};
        fence.radius_m = 300;
        plan.fences = {fence};
        sky.upload(fenceItems(plan.fences), MissionType::fence);
        sky.send(Message("PARAM_SET")
                     .setText("param_id", "FENCE_REPLY")
                     .set("param_value", action)
                     .set("param_type", 2)
                     .set("target_system", 1));
        sky.fly();
        sky.run(20);
        INFO("action " << action);
        CHECK(sky.heardText("fence: outside"));
        CHECK(modeName(sky.now()) == (action == 0 ? "mission" : action == 1 ? "return" : "land"));
        if (action == 0) CHECK(sky.now().fence_breached.value_or(false));
    }
    Sky high;
    high.send(Message("PARAM_SET")
                  .setText("param_id", "FENCE_CEILING_M")
                  .set("param_value", 20)
                  .set("param_type", 4)
                  .set("target_system", 1));
    high.command(cmd::armDisarm, 1);
    high.command(cmd::takeOff, 0, 0, 40);
    high.run(30);
    CHECK(high.heardText("above the highest height"));
}

TEST_CASE("missions outlive a power cut only when they were stored", "[standin][storage]") {
    TempDir dir;
    StandInOptions o = standInOptions();
    o.store_file = dir / "missions";
    const auto heldItems = [](Sky& sky) {
        sky.run(1.1);  // until its first heartbeat
        sky.command(cmd::armDisarm, 1);
        sky.command(cmd::missionStart);
        return sky.lastText() == "no mission is stored" ? 0 : 1;
    };
    {
        Sky sky(o);
        sky.upload(rowMission(4));
        sky.command(cmd::reboot, 1);
        CHECK(heldItems(sky) == 0);
    }
    {
        Sky sky(o);
        sky.upload(rowMission(4));
        sky.command(cmd::storage, -1, 1);
        sky.command(cmd::reboot, 1);
        CHECK(heldItems(sky) == 1);
        sky.run(5);
        sky.command(cmd::reboot, 1);
        CHECK(sky.heardText("armed: not now"));
    }
    Sky later(o);  // another process with the same file
    CHECK(heldItems(later) == 1);
    for (const std::string& text : damaged(slurp(dir / "missions"), 60, 8)) {
        spit(dir / "missions", text);
        Sky sky(o);
        sky.run(0.5);
    }
}

TEST_CASE("messages come at the rate that is asked for, and everything said is known", "[standin][rates]") {
    Sky sky;
    sky.run(3);
    CHECK(sky.said.contains("ESTIMATOR_STATUS"));
    CHECK_FALSE(sky.said.contains("ATTITUDE_TARGET"));
    sky.command(cmd::setMessageInterval, 83, 1e5);
    sky.run(2);
    CHECK(sky.said.contains("ATTITUDE_TARGET"));
    CHECK(sky.now().desired_roll_deg);
    int attitudes = 0;
    StandIn counted(standInOptions(), [&](const Message& m) { attitudes += m.is("ATTITUDE"); });
    const auto ask = [&](double interval_us) {
        Message m("COMMAND_LONG");
        m.system = 255;
        m.set("command", 511).set("param1", 30).set("param2", interval_us).set("target_system", 1);
        counted.receive(m);
        attitudes = 0;
        for (int i = 0; i < 100; ++i) counted.advance(0.1);
        return attitudes;
    };
    counted.advance(0.1);
    CHECK(ask(1e5) == Approx(100).margin(3));
    CHECK(ask(1e6) == Approx(10).margin(2));
    CHECK(ask(-1) == 0);
    CHECK(ask(0) == Approx(50).margin(3));  // as it was by itself
    CHECK(ask(NAN) == Approx(50).margin(3));
}

TEST_CASE("orders in flight are obeyed over the protocol, by wings too", "[standin][orders]") {
    for (const VehicleKind kind : {VehicleKind::multirotor, VehicleKind::fixedWing}) {
        StandInOptions o = standInOptions();
        if (kind == VehicleKind::fixedWing) o.vehicle = skimmer();
        Sky sky(o);
        sky.fly(20);
        const GeoPoint there = destination(o.home, 20, 500);
        Message go("COMMAND_INT");
        go.set("command", cmd::reposition).set("frame", 3).set("z", 55).set("param1", -1).set("param2", 1);
        go.setInteger("x", toE7(there.lat_deg)).setInteger("y", toE7(there.lon_deg)).set("target_system", 1);
        sky.send(go);
        sky.run(1.5);
        CHECK(modeName(sky.now()) == "led from the ground");
        double nearest = INFINITY;
        for (int i = 0; i < 120; ++i) {
            sky.run(1);
            nearest = std::min(nearest, distance_m(*sky.now().position, there));
        }
        CHECK(nearest < (kind == VehicleKind::fixedWing ? 60 : 2));
        CHECK(modeName(sky.now()) == "hold");
        CHECK(sky.now().mission_state == 4);  // paused
        sky.command(cmd::setMissionCurrent, 9);
        sky.command(cmd::pauseContinue, 1);
        sky.run(2);
        CHECK(modeName(sky.now()) == "mission");
        sky.command(cmd::changeSpeed, 1, 300);
        sky.run(1);
        CHECK(sky.heardText("it flies up to"));
        sky.command(cmd::changeHeight, 80, 3);
        CHECK(sky.heardText("pause it first"));
        sky.command(cmd::armDisarm, 0, 21196);
        sky.run(25);
        CHECK_FALSE(sky.now().armed);
        CHECK(sky.heardText("motors are cut"));
    }
}

TEST_CASE("a fault is understood by its older word, and listed under today's alone", "[standin][fault][before]") {
    Faults faults;
    REQUIRE(faults.add("gps-glitch@50"));
    CHECK(faults.holds("gps-jump", 51));
    CHECK_FALSE(faults.holds("gps-jump", 49));
    for (const FaultInfo& f : knownFaults()) CHECK(std::string(f.name) != "gps-glitch");
    CHECK_FALSE(faults.add("gps-glitches"));
}
