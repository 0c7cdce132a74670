#include <sys/stat.h>

#include <catch2/catch.hpp>

#include <algorithm>
#include <atomic>
#include <filesystem>
#include <mutex>

#include "core/base/Text.h"
#include "core/link/PlayedLine.h"
#include "core/link/Recorder.h"
#include "core/link/Transport.h"
#include "core/link/VehicleLink.h"
#include "core/logio/LogReader.h"
#include "core/mavlink/RecordingFiles.h"
#include "support.h"
#include "world/VirtualNet.h"

using namespace anhinga;
using namespace anhinga::testing;

namespace {

struct Ear {
    std::mutex mutex;
    std::string heard;
    std::atomic<int> packets{0};
    Transport::Receiver receiver() {
        return [this](std::span<const std::uint8_t> b, std::uint64_t) {
            const std::lock_guard lock(mutex);
            heard.append(reinterpret_cast<const char*>(b.data()), b.size());
            ++packets;
        };
    }
};
bool until(double seconds, const std::function<bool()>& done) {
    const double end = monotonicMs() + seconds * 1000;
    while (monotonicMs() < end) {
        if (done()) return true;
        std::this_thread::sleep_for(std::chrono::milliseconds(5));
    }
    return done();
}
/// Two ends of a UDP link; the talker's conditions are played.
struct Pair {
    Ear listener_ear, talker_ear;
    std::unique_ptr<Transport> listener, talker;
    explicit Pair(const LinkConditions& conditions = {}) {
        const int port = freePort();
        auto a = Transport::open({LinkKind::udpListen, "", port}, listener_ear.receiver());
        REQUIRE(a);
        listener = std::move(*a);
        auto b = Transport::open({LinkKind::udp, "127.0.0.1", port}, talker_ear.receiver(), conditions);
        REQUIRE(b);
        talker = std::move(*b);
    }
};

}  // namespace

TEST_CASE("a listener answers whoever spoke to it", "[link][transport][real]") {
    Pair p;
    p.listener->send("nobody is there yet");
    p.talker->send("hello");
    REQUIRE(until(3, [&] { return p.listener_ear.packets == 1; }));
    p.listener->send("welcome");
    REQUIRE(until(3, [&] { return p.talker_ear.packets == 1; }));
    CHECK(p.talker_ear.heard == "welcome");
}

TEST_CASE("played loss takes its share, the same share for the same seed", "[link][transport][loss]") {
    const auto passed = [](unsigned seed) {
        PlayedLine line({0.3, 0, 0, seed});
        std::size_t n = 0;
        for (int i = 0; i < 600; ++i) n += line.play("x", PlayedLine::outgoing, i).size();
        return n;
    };
    const std::size_t once = passed(3);
    CHECK(once > 360);
    CHECK(once < 480);
    CHECK(passed(3) == once);
    CHECK(PlayedLine({}).good());
    CHECK_FALSE(PlayedLine({0.3, 0, 0, 3}).good());
}

TEST_CASE("played duplicates arrive twice and latency is kept", "[link][transport][loss]") {
    PlayedLine twice({0, 1.0, 0, 1});
    for (int i = 0; i < 20; ++i) CHECK(twice.play("x", PlayedLine::incoming, i).size() == 2);
    PlayedLine late({0, 0, 150, 1});
    const auto arrival = late.play("x", PlayedLine::outgoing, 7);
    REQUIRE(arrival.size() == 1);
    CHECK(arrival[0].at_s == Approx(7.15));
    CHECK(arrival[0].bytes == "x");
}

TEST_CASE("a real link plays what it is told to, and keeps it late", "[link][transport][loss][real]") {
    LinkConditions c;
    c.latency_ms = 60;
    c.duplicate = 1;
    Pair p(c);
    const double start = monotonicMs();
    p.talker->send("x");
    REQUIRE(until(5, [&] { return p.listener_ear.packets == 2; }));
    CHECK(monotonicMs() - start >= 59);  // never earlier; later is the machine's business
}

TEST_CASE("a TCP link comes back after the other end was away", "[link][transport][tcp][real]") {
    const int port = freePort();
    Ear server_ear, client_ear;
    auto client = Transport::open({LinkKind::tcp, "127.0.0.1", port}, client_ear.receiver());
    REQUIRE(client);
    for (int round = 0; round < 2; ++round) {
        auto server = Transport::open({LinkKind::tcpListen, "", port}, server_ear.receiver());
        REQUIRE(server);
        const int before = server_ear.packets;
        CHECK(until(8, [&] {
            (*client)->send("ping");
            std::this_thread::sleep_for(std::chrono::milliseconds(40));
            return server_ear.packets > before;
        }));
    }
}

TEST_CASE("an unknown host and a port in use are told at once", "[link][transport][real]") {
    Ear ear;
    CHECK_FALSE(Transport::open({LinkKind::udp, "no.such.host.invalid", 1234}, ear.receiver()));
    const int port = freePort();
    const auto first = Transport::open({LinkKind::tcpListen, "", port}, ear.receiver());
    REQUIRE(first);
    const auto second = Transport::open({LinkKind::tcpListen, "", port}, ear.receiver());
    if (second)
        SUCCEED("the system lets two listeners share a port");
    else
        CHECK(second.error().message.find(std::to_string(port)) != std::string::npos);
}

TEST_CASE("everything received and sent is recorded from the first byte", "[link][recorder][real]") {
    TempDir dir;
    const int port = freePort();
    {
        auto link = VehicleLink::open(fmt::format("udp-listen:{}", port), {dir / "r.tlog", {}});
        REQUIRE(link);
        Ear ear;
        auto vehicle = Transport::open({LinkKind::udp, "127.0.0.1", port}, ear.receiver());
        REQUIRE(vehicle);
        mavlink::Message beat("HEARTBEAT");
        beat.system = 1;
        beat.component = 1;
        beat.set("type", 2).set("autopilot", 3).set("mavlink_version", 3);
        for (int i = 0; i < 5; ++i) {
            beat.sequence = static_cast<std::uint8_t>(2 * i);  // every second one is lost
            (*vehicle)->send(mavlink::encode(beat));
        }
        REQUIRE(until(3, [&] { return (*link)->snapshot().link.received >= 5; }));
        const VehicleSnapshot v = (*link)->snapshot();
        CHECK(v.heard);
        CHECK(v.link.lost == 4);
        CHECK(until(3, [&] { return ear.packets > 0; }));  // our own heartbeat reaches the vehicle
    }
    const auto log = openLog(dir / "r.tlog");
    REQUIRE(log);
    CHECK((*log)->message_counts.at("HEARTBEAT") >= 6);
    CHECK((*log)->damaged_bytes == 0);
}

TEST_CASE("a recording opened while it is written holds all that was heard", "[link][recorder]") {
    TempDir dir;
    auto recorder = Recorder::create(dir / "r.tlog");
    REQUIRE(recorder);
    mavlink::Message beat("HEARTBEAT");
    beat.set("type", 2).set("autopilot", 3).set("mavlink_version", 3);
    beat.system = beat.component = 1;
    std::uintmax_t written = 0;
    for (int i = 0; i < 7; ++i) {
        beat.sequence = static_cast<std::uint8_t>(i);
        const std::string packet = mavlink::encode(beat);
        (*recorder)->add({reinterpret_cast<const std::uint8_t*>(packet.data()), packet.size()});
        written += 8 + packet.size();
        (*recorder)->flush();
        CHECK(std::filesystem::file_size(dir / "r.tlog") == written);
    }
    CHECK((*recorder)->error().empty());
}

TEST_CASE("a recording that cannot be written says so", "[link][recorder]") {
    TempDir dir;
    CHECK_FALSE(Recorder::create(dir / "no/folder/r.tlog"));
    CHECK_FALSE(Recorder::create(dir.path()));
    // A device or a pipe is not waited for; what a full disk does is in core/NoRoomTest.
    CHECK_FALSE(Recorder::create("/dev/full"));
    REQUIRE(::mkfifo((dir / "pipe.tlog").c_str(), 0600) == 0);
    CHECK_FALSE(Recorder::create(dir / "pipe.tlog"));
}

TEST_CASE("packets that were not believed are in their file within a second", "[link][recorder]") {
    TempDir dir;
    VirtualClock clock;
    auto recorder = *Recorder::create(dir / "r.tlog", clock);
    const std::vector<std::uint8_t> packet(40, 0xFE);
    recorder->addNotBelieved(packet);
    clock.sleep(0.6);
    recorder->addNotBelieved(packet);
    CHECK(slurp(mavlink::notBelievedFile(dir / "r.tlog")).size() > 2 * (8 + packet.size()));
}

TEST_CASE("a played link reorders, corrupts, limits and cuts as it is told, while it runs", "[link][transport][loss]") {
    // In the order of arrival, each sent half a millisecond after the other.
    const auto heard = [](PlayedLine& line, int n) {
        std::vector<PlayedLine::Arrival> all;
        for (int i = 0; i < n; ++i)
            for (auto& a : line.play(std::string(1, static_cast<char>(i % 100)), PlayedLine::outgoing, 0.0005 * i))
                all.push_back(a);
        std::stable_sort(all.begin(), all.end(), [](const auto& a, const auto& b) { return a.at_s < b.at_s; });
        std::string out;
        for (const auto& a : all) out += a.bytes;
        return out;
    };
    SECTION("reordering changes the order and loses nothing") {
        LinkConditions c;
        c.reorder = 0.2;
        PlayedLine line(c);
        std::string order = heard(line, 100);
        REQUIRE(order.size() == 100);
        CHECK_FALSE(std::is_sorted(order.begin(), order.end()));
        std::sort(order.begin(), order.end());
        CHECK(std::adjacent_find(order.begin(), order.end()) == order.end());
    }
    SECTION("corruption changes a byte of its share of the packets") {
        LinkConditions c;
        c.corrupt = 0.25;
        PlayedLine line(c);
        const std::string bytes = heard(line, 400);
        REQUIRE(bytes.size() == 400);
        int wrong = 0;
        for (std::size_t i = 0; i < bytes.size(); ++i) wrong += bytes[i] != static_cast<char>(i % 100);
        CHECK(wrong > 60);
        CHECK(wrong < 140);
    }
    SECTION("a slow radio carries so many bytes a second and drops what would wait too long") {
        LinkConditions c;
        c.bytes_per_s = 20000;
        PlayedLine line(c);
        int carried = 0;
        double last_s = 0;
        for (int i = 0; i < 60; ++i)
            for (const auto& a : line.play(std::string(1000, 'x'), PlayedLine::outgoing, 5)) {
                ++carried;
                last_s = a.at_s;
            }
        CHECK(carried >= 20);  // a second's worth; the rest was dropped
        CHECK(carried <= 22);
        CHECK(last_s == Approx(5 + carried * 0.05));
        // The other direction is free.
        CHECK(line.play("y", PlayedLine::incoming, 5).at(0).at_s == Approx(5).margin(0.001));
    }
    SECTION("a cut lets nothing through until it is mended") {
        VirtualWorld w;
        Ear ear;
        const int port = w.net.freePort();
        const auto listener = w.world().open({LinkKind::udpListen, "", port}, ear.receiver(), {});
        const auto talker = w.world().open({LinkKind::udp, "127.0.0.1", port}, [](auto, auto) {}, {});
        LinkConditions cut;
        cut.cut = true;
        (*talker)->setConditions(cut);
        (*talker)->send("lost");
        w.clock.sleep(0.5);
        CHECK(ear.packets == 0);
        (*talker)->setConditions({});
        (*talker)->send("heard");
        REQUIRE(w.until(3, [&] { return ear.packets == 1; }));
        CHECK(ear.heard == "heard");
    }
}
