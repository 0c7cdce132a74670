// Message signing: by the standard's construction, and what is believed of it.
#include <catch2/catch.hpp>

#include <sys/stat.h>

#include "core/logbook/Logbook.h"
#include "core/logio/LogReader.h"
#include "core/mavlink/Frame.h"
#include "core/mavlink/RecordingFiles.h"
#include "core/mavlink/Signing.h"
#include "core/watch/Alarms.h"
#include "link/Rig.h"

using namespace anhinga;
using namespace anhinga::testing;
using namespace anhinga::mavlink;

namespace {
std::span<const std::uint8_t> bytesOf(const std::string& s) {
    return {reinterpret_cast<const std::uint8_t*>(s.data()), s.size()};
}
std::string signedCommand(const SigningKey& key, std::uint64_t time, double param1 = 1) {
    Message m("COMMAND_LONG");
    m.system = 255;
    m.component = 190;
    m.set("command", 400).set("param1", param1).set("target_system", 1).set("target_component", 1);
    return signFrame(encode(m), m.info->crc_extra, key, 3, time);
}
VehicleLink::Options withKey(const char* passphrase) {
    VehicleLink::Options o;
    o.key = signingKey(passphrase);
    return o;
}
}  // namespace

TEST_CASE("a key is the SHA-256 of its passphrase", "[mavlink][signing]") {
    // FIPS 180-2, appendix B.1.
    const SigningKey key = signingKey("abc");
    CHECK(key[0] == 0xba);
    CHECK(key[1] == 0x78);
    CHECK(key[31] == 0xad);
    CHECK(signingTime(1420070400) == 0);
    CHECK(signingTime(1420070401.5) == 150000);
    CHECK(signingTime(0) == 0);
}

TEST_CASE("a signed frame is still a frame, 13 bytes longer, with time and link in it", "[mavlink][signing]") {
    const SigningKey key = signingKey("heron");
    const std::string frame = signedCommand(key, 0x010203040506);
    Message back;
    const auto found = Parser::look(bytesOf(frame), back);
    REQUIRE(found.look == Parser::Look::message);
    CHECK(found.length == frame.size());
    CHECK(back.integer("command") == 400);
    CHECK(isSigned(bytesOf(frame)));
    const auto at = [&](std::size_t from_end) { return static_cast<std::uint8_t>(frame[frame.size() - from_end]); };
    CHECK(at(13) == 3);
    CHECK(at(12) == 0x06);
    CHECK(at(7) == 0x01);
}

TEST_CASE("what is unsigned, wrongly signed, altered or said before is told apart", "[mavlink][signing]") {
    const SigningKey key = signingKey("heron"), other = signingKey("egret");
    constexpr std::uint64_t kNow = 37000000000000;
    SignatureKeeper keeper;
    const std::string first = signedCommand(key, kNow);
    CHECK(keeper.judge(bytesOf(first), key, kNow) == SignatureJudgement::good);
    CHECK(keeper.judge(bytesOf(first), key, kNow) == SignatureJudgement::old);
    CHECK(keeper.judge(bytesOf(signedCommand(key, kNow - 1)), key, kNow) == SignatureJudgement::old);
    CHECK(keeper.judge(bytesOf(signedCommand(key, kNow + 1)), key, kNow) == SignatureJudgement::good);
    CHECK(keeper.judge(bytesOf(signedCommand(other, kNow + 2)), key, kNow) == SignatureJudgement::wrong);
    Message plain("COMMAND_LONG");
    CHECK(keeper.judge(bytesOf(encode(plain)), key, kNow) == SignatureJudgement::unsigned_frame);
    for (std::size_t i = 1; i < first.size(); ++i) {
        std::string altered = signedCommand(key, kNow + 10 + i);
        altered[i] = static_cast<char>(altered[i] ^ 0x10);
        const auto judged = keeper.judge(bytesOf(altered), key, kNow);
        CHECK(judged != SignatureJudgement::good);
    }
    SignatureKeeper fresh;  // a sender never heard before may not be far behind
    CHECK(fresh.judge(bytesOf(signedCommand(key, kNow - 7000000)), key, kNow) == SignatureJudgement::old);
}

TEST_CASE("a vehicle with a key obeys who has it, and says whom it does not obey", "[link][signing]") {
    StandInOptions o = standInOptions();
    o.key = signingKey("heron");
    SECTION("the same key") {
        Rig rig(o, {}, withKey("heron"));
        REQUIRE(rig.link().waitForVehicle(5));
        REQUIRE(commandArm(rig.link()));
        CHECK(rig.until(3, [](const VehicleSnapshot& v) { return v.armed; }));
        CHECK(rig.link().snapshot().link.not_signed == 0);
        const auto items = rowMission(5);
        const auto h = handOver(rig.link(), {items, {}, {}}, true);
        REQUIRE(h);
        CHECK(h->verified);
    }
    SECTION("no key") {
        Rig rig(o);
        const auto refused = commandArm(rig.link());
        REQUIRE_FALSE(refused);
        CHECK(refused.error().message.find("no answer") != std::string::npos);
        CHECK_FALSE(rig.link().snapshot().armed);
        CHECK(rig.standin().executed().count(400) == 0);
        bool said = false;
        for (const SpokenText& t : *rig.link().snapshot().texts)
            said |= t.text.find("COMMAND_LONG of system 255 is not signed") != std::string::npos;
        CHECK(said);
    }
    SECTION("another key: nothing is believed of it either") {
        Rig rig(o, {}, withKey("egret"));
        CHECK_FALSE(rig.link().waitForVehicle(2));
        CHECK(rig.link().snapshot().link.wrong_signature > 0);
        CHECK(rig.standin().executed().empty());
    }
}

TEST_CASE("without a key signed packets are taken as any others", "[link][signing]") {
    StandInOptions o = standInOptions();
    Rig rig(o, {}, withKey("heron"));
    CHECK_FALSE(rig.link().waitForVehicle(1));
    CHECK(rig.link().snapshot().link.not_signed > 0);
}

TEST_CASE("a key is put aboard, and nobody without it is obeyed or believed from then on", "[link][signing]") {
    TempDir dir;
    StandInOptions o = standInOptions();
    VehicleLink::Options ours;
    ours.record_path = dir / "day.tlog";
    {
        Rig rig(o, {}, ours);
        REQUIRE(rig.link().waitForVehicle(5));
        CHECK_FALSE(rig.link().isSigned());
        const SigningKey key = signingKey("heron");
        // Not in the air, nor armed.
        REQUIRE(commandArm(rig.link()));
        REQUIRE(rig.until(3, [](const VehicleSnapshot& v) { return v.armed; }));
        CHECK_FALSE(commandSetupSigning(rig.link(), key));
        REQUIRE(commandDisarm(rig.link()));
        REQUIRE(rig.until(3, [](const VehicleSnapshot& v) { return !v.armed; }));
        REQUIRE(commandSetupSigning(rig.link(), key));
        CHECK(rig.link().isSigned());
        REQUIRE(commandArm(rig.link()));
        CHECK(rig.until(3, [](const VehicleSnapshot& v) { return v.armed; }));
        CHECK_FALSE(commandSetupSigning(rig.link(), signingKey("egret")));  // there is one already
        // All that it says is signed from then on.
        const auto link = rig.link().snapshot().link;
        CHECK_FALSE(rig.until(3, [](const VehicleSnapshot& v) { return v.heartbeat_age_s > 2.5; }));
        CHECK(rig.link().snapshot().link.not_signed == link.not_signed);
        CHECK(rig.link().snapshot().link.wrong_signature == 0);
    }
    // The key is in no recording.
    const std::string recorded = slurp(dir / "day.tlog");
    REQUIRE(recorded.size() > 1000);
    const SigningKey key = signingKey("heron");
    CHECK(recorded.find(std::string(key.begin(), key.end())) == std::string::npos);
    CHECK(recorded.find(std::string(key.begin(), key.begin() + 8)) == std::string::npos);
}

namespace {

/// A flight on a signed link, heard by somebody who sends on what he heard, and forges more; or in peace.
struct Flight {
    std::uint64_t not_believed = 0, sent = 0;
    std::vector<Alarm> alarms;
    std::vector<int> vehicles;
    bool landed = false, disarmed_early = false;
};
Flight flyAmong(const std::string& recording, bool attacked, double minutes, int rounds) {
    Flight out;
    VirtualWorld w;
    const int port = w.net.freePort();
    const SigningKey key = signingKey("heron"), other = signingKey("egret");
    std::vector<std::string> overheard;
    VehicleLink::Options ours;
    ours.key = key;
    ours.record_path = recording;
    ours.world = w.world();
    ours.world.open = [&, open = ours.world.open](const LinkAddress& a, Transport::Receiver r,
                                                  const LinkConditions& c) {
        return open(
            a,
            [&, r = std::move(r)](std::span<const std::uint8_t> b, std::uint64_t from) {
                if (overheard.size() < 4000) overheard.emplace_back(b.begin(), b.end());
                r(b, from);
            },
            c);
    };
    auto link = VehicleLink::open(fmt::format("udp-listen:{}", port), ours);
    REQUIRE(link);
    StandInOptions o = standInOptions();
    o.key = key;
    constexpr double kEnough_wh = 1000;
    o.vehicle.battery_wh = kEnough_wh;
    auto vehicle = LinkedStandIn::open({LinkKind::udp, "127.0.0.1", port}, std::move(o), {}, w.world());
    REQUIRE(vehicle);
    REQUIRE((*link)->waitForVehicle(5));
    auto villain = w.world().open({LinkKind::udp, "127.0.0.1", port}, [](auto, auto) {}, {});
    REQUIRE(villain);
    Plan plan = rowPlan(8);
    if (rounds > 1) plan.items[8].actions = {Repeat{plan.items[1].id, rounds - 1}};
    plan.vehicle.battery_wh = kEnough_wh;
    const auto items = itemsIn(plan);
    const auto h = handOver(**link, {items, {}, {}}, true);
    REQUIRE(h);
    REQUIRE(h->verified);
    std::mt19937 random(7);
    AlarmWatch alarms;
    alarms.setPlan(plan);
    const auto lie = [&] {
        Message m(random() % 3 == 0 ? "HEARTBEAT" : random() % 2 == 0 ? "GLOBAL_POSITION_INT" : "STATUSTEXT");
        m.system = static_cast<std::uint8_t>(random() % 8 == 0 ? 2 + random() % 200 : 1);
        m.component = 1;
        if (m.is("HEARTBEAT")) m.set("type", 2).set("autopilot", 3).set("base_mode", 0);
        if (m.is("GLOBAL_POSITION_INT")) m.set("lat", 10e7).set("lon", 20e7).set("relative_alt", 9e6);
        if (m.is("STATUSTEXT")) m.set("severity", 0).setText("text", "<b>motors off</b>");
        const std::string frame = mavlink::encode(m);
        if (random() % 2 == 0) return frame;
        return signFrame(frame, m.info->crc_extra, other, 0, signingTime(w.clock.unix_s()));
    };
    const auto attack = [&](std::size_t forged, std::size_t replayed) {
        for (std::size_t i = 0; i < forged; ++i, ++out.sent) (*villain)->send(lie());
        // What was said just now is the same packet come twice; older ones are said again.
        for (std::size_t i = 0; i < replayed && overheard.size() > 200; ++i, ++out.sent)
            (*villain)->send(overheard[random() % (overheard.size() - 150)]);
    };
    REQUIRE(commandArm(**link));
    REQUIRE(commandStart(**link));
    bool flew = false;
    for (int tick = 0; tick < minutes * 600; ++tick) {
        w.clock.sleep(0.1);
        if (attacked) attack(2, 1);
        if (attacked && tick % 600 == 300) attack(10000, 0);
        const VehicleSnapshot v = (*link)->snapshot();
        (void)alarms.watch(v, {}, w.clock.now_s());
        flew = flew || v.height_home_m.value_or(0) > 5;
        if (v.position) out.disarmed_early |= distance_m(*v.position, plan.home->position) > 5000;
        if (flew && !v.armed) {
            out.landed = true;
            break;
        }
    }
    w.clock.sleep(2);  // what was still on its way
    for (Alarm a : alarms.takeRaised()) out.alarms.push_back(std::move(a));
    const VehicleSnapshot v = (*link)->snapshot();
    out.not_believed = v.link.not_signed + v.link.wrong_signature;
    out.vehicles = (*link)->vehicles();
    for (const SpokenText& t : *v.texts) CHECK(t.text.find("motors off") == std::string::npos);
    return out;
}

void hostileDay(double minutes, int rounds) {
    TempDir dir;
    const Flight quiet = flyAmong(dir / "quiet.tlog", false, minutes, rounds);
    const Flight hostile = flyAmong(dir / "hostile.tlog", true, minutes, rounds);
    CHECK(quiet.landed);
    CHECK(hostile.landed);
    CHECK_FALSE(hostile.disarmed_early);
    CHECK(hostile.vehicles == std::vector<int>{1});
    CHECK(quiet.not_believed == 0);
    CHECK(hostile.not_believed == hostile.sent);
    CHECK(quiet.alarms.empty());
    for (const Alarm& a : hostile.alarms) CHECK(a.id == "signature");
    // The recording is that of the flight; what was not believed lies beside it.
    const auto a = openLog(dir / "quiet.tlog"), b = openLog(dir / "hostile.tlog");
    REQUIRE(a);
    REQUIRE(b);
    CHECK((*b)->duration_s() == Approx((*a)->duration_s()).epsilon(0.01));
    REQUIRE((*a)->sessions.size() == (*b)->sessions.size());
    for (std::size_t i = 0; i < (*a)->sessions.size(); ++i) {
        CHECK((*b)->sessions[i].distance_m == Approx((*a)->sessions[i].distance_m).epsilon(0.01).margin(1));
        CHECK((*b)->sessions[i].max_height_home_m == Approx((*a)->sessions[i].max_height_home_m).margin(0.5));
    }
    for (const char* name : {"GLOBAL_POSITION_INT", "ATTITUDE", "HEARTBEAT"})
        CHECK(static_cast<double>((*b)->message_counts.at(name)) ==
              Approx(static_cast<double>((*a)->message_counts.at(name))).epsilon(0.02));
    bool told = false;
    for (const LogEvent& e : (*b)->events)
        told |= e.kind == "mark" && e.text.find(fmt::format("{} packets were not believed", hostile.sent)) == 0;
    CHECK(told);
    CHECK_FALSE(std::filesystem::exists(mavlink::notBelievedFile(dir / "quiet.tlog")));
    // Who opens the recording hears of them.
    CHECK((*a)->not_believed == 0);
    CHECK((*b)->not_believed == hostile.sent);
    CHECK((*b)->not_believed_file == mavlink::notBelievedFile(dir / "hostile.tlog"));
    const auto doubted = openLog(mavlink::notBelievedFile(dir / "hostile.tlog"));
    REQUIRE(doubted);
    CHECK_FALSE((*doubted)->believed);
    CHECK((*doubted)->format.find("not believed") != std::string::npos);
    // It is shown on request, and is nobody's flight.
    const auto book = Logbook::open(dir / "book/logbook.sqlite");
    REQUIRE(book);
    const auto added = (*book)->addFolder(dir.path());
    REQUIRE(added);
    CHECK(added->files == 2);
    CHECK(added->failed.empty());
    for (const LogbookEntry& e : (*book)->entries()) CHECK(e.path.find("not-believed") == std::string::npos);
    for (const auto& file : {dir / "hostile.tlog", mavlink::notBelievedFile(dir / "hostile.tlog")}) {
        struct stat info {};
        REQUIRE(::stat(file.c_str(), &info) == 0);
        CHECK((info.st_mode & 0777) == 0600);
    }
    std::printf("%.0f minutes of flight, %llu packets that were none of its own: all told apart\n",
                (*b)->duration_s() / 60, static_cast<unsigned long long>(hostile.sent));
}

}  // namespace

TEST_CASE("a flight among forged and repeated packets is the flight as without them", "[link][signing][hostile]") {
    hostileDay(6, 1);
}
TEST_CASE("an hour among forged and repeated packets is as one without them", "[link][signing][hostile][long]") {
    hostileDay(80, 21);
}

TEST_CASE("a system that speaks from one address is not believed from another, until it has been silent there",
          "[link][hostile]") {
    TempDir dir;
    VirtualWorld w;
    const int port = w.net.freePort();
    VehicleLink::Options ours;
    ours.record_path = dir / "r.tlog";
    ours.world = w.world();
    auto link = VehicleLink::open(fmt::format("udp-listen:{}", port), ours);
    REQUIRE(link);
    const auto ear = [](std::span<const std::uint8_t>, std::uint64_t) {};
    auto first = w.world().open({LinkKind::udp, "127.0.0.1", port}, ear, {});
    auto second = w.world().open({LinkKind::udp, "127.0.0.1", port}, ear, {});
    REQUIRE(first);
    REQUIRE(second);
    const auto speak = [&](Transport& from, bool armed, double lat) {
        Message beat("HEARTBEAT");
        beat.system = beat.component = 1;
        beat.set("type", 2).set("autopilot", 3).set("base_mode", armed ? 128 : 0);
        from.send(mavlink::encode(beat));
        Message place("GLOBAL_POSITION_INT");
        place.system = place.component = 1;
        place.set("time_boot_ms", w.clock.now_s() * 1000).set("lat", lat * 1e7).set("lon", -20e7);
        from.send(mavlink::encode(place));
    };
    for (int i = 0; i < 20; ++i) {
        speak(**first, true, 47.3);
        w.clock.sleep(0.2);
        speak(**second, false, 11.0);
        w.clock.sleep(0.2);
        const VehicleSnapshot v = (*link)->snapshot();
        CHECK(v.armed);
        REQUIRE(v.position);
        CHECK(v.position->lat_deg == Approx(47.3));
    }
    VehicleSnapshot v = (*link)->snapshot();
    CHECK(v.link.other_address == 40);
    CHECK_FALSE(v.link.two_voices);
    AlarmWatch alarms;
    (void)alarms.watch(v, {}, w.clock.now_s());
    REQUIRE_FALSE(alarms.alarms().empty());
    CHECK(alarms.alarms()[0].id == "address");
    // The aircraft's radio has begun anew, from another address.
    for (int i = 0; i < 30; ++i) {
        speak(**second, true, 47.4);
        w.clock.sleep(0.25);
    }
    v = (*link)->snapshot();
    CHECK(v.link.moved == 1);
    CHECK(v.position->lat_deg == Approx(47.4));
    link->reset();
    CHECK(std::filesystem::exists(mavlink::notBelievedFile(dir / "r.tlog")));
}

TEST_CASE("answers for another ground station are not ours", "[link][hostile]") {
    VirtualWorld w;
    const int port = w.net.freePort();
    VehicleLink::Options ours;
    ours.world = w.world();
    auto link = VehicleLink::open(fmt::format("udp-listen:{}", port), ours);
    REQUIRE(link);
    auto talker = w.world().open({LinkKind::udp, "127.0.0.1", port}, [](auto, auto) {}, {});
    REQUIRE(talker);
    Message beat("HEARTBEAT");
    beat.system = beat.component = 1;
    beat.set("type", 2).set("autopilot", 3);
    (*talker)->send(mavlink::encode(beat));
    REQUIRE((*link)->waitForVehicle(3));
    VehicleLink::Inbox inbox(**link, {"COMMAND_ACK"});
    const auto answer = [&](int system, int component) {
        Message m("COMMAND_ACK");
        m.system = m.component = 1;
        m.set("command", 400).set("result", 0).set("target_system", system).set("target_component", component);
        (*talker)->send(mavlink::encode(m));
    };
    answer(254, 190);
    answer(255, 12);
    CHECK_FALSE(inbox.next(1));
    for (const auto& [system, component] : {std::pair{255, 190}, {0, 0}, {255, 0}}) {
        answer(system, component);
        CHECK(inbox.next(1));
    }
}

TEST_CASE("two aircraft that speak with one number are told", "[link][hostile]") {
    VehicleState state;
    Message beat("HEARTBEAT");
    beat.system = beat.component = 1;
    beat.set("type", 2).set("autopilot", 3);
    state.take(beat, 0);
    const auto place = [&](double boot_s, double lat, double now_ms) {
        Message m("GLOBAL_POSITION_INT");
        m.system = m.component = 1;
        m.set("time_boot_ms", boot_s * 1000).set("lat", lat * 1e7).set("lon", -20e7);
        state.take(m, now_ms);
    };
    // One: it flies, starts anew once, and its position jumps away and back.
    for (int i = 0; i < 100; ++i) place(1000 + i * 0.2, 47.3 + i * 1e-5, i * 200);
    for (int i = 0; i < 100; ++i) place(i * 0.2, i == 50 ? 47.9 : 47.301, 20000 + i * 200);
    CHECK_FALSE(state.at(40000).link.two_voices);
    // Two: by their places, though their clocks are alike.
    for (int i = 0; i < 20; ++i) place(20 + i * 0.2, i % 2 == 0 ? 47.301 : 47.5, 40000 + i * 200);
    CHECK(state.at(44000).link.two_voices);
    for (int i = 0; i < 100; ++i) place(24 + i * 0.2, 47.301, 44000 + i * 200);
    CHECK_FALSE(state.at(64000).link.two_voices);
    // By their clocks, though they stand side by side.
    for (int i = 0; i < 20; ++i) place(i % 2 == 0 ? 500 + i * 0.2 : 44 + i * 0.2, 47.301, 64000 + i * 200);
    CHECK(state.at(68000).link.two_voices);
}
