// Cover is proved, not assumed: photos are counted by rays here, from poses, camera and terrain alone.
#include <catch2/catch.hpp>
#include <map>
#include <numeric>
#include <random>
#include <sstream>

#include "core/check/Check.h"
#include "core/pattern/Coverage.h"
#include "core/plan/Edit.h"
#include "core/plan/PlanFile.h"
#include "support.h"

using namespace anhinga;

namespace {

struct Shape {
    std::string name;
    std::vector<Vec2> outline;
    std::vector<std::vector<Vec2>> holes = {};
    GeoPoint place{47.3098, -20.1178};
};

std::vector<Vec2> star(int points, double outer, double inner) {
    std::vector<Vec2> out;
    for (int i = 0; i < 2 * points; ++i) {
        const double a = M_PI * i / points, r = i % 2 == 0 ? outer : inner;
        out.push_back({r * std::sin(a), r * std::cos(a)});
    }
    return out;
}

std::vector<Vec2> comb(int teeth, double width, double gap, double back, double length) {
    std::vector<Vec2> out{{0, 0}};
    const double whole = teeth * width + (teeth - 1) * gap;
    out.push_back({whole, 0});
    for (int i = teeth; i-- > 0;) {
        const double left = i * (width + gap);
        out.push_back({left + width, back + length});
        out.push_back({left, back + length});
        if (i > 0) {
            out.push_back({left, back});
            out.push_back({left - gap, back});
        }
    }
    return out;
}

std::vector<Vec2> spiral(double turns, double pitch, double width) {
    std::vector<Vec2> outer, inner;
    for (double t = 0.6; t <= turns; t += 0.04) {
        const double a = 2 * M_PI * t;
        outer.push_back({std::sin(a) * (pitch * t + width), std::cos(a) * (pitch * t + width)});
        inner.push_back({std::sin(a) * pitch * t, std::cos(a) * pitch * t});
    }
    outer.insert(outer.end(), inner.rbegin(), inner.rend());
    return outer;
}

std::vector<Vec2> blob(int corners, double size, unsigned seed) {
    std::mt19937 random(seed);
    std::uniform_real_distribution<double> r(0.75, 1.0);
    std::vector<Vec2> out;
    double wobble[5];
    for (double& w : wobble) w = r(random) * 2 * M_PI;
    for (int i = 0; i < corners; ++i) {
        const double a = 2 * M_PI * i / corners;
        double k = 1;
        for (int m = 0; m < 5; ++m) k += 0.06 * std::sin((m + 2) * a + wobble[m]);
        out.push_back({size * k * std::sin(a), size * k * std::cos(a)});
    }
    return out;
}

std::vector<Vec2> turned(std::vector<Vec2> points, double deg) {
    const double c = std::cos(deg * M_PI / 180), s = std::sin(deg * M_PI / 180);
    for (Vec2& p : points) p = {p.x * c - p.y * s, p.x * s + p.y * c};
    return points;
}

std::vector<Shape> shapes() {
    const std::vector<Vec2> square{{-150, -150}, {150, -150}, {150, 150}, {-150, 150}};
    const std::vector<Vec2> l{{0, 0}, {360, 0}, {360, 120}, {130, 120}, {130, 340}, {0, 340}};
    const std::vector<Vec2> u{{0, 0}, {360, 0}, {360, 320}, {250, 320}, {250, 110}, {110, 110}, {110, 320}, {0, 320}};
    const std::vector<Vec2> t{{-200, 200}, {-200, 90}, {-60, 90}, {-60, -200},
                              {60, -200},  {60, 90},   {200, 90}, {200, 200}};
    const std::vector<Vec2> h{{-180, -200}, {-80, -200}, {-80, -50}, {80, -50}, {80, -200}, {180, -200},
                              {180, 200},   {80, 200},   {80, 60},   {-80, 60}, {-80, 200}, {-180, 200}};
    const std::vector<Vec2> zigzag{{0, 0},    {120, 0},  {240, 160}, {360, 0},  {480, 0},
                                   {480, 90}, {370, 90}, {240, 270}, {110, 90}, {0, 90}};
    const std::vector<Vec2> box{{-60, -50}, {60, -50}, {60, 50}, {-60, 50}};
    std::vector<Shape> all{
        {"square", square},
        {"square turned", turned(square, 31)},
        {"long strip", {{-400, -40}, {400, -40}, {400, 40}, {-400, 40}}},
        {"long strip turned", turned({{-400, -40}, {400, -40}, {400, 40}, {-400, 40}}, 67)},
        {"triangle", {{-200, -120}, {220, -100}, {20, 230}}},
        {"hexagon", star(6, 180, 156)},
        {"trapezium", {{-220, -120}, {200, -120}, {110, 140}, {-80, 140}}},
        {"L", l},
        {"L turned", turned(l, 40)},
        {"U", u},
        {"U turned", turned(u, 100)},
        {"T", t},
        {"H", h},
        {"zigzag", zigzag},
        {"comb of 4", comb(4, 70, 60, 80, 220)},
        {"comb of 7", comb(7, 45, 40, 60, 180)},
        {"comb turned", turned(comb(5, 60, 50, 70, 200), 25)},
        {"star of 5", star(5, 220, 95)},
        {"star of 8", star(8, 220, 120)},
        {"spiral", spiral(2.4, 90, 55)},
        {"square with a hole", square, {box}},
        {"square with two holes",
         square,
         {{{-120, -90}, {-30, -90}, {-30, 90}, {-120, 90}}, {{40, -60}, {110, -60}, {110, 80}, {40, 80}}}},
        {"ring", star(20, 210, 207), {star(20, 120, 118)}},
        {"sliver", {{-300, -2}, {300, -2}, {300, 2}, {-300, 2}}},
        {"needle", {{-250, 0}, {250, 3}, {250, 9}}},
        {"smaller than a photo", {{-10, -8}, {10, -8}, {10, 8}, {-10, 8}}},
        {"1000 corners", blob(1000, 190, 3)},
        {"blob", blob(40, 230, 8)},
    };
    all.push_back({"across the 180th meridian", l, {}, {-16.5, 179.9993}});
    all.push_back({"at 70 degrees latitude", u, {}, {70.2, 25.6}});
    return all;
}

std::vector<GeoPoint> toGeo(GeoPoint c, const std::vector<Vec2>& points) {
    const LocalFrame frame(c);
    std::vector<GeoPoint> out;
    for (const Vec2& p : points) out.push_back(frame.toGeo(p));
    return out;
}

/// One photo, ready to be asked about rays: a rotation matrix from the world to the camera.
struct Pose {
    double x, y, z;
    double m[3][3];
};

Pose poseOf(const PlannedPhoto& photo, const LocalFrame& frame) {
    const Vec2 at = frame.toLocal(photo.place);
    const double cy = std::cos(-photo.yaw_deg * M_PI / 180), sy = std::sin(-photo.yaw_deg * M_PI / 180);
    const double cp = std::cos(photo.pitch_deg * M_PI / 180), sp = std::sin(photo.pitch_deg * M_PI / 180);
    // Camera axes of a level camera that looks north, pitched about its right hand, then turned about the vertical.
    const double ahead[3] = {0, cp, sp}, up[3] = {0, -sp, cp}, right[3] = {1, 0, 0};
    Pose p{at.x, at.y, photo.amsl_m.value_or(0), {}};
    const double* axes[3] = {right, up, ahead};
    for (int k = 0; k < 3; ++k) {
        p.m[k][0] = cy * axes[k][0] - sy * axes[k][1];
        p.m[k][1] = sy * axes[k][0] + cy * axes[k][1];
        p.m[k][2] = axes[k][2];
    }
    return p;
}

/// Whether the ray from the camera to a point of the ground lies in the image and meets nothing before.
bool sees(const Pose& p, double x, double y, double z, double tan_right, double tan_up, const Terrain* terrain,
          const LocalFrame& frame) {
    const double d[3] = {x - p.x, y - p.y, z - p.z};
    double c[3];
    for (int k = 0; k < 3; ++k) c[k] = p.m[k][0] * d[0] + p.m[k][1] * d[1] + p.m[k][2] * d[2];
    if (c[2] <= 0 || std::abs(c[0]) > tan_right * c[2] + 1e-6 || std::abs(c[1]) > tan_up * c[2] + 1e-6) return false;
    if (terrain == nullptr) return true;
    for (double f = 0.1; f < 0.96; f += 0.1) {
        const auto ground = terrain->sample(frame.toGeo({p.x + d[0] * f, p.y + d[1] * f}));
        if (ground && *ground > p.z + d[2] * f + 0.5) return false;
    }
    return true;
}

struct Counted {
    int least = 1 << 30;
    double below = 0;  // share of the places seen by fewer than wanted
    double mean = 0;
};

Counted count(const PatternFlight& flight, const Plan& plan, const Shape& shape, const Terrain* terrain, double level,
              int wanted) {
    const LocalFrame frame(shape.place);
    std::vector<Pose> poses;
    for (const PlannedPhoto& photo : flight.photos) poses.push_back(poseOf(photo, frame));
    const double tr = plan.camera.sensor_w_mm / plan.camera.focal_mm / 2,
                 tu = plan.camera.sensor_h_mm / plan.camera.focal_mm / 2;
    Ring ring(shape.outline);
    Vec2 low{1e9, 1e9}, high{-1e9, -1e9};
    for (const Vec2& p : ring) {
        low = {std::min(low.x, p.x), std::min(low.y, p.y)};
        high = {std::max(high.x, p.x), std::max(high.y, p.y)};
    }
    std::vector<Vec2> places = shape.outline;  // every corner, and a grid inside
    const double step = std::max(0.5, std::sqrt((high.x - low.x) * (high.y - low.y) / 700));
    for (double y = low.y + step / 2; y < high.y; y += step)
        for (double x = low.x + step / 2; x < high.x; x += step) {
            bool in = contains(ring, {x, y});
            for (const auto& hole : shape.holes) in = in && !contains(hole, {x, y});
            if (in) places.push_back({x, y});
        }
    Counted out;
    double few = 0, sum = 0;
    for (const Vec2& at : places) {
        const double z = terrain != nullptr ? terrain->sample(frame.toGeo(at)).value_or(0) : level;
        int n = 0;
        for (const Pose& p : poses) n += sees(p, at.x, at.y, z, tr, tu, terrain, frame);
        out.least = std::min(out.least, n);
        few += n < wanted;
        sum += n;
    }
    out.below = few / static_cast<double>(places.size());
    out.mean = sum / static_cast<double>(places.size());
    return out;
}

Item surveyOf(const Shape& shape, double height_m) {
    Item item = patternItem(ItemKind::block, toGeo(shape.place, shape.outline));
    for (const auto& hole : shape.holes) item.pattern.edit().holes.push_back(toGeo(shape.place, hole));
    item.id = 1;
    item.height = Height::aboveGround(height_m);
    item.pattern.edit().best_heading = true;
    return item;
}

}  // namespace

TEST_CASE("on flat ground the wanted number of photos sees every place of thirty shapes",
          "[pattern][coverage][proof]") {
    Plan plan;
    std::string table;
    double ratios = 0, worst = 0;
    const auto all = shapes();
    REQUIRE(all.size() == 30);
    for (const Shape& shape : all) {
        INFO(shape.name);
        plan.home = Home{shape.place, 0};
        Item item = surveyOf(shape, 45);
        item.height = Height::aboveHome(45);
        const PatternFlight flight = openPattern(plan, item, nullptr);
        REQUIRE(flight.problem == "");
        const int wanted = promisedPhotos(item);
        const Counted c = count(flight, plan, shape, nullptr, 0, wanted);
        CHECK(wanted == 8);
        CHECK(c.least >= wanted);
        const double ratio = flight.distance_m / flight.line_m;
        ratios += ratio / static_cast<double>(all.size());
        worst = std::max(worst, ratio);
        CHECK(ratio <= 1.6);
        table += fmt::format("{:28} {:4} lines {:5} photos, seen {:3} times at least, flown / lines {:.3f}\n",
                             shape.name, flight.lines, flight.photos.size(), c.least, ratio);
    }
    table += fmt::format("flown / lines: mean {:.3f}, most {:.3f}", ratios, worst);
    WARN(table);
    CHECK(ratios <= 1.20);
}

TEST_CASE("on hills followed lines hold the overlap where level ones lose it", "[pattern][coverage][proof]") {
    const auto terrain = Terrain::open({std::string(DEMO_DIR) + "/quillmere-elevation.tif"});
    REQUIRE(terrain);
    std::string table;
    double level_most = 0;
    for (Shape shape : shapes()) {
        if (shape.place.lat_deg < 47 || shape.place.lat_deg > 48) shape.place = {47.3098, -20.1178};
        INFO(shape.name);
        Plan plan;
        plan.home = Home{shape.place, *(*terrain)->sample(shape.place)};
        Item item = surveyOf(shape, 60);
        const int wanted = promisedPhotos(item);
        const auto with = [&](bool follow) {
            item.pattern.edit().follow = follow;
            item.height = follow ? Height::aboveGround(60) : Height::aboveHome(60);
            const PatternFlight flight = openPattern(plan, item, terrain->get());
            REQUIRE(flight.problem == "");
            return count(flight, plan, shape, terrain->get(), 0, wanted);
        };
        const Counted followed = with(true), level = with(false);
        CHECK(followed.least >= wanted);
        level_most = std::max(level_most, level.below);
        table += fmt::format("{:28} seen too seldom: followed {:5.1f} %, level {:5.1f} %; least {:3} and {:3}\n",
                             shape.name, followed.below * 100, level.below * 100, followed.least, level.least);
    }
    WARN(table);
    CHECK(level_most > 0.3);
}

TEST_CASE("the best heading is as good as the best of all tried", "[pattern][block]") {
    Plan plan;
    double most = 1;
    for (const Shape& shape : shapes()) {
        if (shape.outline.size() > 200) continue;  // time
        INFO(shape.name);
        plan.home = Home{shape.place, 0};
        Item item = surveyOf(shape, 60);
        item.pattern.edit().makes = CameraMakes::film;  // lengths alone
        const double best = openPattern(plan, item, nullptr).distance_m;
        item.pattern.edit().best_heading = false;
        double least = INFINITY;
        for (int deg = 0; deg < 180; ++deg) {
            item.pattern.edit().heading_deg = deg;
            least = std::min(least, openPattern(plan, item, nullptr).distance_m);
        }
        most = std::max(most, best / least);
        CHECK(best <= 1.02 * least);
    }
    WARN("best heading against the best of 180: at most " << most << " times");
}

TEST_CASE("the coverage the program counts is the one that rays count", "[pattern][coverage]") {
    const auto terrain = Terrain::open({std::string(DEMO_DIR) + "/quillmere-elevation.tif"});
    REQUIRE(terrain);
    const Shape shape{"L", {{0, 0}, {360, 0}, {360, 120}, {130, 120}, {130, 340}, {0, 340}}, {}, {47.3098, -20.1178}};
    for (const double pitch : {-90.0, -60.0}) {
        Plan plan;
        plan.home = Home{shape.place, *(*terrain)->sample(shape.place)};
        Item item = surveyOf(shape, 60);
        item.pattern.edit().pitch_deg = pitch;
        const PatternFlight flight = openPattern(plan, item, terrain->get());
        const Coverage coverage =
            coverageOf(flight.photos, plan.camera, terrain->get(), 0, photoAreaOf(item), {.cell_m = 12});
        REQUIRE(coverage.cellsInside() > 300);
        const LocalFrame frame(shape.place);
        std::vector<Pose> poses;
        for (const PlannedPhoto& photo : flight.photos) poses.push_back(poseOf(photo, frame));
        int different = 0, cells = 0;
        for (int r = 0; r < coverage.rows; r += 2)
            for (int c = 0; c < coverage.columns; c += 2) {
                if (coverage.inside[coverage.at(c, r)] == 0) continue;
                const GeoPoint at = coverage.frame.toGeo(coverage.middle(c, r));
                const Vec2 here = frame.toLocal(at);
                int n = 0;
                for (const Pose& p : poses)
                    n += sees(p, here.x, here.y, *(*terrain)->sample(at), 0.75, 0.5, nullptr, frame);
                ++cells;
                different += std::abs(n - coverage.seen[coverage.at(c, r)]) > 1;  // a photo whose edge is just there
            }
        CHECK(cells > 60);
        CHECK(different == 0);
    }
}

TEST_CASE("gaps in the cover are found with place and size, and counting can be stopped", "[pattern][coverage]") {
    Plan plan;
    const Shape shape{"square", {{-150, -150}, {150, -150}, {150, 150}, {-150, 150}}};
    plan.home = Home{shape.place, 0};
    Item item = surveyOf(shape, 45);
    item.height = Height::aboveHome(45);
    PatternFlight flight = openPattern(plan, item, nullptr);
    const auto whole = coverageOf(flight.photos, plan.camera, nullptr, 0, photoAreaOf(item), {});
    CHECK(whole.shareBelow(8) == 0);
    CHECK(whole.gaps(8, 10).empty());
    // Photos about one place are lost.
    const GeoPoint lost = destination(shape.place, 60, 60);
    std::erase_if(flight.photos, [&](const PlannedPhoto& p) { return distance_m(p.place, lost) < 60; });
    const auto torn = coverageOf(flight.photos, plan.camera, nullptr, 0, photoAreaOf(item), {});
    const auto gaps = torn.gaps(1, 10);
    REQUIRE(gaps.size() == 1);
    CHECK(distance_m(gaps[0].middle, lost) < 12);
    CHECK(gaps[0].area_m2 > 300);
    CHECK(torn.shareBelow(1) == Approx(gaps[0].area_m2 / (300.0 * 300)).epsilon(0.02));
    std::stop_source stop;
    double told = 0;
    CoverageOptions options;
    options.stop = stop.get_token();
    options.progress = [&](double share) {
        told = share;
        stop.request_stop();
    };
    const std::vector<PlannedPhoto> many(2000, flight.photos.front());
    CHECK(coverageOf(many, plan.camera, nullptr, 0, photoAreaOf(item), options).seen.empty());
    CHECK(told < 1);
    CHECK(coverageOf(flight.photos, plan.camera, nullptr, 0, {}, {}).seen.empty());
}

TEST_CASE("the area of a corridor is what lies beside its line, to its own side", "[pattern][coverage]") {
    Plan plan;
    const GeoPoint at{47.31, -20.12};
    plan.home = Home{at, 0};
    Item item =
        patternItem(ItemKind::corridor, {at, destination(at, 0, 300), destination(destination(at, 0, 300), 60, 300)});
    item.id = plan.newId();
    item.height = Height::aboveHome(50);
    item.pattern.edit().width_m = 40;
    for (const double offset : {0.0, 30.0, -30.0}) {
        item.pattern.edit().offset_m = offset;
        const PhotoArea area = photoAreaOf(item);
        const PatternFlight flight = openPattern(plan, item, nullptr);
        const Coverage c = coverageOf(flight.photos, plan.camera, nullptr, 0, area, {.cell_m = 2});
        INFO("offset " << offset);
        // As long as the line, as wide as it is told; a bend takes or gives a little.
        const double inside = static_cast<double>(c.cellsInside()) * c.cell_m * c.cell_m;
        CHECK(inside == Approx(600 * 40).epsilon(0.07));
        const auto isInside = [&](double along, double right) {
            const Vec2 p = c.frame.toLocal(destination(destination(at, 0, along), 90, right)) - c.corner;
            const int column = static_cast<int>(std::floor(p.x / c.cell_m)),
                      row = static_cast<int>(std::floor(p.y / c.cell_m));
            return column >= 0 && row >= 0 && column < c.columns && row < c.rows && c.inside[c.at(column, row)] != 0;
        };
        CHECK(isInside(100, offset));
        CHECK(isInside(100, offset + 17));
        CHECK(isInside(100, offset - 17));
        CHECK_FALSE(isInside(100, offset + 24));
        CHECK_FALSE(isInside(100, offset - 24));
        CHECK_FALSE(isInside(-10, offset));
        CHECK(c.shareBelow(promisedPhotos(item)) < 0.02);
        CHECK(c.shareBelow(1) == 0);
    }
    // Things that stand show no ground.
    CHECK(photoAreaOf(patternItem(ItemKind::face, {at, destination(at, 0, 30)})).empty());
}

TEST_CASE("rings and laps show the ground they go around, and gaps in it are no findings", "[pattern][coverage]") {
    Plan plan = testing::rowPlan(1);
    const GeoPoint at = destination(plan.home->position, 0, 150);
    Item rings = patternItem(ItemKind::rings, {at});
    rings.id = plan.newId();
    rings.pattern.edit().radius_step_m = 10;
    Item lap =
        patternItem(ItemKind::lap, {destination(at, 0, 200), destination(at, 90, 200), destination(at, 180, 60)});
    lap.id = plan.newId();
    lap.pattern.edit().makes = CameraMakes::photos;
    plan.items.insert(plan.items.end() - 1, {rings, lap});
    const PlanView view = viewOf(plan, nullptr);
    const auto covers = countCovers(plan, view.route.patterns, nullptr);
    REQUIRE(covers->size() == 2);
    const Pattern& p = *rings.pattern;
    const double widest = p.radius_m + 2 * p.radius_step_m;  // 20, 30 and 40 m up
    const Coverage& disc = (*covers)[0]->cover;
    CHECK(static_cast<double>(disc.cellsInside()) * disc.cell_m * disc.cell_m ==
          Approx(M_PI * widest * widest).epsilon(0.03));
    // From all sides they look at the middle.
    const Vec2 middle = disc.frame.toLocal(at) - disc.corner;
    CHECK(disc.seen[disc.at(static_cast<int>(middle.x / disc.cell_m), static_cast<int>(middle.y / disc.cell_m))] > 20);
    for (const PatternCoverPtr& c : *covers) {
        CHECK_FALSE(c->wanted);
        CHECK(c->promised == 3);
        CHECK(c->cover.shareBelow(1) < 1);
    }
    for (const Finding& f : check({.plan = plan, .view = view, .covers = &*covers})) {
        CHECK(f.rule != "cover-hole");
        CHECK(f.rule != "cover-thin");
    }
}

TEST_CASE("what photos show of unknown ground is unknown, and no gap", "[pattern][coverage][check]") {
    // Elevation for the western half alone, level.
    TempDir dir;
    Plan plan;
    const Shape shape{"square", {{-150, -150}, {150, -150}, {150, 150}, {-150, 150}}};
    plan.home = Home{shape.place, 0};
    Item item = surveyOf(shape, 45);
    item.id = plan.newId();
    item.height = Height::aboveHome(45);
    plan.items.push_back(item);
    constexpr int kColumns = 200, kRows = 400;
    constexpr double kCell_deg = 2e-5;
    std::string grid =
        fmt::format("ncols {}\nnrows {}\nxllcorner {:.9f}\nyllcorner {:.9f}\ncellsize {}\n", kColumns, kRows,
                    shape.place.lon_deg - kColumns * kCell_deg, shape.place.lat_deg - kRows / 2 * kCell_deg, kCell_deg);
    for (int i = 0; i < kColumns * kRows; ++i) grid += (i + 1) % kColumns == 0 ? "0\n" : "0 ";
    spit(dir / "west.asc", grid);
    spit(dir / "west.prj",
         "GEOGCS[\"WGS 84\",DATUM[\"WGS_1984\",SPHEROID[\"WGS 84\",6378137,298.257223563]],PRIMEM[\"Greenwich\",0],"
         "UNIT[\"degree\",0.0174532925199433]]");
    const auto half = Terrain::open({dir / "west.asc"});
    if (!half) FAIL(half.error().message);
    REQUIRE(half);
    const auto none = std::make_shared<const Terrain>();
    const auto rulesIn = [&](const Terrain* terrain) {
        const PlanView view = viewOf(plan, terrain);
        const auto covers = countCovers(plan, view.route.patterns, terrain);
        REQUIRE(covers);
        std::map<std::string, std::string> rules;
        for (const Finding& f : check({.plan = plan, .view = view, .terrain = terrain, .covers = &*covers}))
            rules[f.rule] = f.message;
        return rules;
    };
    auto found = rulesIn(none.get());
    CHECK_FALSE(found.contains("cover-hole"));
    CHECK_FALSE(found.contains("cover-unknown"));  // level ground is taken where nothing at all is loaded
    found = rulesIn(half->get());
    CHECK_FALSE(found.contains("cover-hole"));
    REQUIRE(found.contains("cover-unknown"));
    INFO(found["cover-unknown"]);
    const std::size_t of = found["cover-unknown"].find("show of ");
    REQUIRE(of != std::string::npos);
    double hectares = 0;
    std::istringstream(found["cover-unknown"].substr(of + 8)) >> hectares;
    CHECK(hectares == Approx(4.5).margin(0.1));  // half of nine
}

TEST_CASE("a photo's outline on the ground is the footprint, and tilted ones are cut at the range",
          "[pattern][coverage]") {
    const Plan plan;
    const GeoPoint at{47.31, -20.12};
    const auto down = photoOnGround({at, 100.0, 30, -90}, plan.camera, nullptr, 0);
    REQUIRE(down.size() == 4);
    CHECK(distance_m(down[0], down[1]) == Approx(150).epsilon(0.001));
    CHECK(distance_m(down[1], down[2]) == Approx(100).epsilon(0.001));
    CHECK(bearing_deg(down[3], down[0]) == Approx(30).margin(0.1));
    const auto level = photoOnGround({at, 100.0, 0, -10}, plan.camera, nullptr, 0, 400);
    for (const GeoPoint& p : level) CHECK(distance_m(at, p) < 401);
    CHECK(distance_m(at, level[0]) > 300);
    const auto terrain = Terrain::open({std::string(DEMO_DIR) + "/quillmere-elevation.tif"});
    REQUIRE(terrain);
    const GeoPoint hill{47.3138, -20.1262};
    const double ground = *(*terrain)->sample(hill);
    for (const GeoPoint& p : photoOnGround({hill, ground + 60, 0, -60}, plan.camera, terrain->get(), 0)) {
        const auto g = (*terrain)->sample(p);
        REQUIRE(g);
        // On the ray at the height of the ground: seen from the camera at the angle of the corner.
        CHECK(*g < ground + 60);
        CHECK(distance_m(hill, p) < 300);
    }
}
