// Every member of the plan file: wrong types and values out of range are refused, each with its name.
#include <catch2/catch.hpp>

#include "core/plan/PlanFile.h"
#include "support.h"

using namespace anhinga;
using namespace anhinga::testing;

namespace {

std::string planWith(const std::string& members) {
    return R"({"type":"FeatureCollection","anhinga":{"format":1)" + (members.empty() ? "" : "," + members) +
           R"(},"features":[]})";
}
std::string itemWith(const std::string& members, const std::string& kind = "waypoint",
                     const std::string& geometry = R"({"type":"Point","coordinates":[-20.12,47.31]})") {
    return R"({"type":"FeatureCollection","anhinga":{"format":1},"features":[{"type":"Feature","geometry":)" +
           geometry + R"(,"anhinga":{"type":"item","id":1,"kind":")" + kind + "\"" +
           (members.empty() ? "" : "," + members) + "}}]}";
}
struct Row {
    std::string text;
    const char* says;
};

}  // namespace

TEST_CASE("the smallest plan is a plan", "[plan][file]") {
    const auto plan = readPlanText(planWith(""), "t");
    REQUIRE(plan);
    CHECK(plan->items.empty());
    CHECK_FALSE(plan->home);
    CHECK(plan->next_id == 1);
    CHECK(*plan == *readPlanText(writePlanText(*plan), "t"));
    REQUIRE(readPlanText(itemWith(""), "t"));
}

TEST_CASE("members of the plan that are wrong are refused by name", "[plan][file][hostile]") {
    const Row rows[] = {
        {planWith(R"("title":5)"), "title must be a text"},
        {planWith(R"("home":[1,2])"), "home must be an object"},
        {planWith(R"("home":{"position":[-20]})"), "position must be [longitude, latitude]"},
        {planWith(R"("home":{"position":[-20,"north"]})"), "position must be"},
        {planWith(R"("home":{"position":[-200,47]})"), "not on the earth"},
        {planWith(R"("home":{"position":[-20,47],"amsl_m":1e9})"), "amsl_m is"},
        {planWith(R"("defaults":7)"), "defaults must be an object"},
        {planWith(R"("defaults":{"height":60})"), "height must be an object"},
        {planWith(R"("defaults":{"height":{"value_m":60}})"), "height ref"},
        {planWith(R"("defaults":{"speed_mps":0})"), "speed_mps is 0"},
        {planWith(R"("defaults":{"acceptance_m":"near"})"), "acceptance_m must be a number"},
        {planWith(R"("vehicle":{"mass_kg":-1})"), "mass_kg is -1"},
        {planWith(R"("vehicle":{"battery_wh":true})"), "battery_wh must be a number"},
        {planWith(R"("camera":{"focal_mm":0})"), "focal_mm is 0"},
        {planWith(R"("camera":{"px_across":1e12})"), "px_across is"},
        {planWith(R"("autopilot":{"item_limit":0})"), "item_limit is 0"},
        {planWith(R"("autopilot":{"repeats_rearm":1})"), "repeats_rearm must be true or false"},
        {planWith(R"("ceiling_m":"low")"), "ceiling_m must be a number"},
        {planWith(R"("clearance_min_m":-5)"), "clearance_min_m is -5"},
        {planWith(R"("terrain":"a.tif")"), "terrain must be a list"},
        {planWith(R"("imagery":[1])"), "imagery must be a list"},
        {planWith(R"("next_id":-3)"), "next_id is -3"},
        {R"({"type":"FeatureCollection","anhinga":{"format":"one"},"features":[]})", "format must be a number"},
        {R"({"type":"FeatureCollection","anhinga":{"format":1},"features":{}})", "features must be a list"},
        {R"({"type":"FeatureCollection","anhinga":{"format":1},"features":[5]})", "feature 1: must be an object"},
        {R"({"type":"FeatureCollection","anhinga":{"format":1},"features":[{"type":"Feature"}]})",
         "\"anhinga\" is missing"},
    };
    for (const Row& row : rows) {
        INFO(row.text);
        const auto plan = readPlanText(row.text, "t");
        REQUIRE_FALSE(plan);
        CHECK(plan.error().message.find(row.says) != std::string::npos);
    }
}

TEST_CASE("members of an item that are wrong are refused by name and feature", "[plan][file][hostile]") {
    const std::string polygon = R"({"type":"Polygon","coordinates":[[[0,0],[0,1],[1,1],[0,0]]]})";
    const std::string line = R"({"type":"LineString","coordinates":[[0,0],[0,1]]})";
    const Row rows[] = {
        {itemWith(R"("name":[])"), "name must be a text"},
        {itemWith(R"("height":{"value_m":"high","ref":"home"})"), "value_m must be a number"},
        {itemWith(R"("height":{"value_m":1e6,"ref":"home"})"), "value_m is 1000000"},
        {itemWith(R"("speed_mps":null)"), "speed_mps must be a number"},
        {itemWith(R"("acceptance_m":0)"), "acceptance_m is 0"},
        {itemWith(R"("radius_m":5)", "circle"), "turns is missing"},
        {itemWith(R"("turns":1,"radius_m":0)", "circle"), "radius_m is 0"},
        {itemWith(R"("hold_s":-1)", "hold"), "hold_s is -1"},
        {itemWith("", "waypoint", "null"), "geometry must be a Point"},
        {itemWith("", "waypoint", polygon), "geometry must be a Point"},
        {itemWith("", "block"), "geometry must be a Polygon"},
        {itemWith("", "block", R"({"type":"Polygon","coordinates":[]})"), "geometry has no ring"},
        {itemWith("", "block", R"({"type":"Polygon","coordinates":[[[0,0],[1,1],[0,0]]]})"), "at least 3 corners"},
        {itemWith(R"("block":{"overlap_percent":120})", "block", polygon), "overlap_percent is 120"},
        {itemWith(R"("block":5)", "block", polygon), "pattern must be an object"},
        {itemWith(R"("pattern":{"sidelap_percent":120})", "block", polygon), "sidelap_percent is 120"},
        {itemWith(R"("pattern":{"policy":"often"})", "block", polygon), "photo policy \"often\""},
        {itemWith(R"("pattern":{"makes":"noise"})", "block", polygon), "what the camera makes \"noise\""},
        {itemWith(R"("pattern":{"when":"often"})", "block", polygon), "when photos are taken \"often\""},
        {itemWith(R"("pattern":{"every_s":-1})", "block", polygon), "every_s is -1"},
        {itemWith(R"("pattern":{"tilts_deg":[]})", "face", line), "tilts_deg must be a list"},
        {itemWith(R"("pattern":{"tilts_deg":[0,91]})", "face", line), "tilts_deg must be from -90 to 90"},
        {itemWith(R"("pattern":{"turns_deg":["left"]})", "face", line), "turns_deg must be from"},
        {itemWith(R"("pattern":{"follow":1})", "block", polygon), "follow must be true or false"},
        {itemWith(R"("pattern":{"gsd_cm":0})", "block", polygon), "gsd_cm is 0"},
        {itemWith("", "rings", polygon), "geometry must be a Point"},
        {itemWith(R"("pattern":{"radius_m":0})", "rings"), "radius_m is 0"},
        {itemWith(R"("pattern":{"target":7})", "rings"), "height must be an object"},
        {itemWith("", "corridor"), "geometry must be a LineString"},
        {itemWith("", "face", R"({"type":"LineString","coordinates":[[0,0]]})"), "at least 2 points"},
        {itemWith("", "lap", R"({"type":"Polygon","coordinates":[[[0,0],[0,1],[1,1],[0,0]],7]})"), "a ring must be"},
        {itemWith(R"("actions":{})"), "actions must be a list"},
        {itemWith(R"("actions":[5])"), "an action must be an object"},
        {itemWith(R"("actions":[{"do":"loop"}])"), "action \"loop\""},
        {itemWith(R"("actions":[{"do":"repeat","count":1}])"), "target is missing"},
        {itemWith(R"("actions":[{"do":"repeat","target":1,"count":-2}])"), "count is -2"},
        {itemWith(R"("actions":[{"do":"look-at","place":[0,0]}])"), "height must be an object"},
        {itemWith(R"("actions":[{"do":"photo-every","distance_m":-1}])"), "distance_m is -1"},
        {itemWith(R"("actions":[{"do":"gimbal-pitch","pitch_deg":400}])"), "pitch_deg is 400"},
        {itemWith(R"("actions":[{"do":"command","frame":3,"command":93,"params":[1],"x":0,"y":0,"z":0}])"), "4 params"},
    };
    for (const Row& row : rows) {
        INFO(row.text);
        const auto plan = readPlanText(row.text, "t");
        REQUIRE_FALSE(plan);
        CHECK(plan.error().message.find(row.says) != std::string::npos);
        CHECK(plan.error().message.find("feature 1") != std::string::npos);
    }
}

TEST_CASE("ids are never given twice, also after a file with a low next_id", "[plan][file]") {
    std::string text = writePlanText(rowPlan(5));
    const auto at = text.find("\"next_id\":");
    text.replace(at, text.find('}', at) - at, "\"next_id\":1");
    auto plan = readPlanText(text, "t");
    REQUIRE(plan);
    const ItemId fresh = plan->newId();
    CHECK(plan->find(fresh) == nullptr);
    CHECK(fresh > plan->items.back().id);
}

TEST_CASE("a command that is kept may hold unset parameters", "[plan][file]") {
    Plan plan = rowPlan(1);
    plan.items[1].actions = {RawCommand{2, 93, NAN, 1.25f, NAN, 0, -7, 2147483647, -3.5f}};
    const auto back = readPlanText(writePlanText(plan), "t");
    REQUIRE(back);
    const auto& raw = std::get<RawCommand>(back->items[1].actions[0]);
    CHECK(std::isnan(raw.param1));
    CHECK(raw.param2 == 1.25f);
    CHECK(raw.y == 2147483647);
    CHECK(raw.z == -3.5f);
}

TEST_CASE("ten thousand items are read and written in reasonable time", "[plan][file]") {
    const Plan plan = rowPlan(10000, {0, 0});
    const auto back = readPlanText(writePlanText(plan), "t");
    REQUIRE(back);
    CHECK(back->items.size() == 10002);
}
