// Properties over many generated cases: the executor against a reference, compiling there and back, patterns anywhere.
#include <catch2/catch.hpp>

#include "Planned.h"
#include "core/RandomPlans.h"
#include "core/check/Check.h"
#include "core/flight/Executor.h"
#include "core/geo/Polygon.h"
#include "core/pattern/Pattern.h"
#include "support.h"

using namespace anhinga;
using namespace anhinga::testing;

namespace {

/// The rules of a repeat in the plainest form: a program counter and one counter a jump.
std::vector<std::size_t> referenceOrder(const std::vector<MissionItem>& items, bool rearm, std::size_t most) {
    std::vector<std::size_t> order;
    std::map<std::size_t, int> done;
    std::size_t pc = 1;
    for (int guard = 0; guard < 20000 && pc < items.size() && order.size() < most; ++guard) {
        const MissionItem& i = items[pc];
        if (i.command != cmd::jump) {
            order.push_back(pc++);
        } else if (i.param2 < 0 || done[pc] < static_cast<int>(i.param2)) {
            ++done[pc];
            pc = static_cast<std::size_t>(i.param1);
        } else {
            if (rearm) done[pc] = 0;
            ++pc;
        }
    }
    return order;
}

bool sameNumber(float a, float b) {
    return a == b || (std::isnan(a) && std::isnan(b));
}

}  // namespace

TEST_CASE("the executor visits what the reference visits, for hundreds of random lists",
          "[flight][executor][property]") {
    std::mt19937 random(99);
    for (int round = 0; round < 400; ++round) {
        std::vector<MissionItem> items{{0, 0, cmd::waypoint}};
        const int n = 3 + static_cast<int>(random() % 12);
        for (int i = 1; i <= n; ++i) {
            const bool jump = i > 1 && random() % 3 == 0;
            MissionItem m{static_cast<std::uint16_t>(i), 3, jump ? cmd::jump : cmd::waypoint};
            if (jump) {
                m.param1 = static_cast<float>(1 + random() % static_cast<unsigned>(n));
                m.param2 = static_cast<float>(random() % 4);
            }
            items.push_back(m);
        }
        for (const bool rearm : {true, false}) {
            const auto expected = referenceOrder(items, rearm, 50);
            Executor executor(programRead(items, true), rearm);
            std::vector<std::size_t> order;
            while (order.size() < 50) {
                const auto seq = executor.advance();
                if (!seq) break;
                order.push_back(*seq + 1);  // counted with home
            }
            INFO(round);
            REQUIRE(order == expected);
            std::size_t visits = 0;
            for (const auto& [seq, count] : executor.visits()) visits += static_cast<std::size_t>(count);
            CHECK(visits == order.size());
        }
    }
}

TEST_CASE("random plans compile, decompile and compile to the same items", "[mission][decompile][property]") {
    for (unsigned seed = 1; seed <= 120; ++seed) {
        INFO(seed);
        const Plan plan = randomPlan(seed);
        const auto first = itemsIn(plan);
        Plan base;
        base.traits = plan.traits;
        const auto back = decompile(itemsOf(toSend(plan)), base);
        REQUIRE(back);
        const auto second = itemsIn(back->plan);
        REQUIRE(second.size() == first.size());
        for (std::size_t i = 0; i < first.size(); ++i) {
            const MissionItem &a = first[i], &b = second[i];
            INFO(i);
            CHECK(a.command == b.command);
            CHECK(a.frame == b.frame);
            CHECK(a.x == b.x);
            CHECK(a.y == b.y);
            CHECK((sameNumber(a.z, b.z) && sameNumber(a.param1, b.param1) && sameNumber(a.param2, b.param2) &&
                   sameNumber(a.param3, b.param3)));
        }
        CHECK(missionFingerprint({first, {}, {}}) == missionFingerprint({second, {}, {}}));
    }
}

TEST_CASE("every repeat of a compiled plan goes to the first item of its target", "[mission][repeat][property]") {
    for (unsigned seed = 1; seed <= 120; ++seed) {
        INFO(seed);
        const Plan plan = randomPlan(seed);
        const FlightProgram program = programIn(plan);
        const auto items = itemsOf(program);
        std::vector<ItemId> targets;
        for (const Item& item : plan.items)
            for (const Action& a : item.actions)
                if (const auto* r = std::get_if<Repeat>(&a)) targets.push_back(r->target);
        std::size_t k = 0;
        for (const MissionItem& i : items) {
            if (i.command != cmd::jump) continue;
            const int to = static_cast<int>(i.param1);
            REQUIRE(k < targets.size());
            CHECK(program.sourceAt(to) == targets[k++]);
            CHECK((to == 0 || program.sourceAt(to - 1) != program.sourceAt(to)));
        }
        CHECK(k == targets.size());
    }
}

TEST_CASE("checks of random plans never fail, and findings point at things that are there", "[check][property]") {
    for (unsigned seed = 1; seed <= 120; ++seed) {
        INFO(seed);
        const Plan plan = randomPlan(seed);
        const PlanView v = viewOf(plan, nullptr);
        const auto findings = check({plan, v, nullptr});
        for (std::size_t i = 0; i < findings.size(); ++i) {
            const Finding& f = findings[i];
            CHECK_FALSE(f.message.empty());
            CHECK((f.item == 0 || plan.holds(f.item)));
            if (f.place) CHECK(isValid(*f.place));
            if (i > 0) CHECK(findings[i - 1].severity <= f.severity);
        }
    }
}

TEST_CASE("a block is the same block anywhere on the earth", "[pattern][block][property]") {
    const auto blockAt = [](GeoPoint c, double heading) {
        Plan plan;
        Item item;
        item.kind = ItemKind::block;
        item.height = Height::aboveGround(60);
        for (const double b : {20.0, 100.0, 190.0, 280.0})
            item.pattern.edit().outline.push_back(destination(c, b, 200));
        item.pattern.edit().heading_deg = heading;
        return openPattern(plan, item, nullptr);
    };
    for (const double heading : {0.0, 45.0, 120.0}) {
        const PatternFlight here = blockAt({47.31, -20.12}, heading);
        REQUIRE(here.lines > 4);
        for (const GeoPoint c : {GeoPoint{-33, 18}, GeoPoint{0, 180}, GeoPoint{70, 25}, GeoPoint{-70, -179.9999},
                                 GeoPoint{12, 179.9999}}) {
            const PatternFlight there = blockAt(c, heading);
            CHECK(there.lines == here.lines);
            CHECK(there.area_m2 == Approx(here.area_m2).epsilon(0.001));
            CHECK(std::abs(static_cast<double>(there.photos.size()) - static_cast<double>(here.photos.size())) <= 2);
            CHECK(there.distance_m == Approx(here.distance_m).margin(2 * here.photo_spacing_m));
        }
    }
}

TEST_CASE("blocks that cannot be flown say why and do not fill the memory", "[pattern][block][hostile]") {
    Plan plan;
    Item item;
    item.kind = ItemKind::block;
    item.height = Height::aboveGround(60);
    Pattern& p = item.pattern.edit();
    const auto problem = [&] {
        const PatternFlight f = openPattern(plan, item, nullptr);
        CHECK((f.points.empty() && f.photos.empty()));
        return f.problem;
    };
    CHECK(problem().find("fewer than 3") != std::string::npos);
    p.outline = {{47, -20}, {47.001, -20}};
    CHECK(problem().find("fewer than 3") != std::string::npos);
    p.outline = {{47, -20}, {47.001, -20}, {47.002, -20}};
    CHECK(problem().find("no area") != std::string::npos);
    p.outline = {{47, -20}, {47.001, -19.999}, {47.001, -20}, {47, -19.998}};
    CHECK(problem().find("crosses itself") != std::string::npos);
    p.outline = {{47, -20}, {47.001, -20}, {47.001, -19.999}};
    p.holes = {{{47, -20}, {47.001, -19.999}, {47.001, -20}, {47, -19.999}}};
    CHECK(problem().find("a hole in it") != std::string::npos);
    p.holes.clear();
    for (const double h : {0.0, -5.0}) {
        item.height = Height::aboveGround(h);
        CHECK(problem().find("at or below the ground") != std::string::npos);
    }
    PatternFlight lifted = openPattern(plan, item, nullptr);
    REQUIRE(lifted.remedy);
    lifted.remedy(item);
    CHECK(openPattern(plan, item, nullptr).problem.empty());
    for (const double overlap : {100.0, 250.0, -1.0, std::nan("")}) {
        p.overlap_percent = overlap;
        CHECK(problem().find("below 100 %") != std::string::npos);
    }
    p.overlap_percent = 75;
    plan.camera.sensor_w_mm = 0;
    CHECK(problem().find("sensor size") != std::string::npos);
    plan.camera = {};
    item.height = Height::aboveGround(0.6);
    p.sidelap_percent = p.overlap_percent = 98;
    CHECK(problem().find("photos; at most") != std::string::npos);
    item.height = Height::aboveGround(60);
    p.outline = {{40, -20}, {48, -20}, {48, -10}};
    CHECK(problem().find("at most") != std::string::npos);
}

TEST_CASE("fences are judged alike in every place and on every kind of leg", "[check][fence][property]") {
    for (const GeoPoint home :
         {GeoPoint{47.31, -20.12}, GeoPoint{-20, 179.999}, GeoPoint{68, -179.9995}, GeoPoint{-45, 0}}) {
        const auto crossings = [&](Plan plan) {
            const PlanView v = viewOf(plan, nullptr);
            int n = 0;
            for (const Finding& f : check({plan, v, nullptr})) n += f.rule == "fence-crossing";
            return n;
        };
        const auto ringAt = [](GeoPoint c, double r) {
            std::vector<GeoPoint> ring;
            for (int b = 0; b < 360; b += 40) ring.push_back(destination(c, b, r));
            return ring;
        };
        Plan plan = rowPlan(3, home);
        CHECK(crossings(plan) == 0);
        Plan beside = plan;
        beside.fences.push_back({beside.newId(), FenceKind::keepOut, "", ringAt(destination(home, 0, 300), 60), ""});
        CHECK(crossings(beside) == 0);
        Plan between = plan;  // crossed by the leg from 1 to 2 and by the way home
        between.fences.push_back({between.newId(), FenceKind::keepOut, "", ringAt(destination(home, 90, 150), 20), ""});
        CHECK(crossings(between) == 2);
        Plan at_home = plan;
        at_home.fences.push_back({at_home.newId(), FenceKind::keepOut, "", ringAt(home, 30), ""});
        CHECK(crossings(at_home) >= 2);  // take-off and return stand in it
        Plan too_small = plan;
        too_small.fences.push_back({too_small.newId(), FenceKind::keepIn, "", ringAt(home, 250), ""});
        CHECK(crossings(too_small) >= 1);
        Plan repeat = plan;  // only the repeat leg passes here
        repeat.items[2].position = destination(repeat.items[2].position, 0, 200);
        repeat.items[3].actions = {Repeat{repeat.items[1].id, 1}};
        repeat.items.back().kind = ItemKind::land;
        repeat.items.back().position = repeat.items[3].position;
        repeat.fences.push_back({repeat.newId(), FenceKind::keepOut, "", ringAt(destination(home, 90, 200), 20), ""});
        CHECK(crossings(repeat) == 1);
    }
}
