// Every kind of item and action: kept by the file, told to the autopilot, read back, and flown.
#include <catch2/catch.hpp>

#include "Planned.h"
#include "core/SameItems.h"
#include "core/check/Check.h"
#include "core/flight/Executor.h"
#include "core/flight/Rehearse.h"
#include "core/plan/PlanFile.h"
#include "support.h"

using namespace anhinga;
using namespace anhinga::testing;

namespace {

/// A plan with one of everything.
Plan everything() {
    Plan plan = rowPlan(6);
    plan.title = "everything";
    plan.notes = "line one\nline two";
    plan.floor_m = 12.5;
    plan.heights_set_at_amsl_m = 3;
    plan.defaults.hold_s = 7;
    plan.traits.splines = false;
    plan.traits.lowest_height_m = 4;
    plan.camera.pitch_min_deg = -100;
    plan.items[1].spline = true;
    plan.items[1].notes = "mind the mast";
    plan.items[2].kind = ItemKind::hold;
    plan.items[3].kind = ItemKind::holdTurns;
    plan.items[3].turns = -1.5;
    plan.items[3].radius_m = 33;
    plan.items[4].kind = ItemKind::loiterToHeight;
    plan.items[4].height = Height::amsl(91);
    plan.items[5].actions = {PhotoInterval{2.5}, Video{true},    Delay{3},
                             SetHeading{200},    Servo{5, 1700}, Relay{2, false}};
    plan.items[6].actions = {PhotoInterval{0}, Video{false}, Relay{2, true}};
    plan.sections = {{plan.newId(), "shuttle"}};
    plan.items[5].section = plan.items[6].section = plan.sections[0].id;
    const GeoPoint h = plan.home->position;
    Fence circle;
    circle.id = plan.newId();
    circle.kind = FenceKind::keepOut;
    circle.name = "pond";
    circle.outline = {destination(h, 0, 400)};
    circle.radius_m = 80;
    plan.fences = {circle};
    plan.rally = {{plan.newId(), "beach", destination(h, 180, 200), Height::aboveGround(40), ""}};
    for (const ObstacleKind kind : {ObstacleKind::mast, ObstacleKind::wire, ObstacleKind::trees}) {
        Obstacle o;
        o.id = plan.newId();
        o.kind = kind;
        o.name = obstacleText(kind);
        o.height_m = 21;
        o.margin_m = 6;
        o.points = {destination(h, 300, 300)};
        if (kind != ObstacleKind::mast) o.points.push_back(destination(h, 310, 300));
        if (kind == ObstacleKind::trees) o.points.push_back(destination(h, 310, 350));
        plan.obstacles.push_back(o);
    }
    Zone zone;
    zone.id = plan.newId();
    zone.name = "range";
    zone.zone_class = "R";
    zone.outline = {destination(h, 0, 900), destination(h, 20, 900), destination(h, 10, 1200)};
    zone.ceiling = Height::amsl(600);
    zone.times = "weekdays";
    zone.authorisation = "tower, 4/26";
    plan.zones = {zone};
    plan.covers = {{plan.newId(),
                    "trust's map",
                    {destination(h, 0, 2000), destination(h, 120, 2000), destination(h, 240, 2000)},
                    ""}};
    return plan;
}

const MissionItem* first(const std::vector<MissionItem>& items, std::uint16_t command) {
    for (const MissionItem& i : items)
        if (i.command == command) return &i;
    return nullptr;
}

Rehearsal flownAs(const Plan& plan) {
    const PlanView v = viewOf(plan, nullptr);
    REQUIRE(v.sendable());
    auto r = rehearse(plan, v.program, nullptr);
    REQUIRE(r);
    return *r;
}

}  // namespace

TEST_CASE("a plan with one of everything survives its file, and again", "[plan][file]") {
    const Plan plan = everything();
    const std::string text = writePlanText(plan);
    const auto back = readPlanText(text, "t");
    REQUIRE(back);
    CHECK(*back == plan);
    CHECK(writePlanText(*back) == text);
    // Each thing is a line of its own: a difference is readable.
    CHECK(std::count(text.begin(), text.end(), '\n') > 20);
    for (const char* word : {"\"circle\"", "\"height-change\"", "\"photo-interval\"", "\"servo\"", "\"relay\"",
                             "\"rally\"", "\"obstacle\"", "\"airspace\"", "\"airspace-cover\"", "\"sections\""}) {
        INFO(word);
        CHECK(text.find(word) != std::string::npos);
    }
}

TEST_CASE("every prefix of a full plan file is refused with a place, never read in part", "[plan][file][hostile]") {
    const std::string text = writePlanText(everything());
    for (std::size_t n = 0; n + 3 < text.size(); n += 37) {
        const auto r = readPlanText(std::string_view(text).substr(0, n), "t");
        REQUIRE_FALSE(r);
        CHECK(r.error().message.starts_with("t: "));
    }
    std::mt19937 random(4);
    int refused = 0;
    for (int i = 0; i < 300; ++i) {
        std::string bad = text;
        for (int k = 0; k < 4; ++k) bad[random() % bad.size()] = static_cast<char>(32 + random() % 95);
        const auto r = readPlanText(bad, "t");
        refused += !r;
        if (r) CHECK(readPlanText(writePlanText(*r), "t"));
    }
    CHECK(refused > 100);
}

TEST_CASE("members of fences, obstacles and airspace that are wrong are refused by name", "[plan][file][hostile]") {
    const auto with = [](const std::string& data, const std::string& geometry) {
        return R"({"type":"FeatureCollection","anhinga":{"format":2},"features":[{"type":"Feature","geometry":)" +
               geometry + R"(,"anhinga":{)" + data + "}}]}";
    };
    const std::string point = R"({"type":"Point","coordinates":[-20,47]})";
    const std::string line = R"({"type":"LineString","coordinates":[[-20,47]]})";
    const std::pair<std::string, const char*> rows[] = {
        {with(R"("type":"rally","id":1)", point), "height must be an object"},
        {with(R"("type":"rally","id":1,"height":{"value_m":5,"ref":"home"})", "null"), "geometry must be a Point"},
        {with(R"("type":"obstacle","id":1,"kind":"tower","height_m":5)", point), "obstacle kind \"tower\""},
        {with(R"("type":"obstacle","id":1,"kind":"mast")", point), "height_m is missing"},
        {with(R"("type":"obstacle","id":1,"kind":"mast","height_m":-2)", point), "height_m is -2"},
        {with(R"("type":"obstacle","id":1,"kind":"wire","height_m":5)", line), "at least 2 points"},
        {with(R"("type":"obstacle","id":1,"kind":"wire","height_m":5)", point), "must be a LineString"},
        {with(R"("type":"obstacle","id":1,"kind":"trees","height_m":5)", point), "must be a Polygon"},
        {with(R"("type":"fence","id":1,"kind":"keep-in","radius_m":50)", "null"), "a position must be"},
        {with(R"("type":"fence","id":1,"kind":"keep-in","radius_m":0,"centre":[-20,47])", "null"), "radius_m is 0"},
        {with(R"("type":"airspace","id":1,"name":"x")", point), "height must be an object"},
        {with(R"("type":"airspace-cover","id":1)", point), "must be a Polygon"},
        {with(R"("type":"beacon","id":1)", point), "type \"beacon\""},
        {R"({"type":"FeatureCollection","anhinga":{"format":2,"sections":{}},"features":[]})",
         "sections must be a list"},
        {R"({"type":"FeatureCollection","anhinga":{"format":2,"sections":[{"id":1},{"id":1}]},"features":[]})",
         "used twice"},
        {R"({"type":"FeatureCollection","anhinga":{"format":999},"features":[]})", "newer version"},
    };
    for (const auto& [text, says] : rows) {
        INFO(text);
        const auto r = readPlanText(text, "t");
        REQUIRE_FALSE(r);
        CHECK(r.error().message.find(says) != std::string::npos);
    }
}

TEST_CASE("every kind and action is told to the autopilot in the standard's commands", "[mission][compile]") {
    const Plan plan = everything();
    const PlanView v = viewOf(plan, nullptr);
    REQUIRE(v.sendable());
    const auto items = itemsOf(v.program);
    REQUIRE(first(items, 82) != nullptr);
    REQUIRE(first(items, 19) != nullptr);
    CHECK(first(items, 19)->param1 == 7);  // the plan's default hold
    REQUIRE(first(items, 18) != nullptr);
    CHECK(first(items, 18)->param1 == 1.5f);
    CHECK(first(items, 18)->param3 == -33);  // the other way round
    REQUIRE(first(items, 31) != nullptr);
    CHECK(first(items, 31)->frame == frame::amsl);
    CHECK(first(items, 2000)->param2 == 2.5f);
    CHECK(first(items, 2001) != nullptr);
    CHECK(first(items, 2500) != nullptr);
    CHECK(first(items, 2501) != nullptr);
    CHECK(first(items, 93)->param1 == 3);
    CHECK(first(items, 115)->param1 == 200);
    CHECK(first(items, 183)->param2 == 1700);
    CHECK(first(items, 181)->param2 == 0);
    const MissionSet all = itemsOf(v.toSend(plan));
    REQUIRE(all.fence.size() == 1);
    CHECK(all.fence[0].command == 5004);
    CHECK(all.fence[0].param1 == 80);
    REQUIRE(all.rally.size() == 1);
    CHECK(all.rally[0].command == 5100);
    CHECK(all.rally[0].frame == frame::ground);
    // And back: the same lists, with nothing left as a bare command.
    const auto back = decompile(itemsOf(v.toSend(plan)), plan);
    REQUIRE(back);
    CHECK(back->notes.empty());
    const PlanView again = viewOf(back->plan, nullptr);
    REQUIRE(again.sendable());
    CHECK(identical(itemsOf(again.program), items));
    CHECK(identical(fenceItems(back->plan.fences), all.fence));
    CHECK(identical(rallyItems(back->plan.rally), all.rally));
    CHECK(back->plan.fences[0].radius_m == 80);
    CHECK(back->plan.items[3].turns == -1.5);
}

TEST_CASE("fence and rally items that make no sense are refused", "[mission][decompile][hostile]") {
    const Plan plan = everything();
    MissionSet set = itemsOf(toSend(plan));
    set.fence[0].param1 = 0;
    CHECK(decompile(set, Plan{}).error().message.find("radius") != std::string::npos);
    set = itemsOf(toSend(plan));
    set.fence[0].command = 4711;
    CHECK_FALSE(decompile(set, Plan{}));
    set = itemsOf(toSend(plan));
    set.rally[0].command = 16;
    CHECK(decompile(set, Plan{}).error().message.find("rally item 0") != std::string::npos);
    set = itemsOf(toSend(plan));
    set.rally[0].y = 2000000000;
    CHECK_FALSE(decompile(set, Plan{}));
}

TEST_CASE("a circle is flown as often as said, and the other way with a minus sign", "[flight][circle]") {
    for (const double turns : {1.0, 2.5, -1.0}) {
        Plan plan = rowPlan(2);
        plan.items[2].kind = ItemKind::holdTurns;
        plan.items[2].turns = turns;
        plan.items[2].radius_m = 40;
        const Rehearsal r = flownAs(plan);
        CHECK(r.landed);
        const FlightLog& log = *r.log;
        const Channel &lat = *log.find("position.lat_deg"), &lon = *log.find("position.lon_deg");
        const LocalFrame frame(plan.items[2].position);
        double swept = 0;
        std::optional<Vec2> before;
        for (std::size_t i = 0; i < lat.value.size(); ++i) {
            const Vec2 at = frame.toLocal({lat.value[i], lon.value[i]});
            if (std::abs(length(at) - 40) > 2.5) {
                before.reset();  // on the way to and from the circle
                continue;
            }
            if (before) swept += std::atan2(cross(at, *before), dot(at, *before));  // clockwise is positive
            before = at;
        }
        INFO(turns);
        CHECK(swept / (2 * M_PI) == Approx(turns).margin(0.12));
    }
}

TEST_CASE("a change of height is made in place, and waits are waited", "[flight][items]") {
    Plan plan = rowPlan(3);
    const Rehearsal plain = flownAs(plan);
    plan.items[2].actions = {Delay{25}};
    const Rehearsal waits = flownAs(plan);
    CHECK(waits.duration_s - plain.duration_s > 24);
    CHECK(waits.duration_s - plain.duration_s < 33);  // it stops, waits and gets going again
    plan = rowPlan(3);
    plan.items[2].kind = ItemKind::loiterToHeight;
    plan.items[2].height = Height::aboveHome(100);
    const Rehearsal r = flownAs(plan);
    const FlightLog& log = *r.log;
    const Channel& height = *log.find("position.height_home_m");
    const LocalFrame frame(plan.items[2].position);
    bool rose_in_place = true;
    int seen = 0;
    for (std::size_t i = 0; i < height.value.size(); ++i) {
        if (height.value[i] < 66 || height.value[i] > 94) continue;
        const GeoPoint at{*log.find("position.lat_deg")->at(height.t_s[i]),
                          *log.find("position.lon_deg")->at(height.t_s[i])};
        const double off = length(frame.toLocal(at));
        if (off < 60) {
            ++seen;
            rose_in_place &= off < 1.5 || off > 10;  // on from here it goes down along the leg
        }
    }
    CHECK(seen > 20);
    CHECK(rose_in_place);
    CHECK(r.max_height_home_m == Approx(100).margin(1.5));
}

TEST_CASE("photos by time are as many as the time holds, and stop when told", "[flight][photo]") {
    Plan plan = rowPlan(5);
    plan.defaults.speed_mps = 5;
    plan.items[2].actions = {PhotoInterval{4}};
    plan.items[4].actions = {PhotoInterval{0}};
    const Rehearsal r = flownAs(plan);
    // 200 m at 5 m/s: 40 s, one at once and one every 4 s.
    CHECK(r.photos >= 10);
    CHECK(r.photos <= 12);
}

TEST_CASE("a heading holds for the leg after it alone", "[flight][executor][heading]") {
    Plan plan = rowPlan(4);
    plan.items[2].actions = {SetHeading{200}};
    const Rehearsal r = flownAs(plan);
    const FlightLog& log = *r.log;
    const auto yawAt = [&](double east) {
        const Channel& lon = *log.find("position.lon_deg");
        const LocalFrame frame(plan.home->position);
        for (std::size_t i = 0; i < lon.value.size(); ++i)
            if (frame.toLocal({plan.home->position.lat_deg, lon.value[i]}).x > east)
                return *log.find("attitude.yaw_deg")->at(lon.t_s[i]);
        return -1.0;
    };
    CHECK(std::abs(wrapAngle(yawAt(150) - 90)) < 5);
    CHECK(std::abs(wrapAngle(yawAt(270) - 200)) < 5);
    CHECK(std::abs(wrapAngle(yawAt(380) - 90)) < 5);
}
