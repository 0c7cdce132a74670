// First figures: rehearsal against real time, MAVLink decoding against memcpy and against the checksum alone,
// the map's frame time at 1280 x 800 with 1,000 items.
#include <benchmark/benchmark.h>

#include <algorithm>
#include <cmath>
#include <cstring>

#include "core/base/Memory.h"
#include "core/base/Text.h"
#include "core/check/Check.h"
#include "core/flight/Rehearse.h"
#include "core/mavlink/Frame.h"
#include "core/pattern/Coverage.h"
#include "core/plan/Edit.h"
#include "core/plan/PlanFile.h"

#ifdef ANHINGA_APP
#include <QApplication>
#include <QMouseEvent>
#include <QPixmap>
#include <QTemporaryDir>

#include "app/band/Band.h"
#include "app/map/MapView.h"
#include "app/scene/SceneView.h"
#endif

using namespace anhinga;

namespace {

/// Rehearsed seconds for each second of the machine; counter "x_real_time".
void rehearsePatrol(benchmark::State& state) {
    const auto plan = loadPlan(std::string(DEMO_DIR) + "/patrol.anhinga.geojson");
    const auto terrain = Terrain::open({std::string(DEMO_DIR) + "/quillmere-elevation.tif"});
    const PlanView view = viewOf(*plan, terrain->get());
    double flown = 0;
    for (auto _ : state) flown += rehearse(*plan, view.program, *terrain)->duration_s;
    state.counters["x_real_time"] = benchmark::Counter(flown, benchmark::Counter::kIsRate);
}
BENCHMARK(rehearsePatrol)->Unit(benchmark::kMillisecond);

/// A Block of 1,000 photos flown in a wind with gusts that grows with height.
void rehearseBlockInWind(benchmark::State& state) {
    auto plan = loadPlan(std::string(DEMO_DIR) + "/quarry.anhinga.geojson");
    const auto terrain = Terrain::open({std::string(DEMO_DIR) + "/quillmere-elevation.tif"});
    for (Item& i : plan->items)
        if (isPattern(i.kind)) {
            i.pattern.edit().overlap_percent = 87;
            i.height = Height::aboveGround(55);
        }
    plan->vehicle.battery_wh *= 10;  // all of it in one
    const PlanView view = viewOf(*plan, terrain->get());
    RehearseOptions options;
    options.wind = {250, 6, 0.14, 1.5, 1};
    double flown = 0;
    for (auto _ : state) flown += rehearse(*plan, view.program, *terrain, options)->duration_s;
    state.counters["photos"] = static_cast<double>(view.route.photos);
    state.counters["x_real_time"] = benchmark::Counter(flown, benchmark::Counter::kIsRate);
}
BENCHMARK(rehearseBlockInWind)->Unit(benchmark::kMillisecond);

/// The fixed wing round the coast.
void rehearseCoast(benchmark::State& state) {
    const auto plan = loadPlan(std::string(DEMO_DIR) + "/coast.anhinga.geojson");
    const auto terrain = Terrain::open({std::string(DEMO_DIR) + "/quillmere-elevation.tif"});
    const PlanView view = viewOf(*plan, terrain->get());
    double flown = 0;
    for (auto _ : state) flown += rehearse(*plan, view.program, *terrain)->duration_s;
    state.counters["x_real_time"] = benchmark::Counter(flown, benchmark::Counter::kIsRate);
}
BENCHMARK(rehearseCoast)->Unit(benchmark::kMillisecond);

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

/// A plan of `n` waypoints winding over the island, a keep-in fence of 1,000 corners around it and 20 obstacles.
Plan largePlan(int n) {
    Plan plan = *loadPlan(std::string(DEMO_DIR) + "/patrol.anhinga.geojson");
    plan.items.erase(plan.items.begin() + 1, plan.items.end() - 1);
    const int columns = std::max(2, static_cast<int>(std::sqrt(n)));
    for (int i = 0; i < n; ++i) {
        Item item;
        item.id = plan.newId();
        const int row = i / columns, column = row % 2 == 0 ? i % columns : columns - 1 - i % columns;
        item.position = {47.303 + 0.013 * row / columns, -20.134 + 0.028 * column / columns};
        item.height = Height::aboveHome(160 + i % 7);
        plan.items.insert(plan.items.end() - 1, item);
    }
    plan.traits.item_limit = 65000;
    plan.fences.clear();
    Fence fence;
    fence.id = plan.newId();
    const GeoPoint middle{47.3095, -20.12};
    for (int i = 0; i < 1000; ++i)
        fence.outline.push_back(destination(middle, 0.36 * i, 1900 + 60 * std::sin(i * 0.7)));
    plan.fences.push_back(fence);
    for (int i = 0; i < 20; ++i) {
        Obstacle o;
        o.id = plan.newId();
        o.kind = static_cast<ObstacleKind>(i % 3);
        const GeoPoint at = destination(middle, 18.0 * i, 250 + 40 * i);
        o.points = {at};
        if (o.kind != ObstacleKind::mast) o.points.push_back(destination(at, 70, 120));
        if (o.kind == ObstacleKind::trees) o.points.push_back(destination(at, 160, 90));
        plan.obstacles.push_back(o);
    }
    return plan;
}

/// Route, path, clearance and all findings of a plan: what is computed anew at every step of a drag.
void findings(benchmark::State& state) {
    const Plan plan = largePlan(static_cast<int>(state.range(0)));
    const auto terrain = *Terrain::open({std::string(DEMO_DIR) + "/quillmere-elevation.tif"});
    std::size_t n = 0;
    for (auto _ : state) {
        const PlanView view = viewOf(plan, terrain.get());
        n = check({plan, view, terrain.get()}).size();
    }
    state.counters["findings"] = static_cast<double>(n);
    state.SetComplexityN(state.range(0));
}
BENCHMARK(findings)->Arg(100)->Arg(1000)->Arg(10000)->Complexity()->Unit(benchmark::kMillisecond);

/// The view of a plan in which one item moved, the view before it given: what a drag step computes without the rules.
void viewAfterMove(benchmark::State& state) {
    Plan plan = largePlan(static_cast<int>(state.range(0)));
    const auto terrain = *Terrain::open({std::string(DEMO_DIR) + "/quillmere-elevation.tif"});
    PlanView view = viewOf(plan, terrain.get());
    int step = 0;
    for (auto _ : state) {
        Plan moved = plan;
        moveBy(moved, {plan.items[plan.items.size() / 2].id}, ++step * 37.0, 2);
        view = viewOf(moved, terrain.get(), plan, view);
        plan = std::move(moved);
    }
}
BENCHMARK(viewAfterMove)->Arg(1000)->Arg(10000)->Unit(benchmark::kMillisecond);

/// The findings alone, the view given.
void rulesAlone(benchmark::State& state) {
    const Plan plan = largePlan(static_cast<int>(state.range(0)));
    const auto terrain = *Terrain::open({std::string(DEMO_DIR) + "/quillmere-elevation.tif"});
    const PlanView view = viewOf(plan, terrain.get());
    for (auto _ : state) benchmark::DoNotOptimize(check({plan, view, terrain.get()}));
}
BENCHMARK(rulesAlone)->Arg(1000)->Unit(benchmark::kMillisecond);

/// A square block of so many hectares at a ground sample distance, on the demo's island where terrain is followed.
Item blockOf(double hectares, double gsd_cm, GeoPoint middle) {
    const double half = std::sqrt(hectares * 1e4) / 2;
    const LocalFrame frame(middle);
    Item item = patternItem(ItemKind::block, {frame.toGeo({-half, -half}), frame.toGeo({half, -half}),
                                              frame.toGeo({half, half}), frame.toGeo({-half, half})});
    item.id = 1;
    item.pattern.edit().gsd_cm = gsd_cm;
    item.pattern.edit().heading_deg = 30;
    return item;
}

/// 1,000 ha at 3 cm opened up, level (0) and following the terrain (1).
void openBlock(benchmark::State& state) {
    Plan plan;
    const GeoPoint middle{47.31, -20.12};
    plan.home = Home{middle, 20};
    const auto terrain = Terrain::open({std::string(DEMO_DIR) + "/quillmere-elevation.tif"});
    Item item = blockOf(1000, 3, middle);
    item.pattern.edit().follow = state.range(0) != 0;
    std::size_t photos = 0, points = 0;
    for (auto _ : state) {
        const PatternFlight flight = openPattern(plan, item, state.range(0) != 0 ? terrain->get() : nullptr);
        if (!flight.problem.empty()) return state.SkipWithError(flight.problem.c_str());
        photos = flight.photos.size();
        points = flight.points.size();
    }
    state.counters["photos"] = static_cast<double>(photos);
    state.counters["points"] = static_cast<double>(points);
}
BENCHMARK(openBlock)->Arg(0)->Arg(1)->ArgName("follow")->Unit(benchmark::kMillisecond);

/// The best heading of 180 for a 100 ha area.
void bestHeading(benchmark::State& state) {
    Plan plan;
    Item item = blockOf(100, 3, {47.31, -20.12});
    item.pattern.edit().best_heading = true;
    for (auto _ : state) benchmark::DoNotOptimize(openPattern(plan, item, nullptr));
}
BENCHMARK(bestHeading)->Unit(benchmark::kMillisecond);

/// 20,000 photos counted on cells of 5 m over terrain.
void countCoverage(benchmark::State& state) {
    Plan plan;
    const GeoPoint middle{47.31, -20.12};
    plan.home = Home{middle, 20};
    const auto terrain = Terrain::open({std::string(DEMO_DIR) + "/quillmere-elevation.tif"});
    Item item = blockOf(360, 2, middle);
    item.height = Height::aboveHome(120);
    const PatternFlight flight = openPattern(plan, item, terrain->get());
    std::vector<PlannedPhoto> photos = flight.photos;
    while (photos.size() < 20000) photos.insert(photos.end(), flight.photos.begin(), flight.photos.end());
    photos.resize(20000);
    double cells = 0;
    for (auto _ : state)
        cells = static_cast<double>(
            coverageOf(photos, plan.camera, terrain->get(), 0, photoAreaOf(item), {}).cellsInside());
    state.counters["photos"] = static_cast<double>(photos.size());
    state.counters["cells"] = cells;
}
BENCHMARK(countCoverage)->Unit(benchmark::kMillisecond);

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
/// The whole plan in view, with the layers under it made.
void groundIsThere(MapView& map) {
    map.showWholePlan();
    for (int i = 0; i < 200; ++i) {
        map.grab();
        if (map.layers().idle()) break;
        QApplication::processEvents(QEventLoop::WaitForMoreEvents, 50);
    }
}

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
    groundIsThere(map);
    const bool panning = state.range(0) == 1;
    for (auto _ : state) {
        if (panning) map.zoomBy(1.0001, {640, 400});
        benchmark::DoNotOptimize(map.grab());
    }
}
/// One step of dragging a point: the edit, findings and profile of the new plan, map and band painted.
void dragStep(benchmark::State& state) {
    PlanSession session;
    MapView map(&session);
    ProfileBand band(&session);
    map.resize(720, 570);
    band.resize(1008, 184);
    if (!session.load(QString(DEMO_DIR) + "/patrol.anhinga.geojson")) return state.SkipWithError("no demo");
    const int n = static_cast<int>(state.range(0));
    session.edit("many", [&](Plan& plan) { plan = largePlan(n); });
    session.waitUntilDerived(60000);
    groundIsThere(map);
    const ItemId dragged = session.plan()->items[static_cast<std::size_t>(n) / 2].id;
    session.select({dragged});
    QImage screen(1280, 800, QImage::Format_ARGB32_Premultiplied);
    map.render(&screen);
    std::vector<double> steps, edit_ms, map_ms, band_ms, view_ms;
    int step = 0;
    for (auto _ : state) {
        const double start = monotonicMs();
        session.edit(
            "Move", [&](Plan& p) { moveBy(p, {dragged}, ++step * 37.0, 2); }, 77);
        edit_ms.push_back(monotonicMs() - start);
        if (!session.waitUntilViewed(10000)) return state.SkipWithError("no view");
        const double viewed = monotonicMs();
        map.render(&screen);
        const double mapped = monotonicMs();
        band.render(&screen);
        const double end = monotonicMs();
        steps.push_back(end - start);
        view_ms.push_back(viewed - start);
        map_ms.push_back(mapped - viewed);
        band_ms.push_back(end - mapped);
    }
    std::sort(steps.begin(), steps.end());
    const auto median = [](std::vector<double> v) {
        std::nth_element(v.begin(), v.begin() + static_cast<std::ptrdiff_t>(v.size() / 2), v.end());
        return v[v.size() / 2];
    };
    state.counters["findings_ms"] = median(view_ms);
    state.counters["edit_ms"] = median(edit_ms);
    state.counters["map_ms"] = median(map_ms);
    state.counters["band_ms"] = median(band_ms);
    state.counters["median_ms"] = steps[steps.size() / 2];
    state.counters["p95_ms"] = steps[steps.size() * 95 / 100];
}
BENCHMARK(dragStep)->Arg(100)->Arg(1000)->Arg(10000)->Iterations(60)->UseRealTime()->Unit(benchmark::kMillisecond);

/// A point of a half-hour plan is moved: until view, findings and rehearsal are those of the new place.
void liveRefresh(benchmark::State& state) {
    PlanSession session;
    if (!session.load(QString(DEMO_DIR) + "/patrol.anhinga.geojson")) return state.SkipWithError("no demo");
    session.edit("half an hour", [](Plan& plan) {
        plan.vehicle.battery_wh = 300;
        Item hold;
        hold.kind = ItemKind::hold;
        hold.hold_s = 640;
        hold.position = plan.items[7].position;
        hold.height = plan.items[7].height;
        hold.id = plan.newId();
        plan.items.insert(plan.items.begin() + 8, hold);
    });
    if (!session.waitUntilDerived(20000)) return state.SkipWithError("no rehearsal");
    state.counters["plan_min"] = session.derived()->rehearsal->duration_s / 60;
    const ItemId point = session.plan()->items[7].id;
    for (auto _ : state) {
        session.edit(
            "Move", [&](Plan& p) { p.find(point)->position = destination(p.find(point)->position, 40, 2); }, 98);
        if (!session.waitUntilDerived(10000)) return state.SkipWithError("no rehearsal");
    }
}
BENCHMARK(liveRefresh)->Iterations(40)->UseRealTime()->Unit(benchmark::kMillisecond);

/// A corner of a 100 ha block at 3 cm is dragged.
void dragBlockCorner(benchmark::State& state) {
    PlanSession session;
    MapView map(&session);
    ProfileBand band(&session);
    map.resize(720, 570);
    band.resize(1008, 184);
    if (!session.load(QString(DEMO_DIR) + "/patrol.anhinga.geojson")) return state.SkipWithError("no demo");
    const bool follow = state.range(0) != 0;
    session.edit("block", [&](Plan& plan) {
        Item item = blockOf(100, 3, plan.home->position);
        item.id = plan.newId();
        item.pattern.edit().follow = follow;
        plan.items = {plan.items.front(), item, plan.items.back()};
    });
    session.waitUntilDerived(60000);
    groundIsThere(map);
    const ItemId block = session.plan()->items[1].id;
    session.select({block});
    QImage screen(1280, 800, QImage::Format_ARGB32_Premultiplied);
    map.render(&screen);
    // Pressed and moved as with the mouse. A frame is what the window does for one movement; the lines shown are those
    // of the corner's place after at most one "lag".
    QPointF at = map.transform().toScreen(session.plan()->items[1].pattern->outline[1]);
    const auto mouse = [&](QEvent::Type type, Qt::MouseButton button, Qt::MouseButtons held) {
        QMouseEvent e(type, at, map.mapToGlobal(at), button, held, Qt::NoModifier);
        QApplication::sendEvent(&map, &e);
    };
    mouse(QEvent::MouseButtonPress, Qt::LeftButton, Qt::LeftButton);
    std::vector<double> frames, lags;
    for (auto _ : state) {
        at += QPointF(5, 1);
        const double start = monotonicMs();
        mouse(QEvent::MouseMove, Qt::NoButton, Qt::LeftButton);
        map.render(&screen);
        band.render(&screen);
        frames.push_back(monotonicMs() - start);
        if (!session.waitUntilViewed(10000)) return state.SkipWithError("no view");
        lags.push_back(monotonicMs() - start);
    }
    mouse(QEvent::MouseButtonRelease, Qt::LeftButton, Qt::NoButton);
    std::sort(frames.begin(), frames.end());
    std::sort(lags.begin(), lags.end());
    state.counters["frame_ms"] = frames[frames.size() / 2];
    state.counters["frame_p95_ms"] = frames[frames.size() * 95 / 100];
    state.counters["lag_ms"] = lags[lags.size() / 2];
}
BENCHMARK(dragBlockCorner)
    ->Arg(0)
    ->Arg(1)
    ->ArgName("follow")
    ->Iterations(40)
    ->UseRealTime()
    ->Unit(benchmark::kMillisecond);

/// The Scene of the quarry at 1280 x 800, turning a little with every frame: frames a second, and milliseconds of each
/// part. Needs a display with OpenGL (Xvfb will do); argument 1 adds the camera's eye.
void sceneFrame(benchmark::State& state) {
    PlanSession session;
    session.load(QString(DEMO_DIR) + "/quarry.anhinga.geojson");
    session.waitUntilDerived(20000);
    SceneView scene(&session);
    scene.setTheme(Theme::light());
    scene.resize(1280, 800);
    scene.show();
    for (const double start = monotonicMs(); !scene.groundReady() && monotonicMs() - start < 10000;)
        QApplication::processEvents(QEventLoop::WaitForMoreEvents, 20);
    if (!scene.problem().isEmpty() || !scene.groundReady() || QGuiApplication::platformName() == "offscreen")
        return state.SkipWithError(("no OpenGL on this display: " + scene.problem().toStdString()).c_str());
    if (state.range(0) == 1) {
        const auto log = session.derived()->rehearsal->log;
        SceneOverlay overlay;
        const double t = 300;
        overlay.aircraft = SceneAircraft{{*log->find("position.lat_deg")->at(t), *log->find("position.lon_deg")->at(t)},
                                         *log->find("position.height_amsl_m")->at(t),
                                         80,
                                         0,
                                         0,
                                         -40,
                                         false};
        scene.setOverlay(overlay);
        scene.setEye(EyeMode::inset);
    }
    // Frames are counted as they come; the parts are measured apart, as waiting for each of them to end slows a frame.
    for (int i = 0; i < 3; ++i) {
        scene.repaint();
        QApplication::processEvents();
    }
    int frames = 0;
    for (auto _ : state) {
        scene.turn(1.5, 0);
        scene.repaint();
        ++frames;
    }
    constexpr int kMeasured = 40;
    SceneCost sum;
    scene.setMeasuring(true);
    for (int i = 0; i < kMeasured; ++i) {
        scene.turn(1.5, 0);
        scene.repaint();
        const SceneCost& c = scene.lastCost();
        sum.sky_ms += c.sky_ms;
        sum.ground_ms += c.ground_ms;
        sum.shapes_ms += c.shapes_ms;
        sum.labels_ms += c.labels_ms;
        sum.all_ms += c.all_ms;
        sum.triangles += c.triangles;
    }
    state.counters["sky_ms"] = sum.sky_ms / kMeasured;
    state.counters["ground_ms"] = sum.ground_ms / kMeasured;
    state.counters["shapes_ms"] = sum.shapes_ms / kMeasured;
    state.counters["labels_ms"] = sum.labels_ms / kMeasured;
    state.counters["painted_ms"] = sum.all_ms / kMeasured;
    state.counters["coarse"] = scene.coarse();
    state.counters["triangles"] = static_cast<double>(sum.triangles) / kMeasured;
    state.counters["frames_a_second"] = benchmark::Counter(frames, benchmark::Counter::kIsRate);
}
BENCHMARK(sceneFrame)->Arg(0)->Arg(1)->ArgName("eye")->Iterations(120)->UseRealTime()->Unit(benchmark::kMillisecond);

BENCHMARK(mapFrame)->Arg(0)->Arg(1)->ArgName("moving")->Unit(benchmark::kMillisecond);
#endif

}  // namespace

int main(int argc, char** argv) {
    keepFreedMemory();
#ifdef ANHINGA_APP
    if (qEnvironmentVariableIsEmpty("DISPLAY")) qputenv("QT_QPA_PLATFORM", "offscreen");
    QApplication app(argc, argv);
#endif
    benchmark::Initialize(&argc, argv);
    benchmark::RunSpecifiedBenchmarks();
    return 0;
}
