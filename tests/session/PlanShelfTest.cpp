// What the start page tells of plans on disk.
#include <catch2/catch.hpp>

#include <QtTest/QtTest>

#include <set>

#include "core/plan/PlanFile.h"
#include "session/PlanShelf.h"
#include "support.h"

using namespace anhinga;
using namespace anhinga::testing;

namespace {
QString q(const std::string& s) {
    return QString::fromStdString(s);
}
bool wait(PlanShelf& shelf) {
    QElapsedTimer t;
    t.start();
    while (t.elapsed() < 20000 && shelf.looking()) QTest::qWait(10);
    return !shelf.looking();
}
}  // namespace

TEST_CASE("a summary has the plan's size, place, batteries and picture", "[shelf]") {
    const PlanSummary s = summarise(q(demo("patrol.anhinga.geojson")), QSize(120, 80));
    CHECK(s.problem.isEmpty());
    CHECK(s.title == "Quarry and summit");
    CHECK(s.items == 10);
    REQUIRE(s.place);
    CHECK(s.place->lat_deg == Approx(47.3052).margin(0.001));
    CHECK(s.length_m == Approx(6520).margin(100));
    CHECK(s.area_m2 == Approx(45000).margin(3000));
    CHECK(s.batteries == 1);
    REQUIRE(s.picture.size() == QSize(120, 80));
    // The island and the sea: not one colour.
    std::set<QRgb> colours;
    for (int y = 0; y < 80; y += 4)
        for (int x = 0; x < 120; x += 4) colours.insert(s.picture.pixel(x, y));
    CHECK(colours.size() > 50);
}

TEST_CASE("a plan that needs more than one battery says how many, or that nobody knows", "[shelf]") {
    TempDir dir;
    auto plan = *loadPlan(demo("patrol.anhinga.geojson"));
    for (auto* files : {&plan.terrain_files, &plan.imagery_files})
        for (std::string& f : *files) f = resolveBeside(demo("patrol.anhinga.geojson"), f);
    plan.vehicle.battery_wh *= 0.35;
    plan.vehicle.reserve_percent = 0;
    REQUIRE(savePlan(plan, dir / "small.anhinga.geojson"));
    const PlanSummary s = summarise(q(dir / "small.anhinga.geojson"), QSize(20, 20));
    CHECK((!s.batteries || *s.batteries >= 2));
    // Without home it cannot be flown at all.
    plan.home.reset();
    REQUIRE(savePlan(plan, dir / "nohome.anhinga.geojson"));
    const PlanSummary lost = summarise(q(dir / "nohome.anhinga.geojson"), QSize(20, 20));
    CHECK_FALSE(lost.batteries);
    CHECK(lost.place);
}

TEST_CASE("files that are no plans are named with the reason", "[shelf][hostile]") {
    TempDir dir;
    spit(dir / "a.anhinga.geojson", "{\"type\":\"FeatureCollection\"");
    const PlanSummary s = summarise(q(dir / "a.anhinga.geojson"), QSize(20, 20));
    CHECK(s.problem.contains("a.anhinga.geojson"));
    CHECK(s.picture.isNull());
    CHECK_FALSE(summarise(q(dir / "missing.anhinga.geojson"), QSize(20, 20)).problem.isEmpty());
    spit(dir / "empty.anhinga.geojson", writePlanText(Plan()));
    const PlanSummary empty = summarise(q(dir / "empty.anhinga.geojson"), QSize(20, 20));
    CHECK(empty.problem.isEmpty());
    CHECK_FALSE(empty.place);
    CHECK(empty.length_m == 0);
}

TEST_CASE("the shelf lists each plan once, recent ones first, and sees changes", "[shelf]") {
    TempDir dir;
    Plan plan;
    for (const char* name : {"a", "b", "c"}) {
        plan.title = name;
        REQUIRE(savePlan(plan, dir / (std::string(name) + ".anhinga.geojson")));
    }
    spit(dir / "notes.txt", "no plan");
    PlanShelf shelf;
    const QString b = q(dir / "b.anhinga.geojson");
    shelf.look({b, q(dir / "gone.anhinga.geojson"), q(dir / "flight.tlog")}, {q(dir.path())});
    REQUIRE(wait(shelf));
    REQUIRE(shelf.plans().size() == 3);
    CHECK(shelf.plans()[0].path == b);
    plan.title = "b again";
    QTest::qWait(20);
    REQUIRE(savePlan(plan, b.toStdString()));
    std::filesystem::remove(dir / "c.anhinga.geojson");
    shelf.look({b}, {q(dir.path())});
    REQUIRE(wait(shelf));
    REQUIRE(shelf.plans().size() == 2);
    CHECK(shelf.plans()[0].title == "b again");
    // Looked anew before the first look has ended: the later one counts.
    shelf.look({}, {q(dir.path())});
    shelf.look({}, {});
    CHECK(shelf.plans().empty());
    QTest::qWait(100);
    CHECK(shelf.plans().empty());
}
