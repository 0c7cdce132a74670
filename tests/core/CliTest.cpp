#include <catch2/catch.hpp>
#include <nlohmann/json.hpp>

#include "core/plan/PlanFile.h"
#include "support.h"

using namespace anhinga::testing;
using Json = nlohmann::json;

namespace {

struct Ran {
    int code;
    std::string out, err;
    Json json() const {
        const Json j = Json::parse(out, nullptr, false);
        REQUIRE_FALSE(j.is_discarded());
        return j;
    }
};
Ran cli(const std::string& arguments) {
    static TempDir dir;
    const std::string command =
        std::string(BIN_DIR) + "/anhinga-cli " + arguments + " >" + (dir / "out") + " 2>" + (dir / "err");
    const int status = std::system(command.c_str());
    return {WEXITSTATUS(status), slurp(dir / "out"), slurp(dir / "err")};
}
const std::string kPatrol = std::string(DEMO_DIR) + "/patrol.anhinga.geojson";

}  // namespace

TEST_CASE("check, rehearse and compile answer with the agreed keys", "[cli]") {
    const Json check = cli("check --json " + kPatrol).json();
    for (const char* key : {"findings", "items", "distance_m", "photos", "area_m2"}) CHECK(check.contains(key));
    const Json rehearse = cli("rehearse --json " + kPatrol + " --wind-from 270 --wind-speed 4").json();
    for (const char* key : {"duration_s", "distance_m", "energy_wh", "energy_left_percent", "photos",
                            "max_height_home_m", "min_clearance_m", "visits", "sim_seconds_per_second"})
        CHECK(rehearse.contains(key));
    CHECK(rehearse["min_clearance_m"].get<double>() > 10);
    REQUIRE(rehearse["items"].size() > 8);
    int photos = 0;
    for (const Json& pass : rehearse["items"]) photos += pass["photos"].get<int>();
    CHECK(photos == rehearse["photos"]);
    const Json later = cli("rehearse --json " + kPatrol + " --start 8").json();
    CHECK(later["duration_s"] < rehearse["duration_s"]);
    CHECK(cli("rehearse " + kPatrol + " --start 4711").code == 2);
    CHECK(cli("rehearse " + kPatrol + " --items").out.find("pass 2 of 2") != std::string::npos);
    const Json compile = cli("compile --json " + kPatrol).json();
    CHECK(compile["mission"].size() == check["items"].get<std::size_t>());
    CHECK(compile["mission"][1]["command"] == 22);
    CHECK(compile["rally"].empty());
}

TEST_CASE("unusable input ends with 2, a message on stderr and nothing on stdout", "[cli][hostile]") {
    TempDir dir;
    spit(dir / "empty.geojson", "");
    spit(dir / "rubbish", rubbish(2000, 1));
    for (const std::string& call :
         {"check " + (dir / "none"), "check --json " + (dir / "empty.geojson"), "rehearse --json " + dir.path(),
          "inspect --json " + (dir / "rubbish"), "compile " + (dir / "rubbish"), std::string("inspect"),
          std::string("dance"), "channel " + (dir / "rubbish") + " x", "send " + kPatrol + " --link smoke:1",
          "export " + kPatrol + " --out " + (dir / "x.docx"),
          "rehearse " + kPatrol + " --terrain " + (dir / "rubbish")}) {
        INFO(call);
        const Ran r = cli(call);
        CHECK(r.code == 2);
        CHECK(r.out.empty());
        CHECK_FALSE(r.err.empty());
    }
}

TEST_CASE("a plan with a stop finding answers no", "[cli]") {
    TempDir dir;
    std::string text = slurp(kPatrol);
    const auto at = text.find("\"ceiling_m\"");
    REQUIRE(at != std::string::npos);
    text.replace(at, text.find(',', at) - at, "\"ceiling_m\": 30");
    spit(dir / "low.anhinga.geojson", text);
    CHECK(cli("check --json --terrain " + std::string(DEMO_DIR) + "/quillmere-elevation.tif " +
              (dir / "low.anhinga.geojson"))
              .code == 2);  // its terrain is not beside it
    std::filesystem::copy(std::string(DEMO_DIR) + "/quillmere-elevation.tif", dir / "quillmere-elevation.tif");
    const Ran r = cli("check --json " + (dir / "low.anhinga.geojson"));
    CHECK(r.code == 1);
    bool ceiling = false;
    const Json answer = r.json();
    for (const Json& f : answer["findings"]) ceiling |= f["rule"] == "ceiling" && f["severity"] == "stop";
    CHECK(ceiling);
}

TEST_CASE("patterns are made from shapes, and their photos told", "[cli][pattern]") {
    TempDir dir;
    const auto shape = [&](const std::string& geometry) {
        spit(dir / "s.geojson",
             R"({"type":"FeatureCollection","features":[{"type":"Feature","properties":{"name":"field"},"geometry":)" +
                 geometry + "}]}");
        return dir / "s.geojson";
    };
    const std::string area =
        R"({"type":"Polygon","coordinates":[[[-20.120,47.310],[-20.116,47.310],[-20.116,47.3125],[-20.120,47.3125],[-20.120,47.310]],
[[-20.119,47.311],[-20.118,47.311],[-20.118,47.3115],[-20.119,47.311]]]})";
    const std::string line = R"({"type":"LineString","coordinates":[[-20.120,47.310],[-20.116,47.311]]})";
    const std::string common = " --json --home 47.3095,-20.118 --out " + (dir / "p.anhinga.geojson");
    const std::string terrain = " --terrain " + std::string(DEMO_DIR) + "/quillmere-elevation.tif";
    const Ran flat =
        cli("block " + shape(area) + common + " --height 100 --ref ground --overlap 75 --sidelap 65 --heading 90");
    REQUIRE(flat.code == 0);
    const Json j = flat.json();
    for (const char* key : {"items", "photos", "lines", "distance_m", "area_m2", "gsd_cm", "duration_s"})
        CHECK(j.contains(key));
    CHECK(j["gsd_cm"].get<double>() == Approx(2.7412).epsilon(0.001));
    CHECK(j["area_m2"].get<double>() == Approx(302 * 278 - 0.5 * 75.6 * 55.6).epsilon(0.01));
    const Json checked = cli("check --json " + (dir / "p.anhinga.geojson")).json();
    CHECK(checked["photos"] == j["photos"]);
    CHECK(checked["area_m2"] == j["area_m2"]);
    CHECK(anhinga::loadPlan(dir / "p.anhinga.geojson")->items[1].pattern->holes.size() == 1);
    const Json photos = cli("photos --json " + (dir / "p.anhinga.geojson")).json();
    CHECK(photos["photos"].size() == j["photos"].get<std::size_t>());
    CHECK(photos["camera"]["fov_across_deg"].get<double>() == Approx(73.74).margin(0.01));
    CHECK(photos["camera"]["fov_along_deg"].get<double>() == Approx(53.13).margin(0.01));
    CHECK(photos["photos"][0]["pitch_deg"] == -90.0);
    CHECK(photos["photos"][0]["amsl_m"].is_null());  // no terrain: unknown, not zero
    const Json followed = cli("block " + shape(area) + common + terrain +
                              " --gsd 2 --heading best --follow --margin photo --crossing --policy time")
                              .json();
    CHECK(followed["photos"].get<int>() > j["photos"].get<int>());
    CHECK(cli("photos --json " + (dir / "p.anhinga.geojson")).json()["photos"][0]["amsl_m"].is_number());
    const Json strip = cli("corridor " + shape(line) + common + " --width 80 --height 50").json();
    CHECK(strip["lines"].get<int>() >= 2);
    const Json ring =
        cli("rings " + shape(area) + common + " --radius 30 --low 10 --high 30 --step 10 --per-ring 12").json();
    CHECK(ring["photos"] == 36);
    const Json face =
        cli("face " + shape(line) + common + " --stand-off 12 --low 5 --high 25 --step 5 --spacing 20").json();
    CHECK(face["lines"] == 5);
    CHECK(cli("lap " + shape(area) + common).json()["lines"] == 1);
    // What cannot be is said, and nothing is written.
    struct Row {
        std::string call, says;
    };
    for (const Row& row :
         {Row{"block " + shape(area) + common + " --overlap 100", "below 100 %"},
          Row{"block " + shape(area) + common + " --height 0", "at or below the ground"},
          Row{"block " + shape(area) + common + " --height 0.6 --overlap 98 --sidelap 98", "photos; at most"},
          Row{"block " + shape(area) + common + " --camera none", "there are:"},
          Row{"block " + shape(area) + common + " --heading north", "neither degrees nor best"},
          Row{"block " + shape(area) + common + " --margin much", "neither metres nor photo"},
          Row{"block " + shape(area) + common + " --policy often", "often"},
          Row{"block " + shape(area) + common + " --every often", "neither metres"},
          Row{"block " + shape(area) + common + " --every 0s", "neither metres"},
          Row{"block " + shape(area) + common + " --every 2s --camera-makes film", "the camera makes film"},
          Row{"block " + shape(area) + common + " --camera-makes noise", "noise"},
          Row{"block " + shape(area) + " --home here --out " + (dir / "x"), "--home here"},
          Row{"block " + (dir / "absent.geojson") + common, "absent.geojson"},
          Row{"rings " + shape(area) + common + " --radius 0", "radius"}}) {
        INFO(row.call);
        const Ran r = cli(row.call);
        CHECK(r.code == 2);
        CHECK(r.err.find(row.says) != std::string::npos);
    }
    CHECK(cli("block " + shape(line) + common).err.find("needs an area") != std::string::npos);
    CHECK(
        cli("block " +
            shape(
                R"({"type":"Polygon","coordinates":[[[-20,47],[-20.001,47.001],[-20.001,47],[-20,47.002],[-20,47]]]})") +
            common)
            .err.find("crosses itself") != std::string::npos);
}

TEST_CASE("compiled, sent and fetched is the same mission item for item", "[cli][link]") {
    TempDir dir;
    const int port = freePort();
    Process standin(std::string(BIN_DIR) + "/anhinga-standin", {"--link", "udp:127.0.0.1:" + std::to_string(port),
                                                                "--home", "47.3052,-20.1068", "--run-for", "50"});
    const std::string link = " --link udp-listen:" + std::to_string(port);
    const Json sent = cli("send --json " + kPatrol + link).json();
    CHECK(sent["verified"] == true);
    CHECK(sent["differences"].empty());
    const Json fetched = cli("fetch --json" + link + " --out " + (dir / "back.anhinga.geojson")).json();
    CHECK(fetched["items"]["mission"] == sent["sent"]["mission"]);
    CHECK(cli("compile --json " + kPatrol).json() == cli("compile --json " + (dir / "back.anhinga.geojson")).json());
}

TEST_CASE("a flown plan is recorded, inspected, read channel by channel and exported", "[cli][link]") {
    TempDir dir;
    const int port = freePort();
    std::filesystem::create_directory(dir / "logs");
    spit(dir / "p.anhinga.geojson", slurp(kPatrol));
    Process standin(std::string(BIN_DIR) + "/anhinga-standin",
                    {"--link", "udp:127.0.0.1:" + std::to_string(port), "--home", "47.3052,-20.1068,20", "--speedup",
                     "120", "--logs", dir / "logs", "--run-for", "55"});
    const Ran flown = cli("fly --json " + kPatrol + " --link udp-listen:" + std::to_string(port) +
                          " --timeout 45 --record " + (dir / "f.tlog"));
    REQUIRE(flown.code == 0);
    CHECK(flown.json()["landed"] == true);
    const Json inspected = cli("inspect --json " + (dir / "f.tlog")).json();
    for (const char* key : {"format", "sessions", "messages", "params", "missions", "modes", "events", "damaged"})
        CHECK(inspected.contains(key));
    CHECK(inspected["damaged"]["bytes"] == 0);
    CHECK(inspected["missions"].size() == 1);
    CHECK(inspected["sessions"][0]["armed_s"].get<double>() ==
          Approx(flown.json()["duration_s"].get<double>()).margin(15));
    const Json channel = cli("channel --json " + (dir / "f.tlog") + " position.height_home_m").json();
    CHECK(channel["unit"] == "m");
    CHECK(channel["t_s"].size() == channel["value"].size());
    CHECK(channel["t_s"].size() > 500);
    CHECK(cli("channel " + (dir / "f.tlog") + " --list").out.find("battery.voltage_v [V]") != std::string::npos);
    CHECK(cli("review " + (dir / "f.tlog") + " --plan " + kPatrol).code <= 1);
    for (const char* ext : {"kml", "gpx", "csv", "ulg"})
        CHECK(cli("export " + (dir / "f.tlog") + " --out " + (dir / (std::string("x.") + ext))).code == 0);
    CHECK(cli("inspect --json " + (dir / "x.ulg")).json()["format"] == "ULog");
    standin.stop();
    CHECK(cli("inspect --json " + (dir / "logs/flight-001.ulg")).json()["sessions"].size() == 1);
}

TEST_CASE("parameters and logs of the aircraft are read, set and fetched on the command line", "[cli][link]") {
    TempDir dir, aboard;
    spit(aboard / "flight-001.ulg", rubbish(40000, 5));
    const int port = freePort();
    Process standin(std::string(BIN_DIR) + "/anhinga-standin", {"--link", fmt::format("tcp-listen:{}", port), "--logs",
                                                                aboard.path(), "--sign", "heron", "--run-for", "40"});
    std::this_thread::sleep_for(std::chrono::milliseconds(300));
    const std::string link = fmt::format(" --link tcp:127.0.0.1:{} --sign heron ", port);
    const auto params = cli("params --json --set RETURN_HEIGHT_M=42 --out " + (dir / "p.csv") + link);
    INFO(params.err);
    REQUIRE(params.code == 0);
    CHECK(params.json()["params"]["RETURN_HEIGHT_M"] == 42);
    CHECK(slurp(dir / "p.csv").find("RETURN_HEIGHT_M,42,") != std::string::npos);
    const auto refused = cli("params --json --set RETURN_HEIGHT_M=1e9" + link);
    CHECK(refused.code == 1);
    CHECK(refused.err.find("holds 42") != std::string::npos);
    CHECK(cli("params --set NOTHING=1" + link).code == 2);
    CHECK(cli("params --set RETURN_HEIGHT_M" + link).code == 2);
    const auto logs = cli("logs --json" + link);
    REQUIRE(logs.code == 0);
    REQUIRE(logs.json()["logs"].size() == 1);
    CHECK(logs.json()["logs"][0]["bytes"] == 40000);
    for (const bool ftp : {false, true}) {
        const std::string to = dir / (ftp ? "b.ulg" : "a.ulg");
        const auto got = cli("logs --json --get 1 --out " + to + (ftp ? " --ftp" : "") + link);
        INFO(got.err);
        REQUIRE(got.code == 0);
        CHECK(got.json()["bytes"] == 40000);
        CHECK(slurp(to) == slurp(aboard / "flight-001.ulg"));
    }
    CHECK(cli("logs --get 7 --out " + (dir / "x") + link).code == 2);
    CHECK(cli("logs --get 1" + link).code == 2);
}

TEST_CASE("no vehicle on the link is failure 3", "[cli][link]") {
    const Ran r = cli("send --json " + kPatrol + " --link udp-listen:" + std::to_string(freePort()));
    CHECK(r.code == 3);
    CHECK(r.err.find("no vehicle heard") != std::string::npos);
}

TEST_CASE("a place is told in every form, with its ground and magnetic field", "[cli][place]") {
    const std::string terrain = " --terrain " + std::string(DEMO_DIR) + "/quillmere-elevation.tif";
    const Json j = cli("place 47.312,-20.118 --json --date 2026-11-25" + terrain).json();
    for (const char* key : {"ground_amsl_m", "declination_deg", "inclination_deg", "field_nt", "north_nt", "east_nt",
                            "down_nt", "dms", "utm", "mgrs"})
        CHECK(j.contains(key));
    CHECK(j["ground_amsl_m"].get<double>() > 50);
    CHECK(j["declination_deg"].get<double>() == Approx(-5.5).margin(0.3));
    CHECK(j["utm"] == "27N 566663 5240214");
    CHECK(j["mgrs"] == "27TWN6666340213");
    CHECK(cli("place --json 10,10" + terrain).json()["ground_amsl_m"].is_null());
    CHECK(cli("place --json -33.5,151.25").json()["down_nt"].get<double>() < -40000);
    CHECK(cli("place --json -- -33.5,151.25").code == 0);
    CHECK(cli("place --json --date 2031.5 0,0").err.find("extrapolated") != std::string::npos);
    for (const char* wrong :
         {"place 95,0", "place here", "place 1,2 --date yesterday", "place 1,2 --date 2026-13-01", "place"}) {
        INFO(wrong);
        CHECK(cli(wrong).code == 2);
    }
    // A day of the year is a share of it.
    const double a = cli("place 47,-20 --json --date 2026-01-01").json()["north_nt"],
                 b = cli("place 47,-20 --json --date 2026.0").json()["north_nt"];
    CHECK(a == Approx(b).margin(1e-6));
}

TEST_CASE("plans are imported from and exported to open formats", "[cli][import]") {
    TempDir dir;
    for (const char* ending : {".kml", ".kmz", ".gpx", ".geojson", ".csv"}) {
        INFO(ending);
        const std::string file = dir / (std::string("patrol") + ending);
        CHECK(cli("export " + kPatrol + " --out " + file).code == 0);
        const Ran imported = cli("import --json " + file + " --out " + (dir / "back.anhinga.geojson"));
        REQUIRE(imported.code == 0);
        CHECK(imported.json()["items"].get<int>() >= 7);
        CHECK(cli("check --json " + (dir / "back.anhinga.geojson")).code <= 1);
    }
    // A plan of ours is taken over whole.
    const Ran own = cli("import --json " + kPatrol + " --out " + (dir / "own.anhinga.geojson"));
    CHECK(own.json()["obstacles"] == 2);
    CHECK(cli("import " + (dir / "none.kml") + " --out " + (dir / "x.anhinga.geojson")).code == 2);
    CHECK(cli("export " + kPatrol + " --out " + (dir / "x.doc")).code == 2);
}

TEST_CASE("rally points go to the aircraft and come back with route and fence", "[cli][link][rally]") {
    TempDir dir;
    const int port = freePort();
    const Process standin(
        std::string(BIN_DIR) + "/anhinga-standin",
        {"--link", "udp:127.0.0.1:" + std::to_string(port), "--home", "47.305197,-20.106806,44", "--run-for", "40"});
    const std::string link = " --link udp-listen:" + std::to_string(port);
    std::filesystem::copy(demo("quillmere-elevation.tif"), dir / "quillmere-elevation.tif");
    std::string text = slurp(kPatrol);
    const std::string rally =
        "{\"type\":\"Feature\",\"geometry\":{\"type\":\"Point\",\"coordinates\":[-20.108,47.306]},"
        "\"properties\":{},\"anhinga\":{\"type\":\"rally\",\"id\":900,\"name\":\"barn\",\"height\":{"
        "\"value_m\":45,\"ref\":\"home\"}}},";
    text.insert(text.find("[", text.find("\"features\"")) + 1, rally);
    spit(dir / "p.anhinga.geojson", text);
    const Ran ran = cli("send --json --terrain " + std::string(DEMO_DIR) + "/quillmere-elevation.tif " +
                        (dir / "p.anhinga.geojson") + link);
    INFO(ran.err);
    REQUIRE(ran.code == 0);
    const Json sent = ran.json();
    CHECK(sent["verified"] == true);
    CHECK(sent["sent"]["rally"] == 1);
    const Json back = cli("fetch --json" + link + " --out " + (dir / "back.anhinga.geojson")).json();
    CHECK(back["items"]["rally"] == 1);
    const Json compiled = cli("compile --json " + (dir / "back.anhinga.geojson")).json();
    REQUIRE(compiled["rally"].size() == 1);
    CHECK(compiled["rally"][0]["z"] == 45);
}

TEST_CASE("presence says whether, when and how near, and 1 when it was not there", "[cli][presence]") {
    const std::string flight = std::string(DEMO_DIR) + "/patrol-flight.tlog";
    const Ran home = cli("presence --json " + flight + " --point 47.3051970,-20.1068059 --within 100");
    CHECK(home.code == 0);
    CHECK(home.json()["entered"] == true);
    CHECK(home.json()["visits"].size() >= 1);
    CHECK(home.json()["nearest_m"] == 0);
    const Ran far = cli("presence --json " + flight + " --point 47.5,-20.1 --within 50");
    CHECK(far.code == 1);
    CHECK(far.json()["entered"] == false);
    CHECK(far.json()["nearest_m"].get<double>() > 10000);
    CHECK(far.json()["height_home_m"].is_number());
    TempDir dir;
    spit(
        dir / "area.geojson",
        R"({"type":"Feature","properties":{},"geometry":{"type":"Polygon","coordinates":[[[-20.108,47.304],[-20.105,47.304],[-20.105,47.3065],[-20.108,47.3065],[-20.108,47.304]]]}})");
    CHECK(cli("presence " + flight + " --area " + (dir / "area.geojson")).out.find("inside from") != std::string::npos);
    spit(dir / "line.geojson", R"({"type":"LineString","coordinates":[[-20.1,47.3],[-20.2,47.4]]})");
    CHECK(cli("presence " + flight + " --area " + (dir / "line.geojson")).code == 2);
    CHECK(cli("presence " + flight).code == 2);
    CHECK(cli("presence " + flight + " --point 99,0").code == 2);
}
