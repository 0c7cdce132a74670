// The process is killed at any moment: a plan's file is the old or the new one, and the newest edit is offered again.
#include <catch2/catch.hpp>

#include <fcntl.h>

#include <chrono>
#include <set>

#include "core/RunCli.h"
#include "core/logbook/Logbook.h"
#include "core/logio/LogReader.h"
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

TEST_CASE("the command line killed while it writes leaves the old file or the new one", "[cli][file][kill][deep]") {
    TempDir dir;
    const std::string quarry = demo("quarry.anhinga.geojson");
    struct Row {
        std::vector<std::string> call;  // and --out FILE
        const char* out;
    };
    const Row rows[] = {{{"import", quarry}, "a.anhinga.geojson"},
                        {{"sorties", quarry, "--anew"}, "b.anhinga.geojson"},
                        {{"export", quarry}, "c.kmz"},
                        {{"rehearse", demo("seawall.anhinga.geojson")}, "d.ulg"}};
    std::mt19937 random(11);
    int killed = 0, whole = 0;
    for (const Row& row : rows) {
        const std::string out = dir / row.out;
        std::vector<std::string> call = row.call;
        call.insert(call.end(), {"--out", out});
        const auto start = std::chrono::steady_clock::now();
        const auto run = [&](int kill_after_us) {
            std::vector<std::string> arguments = call;
            arguments.insert(arguments.begin(), "anhinga-cli");
            std::vector<char*> argv;
            for (std::string& a : arguments) argv.push_back(a.data());
            argv.push_back(nullptr);
            const pid_t child = ::fork();
            REQUIRE(child >= 0);
            if (child == 0) {
                if (std::freopen("/dev/null", "w", stdout) == nullptr) ::_exit(126);
                ::execv((std::string(BIN_DIR) + "/anhinga-cli").c_str(), argv.data());
                ::_exit(127);
            }
            if (kill_after_us >= 0) {
                std::this_thread::sleep_for(std::chrono::microseconds(kill_after_us));
                ::kill(child, SIGKILL);
            }
            int status = 0;
            ::waitpid(child, &status, 0);
            return status;
        };
        REQUIRE(WEXITSTATUS(run(-1)) <= 1);
        const auto took_us =
            std::chrono::duration_cast<std::chrono::microseconds>(std::chrono::steady_clock::now() - start);
        const auto made = slurp(out);
        REQUIRE_FALSE(made.empty());
        const bool plan = out.ends_with(".geojson");
        for (int round = 0; round < 8 * testDepth(); ++round) {
            spit(out, "old");
            killed += WIFSIGNALED(run(static_cast<int>(random() % static_cast<unsigned>(took_us.count() * 11 / 10))));
            const std::string now = slurp(out);
            CAPTURE(row.out, round, now.size());
            if (now == "old") continue;
            ++whole;
            // A log says when it was made, an archive too: those are read instead.
            if (plan)
                REQUIRE(now == made);
            else if (out.ends_with(".ulg"))
                REQUIRE(readLog(now, "log"));
            else
                REQUIRE(now.size() == made.size());
        }
    }
    CHECK(killed > 10);
    std::printf("command line killed %d times, %d files were new and whole by then\n", killed, whole);
}

TEST_CASE("a logbook that is killed has every flight it said it has", "[logbook][kill][deep]") {
    TempDir dir;
    for (int i = 0; i < 12; ++i) {
        // Different files: what follows the log is passed over.
        spit(dir / fmt::format("{}.ulg", i),
             slurp(demo("shakedown-clean.ulg")).substr(0, 300000U + 5000U * static_cast<unsigned>(i)));
    }
    const std::string path = dir / "book/logbook.sqlite";
    std::mt19937 random(3);
    std::size_t had = 0;
    for (int round = 0; round < 4 * testDepth(); ++round) {
        std::filesystem::remove_all(dir / "book");
        const std::string said = killedAfter(static_cast<int>(random() % 600000), [&](int pipe) {
            const auto book = Logbook::open(path);
            if (!book) ::_exit(1);
            (void)!::write(pipe, "b", 1);
            for (int i = 0; i < 12; ++i) {
                if (!(*book)->add(dir / fmt::format("{}.ulg", i))) ::_exit(1);
                LogbookEntry e = (*book)->entries()[0];
                e.notes = fmt::format("note {}", i);
                if (!(*book)->change(e)) ::_exit(1);
                (void)!::write(pipe, "+", 1);
            }
        });
        const auto book = Logbook::open(path);
        REQUIRE(book);
        const auto noted = static_cast<std::size_t>(std::count(said.begin(), said.end(), '+'));
        std::size_t with_note = 0;
        for (const LogbookEntry& e : (*book)->entries()) with_note += e.notes.starts_with("note ");
        CHECK(with_note >= std::min<std::size_t>(noted, 1));
        CHECK((*book)->count() >= noted);
        CHECK((*book)->count() <= noted + 1);
        had += noted;
    }
    CHECK(had > 0);
}
