// Missions longer than the autopilot's memory: cut into parts, flown in one, and never an old part twice.
#include <catch2/catch.hpp>

#include "core/flight/Executor.h"
#include "core/link/Batches.h"
#include "link/Rig.h"

using namespace anhinga;
using namespace anhinga::testing;

namespace {
/// Places flown to by an executor over `memory`, which `tend` may change at each item.
std::vector<std::pair<int, int>> flown(std::vector<MissionItem> memory,
                                       const std::function<void(Executor&, std::size_t)>& tend) {
    Executor executor(programRead(memory, true), true);
    std::vector<std::pair<int, int>> out;
    for (int i = 0; i < 5000; ++i) {
        const auto at = executor.advance();
        if (!at) break;
        const ProgramLeg& leg = executor.leg(*at);
        if (leg.kind == LegKind::returnHome) {
            out.emplace_back(0, 0);
            break;
        }
        out.emplace_back(toE7(leg.place.lat_deg), toE7(leg.place.lon_deg));
        tend(executor, static_cast<std::size_t>(executor.program().numberOf(*at)));
    }
    return out;
}
std::vector<std::pair<int, int>> placesOf(const std::vector<MissionItem>& mission) {
    return flown(mission, [](Executor&, std::size_t) {});
}
}  // namespace

TEST_CASE("a long mission in batches is flown as in one", "[batch]") {
    auto mission = rowMission(150);
    MissionItem speed;
    speed.command = cmd::changeSpeed;
    speed.param2 = 5;
    mission.insert(mission.begin() + 20, speed);
    MissionItem jump;
    jump.command = cmd::jump;
    jump.param1 = 4;
    jump.param2 = 2;
    mission.insert(mission.begin() + 8, jump);
    for (std::size_t i = 0; i < mission.size(); ++i) mission[i].seq = static_cast<std::uint16_t>(i);
    const auto whole = placesOf(mission);
    for (const int limit : {20, 41, 60, 152, 700}) {
        INFO("limit " << limit);
        const auto plan = BatchPlan::make(mission, limit, true);
        REQUIRE(plan);
        CHECK(static_cast<int>(plan->first().size()) <= limit);
        std::vector<MissionItem> memory = plan->first();
        std::size_t sent = std::min<std::size_t>(2, plan->parts()), part = 0;
        double speed_at_end = 0;
        const auto seen = flown(memory, [&](Executor& executor, std::size_t now) {
            if (part + 1 < sent && now >= plan->beginOf(part + 1) && now <= plan->endOf(part + 1)) ++part;
            if (plan->sourceOf(now, part)) speed_at_end = executor.speed_mps.value_or(0);
            if (sent >= plan->parts() || sent > part + 1) return;
            memory = plan->opened(plan->with(memory, sent), sent);
            ++sent;
            executor.change(programRead(memory, true));
        });
        CHECK(seen == whole);
        CHECK(speed_at_end == 5);  // what was set in an earlier part holds in the later ones
    }
}

TEST_CASE("without the next part the aircraft returns home at the gate, and flies nothing twice", "[batch]") {
    const auto mission = rowMission(60);
    const auto plan = BatchPlan::make(mission, 30, true);
    REQUIRE(plan);
    REQUIRE(plan->parts() > 3);
    const auto seen = flown(plan->first(), [](Executor&, std::size_t) {});
    CHECK(seen.back() == std::pair(0, 0));
    const auto whole = placesOf(mission);
    REQUIRE(seen.size() < whole.size());
    for (std::size_t i = 0; i + 1 < seen.size(); ++i) CHECK(seen[i] == whole[i]);
}

TEST_CASE("what cannot be flown in batches is said", "[batch]") {
    CHECK_FALSE(BatchPlan::make(rowMission(60), 10, true));
    CHECK_FALSE(BatchPlan::make(rowMission(60), -4, true));
    auto mission = rowMission(60);
    MissionItem jump;
    jump.command = cmd::jump;
    jump.param1 = 2;
    jump.param2 = 1;
    mission.insert(mission.begin() + 50, jump);
    const auto refused = BatchPlan::make(mission, 30, true);
    REQUIRE_FALSE(refused);
    CHECK(refused.error().message.find("sorties") != std::string::npos);
}

TEST_CASE("a mission of four times the memory is flown over the link, its parts sent in flight", "[batch][link]") {
    StandInOptions o = standInOptions(40);
    o.max_items = 24;
    o.vehicle.battery_wh = 500;
    Rig rig(o);
    Plan long_plan = rowPlan(60);
    long_plan.defaults.speed_mps = 14;
    const auto mission = itemsIn(long_plan);
    auto plan = BatchPlan::make(mission, o.max_items, true);
    REQUIRE(plan);
    BatchSender sender(rig.link(), *plan);
    const auto begun = sender.begin({mission, {}, {}}, true, {});
    REQUIRE(begun);
    REQUIRE(begun->verified);
    REQUIRE(commandArm(rig.link()));
    REQUIRE(commandStart(rig.link()));
    std::string problem;
    const double end_s = rig.world().clock().now_s() + 50;
    double far = 0;
    while (rig.world().clock().now_s() < end_s && !rig.link().snapshot().disarmed_at_s) {
        if (const auto ok = sender.tend({}); !ok) problem = ok.error().message;
        if (const auto p = rig.link().snapshot().position) far = std::max(far, distance_m({47.31, -20.12}, *p));
        rig.world().sleep(0.02);
    }
    INFO(problem);
    CHECK(sender.done());
    CHECK(problem.empty());
    CHECK(far == Approx(6000).margin(40));
}
