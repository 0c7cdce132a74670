#include "core/RunCli.h"

#include "core/base/Text.h"
#include "core/plan/PlanFile.h"

using namespace anhinga::testing;

namespace {
/// Programs that look at each access take several times as long.
bool sanitized() {
    return std::string(BIN_DIR).find("asan") != std::string::npos;
}
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
    // Its terrain is not beside it, which is a finding; what is asked for here has to be there.
    const Ran lonely = cli("check --json --terrain " + std::string(DEMO_DIR) + "/quillmere-elevation.tif " +
                           (dir / "low.anhinga.geojson"));
    CHECK(lonely.code == 1);
    CHECK(lonely.out.find("terrain-missing") != std::string::npos);
    CHECK(cli("check --json --terrain " + (dir / "nowhere.tif") + " " + (dir / "low.anhinga.geojson")).code == 2);
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
         {Row{"block " + shape(area) + common + " --overlap 100", "from 0 to 99"},
          Row{"block " + shape(area) + common + " --height 0", "at or below the ground"},
          Row{"block " + shape(area) + common + " --height 0.6 --overlap 98 --sidelap 98", "photos; at most"},
          Row{"block " + shape(area) + common + " --camera none", "there are:"},
          Row{"block " + shape(area) + common + " --heading north", "neither degrees"},
          Row{"block " + shape(area) + common + " --margin much", "neither metres"},
          Row{"block " + shape(area) + common + " --policy often", "often"},
          Row{"block " + shape(area) + common + " --every often", "neither metres"},
          Row{"block " + shape(area) + common + " --every 0s", "neither metres"},
          Row{"block " + shape(area) + common + " --every 5001m", "neither metres"},
          Row{"block " + shape(area) + common + " --margin -1", "neither metres"},
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

TEST_CASE("a place is told in every form, with its ground and magnetic field", "[cli][place]") {
    const std::string terrain = " --terrain " + std::string(DEMO_DIR) + "/quillmere-elevation.tif";
    const Json j = cli("place 47.312,-20.118 --json --date 2026-11-25" + terrain).json();
    for (const char* key : {"ground_amsl_m", "declination_deg", "inclination_deg", "field_nt", "north_nt", "east_nt",
                            "down_nt", "dms", "utm", "mgrs", "geoid_m"})
        CHECK(j.contains(key));
    CHECK(cli("place 46.8743190,102.4487290 --json").json()["geoid_m"].get<double>() == Approx(-43.575).margin(0.05));
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

TEST_CASE("what is in a log is told with the agreed keys, from one zero of time", "[cli][inspect]") {
    const std::string flight = std::string(DEMO_DIR) + "/patrol-flight.tlog";
    const Json j = cli("inspect --json " + flight).json();
    for (const char* key : {"format", "sessions", "messages", "params", "missions", "modes", "start_known", "start_utc",
                            "home", "param_changes", "photos", "components", "events", "damaged"}) {
        INFO(key);
        CHECK(j.contains(key));
    }
    CHECK(j["start_known"] == true);
    CHECK(j["start_utc"] == j["sessions"][0]["start_utc"]);
    CHECK(j["start_utc"].get<std::string>().size() == std::string("2026-05-14T09:12:30.250Z").size());
    CHECK(j["photos"].size() > 50);
    for (const Json& photo : j["photos"]) {
        CHECK(photo["lat"].get<double>() == Approx(47.31).margin(0.05));
        CHECK(photo["amsl_m"].is_number());
    }
    std::map<std::string, int> kinds;
    for (const Json& c : j["components"]) ++kinds[c["kind"].get<std::string>()];
    CHECK(kinds == std::map<std::string, int>{{"autopilot", 1}, {"ground station", 1}});
    // A channel, the modes and the exports count from the same moment: where it is at a change of mode.
    const Json lat = cli("channel --json " + flight + " position.lat_deg").json();
    const double taken = j["photos"][3]["t_s"];
    double at = NAN;
    for (std::size_t i = 1; i < lat["t_s"].size(); ++i)
        if (lat["t_s"][i].get<double>() >= taken) {
            at = lat["value"][i - 1];
            break;
        }
    CHECK(j["photos"][3]["lat"].get<double>() == Approx(at).margin(1e-4));
    CHECK(cli("inspect " + flight).out.find("ground station 255/190") != std::string::npos);
    // A table says nothing of a home.
    const Json table = cli("inspect --json " + std::string(DEMO_DIR) + "/transmitter.csv").json();
    CHECK(table["home"].is_null());
    CHECK(table["components"].empty());
}

TEST_CASE("the logbook is added to, listed, searched and asked by the command line", "[cli][logbook]") {
    TempDir dir;
    const std::string book = " --book " + (dir / "book.sqlite"), demos = DEMO_DIR;
    CHECK(cli("logbook list --json" + book).code == 2);
    const Json added = cli("logbook add --json " + demos + book).json();
    CHECK(added["added"].get<int>() >= 9);
    CHECK(added["known"] == 0);
    CHECK(cli("logbook add --json " + demos + "/patrol-flight.tlog" + book).json()["known"] == 1);
    const Json all = cli("logbook list --json" + book).json();
    CHECK(all["flights"].size() == added["added"].get<std::size_t>());
    for (const Json& f : all["flights"])
        for (const char* key : {"id", "start_utc", "duration_s", "lat", "lon", "vehicle", "file", "sha256"})
            CHECK(f.contains(key));
    const Json found = cli("logbook list --json --search \"patrol tlog\"" + book).json();
    REQUIRE(found["flights"].size() == 1);
    CHECK(found["flights"][0]["sha256"].get<std::string>().size() == 64);
    const Ran home = cli("presence --json --logbook --point 47.3051970,-20.1068059 --within 100" + book);
    CHECK(home.code == 0);
    CHECK(home.json()["flights"].size() == all["flights"].size());
    CHECK(home.json()["flights_entered"].get<int>() >= 1);
    CHECK(cli("presence --json --logbook --point 47.9,-20.1" + book).code == 1);
    CHECK(cli("presence --point 47.9,-20.1").code == 2);
    CHECK(cli("logbook").code == 2);
    CHECK(cli("logbook add /nowhere/at/all" + book).code == 2);
}

TEST_CASE("measures over many flights tell which step changed them, and the note for it", "[cli][trend]") {
    TempDir dir;
    const Ran demo = cli("trend --json " + std::string(DEMO_DIR) + " --book " + (dir / "none.sqlite"));
    REQUIRE(demo.code == 0);
    const Json j = demo.json();
    REQUIRE(j["measures"].size() >= 5);
    for (const Json& m : j["measures"]) {
        for (const char* key : {"name", "unit", "flights", "steps"}) CHECK(m.contains(key));
        for (const Json& f : m["flights"])
            for (const char* key : {"start_utc", "value", "error"}) CHECK(f.contains(key));
    }
    CHECK(cli("trend --json " + std::string(DEMO_DIR) + " --vehicle nobody").code == 2);
    CHECK(cli("trend /nowhere/at/all").code == 2);
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

TEST_CASE("a number that cannot be meant is refused with the allowed range, whatever the option", "[cli][hostile]") {
    TempDir dir;
    const std::string area = dir / "area.geojson", out = dir / "out.anhinga.geojson",
                      flight = std::string(DEMO_DIR) + "/patrol-flight.tlog";
    spit(
        area,
        R"({"type":"Feature","properties":{},"geometry":{"type":"Polygon","coordinates":[[[-20.108,47.304],[-20.105,47.304],[-20.105,47.3065],[-20.108,47.3065],[-20.108,47.304]]]}})");
    const std::string block = "block " + area + " --home 47.3,-20.1 --out " + out + " ";
    struct Row {
        std::string call;
        const char* options;
    };
    const Row rows[] = {
        {block,
         "height gsd overlap sidelap heading tolerance margin every speed width strips radius low high step spacing "
         "per-ring target stand-off tilts turns"},
        {"rehearse " + kPatrol + " ", "wind-from wind-speed shear gusts seed try-wind start sortie"},
        {"sorties " + kPatrol + " --anew ", "wind-from wind-speed resume sortie"},
        {"fly " + kPatrol + " --link udp:127.0.0.1:9 ", "pause-at return-at timeout"},
        {"export " + flight + " --out " + (dir / "x.csv") + " ", "rate"},
        {"presence " + flight + " --point 47,-20 ", "within"},
        {"channel " + flight + " x ", "session"},
        {"diagnose " + flight + " ", "session"},
        {"logs --link udp:127.0.0.1:9 ", "get"}};
    int n = 0;
    for (const Row& row : rows) {
        std::istringstream options(row.options);
        for (std::string option; options >> option;) {
            if (sanitized() && n++ % 4 != 0) continue;
            for (const char* value : {"nan", "1e300"}) {
                CAPTURE(row.call, option, value);
                const Ran ran = cli(row.call + "--" + option + "=" + value);
                REQUIRE(ran.code == 2);
                REQUIRE(ran.out.empty());
                // Which option, and what it may be.
                CHECK(ran.err.find("--" + option) != std::string::npos);
                if (std::string(value) == "nan")
                    CHECK((ran.err.find(" to ") != std::string::npos || ran.err.find("point") != std::string::npos));
            }
        }
    }
    for (const char* call : {"place nan,5", "place 45,-30,1e300", "place 45,-30 --date nan", "place 1e300,0",
                             "params --link udp:127.0.0.1:9 --set A=nan", "params --link udp:127.0.0.1:9 --set A=1e300",
                             "orders --link udp:127.0.0.1:9 --do height=nan",
                             "orders --link udp:127.0.0.1:9 --do speed=1e300", "params --link udp:127.0.0.1:1e9"}) {
        CAPTURE(call);
        const Ran ran = cli(call);
        CHECK(ran.code == 2);
        CHECK_FALSE(ran.err.empty());
    }
    CHECK_FALSE(std::filesystem::exists(out));
    // And what can be meant is taken.
    CHECK(cli(block + "--height=60 --speed=5.5 --heading=45.5 --margin=0").code == 0);
}

TEST_CASE("an outline of 20,000 corners and a plan of 20,000 points are answered, not waited for", "[cli][large]") {
    TempDir dir;
    std::string corners, points = "lat,lon,height\n";
    constexpr int kMany = 20000;
    for (int i = 0; i <= kMany; ++i) {
        const double a = 2 * M_PI * (i % kMany) / kMany,
                     r = 0.004 * (1 + 0.3 * std::sin(37 * a) + 0.1 * std::sin(611 * a));
        corners +=
            fmt::format("{}[{:.8f},{:.8f}]", i > 0 ? "," : "", -20.12 + 1.4 * r * std::cos(a), 47.31 + r * std::sin(a));
        if (i < kMany)
            points += fmt::format("{:.7f},{:.7f},{}\n", 47 + 0.02 * std::sin(i * 0.013), -20 + i * 2e-5, 50 + i % 20);
    }
    spit(dir / "corners.geojson",
         R"({"type":"Feature","properties":{},"geometry":{"type":"Polygon","coordinates":[[)" + corners + "]]}}");
    spit(dir / "points.csv", points);
    // Processor time, which other work on the machine does not change.
    const auto seconds = [](const std::string& call, int code) {
        rusage before{}, after{};
        getrusage(RUSAGE_CHILDREN, &before);
        const Ran ran = cli(call);
        getrusage(RUSAGE_CHILDREN, &after);
        CAPTURE(call, ran.err);
        CHECK(ran.code == code);
        return static_cast<double>(after.ru_utime.tv_sec - before.ru_utime.tv_sec) +
               1e-6 * static_cast<double>(after.ru_utime.tv_usec - before.ru_utime.tv_usec);
    };
    const std::string shape =
                          " " + (dir / "corners.geojson") + " --home 47.31,-20.12 --out " + (dir / "b.anhinga.geojson"),
                      list = dir / "l.anhinga.geojson";
    // Under sanitizers everything takes several times as long.
    const double most_s = sanitized() ? 60 : 5;
    CHECK(seconds("block" + shape, 0) < most_s);
    CHECK(seconds("block" + shape + " --heading best --crossing", 0) < most_s);
    CHECK(seconds("check " + (dir / "b.anhinga.geojson"), 1) < most_s);
    CHECK(seconds("lap" + shape, 0) < most_s);
    CHECK(seconds("corridor" + shape, 0) < most_s);
    CHECK(seconds("face" + shape, 0) < most_s);
    CHECK(seconds("import " + (dir / "points.csv") + " --out " + list, 0) < most_s);
    CHECK(seconds("check " + list, 1) < most_s);
}
