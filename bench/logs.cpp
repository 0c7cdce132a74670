// Large onboard logs: index, first channel and health report against md5sum of the same file in the same run, memory
// beside the file.
#include <benchmark/benchmark.h>
#include <unistd.h>

#include <cmath>
#include <cstdlib>
#include <filesystem>
#include <fstream>

#include "LargeLog.h"
#include "core/base/Text.h"
#include "core/logio/LogReader.h"
#include "core/review/Health.h"

using namespace anhinga;

namespace {

/// Anonymous memory of this process: what it holds beside mapped files.
double ownMb() {
    std::ifstream status("/proc/self/status");
    std::string line;
    while (std::getline(status, line))
        if (line.starts_with("RssAnon:")) return std::atof(line.c_str() + 8) / 1000;
    return 0;
}

/// The argument is the size in MB. "index" and "first" are shares of md5sum's time, the best of three of each, from the
/// page cache: to know every record, and to have one channel at 1 kHz besides. "memory": of the file's size.
void largeLog(benchmark::State& state) {
    const auto folder = std::filesystem::temp_directory_path() / fmt::format("anhinga-bench-log-{}", getpid());
    std::filesystem::create_directories(folder);
    const std::string path = (folder / "large.bin").string();
    writeLargeLog(path, static_cast<std::size_t>(state.range(0)) << 20);
    const auto size = static_cast<double>(std::filesystem::file_size(path));
    for (auto _ : state) {
        double sum_s = 1e9, index_s = 1e9, first_s = 1e9, memory_mb = 0;
        for (int round = 0; round < 3; ++round) {
            double start = monotonicMs();
            if (std::system(("md5sum " + path + " > /dev/null").c_str()) != 0) return state.SkipWithError("md5sum");
            sum_s = std::min(sum_s, (monotonicMs() - start) / 1000);
            const double before_mb = ownMb();
            start = monotonicMs();
            const auto log = openLog(path);
            if (!log) return state.SkipWithError(log.error().message.c_str());
            index_s = std::min(index_s, (monotonicMs() - start) / 1000);
            memory_mb = std::max(memory_mb, ownMb() - before_mb);
            benchmark::DoNotOptimize((*log)->find("IMU.GyrX")->value.size());
            first_s = std::min(first_s, (monotonicMs() - start) / 1000);
        }
        state.counters["index"] = index_s / sum_s;
        state.counters["first"] = first_s / sum_s;
        state.counters["memory"] = memory_mb * 1e6 / size;
        state.counters["md5sum_s"] = sum_s;
        state.counters["mb"] = size / 1e6;
    }
    std::filesystem::remove_all(folder);
}
BENCHMARK(largeLog)->ArgName("MB")->Arg(256)->Arg(1000)->Iterations(1)->Unit(benchmark::kSecond)->UseRealTime();

/// The whole health report, opening included, as a share of md5sum's time; the better of two of each.
void healthOfLargeLog(benchmark::State& state) {
    const auto folder = std::filesystem::temp_directory_path() / fmt::format("anhinga-bench-health-{}", getpid());
    std::filesystem::create_directories(folder);
    const std::string path = (folder / "large.bin").string();
    writeLargeLog(path, static_cast<std::size_t>(state.range(0)) << 20);
    for (auto _ : state) {
        double sum_s = 1e9, health_s = 1e9;
        std::size_t told = 0;
        for (int round = 0; round < 2; ++round) {
            double start = monotonicMs();
            if (std::system(("md5sum " + path + " > /dev/null").c_str()) != 0) return state.SkipWithError("md5sum");
            sum_s = std::min(sum_s, (monotonicMs() - start) / 1000);
            start = monotonicMs();
            const auto log = openLog(path);
            if (!log) return state.SkipWithError(log.error().message.c_str());
            const auto answers = diagnose(**log);
            told = answers.size() - static_cast<std::size_t>(count(answers, Verdict::unknown));
            health_s = std::min(health_s, (monotonicMs() - start) / 1000);
        }
        state.counters["health"] = health_s / sum_s;
        state.counters["told"] = static_cast<double>(told);
        state.counters["md5sum_s"] = sum_s;
    }
    std::filesystem::remove_all(folder);
}
BENCHMARK(healthOfLargeLog)->ArgName("MB")->Arg(256)->Arg(1000)->Iterations(1)->Unit(benchmark::kSecond)->UseRealTime();

}  // namespace
