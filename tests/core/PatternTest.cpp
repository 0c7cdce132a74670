// Patterns as geometry: lines, transits, following, rings, faces, laps.
#include <catch2/catch.hpp>
#include <set>

#include "core/geo/Polygon.h"
#include "core/pattern/Follow.h"
#include "core/pattern/Heights.h"
#include "core/pattern/Pattern.h"
#include "core/pattern/Strips.h"
#include "core/pattern/Transit.h"
#include "core/plan/Edit.h"
#include "core/plan/PlanFile.h"
#include "core/program/Route.h"
#include "support.h"

using namespace anhinga;

namespace {

const GeoPoint kPlace{47.31, -20.12};

std::vector<GeoPoint> around(GeoPoint c, const std::vector<Vec2>& corners) {
    const LocalFrame frame(c);
    std::vector<GeoPoint> out;
    for (const Vec2& v : corners) out.push_back(frame.toGeo(v));
    return out;
}

Item blockOver(const std::vector<Vec2>& corners, double height_m = 50) {
    Item item = patternItem(ItemKind::block, around(kPlace, corners));
    item.id = 1;
    item.height = Height::aboveGround(height_m);
    item.pattern.edit().whole_photos = false;
    return item;
}

Plan planAt(GeoPoint home, double amsl = 20) {
    Plan plan;
    plan.home = Home{home, amsl};
    return plan;
}

}  // namespace

TEST_CASE("the example of the formulas holds", "[pattern][block]") {
    const Plan plan;
    const Footprint f = footprintAt(plan.camera, 100);
    CHECK(f.gsd_m * 100 == Approx(2.7412).epsilon(0.001));
    CHECK(f.across_m == Approx(150).epsilon(0.001));
    CHECK(f.along_m == Approx(100).epsilon(0.001));
    CHECK(heightForGsd_m(plan.camera, 2.7412) == Approx(100).epsilon(0.001));
    CameraProfile upright = plan.camera;
    upright.portrait = true;
    CHECK(footprintAt(upright, 100).across_m == Approx(100));
    CHECK(footprintAt(upright, 100).along_m == Approx(150));
}

TEST_CASE("block lines run at the heading and keep the spacing", "[pattern][block]") {
    const double heading = GENERATE(0.0, 37.0, 90.0, 200.0);
    Item item = blockOver({{-100, -100}, {100, -100}, {100, 100}, {-100, 100}});
    item.pattern.edit().heading_deg = heading;
    const PatternFlight flight = openPattern(Plan{}, item, nullptr);
    REQUIRE(flight.problem.empty());
    CHECK(flight.lines >= 7);
    CHECK(flight.area_m2 == Approx(40000).epsilon(0.01));
    CHECK(flight.line_spacing_m == Approx(75 * 0.4));
    CHECK(flight.photo_spacing_m == Approx(50 * 0.25));
    CHECK(flight.points.size() == static_cast<std::size_t>(flight.lines) * 2);
    for (std::size_t i = 0; i + 1 < flight.points.size(); i += 2) {
        const double along = bearing_deg(flight.points[i].place, flight.points[i + 1].place);
        CHECK(std::abs(std::sin((along - heading) * M_PI / 180)) < 0.01);
        // A whole number of steps, and a little more so that the last photo is taken before the line ends.
        const double run = distance_m(flight.points[i].place, flight.points[i + 1].place) - 2 - 0.35 * 12.5;
        CHECK(std::abs(run / flight.photo_spacing_m - std::round(run / flight.photo_spacing_m)) < 0.01);
    }
    // Lines are no further apart than asked.
    const LocalFrame frame(kPlace);
    const double angle = heading * M_PI / 180;
    std::vector<double> v;
    for (std::size_t i = 0; i < flight.points.size(); i += 2)
        v.push_back(dot(frame.toLocal(flight.points[i].place), Vec2{std::cos(angle), -std::sin(angle)}));
    std::sort(v.begin(), v.end());
    for (std::size_t i = 1; i < v.size(); ++i) CHECK(v[i] - v[i - 1] <= flight.line_spacing_m + 0.01);
}

TEST_CASE("a concave area is flown in pieces, its gap is not photographed", "[pattern][block]") {
    Item item = blockOver({{0, 0}, {300, 0}, {300, 200}, {200, 200}, {200, 80}, {100, 80}, {100, 200}, {0, 200}}, 30);
    item.pattern.edit().heading_deg = 90;
    const PatternFlight flight = openPattern(Plan{}, item, nullptr);
    const LocalFrame frame(kPlace);
    int in_gap = 0;
    for (const PlannedPhoto& photo : flight.photos) {
        const Vec2 at = frame.toLocal(photo.place);
        in_gap += at.y > 100 && at.x > 115 && at.x < 185;
    }
    CHECK(in_gap == 0);
    CHECK(flight.distance_m < 1.6 * flight.line_m);
}

TEST_CASE("the start corner, reverse and the second pass do as they say", "[pattern][block]") {
    Item item = blockOver({{-150, -90}, {150, -90}, {150, 90}, {-150, 90}}, 40);
    item.pattern.edit().heading_deg = 90;
    const LocalFrame frame(kPlace);
    std::set<std::pair<bool, bool>> begins;
    for (int corner = 0; corner < 4; ++corner) {
        item.pattern.edit().start_corner = corner;
        const Vec2 first = frame.toLocal(openPattern(Plan{}, item, nullptr).points.front().place);
        begins.insert({first.x > 0, first.y > 0});
    }
    CHECK(begins.size() == 4);
    const PatternFlight ahead = openPattern(Plan{}, item, nullptr);
    item.pattern.edit().reverse = true;
    const PatternFlight back = openPattern(Plan{}, item, nullptr);
    CHECK(distance_m(ahead.points.front().place, back.points.back().place) < 8);  // the run past the last photo
    CHECK(back.distance_m == Approx(ahead.distance_m));
    item.pattern.edit().crossing = true;
    const PatternFlight both = openPattern(Plan{}, item, nullptr);
    CHECK(both.lines > ahead.lines);
    int along = 0, across = 0;
    for (const PlannedPhoto& photo : both.photos)
        (std::abs(std::cos(photo.yaw_deg * M_PI / 180)) < 0.1 ? along : across) += 1;
    CHECK(along > 20);
    CHECK(across > 20);
}

TEST_CASE("whatever the camera makes and whenever, the geometry is one", "[pattern][camera]") {
    Item item = blockOver({{-100, -60}, {100, -60}, {100, 60}, {-100, 60}}, 60);
    item.acceptance_m = 1;
    const auto with = [&](CameraMakes makes, PhotoWhen when) {
        item.pattern.edit().makes = makes;
        item.pattern.edit().when = when;
        return openPattern(Plan{}, item, nullptr);
    };
    const auto count = [](const PatternFlight& f, auto kind) {
        int n = 0;
        for (const PatternPoint& p : f.points)
            for (const Action& a : p.actions) n += std::holds_alternative<decltype(kind)>(a);
        return n;
    };
    const PatternFlight distance = with(CameraMakes::photos, PhotoWhen::distance),
                        time = with(CameraMakes::photos, PhotoWhen::time),
                        stop = with(CameraMakes::photos, PhotoWhen::standing),
                        video = with(CameraMakes::film, PhotoWhen::standing),
                        none = with(CameraMakes::nothing, PhotoWhen::distance);
    CHECK(distance.photos.size() == time.photos.size());
    CHECK(distance.photos.size() == stop.photos.size());
    CHECK(count(stop, PhotoNow{}) == static_cast<int>(stop.photos.size()));
    CHECK(stop.points.size() == stop.photos.size());
    CHECK(count(distance, PhotoEvery{}) == 2 * distance.lines);
    CHECK(count(time, PhotoInterval{}) == 2 * time.lines);
    CHECK((video.photos.empty() && none.photos.empty()));
    CHECK(count(video, Video{}) == 2 * video.lines);
    CHECK(none.line_m == Approx(video.line_m));
    // A spacing or an interval of its own comes before the overlap: 120 m lines in steps of 8 m, and of 2 s at 5 m/s.
    item.speed_mps = 5;
    item.pattern.edit().spacing_m = 8;
    item.pattern.edit().every_s = 2;
    CHECK(with(CameraMakes::photos, PhotoWhen::distance).photo_spacing_m == Approx(8));
    const PatternFlight seconds = with(CameraMakes::photos, PhotoWhen::time);
    CHECK(seconds.photo_spacing_m == Approx(10));
    CHECK(static_cast<int>(seconds.photos.size()) == 13 * seconds.lines);
    for (const PatternPoint& p : seconds.points)
        for (const Action& a : p.actions)
            if (const auto* interval = std::get_if<PhotoInterval>(&a); interval != nullptr && interval->interval_s > 0)
                CHECK(interval->interval_s == 2);
}

TEST_CASE("a ground sample distance sets the height", "[pattern][block]") {
    Item item = blockOver({{-100, -60}, {100, -60}, {100, 60}, {-100, 60}}, 60);
    item.pattern.edit().gsd_cm = 2;
    const PatternFlight flight = openPattern(Plan{}, item, nullptr);
    CHECK(flight.gsd_mean_m == Approx(0.02).epsilon(0.001));
    CHECK(flight.points.front().height == Height::aboveGround(flight.height_above_ground_m));
    CHECK(flight.height_above_ground_m == Approx(0.02 * 8.8 * 5472 / 13.2));
}

TEST_CASE("transits go around keep-outs and stay in keep-ins", "[pattern][transit]") {
    const LocalFrame frame(kPlace);
    const Ring wall{{-20, -200}, {20, -200}, {20, 100}, {-20, 100}};
    std::vector<Fence> fences{{1, FenceKind::keepOut, "wall", around(kPlace, wall), ""}};
    const Transit one(fences, frame, 5);
    CHECK(one.between({-100, 150}, {100, 150})->empty());
    const auto way = one.between({-100, 0}, {100, 0});
    REQUIRE(way);
    REQUIRE(way->size() == 2);
    std::vector<Vec2> all{{-100, 0}};
    all.insert(all.end(), way->begin(), way->end());
    all.push_back({100, 0});
    for (std::size_t i = 1; i < all.size(); ++i) CHECK(crossings(wall, all[i - 1], all[i]).empty());
    for (const Vec2& p : *way) CHECK(distanceToRing(p, wall) == Approx(5 * std::sqrt(2.0)).margin(0.1));
    CHECK_FALSE(one.between({0, 0}, {100, 0}));  // begins inside
    // An L that must be kept in: the way from one end to the other goes by its inner corner.
    const Ring l{{0, 0}, {200, 0}, {200, 40}, {40, 40}, {40, 200}, {0, 200}};
    const Transit inside({{2, FenceKind::keepIn, "", around(kPlace, l), ""}}, frame, 5);
    const auto bent = inside.between({190, 20}, {20, 190});
    REQUIRE(bent);
    REQUIRE(bent->size() == 1);
    CHECK(contains(l, bent->front()));
    // Closed off altogether.
    const Ring box{{-50, -50}, {50, -50}, {50, 50}, {-50, 50}};
    const Transit shut({{3, FenceKind::keepIn, "", around(kPlace, box), ""},
                        {4, FenceKind::keepOut, "", around(kPlace, {{-5, -80}, {5, -80}, {5, 80}, {-5, 80}}), ""}},
                       frame, 2);
    CHECK_FALSE(shut.between({-30, 0}, {30, 0}));
}

TEST_CASE("a block's ways between its parts keep out of a keep-out", "[pattern][block][transit]") {
    Plan plan = planAt(kPlace);
    // A U about a keep-out between its arms.
    Item item = blockOver({{0, 0}, {300, 0}, {300, 300}, {220, 300}, {220, 90}, {80, 90}, {80, 300}, {0, 300}}, 30);
    const Ring bird{{100, 110}, {200, 110}, {200, 400}, {100, 400}};
    plan.fences.push_back({2, FenceKind::keepOut, "birds", around(kPlace, bird), ""});
    for (const double heading : {0.0, 90.0}) {
        item.pattern.edit().heading_deg = heading;
        const PatternFlight flight = openPattern(plan, item, nullptr);
        REQUIRE(flight.problem.empty());
        const LocalFrame frame(kPlace);
        int crossed = 0;
        for (std::size_t i = 1; i < flight.points.size(); ++i)
            crossed +=
                !crossings(bird, frame.toLocal(flight.points[i - 1].place), frame.toLocal(flight.points[i].place))
                     .empty();
        CHECK(crossed == 0);
    }
}

TEST_CASE("terrain following holds its tolerance with few points", "[pattern][follow]") {
    const auto terrain = Terrain::open({std::string(DEMO_DIR) + "/quillmere-elevation.tif"});
    REQUIRE(terrain);
    const auto quarry = loadPlan(std::string(DEMO_DIR) + "/quarry.anhinga.geojson");
    REQUIRE(quarry);
    Plan plan = *quarry;
    Item item;
    for (const Item& i : plan.items)
        if (i.kind == ItemKind::block) item = i;
    item.pattern.edit().follow = true;
    item.pattern.edit().tolerance_m = 2;
    const double h = effectiveHeight(plan, item).value_m;
    struct Worst {
        double low = 0, high = 0;
    };
    const auto worstOf = [&](const PatternFlight& f) {
        Worst w;
        for (std::size_t i = 1; i < f.points.size(); ++i) {
            const PatternPoint &a = f.points[i - 1], &b = f.points[i];
            const double from = *amslOf(plan, terrain->get(), a.place, a.height),
                         to = *amslOf(plan, terrain->get(), b.place, b.height);
            const int n = static_cast<int>(distance_m(a.place, b.place)) + 1;
            for (int k = 0; k <= n; ++k) {
                const double s = static_cast<double>(k) / n;
                const GeoPoint at{a.place.lat_deg + (b.place.lat_deg - a.place.lat_deg) * s,
                                  a.place.lon_deg + (b.place.lon_deg - a.place.lon_deg) * s};
                const double off = from + (to - from) * s - *(*terrain)->sample(at) - h;
                w.low = std::min(w.low, off);
                w.high = std::max(w.high, off);
            }
        }
        return w;
    };
    // The terraces' faces are steeper than any multirotor follows at speed: never lower than asked, few points.
    const PatternFlight flight = openPattern(plan, item, terrain->get());
    REQUIRE(flight.problem.empty());
    CHECK(flight.notes.size() == 1);
    CHECK(worstOf(flight).low >= -2.0);
    WARN(flight.points.size() << " points, " << flight.photos.size() << " photos; a point per photo would be "
                              << static_cast<double>(flight.photos.size()) / static_cast<double>(flight.points.size())
                              << " times as many; deviation " << worstOf(flight).low << " to " << worstOf(flight).high);
    CHECK(flight.points.size() * 5 <= flight.photos.size());
    // Where the vehicle can follow, it is within the tolerance both ways.
    plan.vehicle.climb_mps = plan.vehicle.descent_mps = 9;
    item.pattern.edit().outline = around({47.3091, -20.1160}, {{-140, -120}, {140, -120}, {140, 120}, {-140, 120}});
    const PatternFlight hill = openPattern(plan, item, terrain->get());
    REQUIRE(hill.problem.empty());
    CHECK(worstOf(hill).low >= -2.0);
    CHECK(hill.notes.empty());
    CHECK(worstOf(hill).high <= 2.0);
    CHECK(hill.points.size() * 2 <= hill.photos.size());
    WARN(hill.points.size() << " points, " << hill.photos.size() << " photos; deviation " << worstOf(hill).low << " to "
                            << worstOf(hill).high);
    item.pattern.edit().outline = around({10, 10}, {{-150, -120}, {150, -120}, {150, 120}});
    CHECK(openPattern(plan, item, terrain->get()).problem.find("not known") != std::string::npos);
}

TEST_CASE("a corridor's strips lie beside the line and bend with it", "[pattern][corridor]") {
    Item item = patternItem(ItemKind::corridor, around(kPlace, {{0, 0}, {300, 0}, {560, 150}, {560, 400}}));
    item.pattern.edit().width_m = 80;
    item.pattern.edit().whole_photos = false;
    const PatternFlight flight = openPattern(Plan{}, item, nullptr);
    REQUIRE(flight.problem.empty());
    const LocalFrame frame(kPlace);
    const std::vector<Vec2> line{{0, 0}, {300, 0}, {560, 150}, {560, 400}};
    for (const PlannedPhoto& photo : flight.photos) {
        double nearest = INFINITY;
        for (std::size_t k = 0; k + 1 < line.size(); ++k)
            nearest = std::min(nearest, distanceToSegment(frame.toLocal(photo.place), line[k], line[k + 1]).distance_m);
        CHECK(nearest < 40 + 40);
    }
    item.pattern.edit().strips = 3;
    item.pattern.edit().offset_m = 25;
    const PatternFlight three = openPattern(Plan{}, item, nullptr);
    CHECK(three.lines >= 3);
    double mean = 0;
    int n = 0;
    for (const PlannedPhoto& photo : three.photos) {
        const Vec2 at = frame.toLocal(photo.place);
        if (at.x < 20 || at.x > 200) continue;
        mean += at.y;
        ++n;
    }
    CHECK(mean / n == Approx(-25).margin(3));  // to the right of a line that goes east
    item.pattern.edit().outline.resize(1);
    CHECK(openPattern(Plan{}, item, nullptr).problem.find("at least 2") != std::string::npos);
}

TEST_CASE("every photo of rings looks at the middle of the thing", "[pattern][rings]") {
    const auto terrain = Terrain::open({std::string(DEMO_DIR) + "/quillmere-elevation.tif"});
    REQUIRE(terrain);
    for (const HeightRef ref : {HeightRef::home, HeightRef::amsl, HeightRef::ground}) {
        Plan plan = planAt({47.3051970, -20.1068059}, 18);
        const GeoPoint foot{47.3080, -20.1350};
        Item item = patternItem(ItemKind::rings, {foot});
        Pattern& p = item.pattern.edit();
        item.height = Height{0, ref};
        p.low_m = 60;
        p.high_m = 90;
        p.step_up_m = 15;
        p.radius_m = 35;
        p.radius_step_m = 5;
        p.target = Height::aboveGround(19);
        const PatternFlight flight = openPattern(plan, item, terrain->get());
        REQUIRE(flight.problem.empty());
        CHECK(flight.lines == 3);
        CHECK(flight.photos.size() == 72);
        const auto ground = (*terrain)->sample(foot);
        if (!ground) continue;
        const LocalFrame frame(foot);
        for (const PlannedPhoto& photo : flight.photos) {
            const Vec2 at = frame.toLocal(photo.place);
            const double yaw = photo.yaw_deg * M_PI / 180, pitch = photo.pitch_deg * M_PI / 180;
            const double d[3] = {std::cos(pitch) * std::sin(yaw), std::cos(pitch) * std::cos(yaw), std::sin(pitch)};
            const double to[3] = {-at.x, -at.y, *ground + 19 - *photo.amsl_m};
            const double along = d[0] * to[0] + d[1] * to[1] + d[2] * to[2];
            double off = 0;
            for (int k = 0; k < 3; ++k) off += (to[k] - along * d[k]) * (to[k] - along * d[k]);
            CHECK(std::sqrt(off) < 0.5);
        }
    }
    Item wrong = patternItem(ItemKind::rings, {kPlace});
    wrong.pattern.edit().radius_m = 0;
    PatternFlight none = openPattern(Plan{}, wrong, nullptr);
    CHECK(none.problem.find("radius") != std::string::npos);
    none.remedy(wrong);
    CHECK(openPattern(Plan{}, wrong, nullptr).problem.empty());
    wrong.pattern.edit().spacing_m = 0.001;
    CHECK(openPattern(Plan{}, wrong, nullptr).problem.find("spacing") != std::string::npos);
}

TEST_CASE("every place of a face keeps the stand-off and looks at the wall", "[pattern][face]") {
    const std::vector<Vec2> wall{{0, 0}, {80, 0}, {130, 40}, {130, 90}, {190, 110}};
    for (const bool left : {false, true}) {
        Item item = patternItem(ItemKind::face, around(kPlace, wall));
        Pattern& p = item.pattern.edit();
        item.height = Height::aboveHome(0);
        p.left_side = left;
        p.stand_off_m = 12;
        p.low_m = 5;
        p.high_m = 25;
        p.tilts_deg = {-10, 0, 10};
        p.shots = 2;
        const PatternFlight flight = openPattern(planAt(kPlace), item, nullptr);
        REQUIRE(flight.problem.empty());
        const LocalFrame frame(kPlace);
        for (const PlannedPhoto& photo : flight.photos) {
            const Vec2 at = frame.toLocal(photo.place);
            double nearest = INFINITY;
            for (std::size_t k = 0; k + 1 < wall.size(); ++k)
                nearest = std::min(nearest, distanceToSegment(at, wall[k], wall[k + 1]).distance_m);
            CHECK(nearest == Approx(12).margin(0.2));
            const double yaw = photo.yaw_deg * M_PI / 180;
            const Vec2 seen = at + Vec2{std::sin(yaw), std::cos(yaw)} * 12;
            double miss = INFINITY;
            for (std::size_t k = 0; k + 1 < wall.size(); ++k)
                miss = std::min(miss, distanceToSegment(seen, wall[k], wall[k + 1]).distance_m);
            CHECK(miss < 0.3);
            if (at.x < 60) CHECK((at.y > 0) == left);
        }
        CHECK(flight.photos.size() % 6 == 0);
        std::set<double> heights;
        for (const PatternPoint& point : flight.points) heights.insert(std::round(point.height.value_m * 10));
        CHECK(*heights.begin() == 50);
        CHECK(*heights.rbegin() == 250);
    }
}

TEST_CASE("a lap flies the outline once with the look-at inside", "[pattern][lap]") {
    Item item = patternItem(ItemKind::lap, around(kPlace, {{-50, -50}, {50, -50}, {50, 50}, {-50, 50}}));
    item.height = Height::aboveHome(40);
    item.pattern.edit().makes = CameraMakes::photos;
    item.pattern.edit().spacing_m = 20;
    const PatternFlight flight = openPattern(planAt(kPlace), item, nullptr);
    CHECK(flight.points.size() == 5);
    CHECK(flight.points.front().place == flight.points.back().place);
    CHECK(flight.distance_m == Approx(400).margin(0.5));
    CHECK(flight.photos.size() == 21);
    CHECK(std::holds_alternative<LookAt>(flight.points.front().actions.front()));
    CHECK(std::holds_alternative<LookAtStop>(flight.points.back().actions.back()));
    item.pattern.edit().reverse = true;
    const PatternFlight back = openPattern(planAt(kPlace), item, nullptr);
    CHECK(back.points[1].place == flight.points[3].place);
    CHECK(back.distance_m == Approx(flight.distance_m));
}

TEST_CASE("patterns are opened anew only when something they depend on changed", "[pattern][expand]") {
    Plan plan = planAt(kPlace);
    Item item = blockOver({{-100, -60}, {100, -60}, {100, 60}, {-100, 60}});
    item.id = plan.newId();
    plan.items.push_back(item);
    const Route first = expand(plan, nullptr);
    Plan moved = plan;
    Item point;
    point.id = moved.newId();
    point.position = kPlace;
    moved.items.push_back(point);
    CHECK(expand(moved, nullptr, plan, first).patterns[0].flight == first.patterns[0].flight);
    for (int what = 0; what < 4; ++what) {
        Plan other = plan;
        if (what == 0) other.camera.focal_mm = 20;
        if (what == 1) other.items[0].pattern.edit().heading_deg = 12;
        if (what == 2) other.home->amsl_m = 50;
        if (what == 3) other.fences.push_back({9, FenceKind::keepOut, "", item.pattern->outline, ""});
        CHECK(expand(other, nullptr, plan, first).patterns[0].flight != first.patterns[0].flight);
    }
}

TEST_CASE("patterns of every kind come back from their file as they were", "[pattern][file]") {
    for (const ItemKind kind : {ItemKind::block, ItemKind::corridor, ItemKind::rings, ItemKind::face, ItemKind::lap}) {
        INFO(kindText(kind));
        Plan plan = planAt(kPlace);
        const std::vector<Vec2> corners{{0, 0}, {200, 0}, {200, 150}, {0, 150}};
        Item item = patternItem(kind, around(kPlace, kind == ItemKind::rings ? std::vector<Vec2>{{5, 5}} : corners));
        item.id = plan.newId();
        Pattern& p = item.pattern.edit();
        p.when = PhotoWhen::time;
        p.pitch_deg = -35.5;
        p.reverse = kind != ItemKind::rings;
        if (kind == ItemKind::block) {
            p.holes = {around(kPlace, {{50, 50}, {80, 50}, {80, 90}})};
            p.best_heading = p.crossing = p.follow = true;
            p.heading_deg = 123.25;
            p.start_corner = 2;
            p.nudge_east_m = 3;
            p.nudge_north_m = -4.5;
        }
        if (kind == ItemKind::block || kind == ItemKind::corridor) {
            p.gsd_cm = 1.75;
            p.overlap_percent = 81;
            p.sidelap_percent = 62.5;
            p.margin_m = 7;
            p.lead_m = 12;
            p.tolerance_m = 1.5;
            p.whole_photos = false;
        }
        if (kind == ItemKind::corridor) {
            p.width_m = 44;
            p.strips = 3;
            p.offset_m = -6;
        }
        if (kind == ItemKind::rings || kind == ItemKind::face) {
            p.low_m = 11;
            p.high_m = 33;
            p.step_up_m = 5.5;
            p.spacing_m = 4;
        }
        if (kind == ItemKind::rings) {
            p.radius_m = 27;
            p.radius_step_m = -1.5;
            p.per_ring = 17;
            p.start_deg = 200;
            p.anticlockwise = true;
        }
        if (kind == ItemKind::rings || kind == ItemKind::lap) p.target = Height::amsl(61.5);
        if (kind == ItemKind::face) {
            p.stand_off_m = 9;
            p.left_side = p.columns = true;
            p.tilts_deg = {-20, -10, 0, 10, 20};
            p.turns_deg = {-30, 0, 30};
            p.shots = 4;
        }
        if (kind == ItemKind::lap) p.spacing_m = 13;
        plan.items.push_back(item);
        plan.camera.portrait = true;
        plan.camera.triggered = false;
        const std::string text = writePlanText(plan);
        const auto back = readPlanText(text, "t");
        REQUIRE(back);
        CHECK(*back == plan);
        CHECK(writePlanText(*back) == text);
    }
}

TEST_CASE("patterns move, turn and grow as a whole, and copies keep their own numbers", "[pattern][edit]") {
    Plan plan = planAt(kPlace);
    Item item = blockOver({{0, 0}, {200, 0}, {200, 150}, {0, 150}});
    item.id = plan.newId();
    item.pattern.edit().holes = {around(kPlace, {{50, 50}, {80, 50}, {80, 90}})};
    plan.items.push_back(item);
    Item ring = patternItem(ItemKind::rings, {kPlace});
    ring.id = plan.newId();
    plan.items.push_back(ring);
    const Plan before = plan;
    const Ids both{item.id, ring.id};
    moveBy(plan, both, 90, 100);
    CHECK(before.items[0].pattern->outline == item.pattern->outline);  // the snapshot is untouched
    for (std::size_t i = 0; i < 4; ++i)
        CHECK(distance_m(plan.items[0].pattern->outline[i], item.pattern->outline[i]) == Approx(100).margin(0.01));
    CHECK(distance_m(plan.items[0].pattern->holes[0][1], item.pattern->holes[0][1]) == Approx(100).margin(0.01));
    CHECK(distance_m(plan.items[1].pattern->outline[0], kPlace) == Approx(100).margin(0.01));
    rotateBy(plan, both, kPlace, 30);
    CHECK(plan.items[0].pattern->heading_deg == Approx(30));
    CHECK(plan.items[1].pattern->start_deg == Approx(30));
    const double area = openPattern(before, before.items[0], nullptr).area_m2;
    scaleBy(plan, both, kPlace, 2);
    CHECK(openPattern(plan, plan.items[0], nullptr).area_m2 == Approx(4 * area).epsilon(0.001));
    CHECK(plan.items[1].pattern->radius_m == Approx(80));
    CHECK(before.items[1].pattern->radius_m == 40);
}
