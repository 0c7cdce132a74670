// Web maps against the small tile server: memory, disk, network; storing an area with cancel, resume and a server that
// goes away.
#include <catch2/catch.hpp>

#include <QtTest/QtTest>

#include "session/AreaStoring.h"
#include "standin/TileServer.h"
#include "support.h"

using namespace anhinga;
using namespace anhinga::testing;

namespace {

const GeoBox kIsland{47.295, -20.145, 47.325, -20.095};

struct Fixture {
    TempDir dir;
    std::unique_ptr<TileServer> server;
    std::unique_ptr<TileSource> source;
    explicit Fixture(TileServerOptions options = {}) {
        options.picture = demo("quillmere-imagery.tif");
        auto started = TileServer::start(options);
        REQUIRE(started);
        server = std::move(*started);
        reopen(server->pattern());
    }
    void reopen(const std::string& pattern) {
        source = std::make_unique<TileSource>(
            WebMap{"Island", QString::fromStdString(pattern), "made up", 18},
            TileFolders{QString::fromStdString(dir / "stored"), QString::fromStdString(dir / "seen")});
    }
    bool wait(const std::function<bool()>& done, int ms = 15000) {
        QElapsedTimer t;
        t.start();
        while (t.elapsed() < ms && !done()) QTest::qWait(10);
        return done();
    }
    /// Asks for a tile until it is there, as the map does with every painting.
    bool comes(TileId tile, int ms = 8000) {
        return wait(
            [&] {
                source->want({tile});
                return !source->held(tile).isNull();
            },
            ms);
    }
};

}  // namespace

TEST_CASE("a tile comes from the network once, then from disk and memory", "[tiles][session]") {
    Fixture f;
    const TileId tile = tileAt({47.31, -20.12}, 14);
    CHECK(f.source->held(tile).isNull());
    REQUIRE(f.comes(tile));
    CHECK(f.server->served() == 1);
    CHECK(f.source->held(tile).width() == kTileSide_px);
    CHECK(f.source->problem().isEmpty());
    REQUIRE(f.wait([&] { return f.source->seen()->has(tile); }));
    // A new run with the server gone: the tile is on disk.
    const std::string pattern = f.server->pattern();
    f.server.reset();
    f.reopen(pattern);
    CHECK(f.comes(tile));
}

TEST_CASE("without a network the map says so and asks again later", "[tiles][session]") {
    Fixture f;
    const std::string pattern = f.server->pattern();
    f.server.reset();
    const TileId tile = tileAt({47.31, -20.12}, 14);
    CHECK_FALSE(f.comes(tile, 1500));
    CHECK(f.source->problem().contains("127.0.0.1"));
    CHECK(f.source->problem().contains("cannot be reached"));
}

TEST_CASE("answers that are no pictures are not kept", "[tiles][session][hostile]") {
    Fixture f;
    f.server->setFailing(true);
    TileSource::Fetched got;
    bool told = false;
    const auto ask = [&](TileId t) {
        told = false;
        f.source->fetch(t, [&](const TileSource::Fetched& x) {
            got = x;
            told = true;
        });
        REQUIRE(f.wait([&] { return told; }));
    };
    ask({14, 1, 1});
    CHECK(got.bytes.isEmpty());
    CHECK(got.problem.contains("503"));
    CHECK_FALSE(got.missing);
    f.server->setFailing(false);
    ask({21, 5, 5});  // finer than the server has
    CHECK(got.missing);
    ask({3, 1, 1});
    CHECK(got.problem.isEmpty());
    CHECK(pictureFormat(got.bytes.toStdString()) == "png");
}

TEST_CASE("a web map whose file is damaged is named and still shown from the network", "[tiles][session][hostile]") {
    Fixture f;
    const WebMap map{"Island", QString::fromStdString(f.server->pattern()), "", 18};
    std::filesystem::create_directories(f.dir / "bad");
    spit(f.dir / ("bad/" + tileFileName(map).toStdString()), rubbish(5000, 2));
    const QString folder = QString::fromStdString(f.dir / "bad");
    f.source = std::make_unique<TileSource>(map, TileFolders{folder, folder});
    CHECK(f.source->problem().contains("mbtiles"));
    CHECK_FALSE(f.source->stored());
    AreaStoring work;
    CHECK_FALSE(work.start(f.source.get(), {0, "x", kIsland, 12, 13}));
    CHECK(f.comes(tileAt({47.31, -20.12}, 13)));
}

TEST_CASE("storing an area brings every tile of it, and says beforehand how many", "[tiles][session][store]") {
    Fixture f;
    const StoredArea area{0, "Island", kIsland, 11, 15};
    const AreaCost before = AreaStoring::cost(*f.source, area);
    CHECK(before.tiles == TileWalk(kIsland, 11, 15).count());
    CHECK(before.present == 0);
    CHECK(before.bytes_missing > 0);
    CHECK_FALSE(before.known_size);
    AreaStoring work;
    QString text;
    bool complete = false;
    QObject::connect(&work, &AreaStoring::finished, [&](bool ok, const QString& t) {
        complete = ok;
        text = t;
    });
    std::uint64_t last = 0;
    QObject::connect(&work, &AreaStoring::progressed, [&] {
        CHECK(work.done() >= last);
        last = work.done();
    });
    REQUIRE(work.start(f.source.get(), area));
    CHECK_FALSE(work.start(f.source.get(), area));  // one at a time
    REQUIRE(f.wait([&] { return !text.isEmpty(); }, 60000));
    CHECK(complete);
    CHECK(f.source->stored()->count() == before.tiles);
    CHECK(f.server->served() == before.tiles);
    const AreaCost after = AreaStoring::cost(*f.source, area);
    CHECK(after.present == before.tiles);
    CHECK(after.bytes_missing == 0);
    REQUIRE(f.source->stored()->areas().size() == 1);
    CHECK(f.source->stored()->areas()[0].complete);
    CHECK(f.source->stored()->areas()[0].stored_s > 1.7e9);
}

TEST_CASE("storing can be cancelled and goes on where it was, also in another run", "[tiles][session][store]") {
    Fixture f({.delay_ms = 5});
    const StoredArea area{0, "Island", kIsland, 11, 16};
    const auto total = TileWalk(kIsland, 11, 16).count();
    QString text;
    {
        AreaStoring work;
        QObject::connect(&work, &AreaStoring::finished, [&](bool ok, const QString& t) {
            CHECK_FALSE(ok);
            text = t;
        });
        REQUIRE(work.start(f.source.get(), area));
        REQUIRE(f.wait([&] { return work.done() >= 10; }));
        work.cancel();
        CHECK_FALSE(work.running());
        CHECK(text.contains("Cancelled"));
        QTest::qWait(100);  // what was under way must not be counted into anything
    }
    const auto kept = f.source->stored()->count();
    CHECK(kept >= 10);
    CHECK(kept < total);
    f.reopen(f.server->pattern());
    const auto areas = f.source->stored()->areas();
    REQUIRE(areas.size() == 1);
    CHECK_FALSE(areas[0].complete);
    AreaStoring again;
    bool complete = false;
    QObject::connect(&again, &AreaStoring::finished, [&](bool ok, const QString&) { complete = ok; });
    const auto served = f.server->served();
    REQUIRE(again.start(f.source.get(), areas[0]));
    REQUIRE(f.wait([&] { return !again.running(); }, 60000));
    CHECK(complete);
    CHECK(f.source->stored()->count() == total);
    // Nothing is fetched twice but the few that were under way when it was cancelled.
    CHECK(f.server->served() - served >= total - kept);
    CHECK(f.server->served() - served <= total - kept + 4);
    CHECK(f.source->stored()->areas().size() == 1);
}

TEST_CASE("a server that goes away in the middle ends the storing with what came", "[tiles][session][store]") {
    Fixture f({.fail_after = 12});
    AreaStoring work;
    QString text;
    QObject::connect(&work, &AreaStoring::finished, [&](bool ok, const QString& t) {
        CHECK_FALSE(ok);
        text = t;
    });
    REQUIRE(work.start(f.source.get(), {0, "Island", kIsland, 11, 16}));
    REQUIRE(f.wait([&] { return !work.running(); }, 30000));
    CHECK(text.contains("Stopped after"));
    CHECK(text.contains("503"));
    CHECK(f.source->stored()->count() == 12);
}

TEST_CASE("tiles the server does not have are counted, not waited for", "[tiles][session][store]") {
    Fixture f({.zoom_max = 13});
    AreaStoring work;
    QString text;
    bool complete = false;
    QObject::connect(&work, &AreaStoring::finished, [&](bool ok, const QString& t) {
        complete = ok;
        text = t;
    });
    REQUIRE(work.start(f.source.get(), {0, "Island", kIsland, 12, 14}));
    REQUIRE(f.wait([&] { return !work.running(); }, 30000));
    CHECK(complete);
    CHECK(work.missing() == TileWalk(kIsland, 14, 14).count());
    CHECK(text.contains(QString::number(work.missing())));
}

TEST_CASE("areas without end are refused before anything is fetched", "[tiles][session][store]") {
    Fixture f;
    AreaStoring work;
    const auto refused = work.start(f.source.get(), {0, "World", {-80, -180, 80, 179.9}, 0, 18});
    REQUIRE_FALSE(refused);
    CHECK(refused.error().message.find("smaller area") != std::string::npos);
    CHECK_FALSE(work.start(f.source.get(), {0, "Nothing", {1, 1, 1, 1}, 3, 5}));
    CHECK(f.source->stored()->areas().empty());
    CHECK(f.server->served() == 0);
    // The cost of far too much is told all the same, and quickly.
    const double begun_ms = cpuMs();
    CHECK(AreaStoring::cost(*f.source, {0, "Big", {40, -30, 50, -10}, 0, 11}).tiles > 5000);
    CHECK(cpuMs() - begun_ms < 4000);
}
