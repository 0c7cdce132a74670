// Large onboard logs: index and first channel against md5sum of the same file in the same run, memory beside the file.
#include <benchmark/benchmark.h>
#include <unistd.h>

#include <cmath>
#include <cstdlib>
#include <filesystem>
#include <fstream>

#include "core/base/Text.h"
#include "core/logio/LogReader.h"
#include "large.h"

using namespace anhinga;

namespace {

template <class T>
void put(std::string& out, T v) {
    out.append(reinterpret_cast<const char*>(&v), sizeof v);
}
std::string filled(std::string text, std::size_t n) {
    text.resize(n, '\0');
    return text;
}

}  // namespace

/// A self-describing log of about so many bytes: two inertial sensors at 1 kHz, attitude at 100 Hz, position at 10 Hz.
void writeLargeLog(const std::string& path, std::size_t bytes) {
    std::ofstream file(path, std::ios::binary);
    const auto format = [&](int id, int length, const char* name, const char* types, const char* labels) {
        std::string r("\xA3\x95\x80", 3);
        r += static_cast<char>(id);
        r += static_cast<char>(length);
        file << r << filled(name, 4) << filled(types, 16) << filled(labels, 64);
    };
    format(1, 36, "IMU", "QBffffff", "TimeUS,I,GyrX,GyrY,GyrZ,AccX,AccY,AccZ");
    format(2, 23, "ATT", "Qfff", "TimeUS,Roll,Pitch,Yaw");
    format(3, 27, "POS", "QLLff", "TimeUS,Lat,Lng,Alt,RelHomeAlt");
    std::size_t written = 0;
    std::string block;
    for (std::uint64_t ms = 0; written < bytes; ++ms) {
        const double t = static_cast<double>(ms) / 1000;
        const auto head = [&](int id, std::uint64_t us) {
            block += "\xA3\x95";
            block += static_cast<char>(id);
            put(block, us);
        };
        for (int i = 0; i < 2; ++i) {
            head(1, ms * 1000 + static_cast<std::uint64_t>(i));
            put(block, static_cast<std::uint8_t>(i));
            for (int k = 0; k < 6; ++k) put(block, static_cast<float>(std::sin(t * (10 + k))));
        }
        if (ms % 10 == 0) {
            head(2, ms * 1000 + 2);
            for (int k = 0; k < 3; ++k) put(block, static_cast<float>(10 * std::sin(t + k)));
        }
        if (ms % 100 == 0) {
            head(3, ms * 1000 + 3);
            put(block, static_cast<std::int32_t>(473000000 + ms % 100000));
            put(block, static_cast<std::int32_t>(-201000000));
            put(block, 60.0F);
            put(block, 30.0F);
        }
        if (block.size() > 1 << 20) {
            file << block;
            written += block.size();
            block.clear();
        }
    }
}

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

}  // namespace
