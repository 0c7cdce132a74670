#include <catch2/catch.hpp>

#include <QSignalSpy>

#include "core/plan/PlanFile.h"
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

namespace {
Seal sealNow(double time_unix_s) {
    Seal seal;
    seal.fingerprint = 77;
    seal.time_unix_s = time_unix_s;
    return seal;
}
}  // namespace

TEST_CASE("what is on record outlives undo and redo, and is no step", "[session][undo][seal]") {
    PlanSession s;
    s.edit("a", [](Plan& p) { p.title = "a"; });
    s.edit("b", [](Plan& p) { p.title = "b"; });
    s.undo();
    s.record([](std::vector<Seal>& seals) { seals.push_back(sealNow(5)); });
    CHECK(s.undoName() == "a");
    CHECK(s.canRedo());
    REQUIRE(s.plan()->seals.size() == 1);
    s.redo();
    CHECK(s.plan()->title == "b");
    CHECK(s.plan()->seals.size() == 1);
    s.undo();
    s.undo();
    CHECK(s.plan()->title == "Untitled");
    REQUIRE(s.plan()->seals.size() == 1);
    s.record([](std::vector<Seal>& seals) { seals[0].flown_unix_s = 9; });
    s.redo();
    s.redo();
    CHECK(s.plan()->title == "b");
    CHECK(s.plan()->seals[0].flown_unix_s == 9);
    // An edit of the plan as a whole, as moving it is, does not touch them.
    Plan moved = *s.plan();
    moved.seals.clear();
    moved.title = "moved";
    s.edit("Move", [&](Plan& p) { p = moved; });
    CHECK(s.plan()->title == "moved");
    CHECK(s.plan()->seals.size() == 1);
}

TEST_CASE("another plan has its own records, also after undo and redo", "[session][undo][seal]") {
    PlanSession s;
    s.edit("a", [](Plan& p) { p.title = "a"; });
    s.record([](std::vector<Seal>& seals) { seals.push_back(sealNow(5)); });
    REQUIRE(s.replace("Import", rowPlan(2)));
    CHECK(s.plan()->seals.empty());
    s.record([](std::vector<Seal>& seals) {
        seals.push_back(sealNow(6));
        seals.push_back(sealNow(7));
    });
    s.undo();
    REQUIRE(s.plan()->seals.size() == 1);
    CHECK(s.plan()->seals[0].time_unix_s == 5);
    s.redo();
    REQUIRE(s.plan()->seals.size() == 2);
    CHECK(s.plan()->seals[0].time_unix_s == 6);
}

TEST_CASE("a refused edit changes nothing, selects nothing, and says why", "[session][frozen]") {
    PlanSession s;
    REQUIRE(s.replace("row", rowPlan(4)));
    const ItemId flown = s.plan()->items[1].id;
    s.select({flown});
    s.setFrozen({flown});
    QSignalSpy refused(&s, &PlanSession::refused), selection(&s, &PlanSession::selectionChanged);
    const PlanPtr before = s.plan();
    ItemId made = 0;
    const auto edited = s.edit("insert", [&](Plan& p) {
        Item w;
        w.id = made = p.newId();
        w.position = {47.3, -20.1};
        p.items.insert(p.items.begin() + 1, w);
    });
    CHECK_FALSE(edited);
    CHECK(edited.error().message.find("being flown") != std::string::npos);
    CHECK(refused.count() == 1);
    s.select({made});
    CHECK(s.plan() == before);
    CHECK(s.selection() == std::set<ItemId>{flown});
    CHECK(selection.count() == 0);
    CHECK_FALSE(s.canRedo());
    // What flies comes back all the same.
    Plan earlier = *s.plan();
    earlier.items[1].height = Height::aboveHome(44);
    REQUIRE(s.edit("notes", [](Plan& p) { p.notes = "written in flight"; }));
    s.takeBack("Take the change back", earlier);
    CHECK(s.plan()->items[1].height == Height::aboveHome(44));
    CHECK(s.undoName() == "Take the change back");
    CHECK(s.plan()->notes == "written in flight");
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

TEST_CASE("what waits for the plan to be worked out is called once, of the newest plan", "[session][derived]") {
    PlanSession s;
    QObject context;
    REQUIRE(s.replace("row", rowPlan(3)));
    int called = 0;
    PlanPtr of;
    s.whenDerived(&context, [&] {
        ++called;
        of = s.derived()->plan;
    });
    REQUIRE(s.edit("speed", [](Plan& p) { p.defaults.speed_mps = 5; }));
    {
        QObject gone;
        s.whenDerived(&gone, [&] { called += 100; });
    }
    QElapsedTimer t;
    t.start();
    while (t.elapsed() < 10000 && called == 0) QTest::qWait(10);
    CHECK(called == 1);
    CHECK(of == s.plan());
    s.whenDerived(&context, [&] { ++called; });  // it is there: at once
    CHECK(called == 2);
    REQUIRE(s.edit("speed", [](Plan& p) { p.defaults.speed_mps = 6; }));
    REQUIRE(s.waitUntilDerived(10000));
    CHECK(called == 2);
}

TEST_CASE("a failed load keeps everything as it was", "[session][files][hostile]") {
    TempDir dir;
    PlanSession s;
    s.replace("row", rowPlan(2));
    const PlanPtr before = s.plan();
    spit(dir / "bad.geojson", "{");
    for (const std::string& path : {dir / "bad.geojson", dir / "none", dir.path()}) {
        INFO(path);
        CHECK_FALSE(s.load(QString::fromStdString(path)));
        CHECK(s.plan() == before);
        CHECK(s.canUndo());
    }
}

TEST_CASE("findings come at once and the rehearsal a moment later, each of the newest plan", "[session][derived]") {
    PlanSession s;
    s.replace("row", rowPlan(3));
    REQUIRE(s.waitUntilDerived(10000));
    const auto whole = s.derived();
    CHECK(whole->complete);
    s.edit("no end", [](Plan& p) { p.items.pop_back(); });
    REQUIRE(s.waitUntilViewed(10000));
    CHECK(s.derived()->plan == s.plan());
    CHECK(std::any_of(s.derived()->findings.begin(), s.derived()->findings.end(),
                      [](const Finding& f) { return f.rule == "no-way-to-end"; }));
    REQUIRE(s.derived()->rehearsal);  // the one before, until its own is there
    REQUIRE(s.waitUntilDerived(10000));
    CHECK(s.derived()->complete);
    CHECK(s.derived()->rehearsal != whole->rehearsal);
    CHECK_FALSE(s.derived()->rehearsal->landed);
    // A plan that cannot be sent has no rehearsal, not an old one.
    s.edit("no home", [](Plan& p) { p.home.reset(); });
    REQUIRE(s.waitUntilViewed(10000));
    CHECK_FALSE(s.derived()->rehearsal);
    CHECK(s.derived()->not_rehearsed.find("home") != std::string::npos);
}

TEST_CASE("a file written by another is noticed, one's own saves are not", "[session][files]") {
    TempDir dir;
    PlanSession s, other;
    const QString path = QString::fromStdString(dir / "p.anhinga.geojson");
    s.replace("row", rowPlan(2));
    CHECK_FALSE(s.changedOnDisk());
    REQUIRE(s.save(path));
    CHECK_FALSE(s.changedOnDisk());
    REQUIRE(other.load(path));
    other.edit("rename", [](Plan& p) { p.title = "theirs"; });
    REQUIRE(other.save(path));
    CHECK_FALSE(other.changedOnDisk());
    CHECK(s.changedOnDisk());
    REQUIRE(s.load(path));
    CHECK_FALSE(s.changedOnDisk());
    CHECK(s.plan()->title == "theirs");
}

TEST_CASE("what was recovered belongs to its file and can be taken back to it", "[session][recovery]") {
    TempDir dir;
    PlanSession s;
    const QString path = QString::fromStdString(dir / "p.anhinga.geojson");
    s.replace("row", rowPlan(2));
    REQUIRE(s.save(path));
    Plan newer = *s.plan();
    newer.title = "newer";
    PlanSession again;
    again.restore(path, newer);
    CHECK(again.path() == path);
    CHECK(again.modified());
    CHECK(again.plan()->title == "newer");
    again.undo();
    CHECK(again.plan()->title == "row");
    CHECK_FALSE(again.modified());
    PlanSession lost;  // its file is gone
    lost.restore(QString::fromStdString(dir / "gone.anhinga.geojson"), newer);
    CHECK(lost.path().isEmpty());
    CHECK(lost.modified());
    CHECK(*lost.plan() == newer);
}

TEST_CASE("terrain follows the files the plan names, through undo, saving elsewhere and damage", "[session][terrain]") {
    TempDir dir;
    std::filesystem::create_directories(dir / "a");
    std::filesystem::create_directories(dir / "b");
    std::filesystem::copy(demo("quillmere-elevation.tif"), dir / "a/ground.tif");
    const QString first = QString::fromStdString(dir / "a/plan.anhinga.geojson");
    const GeoPoint summit{47.31387, -20.12621};
    PlanSession s;
    s.replace("row", rowPlan(3));
    REQUIRE(s.save(first));
    QSignalSpy changed(&s, &PlanSession::terrainChanged), opened(&s, &PlanSession::opened);
    REQUIRE(s.addTerrain(QString::fromStdString(dir / "a/ground.tif")));
    CHECK(s.plan()->terrain_files == std::vector<std::string>{"ground.tif"});  // beside the plan: named relative
    CHECK(changed.count() == 1);
    CHECK(s.terrain()->sample(summit).has_value());
    REQUIRE(s.waitUntilDerived(10000));
    CHECK(s.derived()->terrain == s.terrain());
    s.undo();
    CHECK_FALSE(s.terrain()->sample(summit));
    s.redo();
    CHECK(s.terrain()->sample(summit).has_value());
    // Edits of anything else leave the very same terrain in use: nothing is read again.
    const auto before = s.terrain();
    s.edit("title", [](Plan& p) { p.title = "other"; });
    CHECK(s.terrain() == before);
    REQUIRE(s.save(first));
    REQUIRE(s.load(first));
    CHECK(s.terrain()->sample(summit).has_value());
    CHECK(opened.count() == 1);
    // Of a file that is gone nothing is known, and that is said; the plan says what it names.
    s.edit("gone", [](Plan& p) { p.terrain_files = {"nowhere.tif"}; });
    CHECK(s.terrain()->empty());
    REQUIRE(s.terrain()->missing().size() == 1);
    CHECK(s.terrain()->missing()[0].name == "nowhere.tif");
    CHECK(s.plan()->terrain_files.front() == "nowhere.tif");
    s.undo();
    CHECK(s.terrain()->sample(summit).has_value());
    spit(dir / "a/bad.tif", rubbish(3000, 4));
    const auto refused = s.addTerrain(QString::fromStdString(dir / "a/bad.tif"));
    REQUIRE_FALSE(refused);
    CHECK(refused.error().message.find("bad.tif") != std::string::npos);
    // A new plan keeps the place's terrain, without reading it again.
    s.startNew();
    CHECK(s.terrain()->sample(summit).has_value());
    CHECK(s.path().isEmpty());
}

TEST_CASE("a plan whose terrain is missing is opened, and says what is missing", "[session][terrain][hostile]") {
    TempDir dir;
    Plan plan = rowPlan(2);
    plan.terrain_files = {"missing.tif"};
    REQUIRE(savePlan(plan, dir / "p.anhinga.geojson"));
    PlanSession s;
    s.edit("mine", [](Plan& p) { p.title = "mine"; });
    QSignalSpy opened(&s, &PlanSession::opened);
    const auto loaded = s.load(QString::fromStdString(dir / "p.anhinga.geojson"));
    REQUIRE(loaded);
    CHECK(s.plan()->title == plan.title);
    CHECK(opened.count() == 1);
    REQUIRE(s.waitUntilDerived(10000));
    const auto found = s.findings();
    CHECK(std::any_of(found.begin(), found.end(), [](const Finding& f) {
        return f.rule == "terrain-missing" && f.message.find("missing.tif") != std::string::npos;
    }));
}
