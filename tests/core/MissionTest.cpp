#include <catch2/catch.hpp>

#include "Planned.h"
#include "core/SameItems.h"
#include "core/check/Check.h"
#include "core/geo/Polygon.h"
#include "core/pattern/Pattern.h"
#include "core/plan/PlanFile.h"
#include "support.h"

using namespace anhinga;
using namespace anhinga::testing;

namespace {

struct Compiled {
    FlightProgram program;
    std::vector<MissionItem> items;
};
Compiled compiled(const Plan& plan, const Terrain* terrain = nullptr) {
    const FlightProgram program = programIn(plan, terrain);
    REQUIRE(sendable(plan, program));
    return {program, itemsOf(program)};
}
std::vector<Finding> findingsOf(const Plan& plan, const Terrain* terrain, std::optional<EnergyForecast> energy = {}) {
    const PlanView v = viewOf(plan, terrain);
    return check({plan, v, terrain, energy});
}
const Finding* found(const std::vector<Finding>& list, const std::string& rule) {
    for (const Finding& f : list)
        if (f.rule == rule) return &f;
    return nullptr;
}
/// A flat or sloping terrain over the sample plans: `plane(east_m)` metres, 10 m cells of ASCII.
std::shared_ptr<const Terrain> hill(TempDir& dir, double top_m, double at_east_m) {
    std::ostringstream out;
    out << "ncols 200\nnrows 60\nxllcorner -20.125\nyllcorner 47.307\ncellsize 0.0001\nNODATA_value -9999\n";
    for (int y = 0; y < 60; ++y) {
        for (int x = 0; x < 200; ++x) {
            const double east = (-20.125 + 0.0001 * (x + 0.5) + 20.12) * 75640;
            out << top_m * std::exp(-std::pow((east - at_east_m) / 60, 2)) << ' ';
        }
        out << '\n';
    }
    spit(dir / "h.asc", out.str());
    spit(dir / "h.prj",
         "GEOGCS[\"WGS 84\",DATUM[\"WGS_1984\",SPHEROID[\"WGS "
         "84\",6378137,298.257223563]],PRIMEM[\"Greenwich\",0],UNIT[\"degree\",0.0174532925199433]]");
    const auto t = Terrain::open({dir / "h.asc"});
    REQUIRE(t);
    return *t;
}

}  // namespace

TEST_CASE("a plan compiles to home, take-off, speed, points and return in the standard's numbers",
          "[mission][compile]") {
    const Compiled m = compiled(rowPlan(2));
    std::vector<int> commands;
    for (const MissionItem& i : m.items) commands.push_back(i.command);
    CHECK(commands == std::vector<int>{16, 22, 178, 16, 16, 20});
    CHECK(m.items[0].frame == 0);
    CHECK(m.items[0].x == 473100000);
    CHECK(m.items[3].frame == 3);
    CHECK(m.items[3].z == 60);
    CHECK(m.items[3].param2 == 2);
    CHECK(m.items[2].param2 == 8);
    for (std::size_t i = 0; i < m.items.size(); ++i) CHECK(m.items[i].seq == i);
}

TEST_CASE("each height reference has its frame", "[mission][compile]") {
    Plan plan = rowPlan(3);
    plan.items[1].height = Height::amsl(100);
    plan.items[2].height = Height::aboveGround(40);
    const Compiled m = compiled(plan);
    CHECK(m.items[3].frame == frame::amsl);
    CHECK(m.items[4].frame == frame::ground);
    CHECK(m.items[5].frame == frame::home);
}

TEST_CASE("a repeat keeps its target when items are inserted before it", "[mission][repeat]") {
    Plan plan = rowPlan(4);
    const ItemId target = plan.items[2].id;
    plan.items[4].actions = {Repeat{target, 2}};
    const Compiled before = compiled(plan);
    Item extra;
    extra.id = plan.newId();
    extra.position = {47.3101, -20.1199};
    plan.items.insert(plan.items.begin() + 1, extra);
    const Compiled after = compiled(plan);
    const auto targetOf = [](const Compiled& m) {
        for (const MissionItem& i : m.items)
            if (i.command == cmd::jump) return m.program.sourceAt(static_cast<int>(i.param1));
        return ItemId{0};
    };
    CHECK(targetOf(before) == target);
    CHECK(targetOf(after) == target);
}

TEST_CASE("a jump never inherits the speed of where it came from", "[mission][compile]") {
    Plan plan = rowPlan(3);
    plan.items[3].speed_mps = 3;
    plan.items[3].actions = {Repeat{plan.items[1].id, 1}};
    const Compiled m = compiled(plan);
    const auto jump =
        std::find_if(m.items.begin(), m.items.end(), [](const MissionItem& i) { return i.command == cmd::jump; });
    REQUIRE(jump != m.items.end());
    const MissionItem& to = m.items[static_cast<std::size_t>(jump->param1)];
    CHECK(to.command == cmd::changeSpeed);
    CHECK(to.param2 == 8);
}

TEST_CASE("plans that cannot be sent say why", "[mission][compile]") {
    Plan plan = rowPlan(2);
    plan.items[1].actions = {Repeat{777, 1}};
    CHECK(sendable(plan, programIn(plan)).error().message.find("no target") != std::string::npos);
    plan.home.reset();
    CHECK(sendable(plan, programIn(plan)).error().message.find("home") != std::string::npos);
    Plan empty;
    empty.home = Home{{0, 0}, 0.0};
    CHECK(sendable(empty, programIn(empty)).error().message.find("nothing to fly") != std::string::npos);
}

TEST_CASE("decompiling and compiling again gives the same items", "[mission][decompile]") {
    for (const char* name : {"patrol", "quarry"}) {
        const std::string path = demo(std::string(name) + ".anhinga.geojson");
        const auto plan = loadPlan(path);
        REQUIRE(plan);
        const auto terrain = Terrain::open({demo("quillmere-elevation.tif")});
        REQUIRE(terrain);
        const Compiled m = compiled(*plan, terrain->get());
        const auto fence = fenceItems(plan->fences);
        const auto back = decompile({m.items, fence, {}}, Plan{});
        REQUIRE(back);
        CHECK(identical(compiled(back->plan).items, m.items));
        CHECK(identical(fenceItems(back->plan.fences), fence));
    }
}

TEST_CASE("what has no word here is kept as it is", "[mission][decompile]") {
    Compiled m = compiled(rowPlan(2));
    MissionItem strange{0, 2, 42600, 1.5f, 2, 3, 4, 5, 6, 7};
    m.items.insert(m.items.begin() + 4, strange);
    for (std::size_t i = 0; i < m.items.size(); ++i) m.items[i].seq = static_cast<std::uint16_t>(i);
    const auto back = decompile({m.items, {}, {}}, Plan{});
    REQUIRE(back);
    CHECK(back->notes.size() == 1);
    CHECK(identical(compiled(back->plan).items, m.items));
}

TEST_CASE("comparison names each field that differs and forgives only rounding", "[mission][compare]") {
    const Compiled m = compiled(rowPlan(3));
    auto other = m.items;
    CHECK(compareMissions("mission", m.items, other, true).empty());
    other[0].z = 55;       // home: the autopilot's own
    other[3].x += 1;       // a rounding step
    other[3].param4 = 0;   // not set
    other[3].frame = 6;    // the same reference by its other number
    other[4].z += 0.004f;  // centimetres
    CHECK(compareMissions("mission", m.items, other, true).empty());
    other[4].z += 5;
    other[5].y += 20;
    const auto d = compareMissions("mission", m.items, other, true);
    REQUIRE(d.size() == 2);
    CHECK(d[0].seq == 4);
    CHECK(d[0].field == "z");
    CHECK(d[1].field == "y");
    other.pop_back();
    CHECK(compareMissions("mission", m.items, other, true).front().field == "count");
    CHECK(missionFingerprint({m.items, {}, {}}) != missionFingerprint({other, {}, {}}));
}

TEST_CASE("footprint and ground sample distance of the agreed example hold", "[pattern][block]") {
    const Footprint f = footprintAt(CameraProfile{}, 100);
    CHECK(f.gsd_m * 100 == Approx(2.74).margin(0.005));
    CHECK(f.across_m == Approx(150));
    CHECK(f.along_m == Approx(100));
}

TEST_CASE("a height keeps its place in the air when its reference changes", "[mission][height]") {
    TempDir dir;
    const auto terrain = hill(dir, 50, 200);
    Plan plan = rowPlan(3);
    plan.home->amsl_m = 12;
    const GeoPoint p = plan.items[2].position;  // 200 m east: the hill top
    const auto amsl = converted(plan, terrain.get(), p, Height::aboveHome(60), HeightRef::amsl);
    REQUIRE(amsl);
    CHECK(amsl->value_m == Approx(72));
    const auto ground = converted(plan, terrain.get(), p, *amsl, HeightRef::ground);
    REQUIRE(ground);
    CHECK(ground->value_m == Approx(72 - 50).margin(1));
    CHECK_FALSE(converted(plan, terrain.get(), {0, 0}, *amsl, HeightRef::ground));
}

TEST_CASE("clearance is found between the waypoints, not only at them", "[check][clearance]") {
    TempDir dir;
    const auto terrain = hill(dir, 50, 150);  // the top lies between items at 100 m and 200 m
    Plan plan = rowPlan(3);
    plan.return_height_m = 90;
    const PlanView v = viewOf(plan, terrain.get());
    REQUIRE(v.clearance.lowest_m);
    CHECK(*v.clearance.lowest_m == Approx(10).margin(0.7));
    const auto list = findingsOf(plan, terrain.get());
    const Finding* f = found(list, "clearance-minimum");
    REQUIRE(f != nullptr);
    CHECK(f->severity == Severity::stop);
    CHECK(f->message.find("between Waypoint 1 and Waypoint 2") != std::string::npos);
    REQUIRE(f->corrections.size() == 1);
    f->corrections.front().apply(plan);
    CHECK(found(findingsOf(plan, terrain.get()), "clearance-minimum") == nullptr);
    CHECK(*viewOf(plan, terrain.get()).clearance.lowest_m >= plan.clearance_margin_m - 0.5);
}

TEST_CASE("inside the margin is a warning", "[check][clearance]") {
    TempDir dir;
    const auto terrain = hill(dir, 42, 150);
    const auto list = findingsOf(rowPlan(3), terrain.get());
    REQUIRE(found(list, "clearance-margin") != nullptr);
    CHECK(found(list, "clearance-margin")->severity == Severity::warn);
    CHECK(found(list, "clearance-minimum") == nullptr);
}

TEST_CASE("each rule finds its mistake", "[check]") {
    TempDir dir;
    const auto terrain = hill(dir, 0, 0);
    struct Row {
        const char* rule;
        std::function<void(Plan&)> spoil;
        std::optional<EnergyForecast> energy;
    };
    const GeoPoint h{47.31, -20.12};
    const Row rows[] = {
        {"home-missing", [](Plan& p) { p.home.reset(); }, {}},
        {"ceiling", [](Plan& p) { p.ceiling_m = 50; }, {}},
        {"first-waypoint-far", [](Plan& p) { p.traits.first_waypoint_max_m = 90; }, {}},
        {"item-limit", [](Plan& p) { p.traits.item_limit = 5; }, {}},
        {"no-way-to-end", [](Plan& p) { p.items.pop_back(); }, {}},
        {"repeat-target",
         [](Plan& p) {
             p.items[1].actions = {Repeat{99, 1}};
         },
         {}},
        {"endless-repeat",
         [](Plan& p) {
             p.items[2].actions = {Repeat{p.items[1].id, -1}};
         },
         {}},
        {"look-at-open",
         [&](Plan& p) {
             p.items[1].actions = {LookAt{h, Height::aboveGround(0), ""}};
         },
         {}},
        {"speed", [](Plan& p) { p.items[1].speed_mps = 40; }, {}},
        {"energy", [](Plan&) {}, EnergyForecast{12, false}},
        {"energy", [](Plan&) {}, EnergyForecast{60, true}},
        {"fence-crossing",
         [&](Plan& p) {
             p.fences.push_back({p.newId(),
                                 FenceKind::keepOut,
                                 "",
                                 {destination(h, 80, 160), destination(h, 100, 160), destination(h, 90, 120)},
                                 ""});
         },
         {}},
        {"fence-crossing",
         [&](Plan& p) {
             p.fences.push_back({p.newId(),
                                 FenceKind::keepIn,
                                 "",
                                 {destination(h, 0, 150), destination(h, 120, 150), destination(h, 240, 150)},
                                 ""});
         },
         {}},
    };
    CHECK(findingsOf(rowPlan(3), terrain.get()).empty());
    for (const Row& row : rows) {
        INFO(row.rule);
        Plan plan = rowPlan(3);
        row.spoil(plan);
        CHECK(found(findingsOf(plan, terrain.get(), row.energy), row.rule) != nullptr);
    }
}

TEST_CASE("a fence that contains the whole flight is not crossed", "[check][fence]") {
    TempDir dir;
    const auto terrain = hill(dir, 0, 0);
    Plan plan = rowPlan(3);
    const GeoPoint m = destination(plan.home->position, 90, 150);
    std::vector<GeoPoint> ring;
    for (int b = 0; b < 360; b += 30) ring.push_back(destination(m, b, 260));
    plan.fences.push_back({plan.newId(), FenceKind::keepIn, "", ring, ""});
    CHECK(found(findingsOf(plan, terrain.get()), "fence-crossing") == nullptr);
}

TEST_CASE("without terrain clearance is unknown and said to be, never clear", "[check][terrain]") {
    const auto list = findingsOf(rowPlan(2), nullptr);
    REQUIRE(found(list, "terrain-unknown") != nullptr);
    CHECK_FALSE(viewOf(rowPlan(2), nullptr).clearance.lowest_m);
}

TEST_CASE("the offered way home is added once", "[check]") {
    Plan plan = rowPlan(2);
    plan.items.pop_back();
    const auto list = findingsOf(plan, nullptr);
    const Finding* f = found(list, "no-way-to-end");
    REQUIRE(f != nullptr);
    f->corrections.front().apply(plan);
    f->corrections.front().apply(plan);
    CHECK(plan.items.size() == 4);
    CHECK(plan.items.back().kind == ItemKind::returnHome);
}

TEST_CASE("the demo plans are sound", "[check][demo]") {
    const auto terrain = Terrain::open({demo("quillmere-elevation.tif")});
    REQUIRE(terrain);
    for (const char* name : {"patrol", "quarry"}) {
        const auto plan = loadPlan(demo(std::string(name) + ".anhinga.geojson"));
        REQUIRE(plan);
        for (const Finding& f : findingsOf(*plan, terrain->get())) {
            INFO(f.message);
            CHECK(f.severity != Severity::stop);
        }
    }
}
