// Onboard logs over the link: listed, fetched byte for byte over bad links, gone on with after a cut; over FTP, too.
#include <catch2/catch.hpp>

#include <filesystem>

#include "core/base/Text.h"
#include "core/link/BlockWindow.h"
#include "core/link/Ftp.h"
#include "core/link/PartFile.h"
#include "link/Rig.h"

using namespace anhinga;
using namespace anhinga::testing;

namespace {
struct LogRig {
    TempDir aboard, here;
    std::string content;
    std::unique_ptr<Rig> rig;
    explicit LogRig(std::size_t bytes, LinkConditions conditions = {}, double rate = 4e6)
        : content(rubbish(bytes, 11)) {
        spit(aboard / "flight-001.ulg", "short");
        spit(aboard / "flight-002.ulg", content);
        spit(aboard / "notes.txt", "no log");
        StandInOptions o = standInOptions();
        o.logs_dir = aboard.path();
        o.log_bytes_per_s = rate;
        rig = std::make_unique<Rig>(o, conditions);
    }
    VehicleLink& link() { return rig->link(); }
};
LinkConditions lossy(double loss, int latency_ms) {
    LinkConditions c;
    c.loss = loss;
    c.latency_ms = latency_ms;
    c.seed = 21;
    return c;
}
}  // namespace

TEST_CASE("logs aboard are listed with their sizes", "[link][logs]") {
    LogRig r(100000, lossy(0.2, 20));
    const auto logs = listLogs(r.link());
    REQUIRE(logs);
    REQUIRE(logs->size() == 2);
    CHECK((*logs)[0].bytes == 5);
    CHECK((*logs)[1].bytes == 100000);
    CHECK((*logs)[1].time_unix_s == Approx(unixNow()).margin(60));
    StandInOptions none = standInOptions();
    Rig empty(none);
    const auto no_logs = listLogs(empty.link());
    REQUIRE(no_logs);
    CHECK(no_logs->empty());
}

TEST_CASE("the list of logs is whole over a line that loses every second packet", "[link][logs][loss]") {
    for (unsigned seed = 1; seed <= 6; ++seed) {
        LinkConditions c = lossy(0.5, 20);
        c.seed = seed;
        LogRig r(3000, c);
        TransferOptions patient;
        patient.silence_s = 60;
        const auto logs = listLogs(r.link(), patient);
        INFO("seed " << seed << (logs ? "" : ": " + logs.error().message));
        REQUIRE(logs);
        REQUIRE(logs->size() == 2);
        CHECK((*logs)[0].bytes == 5);
        CHECK((*logs)[1].bytes == 3000);
    }
}

TEST_CASE("a log is fetched byte for byte with loss, duplicates and reordering", "[link][logs][loss]") {
    LinkConditions c = lossy(0.05, 25);
    c.duplicate = 0.05;
    c.reorder = 0.05;
    c.corrupt = 0.02;
    LogRig r(400000, c);
    const auto logs = listLogs(r.link());
    REQUIRE(logs);
    double last = 0;
    TransferOptions watch;
    watch.progress = [&](double share, const std::string&) { last = share; };
    const auto got = fetchLog(r.link(), logs->back(), r.here / "a.ulg", watch);
    INFO((got ? "" : got.error().message));
    REQUIRE(got);
    CHECK(got->bytes == 400000);
    CHECK(last == Approx(1));
    CHECK(slurp(r.here / "a.ulg") == r.content);
    CHECK_FALSE(std::filesystem::exists(r.here / "a.ulg.part"));
    const auto tiny = fetchLog(r.link(), logs->front(), r.here / "b.ulg");
    REQUIRE(tiny);
    CHECK(slurp(r.here / "b.ulg") == "short");
}

TEST_CASE("a fetch goes on where a cut broke it off", "[link][logs]") {
    LogRig r(600000, {}, 300000);
    const auto logs = listLogs(r.link());
    REQUIRE(logs);
    TransferOptions impatient;
    impatient.silence_s = 0.8;
    r.rig->world().later(0.9, [&] { r.rig->cut(true); });
    const auto broken = fetchLog(r.link(), logs->back(), r.here / "a.ulg", impatient);
    REQUIRE_FALSE(broken);
    CHECK(broken.error().message.find("has not answered") != std::string::npos);
    REQUIRE(std::filesystem::exists(r.here / "a.ulg.part"));
    CHECK_FALSE(std::filesystem::exists(r.here / "a.ulg"));
    r.rig->cut(false);
    const auto got = fetchLog(r.link(), logs->back(), r.here / "a.ulg");
    REQUIRE(got);
    CHECK(got->received < 550000);
    CHECK(slurp(r.here / "a.ulg") == r.content);
}

TEST_CASE("a fetch waits through a cut of the link when it is told to be patient", "[link][logs]") {
    LogRig r(500000, {}, 300000);
    const auto logs = listLogs(r.link());
    REQUIRE(logs);
    r.rig->world().later(0.5, [&] { r.rig->cut(true); });
    r.rig->world().later(3.5, [&] { r.rig->cut(false); });
    TransferOptions patient;
    patient.silence_s = 30;
    const auto got = fetchLog(r.link(), logs->back(), r.here / "a.ulg", patient);
    REQUIRE(got);
    CHECK(slurp(r.here / "a.ulg") == r.content);
    CHECK(got->seconds < 12);
}

TEST_CASE("a fetch stops when asked, and says when there is no room", "[link][logs]") {
    LogRig r(500000, {}, 100000);
    const auto logs = listLogs(r.link());
    REQUIRE(logs);
    std::stop_source stop;
    const double start_s = r.rig->world().clock().now_s();
    r.rig->world().later(0.4, [&] { stop.request_stop(); });
    TransferOptions t;
    t.stop = stop.get_token();
    const auto got = fetchLog(r.link(), logs->back(), r.here / "a.ulg", t);
    REQUIRE_FALSE(got);
    CHECK(got.error().message == "stopped");
    CHECK(r.rig->world().since(start_s) < 0.5);
    CHECK_FALSE(fetchLog(r.link(), logs->back(), "/no/such/folder/a.ulg"));
}

TEST_CASE("logs aboard are erased when that is wanted", "[link][logs]") {
    LogRig r(1000);
    REQUIRE(eraseLogs(r.link()));
    CHECK(listLogs(r.link())->empty());
    CHECK(std::filesystem::exists(r.aboard / "notes.txt"));
}

TEST_CASE("files aboard are listed and fetched over FTP", "[link][ftp]") {
    LinkConditions c = lossy(0.05, 20);
    c.duplicate = 0.05;
    LogRig r(300000, c);
    const auto root = ftpList(r.link(), "/");
    REQUIRE(root);
    REQUIRE(root->size() == 1);
    CHECK((*root)[0].folder);
    const auto files = ftpList(r.link(), "/logs");
    REQUIRE(files);
    REQUIRE(files->size() == 2);
    CHECK((*files)[1].name == "flight-002.ulg");
    CHECK((*files)[1].bytes == 300000);
    const auto got = ftpFetch(r.link(), "/logs/flight-002.ulg", r.here / "a.ulg");
    INFO((got ? "" : got.error().message));
    REQUIRE(got);
    CHECK(slurp(r.here / "a.ulg") == r.content);
    const auto missing = ftpFetch(r.link(), "/logs/flight-009.ulg", r.here / "b.ulg");
    REQUIRE_FALSE(missing);
    CHECK(missing.error().message.find("no such file") != std::string::npos);
    // No way out of the folder.
    for (const char* path : {"/logs/../notes.txt", "/logs/notes.txt", "/etc/passwd", "../x"})
        CHECK_FALSE(ftpFetch(r.link(), path, r.here / "c"));
}

TEST_CASE("blocks are asked for until each has come, however many get lost", "[link][window]") {
    for (const double loss : {0.0, 0.05, 0.4}) {
        std::mt19937 random(7);
        std::uniform_real_distribution<double> share(0, 1);
        BlockWindow window(std::vector<bool>(2000, false), 0.05);
        std::deque<std::pair<double, std::size_t>> on_the_way;
        double now = 0;
        std::size_t asked = 0;
        for (; !window.complete() && now < 600; now += 0.001) {
            while (const auto block = window.toAsk(now)) {
                ++asked;
                if (share(random) >= loss) on_the_way.emplace_back(now + 0.05, *block);
            }
            while (!on_the_way.empty() && on_the_way.front().first <= now) {
                window.arrived(on_the_way.front().second, now);
                on_the_way.pop_front();
            }
        }
        INFO("loss " << loss << ": asked " << asked << " times in " << now << " s");
        CHECK(window.complete());
        CHECK(static_cast<double>(asked) < 2000 / (1 - loss) * 1.15 + 5);
    }
    BlockWindow odd(std::vector<bool>{true, false, true}, 0.1);
    CHECK(odd.missing() == 1);
    CHECK_FALSE(odd.arrived(99, 0));
    CHECK_FALSE(odd.arrived(0, 0));
    CHECK(odd.arrived(1, 0));
    CHECK(odd.complete());
}

TEST_CASE("a link is filled and not flooded, whatever was thought of it before", "[link][window]") {
    struct Line {
        double blocks_per_s, delay_s, loss, guess_s, least;
    };
    for (const Line& line :
         {Line{9000, 0.1, 0.05, 0.1, 0.75}, Line{9000, 0.1, 0.05, 0.01, 0.75}, Line{500, 0.4, 0.02, 0.05, 0.7},
          Line{60, 1.2, 0, 0.05, 0.35}, Line{20000, 0.02, 0.1, 1, 0.75}}) {
        std::mt19937 random(3);
        std::uniform_real_distribution<double> share(0, 1);
        const auto blocks = static_cast<std::size_t>(line.blocks_per_s * 12);
        BlockWindow window(std::vector<bool>(blocks, false), line.guess_s);
        // Answers wait their turn on the line, at most a second; what would wait longer is dropped.
        std::deque<std::pair<double, std::size_t>> on_the_way;
        double now = 100, free_at = now;
        std::size_t asked = 0;
        for (; !window.complete() && now < 400; now += 0.002) {
            while (const auto block = window.toAsk(now)) {
                ++asked;
                free_at = std::max(free_at, now);
                if (share(random) < line.loss || free_at - now > 1) continue;
                free_at += 1 / line.blocks_per_s;
                on_the_way.emplace_back(free_at + line.delay_s, *block);
            }
            while (!on_the_way.empty() && on_the_way.front().first <= now) {
                window.arrived(on_the_way.front().second, now);
                on_the_way.pop_front();
            }
        }
        const double carried = 12 / (now - 100);
        INFO(line.blocks_per_s << " blocks a second, " << line.delay_s << " s, guess " << line.guess_s << ": "
                               << carried << " of the line, asked " << asked << " times for " << blocks);
        CHECK(window.complete());
        CHECK(carried > line.least);
        CHECK(static_cast<double>(asked) < static_cast<double>(blocks) * 1.6);
    }
}

TEST_CASE("a part file of another log is not gone on with", "[link][logs][file]") {
    TempDir dir;
    const std::string a(90, 'a');
    const auto bytes = [](const std::string& s) {
        return std::span(reinterpret_cast<const std::uint8_t*>(s.data()), s.size());
    };
    {
        const auto part = PartFile::open(dir / "x", "log 1", 200, 90);
        REQUIRE(part);
        REQUIRE((*part)->put(1, bytes(a)));
        CHECK_FALSE((*part)->put(2, bytes(a)));  // the last is shorter
        CHECK_FALSE((*part)->put(9, bytes(a)));
        CHECK_FALSE((*part)->finish());
    }
    {
        const auto part = PartFile::open(dir / "x", "log 1", 200, 90);
        REQUIRE(part);
        CHECK_FALSE((*part)->have()[1]);  // nothing was noted
        REQUIRE((*part)->put(1, bytes(a)));
        REQUIRE((*part)->save());
    }
    CHECK((*PartFile::open(dir / "x", "log 1", 200, 90))->have()[1]);
    CHECK_FALSE((*PartFile::open(dir / "x", "log 2", 200, 90))->have()[1]);
    for (const std::string& note : damaged("anhinga part 1 size 200 block 90 of log 1\n010", 60, 3)) {
        spit(dir / "x.part.have", note);
        (void)PartFile::open(dir / "x", "log 1", 200, 90);
    }
}
