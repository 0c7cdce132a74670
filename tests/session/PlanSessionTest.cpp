#include <catch2/catch.hpp>

#include <QSignalSpy>

#include "session/PlanSession.h"
#include "support.h"

using namespace anhinga;
using namespace anhinga::testing;

TEST_CASE("an edit that changes nothing is no step, merged edits are one", "[session][undo]") {
    PlanSession s;
    s.edit("nothing", [](Plan&) {});
    CHECK_FALSE(s.canUndo());
    for (int i = 1; i <= 5; ++i)
        s.edit(
            "drag", [i](Plan& p) { p.return_height_m = 60 + i; }, 7);
    s.endMerge();
    s.edit(
        "drag", [](Plan& p) { p.return_height_m = 99; }, 7);
    CHECK(s.plan()->return_height_m == 99);
    s.undo();
    CHECK(s.plan()->return_height_m == 65);
    s.undo();
    CHECK(s.plan()->return_height_m == 60);
    CHECK_FALSE(s.canUndo());
    CHECK_FALSE(s.modified());
    s.redo();
    s.redo();
    CHECK(s.plan()->return_height_m == 99);
    CHECK(s.modified());
}

TEST_CASE("a new edit after undo drops what was undone", "[session][undo]") {
    PlanSession s;
    s.edit("a", [](Plan& p) { p.title = "a"; });
    s.undo();
    s.edit("b", [](Plan& p) { p.title = "b"; });
    CHECK_FALSE(s.canRedo());
    CHECK(s.undoName() == "b");
}

TEST_CASE("deleting what is selected leaves no ghost in the selection", "[session][selection]") {
    PlanSession s;
    s.replace("row", rowPlan(3));
    const ItemId id = s.plan()->items[1].id;
    s.select({id, kHomeId});
    QSignalSpy spy(&s, &PlanSession::selectionChanged);
    s.edit("delete", [&](Plan& p) { std::erase_if(p.items, [&](const Item& i) { return i.id == id; }); });
    CHECK(s.selection() == std::set<ItemId>{kHomeId});
    CHECK(spy.count() == 1);
}

TEST_CASE("the newest plan wins in the background", "[session][derived]") {
    PlanSession s;
    s.replace("row", rowPlan(2));
    for (int i = 0; i < 40; ++i) s.edit("speed", [i](Plan& p) { p.defaults.speed_mps = 3 + 0.1 * i; });
    REQUIRE(s.waitUntilDerived(10000));
    CHECK(s.derived()->plan == s.plan());
    CHECK(s.derived()->rehearsal);
    const double calm = s.derived()->rehearsal->energy_wh;
    s.setWind({90, 8});
    QElapsedTimer t;
    t.start();
    while (t.elapsed() < 5000 && s.derived()->rehearsal->energy_wh == calm) QTest::qWait(20);
    CHECK(s.derived()->rehearsal->energy_wh > calm);
}

TEST_CASE("a failed load keeps everything as it was", "[session][files][hostile]") {
    TempDir dir;
    PlanSession s;
    s.replace("row", rowPlan(2));
    const PlanPtr before = s.plan();
    spit(dir / "bad.geojson", "{");
    std::string no_terrain = slurp(demo("patrol.anhinga.geojson"));
    spit(dir / "lonely.anhinga.geojson", no_terrain);  // its terrain is not beside it
    for (const std::string& path : {dir / "bad.geojson", dir / "none", dir.path(), dir / "lonely.anhinga.geojson"}) {
        INFO(path);
        CHECK_FALSE(s.load(QString::fromStdString(path)));
        CHECK(s.plan() == before);
        CHECK(s.canUndo());
    }
}
