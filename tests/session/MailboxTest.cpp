// What other threads hand to the window's thread: whole, in order, and not after its owner is gone.
#include <QCoreApplication>
#include <QElapsedTimer>
#include <QEventLoop>
#include <atomic>
#include <catch2/catch.hpp>
#include <functional>
#include <memory>
#include <numeric>
#include <string>
#include <thread>
#include <vector>

#include "session/Mailbox.h"

using namespace anhinga;

namespace {
/// Lets the event loop work until `done`, at most ten seconds and ten thousand times.
template <class Done>
bool loopUntil(Done done) {
    QElapsedTimer time;
    time.start();
    for (int i = 0; i < 10'000 && time.elapsed() < 10'000 && !done(); ++i)
        QCoreApplication::processEvents(QEventLoop::WaitForMoreEvents, 20);
    return done();
}
}  // namespace

TEST_CASE("what one thread posts is done in its order, on the thread of the box", "[mailbox]") {
    Mailbox box;
    const auto mine = std::this_thread::get_id();
    std::vector<std::vector<int>> came(3);
    int elsewhere = 0;
    {
        std::vector<std::jthread> posters;
        for (std::size_t who = 0; who < came.size(); ++who)
            posters.emplace_back([&, who] {
                for (int n = 0; n < 500; ++n)
                    box.post([&, who, n, text = std::string(40, 'x')] {
                        came[who].push_back(n);
                        if (std::this_thread::get_id() != mine || text.size() != 40) ++elsewhere;
                    });
            });
        REQUIRE(loopUntil([&] { return came[0].size() + came[1].size() + came[2].size() == 1500; }));
    }
    std::vector<int> expected(500);
    std::iota(expected.begin(), expected.end(), 0);
    for (const auto& c : came) CHECK(c == expected);
    CHECK(elsewhere == 0);
}

TEST_CASE("nothing is done before the event loop is back, and nothing after the box is gone", "[mailbox]") {
    const auto held = std::make_shared<int>(0);
    {
        Mailbox box;
        box.post([held] { ++*held; });
        CHECK(*held == 0);
        REQUIRE(loopUntil([&] { return *held == 1; }));
        box.post([held] { ++*held; });
        CHECK(held.use_count() == 2);
    }
    CHECK(held.use_count() == 1);  // dropped, not kept
    for (int i = 0; i < 5; ++i) QCoreApplication::processEvents();
    CHECK(*held == 1);
}

TEST_CASE("a letter may destroy its box; the ones behind it are dropped", "[mailbox]") {
    auto box = std::make_unique<Mailbox>();
    int done = 0;
    box->post([&] {
        ++done;
        box.reset();
    });
    box->post([&] { done += 100; });
    REQUIRE(loopUntil([&] { return done > 0; }));
    for (int i = 0; i < 5; ++i) QCoreApplication::processEvents();
    CHECK(done == 1);
    CHECK(box == nullptr);
}

TEST_CASE("an event loop within a letter does the letters behind it", "[mailbox]") {
    Mailbox box;
    std::vector<int> order;
    box.post([&] {
        order.push_back(1);
        loopUntil([&] { return order.size() == 3; });
        order.push_back(4);
    });
    box.post([&] { order.push_back(2); });
    box.post([&] { order.push_back(3); });
    REQUIRE(loopUntil([&] { return order.size() == 4; }));
    CHECK(order == std::vector<int>{1, 2, 3, 4});
}

TEST_CASE("who posts again from its letter does not keep the event loop", "[mailbox]") {
    Mailbox box;
    int turns = 0;
    std::function<void()> again = [&] {
        ++turns;
        box.post([&] { again(); });
    };
    again();
    for (int i = 0; i < 20; ++i) QCoreApplication::processEvents();
    CHECK(turns > 1);
    CHECK(turns <= 21);  // one each time round
}
