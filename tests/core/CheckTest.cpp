// The rules: each finds its mistake once, says it in numbers, and offers only what helps.
#include <catch2/catch.hpp>
#include <map>

#include "core/check/Check.h"
#include "core/check/Detour.h"
#include "core/plan/Edit.h"
#include "core/plan/PlanFile.h"
#include "support.h"

using namespace anhinga;
using namespace anhinga::testing;

namespace {

std::vector<Finding> findingsOf(const Plan& plan, const Terrain* terrain, double wind_mps = 0) {
    const PlanView v = viewOf(plan, terrain);
    return check({plan, v, terrain, {}, wind_mps});
}
std::map<std::string, int> counted(const std::vector<Finding>& findings) {
    std::map<std::string, int> n;
    for (const Finding& f : findings) ++n[f.rule];
    return n;
}
const Finding* found(const std::vector<Finding>& list, const std::string& rule) {
    for (const Finding& f : list)
        if (f.rule == rule) return &f;
    return nullptr;
}
Obstacle mast(Plan& plan, GeoPoint at, double height_m) {
    Obstacle o;
    o.id = plan.newId();
    o.name = "radio";
    o.points = {at};
    o.height_m = height_m;
    return o;
}

}  // namespace

TEST_CASE("the plan full of mistakes gives each rule's finding exactly once", "[check][demo]") {
    auto plan = loadPlan(demo("mistakes.anhinga.geojson"));
    REQUIRE(plan);
    auto findings = findingsOf(*plan, island().get());
    const char* rules[] = {"airspace",
                           "airspace-unknown",
                           "battery-missing",
                           "pattern-empty",
                           "ceiling",
                           "clearance-margin",
                           "clearance-minimum",
                           "climb-obstacle",
                           "coincident",
                           "endless-repeat",
                           "fence-crossing",
                           "first-waypoint-far",
                           "floor",
                           "gimbal-range",
                           "height-lowest",
                           "height-mix",
                           "home-moved",
                           "item-limit",
                           "look-at-open",
                           "photo-blur",
                           "photo-interval",
                           "rally-clearance",
                           "rally-fence",
                           "repeat-target",
                           "return-height",
                           "speed",
                           "terrain-unknown",
                           "turn-tight",
                           "unsupported"};
    const auto n = counted(findings);
    for (const char* rule : rules) {
        INFO(rule);
        CHECK((n.contains(rule) && n.at(rule) == 1));
    }
    CHECK(n.size() == std::size(rules));
    for (const Finding& f : findings) {
        INFO(f.rule << ": " << f.message);
        CHECK((f.item == 0 || plan->holds(f.item)));
        CHECK((f.place || f.item == 0));
        // What stops a hand-over here can be put right by itself; doing it twice changes nothing more.
        if (f.severity == Severity::stop) CHECK_FALSE(f.corrections.empty());
        for (const Correction& c : f.corrections) {
            if (c.cut_into_sorties) continue;  // needs rehearsals: SortieTest
            Plan once = *plan;
            c.apply(once);
            CHECK(!(once == *plan));
            Plan twice = once;
            c.apply(twice);
            CHECK(twice == once);
        }
    }
    // All corrections, and again for what only then could be seen: nothing of severity stop is left.
    applyAll(*plan, findings);
    findings = findingsOf(*plan, island().get());
    applyAll(*plan, findings);
    for (const Finding& f : findingsOf(*plan, island().get())) {
        INFO(f.rule << ": " << f.message);
        CHECK(f.severity != Severity::stop);
    }
}

TEST_CASE("what a plan without home, fence or calm air lacks is found too", "[check]") {
    Plan plan = rowPlan(3);
    CHECK(found(findingsOf(plan, nullptr, 14), "wind") != nullptr);
    CHECK(found(findingsOf(plan, nullptr, 14), "wind")->severity == Severity::warn);
    CHECK(found(findingsOf(plan, nullptr, 20), "wind")->severity == Severity::stop);
    CHECK(found(findingsOf(plan, nullptr, 5), "wind") == nullptr);
    Fence bow;
    bow.id = plan.newId();
    const GeoPoint h = plan.home->position;
    bow.outline = {destination(h, 0, 500), destination(h, 90, 500), destination(h, 10, 400), destination(h, 80, 600)};
    Plan crossed = plan;
    crossed.fences = {bow};
    CHECK(found(findingsOf(crossed, nullptr), "fence-self-crossing") != nullptr);
    Plan empty;
    CHECK(found(findingsOf(empty, nullptr), "home-missing") != nullptr);
    empty.home = Home{h, 0.0};
    Fence around;
    around.id = empty.newId();
    around.kind = FenceKind::keepOut;
    around.outline = {h};
    around.radius_m = 40;
    empty.fences = {around};
    CHECK(found(findingsOf(empty, nullptr), "take-off-fence") != nullptr);
    Plan far = plan;
    far.home->amsl_m.reset();
    CHECK(found(findingsOf(far, island().get()), "home-height-unknown") == nullptr);
    far.home->position = {10, 10};
    CHECK(found(findingsOf(far, island().get()), "home-height-unknown") != nullptr);
}

TEST_CASE("an obstacle is cleared like terrain, and only inside its margin", "[check][obstacle]") {
    const auto terrain = island();
    Plan plan = rowPlan(3, {47.3165, -20.095});  // over the sea
    plan.return_height_m = 120;
    REQUIRE(findingsOf(plan, terrain.get()).empty());
    const GeoPoint between = destination(plan.home->position, 90, 150);
    Plan beside = plan;
    beside.obstacles = {mast(beside, destination(between, 0, 40), 55)};
    CHECK(found(findingsOf(beside, terrain.get()), "clearance-minimum") == nullptr);
    Plan below = plan;
    below.obstacles = {mast(below, destination(between, 0, 5), 50)};
    const auto list = findingsOf(below, terrain.get());
    const Finding* f = found(list, "clearance-minimum");
    REQUIRE(f != nullptr);
    CHECK(f->message.find("10 m over Obstacle mast \"radio\"") != std::string::npos);
    CHECK(distance_m(*f->place, between) < 12);
    f->corrections.front().apply(below);
    CHECK(found(findingsOf(below, terrain.get()), "clearance-minimum") == nullptr);
}

TEST_CASE("a wire is judged where it is crossed, between its supports", "[check][obstacle]") {
    const auto terrain = island();
    Plan plan = rowPlan(3, {47.3165, -20.095});
    plan.return_height_m = 120;
    Obstacle wire;
    wire.id = plan.newId();
    wire.kind = ObstacleKind::wire;
    wire.height_m = 52;
    wire.margin_m = 0.5;  // thinner than any sampling step
    const GeoPoint m = destination(plan.home->position, 90, 157);
    wire.points = {destination(m, 10, 200), destination(m, 190, 200)};
    plan.obstacles = {wire};
    const auto list = findingsOf(plan, terrain.get());
    const Finding* f = found(list, "clearance-minimum");
    REQUIRE(f != nullptr);
    CHECK(distance_m(*f->place, m) < 1.5);
}

TEST_CASE("a tree area adds its height to the ground under it", "[check][obstacle]") {
    const auto terrain = island();
    Plan plan = rowPlan(3, {47.3165, -20.095});
    plan.return_height_m = 120;
    Obstacle trees;
    trees.id = plan.newId();
    trees.kind = ObstacleKind::trees;
    trees.height_m = 48;
    const GeoPoint m = destination(plan.home->position, 90, 250);
    trees.points = {destination(m, 0, 40), destination(m, 120, 40), destination(m, 240, 40)};
    plan.obstacles = {trees};
    const PlanView v = viewOf(plan, terrain.get());
    REQUIRE(v.clearance.lowest_m);
    CHECK(*v.clearance.lowest_m == Approx(12).margin(1));
    for (const ProfileSample& s : v.clearance.profile)
        if (distance_m(s.place, m) > 60) CHECK(s.obstacle == 0);
}

TEST_CASE("clear terrain without obstacles drawn is not called safe", "[check][wording]") {
    Plan plan = rowPlan(3);
    plan.clearance_margin_m = 80;
    for (const Finding& f : findingsOf(plan, island().get()))
        if (f.rule == "clearance-margin") CHECK(f.message.find("obstacles not drawn") != std::string::npos);
}

TEST_CASE("airspace is clear, restricted or unknown, and never mixed up", "[check][airspace]") {
    Plan plan = rowPlan(3);
    const GeoPoint h = plan.home->position;
    const auto box = [&](GeoPoint c, double r) {
        return std::vector<GeoPoint>{destination(c, 45, r), destination(c, 135, r), destination(c, 225, r),
                                     destination(c, 315, r)};
    };
    CHECK(found(findingsOf(plan, nullptr), "airspace-unknown") == nullptr);  // nothing imported: no claim at all
    Zone zone;
    zone.id = plan.newId();
    zone.name = "range";
    zone.zone_class = "R";
    zone.outline = box(destination(h, 90, 200), 60);
    plan.zones = {zone};
    auto n = counted(findingsOf(plan, nullptr));
    CHECK(n["airspace"] == 1);
    CHECK(n["airspace-unknown"] == 1);  // outside the zone nothing is known
    plan.covers = {{plan.newId(), "survey", box(h, 2000), ""}};
    n = counted(findingsOf(plan, nullptr));
    CHECK(n["airspace"] == 1);
    CHECK(n["airspace-unknown"] == 0);
    plan.zones[0].authorisation = "tower, 17/2026";
    CHECK(found(findingsOf(plan, nullptr), "airspace")->severity == Severity::note);
    plan.zones[0].floor = Height::amsl(500);
    CHECK(found(findingsOf(plan, nullptr), "airspace") == nullptr);  // passed below
    plan.zones[0].floor = Height::aboveGround(500);                  // no terrain: it may be inside
    CHECK(found(findingsOf(plan, nullptr), "airspace") != nullptr);
    plan.zones[0].zone_class = "P";
    plan.zones[0].authorisation.clear();
    CHECK(found(findingsOf(plan, nullptr), "airspace")->severity == Severity::stop);
}

TEST_CASE("a view made from the one before is the same as one made anew", "[check][clearance][property]") {
    const auto terrain = island();
    Plan plan = *loadPlan(demo("patrol.anhinga.geojson"));
    PlanView view = viewOf(plan, terrain.get());
    std::mt19937 random(12);
    for (int i = 0; i < 60; ++i) {
        const Plan before = plan;
        const Ids one{plan.items[1 + random() % (plan.items.size() - 2)].id};
        switch (random() % 7) {
            case 5:
                plan.vehicle.accel_mps2 = plan.vehicle.accel_mps2 > 2 ? 1.5 : 2.5;
                break;
            case 6:
                if (Item* item = plan.find(*one.begin()); hasPosition(item->kind)) item->speed_mps = 3.0 + i % 5;
                break;
            case 0:
                moveBy(plan, one, static_cast<double>(random() % 360), 30);
                break;
            case 1:
                changeHeights(plan, one, Bulk::add, 3);
                break;
            case 2:
                shift(plan, one, 1);
                break;
            case 3:
                insertWaypoint(plan, destination(plan.home->position, 300, static_cast<double>(random() % 900)),
                               *one.begin(), {});
                break;
            default:
                if (plan.items.size() > 8) remove(plan, one);
        }
        const PlanView quick = viewOf(plan, terrain.get(), before, view), whole = viewOf(plan, terrain.get());
        REQUIRE(quick.clearance.profile.size() == whole.clearance.profile.size());
        REQUIRE(quick.clearance.legs.size() == whole.clearance.legs.size());
        REQUIRE(quick.path.line.size() == whole.path.line.size());
        for (std::size_t k = 0; k < whole.path.line.size(); ++k) {
            const LinePoint &a = quick.path.line[k], &b = whole.path.line[k];
            REQUIRE((a.position == b.position && a.local == b.local && a.amsl_m == b.amsl_m && a.along_m == b.along_m));
        }
        CHECK(quick.path.length_m == whole.path.length_m);
        CHECK(quick.clearance.lowest_m == whole.clearance.lowest_m);
        CHECK(quick.clearance.lowest_leg == whole.clearance.lowest_leg);
        for (std::size_t k = 0; k < whole.clearance.profile.size(); ++k) {
            const ProfileSample &a = quick.clearance.profile[k], &b = whole.clearance.profile[k];
            REQUIRE(a.leg == b.leg);
            REQUIRE(a.place == b.place);
            REQUIRE(a.along_m == Approx(b.along_m).margin(1e-6));
            REQUIRE(a.clearance() == b.clearance());
        }
        view = quick;
    }
}

TEST_CASE("a home that moved is told in numbers and offers both ways out", "[check][home]") {
    Plan plan = rowPlan(3);
    moveHome(plan, destination(plan.home->position, 0, 200), 24.0);
    const auto list = findingsOf(plan, nullptr);
    const Finding* f = found(list, "home-moved");
    REQUIRE(f != nullptr);
    CHECK(f->message.find("24 m higher") != std::string::npos);
    REQUIRE(f->corrections.size() == 2);
    Plan kept = plan;
    f->corrections[0].apply(kept);
    CHECK(effectiveHeight(kept, kept.items[1]).value_m == Approx(36));
    CHECK(found(findingsOf(kept, nullptr), "home-moved") == nullptr);
    Plan numbers = plan;
    f->corrections[1].apply(numbers);
    CHECK(effectiveHeight(numbers, numbers.items[1]).value_m == Approx(60));
    CHECK(found(findingsOf(numbers, nullptr), "home-moved") == nullptr);
}

namespace {
/// A block of 200 m beside home, over level ground.
Plan blockPlan() {
    Plan plan = rowPlan(1);
    Item block = patternItem(ItemKind::block, {});
    const GeoPoint corner = destination(plan.home->position, 0, 100);
    for (const auto& [bearing, far] : {std::pair{0.0, 0.0}, {0.0, 200.0}, {45.0, 282.8}, {90.0, 200.0}})
        block.pattern.edit().outline.push_back(destination(corner, bearing, far));
    block.height = Height::aboveHome(50);
    block.id = plan.newId();
    plan.items[1] = block;
    return plan;
}
}  // namespace

TEST_CASE("a camera nobody triggers, a full card and a gimbal that cannot are said", "[check][camera]") {
    Plan plan = blockPlan();
    CHECK(found(findingsOf(plan, nullptr), "camera-by-hand") == nullptr);
    CHECK(found(findingsOf(plan, nullptr), "card-room") == nullptr);
    plan.camera.triggered = false;
    auto findings = findingsOf(plan, nullptr);
    const Finding* f = found(findings, "camera-by-hand");
    REQUIRE(f != nullptr);
    CHECK(f->severity == Severity::warn);
    const PatternFlight flight = *viewOf(plan, nullptr).route.patterns[0].flight;
    CHECK(f->message.find(fmt::format("{:.1f} s", flight.photo_spacing_m / 8)) != std::string::npos);
    plan.items[1].pattern.edit().makes = CameraMakes::nothing;
    CHECK(found(findingsOf(plan, nullptr), "camera-by-hand") == nullptr);
    plan.items[1].pattern.edit().makes = CameraMakes::film;
    findings = findingsOf(plan, nullptr);
    REQUIRE(found(findings, "camera-by-hand") != nullptr);
    CHECK(found(findings, "camera-by-hand")->message.find("every") == std::string::npos);

    plan = blockPlan();
    plan.camera.card_gb = static_cast<double>(flight.photos.size()) * plan.camera.photo_mb / 1000 - 0.01;
    findings = findingsOf(plan, nullptr);
    f = found(findings, "card-room");
    REQUIRE(f != nullptr);
    CHECK(f->message.find(fmt::format("{} photos", flight.photos.size())) != std::string::npos);
    plan.camera.card_gb = 0;  // not known
    CHECK(found(findingsOf(plan, nullptr), "card-room") == nullptr);

    plan = blockPlan();
    plan.camera.pitch_min_deg = -60;
    findings = findingsOf(plan, nullptr);
    f = found(findings, "gimbal-range");
    REQUIRE(f != nullptr);
    CHECK(f->message.find(fmt::format("{} of {}", flight.photos.size(), flight.photos.size())) != std::string::npos);
    CHECK(f->corrections.empty());  // straight down is what it is planned with
    plan.items[1].pattern.edit().pitch_deg = -75;
    findings = findingsOf(plan, nullptr);
    f = found(findings, "gimbal-range");
    REQUIRE(f != nullptr);
    f->corrections.at(0).apply(plan);
    CHECK(found(findingsOf(plan, nullptr), "gimbal-range") == nullptr);
    CHECK(*plan.items[1].pattern->pitch_deg == -60);
}

TEST_CASE("holes in the cover and ground seen too seldom are findings at their place", "[check][coverage]") {
    Plan plan = blockPlan();
    PlanView view = viewOf(plan, nullptr);
    auto covers = countCovers(plan, view.route.patterns, nullptr);
    REQUIRE(covers);
    REQUIRE(covers->size() == 1);
    const auto look = [&](const Terrain* terrain) {
        return check({.plan = plan, .view = view, .terrain = terrain, .covers = &*covers});
    };
    CHECK(found(look(nullptr), "cover-hole") == nullptr);
    CHECK(found(look(nullptr), "cover-thin") == nullptr);
    // The same flight again is not counted again; without its photos about one place there is a hole there.
    const auto same = countCovers(plan, view.route.patterns, nullptr, {}, *covers);
    CHECK((*same)[0] == (*covers)[0]);
    auto torn = std::make_shared<PatternFlight>(*view.route.patterns[0].flight);
    const GeoPoint lost = destination(plan.home->position, 30, 230);
    std::erase_if(torn->photos, [&](const PlannedPhoto& p) { return distance_m(p.place, lost) < 65; });
    view.route.patterns[0].flight = torn;
    covers = countCovers(plan, view.route.patterns, nullptr, {}, *covers);
    CHECK((*covers)[0] != (*same)[0]);
    auto findings = look(nullptr);
    const Finding* hole = found(findings, "cover-hole");
    REQUIRE(hole != nullptr);
    CHECK(hole->severity == Severity::warn);
    CHECK(distance_m(*hole->place, lost) < 20);
    CHECK(hole->corrections.empty());
    const Finding* thin = found(findings, "cover-thin");
    REQUIRE(thin != nullptr);
    CHECK(thin->message.find("fewer than 8 photos") != std::string::npos);
    // Over terrain following is offered, but not done along with everything else.
    findings = look(island().get());
    hole = found(findings, "cover-hole");
    REQUIRE(hole->corrections.size() == 1);
    CHECK(hole->corrections[0].wide);
    Plan all = plan;
    applyAll(all, {*hole});
    CHECK(all == plan);
    hole->corrections[0].apply(plan);
    CHECK(plan.items[1].pattern->follow);
    CHECK(plan.items[1].height->ref == HeightRef::ground);
    std::stop_source stop;
    stop.request_stop();
    CHECK_FALSE(countCovers(plan, view.route.patterns, nullptr, stop.get_token()));
}

TEST_CASE("what one battery or one list cannot hold offers sorties, and is not said of a plan that is cut", "[check]") {
    Plan plan = rowPlan(30);
    plan.traits.item_limit = 20;
    const PlanView view = viewOf(plan, nullptr);
    const auto findings = check({plan, view, nullptr, EnergyForecast{12, true, plan.items[5].id}});
    for (const char* rule : {"item-limit", "energy"}) {
        INFO(rule);
        const Finding* f = found(findings, rule);
        REQUIRE(f != nullptr);
        CHECK(f->severity == Severity::stop);
        CHECK(f->corrections.back().cut_into_sorties);
        Plan same = plan;
        applyAll(same, {*f});
        if (std::string(rule) == "energy") CHECK(same == plan);
    }
    const auto close = check({plan, view, nullptr, EnergyForecast{19.7, false, 0}});
    CHECK(found(close, "energy")->message == "lands with 19.7 %, the reserve is 20.0 %");
    const auto cut =
        check({.plan = plan, .view = view, .energy = EnergyForecast{12, true, plan.items[5].id}, .in_sorties = true});
    CHECK(found(cut, "item-limit") == nullptr);
    CHECK(found(cut, "energy") == nullptr);
}

TEST_CASE("a way around an area keeps its distance and takes the shorter side", "[check][detour]") {
    const Ring square{{-50, -50}, {50, -50}, {50, 50}, {-50, 50}};
    const auto way = wayAround(square, {-200, 20}, {200, 20}, 12);
    REQUIRE(way);
    REQUIRE_FALSE(way->empty());
    Vec2 last{-200, 20};
    std::vector<Vec2> points = *way;
    points.push_back({200, 20});
    for (const Vec2& p : points) {
        CHECK(p.y > 0);  // the side it is nearer to
        for (int k = 0; k <= 50; ++k) {
            const Vec2 at = last + (p - last) * (k / 50.0);
            CHECK_FALSE(contains(square, at));
            CHECK(distanceToRing(at, square) > 11.99);
        }
        last = p;
    }
    CHECK(wayAround(square, {0, 0}, {200, 0}, 12) == std::nullopt);
    CHECK(wayAround(square, {-200, 100}, {200, 100}, 12)->empty());
    CHECK(convexHull({{0, 0}, {2, 0}, {1, 0}, {2, 2}, {0, 2}, {1, 1}}).size() == 4);
}

TEST_CASE("a prepared ring answers as the plain one", "[geo][polygon][property]") {
    std::mt19937 random(5);
    const auto at = [&] {
        return Vec2{static_cast<double>(random() % 4000) / 10 - 200, static_cast<double>(random() % 4000) / 10 - 200};
    };
    for (const int corners : {3, 4, 7, 50, 1000}) {
        Ring ring;
        for (int i = 0; i < corners; ++i) {
            const double r = 60 + static_cast<double>(random() % 1000) / 10, a = 2 * M_PI * i / corners;
            ring.push_back({r * std::cos(a), r * std::sin(a)});
        }
        const RingIndex index(ring);
        CHECK_FALSE(selfCrossing(ring));
        for (int k = 0; k < 400; ++k) {
            const Vec2 a = at(), b = at();
            CHECK(index.contains(a) == contains(ring, a));
            const auto all = crossings(ring, a, b);
            const auto first = index.firstCrossing(a, b);
            REQUIRE(first.has_value() == !all.empty());
            if (first) CHECK(*first == Approx(all.front()).margin(1e-12));
        }
    }
    CHECK(selfCrossing({{0, 0}, {10, 10}, {10, 0}, {0, 10}}));
    CHECK(selfCrossing({{0, 0}, {4, 0}, {4, 4}, {2, -1}, {0, 4}}));
    CHECK_FALSE(selfCrossing({{0, 0}, {4, 0}, {4, 4}, {2, 1}, {0, 4}}));
}
