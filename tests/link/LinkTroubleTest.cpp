// What links do in the field: cuts at every phase of a flight, packets twice and out of order, strangers, several
// vehicles, slow radios, hostile streams.
#include <catch2/catch.hpp>

#include <fcntl.h>
#include <stdlib.h>

#include <filesystem>

#include "core/link/Rates.h"
#include "core/logio/LogReader.h"
#include "core/mavlink/Frame.h"
#include "link/Rig.h"

using namespace anhinga;
using namespace anhinga::testing;
using mavlink::Message;

TEST_CASE("after a cut at any phase of a flight the state is right again within two seconds", "[link][cut]") {
    struct Phase {
        const char* name;
        std::function<bool(const VehicleSnapshot&)> when;
    };
    const auto mode = [](const char* name) { return [name](const VehicleSnapshot& v) { return modeName(v) == name; }; };
    const Phase phases[] = {
        {"on the ground", [](const VehicleSnapshot& v) { return v.heard; }},
        {"armed", [](const VehicleSnapshot& v) { return v.armed; }},
        {"climbing", [](const VehicleSnapshot& v) { return v.height_home_m.value_or(0) > 8; }},
        {"on the way", [](const VehicleSnapshot& v) { return v.mission_item.value_or(0) >= 3; }},
        {"held", mode("hold")},
        {"going on", [](const VehicleSnapshot& v) { return v.mission_item.value_or(0) >= 5; }},
        {"returning", mode("return")},
        {"coming down",
         [](const VehicleSnapshot& v) { return v.climb_mps.value_or(0) < -0.5 && *v.height_home_m < 12; }},
        {"landed", [](const VehicleSnapshot& v) { return v.disarmed_at_s.has_value(); }}};
    TempDir dir;
    VehicleLink::Options ours;
    ours.record_path = dir / "r.tlog";
    std::uint64_t heard = 0;
    {
        StandInOptions o = standInOptions(9);
        o.lost_link = SafetyAction::carryOn;
        Rig rig(o, {}, ours);
        const auto h = handOver(rig.link(), {rowMission(5), {}, {}}, true);
        REQUIRE(h);
        REQUIRE(h->verified);
        int phases_seen = 0;
        for (const Phase& phase : phases) {
            INFO(phase.name);
            const std::string name = phase.name;
            REQUIRE(rig.until(40, phase.when));
            // By turns both ways, only up and only down.
            rig.proxy().cut(phases_seen % 3 != 2, phases_seen % 3 != 1);
            rig.world().sleep(1.3);
            CHECK((rig.link().snapshot().heartbeat_age_s > 1) == (phases_seen % 3 != 1));
            rig.cut(false);
            const double back_s = rig.world().clock().now_s();
            CHECK(rig.until(2, [&](const VehicleSnapshot& v) {
                const StandIn::Truth truth = rig.standin().truth();
                return v.heartbeat_age_s < 0.5 && v.armed == truth.armed && v.mission_item == truth.item &&
                       distance_m(*v.position, truth.place) < 15 &&
                       std::abs(*v.height_home_m - truth.height_home_m) < 5;
            }));
            CHECK(rig.world().since(back_s) < 2);
            CHECK(rig.link().snapshot().armed == (phases_seen > 0 && name != "landed"));
            if (name == "on the ground") REQUIRE(commandArm(rig.link()));
            if (name == "armed") REQUIRE(commandStart(rig.link()));
            if (name == "on the way") REQUIRE(commandPause(rig.link()));
            if (name == "held") REQUIRE(commandResume(rig.link()));
            ++phases_seen;
        }
        CHECK(phases_seen == 9);
        // Each was executed once, however often it was said.
        const auto done = rig.standin().executed();
        CHECK(done.at(cmd::armDisarm) == 1);
        CHECK(done.at(cmd::missionStart) == 1);
        CHECK(rig.proxy().fromVehicle() > 100);
        CHECK(rig.proxy().fromGround() > 10);
        // The recording is whole: all that passed the proxy while it was open is in it, in order.
        heard = rig.link().snapshot().link.received;
    }
    const auto log = openLog(dir / "r.tlog");
    REQUIRE(log);
    CHECK((*log)->damaged_bytes == 0);
    std::size_t recorded = 0;
    for (const auto& [message, count] : (*log)->message_counts) recorded += count;
    CHECK(recorded >= heard);
    CHECK((*log)->events.size() >= 2);
}

TEST_CASE("a hand-over that is cut in the middle goes on when the link is back", "[link][cut]") {
    Rig rig(standInOptions());
    MissionSet set{rowMission(60), {}, {}};
    int cuts = 0;
    World& world = rig.world();
    Worker cutter = world.clock().start([&](const std::stop_token&) {
        world.sleep(0.06);
        for (const auto& [up, down] : {std::pair(true, false), std::pair(false, true), std::pair(true, true)}) {
            rig.proxy().cut(up, down);
            ++cuts;
            world.sleep(1.5);
            rig.cut(false);
            world.sleep(0.03);
        }
    });
    LinkConditions slow;
    slow.latency_ms = 20;
    rig.conditions(slow);
    TransferOptions patient;
    patient.silence_s = 10;
    const auto h = handOver(rig.link(), set, true, patient);
    cutter.end();
    CHECK(cuts == 3);
    REQUIRE(h);
    CHECK(h->verified);
    CHECK(compareMissions("", set.mission, h->held.set().mission, true).empty());
}

TEST_CASE("on a radio that carries little, fewer messages are asked for until it carries them", "[link][rates]") {
    Rig rig(standInOptions());
    REQUIRE(rig.until(5, [](const VehicleSnapshot& v) { return v.link.messages_per_s > 20; }));
    LinkConditions radio;
    radio.bytes_per_s = 400;
    rig.conditions(radio);
    CHECK(rig.until(15, [](const VehicleSnapshot& v) { return v.link.rates <= 0.5; }));
    CHECK(rig.until(20, [](const VehicleSnapshot& v) { return v.link.recent_loss < 0.08; }));
    CHECK(rig.link().snapshot().heartbeat_age_s < 3);
}

TEST_CASE("a command whose answer is lost is said again and executed once", "[link][command][cut]") {
    Rig rig(standInOptions());
    LinkConditions bad;
    bad.loss = 0.5;
    bad.duplicate = 0.3;
    bad.reorder = 0.2;
    bad.latency_ms = 30;
    for (unsigned seed = 1; seed <= 6; ++seed) {
        bad.seed = seed;
        rig.conditions(bad);
        (void)commandArm(rig.link());
        (void)commandDisarm(rig.link());
    }
    rig.conditions({});
    const auto done = rig.standin().executed();
    INFO("arm or disarm executed " << done.at(cmd::armDisarm) << " times for 12 commands");
    CHECK(done.at(cmd::armDisarm) <= 12);
    CHECK(done.at(cmd::armDisarm) >= 8);
}

TEST_CASE("two vehicles on one link are told apart, and one is chosen", "[link][several]") {
    VirtualWorld w;
    const int port = w.net.freePort();
    VehicleLink::Options ours;
    ours.world = w.world();
    auto link = VehicleLink::open(fmt::format("udp-listen:{}", port), ours);
    REQUIRE(link);
    const auto standin = [&](int system, GeoPoint home, double amsl_m) {
        StandInOptions o = standInOptions();
        o.system = system;
        o.home = home;
        o.home_amsl_m = amsl_m;
        auto opened = LinkedStandIn::open({LinkKind::udp, "127.0.0.1", port}, o, {}, w.world());
        REQUIRE(opened);
        return std::move(*opened);
    };
    const auto first = standin(4, {47.31, -20.12}, 0), second = standin(9, {47.32, -20.13}, 10);
    REQUIRE(w.until(8, [&] {
        return (*link)->vehicles().size() == 2 && (*link)->snapshotOf(9).position && (*link)->snapshotOf(4).position;
    }));
    REQUIRE((*link)->vehicles() == std::vector<int>{4, 9});
    (*link)->choose(9);
    CHECK((*link)->snapshot().system == 9);
    CHECK((*link)->snapshot().position->lat_deg == Approx(47.32).margin(1e-4));
    CHECK((*link)->snapshotOf(4).position->lat_deg == Approx(47.31).margin(1e-4));
    REQUIRE(commandArm(**link));
    CHECK(w.until(4, [&] { return (*link)->snapshotOf(9).armed; }));
    CHECK_FALSE((*link)->snapshotOf(4).armed);
    CHECK((*link)->snapshotOf(9).link.lost == 0);
}

TEST_CASE("the round trip is measured and the link's load counted", "[link][quality]") {
    LinkConditions slow;
    slow.latency_ms = 60;
    Rig rig(standInOptions(), slow);
    REQUIRE(rig.until(8, [](const VehicleSnapshot& v) { return v.link.round_trip_ms && v.link.bytes_per_s > 100; }));
    const LinkQuality q = rig.link().snapshot().link;
    CHECK(*q.round_trip_ms > 110);
    CHECK(*q.round_trip_ms < 300);
    CHECK(q.messages_per_s > 5);
    CHECK(q.rates == 1);
}

TEST_CASE("the vehicle says what it can do and which modes it offers", "[link]") {
    Rig rig(standInOptions());
    REQUIRE(rig.until(8, [](const VehicleSnapshot& v) { return v.capabilities && v.modes.size() > 5 && v.home; }));
    const VehicleSnapshot v = rig.link().snapshot();
    CHECK((*v.capabilities & 16384) != 0);  // fences
    CHECK(v.firmware == "1.2.0");
    CHECK(std::any_of(v.modes.begin(), v.modes.end(),
                      [](const OfferedMode& m) { return m.name == "hold" && m.selectable; }));
    CHECK(std::any_of(v.modes.begin(), v.modes.end(), [](const OfferedMode& m) { return !m.selectable; }));
}

TEST_CASE("rates fall on a radio that cannot carry them, and rise again", "[link][rates]") {
    RateGovernor g;
    double t = 0;
    CHECK_FALSE(g.judge(t, 0.02, std::nullopt));
    CHECK(g.judge(t += 5, 0.3, std::nullopt));
    CHECK(g.share() == 0.5);
    CHECK_FALSE(g.judge(t += 1, 0.3, std::nullopt));  // the last change has not shown its effect yet
    CHECK(g.judge(t += 5, 0.02, 10));                 // the radio's buffer is full
    CHECK(g.share() == 0.25);
    for (int i = 0; i < 10; ++i) g.judge(t += 5, 0.5, std::nullopt);
    CHECK(g.share() == 0.125);
    for (int i = 0; i < 60; ++i) g.judge(t += 5, 0.01, 90);
    CHECK(g.share() == 1);
    CHECK(g.due(t, 1, 0, std::nullopt));
    CHECK_FALSE(g.due(t + 1, 1, 0, std::nullopt));
    CHECK(g.due(t + 2, 2, 0, std::nullopt));  // another vehicle
}

TEST_CASE("a serial line carries the conversation and is opened again after it was gone", "[link][serial][real]") {
    // A pseudo terminal: its other end plays the vehicle's radio.
    const int master = posix_openpt(O_RDWR | O_NOCTTY);
    REQUIRE(master >= 0);
    REQUIRE(grantpt(master) == 0);
    REQUIRE(unlockpt(master) == 0);
    const std::string device = ptsname(master);
    auto link = VehicleLink::open("serial:" + device + ":57600", {});
    REQUIRE(link);
    Message beat("HEARTBEAT");
    beat.system = beat.component = 1;
    beat.set("type", 2).set("autopilot", 3);
    const std::string bytes = mavlink::encode(beat);
    REQUIRE(write(master, bytes.data(), bytes.size()) == static_cast<ssize_t>(bytes.size()));
    CHECK((*link)->waitForVehicle(3));
    char heard[512];
    CHECK(read(master, heard, sizeof heard) > 10);  // our heartbeat
    CHECK(static_cast<unsigned char>(heard[0]) == 0xFD);
    close(master);
    CHECK_FALSE(VehicleLink::open("serial:/dev/no-such-device:57600", {}));
    CHECK_FALSE(VehicleLink::open("serial:/dev/ttyS0", {}));
    CHECK(parseLinkAddress("serial:/dev/ttyUSB0:57600")->port == 57600);
    TempDir dir;
    std::filesystem::create_directories(dir / "serial/by-id");
    spit(dir / "serial/by-id/usb-radio-1", "");
    spit(dir / "ttyUSB0", "");
    CHECK(serialDevices(dir.path()) == std::vector<std::string>{dir / "serial/by-id/usb-radio-1"});
    std::filesystem::remove_all(dir / "serial");
    CHECK(serialDevices(dir.path()) == std::vector<std::string>{dir / "ttyUSB0"});
}

TEST_CASE("a recording is rotated, marked, and read over all its files", "[link][recorder]") {
    TempDir dir;
    auto recorder = Recorder::create(dir / "r.tlog", Clock::machine(), 1000);
    REQUIRE(recorder);
    Message beat("HEARTBEAT");
    beat.set("type", 2).set("autopilot", 3);
    beat.system = beat.component = 1;
    const std::string bytes = mavlink::encode(beat);
    for (int i = 0; i < 100; ++i) (*recorder)->add({reinterpret_cast<const std::uint8_t*>(bytes.data()), bytes.size()});
    (*recorder)->sync();
    const auto files = (*recorder)->files();
    CHECK(files.size() >= 3);
    CHECK(files[1] == dir / "r-2.tlog");
    std::size_t beats = 0;
    for (const std::string& f : files) {
        const auto log = openLog(f);
        REQUIRE(log);
        beats += (*log)->message_counts.at("HEARTBEAT");
    }
    CHECK(beats == 100);
}

namespace {
/// A message of that kind with values a hostile or broken sender could put into it.
Message hostile(const mavlink::MessageInfo& info, std::mt19937& random) {
    Message m(info.name);
    m.system = static_cast<std::uint8_t>(random() % 3 == 0 ? random() : 1);
    m.component = static_cast<std::uint8_t>(random() % 3 == 0 ? random() : 1);
    m.sequence = static_cast<std::uint8_t>(random());
    switch (random() % 4) {
        case 0:  // anything
            for (std::size_t i = 0; i < info.full_length; ++i) m.payload[i] = static_cast<std::uint8_t>(random());
            break;
        case 1:  // all bits: NaN, -1, 65535, texts without an end
            std::memset(m.payload, 0xFF, info.full_length);
            break;
        case 2:
            for (const mavlink::FieldInfo& f : info.fields)
                for (int i = 0; i < std::max<int>(1, f.count); ++i)
                    m.set(f.name, random() % 2 == 0 ? INFINITY : 1e300, i);
            break;
        default:  // zeros
            break;
    }
    return m;
}
}  // namespace

TEST_CASE("a battery, a heartbeat or a GPS of another component never changes the aircraft's state", "[link]") {
    VehicleState state;
    const auto from = [](int component, Message m) {
        m.system = 1;
        m.component = static_cast<std::uint8_t>(component);
        return m;
    };
    constexpr int kAutopilot = 1, kCompanion = 191, kGimbal = 154, kBattery = 180;
    const auto gps = [](double lat) { return Message("GLOBAL_POSITION_INT").set("lat", lat * 1e7).set("lon", 1e7); };
    const auto beat = [](int autopilot, int mode) {
        return Message("HEARTBEAT").set("type", 2).set("autopilot", autopilot).set("custom_mode", mode);
    };
    // Before the autopilot is heard: a gimbal's place is nobody's, a companion that calls itself an autopilot is given
    // up.
    state.take(from(kGimbal, gps(12)), 0);
    CHECK_FALSE(state.at(0).position);
    state.take(from(kCompanion, beat(0, 99)), 1);
    state.take(from(kAutopilot, beat(3, 5)), 2);
    CHECK(state.at(2).component == kAutopilot);
    CHECK(state.at(2).custom_mode == 5);
    state.take(from(kAutopilot, gps(47)), 3);
    state.take(from(kAutopilot, Message("SYS_STATUS").set("voltage_battery", 15200).set("battery_remaining", 80)), 3);
    state.take(from(kAutopilot, Message("GPS_RAW_INT").set("fix_type", 3).set("eph", 80).set("h_acc", 1250)), 3);
    const VehicleSnapshot before = state.at(4);
    CHECK(*before.position_within_m == Approx(1.25));
    for (const int other : {kCompanion, kGimbal, kBattery}) {
        INFO(other);
        state.take(from(other, beat(0, 9).set("base_mode", 128)), 5);
        state.take(from(other, gps(13)), 5);
        state.take(from(other, Message("SYS_STATUS").set("voltage_battery", 3000).set("battery_remaining", 2)), 5);
        state.take(from(other, Message("GPS_RAW_INT").set("fix_type", 1).set("eph", 900).set("h_acc", 90000)), 5);
        state.take(from(other, Message("BATTERY_STATUS").set("current_consumed", 4000)), 5);
        state.take(from(other, Message("STATUSTEXT").set("severity", 0)), 5);
        const VehicleSnapshot v = state.at(6);
        CHECK(v.custom_mode == 5);
        CHECK_FALSE(v.armed);
        CHECK(v.position->lat_deg == Approx(47));
        CHECK(*v.battery_percent == 80);
        CHECK(*v.fix == 3);
        CHECK(*v.position_within_m == Approx(1.25));
        CHECK_FALSE(v.battery_used_mah);
        CHECK(v.texts->empty());
    }
}

TEST_CASE("no stream of bytes or hostile values moves our state wrongly", "[link][hostile]") {
    std::mt19937 random(99);
    VehicleState state;
    Message beat("HEARTBEAT");
    beat.system = beat.component = 1;
    beat.set("type", 2).set("autopilot", 3).set("base_mode", 128).set("custom_mode", 3);
    state.take(beat, 0);
    int tried = 0;
    for (int round = 0; round < 400; ++round)
        for (const mavlink::MessageInfo& info : mavlink::allMessages()) {
            if (info.name == "HEARTBEAT") continue;
            Message m = hostile(info, random);
            m.system = 1;
            state.take(m, round);
            ++tried;
            const VehicleSnapshot v = state.at(round);
            REQUIRE(v.armed);
            REQUIRE((!v.position || isValid(*v.position)));
            REQUIRE((!v.home || isValid(*v.home)));
            REQUIRE((!v.last_photo || isValid(*v.last_photo)));
            for (const auto& value : {v.roll_deg, v.pitch_deg, v.yaw_deg, v.amsl_m, v.height_home_m, v.air_mps,
                                      v.wind_mps, v.wind_from_deg, v.cross_track_m, v.compass_ratio, v.vibration_x,
                                      v.desired_roll_deg, v.desired_pitch_deg, v.hdop, v.field_x_ut})
                REQUIRE((!value || std::isfinite(*value)));
            REQUIRE((!v.heading_deg || (*v.heading_deg >= 0 && *v.heading_deg <= 360)));
            REQUIRE(v.texts->size() <= 200);
            REQUIRE(v.modes.size() <= 64);
        }
    std::printf("%d hostile messages taken\n", tried);
}

TEST_CASE("a second ground station and strangers' numbers do not become our vehicle", "[link][hostile]") {
    // On a living link: a ground station, a stray number without a heartbeat, then the vehicle.
    VirtualWorld w;
    const int port = w.net.freePort();
    VehicleLink::Options ours_options;
    ours_options.world = w.world();
    auto link = VehicleLink::open(fmt::format("udp-listen:{}", port), ours_options);
    REQUIRE(link);
    auto talker =
        w.world().open({LinkKind::udp, "127.0.0.1", port}, [](std::span<const std::uint8_t>, std::uint64_t) {}, {});
    REQUIRE(talker);
    Message other("HEARTBEAT");
    other.system = 254;
    other.component = 190;
    other.set("type", 6).set("autopilot", 8);
    VehicleState stranger;
    stranger.take(other, 0);
    CHECK_FALSE(stranger.heard());
    Message camera("HEARTBEAT");
    camera.system = 1;
    camera.component = 100;
    camera.set("type", 30).set("autopilot", 8).set("base_mode", 128);
    VehicleState ours;
    Message beat("HEARTBEAT");
    beat.system = beat.component = 1;
    beat.set("type", 2).set("autopilot", 3);
    ours.take(beat, 0);
    ours.take(camera, 1);
    CHECK_FALSE(ours.at(1).armed);
    CHECK(ours.at(1).component == 1);
    Message stray("GLOBAL_POSITION_INT");
    stray.system = 77;
    stray.component = 1;
    stray.set("lat", 473000000).set("lon", -201000000);
    for (const Message& m : {other, stray, camera, beat}) (*talker)->send(mavlink::encode(m));
    REQUIRE((*link)->waitForVehicle(3));
    CHECK((*link)->vehicles() == std::vector<int>{1});
    CHECK_FALSE((*link)->snapshot().position);
    CHECK_FALSE((*link)->snapshot().armed);
}

TEST_CASE("random bytes and broken frames on a living link do no harm", "[link][hostile]") {
    VirtualWorld w;
    const int port = w.net.freePort();
    VehicleLink::Options ours_options;
    ours_options.world = w.world();
    auto link = VehicleLink::open(fmt::format("udp-listen:{}", port), ours_options);
    REQUIRE(link);
    auto talker =
        w.world().open({LinkKind::udp, "127.0.0.1", port}, [](std::span<const std::uint8_t>, std::uint64_t) {}, {});
    REQUIRE(talker);
    std::mt19937 random(5);
    Message beat("HEARTBEAT");
    beat.system = beat.component = 1;
    beat.set("type", 2).set("autopilot", 3);
    const std::string good = mavlink::encode(beat);
    std::size_t frames = 0, bytes = 0;
    const auto send = [&](const std::string& b) {
        ++frames;
        bytes += b.size();
        (*talker)->send(b);
    };
    for (int i = 0; i < 2000; ++i) {
        send(rubbish(random() % 600, static_cast<unsigned>(random())));
        for (const std::string& bad : damaged(good + good, 4, static_cast<unsigned>(random()))) send(bad);
        const auto& all = mavlink::allMessages();
        const auto& info = all[random() % all.size()];
        if (info.name != "HEARTBEAT") send(mavlink::encode(hostile(info, random)));
        if (i % 20 == 0) w.clock.sleep(0.005);
    }
    (*talker)->send(good);
    REQUIRE((*link)->waitForVehicle(3));
    CHECK_FALSE((*link)->snapshot().armed);
    std::printf("%zu broken and hostile packets, %.1f MB, on a living link\n", frames,
                static_cast<double>(bytes) / 1e6);
}
