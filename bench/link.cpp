// The link: hand-over over bad radios, an onboard log over a lossy one with a cut, ten thousand messages a second.
#include <benchmark/benchmark.h>
#include <malloc.h>
#include <time.h>

#include <atomic>
#include <filesystem>
#include <random>
#include <thread>

#include "core/base/File.h"
#include "core/base/Text.h"
#include "core/link/LogFetch.h"
#include "core/link/MissionTransfer.h"
#include "core/mavlink/Frame.h"
#include "standin/StandIn.h"

#ifdef ANHINGA_APP
#include <QApplication>
#include <QElapsedTimer>
#include <QTimer>

#include "app/map/MapView.h"
#include "app/shell/MainWindow.h"
#endif

using namespace anhinga;

namespace {

int nextPort() {
    static std::atomic<int> port{41000};
    return port++;
}

/// A stand-in in this process and our end of a link to it.
struct Rig {
    Rig(StandInOptions options, const LinkConditions& conditions) {
        const int port = nextPort();
        standin = std::make_unique<StandIn>(std::move(options), [this](const mavlink::Message& m) {
            if (transport) transport->send(standin->frame(m));
        });
        link = std::move(*VehicleLink::open(fmt::format("udp-listen:{}", port), {}));
        transport = std::move(*Transport::open(
            {LinkKind::udp, "127.0.0.1", port},
            [this](std::span<const std::uint8_t> b, std::uint64_t) {
                parser.feed(
                    b, [this](const mavlink::Message& m, std::span<const std::uint8_t> f) { standin->hear(m, f); });
            },
            conditions));
        clock = std::jthread([this](const std::stop_token& stop) {
            double last = monotonicMs();
            while (!stop.stop_requested()) {
                std::this_thread::sleep_for(std::chrono::milliseconds(4));
                const double now = monotonicMs();
                standin->advance((now - last) / 1000);
                last = now;
            }
        });
        link->waitForVehicle(20);
    }
    ~Rig() {
        clock = {};
        transport.reset();
    }
    std::unique_ptr<StandIn> standin;
    std::unique_ptr<Transport> transport;
    std::unique_ptr<VehicleLink> link;
    mavlink::Parser parser;
    std::jthread clock;
};

MissionSet largeSet() {
    MissionSet set;
    std::mt19937 random(3);
    const auto item = [&](std::vector<MissionItem>& list, std::uint16_t command, float param1, float z) {
        MissionItem i;
        i.seq = static_cast<std::uint16_t>(list.size());
        i.command = command;
        i.param1 = param1;
        i.x = 473000000 + static_cast<std::int32_t>(random() % 200000);
        i.y = -201000000 + static_cast<std::int32_t>(random() % 200000);
        i.z = z;
        list.push_back(i);
    };
    for (int i = 0; i < 500; ++i) item(set.mission, cmd::waypoint, 0, static_cast<float>(40 + i % 60));
    for (int i = 0; i < 100; ++i) item(set.fence, cmd::fenceKeepIn, 100, 0);
    for (int i = 0; i < 5; ++i) item(set.rally, cmd::rally, 0, 60);
    return set;
}

/// 500 items, a fence of 100 corners and 5 rally points, 150 ms each way; the argument is the loss in percent, with it
/// 5 % duplicates, 5 % out of order and 2 % corrupted. Twenty at a time. "ratio": time / (items x round trip).
void handOverOverRadio(benchmark::State& state) {
    constexpr int kRuns = 20;
    constexpr double kRoundTrip_s = 0.3;
    const MissionSet set = largeSet();
    const auto items = static_cast<double>(set.mission.size() + set.fence.size() + set.rally.size());
    for (auto _ : state) {
        std::atomic<int> verified{0};
        std::vector<double> ratios(kRuns, 0);
        {
            std::vector<std::jthread> threads;
            for (int run = 0; run < kRuns; ++run)
                threads.emplace_back([&, run] {
                    LinkConditions c;
                    c.latency_ms = 150;
                    c.seed = static_cast<unsigned>(run + 1);
                    if (state.range(0) > 0) {
                        c.loss = static_cast<double>(state.range(0)) / 100;
                        c.duplicate = c.reorder = 0.05;
                        c.corrupt = 0.02;
                    }
                    Rig rig({}, c);
                    std::this_thread::sleep_for(std::chrono::seconds(2));  // the round trip is measured meanwhile
                    const double start = monotonicMs();
                    const auto h = handOver(*rig.link, set, false);
                    ratios[static_cast<std::size_t>(run)] = (monotonicMs() - start) / 1000 / (items * kRoundTrip_s);
                    if (h && h->verified) ++verified;
                });
        }
        double sum = 0, most = 0;
        for (const double r : ratios) {
            sum += r;
            most = std::max(most, r);
        }
        state.counters["verified"] = verified.load();
        state.counters["runs"] = kRuns;
        state.counters["ratio"] = sum / kRuns;
        state.counters["ratio_most"] = most;
    }
}
BENCHMARK(handOverOverRadio)->ArgName("loss")->Arg(0)->Arg(10)->Iterations(1)->Unit(benchmark::kSecond)->UseRealTime();

/// 20 MB over a link of 1 MB/s with 5 % loss and 50 ms each way, cut for 10 s in between. "share": of what the link
/// could carry of a log in the time it was there (90 bytes in packets of 109, less what is lost).
void fetchLogOverRadio(benchmark::State& state) {
    constexpr double kRate = 1e6, kLoss = 0.05, kCut_s = 10;
    constexpr std::size_t kBytes = 20000000;
    const auto folder = std::filesystem::temp_directory_path() / fmt::format("anhinga-bench-{}", nextPort());
    std::filesystem::create_directories(folder / "aboard");
    std::string content(kBytes, '\0');
    std::mt19937 random(5);
    for (char& c : content) c = static_cast<char>(random());
    (void)writeFileAtomic((folder / "aboard/flight-001.ulg").string(), content);
    for (auto _ : state) {
        LinkConditions c;
        c.latency_ms = 50;
        c.loss = kLoss;
        c.bytes_per_s = kRate;
        StandInOptions o;
        o.logs_dir = (folder / "aboard").string();
        o.log_bytes_per_s = kRate * 90 / 109 * 0.97;
        Rig rig(o, c);
        const auto logs = listLogs(*rig.link);
        if (!logs || logs->empty()) return state.SkipWithError("no log");
        std::jthread cutter([&](const std::stop_token& stop) {
            for (int i = 0; i < 80 && !stop.stop_requested(); ++i)
                std::this_thread::sleep_for(std::chrono::milliseconds(100));
            LinkConditions cut = c;
            cut.cut = true;
            rig.transport->setConditions(cut);
            std::this_thread::sleep_for(std::chrono::duration<double>(kCut_s));
            rig.transport->setConditions(c);
        });
        TransferOptions patient;
        patient.silence_s = 60;
        const std::string path = (folder / "fetched.ulg").string();
        const auto got = fetchLog(*rig.link, logs->front(), path, patient);
        cutter.join();
        const auto back = readFile(path);
        state.counters["identical"] = got && back && *back == content ? 1 : 0;
        if (got)
            state.counters["share"] =
                static_cast<double>(kBytes) / ((got->seconds - kCut_s) * kRate * (1 - kLoss) * 90 / 109);
        std::filesystem::remove(path);
    }
    std::filesystem::remove_all(folder);
}
BENCHMARK(fetchLogOverRadio)->Iterations(1)->Unit(benchmark::kSecond)->UseRealTime();

#ifdef ANHINGA_APP
double processCpu_s() {
    timespec t{};
    clock_gettime(CLOCK_PROCESS_CPUTIME_ID, &t);
    return static_cast<double>(t.tv_sec) + static_cast<double>(t.tv_nsec) * 1e-9;
}
double threadCpu_s() {
    timespec t{};
    clock_gettime(CLOCK_THREAD_CPUTIME_ID, &t);
    return static_cast<double>(t.tv_sec) + static_cast<double>(t.tv_nsec) * 1e-9;
}
double residentMb() {
    std::FILE* f = std::fopen("/proc/self/statm", "re");
    long all = 0, resident = 0;
    if (f != nullptr) {
        if (std::fscanf(f, "%ld %ld", &all, &resident) != 2) resident = 0;
        std::fclose(f);
    }
    return static_cast<double>(resident) * 4096 / 1e6;
}

/// What is allocated at this moment.
double heapMb() {
    const struct mallinfo2 m = mallinfo2();
    return static_cast<double>(m.uordblks + m.hblkhd) / 1e6;
}

/// Counts what is painted.
class PaintCounter : public QObject {
  public:
    int paints = 0;
    bool eventFilter(QObject*, QEvent* e) override {
        paints += e->type() == QEvent::Paint ? 1 : 0;
        return false;
    }
};

/// Ten thousand messages a second into the real window in the Field. "core_percent": what receiving them costs of one
/// core, beside what the window costs with none; "frames": map frames a second that were painted when 60 were asked
/// for; "grown_mb": memory after as many messages as an hour brings at usual rates, less than before.
void messagesIntoWindow(benchmark::State& state) {
    constexpr double kRate = 10000, kSeconds = 8;
    for (auto _ : state) {
        MainWindow window;
        window.resize(1280, 800);
        window.show();
        window.openFile(QString(DEMO_DIR) + "/patrol.anhinga.geojson");
        window.plan().waitUntilDerived(10000);
        window.setWorkspace(Workspace::field);
        const int port = nextPort();
        if (!window.link().connectTo(QString("udp-listen:%1").arg(port))) return state.SkipWithError("no link");
        PaintCounter counter;
        window.map().installEventFilter(&counter);
        QTimer frames;
        QObject::connect(&frames, &QTimer::timeout, &window, [&] { window.map().update(); });
        frames.start(16);
        const auto loop = [&](double seconds) {
            QElapsedTimer t;
            t.start();
            counter.paints = 0;
            while (static_cast<double>(t.elapsed()) < seconds * 1000)
                QApplication::processEvents(QEventLoop::WaitForMoreEvents, 5);
            return counter.paints / seconds;
        };
        std::atomic<double> sender_cpu{0};
        std::atomic<bool> talk{false};
        std::atomic<std::uint64_t> sent{0};
        std::jthread sender([&](const std::stop_token& stop) {
            auto to = Transport::open({LinkKind::udp, "127.0.0.1", port},
                                      [](std::span<const std::uint8_t>, std::uint64_t) {});
            if (!to) return;
            std::vector<std::string> packets;
            std::uint8_t sequence = 0;
            const auto add = [&](mavlink::Message m) {
                m.system = m.component = 1;
                m.sequence = sequence++;
                packets.push_back(mavlink::encode(m));
            };
            using M = mavlink::Message;
            for (int i = 0; i < 256; ++i) {
                if (i % 64 == 0)
                    add(M("HEARTBEAT").set("type", 2).set("autopilot", 3).set("base_mode", 129).set("custom_mode", 3));
                else if (i % 3 == 0)
                    add(M("ATTITUDE").set("roll", 0.1).set("pitch", 0.02 * (i % 5)).set("yaw", 1));
                else if (i % 3 == 1)
                    add(M("GLOBAL_POSITION_INT")
                            .set("lat", 473051970 + i * 50)
                            .set("lon", -201068059)
                            .set("relative_alt", 50000)
                            .set("hdg", 9000));
                else
                    add(M("VFR_HUD").set("airspeed", 8).set("groundspeed", 8).set("throttle", 40));
            }
            std::size_t at = 0;
            while (!stop.stop_requested()) {
                std::this_thread::sleep_for(std::chrono::milliseconds(2));
                if (!talk) continue;
                for (int i = 0; i < static_cast<int>(kRate * 0.002); ++i) (*to)->send(packets[at++ % packets.size()]);
                sent += static_cast<std::uint64_t>(kRate * 0.002);
                sender_cpu = threadCpu_s();
            }
        });
        loop(1);
        double cpu = processCpu_s();
        const double quiet_frames = loop(kSeconds / 2);
        const double quiet = (processCpu_s() - cpu) / (kSeconds / 2);
        talk = true;
        loop(1);
        const double before_mb = residentMb();
        const std::uint64_t sent_before = sent;
        cpu = processCpu_s();
        const double sender_before = sender_cpu;
        const double busy_frames = loop(kSeconds);
        // The sender's transport has a thread of its own, as costly as ours for sending; it is measured apart below.
        const double busy = (processCpu_s() - cpu - (sender_cpu - sender_before)) / kSeconds;
        state.counters["messages_a_second"] = static_cast<double>(sent - sent_before) / kSeconds;
        state.counters["core_percent_with_senders_socket"] = 100 * (busy - quiet);
        state.counters["frames_quiet"] = quiet_frames;
        state.counters["frames"] = busy_frames;
        state.counters["grown_mb"] = residentMb() - before_mb;
        talk = false;
    }
}
BENCHMARK(messagesIntoWindow)->Iterations(1)->Unit(benchmark::kSecond)->UseRealTime();

/// An hour of flight, sixty times as fast, into the real window in the Field: positions on a circle, attitude, speeds,
/// battery, photos and spoken texts, 10,000 messages a second. "grown_mb": resident memory at its end, less than after
/// the first ten minutes; "mb": at the end.
void hourInWindow(benchmark::State& state) {
    constexpr double kFaster = 60, kHour_s = 3600, kBegun_s = 600, kStep_s = 0.002;
    constexpr int kEach = 20;  // messages a step
    for (auto _ : state) {
        MainWindow window;
        window.resize(1280, 800);
        window.show();
        window.openFile(QString(DEMO_DIR) + "/patrol.anhinga.geojson");
        window.plan().waitUntilDerived(10000);
        window.setWorkspace(Workspace::field);
        const int port = nextPort();
        if (!window.link().connectTo(QString("udp-listen:%1").arg(port))) return state.SkipWithError("no link");
        std::atomic<double> flown_s{0};
        std::atomic<std::uint64_t> sent{0};
        std::jthread sender([&](const std::stop_token& stop) {
            auto to = Transport::open({LinkKind::udp, "127.0.0.1", port},
                                      [](std::span<const std::uint8_t>, std::uint64_t) {});
            if (!to) return;
            using M = mavlink::Message;
            std::uint8_t sequence = 0;
            const auto say = [&](M m) {
                m.system = m.component = 1;
                m.sequence = sequence++;
                (*to)->send(mavlink::encode(m));
                ++sent;
            };
            const double start = monotonicMs();
            std::uint64_t step = 0;
            while (!stop.stop_requested() && flown_s < kHour_s) {
                std::this_thread::sleep_for(std::chrono::duration<double>(kStep_s));
                const double t = (monotonicMs() - start) / 1000 * kFaster, turn = t / 60;
                flown_s = t;
                if (step % 500 == 0)
                    say(M("HEARTBEAT").set("type", 2).set("autopilot", 3).set("base_mode", 217).set("custom_mode", 3));
                if (step % 250 == 7)
                    say(M("SYS_STATUS").set("battery_remaining", 90 - t / 60).set("voltage_battery", 15000));
                if (step % 100 == 9)
                    say(M("CAMERA_FEEDBACK")
                            .set("lat", 473051970)
                            .set("lng", -201068059)
                            .set("img_idx", static_cast<double>(step)));
                if (step % 1000 == 11)
                    say(M("STATUSTEXT").set("severity", 6).setText("text", "so far " + std::to_string(step)));
                if (step % 50 == 3) say(M("MISSION_CURRENT").set("seq", static_cast<double>(step / 50 % 40)));
                for (int i = 0; i < kEach; ++i)
                    if (i % 3 == 0)
                        say(M("GLOBAL_POSITION_INT")
                                .set("time_boot_ms", t * 1000)
                                .set("lat", 473051970 + 30000 * std::sin(turn))
                                .set("lon", -201068059 + 30000 * std::cos(turn * 1.01))
                                .set("relative_alt", 50000)
                                .set("hdg", 9000));
                    else if (i % 3 == 1)
                        say(M("ATTITUDE").set("roll", 0.1 * std::sin(t)).set("yaw", 1));
                    else
                        say(M("VFR_HUD").set("airspeed", 8).set("groundspeed", 8).set("throttle", 40));
                ++step;
            }
        });
        double begun_mb = 0, begun_heap_mb = 0, most_mb = 0;
        while (flown_s < kHour_s) {
            QApplication::processEvents(QEventLoop::WaitForMoreEvents, 5);
            if (flown_s < kBegun_s) {
                begun_mb = residentMb();
                begun_heap_mb = heapMb();
            }
            most_mb = std::max(most_mb, residentMb());
        }
        state.counters["messages"] = static_cast<double>(sent);
        state.counters["mb"] = residentMb();
        state.counters["most_mb"] = most_mb;
        state.counters["grown_mb"] = residentMb() - begun_mb;
        state.counters["heap_grown_mb"] = heapMb() - begun_heap_mb;
    }
}
BENCHMARK(hourInWindow)->Iterations(1)->Unit(benchmark::kSecond)->UseRealTime();
#endif

/// What one message costs from the bytes to the snapshot, without a socket.
void takeMessages(benchmark::State& state) {
    std::string bytes;
    using M = mavlink::Message;
    std::uint8_t sequence = 0;
    const auto add = [&](M m) {
        m.system = m.component = 1;
        m.sequence = sequence++;
        bytes += mavlink::encode(m);
    };
    add(M("HEARTBEAT").set("type", 2).set("autopilot", 3).set("base_mode", 129));
    for (int i = 0; i < 999; ++i) {
        if (i % 3 == 0) add(M("ATTITUDE").set("roll", 0.1));
        if (i % 3 == 1)
            add(M("GLOBAL_POSITION_INT")
                    .set("lat", 473051970 + i * 50)
                    .set("lon", -201068059)
                    .set("relative_alt", 50000));
        if (i % 3 == 2) add(M("VFR_HUD").set("airspeed", 8));
    }
    VehicleState vehicle;
    for (auto _ : state) {
        mavlink::Parser parser;
        parser.feed({reinterpret_cast<const std::uint8_t*>(bytes.data()), bytes.size()},
                    [&](const M& m, std::span<const std::uint8_t>) { vehicle.take(m, 0); });
    }
    state.counters["seconds_each"] = benchmark::Counter(static_cast<double>(state.iterations()) * 1000,
                                                        benchmark::Counter::kIsRate | benchmark::Counter::kInvert);
}
BENCHMARK(takeMessages)->Unit(benchmark::kMicrosecond);

}  // namespace
