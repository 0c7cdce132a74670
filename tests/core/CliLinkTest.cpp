// The command line with an aircraft: two programs, real sockets and real time.
#include "core/RunCli.h"
#include "core/plan/PlanFile.h"

using namespace anhinga;
using namespace anhinga::testing;

TEST_CASE("compiled, sent and fetched is the same mission item for item", "[cli][link][real]") {
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

TEST_CASE("a flown plan is recorded, inspected, read channel by channel and exported", "[cli][link][real]") {
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

TEST_CASE("parameters and logs of the aircraft are read, set and fetched on the command line", "[cli][link][real]") {
    TempDir dir, aboard;
    spit(aboard / "flight-001.ulg", rubbish(40000, 5));
    const int port = freePort();
    Process standin(std::string(BIN_DIR) + "/anhinga-standin", {"--link", fmt::format("tcp-listen:{}", port), "--logs",
                                                                aboard.path(), "--sign", "heron", "--run-for", "40"});
    std::this_thread::sleep_for(std::chrono::milliseconds(300));
    spit(dir / "key.txt", "heron\n");
    const std::string link = fmt::format(" --link tcp:127.0.0.1:{} --sign-file {} ", port, dir / "key.txt");
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

TEST_CASE("no vehicle on the link is failure 3", "[cli][link][real]") {
    const Ran r = cli("send --json " + kPatrol + " --link udp-listen:" + std::to_string(freePort()));
    CHECK(r.code == 3);
    CHECK(r.err.find("no vehicle heard") != std::string::npos);
}

TEST_CASE("rally points go to the aircraft and come back with route and fence", "[cli][link][rally][real]") {
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

TEST_CASE("a stand-in is like the aircraft of a plan", "[cli][link][standin][real]") {
    TempDir dir;
    const auto patrol = loadPlan(kPatrol);
    REQUIRE(patrol);
    Plan plan = *patrol;
    plan.return_height_m = 77;
    REQUIRE(savePlan(plan, dir / "p.anhinga.geojson"));
    const int port = freePort();
    const Process standin(
        std::string(BIN_DIR) + "/anhinga-standin",
        {"--link", fmt::format("udp:127.0.0.1:{}", port), "--like", dir / "p.anhinga.geojson", "--run-for", "40"});
    const Ran params = cli(fmt::format("params --json --link udp-listen:{}", port));
    INFO(params.err);
    REQUIRE(params.code == 0);
    CHECK(params.json()["params"]["RETURN_HEIGHT_M"] == 77);

    spit(dir / "broken.anhinga.geojson", "{");
    for (const std::string& arguments :
         {" --like " + (dir / "broken.anhinga.geojson"), std::string(" --fault nonsense"),
          std::string(" --like ") + (dir / "absent")}) {
        INFO(arguments);
        const int status =
            std::system((std::string(BIN_DIR) + "/anhinga-standin" + arguments + " >/dev/null 2>&1").c_str());
        CHECK(WEXITSTATUS(status) == 2);
    }
}

TEST_CASE("what stops a plan, or cannot be told, is refused before anything is sent; orders say how they were told",
          "[cli][link][family][real]") {
    const std::string demo_plan = demo("mistakes.anhinga.geojson");
    // Without a link at all: the plan's own findings come first.
    const Ran stopped = cli("send --json " + demo_plan + " --link udp-listen:" + std::to_string(freePort()));
    CHECK(stopped.code == 4);
    const Json check = cli("check --json " + demo_plan).json();
    std::size_t stops = 0;
    for (const Json& f : check["findings"]) stops += f["severity"] == "stop";
    CHECK(stopped.json()["refused"].size() == stops);
    CHECK(stopped.err.find(stopped.json()["refused"][0]["reason"].get<std::string>()) != std::string::npos);
    CHECK(cli("fly --json " + demo_plan + " --link udp-listen:" + std::to_string(freePort())).code == 4);

    const int port = freePort();
    const std::string link = " --link udp-listen:" + std::to_string(port);
    Process standin(std::string(BIN_DIR) + "/anhinga-standin",
                    {"--link", "udp:127.0.0.1:" + std::to_string(port), "--home", "47.3052,-20.1068,20", "--family",
                     "3", "--pace", "4", "--run-for", "50"});
    const Ran sent = cli("send --json " + kPatrol + link);
    INFO(sent.err);
    REQUIRE(sent.code == 0);
    CHECK(sent.json()["dialect"] == "autopilot family 3, multirotor");
    CHECK(sent.json()["verified"] == true);
    REQUIRE_FALSE(sent.json()["kept"].empty());
    for (const char* key : {"seq", "field", "plan", "vehicle", "why"}) CHECK(sent.json()["kept"][0].contains(key));
    const Ran orders = cli("orders --json --do hold --do height=30 --do land" + link);
    REQUIRE(orders.json()["done"].size() == 3);
    CHECK(orders.json()["done"][0]["accepted"] == true);
    CHECK(orders.json()["done"][0]["how"] == "command 193");
    // On the ground and not armed it goes nowhere, and that is said.
    CHECK(orders.json()["done"][1]["accepted"] == false);
    CHECK(orders.json()["done"][1]["reason"].get<std::string>().find("refused") != std::string::npos);
    CHECK(orders.json()["done"][2]["how"] == "mode land");
    CHECK(orders.code == 1);
    for (const char* wrong : {"fly", "height", "height=x", "goto=1,2", "speed=-3", "hold=1"})
        CHECK(cli(std::string("orders --do ") + wrong + link).code == 2);
    standin.stop();

    // A plan for a multirotor does not go to wings; the common set takes no photos.
    Process plain(std::string(BIN_DIR) + "/anhinga-standin",
                  {"--link", "udp:127.0.0.1:" + std::to_string(port), "--family", "plain", "--run-for", "30"});
    const Ran refused = cli("send --json " + kPatrol + link);
    CHECK(refused.code == 4);
    REQUIRE_FALSE(refused.json()["refused"].empty());
    CHECK(refused.json()["refused"][0].contains("item"));
    CHECK(cli("orders --json --do hold" + link).json()["done"][0]["accepted"] == false);
}

TEST_CASE("fetching and recording killed at any moment: the fetch goes on, the recording is whole",
          "[cli][link][real][kill][deep]") {
    TempDir dir, aboard;
    const std::string content = rubbish(3000000, 15);
    spit(aboard / "flight-001.ulg", content);
    const int port = freePort();
    Process standin(std::string(BIN_DIR) + "/anhinga-standin",
                    {"--link", fmt::format("udp:127.0.0.1:{}", port), "--home", "47.3052,-20.1068", "--logs",
                     aboard.path(), "--run-for", std::to_string(60 + 60 * testDepth())});
    const auto killed = [&](std::vector<std::string> call, int after_ms) {
        Process program(std::string(BIN_DIR) + "/anhinga-cli", std::move(call));
        for (int waited = 0; waited < after_ms; waited += 20) {
            if (program.ended()) return false;
            std::this_thread::sleep_for(std::chrono::milliseconds(20));
        }
        program.killNow();
        return true;
    };
    const std::string link = fmt::format("udp-listen:{}", port);
    std::mt19937 random(9);
    int kills = 0, fetched = 0, recorded = 0;
    for (int round = 0; round < 2 * testDepth(); ++round) {
        const std::string out = dir / "log.ulg";
        std::filesystem::remove(out);
        bool done = false;
        for (int tries = 0; tries < 40 && !done; ++tries) {
            const bool cut = killed({"logs", "--link", link, "--get", "1", "--out", out},
                                    200 + static_cast<int>(random() % 2600) + 300 * tries);
            kills += cut;
            // Under its name it is only once it is whole.
            if (std::filesystem::exists(out)) {
                REQUIRE(slurp(out) == content);
                done = true;
            }
        }
        CHECK(done);
        fetched += done;
        const std::string tape = dir / fmt::format("r{}.tlog", round);
        kills += killed({"fly", kPatrol, "--link", link, "--accept-stops", "--record", tape, "--timeout", "30"},
                        2500 + static_cast<int>(random() % 1500));
        const Ran inspected = cli("inspect --json " + tape);
        REQUIRE(inspected.code == 0);
        CHECK(inspected.json()["damaged"]["bytes"] < 300);
        CHECK(inspected.json()["messages"]["HEARTBEAT"] > 0);
        ++recorded;
        // Down again before the next.
        (void)cli("orders --link " + link + " --do land");
    }
    std::printf("fetch and flight killed %d times: %d logs fetched whole, %d recordings whole\n", kills, fetched,
                recorded);
}
