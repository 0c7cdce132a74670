// Slow work beside the window: what was begun last is heard, what it took the place of is not, and nobody waits.
#include <QCoreApplication>
#include <atomic>
#include <catch2/catch.hpp>
#include <chrono>
#include <future>
#include <memory>
#include <string>
#include <thread>
#include <vector>

#include "session/LatestTask.h"
#include "session/Until.h"

using namespace anhinga;
using testing::until;

namespace {
/// Works until it is asked to stop; at most ten seconds.
void workUntilStopped(const LatestTask::Run& run) {
    for (int i = 0; i < 10'000 && !run.stopped(); ++i) std::this_thread::sleep_for(std::chrono::milliseconds(1));
}
}  // namespace

TEST_CASE("work is done elsewhere and heard here, news first", "[latesttask]") {
    LatestTask task;
    const auto mine = std::this_thread::get_id();
    std::vector<std::string> heard;
    std::atomic<bool> elsewhere = false;
    task.begin(
        [&](const LatestTask::Run& run) {
            elsewhere = std::this_thread::get_id() != mine;
            run.tell([&heard] { heard.emplace_back("half"); });
            return std::make_unique<int>(7);  // what can only be moved, too
        },
        [&](std::unique_ptr<int> made) {
            CHECK(std::this_thread::get_id() == mine);
            CHECK_FALSE(task.busy());
            heard.push_back(std::to_string(*made));
        });
    CHECK(task.busy());
    CHECK(heard.empty());
    REQUIRE(until(10'000, [&] { return heard.size() == 2; }));
    CHECK(heard == std::vector<std::string>{"half", "7"});
    CHECK(elsewhere);
}

TEST_CASE("of many begun one after another only the last is heard, and never two at once", "[latesttask]") {
    LatestTask task;
    std::vector<int> heard;
    std::atomic<int> at_once = 0, most = 0, stopped = 0;
    for (int n = 0; n < 200; ++n) {
        task.begin(
            [&, n](const LatestTask::Run& run) {
                most = std::max(most.load(), ++at_once);
                run.tell([&heard, n] { heard.push_back(n); });
                if (n < 199) workUntilStopped(run);
                if (run.stopped()) ++stopped;
                --at_once;
                return n;
            },
            [&](int made) { heard.push_back(1000 + made); });
        if (n % 20 == 0) std::this_thread::sleep_for(std::chrono::milliseconds(2));
    }
    REQUIRE(until(10'000, [&] { return !heard.empty() && heard.back() >= 1000; }));
    CHECK(heard == std::vector<int>{199, 1199});
    CHECK(most == 1);
    CHECK(stopped >= 1);
}

TEST_CASE("what is stopped is heard, what is dropped is not; neither waits", "[latesttask]") {
    LatestTask task;
    std::promise<void> begun_first, begun_second;
    int heard = 0;
    task.begin(
        [&](const LatestTask::Run& run) {
            begun_first.set_value();
            workUntilStopped(run);
            return run.stopped();
        },
        [&](bool was_stopped) { heard += was_stopped ? 1 : 100; });
    begun_first.get_future().wait();
    task.stop();
    CHECK(task.busy());
    REQUIRE(until(10'000, [&] { return heard == 1; }));
    CHECK_FALSE(task.busy());

    // One that takes no notice for a while: what drops it, or begins another, has gone on long before it ends.
    std::promise<void> let_go;
    std::shared_future<void> goes = let_go.get_future().share();
    task.begin(
        [&begun_second, goes](const LatestTask::Run& run) {
            begun_second.set_value();
            goes.wait_for(std::chrono::seconds(10));
            run.tell([] { FAIL("news of what was dropped"); });
            return 1;
        },
        [&](int) { heard = 1000; });
    begun_second.get_future().wait();
    task.drop();
    CHECK_FALSE(task.busy());
    task.begin([](const LatestTask::Run&) { return 5; }, [&](int made) { heard += made; });
    CHECK(task.busy());
    let_go.set_value();
    REQUIRE(until(10'000, [&] { return heard == 6; }));
}

TEST_CASE("with its owner gone nothing is heard, also when the owner goes on hearing it", "[latesttask]") {
    const auto held = std::make_shared<int>(0);
    std::promise<void> begun;
    {
        LatestTask task;
        task.begin(
            [&](const LatestTask::Run& run) {
                begun.set_value();
                workUntilStopped(run);
                return 1;
            },
            [held](int) { ++*held; });
        begun.get_future().wait();
    }
    QCoreApplication::processEvents();
    CHECK(*held == 0);
    CHECK(held.use_count() == 1);

    auto owner = std::make_unique<LatestTask>();
    bool gone = false;
    owner->begin([](const LatestTask::Run&) { return 1; },
                 [&](int) {
                     owner.reset();
                     gone = true;
                 });
    REQUIRE(until(10'000, [&] { return gone; }));
    QCoreApplication::processEvents();
    CHECK(owner == nullptr);
}
