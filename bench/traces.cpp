// Traces in the real widget: redraw with ten traces of five million samples, another session of the log, the first
// trace of a large log on screen against md5sum of the same file.
#ifdef ANHINGA_APP
#include <benchmark/benchmark.h>
#include <unistd.h>

#include <QCoreApplication>
#include <QImage>
#include <QPainter>
#include <algorithm>
#include <cmath>
#include <cstdlib>
#include <filesystem>

#include "LargeLog.h"
#include "app/debrief/TraceBand.h"
#include "core/base/Text.h"

using namespace anhinga;

namespace {

constexpr int kTraces = 10;
constexpr double kRate_hz = 1000;

/// Two flights of `each` samples at 1 kHz, ten channels.
LogPtr longLog(std::size_t each) {
    auto log = std::make_shared<FlightLog>();
    const double length = static_cast<double>(each) / kRate_hz / 2;
    for (int k = 0; k < kTraces; ++k) {
        Channel& c = log->channel("imu.axis_" + std::to_string(k), "m/s2");
        c.t_s.reserve(each);
        c.value.reserve(each);
        for (std::size_t i = 0; i < each; ++i) {
            const double t = static_cast<double>(i) / kRate_hz + (i > each / 2 ? 600 : 0);
            c.add(t, std::sin(t * (0.01 + k)) * (5 + k) + static_cast<double>((i * 2654435761u >> 7) % 1000) * 0.001);
        }
    }
    log->sessions = {{0, length, 0, 0, 0, 0}, {length + 600, 2 * length + 600, 0, 0, 0, 0}};
    return log;
}

double paintMs(TraceBand& band, QImage& image) {
    const double start = monotonicMs();
    band.render(&image);
    return monotonicMs() - start;
}

/// "median_ms" and "worst_ms" of a redraw at 1000 x 260 while zooming from all of it to a second and panning there;
/// "session_ms": to another flight of the log, drawn.
void traceRedraw(benchmark::State& state) {
    TraceModel model;
    TraceBand band(&model);
    band.resize(1000, 260);
    QImage image(band.size(), QImage::Format_RGB32);
    model.setLog(longLog(static_cast<std::size_t>(state.range(0))));
    std::vector<Trace> traces(kTraces);
    for (int k = 0; k < kTraces; ++k) {
        traces[static_cast<std::size_t>(k)].name = "imu.axis_" + std::to_string(k);
        traces[static_cast<std::size_t>(k)].right = k % 2 == 1;
        traces[static_cast<std::size_t>(k)].plot = k / 5;
    }
    model.setTraces(traces);
    paintMs(band, image);  // pyramids are made
    for (auto _ : state) {
        std::vector<double> times;
        for (int i = 0; i < 60; ++i) {
            model.zoom(0.85, model.whole().from_s + model.whole().length_s() * 0.4);
            times.push_back(paintMs(band, image));
        }
        model.showAll();
        for (int i = 0; i < 60; ++i) {
            model.pan(model.whole().length_s() * 0.002);
            times.push_back(paintMs(band, image));
        }
        double session_ms = 0;
        for (const int session : {0, 1, 0, 1}) {
            const double start = monotonicMs();
            model.setSession(session);
            band.render(&image);
            session_ms = std::max(session_ms, monotonicMs() - start);
        }
        std::sort(times.begin(), times.end());
        state.counters["median_ms"] = times[times.size() / 2];
        state.counters["p95_ms"] = times[times.size() * 95 / 100];
        state.counters["worst_ms"] = times.back();
        state.counters["session_ms"] = session_ms;
        model.setSession(-1);
    }
}
BENCHMARK(traceRedraw)
    ->ArgName("samples")
    ->Arg(1000000)
    ->Arg(5000000)
    ->Iterations(1)
    ->Unit(benchmark::kSecond)
    ->UseRealTime();

/// The argument is the size in MB. "first_trace": to open the log and have one channel at 1 kHz drawn, as a share of
/// md5sum's time, the best of three of each.
void firstTrace(benchmark::State& state) {
    const auto folder = std::filesystem::temp_directory_path() / fmt::format("anhinga-bench-trace-{}", getpid());
    std::filesystem::create_directories(folder);
    const std::string path = (folder / "large.bin").string();
    writeLargeLog(path, static_cast<std::size_t>(state.range(0)) << 20);
    TraceModel model;
    TraceBand band(&model);
    band.resize(1000, 260);
    QImage image(band.size(), QImage::Format_RGB32);
    for (auto _ : state) {
        double sum_s = 1e9, first_s = 1e9;
        for (int round = 0; round < 3; ++round) {
            double start = monotonicMs();
            if (std::system(("md5sum " + path + " > /dev/null").c_str()) != 0) return state.SkipWithError("md5sum");
            sum_s = std::min(sum_s, (monotonicMs() - start) / 1000);
            start = monotonicMs();
            const auto log = openLog(path);
            if (!log) return state.SkipWithError(log.error().message.c_str());
            model.setLog(*log);
            Trace t;
            t.name = "IMU.GyrX";
            model.setTraces({t});
            for (int i = 0; i < 100'000 && model.waitsFor(t); ++i)
                QCoreApplication::processEvents(QEventLoop::WaitForMoreEvents, 20);
            band.render(&image);
            first_s = std::min(first_s, (monotonicMs() - start) / 1000);
            model.setLog(nullptr);
        }
        state.counters["first_trace"] = first_s / sum_s;
        state.counters["first_s"] = first_s;
        state.counters["md5sum_s"] = sum_s;
    }
    std::filesystem::remove_all(folder);
}
BENCHMARK(firstTrace)->ArgName("MB")->Arg(1000)->Iterations(1)->Unit(benchmark::kSecond)->UseRealTime();

}  // namespace
#endif
