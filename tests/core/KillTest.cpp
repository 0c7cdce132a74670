// The process is killed at any moment: a plan's file is the old or the new one, and the newest edit is offered again.
#include <catch2/catch.hpp>

#include <fcntl.h>

#include <chrono>
#include <set>

#include "core/plan/KeptPlan.h"
#include "core/plan/PlanFile.h"
#include "support.h"

using namespace anhinga;
using namespace anhinga::testing;

namespace {

/// Runs `work` in a process of its own and kills it after some time; what it wrote to the pipe comes back.
template <class Work>
std::string killedAfter(int delay_us, Work work) {
    int ends[2];
    REQUIRE(::pipe(ends) == 0);
    const pid_t child = ::fork();
    if (child == 0) {
        ::close(ends[0]);
        work(ends[1]);
        ::_exit(0);
    }
    ::close(ends[1]);
    char begun = 0;
    REQUIRE(::read(ends[0], &begun, 1) == 1);  // it is at work
    std::this_thread::sleep_for(std::chrono::microseconds(delay_us));
    ::kill(child, SIGKILL);
    int status = 0;
    ::waitpid(child, &status, 0);
    std::string said;
    char buffer[4096];
    for (ssize_t n; (n = ::read(ends[0], buffer, sizeof buffer)) > 0;) said.append(buffer, static_cast<std::size_t>(n));
    ::close(ends[0]);
    return said;
}

/// How long `work` takes here, microseconds: kills must fall among the writes on slow machines too.
/// Gives the longest wait before a kill: some writes, but no more than a test has time for.
template <class Work>
unsigned longestWait_us(int writes, Work work) {
    const auto start = std::chrono::steady_clock::now();
    for (int i = 0; i < 5; ++i) work();
    const auto took = std::chrono::steady_clock::now() - start;
    const auto one = 1 + std::chrono::duration_cast<std::chrono::microseconds>(took).count() / 5;
    return static_cast<unsigned>(std::min<long>(one * writes, std::max<long>(one * 2, 120000)));
}

}  // namespace

TEST_CASE("killed during random saves, the file is always an old or a new one", "[plan][file][kill][deep]") {
    TempDir dir;
    const std::string path = dir / "p.anhinga.geojson";
    Plan plan = rowPlan(40);
    plan.title = "0";
    REQUIRE(savePlan(plan, path));
    std::mt19937 random(77);
    const unsigned most = longestWait_us(6, [&] { REQUIRE(savePlan(plan, path)); });
    std::set<std::string> seen;
    for (int round = 0; round < 50 * testDepth(); ++round) {
        killedAfter(static_cast<int>(random() % most), [&](int pipe) {
            Plan mine = plan;
            (void)!::write(pipe, "b", 1);
            for (int i = 1; i < 1000; ++i) {
                mine.title = std::to_string(round * 1000 + i);
                if (!savePlan(mine, path)) ::_exit(1);
            }
        });
        const auto back = loadPlan(path);
        REQUIRE(back);
        CHECK(back->items == plan.items);
        seen.insert(back->title);
    }
    CHECK(seen.size() > 10);  // the kills did fall among the saves
}

TEST_CASE("killed at any moment, the newest kept edit is offered, and only of those who are gone",
          "[plan][recovery][kill][deep]") {
    TempDir dir;
    const std::string folder = dir / "unsaved";
    Plan plan = rowPlan(20);
    std::mt19937 random(5);
    const unsigned most = longestWait_us(10, [&] { REQUIRE(savePlan(plan, dir / "any")); });
    int offered = 0;
    for (int round = 0; round < 30 * testDepth(); ++round) {
        const std::string said = killedAfter(static_cast<int>(random() % most), [&](int pipe) {
            auto copy = KeptCopy::begin(folder);
            if (!copy) ::_exit(1);
            Plan mine = plan;
            (void)!::write(pipe, "b", 1);
            for (int i = 1; i < 1000; ++i) {
                mine.title = std::to_string(i);
                if (!copy->write(mine, "/tmp/own.anhinga.geojson")) ::_exit(1);
                const std::string line = mine.title + "\n";
                (void)!::write(pipe, line.data(), line.size());
            }
        });
        const auto left = leftPlans(folder);
        int acknowledged = 0;
        std::istringstream lines(said);
        for (std::string line; std::getline(lines, line);) acknowledged = std::atoi(line.c_str());
        if (acknowledged > 0) {
            REQUIRE(left.size() == 1);
            const int kept = std::atoi(left[0].plan.title.c_str());
            CHECK((kept == acknowledged || kept == acknowledged + 1));
            CHECK(left[0].original == "/tmp/own.anhinga.geojson");
            CHECK(left[0].plan.items == plan.items);
            CHECK(left[0].plan.unknown.empty());
            ++offered;
        }
        for (const LeftPlan& l : left) removeLeft(l);
    }
    CHECK(offered > 5 * testDepth());
    // Of a window that lives nothing is offered, and one that ends well leaves nothing.
    {
        auto alive = KeptCopy::begin(folder);
        REQUIRE(alive);
        REQUIRE(alive->write(plan, ""));
        CHECK(leftPlans(folder).empty());
        auto second = KeptCopy::begin(folder);
        REQUIRE(second);
        CHECK(second->file() != alive->file());
    }
    CHECK(leftPlans(folder).empty());
    spit(folder + "/9-9.anhinga.geojson", "damaged");
    REQUIRE(leftPlans(folder).size() == 1);
    CHECK_FALSE(leftPlans(folder)[0].problem.empty());
    CHECK(std::filesystem::exists(folder + "/9-9.anhinga.geojson"));
    CHECK_FALSE(KeptCopy::begin("/proc/none"));
}
