// A disk that is full, a folder that is gone, a card that was pulled: said at once, and what was there stays. A limit
// on the size of files stands for the full disk: a write beyond it fails as there.
#include <catch2/catch.hpp>

#include "core/RunCli.h"
#include "core/link/PartFile.h"
#include "core/link/Recorder.h"
#include "core/logbook/Logbook.h"
#include "core/logio/LogReader.h"
#include "core/mavlink/Frame.h"
#include "core/plan/KeptPlan.h"
#include "core/plan/PlanFile.h"
#include "core/terrain/Imagery.h"
#include "core/tiles/TileStore.h"
#include "support.h"
#include "world/VirtualClock.h"

using namespace anhinga;
using namespace anhinga::testing;

namespace {
namespace fs = std::filesystem;

std::vector<std::uint8_t> beat(int count) {
    mavlink::Message m("SYSTEM_TIME");
    m.system = 1;
    m.component = 1;
    m.set("time_boot_ms", count);
    const std::string bytes = mavlink::encode(m);
    return {bytes.begin(), bytes.end()};
}

/// The counts of beat() that are in a recording, by the layout of its files: 8 bytes of time, one packet. The second is
/// how many texts stand between them.
std::pair<std::vector<int>, int> countsIn(const std::string& file) {
    const std::string bytes = slurp(file);
    std::pair<std::vector<int>, int> out;
    for (std::size_t at = 0; at + 8 + 12 <= bytes.size();) {
        const auto byte = [&](std::size_t i) { return static_cast<unsigned char>(bytes[at + 8 + i]); };
        REQUIRE(byte(0) == 0xFD);  // every file ends with a whole packet
        const std::size_t length = byte(1), id = byte(7) | byte(8) << 8 | byte(9) << 16;
        REQUIRE(at + 8 + 12 + length <= bytes.size());
        if (id == 253) ++out.second;
        if (id == 2) {
            // time_boot_ms is the last of its payload, whose trailing zeros are left out.
            int count = 0;
            for (std::size_t i = 8; i < length; ++i) count |= byte(10 + i) << (8 * (i - 8));
            out.first.push_back(count);
        }
        at += 8 + 12 + length;
    }
    return out;
}
}  // namespace

TEST_CASE("a plan that finds no room leaves the old one, and nothing beside it", "[files][full]") {
    TempDir dir;
    const std::string path = dir / "p.anhinga.geojson";
    REQUIRE(savePlan(rowPlan(3), path));
    const std::string before = slurp(path);
    Plan longer = rowPlan(400);
    {
        const NoRoom full(20000);
        const auto ok = savePlan(longer, path);
        REQUIRE_FALSE(ok);
        CHECK(ok.error().message.find(path) != std::string::npos);
        CHECK(slurp(path) == before);
        CHECK(std::distance(fs::directory_iterator(dir.path()), {}) == 1);
        // Of what was kept before the last one stays.
        auto kept = KeptCopy::begin(dir / "unsaved");
        REQUIRE(kept);
        REQUIRE(kept->write(rowPlan(3), path));
        const std::string copy = slurp(kept->file());
        CHECK_FALSE(kept->write(longer, path));
        CHECK(slurp(kept->file()) == copy);
    }
    REQUIRE(savePlan(longer, path));
    CHECK(loadPlan(path)->items == longer.items);
    fs::create_directory(dir / "card");
    REQUIRE(savePlan(longer, dir / "card/p.anhinga.geojson"));
    fs::remove_all(dir / "card");
    const auto gone = savePlan(longer, dir / "card/p.anhinga.geojson");
    REQUIRE_FALSE(gone);
    CHECK(gone.error().message.find("card/p.anhinga.geojson") != std::string::npos);
}

TEST_CASE("a kept copy knows that its folder was taken away", "[files][full][kept]") {
    TempDir dir;
    auto kept = KeptCopy::begin(dir / "unsaved");
    REQUIRE(kept);
    CHECK_FALSE(kept->gone());
    fs::remove_all(dir / "unsaved");
    CHECK(kept->gone());
    CHECK_FALSE(kept->write(rowPlan(3), ""));
    CHECK(KeptCopy().gone());
}

TEST_CASE("what is heard while the disk is full is recorded when there is room", "[recording][full]") {
    TempDir dir;
    VirtualClock clock;
    auto recorder = *Recorder::create(dir / "f.tlog", clock);
    int n = 1;
    const auto hear = [&](int seconds) {
        for (int i = 0; i < seconds * 10; ++i) {
            recorder->add(beat(n++));
            clock.sleep(0.1);
        }
    };
    hear(10);
    CHECK(recorder->error().empty());
    {
        const NoRoom full(fs::file_size(dir / "f.tlog") + 11);
        hear(2);
        CHECK_FALSE(recorder->error().empty());  // within two seconds
        hear(30);
        CHECK_FALSE(recorder->error().empty());
        recorder->flush();
        const auto now = countsIn(dir / "f.tlog").first;  // whole packets alone
        CHECK(now.size() >= 95);
        CHECK(now.size() < 110);
    }
    hear(5);
    CHECK(recorder->error().empty());
    recorder.reset();
    const auto [counts, texts] = countsIn(dir / "f.tlog");
    REQUIRE(counts.size() == static_cast<std::size_t>(n - 1));
    for (std::size_t i = 0; i < counts.size(); ++i) REQUIRE(counts[i] == static_cast<int>(i) + 1);
    CHECK(texts == 0);
}

TEST_CASE("what does not fit in memory while the disk is full is counted in the recording", "[recording][full]") {
    TempDir dir;
    VirtualClock clock;
    auto recorder = *Recorder::create(dir / "f.tlog", clock);
    constexpr int kMany = 400000;  // of 30 bytes and more: some 12 MB
    {
        const NoRoom full(100);
        for (int i = 1; i <= kMany; ++i) recorder->add(beat(i));
        clock.sleep(3);
        recorder->add(beat(kMany + 1));
        CHECK_FALSE(recorder->error().empty());
        CHECK(recorder->bytes() < 9 << 20);
    }
    clock.sleep(3);
    recorder->add(beat(kMany + 2));
    CHECK(recorder->error().empty());
    recorder.reset();
    const auto [counts, texts] = countsIn(dir / "f.tlog");
    CHECK(counts.size() > 100000);
    CHECK(counts.size() < kMany);
    CHECK(texts == 1);
}

TEST_CASE("a recording whose file is taken away goes on in another, as soon as there can be one", "[recording][full]") {
    TempDir dir;
    VirtualClock clock;
    fs::create_directory(dir / "card");
    auto recorder = *Recorder::create(dir / "card/f.tlog", clock);
    const auto hear = [&](int from, int to) {
        for (int i = from; i < to; ++i) {
            recorder->add(beat(i));
            clock.sleep(0.1);
        }
    };
    hear(1, 50);
    fs::remove_all(dir / "card");
    hear(50, 100);
    CHECK(recorder->error().find("gone") != std::string::npos);
    fs::create_directory(dir / "card");
    spit(dir / "card/f-2.tlog", "of another");
    hear(100, 200);
    CHECK(recorder->error().empty());
    recorder.reset();
    CHECK(slurp(dir / "card/f-2.tlog") == "of another");
    const auto [counts, texts] = countsIn(dir / "card/f-3.tlog");
    REQUIRE_FALSE(counts.empty());
    CHECK(counts.front() <= 55);  // what had not gone to the old file
    CHECK(counts.back() == 199);
    CHECK(counts.size() == static_cast<std::size_t>(200 - counts.front()));
}

TEST_CASE("a fetch that finds no room says so, and goes on later where it was", "[logs][full]") {
    TempDir dir;
    const std::vector<std::uint8_t> block(1000, 7);
    {
        const NoRoom full(20000);
        const auto none = PartFile::open(dir / "a.ulg", "x", 50000, 1000);
        REQUIRE_FALSE(none);
        CHECK(none.error().message.find("50000") != std::string::npos);
    }
    {
        auto part = PartFile::open(dir / "a.ulg", "x", 50000, 1000);
        REQUIRE(part);
        for (std::size_t i = 0; i < 20; ++i) REQUIRE((*part)->put(i, block));
        REQUIRE((*part)->save());
        const NoRoom full(20000);
        Result<void> ok;
        for (std::size_t i = 20; i < 50 && ok; ++i) ok = (*part)->put(i, block);
        if (ok) ok = (*part)->save();
        CHECK_FALSE(ok);
    }
    auto part = PartFile::open(dir / "a.ulg", "x", 50000, 1000);
    REQUIRE(part);
    CHECK(std::count((*part)->have().begin(), (*part)->have().end(), true) == 20);
    for (std::size_t i = 20; i < 50; ++i) REQUIRE((*part)->put(i, block));
    REQUIRE((*part)->save());
    REQUIRE((*part)->finish());
    CHECK(slurp(dir / "a.ulg") == std::string(50000, 7));
    fs::create_directory(dir / "card");
    auto pulled = PartFile::open(dir / "card/b.ulg", "x", 50000, 1000);
    REQUIRE(pulled);
    REQUIRE((*pulled)->put(0, block));
    fs::remove_all(dir / "card");
    REQUIRE((*pulled)->put(1, block));
    const auto gone = (*pulled)->save();
    REQUIRE_FALSE(gone);
    CHECK(gone.error().message.find("gone") != std::string::npos);
}

TEST_CASE("a logbook and stored maps that find no room say so and keep what they have", "[logbook][tiles][full]") {
    TempDir dir;
    const auto book = *Logbook::open(dir / "book/logbook.sqlite");
    fs::copy(demo("shakedown-clean.ulg"), dir / "a.ulg");
    fs::copy(demo("shakedown-circling.ulg"), dir / "b.ulg");
    REQUIRE(book->add(dir / "a.ulg"));
    const auto store = *TileStore::open(dir / "tiles/m.mbtiles", "m", "");
    const std::string picture = *encodePng(std::vector<std::uint8_t>(64 * 64 * 4, 200), 64, 64);
    REQUIRE(store->put({12, 1, 1}, picture));
    {
        const NoRoom full(1000);
        const auto added = book->add(dir / "b.ulg");
        REQUIRE_FALSE(added);
        CHECK_FALSE(added.error().message.empty());
        CHECK_FALSE(store->put({12, 1, 2}, picture));
        CHECK(book->count() == 1);
        CHECK(store->has({12, 1, 1}));
    }
    CHECK(book->count() == 1);
    REQUIRE(book->add(dir / "b.ulg"));
    CHECK(book->count() == 2);
    REQUIRE(store->put({12, 1, 2}, picture));
    CHECK(store->count() == 2);
}

TEST_CASE("on the command line, what finds no room ends with a sentence and leaves what was there", "[cli][full]") {
    TempDir dir;
    const std::string out = dir / "out.anhinga.geojson";
    fs::copy(kPatrol, out);
    const std::string before = slurp(out);
    const std::string calls[] = {"import " + demo("quarry.anhinga.geojson") + " --out " + out,
                                 "sorties " + demo("quarry.anhinga.geojson") + " --anew --out " + out,
                                 "export " + kPatrol + " --out " + (dir / "x.kml"),
                                 "rehearse " + kPatrol + " --out " + (dir / "x.ulg")};
    for (const std::string& call : calls) {
        CAPTURE(call);
        const NoRoom full(3000);  // a program that is started has it, too
        const auto ran = cli(call);
        CHECK(ran.code == 2);
        CHECK_FALSE(ran.err.empty());
        CHECK(slurp(out) == before);
    }
    CHECK(std::distance(fs::directory_iterator(dir.path()), {}) == 1);
}
