// The same call over many logs at once says of each what it says of that one alone.
#include <catch2/catch.hpp>
#include <filesystem>
#include <fstream>

#include "RunCli.h"

using namespace anhinga;
using namespace anhinga::testing;

namespace {
namespace fs = std::filesystem;
std::string demoLog(const char* name) {
    return std::string(DEMO_DIR) + "/" + name;
}
}  // namespace

TEST_CASE("a folder of logs is diagnosed, each as alone, in the order of names, whatever runs beside", "[many]") {
    TempDir dir;
    fs::create_directories(dir / "deeper");
    const std::vector<std::pair<const char*, const char*>> logs = {{"shakedown-clean.ulg", "a.ulg"},
                                                                   {"shakedown-resonance.ulg", "deeper/b.ulg"},
                                                                   {"shakedown-gps-jump.ulg", "c.ulg"}};
    for (const auto& [from, to] : logs) fs::copy_file(demoLog(from), dir / to);
    std::ofstream(dir / "notes.txt") << "not a log\n";
    const Ran all = cli("diagnose " + dir.path() + " -j 3 --json");
    CHECK(all.code == 1);  // one of them is bad
    const Json j = all.json();
    CHECK(j["failed"] == 0);
    REQUIRE(j["logs"].size() == 3);
    const std::vector<std::string> order = {"a.ulg", "c.ulg", "deeper/b.ulg"};
    for (std::size_t i = 0; i < order.size(); ++i) {
        CHECK(j["logs"][i]["log"] == dir / order[i]);
        const Json alone = cli("diagnose " + (dir / order[i]) + " --json").json();
        CHECK(j["logs"][i]["verdicts"] == alone["verdicts"]);
    }
    const Ran one_at_a_time = cli("diagnose " + dir.path() + " -j 1 --json");
    CHECK(one_at_a_time.out == all.out);
    // Only clean ones: 0. One that cannot be read is told, the others are answered all the same.
    CHECK(cli("diagnose " + (dir / "a.ulg") + " " + (dir / "a.ulg") + " --json").code == 0);
    std::ofstream(dir / "broken.ulg") << "rubbish";
    const Ran broken = cli("diagnose " + (dir / "a.ulg") + " " + (dir / "broken.ulg") + " --json");
    CHECK(broken.code == 2);
    const Json b = broken.json();
    CHECK(b["failed"] == 1);
    CHECK(b["logs"][0]["verdicts"].size() > 10);
    CHECK(b["logs"][1].contains("error"));
    CHECK(broken.err.find("broken.ulg") != std::string::npos);
    CHECK(cli("diagnose " + (dir / "nowhere")).code == 2);
    fs::create_directories(dir / "empty");
    CHECK(cli("diagnose " + (dir / "empty")).err.find("no log") != std::string::npos);
    CHECK(cli("diagnose " + dir.path() + " -j 0").code == 2);
}

TEST_CASE("many logs are exported into a folder, several formats in one go, over nothing that is read", "[many]") {
    TempDir dir;
    fs::create_directories(dir / "in/day2");
    fs::copy_file(demoLog("shakedown-clean.ulg"), dir / "in/flight.ulg");
    fs::copy_file(demoLog("shakedown-resonance.ulg"), dir / "in/day2/flight.ulg");
    const Ran ran = cli("export " + (dir / "in") + " --as kml,gpx --out " + (dir / "out") + " -j 2 --json");
    REQUIRE(ran.code == 0);
    const Json j = ran.json();
    CHECK(j["logs"].size() == 4);
    // Names that are the same are told apart; each is what one call alone writes.
    for (const char* name : {"flight.kml", "flight.gpx", "flight-2.kml", "flight-2.gpx"}) {
        INFO(name);
        CHECK(fs::file_size(dir / ("out/" + std::string(name))) > 1000);
    }
    REQUIRE(cli("export " + (dir / "in/flight.ulg") + " --out " + (dir / "alone.kml")).code == 0);
    const std::string alone = slurp(dir / "alone.kml");
    CHECK((slurp(dir / "out/flight.kml") == alone || slurp(dir / "out/flight-2.kml") == alone));
    // The log itself is not written over.
    const std::string before = slurp(dir / "in/flight.ulg");
    const Ran over = cli("export " + (dir / "in") + " --as ulg --out " + (dir / "in"));
    CHECK(over.code == 2);
    CHECK(over.err.find("another folder") != std::string::npos);
    CHECK(slurp(dir / "in/flight.ulg") == before);
    CHECK(cli("export " + (dir / "in") + " --out " + (dir / "x")).err.find("--as") != std::string::npos);
    CHECK(cli("export " + (dir / "in") + " --as doc --out " + (dir / "x")).code == 2);
    // A file stands where the folder is to be.
    std::ofstream(dir / "file") << "x";
    CHECK(cli("export " + (dir / "in") + " --as kml --out " + (dir / "file")).code == 2);
}
