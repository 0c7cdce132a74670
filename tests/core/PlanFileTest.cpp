#include <sys/stat.h>
#include <catch2/catch.hpp>

#include "core/plan/PlanFile.h"
#include "support.h"

using namespace anhinga;
using namespace anhinga::testing;

namespace {
/// A plan with one of everything.
Plan fullPlan() {
    Plan plan = rowPlan(3);
    plan.notes = "two\nlines, \"quoted\" and ünïcode";
    plan.ceiling_m = 120.5;
    plan.terrain_files = {"a.tif", "b/c.tif"};
    plan.items[1].height = Height::amsl(74.25);
    plan.items[1].speed_mps = 5.5;
    plan.items[1].actions = {LookAt{{47.3, -20.1}, Height::aboveGround(2), "cairn"}, PhotoNow{}, GimbalPitch{-32}};
    plan.items[2].kind = ItemKind::hold;
    plan.items[2].hold_s = 20;
    plan.items[2].actions = {LookAtStop{}, PhotoEvery{12.5}, Repeat{plan.items[1].id, 2},
                             RawCommand{3, 93, 1, 2, 3, 4, 5, 6, 7}};
    Item block;
    block.id = plan.newId();
    block.kind = ItemKind::block;
    block.name = "quarry";
    Pattern& p = block.pattern.edit();
    p.outline = {{47.31, -20.12}, {47.312, -20.12}, {47.312, -20.117}};
    p.heading_deg = 80;
    p.overlap_percent = 75;
    p.sidelap_percent = 60;
    p.margin_m = 5;
    plan.items.insert(plan.items.begin() + 3, block);
    plan.fences.push_back(
        {plan.newId(), FenceKind::keepOut, "colony", {{47.30, -20.13}, {47.31, -20.13}, {47.31, -20.125}}, ""});
    plan.traits.repeats_rearm = false;
    return plan;
}
std::string errorOf(const std::string& text) {
    const auto plan = readPlanText(text, "test.geojson");
    REQUIRE_FALSE(plan);
    return plan.error().message;
}
std::string withItem(const std::string& anhinga,
                     const std::string& geometry = R"({"type":"Point","coordinates":[-20,47]})") {
    return R"({"type":"FeatureCollection","anhinga":{"format":1},"features":[
{"type":"Feature","geometry":)" +
           geometry + R"(,"properties":{},"anhinga":)" + anhinga + "}]}";
}
}  // namespace

TEST_CASE("a plan comes back from its file as it was, and the same plan gives the same text", "[plan][file]") {
    const Plan plan = fullPlan();
    const std::string text = writePlanText(plan);
    const auto back = readPlanText(text, "t");
    REQUIRE(back);
    CHECK(*back == plan);
    CHECK(writePlanText(*back) == text);
}

TEST_CASE("a plan file has one feature a line, so that differences are readable", "[plan][file]") {
    Plan plan = fullPlan();
    const std::string before = writePlanText(plan);
    plan.items[1].position.lat_deg += 0.001;
    const std::string after = writePlanText(plan);
    std::istringstream a(before), b(after);
    int different = 0;
    for (std::string x, y; std::getline(a, x) && std::getline(b, y);) different += x != y;
    CHECK(different == 1);
}

TEST_CASE("members this version does not know survive a load and save", "[plan][file]") {
    std::string text = writePlanText(rowPlan(1));
    text.replace(text.find("\"format\":8"), 10, "\"format\":8,\n\"weather\":{\"a\":[1,2]}");
    text.replace(text.find("\"kind\":\"waypoint\""), 17, "\"kind\":\"waypoint\",\"tilt\":7");
    const auto plan = readPlanText(text, "t");
    REQUIRE(plan);
    const std::string again = writePlanText(*plan);
    CHECK(again.find("\"weather\":{\"a\":[1,2]}") != std::string::npos);
    CHECK(again.find("\"tilt\":7") != std::string::npos);
}

TEST_CASE("errors in a plan file say where and what was expected", "[plan][file][hostile]") {
    CHECK(errorOf("").find("empty") != std::string::npos);
    CHECK(errorOf("{\n  \"type\": ,\n}").find("line 2, column 11") != std::string::npos);
    CHECK(errorOf("{\"type\":\"FeatureColl").find("ends too early") != std::string::npos);
    CHECK(errorOf("[1,2,3]").find("FeatureCollection") != std::string::npos);
    CHECK(errorOf(R"({"type":"FeatureCollection","features":[]})").find("not a plan") != std::string::npos);
    CHECK(errorOf(R"({"type":"FeatureCollection","anhinga":{"format":99},"features":[]})").find("newer version") !=
          std::string::npos);
    CHECK(errorOf(withItem(R"({"type":"item","id":1,"kind":"teleport"})")).find("feature 1: item kind \"teleport\"") !=
          std::string::npos);
    CHECK(errorOf(withItem(R"({"type":"item","id":1,"kind":"waypoint","speed_mps":-3})")).find("speed_mps is -3") !=
          std::string::npos);
    CHECK(errorOf(withItem(R"({"type":"item","id":1,"kind":"waypoint"})", R"({"type":"Point","coordinates":[-20,97]})"))
              .find("not on the earth") != std::string::npos);
    CHECK(errorOf(withItem(R"({"type":"item","id":1,"kind":"waypoint","height":{"value_m":60,"ref":"roof"}})"))
              .find("roof") != std::string::npos);
    // A fence that crosses itself is a finding, not a file that cannot be opened.
    CHECK(readPlanText(withItem(R"({"type":"fence","id":1,"kind":"keep-in"})",
                                R"({"type":"Polygon","coordinates":[[[0,0],[1,1],[1,0],[0,1],[0,0]]]})"),
                       "x"));
    std::string twice = writePlanText(rowPlan(2));
    twice.replace(twice.find("\"id\":2"), 6, "\"id\":3");
    CHECK(errorOf(twice).find("id 3 is used twice") != std::string::npos);
}

TEST_CASE("saving replaces the file whole and leaves nothing beside it", "[plan][file]") {
    TempDir dir;
    const std::string path = dir / "p.anhinga.geojson";
    REQUIRE(savePlan(rowPlan(1), path));
    REQUIRE(savePlan(rowPlan(5), path));
    const auto back = loadPlan(path);
    REQUIRE(back);
    CHECK(back->items.size() == 7);
    int files = 0;
    for ([[maybe_unused]] const auto& f : std::filesystem::directory_iterator(dir.path())) ++files;
    CHECK(files == 1);
    CHECK_FALSE(savePlan(rowPlan(1), dir.path()));
    CHECK_FALSE(savePlan(rowPlan(1), dir / "no/such/folder/p.geojson"));
}

TEST_CASE("a directory, a missing and a forbidden plan file give their own errors", "[plan][file][hostile]") {
    TempDir dir;
    CHECK(loadPlan(dir.path()).error().message.find("directory") != std::string::npos);
    CHECK(loadPlan(dir / "none").error().message.find("No such file") != std::string::npos);
    spit(dir / "locked", writePlanText(rowPlan(1)));
    chmod((dir / "locked").c_str(), 0);
    chmod(dir.path().c_str(), 0755);
    withoutRights([&](bool stopped) {
        if (stopped) CHECK(loadPlan(dir / "locked").error().message.find("Permission") != std::string::npos);
    });
}

TEST_CASE("no damaged plan file crashes the reader, and what is read is sound", "[plan][file][hostile]") {
    const std::string good = writePlanText(fullPlan());
    int refused = 0;
    for (const std::string& text : damaged(good, 400, 7)) {
        const auto plan = readPlanText(text, "d");
        if (!plan) {
            ++refused;
            CHECK(plan.error().message.starts_with("d: "));
            continue;
        }
        for (const Item& item : plan->items) CHECK(isValid(item.position));
    }
    CHECK(refused > 200);
    for (unsigned i = 0; i < 40; ++i) CHECK_FALSE(readPlanText(rubbish(200 + i * 50, i), "r"));
    CHECK_FALSE(readPlanText(std::string(200000, '['), "deep"));
}

TEST_CASE("numbers shown for items skip take-off and return", "[plan]") {
    const Plan plan = rowPlan(3);
    CHECK(itemNumber(plan, plan.items[0].id) == 0);
    CHECK(itemNumber(plan, plan.items[1].id) == 1);
    CHECK(itemText(plan, plan.items[3].id) == "Waypoint 3");
    CHECK(itemText(plan, 999) == "an item that is gone");
    CHECK(heightText(Height::amsl(74)) == "74 m AMSL");
}

TEST_CASE("plans of formats 1 to 5 are read with the meaning they had", "[plan][file][before]") {
    // As format 5 wrote them: one word for the camera, ranges of a Face's angles, "locked".
    const auto with = [](const std::string& pattern, const std::string& kind = "block", const std::string& more = "") {
        const std::string geometry =
            kind == "face"
                ? R"({"type":"LineString","coordinates":[[-20.12,47.31],[-20.119,47.31]]})"
                : R"({"type":"Polygon","coordinates":[[[-20.12,47.31],[-20.119,47.31],[-20.119,47.311],[-20.12,47.31]]]})";
        const auto plan = readPlanText(R"({"type":"FeatureCollection","anhinga":{"format":5)" + more +
                                           R"(},"features":[{"type":"Feature","properties":{},"geometry":)" + geometry +
                                           R"(,"anhinga":{"type":"item","id":1,"kind":")" + kind + R"(","pattern":{)" +
                                           pattern + "}}}]}",
                                       "before");
        INFO((plan ? "" : plan.error().message));
        REQUIRE(plan);
        return *plan;
    };
    struct Row {
        const char* word;
        CameraMakes makes;
        PhotoWhen when;
    };
    for (const Row& row :
         {Row{"distance", CameraMakes::photos, PhotoWhen::distance}, Row{"time", CameraMakes::photos, PhotoWhen::time},
          Row{"stop", CameraMakes::photos, PhotoWhen::standing}, Row{"video", CameraMakes::film, PhotoWhen::distance},
          Row{"none", CameraMakes::nothing, PhotoWhen::distance}}) {
        INFO(row.word);
        const Plan plan = with(R"("policy":")" + std::string(row.word) + "\"");
        CHECK(plan.items[0].pattern->makes == row.makes);
        CHECK(plan.items[0].pattern->when == row.when);
        // What was left out was the usual sidelap of then; written today it stands in the file.
        CHECK(plan.items[0].pattern->sidelap_percent == 65);
        CHECK(*readPlanText(writePlanText(plan), "again") == plan);
    }
    CHECK(Pattern{}.sidelap_percent == 60);
    const auto angles = [&](const std::string& text) { return *with(text, "face").items[0].pattern; };
    CHECK(angles(R"("tilt_from_deg":-30,"tilt_to_deg":30,"tilt_step_deg":30)").tilts_deg ==
          std::vector<double>{-30, 0, 30});
    CHECK(angles(R"("turn_from_deg":20,"turn_to_deg":-20,"turn_step_deg":20)").turns_deg ==
          std::vector<double>{20, 0, -20});
    CHECK(angles(R"("tilt_from_deg":5,"tilt_to_deg":5,"tilt_step_deg":15)").tilts_deg == std::vector<double>{5});
    CHECK(angles("").tilts_deg == std::vector<double>{0});
    CHECK(with("", "block", R"(,"locked":true)").frozen);
    CHECK_FALSE(with("").frozen);
}

TEST_CASE("demo plans of format 4 are today's, and fly the same", "[plan][file][before]") {
    for (const char* name : {"face", "quarry"}) {
        INFO(name);
        const auto before =
            loadPlan(std::string(DEMO_DIR) + "/../../tests/data/plan-format-4-" + name + ".anhinga.geojson");
        const auto now =
            loadPlan(demo(std::string(name) == "face" ? "lighthouse-face.anhinga.geojson" : "quarry.anhinga.geojson"));
        REQUIRE((before && now));
        CHECK(before->items[1].pattern->makes == CameraMakes::photos);
        for (std::size_t i = 0; i < before->items.size(); ++i) {
            Item a = before->items[i], b = now->items[i];
            // A face has no sidelap in its file: it is the usual one, then and now, and its rows are said in metres.
            if (isPattern(a.kind)) a.pattern.edit().sidelap_percent = b.pattern->sidelap_percent;
            CHECK(a == b);
        }
    }
}
