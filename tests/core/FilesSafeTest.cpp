// What is saved can be opened again, nothing is replaced unasked, and what is missing is told.
#include <sys/stat.h>
#include <catch2/catch.hpp>

#include <thread>

#include "core/base/Json.h"
#include "core/base/Text.h"
#include "core/check/Check.h"
#include "core/exchange/Import.h"
#include "core/plan/KeptPlan.h"
#include "core/plan/PlanFile.h"
#include "core/plan/ProfileLibrary.h"
#include "core/terrain/Imagery.h"
#include "support.h"

using namespace anhinga;
using namespace anhinga::testing;

namespace {
namespace fs = std::filesystem;

mode_t modeOf(const std::string& path) {
    struct stat info {};
    REQUIRE(::lstat(path.c_str(), &info) == 0);
    return info.st_mode & 07777;
}
bool findingOf(const Plan& plan, const Terrain* terrain, const std::string& rule) {
    const PlanView view = viewOf(plan, terrain);
    const CheckInput input{plan, view, terrain};
    const auto found = check(input);
    return std::any_of(found.begin(), found.end(), [&](const Finding& f) { return f.rule == rule; });
}
}  // namespace

TEST_CASE("what is odd opens and is a finding", "[plan][files]") {
    Plan plan = rowPlan(3);
    Fence crossing;
    crossing.id = plan.newId();
    const GeoPoint home = plan.home->position;
    for (const auto& [bearing, away] : {std::pair{0.0, 200.0}, {180.0, 200.0}, {90.0, 200.0}, {270.0, 200.0}})
        crossing.outline.push_back(destination(home, bearing, away));
    plan.fences = {crossing};
    Obstacle mast;
    mast.id = plan.newId();
    mast.height_m = 15000;
    mast.points = {destination(home, 45, 300)};
    plan.obstacles = {mast};
    plan.items[2].height = Height::aboveHome(50000);
    TempDir dir;
    REQUIRE(savePlan(plan, dir / "odd.anhinga.geojson"));
    const auto back = loadPlan(dir / "odd.anhinga.geojson");
    REQUIRE(back);
    CHECK(back->fences == plan.fences);
    CHECK(back->obstacles == plan.obstacles);
    CHECK(back->items == plan.items);
    CHECK(findingOf(*back, nullptr, "fence-self-crossing"));
    // Each odd height is a finding of its own, and nothing usual is one.
    const auto odd = [&](Plan p, const std::function<void(Plan&)>& change) {
        change(p);
        REQUIRE(savePlan(p, dir / "one.anhinga.geojson"));
        return findingOf(*loadPlan(dir / "one.anhinga.geojson"), nullptr, "height-unlikely");
    };
    const Plan usual = rowPlan(3);
    CHECK_FALSE(odd(usual, [](Plan&) {}));
    const auto put = [&](Plan& p, double height_m) {
        p.obstacles = {mast};
        p.obstacles[0].id = p.newId();
        p.obstacles[0].height_m = height_m;
    };
    CHECK(odd(usual, [&](Plan& p) { put(p, 15000); }));
    CHECK(odd(usual, [](Plan& p) { p.items[2].height = Height::aboveHome(50000); }));
    CHECK(odd(usual, [](Plan& p) { p.items[1].height = Height{-12000, HeightRef::amsl}; }));
    CHECK(odd(usual, [](Plan& p) { p.home->amsl_m = 60000; }));
    CHECK(odd(usual, [](Plan& p) { p.defaults.height = Height::aboveHome(50000); }));
    CHECK(odd(usual, [](Plan& p) { p.return_height_m = 50000; }));
    CHECK(odd(usual, [](Plan& p) {
        p.items[1].actions.push_back(LookAt{p.home->position, Height::aboveHome(50000), ""});
    }));
    CHECK(odd(usual, [](Plan& p) { p.rally = {{p.newId(), "", p.home->position, Height::aboveHome(20000), ""}}; }));
    CHECK_FALSE(odd(usual, [&](Plan& p) {
        put(p, 320);
        p.items[1].height = Height{4800, HeightRef::amsl};
    }));
}

TEST_CASE("a number that no plan may hold is not saved, and the old file stays", "[plan][files]") {
    TempDir dir;
    const std::string path = dir / "p.anhinga.geojson";
    const Plan good = rowPlan(3);
    REQUIRE(savePlan(good, path));
    const std::string before = slurp(path);
    const auto tried = [&](const std::function<void(Plan&)>& change, const std::string& says) {
        Plan bad = good;
        change(bad);
        INFO(says);
        const auto whole = canBeSaved(bad), part = canBeSaved(bad, good);
        REQUIRE_FALSE(whole);
        REQUIRE_FALSE(part);
        CHECK(part.error().message.find(says) != std::string::npos);
        const auto saved = savePlan(bad, path);
        REQUIRE_FALSE(saved);
        CHECK(saved.error().message.find(says) != std::string::npos);
        CHECK(slurp(path) == before);
    };
    for (const double v : {1e300, -1e300, double(INFINITY), -double(INFINITY), double(NAN)}) {
        tried([v](Plan& p) { p.items[1].speed_mps = v; }, "speed_mps");
        tried([v](Plan& p) { p.items[1].height = Height::aboveHome(v); }, "value_m");
        tried([v](Plan& p) { p.items[1].acceptance_m = v; }, "acceptance_m");
        tried([v](Plan& p) { p.vehicle.mass_kg = v; }, "mass_kg");
        tried([v](Plan& p) { p.camera.focal_mm = v; }, "focal_mm");
        tried([v](Plan& p) { p.return_height_m = v; }, "return_height_m");
        tried([v](Plan& p) { p.items[1].actions = {Delay{v}}; }, "delay_s");
        tried([v](Plan& p) { p.clearance_min_m = v; }, "clearance_min_m");
    }
    tried([](Plan& p) { p.items[2].position.lat_deg = 900; }, "not on the earth");
    // The item is named, and what it may be.
    Plan bad = good;
    bad.items[2].speed_mps = 1e6;
    const auto why = canBeSaved(bad, good);
    REQUIRE_FALSE(why);
    CHECK(why.error().message.find("Waypoint 2") != std::string::npos);
    CHECK(why.error().message.find("0.1 to 150") != std::string::npos);
    Plan same = good;
    CHECK(canBeSaved(same, good));
    CHECK(same == good);
    CHECK(canBeSaved(good));
}

TEST_CASE("links stay links, mode stays, what is guarded is asked for, what is no file is refused", "[files]") {
    TempDir dir;
    fs::create_directory(dir / "far");
    const std::string real = dir / "far/real.txt", link = dir / "link.txt";
    spit(real, "old");
    fs::create_symlink("far/real.txt", link);
    ::chmod(real.c_str(), 0640);
    REQUIRE(writeFileAtomic(link, "new"));
    CHECK(fs::is_symlink(link));
    CHECK(slurp(real) == "new");
    CHECK(modeOf(real) == 0640);
    // Leading nowhere yet: the file comes where it leads.
    fs::create_symlink("far/later.txt", dir / "dangling");
    REQUIRE(writeFileAtomic(dir / "dangling", "there"));
    CHECK(slurp(dir / "far/later.txt") == "there");
    // A ring of links ends in an error.
    fs::create_symlink("b", dir / "a");
    fs::create_symlink("a", dir / "b");
    CHECK_FALSE(writeFileAtomic(dir / "a", "x"));
    // Write-protected: once more, when asked for.
    ::chmod(real.c_str(), 0440);
    const auto guarded = writeFileAtomic(real, "again");
    REQUIRE_FALSE(guarded);
    CHECK(guarded.error().code == ErrorCode::guarded);
    CHECK(slurp(real) == "new");
    REQUIRE(writeFileAtomic(real, "again", {.anyway = true}));
    CHECK(slurp(real) == "again");
    CHECK(modeOf(real) == 0440);
    if (::geteuid() == 0) {
        spit(dir / "theirs", "x");
        REQUIRE(::chown((dir / "theirs").c_str(), 12345, 12345) == 0);
        const auto foreign = writeFileAtomic(dir / "theirs", "y");
        REQUIRE_FALSE(foreign);
        CHECK(foreign.error().code == ErrorCode::guarded);
        REQUIRE(writeFileAtomic(dir / "theirs", "y", {.anyway = true}));
        struct stat info {};
        REQUIRE(::stat((dir / "theirs").c_str(), &info) == 0);
        CHECK(info.st_uid == 12345);
    }
    // Pipes and devices would swallow a plan or wait for ever.
    REQUIRE(::mkfifo((dir / "pipe").c_str(), 0600) == 0);
    for (const std::string& path : {dir / "pipe", std::string("/dev/null"), dir / "far"}) {
        INFO(path);
        const auto refused = writeFileAtomic(path, "x", {.anyway = true});
        REQUIRE_FALSE(refused);
        CHECK_FALSE(readFile(path));
        CHECK_FALSE(Terrain::open({path}));
    }
    // A new file follows the mask of the process, which is left alone; a private one is its owner's.
    const mode_t mask = ::umask(027);
    REQUIRE(writeFileAtomic(dir / "masked", "x"));
    REQUIRE(writeFileAtomic(dir / "own", "x", {.private_file = true}));
    CHECK(::umask(mask) == 027);
    CHECK(modeOf(dir / "masked") == 0640);
    CHECK(modeOf(dir / "own") == 0600);
    for (const auto& entry : fs::directory_iterator(dir.path()))
        CHECK(entry.path().string().find(".part") == std::string::npos);
}

TEST_CASE("what programs that are gone have left is cleared, what others are writing is not", "[files]") {
    TempDir dir;
    // No process has this number: it is above what a system gives.
    spit(dir / "plan.geojson.99999999-0.part", "half");
    spit(dir / fmt::format("plan.geojson.{}-3.part", ::getpid()), "being written");
    spit(dir / "a.part", "somebody's own");
    removeLeftParts(dir.path());
    CHECK_FALSE(fs::exists(dir / "plan.geojson.99999999-0.part"));
    CHECK(fs::exists(dir / fmt::format("plan.geojson.{}-3.part", ::getpid())));
    CHECK(fs::exists(dir / "a.part"));
}

TEST_CASE("a kept copy that cannot be read is told and stays", "[plan][files][kept]") {
    TempDir dir;
    const std::string folder = dir / "unsaved";
    {
        auto copy = KeptCopy::begin(folder);
        REQUIRE(copy);
        CHECK(modeOf(folder) == 0700);
        REQUIRE(copy->write(rowPlan(2), "/tmp/x.anhinga.geojson"));
        CHECK(modeOf(copy->file()) == 0600);
        fs::copy(copy->file(), folder + "/1-0.anhinga.geojson");
        // One that could not be opened is kept all the same: better to be mended by hand than lost.
        Plan odd = rowPlan(2);
        odd.items[1].speed_mps = 1e9;
        REQUIRE(copy->write(odd, ""));
        fs::copy(copy->file(), folder + "/2-0.anhinga.geojson");
    }
    spit(folder + "/3-0.anhinga.geojson.lock", "");  // of a copy that was saved in time
    const auto left = leftPlans(folder);
    REQUIRE(left.size() == 2);
    for (const LeftPlan& l : left) {
        const bool readable = l.file.ends_with("1-0.anhinga.geojson");
        CHECK(l.problem.empty() == readable);
        if (!readable) CHECK(l.problem.find("speed_mps") != std::string::npos);
        if (readable) CHECK(l.original == "/tmp/x.anhinga.geojson");
    }
    CHECK_FALSE(fs::exists(folder + "/3-0.anhinga.geojson.lock"));
    CHECK(leftPlans(folder).size() == 2);  // asked about again
}

TEST_CASE("a plan saved elsewhere finds its terrain and pictures", "[plan][files]") {
    TempDir dir;
    fs::create_directories(dir / "here/sub");
    fs::create_directories(dir / "there");
    Plan plan = rowPlan(2);
    plan.terrain_files = {"ground.tif", "sub/more.tif", "/far/away.tif"};
    plan.imagery_files = {"../picture.tif"};
    const std::string from = dir / "here/p.anhinga.geojson", to = dir / "there/q.anhinga.geojson";
    const Plan moved = movedTo(plan, from, to);
    CHECK(moved.terrain_files ==
          std::vector<std::string>{"../here/ground.tif", "../here/sub/more.tif", "/far/away.tif"});
    CHECK(moved.imagery_files == std::vector<std::string>{"../picture.tif"});
    for (std::size_t i = 0; i < plan.terrain_files.size(); ++i)
        CHECK(resolveBeside(to, moved.terrain_files[i]) == resolveBeside(from, plan.terrain_files[i]));
    CHECK(movedTo(plan, from, dir / "here/other.anhinga.geojson") == plan);
    const Plan loose = movedTo(plan, from, "");
    CHECK(loose.terrain_files[0] == dir / "here/ground.tif");
    // And back into a folder it can be moved with.
    CHECK(movedTo(loose, "", from).terrain_files[0] == "ground.tif");
}

TEST_CASE("terrain that is missing is a finding, and terrain named often is opened once", "[plan][files]") {
    TempDir dir;
    const std::string here = demo("quillmere-elevation.tif");
    fs::create_symlink(here, dir / "again.tif");
    const auto terrain = Terrain::openPresent({{"a", here},
                                               {"gone.tif", dir / "gone.tif"},
                                               {"a", here},
                                               {"b", dir / "again.tif"},
                                               {"c", dir / "./again.tif"}});
    CHECK(terrain->rasters().size() == 1);
    REQUIRE(terrain->missing().size() == 1);
    CHECK(terrain->missing()[0].name == "gone.tif");
    Plan plan = rowPlan(2);
    const PlanView view = viewOf(plan, terrain.get());
    const CheckInput input{plan, view, terrain.get()};
    const auto found = check(input);
    const auto missing =
        std::find_if(found.begin(), found.end(), [](const Finding& f) { return f.rule == "terrain-missing"; });
    REQUIRE(missing != found.end());
    CHECK(missing->message.find("gone.tif") != std::string::npos);
    REQUIRE(missing->corrections.size() == 1);
    CHECK(missing->corrections[0].look_for == "gone.tif");
    applyAll(plan, found);  // nothing that would have to be looked for
    // What it has open is not opened again, though it is gone by now.
    std::vector<Terrain::Named> anew{{"a", here}};
    const auto kept = Terrain::openPresent(anew, terrain.get());
    CHECK(kept->rasters()[0] == terrain->rasters()[0]);
    CHECK_FALSE(Terrain::open({here, dir / "gone.tif"}));
}

TEST_CASE("a raster is its own file: descriptions of files elsewhere are not followed", "[files][terrain]") {
    TempDir dir;
    fs::copy(demo("quillmere-elevation.tif"), dir / "real.tif");
    spit(dir / "virtual.tif",
         "<VRTDataset rasterXSize=\"20\" rasterYSize=\"20\"><SRS>EPSG:4326</SRS>"
         "<GeoTransform>-20.2,0.01,0,47.4,0,-0.01</GeoTransform><VRTRasterBand dataType=\"Float32\" band=\"1\">"
         "<SimpleSource><SourceFilename relativeToVRT=\"1\">real.tif</SourceFilename></SimpleSource>"
         "</VRTRasterBand></VRTDataset>");
    spit(dir / "service.tif",
         "<GDAL_WMS><Service name=\"TMS\"><ServerUrl>http://127.0.0.1:9/</ServerUrl></Service>"
         "<DataWindow><SizeX>100</SizeX><SizeY>100</SizeY></DataWindow></GDAL_WMS>");
    CHECK(Terrain::open({dir / "real.tif"}));
    for (const std::string& path :
         {dir / "virtual.tif", dir / "service.tif", std::string("/vsicurl/http://127.0.0.1:9/x.tif"),
          "/vsizip/" + (dir / "real.tif"), std::string("WMS:http://127.0.0.1:9/")}) {
        INFO(path);
        CHECK_FALSE(Terrain::open({path}));
        CHECK_FALSE(ImagerySource::open(path));
    }
}

TEST_CASE("a hundred thousand brackets end nothing", "[files][hostile]") {
    CHECK_FALSE(nestsDeeper("[[1],{\"a\":[2]}]", 3));
    CHECK(nestsDeeper("[[1],{\"a\":[2]}]", 2));
    CHECK_FALSE(nestsDeeper("[\"[[[[[\\\"[[[\"]", 1));
    TempDir dir;
    const std::string many(100000, '[');
    const std::string members = [] {
        std::string s;
        for (int i = 0; i < 100000; ++i) s += "{\"a\":";
        return s;
    }();
    const std::string xml = [] {
        std::string s = "<kml>";
        for (int i = 0; i < 100000; ++i) s += "<Folder>";
        return s;
    }();
    const std::string plan = "{\"type\":\"FeatureCollection\",\"anhinga\":{\"format\":8,\"odd\":" + many +
                             std::string(100000, ']') + "},\"features\":[]}";
    for (const std::string& text : {many, members, plan}) {
        CHECK_FALSE(readPlanText(text, "x"));
        CHECK_FALSE(readProfiles(text, "x"));
        CHECK_FALSE(readGeoJson(text, "x"));
        spit(dir / "deep.geojson", text);
        CHECK_FALSE(readShapes(dir / "deep.geojson"));
    }
    CHECK(readPlanText(plan, "x").error().message.find("100 deep") != std::string::npos);
    spit(dir / "deep.kml", xml);
    CHECK_FALSE(readShapes(dir / "deep.kml"));
}

TEST_CASE("what came from elsewhere neither steers a terminal nor breaks UTF-8", "[base][text]") {
    CHECK(shownText("grüße, 3 µT\tok\n") == "grüße, 3 µT\tok\n");
    CHECK(shownText("\x1b[2J") == "␛[2J");
    CHECK(shownText(std::string_view("a\0b", 3)) == "a␀b");
    CHECK(shownText("\x7f") == "␡");
    CHECK(shownText("\xff\xc3") == "��");
    CHECK(shownText("\xc0\x80") == "��");       // too long a way to say nothing
    CHECK(shownText("\xed\xa0\x80") == "���");  // half of a pair
    CHECK(shownText("\xe2\x80\xae"
                    "abc") == "�abc");  // turns the direction of writing
    CHECK(shownText("\xc2\x9b"
                    "2J") == "�2J");
    for (unsigned seed = 0; seed < 300; ++seed) {
        const std::string once = shownText(rubbish(200, seed));
        CHECK(shownText(once) == once);
    }
}
