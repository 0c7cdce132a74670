#include <catch2/catch.hpp>

#include "core/base/Text.h"
#include "core/dialect/Items.h"
#include "core/link/Commands.h"
#include "core/link/MissionTransfer.h"
#include "core/plan/PlanFile.h"
#include "link/Rig.h"
#include "standin/StandIn.h"
#include "support.h"

using namespace anhinga;
using namespace anhinga::testing;

namespace {

struct Sample {
    Plan plan;
    std::vector<MissionItem> mission, fence;
    MissionSet set() const { return {mission, fence, {}}; }
};
Sample sample(int n = 6) {
    Sample s{rowPlan(n), {}, {}};
    const GeoPoint m = destination(s.plan.home->position, 90, 300);
    s.plan.fences.push_back({s.plan.newId(),
                             FenceKind::keepIn,
                             "",
                             {destination(m, 0, 900), destination(m, 120, 900), destination(m, 240, 900)},
                             ""});
    s.mission = itemsIn(s.plan);
    s.fence = fenceItems(s.plan.fences);
    return s;
}

}  // namespace

TEST_CASE("link addresses are read, and wrong ones explained", "[link][address]") {
    CHECK(parseLinkAddress("udp:127.0.0.1:14550")->port == 14550);
    CHECK(parseLinkAddress("udp-listen:14550")->kind == LinkKind::udpListen);
    CHECK(parseLinkAddress("tcp:host.example:5760")->host == "host.example");
    for (const char* bad : {"", "udp", "udp:14550", "udp:h:0", "udp-listen:70000", "tcp:h:12x", "smoke:1"}) {
        INFO(bad);
        CHECK_FALSE(parseLinkAddress(bad));
    }
}

TEST_CASE("a mission and a fence are handed over, read back and sealed", "[link][handover]") {
    Rig rig(standInOptions());
    const Sample s = sample();
    double last = 0;
    bool backwards = false;
    TransferOptions watch;
    watch.progress = [&](double share, const std::string&) {
        backwards |= share < last - 1e-9;
        last = share;
    };
    const auto h = handOver(rig.link(), s.set(), true, watch);
    REQUIRE(h);
    CHECK(h->verified);
    CHECK(h->held.route() == s.mission.size());
    CHECK(h->held.fence() == 3);
    CHECK(last == Approx(1));
    CHECK_FALSE(backwards);
}

TEST_CASE("hand-over completes and verifies with 10 % loss, duplicates and 100 ms latency", "[link][handover][loss]") {
    Rig rig(standInOptions(), {0.10, 0.10, 100, 77});
    const Sample s = sample(8);
    const auto h = handOver(rig.link(), s.set(), true);
    INFO((h ? "" : h.error().message));
    REQUIRE(h);
    CHECK(h->verified);
    CHECK(h->held.route() == s.mission.size());
}

TEST_CASE("an item stored altered is caught and named", "[link][handover][fault]") {
    StandInOptions o = standInOptions();
    o.faults.set("alter-item", 0);
    Rig rig(o);
    const Sample s = sample();
    const auto h = handOver(rig.link(), s.set(), true);
    REQUIRE(h);
    CHECK_FALSE(h->verified);
    REQUIRE(h->differences.size() == 1);
    CHECK(h->differences[0].seq == 2);
    CHECK(h->differences[0].field == "z");
}

TEST_CASE("a vehicle that falls silent gives an error within 10 s", "[link][handover][fault]") {
    StandInOptions o = standInOptions();
    o.faults.set("silent-transfer", 0);
    Rig rig(o);
    const Sample s = sample();
    const double start_s = rig.world().clock().now_s();
    const auto h = handOver(rig.link(), s.set(), true);
    const double took = rig.world().since(start_s);
    REQUIRE_FALSE(h);
    CHECK(h.error().message.find("has not answered") != std::string::npos);
    CHECK(took < 10);
}

TEST_CASE("a transfer stops at once when asked", "[link][handover]") {
    StandInOptions o = standInOptions();
    o.faults.set("silent-transfer", 0);
    Rig rig(o);
    const Sample s = sample();
    std::stop_source stop;
    const double start_s = rig.world().clock().now_s();
    rig.world().later(0.4, [&] { stop.request_stop(); });
    TransferOptions t;
    t.stop = stop.get_token();
    CHECK_FALSE(handOver(rig.link(), s.set(), true, t));
    CHECK(rig.world().since(start_s) < 0.5);
}

TEST_CASE("too many items are refused in words, and nothing clears what was held", "[link][handover]") {
    StandInOptions o = standInOptions();
    o.max_items = 8;
    Rig rig(o);
    const Sample small = sample(3), large = sample(12);
    REQUIRE(handOver(rig.link(), small.set(), true));
    const auto refused = uploadMission(rig.link(), MissionType::mission, large.mission);
    REQUIRE_FALSE(refused);
    CHECK(refused.error().message.find("memory is full") != std::string::npos);
    const auto held = downloadMission(rig.link(), MissionType::mission);
    REQUIRE(held);
    CHECK(held->size() == small.mission.size());
}

TEST_CASE("an empty list clears what the vehicle holds", "[link][handover]") {
    Rig rig(standInOptions());
    const Sample s = sample(2);
    REQUIRE(uploadMission(rig.link(), MissionType::mission, s.mission));
    REQUIRE(uploadMission(rig.link(), MissionType::mission, {}));
    CHECK(downloadMission(rig.link(), MissionType::mission)->empty());
}

TEST_CASE("commands are accepted or refused with the reason", "[link][command]") {
    Rig rig(standInOptions(20));
    CHECK(commandStart(rig.link()).error().message.find("not armed") != std::string::npos);
    REQUIRE(commandArm(rig.link()));
    REQUIRE(rig.until(5, [](const VehicleSnapshot& v) { return v.armed; }));
    CHECK(commandStart(rig.link()).error().message.find("no mission") != std::string::npos);
    REQUIRE(commandTakeOff(rig.link(), 20));
    REQUIRE(rig.until(8, [](const VehicleSnapshot& v) { return v.height_home_m.value_or(0) > 18; }));
    REQUIRE(commandReturn(rig.link()));
    CHECK(rig.until(15, [](const VehicleSnapshot& v) { return !v.armed; }));
    const VehicleSnapshot after = rig.link().snapshot();
    REQUIRE((after.armed_at_s && after.disarmed_at_s));
    CHECK(*after.disarmed_at_s > *after.armed_at_s);
    CHECK(*after.boot_s >= *after.disarmed_at_s);
    const auto unknown = sendCommand(rig.link(), 2501, {}, "Something");
    CHECK(unknown.error().message.find("not supported") != std::string::npos);
}

TEST_CASE("a mission is paused and resumed in flight", "[link][command]") {
    Rig rig(standInOptions(20));
    const Sample s = sample(6);
    REQUIRE(handOver(rig.link(), s.set(), true));
    REQUIRE(commandArm(rig.link()));
    REQUIRE(commandStart(rig.link()));
    REQUIRE(rig.until(10, [](const VehicleSnapshot& v) { return v.mission_item.value_or(0) >= 4; }));
    REQUIRE(commandPause(rig.link()));
    REQUIRE(
        rig.until(5, [](const VehicleSnapshot& v) { return modeName(v) == "hold" && v.ground_mps.value_or(9) < 0.3; }));
    REQUIRE(commandResume(rig.link()));
    CHECK(rig.until(30, [](const VehicleSnapshot& v) { return !v.armed && v.reached->size() >= 6; }));
}

TEST_CASE("a vehicle gone silent is seen by the age of its heartbeat", "[link]") {
    StandInOptions o = standInOptions();
    o.faults.set("silent", 1.0);
    Rig rig(o);
    CHECK(rig.until(8, [](const VehicleSnapshot& v) { return v.heartbeat_age_s > 2; }));
}

TEST_CASE("hand-over works over TCP with a stand-in process", "[link][tcp][real]") {
    const int port = freePort();
    Process standin(std::string(BIN_DIR) + "/anhinga-standin",
                    {"--link", fmt::format("tcp-listen:{}", port), "--home", "47.31,-20.12,0", "--run-for", "50"});
    auto link = VehicleLink::open(fmt::format("tcp:127.0.0.1:{}", port), {});
    REQUIRE(link);
    REQUIRE((*link)->waitForVehicle(10));
    const Sample s = sample();
    const auto h = handOver(**link, s.set(), true);
    REQUIRE(h);
    CHECK(h->verified);
}

TEST_CASE("links that cannot be opened say so", "[link][real]") {
    CHECK_FALSE(VehicleLink::open("nonsense", {}));
    const int port = freePort();
    const auto first = VehicleLink::open(fmt::format("udp-listen:{}", port), {});
    REQUIRE(first);
    CHECK_FALSE(VehicleLink::open(fmt::format("udp-listen:{}", port), {}));
    CHECK_FALSE(VehicleLink::open(fmt::format("udp-listen:{}", freePort()), {"/no/such/folder/x.tlog", {}}));
}
