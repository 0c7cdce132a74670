// The logbook: flights noted once, found again, described, and never touching their files; digests and the report.
#include <catch2/catch.hpp>

#include <sys/stat.h>

#include <filesystem>
#include <thread>

#include "core/base/Digest.h"
#include "core/base/Text.h"
#include "core/logbook/Logbook.h"
#include "core/review/FlightReport.h"
#include "support.h"

using namespace anhinga;
using namespace anhinga::testing;

namespace {

/// A log with `flights` climbs to 20 m and more, a minute of silence between them.
FlightLog shortLog(int flights, double top_m = 20) {
    FlightLog log;
    log.format = "ULog";
    log.vehicle = "vehicle 7, multirotor";
    log.start_unix_s = 1.78e9;
    double t = 0;
    for (int f = 0; f < flights; ++f, t += 60)
        for (int i = 0; i <= 60; ++i, t += 1) {
            log.channel("position.lat_deg", "deg").add(t, 47.3 + i * 1e-5);
            log.channel("position.lon_deg", "deg").add(t, -20.1 - f * 1e-3);
            log.channel("position.height_home_m", "m").add(t, (top_m + f) * std::sin(M_PI * i / 60));
        }
    log.findSessions({});
    return log;
}

std::shared_ptr<Logbook> book(const TempDir& dir) {
    auto opened = Logbook::open(dir / "book/logbook.sqlite");
    REQUIRE(opened);
    return *opened;
}

}  // namespace

TEST_CASE("a digest is the published one, of bytes and of files", "[base][digest]") {
    // FIPS 180-4's own examples.
    CHECK(sha256("abc") == "ba7816bf8f01cfea414140de5dae2223b00361a396177a9cb410ff61f20015ad");
    CHECK(sha256("") == "e3b0c44298fc1c149afbf4c8996fb92427ae41e4649b934ca495991b7852b855");
    TempDir dir;
    const std::string bytes = rubbish(700000, 4);
    spit(dir / "a", bytes);
    CHECK(*sha256OfFile(dir / "a") == sha256(bytes));
    CHECK_FALSE(sha256OfFile(dir / "none"));
    CHECK_FALSE(sha256OfFile(dir.path()));
}

TEST_CASE("each flight of a file is noted once, whatever the file is called", "[logbook]") {
    TempDir dir;
    const auto b = book(dir);
    const std::string text = writeUlog(shortLog(3));
    spit(dir / "first.ulg", text);
    const auto added = b->add(dir / "first.ulg");
    REQUIRE(added);
    CHECK(added->flights == 3);
    const auto all = b->entries();
    REQUIRE(all.size() == 3);
    for (const LogbookEntry& e : all) {
        CHECK(e.vehicle == "vehicle 7, multirotor");
        CHECK(e.duration_s == Approx(60).margin(1));
        CHECK(e.distance_m == Approx(66.7).margin(2));
        CHECK(e.sha256 == sha256(text));
        CHECK(e.bytes == text.size());
        REQUIRE(e.place);
        CHECK(e.place->lat_deg == Approx(47.3).margin(1e-6));
        CHECK(e.track.size() == 61);
        CHECK(e.track.back().lat_deg == Approx(47.3006).margin(1e-6));
    }
    CHECK(all[0].start_unix_s > all[2].start_unix_s);  // newest first
    CHECK(all[0].top_height_home_m == Approx(22).margin(0.2));
    // The same content under another name is known; when the first is gone, the entry finds the second.
    std::filesystem::copy(dir / "first.ulg", dir / "again.ulg");
    CHECK(b->add(dir / "again.ulg")->duplicates == 1);
    CHECK(b->count() == 3);
    CHECK(b->entries()[0].path == dir / "first.ulg");
    std::filesystem::remove(dir / "first.ulg");
    CHECK(b->add(dir / "again.ulg")->duplicates == 1);
    CHECK(b->entries()[0].path == dir / "again.ulg");
    CHECK(slurp(dir / "again.ulg") == text);
}

TEST_CASE("what the operator wrote is kept, also when a recording has grown", "[logbook]") {
    TempDir dir;
    spit(dir / "r.ulg", writeUlog(shortLog(1)));
    {
        const auto b = book(dir);
        REQUIRE(b->add(dir / "r.ulg", dir / "plan.anhinga.geojson"));
        LogbookEntry e = b->entries()[0];
        CHECK(e.plan_path == dir / "plan.anhinga.geojson");
        e.notes = "new propellers: quieter";
        e.tags = "survey quarry";
        e.place_name = "Harbour";
        e.vehicle = "the red one";
        REQUIRE(b->change(e));
        REQUIRE(b->addNote({0, 1.7e9, "the red one", "propellers changed"}));
        REQUIRE(b->addNote({0, 1.8e9, "the blue one", "compass moved"}));
    }
    const auto b = book(dir);  // opened anew
    spit(dir / "r.ulg", writeUlog(shortLog(2)));
    CHECK(b->add(dir / "r.ulg")->flights == 1);
    const auto all = b->entries();
    REQUIRE(all.size() == 2);
    CHECK(all[1].notes == "new propellers: quieter");
    CHECK(all[1].plan_path == dir / "plan.anhinga.geojson");
    CHECK(all[0].notes.empty());
    // Every word must be found, in any of the texts.
    CHECK(b->entries("PROPELLERS quarry").size() == 1);
    CHECK(b->entries("harbour red").size() == 1);
    CHECK(b->entries("propellers meadow").empty());
    CHECK(b->entries("r.ulg").size() == 2);
    CHECK(b->entries(isoUtc(all[1].start_unix_s).substr(0, 7)).size() == 2);
    CHECK(b->notes().size() == 2);
    CHECK(b->notes()[0].text == "compass moved");
    REQUIRE(b->notes("the red one").size() == 1);
    REQUIRE(b->removeNote(b->notes("the red one")[0].id));
    CHECK(b->notes("the red one").empty());
    // Removed from the book, the file stays.
    REQUIRE(b->remove({all[0].id, all[1].id}));
    CHECK(b->count() == 0);
    CHECK(std::filesystem::exists(dir / "r.ulg"));
    CHECK_FALSE(b->change(all[0]));
    CHECK_FALSE(b->entry(all[0].id));
}

TEST_CASE("a folder is imported with what is in it told by content, and can be stopped", "[logbook]") {
    TempDir dir;
    const std::string in = dir / "in";
    std::filesystem::create_directories(in + "/deep/deeper");
    spit(in + "/a.bin", writeUlog(shortLog(1, 20)));
    spit(in + "/deep/b.ulg", writeUlog(shortLog(2, 30)));
    spit(in + "/deep/deeper/b-copy", slurp(in + "/deep/b.ulg"));
    std::filesystem::copy(demo("patrol-flight.tlog"), in + "/deep/flight");
    spit(in + "/notes.txt", "nothing to see");
    spit(in + "/empty.ulg", "");
    spit(in + "/broken.ulg", slurp(in + "/a.bin").substr(0, 40));
    const auto b = book(dir);
    int calls = 0, last = 0;
    const auto done = b->addFolder(in, [&](int n, int of, const std::string&) {
        CHECK(of == 7);
        CHECK(n == calls);
        last = n;
        ++calls;
    });
    REQUIRE(done);
    CHECK(calls == 7);
    CHECK(last == 6);
    CHECK(done->files == 3);
    CHECK(done->flights == 4);
    CHECK(done->duplicates == 1);
    CHECK(done->not_logs == 2);
    REQUIRE(done->failed.size() == 1);
    CHECK(done->failed[0].find("broken.ulg") != std::string::npos);
    CHECK(b->entries("recording multirotor").size() == 1);  // the recording says whose it is
    std::stop_source stop;
    stop.request_stop();
    CHECK(b->addFolder(in, {}, stop.get_token())->files == 0);
    CHECK_FALSE(b->addFolder(in + "/a.bin"));
}

TEST_CASE("a log without position, without flight, or undated has its entry too", "[logbook]") {
    FlightLog bare;
    bare.format = "ULog";
    bare.channel("battery.voltage_v", "V").add(0, 15);
    bare.channel("battery.voltage_v", "V").add(30, 14);
    const auto one = entriesOf(bare);
    REQUIRE(one.size() == 1);
    CHECK_FALSE(one[0].place);
    CHECK(one[0].duration_s == Approx(30));
    CHECK(one[0].start_unix_s == 0);
    // Standing on the ground between flights is no flight; a log of nothing else is kept all the same.
    FlightLog ground = shortLog(1, 0.1);
    Channel& lat = ground.channel("position.lat_deg", "deg");
    std::fill(lat.value.begin(), lat.value.end(), 47.3);
    ground.findSessions({});
    CHECK(entriesOf(ground).size() == 1);
    CHECK(entriesOf(shortLog(2)).size() == 2);
}

TEST_CASE("files that are no logbook are refused and stay as they are", "[logbook][hostile]") {
    TempDir dir;
    int tried = 0;
    {
        const auto b = book(dir);
        spit(dir / "r.ulg", writeUlog(shortLog(2)));
        REQUIRE(b->add(dir / "r.ulg"));
    }
    const std::string good = slurp(dir / "book/logbook.sqlite");
    for (const std::string& bad : damaged(good, 150, 3)) {
        spit(dir / "bad.sqlite", bad);
        for (const char* beside : {"bad.sqlite-wal", "bad.sqlite-shm"}) std::filesystem::remove(dir / beside);
        if (const auto b = Logbook::open(dir / "bad.sqlite")) {
            for (const LogbookEntry& e : (*b)->entries())
                for (const GeoPoint& g : e.track) REQUIRE(isValid(g));
            (void)(*b)->add(dir / "r.ulg");
            (void)(*b)->notes();
        }
        ++tried;
    }
    CHECK(tried >= 100);
    spit(dir / "text",
         "not a database, but long enough to have a header of one hundred bytes, as all databases have it");
    CHECK_FALSE(Logbook::open(dir / "text"));
    CHECK(slurp(dir / "text").starts_with("not a database"));
    CHECK_FALSE(Logbook::open(dir.path()));
}

TEST_CASE("two windows write to one logbook", "[logbook]") {
    TempDir dir;
    const auto a = book(dir), b = book(dir);
    std::vector<std::string> files;
    for (int i = 0; i < 20; ++i) {
        files.push_back(dir / fmt::format("{}.ulg", i));
        spit(files.back(), writeUlog(shortLog(1, 20 + i)));
    }
    {
        std::jthread first([&] {
            for (int i = 0; i < 20; i += 2) (void)a->add(files[static_cast<std::size_t>(i)]);
        });
        for (int i = 1; i < 20; i += 2) CHECK(b->add(files[static_cast<std::size_t>(i)]));
    }
    CHECK(a->count() == 20);
    CHECK(b->entries("0.ulg").size() == 2);
}

TEST_CASE("a flight report holds figures, seal and dated ticks, and nothing of it breaks the page",
          "[review][report]") {
    const FlightLog log = [] {
        FlightLog l = shortLog(1);
        l.modes = {{0, "mission"}};
        l.events = {{5, "message", "<b>fence & more</b>"}, {6, "photo", ""}};
        return l;
    }();
    Plan plan = rowPlan(2);
    plan.title = "Island <patrol>";
    plan.checklist.push_back({1, "Propellers tight", "", true, 1.78e9, {}});
    plan.checklist.push_back({2, "GPS fix", "gps", false, 0, {}});
    Seal seal;
    seal.fingerprint = 0xABCDEF;
    seal.time_unix_s = 1.779e9;
    seal.flown_unix_s = 1.7791e9;
    plan.seals.push_back(seal);
    PlannedFlown flown;
    flown.cross_mean_m = 1.25;
    flown.photos_flown = 12;
    flown.flown_s = 60;
    ReportInput in;
    in.file = "flight.ulg";
    in.sha256 = sha256("x");
    in.log = &log;
    in.plan = &plan;
    in.flown = &flown;
    in.planned_photos = 13;
    in.map_png = "\x89PNG\r\n";
    const std::string html = flightReport(in);
    for (const char* part : {"Island &lt;patrol&gt;", "flight.ulg", "vehicle 7, multirotor", "Propellers tight",
                             "2026-05-28T", "looks for itself", "13  planned, 12  flown", "unknown planned, 60 s flown",
                             "0000000000abcdef", "flown until", "&lt;b&gt;fence &amp; more&lt;/b&gt;", "iVBORw0K"}) {
        INFO(part << " in " << html);
        CHECK(html.find(part) != std::string::npos);
    }
    CHECK(html.find(sha256("x")) != std::string::npos);
    CHECK(html.find("<b>fence") == std::string::npos);
    in.flown = nullptr;
    in.plan = nullptr;
    in.not_compared = "no mission item in this log";
    CHECK(flightReport(in).find("Not compared: no mission item in this log") != std::string::npos);
    // RFC 4648's own examples.
    CHECK(base64("") == "");
    CHECK(base64("f") == "Zg==");
    CHECK(base64("fo") == "Zm8=");
    CHECK(base64("foobar") == "Zm9vYmFy");
}

TEST_CASE("a card that was formatted between flights gives the next flight the same name, and nothing of the last",
          "[logbook]") {
    TempDir dir;
    const auto b = book(dir);
    struct stat info {};
    REQUIRE(::stat((dir / "book/logbook.sqlite").c_str(), &info) == 0);
    CHECK((info.st_mode & 0777) == 0600);
    const std::string card = dir / "card/00000001.ulg";
    std::filesystem::create_directories(dir / "card");
    const std::string first = writeUlog(shortLog(1)), second = writeUlog(shortLog(1, 40)),
                      same_size = writeUlog(shortLog(1, 60));
    spit(card, first);
    REQUIRE(b->addFolder(dir / "card"));
    LogbookEntry e = b->entries().at(0);
    e.notes = "propeller changed";
    e.tags = "survey";
    REQUIRE(b->change(e));
    CHECK(isTheFileOf(e));
    // Formatted; the next flight has the same name, and as it happens the same size.
    REQUIRE(same_size.size() == second.size());
    for (const std::string& next : {second, same_size}) {
        spit(card, next);
        const auto stamp = std::filesystem::last_write_time(card);
        std::filesystem::last_write_time(card, stamp + std::chrono::seconds(next == second ? 60 : 120));
        const auto again = b->addFolder(dir / "card", {}, {}, true);
        REQUIRE(again);
        CHECK(again->flights == 1);
    }
    const auto all = b->entries();
    REQUIRE(all.size() == 3);
    int with_notes = 0;
    for (const LogbookEntry& each : all) {
        with_notes += each.notes.empty() ? 0 : 1;
        CHECK(each.notes.empty() == (each.sha256 != sha256(first)));
        CHECK(isTheFileOf(each) == (each.sha256 == sha256(same_size)));
    }
    CHECK(with_notes == 1);
    // The first is found again where it was copied to before.
    spit(dir / "kept.ulg", first);
    REQUIRE(b->add(dir / "kept.ulg"));
    CHECK(b->entries().size() == 3);
    CHECK(b->entry(e.id)->path == dir / "kept.ulg");
    CHECK(b->entry(e.id)->notes == "propeller changed");
    // Nothing new is passed over unread.
    CHECK(b->addFolder(dir / "card", {}, {}, true)->duplicates == 0);
}
