// A flight imported as a plan: thinned to a tolerance, with a home, heights as they were.
#include <catch2/catch.hpp>
#include <cmath>
#include <fstream>
#include <random>

#include "RunCli.h"
#include "core/base/Text.h"
#include "core/exchange/FlownLine.h"

using namespace anhinga;
using namespace anhinga::testing;

namespace {

constexpr GeoPoint kStart{47.3051970, -20.1068059};

/// Flown: a rectangle with round corners, climbing and sinking, a place every `step_m`.
ImportedShape flight(double step_m, std::optional<HeightRef> ref, unsigned seed = 1) {
    std::mt19937 random(seed);
    std::normal_distribution<double> noise(0, 0.15);
    ImportedShape s;
    s.kind = ShapeKind::line;
    s.name = "flight";
    const LocalFrame frame(kStart);
    double x = 0, y = 0, z = 0;
    const auto go = [&](double to_x, double to_y, double to_z) {
        const double length = std::hypot(to_x - x, to_y - y, to_z - z);
        const int n = std::max(1, static_cast<int>(length / step_m));
        for (int i = 1; i <= n; ++i) {
            const double k = static_cast<double>(i) / n;
            s.points.push_back(frame.toGeo({x + k * (to_x - x) + noise(random), y + k * (to_y - y) + noise(random)}));
            s.heights.push_back(ref ? std::optional(Height{z + k * (to_z - z) + noise(random), *ref}) : std::nullopt);
        }
        x = to_x, y = to_y, z = to_z;
    };
    go(0.1, 0, 60);
    go(400, 0, 60);
    for (int a = 0; a <= 18; ++a) go(400 + 40 * std::sin(a * M_PI / 18), 40 - 40 * std::cos(a * M_PI / 18), 60);
    go(0, 80, 90);
    go(0, 0, 40);
    go(0.1, 0, 0);
    return s;
}

/// Nearest distance of a place to a line in space, by walking along it: not as the thinning works it out.
double distanceTo(const ImportedShape& line, GeoPoint p, double h) {
    const LocalFrame frame(kStart);
    const Vec2 q = frame.toLocal(p);
    double best = 1e9;
    for (std::size_t i = 1; i < line.points.size(); ++i) {
        const Vec2 a = frame.toLocal(line.points[i - 1]), b = frame.toLocal(line.points[i]);
        const double ha = line.heights[i - 1]->value_m, hb = line.heights[i]->value_m;
        const int n = 4 + static_cast<int>(std::hypot(b.x - a.x, b.y - a.y, hb - ha) / 0.25);
        for (int k = 0; k <= n; ++k) {
            const double t = static_cast<double>(k) / n;
            best = std::min(
                best, std::hypot(a.x + t * (b.x - a.x) - q.x, a.y + t * (b.y - a.y) - q.y, ha + t * (hb - ha) - h));
        }
    }
    return best;
}

}  // namespace

TEST_CASE("what was flown is told from what was drawn", "[flownline]") {
    CHECK(isFlown(flight(3, HeightRef::home)));
    ImportedShape drawn;
    drawn.kind = ShapeKind::line;
    for (int i = 0; i < 60; ++i) drawn.points.push_back(destination(kStart, 90, 200.0 * i));
    CHECK_FALSE(isFlown(drawn));  // many points, but far from one another
    drawn.points.resize(20);
    CHECK_FALSE(isFlown(drawn));
    ImportedShape area = flight(3, HeightRef::home);
    area.kind = ShapeKind::area;
    CHECK_FALSE(isFlown(area));
}

TEST_CASE("no point that is left out lies further from the line than allowed, in height as well", "[flownline]") {
    for (const unsigned seed : {1U, 2U, 3U})
        for (const double tolerance : {1.0, 2.0, 5.0}) {
            const ImportedShape all = flight(2, HeightRef::amsl, seed), few = thinned(all, tolerance);
            INFO(seed << " " << tolerance << " m: " << few.points.size() << " of " << all.points.size());
            CHECK(few.points.size() < all.points.size() / 20);
            CHECK(few.points.size() >= 8);  // corners, top and bottom of the climbs
            CHECK(few.points.front() == all.points.front());
            CHECK(few.points.back() == all.points.back());
            REQUIRE(few.heights.size() == few.points.size());
            double worst = 0;
            for (std::size_t i = 0; i < all.points.size(); i += 3)
                worst = std::max(worst, distanceTo(few, all.points[i], all.heights[i]->value_m));
            CHECK(worst <= tolerance + 0.15);  // the walk steps by a quarter of a metre
            // Each that stays was there, with its own height.
            for (std::size_t i = 0; i < few.points.size(); ++i) {
                const auto at = std::find(all.points.begin(), all.points.end(), few.points[i]);
                REQUIRE(at != all.points.end());
                CHECK(few.heights[i] == all.heights[static_cast<std::size_t>(at - all.points.begin())]);
            }
        }
    CHECK(thinned(flight(2, HeightRef::amsl), 0).points.size() == flight(2, HeightRef::amsl).points.size());
}

TEST_CASE("where heights begin, end or are measured from something else, both sides stay", "[flownline]") {
    ImportedShape s = flight(2, HeightRef::amsl);
    const std::size_t a = s.points.size() / 3, b = s.points.size() / 2;
    for (std::size_t i = 0; i < a; ++i) s.heights[i]->ref = HeightRef::ground;
    for (std::size_t i = b; i < s.points.size(); ++i) s.heights[i].reset();
    const ImportedShape few = thinned(s, 2);
    const auto stays = [&](std::size_t i) {
        return std::find(few.points.begin(), few.points.end(), s.points[i]) != few.points.end();
    };
    for (const std::size_t i : {a - 1, a, b - 1, b}) CHECK(stays(i));
    ImportedShape none = s;
    none.heights.clear();
    CHECK(thinned(none, 2).heights.empty());
    CHECK(thinned(none, 2).points.size() < 40);
}

TEST_CASE("a straight line of 200,000 points is thinned at once", "[flownline]") {
    ImportedShape s;
    s.kind = ShapeKind::line;
    for (int i = 0; i < 200'000; ++i) s.points.push_back({47 + i * 1e-7, -20 + (i % 2) * 1e-7});
    const double began = threadMs();
    CHECK(thinned(s, 2).points.size() == 2);
    CHECK(threadMs() - began < 2000);
    // To and fro, and then away ever faster: bent most beside an end again and again.
    for (int i = 0; i < 200'000; ++i)
        s.points[static_cast<std::size_t>(i)] = {47 + i * 1e-7,
                                                 -20 + std::exp2(std::max(0, i - 199'000) / 25.0) * 1e-6};
    for (int i = 0; i < 199'000; ++i) s.points[static_cast<std::size_t>(i)].lon_deg += (i % 2) * 1e-3;
    const ImportedShape few = thinned(s, 2);
    CHECK(few.points.size() > 1000);
    CHECK(few.points.size() < s.points.size() / 10);  // to and fro within metres is one way across
    CHECK(threadMs() - began < 20'000);
}

TEST_CASE("a flight's KML becomes a plan with few waypoints, its heights and a home", "[flownline][import]") {
    TempDir dir;
    const std::string kml = dir / "flight.kml", plan = dir / "flown.anhinga.geojson";
    REQUIRE(cli("export " + std::string(DEMO_DIR) + "/shakedown-clean.ulg --out " + kml).code == 0);
    const Ran all = cli("import " + kml + " --thin 0 --out " + plan + " --json");
    const Ran thin = cli("import " + kml + " --out " + plan + " --json");
    REQUIRE(thin.code == 0);
    CHECK(thin.json()["items"].get<int>() * 5 < all.json()["items"].get<int>());
    CHECK(thin.json()["items"].get<int>() > 5);
    CHECK(thin.out.find("thinned from") != std::string::npos);
    const Json j = Json::parse(slurp(plan));
    CHECK(slurp(plan).find("home") != std::string::npos);
    CHECK(thin.out.find("home is where the flight began") != std::string::npos);
    CHECK(cli("import " + kml + " --thin -1 --out " + plan).code == 2);
}
