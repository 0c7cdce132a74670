// First figures: rehearsal against real time, MAVLink decoding against memcpy and against the checksum alone,
// the map's frame time at 1280 x 800 with 1,000 items.
#include <benchmark/benchmark.h>

#include <cstring>

#include "core/check/Check.h"
#include "core/flight/Rehearse.h"
#include "core/mavlink/Frame.h"
#include "core/plan/PlanFile.h"

#ifdef ANHINGA_APP
#include <QApplication>
#include <QPixmap>
#include <QTemporaryDir>

#include "app/map/MapView.h"
#endif

using namespace anhinga;

namespace {

/// Rehearsed seconds for each second of the machine; counter "x_real_time".
void rehearsePatrol(benchmark::State& state) {
    const auto plan = loadPlan(std::string(DEMO_DIR) + "/patrol.anhinga.geojson");
    const auto terrain = Terrain::open({std::string(DEMO_DIR) + "/quillmere-elevation.tif"});
    const PlanView view = viewOf(*plan, terrain->get());
    double flown = 0;
    for (auto _ : state) flown += rehearse(*plan, *view.mission, *terrain)->duration_s;
    state.counters["x_real_time"] = benchmark::Counter(flown, benchmark::Counter::kIsRate);
}
BENCHMARK(rehearsePatrol)->Unit(benchmark::kMillisecond);

void derivePatrol(benchmark::State& state) {
    const auto plan = loadPlan(std::string(DEMO_DIR) + "/patrol.anhinga.geojson");
    const auto terrain = Terrain::open({std::string(DEMO_DIR) + "/quillmere-elevation.tif"});
    for (auto _ : state) benchmark::DoNotOptimize(viewOf(*plan, terrain->get()));
}
BENCHMARK(derivePatrol)->Unit(benchmark::kMicrosecond);

/// 16 MB of the telemetry a vehicle sends.
const std::string& telemetry() {
    static const std::string stream = [] {
        std::string s;
        for (int i = 0; s.size() < (16u << 20); ++i) {
            s += mavlink::encode(mavlink::Message("GLOBAL_POSITION_INT")
                                     .set("time_boot_ms", i)
                                     .set("lat", 473100000 + i)
                                     .set("lon", -201200000)
                                     .set("hdg", 9000));
            s += mavlink::encode(mavlink::Message("ATTITUDE")
                                     .set("time_boot_ms", i)
                                     .set("roll", 0.01)
                                     .set("pitch", -0.02)
                                     .set("yaw", 1.5)
                                     .set("yawspeed", 0.1));
            s += mavlink::encode(mavlink::Message("VFR_HUD")
                                     .set("airspeed", 8)
                                     .set("groundspeed", 8)
                                     .set("alt", 60)
                                     .set("throttle", 52));
        }
        return s;
    }();
    return stream;
}
std::span<const std::uint8_t> telemetryBytes() {
    return {reinterpret_cast<const std::uint8_t*>(telemetry().data()), telemetry().size()};
}

void copyTelemetry(benchmark::State& state) {
    std::vector<char> to(telemetry().size());
    for (auto _ : state) {
        std::memcpy(to.data(), telemetry().data(), to.size());
        benchmark::ClobberMemory();
    }
    state.SetBytesProcessed(static_cast<std::int64_t>(state.iterations() * telemetry().size()));
}
BENCHMARK(copyTelemetry)->Unit(benchmark::kMillisecond);

void checksumTelemetry(benchmark::State& state) {
    // As the decoder meets it: one checksum a frame.
    const auto bytes = telemetryBytes();
    for (auto _ : state) {
        unsigned sum = 0;
        for (std::size_t at = 0; at + 12 < bytes.size();) {
            const std::size_t length = bytes[at + 1];
            sum += mavlink::crc16(bytes.subspan(at + 1, 9 + length));
            at += 12 + length;
        }
        benchmark::DoNotOptimize(sum);
    }
    state.SetBytesProcessed(static_cast<std::int64_t>(state.iterations() * telemetry().size()));
}
BENCHMARK(checksumTelemetry)->Unit(benchmark::kMillisecond);

void decodeTelemetry(benchmark::State& state) {
    for (auto _ : state) {
        mavlink::Parser parser;
        std::size_t n = 0;
        parser.feed(telemetryBytes(),
                    [&](const mavlink::Message& m, std::span<const std::uint8_t>) { n += m.info->id; });
        benchmark::DoNotOptimize(n);
    }
    state.SetBytesProcessed(static_cast<std::int64_t>(state.iterations() * telemetry().size()));
}
BENCHMARK(decodeTelemetry)->Unit(benchmark::kMillisecond);

#ifdef ANHINGA_APP
/// One frame of the map with 1,000 waypoints; also while panning, when the ground is drawn anew.
void mapFrame(benchmark::State& state) {
    PlanSession session;
    MapView map(&session);
    map.resize(1280, 800);
    if (!session.load(QString(DEMO_DIR) + "/patrol.anhinga.geojson")) return state.SkipWithError("no demo");
    session.edit("many", [](Plan& plan) {
        for (int i = 0; i < 1000; ++i) {
            Item item;
            item.id = plan.newId();
            item.position = destination(plan.home->position, i * 7.3, 60 + i * 1.4);
            item.height = Height::aboveHome(150);
            plan.items.insert(plan.items.end() - 1, item);
        }
    });
    session.waitUntilDerived(20000);
    for (int i = 0; i < 200 && map.base().image().isNull(); ++i)
        QApplication::processEvents(QEventLoop::WaitForMoreEvents, 50);
    map.showWholePlan();
    const bool panning = state.range(0) == 1;
    for (auto _ : state) {
        if (panning) map.zoomBy(1.0001, {640, 400});
        benchmark::DoNotOptimize(map.grab());
    }
}
BENCHMARK(mapFrame)->Arg(0)->Arg(1)->ArgName("moving")->Unit(benchmark::kMillisecond);
#endif

}  // namespace

int main(int argc, char** argv) {
#ifdef ANHINGA_APP
    if (qEnvironmentVariableIsEmpty("DISPLAY")) qputenv("QT_QPA_PLATFORM", "offscreen");
    QApplication app(argc, argv);
#endif
    benchmark::Initialize(&argc, argv);
    benchmark::RunSpecifiedBenchmarks();
    return 0;
}
