// Time as it is given to links and tests: the machine's clock, and the one that is played.
#include <catch2/catch.hpp>

#include "core/base/Clock.h"
#include "core/base/Text.h"
#include "link/Rig.h"

using namespace anhinga;
using namespace anhinga::testing;

TEST_CASE("played time passes only when all wait, and to the next moment somebody waits for", "[clock]") {
    VirtualClock clock;
    const double start_s = clock.now_s(), start_unix_s = clock.unix_s();
    std::vector<std::pair<std::string, double>> seen;
    const auto note = [&](const char* who) { seen.emplace_back(who, clock.now_s() - start_s); };
    const Worker late = clock.start([&](const std::stop_token& stop) {
        clock.sleep(5, stop);
        note("late");
    });
    const Worker early = clock.start([&](const std::stop_token& stop) {
        for (int i = 0; i < 2; ++i) {
            clock.sleep(2, stop);
            note("early");
        }
    });
    clock.call(start_s + 3, [&] { note("called"); });
    const auto forgotten = clock.call(start_s + 3.5, [&] { note("forgotten"); });
    REQUIRE(forgotten);
    clock.forget(*forgotten);
    CHECK(seen.empty());
    CHECK(clock.now_s() == start_s);
    clock.sleep(10);
    note("first");
    REQUIRE(seen.size() == 5);
    const std::pair<const char*, double> expected[] = {
        {"early", 2}, {"called", 3}, {"early", 4}, {"late", 5}, {"first", 10}};
    for (std::size_t i = 0; i < seen.size(); ++i) {
        CHECK(seen[i].first == expected[i].first);
        CHECK(seen[i].second == Approx(expected[i].second));
    }
    CHECK(clock.unix_s() - start_unix_s == Approx(10));
}

TEST_CASE("a bell wakes who waits for it before the time is over, and no sooner", "[clock]") {
    VirtualClock clock;
    const double start_s = clock.now_s();
    std::mutex mutex;
    Bell bell;
    int value = 0;
    const Worker other = clock.start([&](const std::stop_token& stop) {
        for (int i = 0; i < 2; ++i) {
            clock.sleep(7, stop);
            const std::lock_guard lock(mutex);
            ++value;
            bell.ring();
        }
    });
    std::unique_lock lock(mutex);
    CHECK(clock.wait(bell, lock, start_s + 100, {}, [&] { return value == 2; }));
    CHECK(clock.now_s() - start_s == Approx(14));
    CHECK_FALSE(clock.wait(bell, lock, start_s + 100, {}, [&] { return value == 3; }));
    CHECK(clock.now_s() - start_s == Approx(100));
    CHECK(lock.owns_lock());
}

TEST_CASE("what happens first among equals follows from the seed", "[clock]") {
    const auto order = [](unsigned seed) {
        VirtualClock clock(seed);
        std::string seen;
        std::vector<Worker> workers;
        for (char name = 'a'; name < 'f'; ++name)
            workers.push_back(clock.start([&clock, &seen, name](const std::stop_token& stop) {
                for (int i = 0; i < 4; ++i) {
                    clock.sleep(1, stop);
                    seen += name;
                }
            }));
        clock.sleep(10);
        return seen;
    };
    std::set<std::string> orders;
    for (unsigned seed = 1; seed <= 12; ++seed) {
        const std::string once = order(seed);
        CHECK(once.size() == 20);
        CHECK(order(seed) == once);
        orders.insert(once);
    }
    CHECK(orders.size() > 6);
}

TEST_CASE("a worker that sleeps is ended by a stop at once", "[clock]") {
    VirtualClock clock;
    const double start_s = clock.now_s();
    bool over = false;
    Worker sleeper = clock.start([&](const std::stop_token& stop) {
        clock.sleep(1000, stop);
        over = true;
    });
    clock.sleep(1);
    CHECK_FALSE(over);
    sleeper.end();
    CHECK(over);
    CHECK(clock.now_s() - start_s < 2);
    sleeper = {};
    // One that is replaced is ended, too.
    int ended = 0;
    Worker worker;
    for (int i = 0; i < 3; ++i)
        worker = clock.start([&](const std::stop_token& stop) {
            clock.sleep(1000, stop);
            ++ended;
        });
    worker.end();
    CHECK(ended == 3);
}

TEST_CASE("the machine's clock waits, is woken and stopped", "[clock][real]") {
    Clock& clock = Clock::machine();
    CHECK(clock.unix_s() > 1.7e9);
    CHECK_FALSE(clock.call(clock.now_s(), [] {}));
    std::mutex mutex;
    Bell bell;
    bool rung = false;
    const Worker other = clock.start([&](const std::stop_token&) {
        const std::lock_guard lock(mutex);
        rung = true;
        bell.ring();
    });
    std::unique_lock lock(mutex);
    CHECK(clock.wait(bell, lock, clock.now_s() + 60, {}, [&] { return rung; }));
    const double start_s = clock.now_s();
    CHECK_FALSE(clock.wait(bell, lock, start_s + 0.05, {}, [] { return false; }));
    CHECK(clock.now_s() - start_s >= 0.049);
    std::stop_source stopped;
    stopped.request_stop();
    CHECK_FALSE(clock.wait(bell, lock, clock.now_s() + 600, stopped.get_token(), [] { return false; }));
    clock.sleep(600, stopped.get_token());
}

TEST_CASE("twenty minutes of flight at the pace of the world are played in a moment", "[clock][link]") {
    World w;
    if (!w.played()) return;
    Rig rig(standInOptions());
    const auto items = rowMission(80);
    REQUIRE(handOver(rig.link(), {items, {}, {}}, true));
    REQUIRE(commandArm(rig.link()));
    REQUIRE(commandStart(rig.link()));
    const double start_s = rig.world().clock().now_s(), begun_ms = monotonicMs();
    REQUIRE(rig.until(4000, [](const VehicleSnapshot& v) { return v.reached->size() >= 80; }));
    const double flown_s = rig.world().since(start_s);
    CHECK(flown_s > 900);
    std::printf("%.0f s of flight played in %.0f ms\n", flown_s, monotonicMs() - begun_ms);
}
