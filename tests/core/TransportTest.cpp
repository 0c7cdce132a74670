#include <catch2/catch.hpp>

#include <algorithm>
#include <atomic>
#include <filesystem>
#include <mutex>

#include "core/base/Text.h"
#include "core/link/Recorder.h"
#include "core/link/Transport.h"
#include "core/link/VehicleLink.h"
#include "core/logio/LogReader.h"
#include "support.h"

using namespace anhinga;
using namespace anhinga::testing;

namespace {

struct Ear {
    std::mutex mutex;
    std::string heard;
    std::atomic<int> packets{0};
    Transport::Receiver receiver() {
        return [this](std::span<const std::uint8_t> b) {
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

TEST_CASE("a listener answers whoever spoke to it", "[link][transport]") {
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
        Pair p({0.3, 0, 0, seed});
        for (int i = 0; i < 600; ++i) {
            p.talker->send("x");
            if (i % 50 == 0) std::this_thread::sleep_for(std::chrono::milliseconds(2));
        }
        until(1, [&] { return p.listener_ear.packets >= 600; });
        return p.listener_ear.packets.load();
    };
    const int once = passed(3);
    CHECK(once > 360);
    CHECK(once < 480);
    CHECK(passed(3) == once);
}

TEST_CASE("played duplicates arrive twice and latency is kept", "[link][transport][loss]") {
    Pair twice({0, 1.0, 0, 1});
    for (int i = 0; i < 20; ++i) twice.talker->send("x");
    CHECK(until(2, [&] { return twice.listener_ear.packets == 40; }));
    Pair late({0, 0, 150, 1});
    const double start = monotonicMs();
    late.talker->send("x");
    REQUIRE(until(3, [&] { return late.listener_ear.packets == 1; }));
    CHECK(monotonicMs() - start >= 145);
}

TEST_CASE("a TCP link comes back after the other end was away", "[link][transport][tcp]") {
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

TEST_CASE("an unknown host and a port in use are told at once", "[link][transport]") {
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

TEST_CASE("everything received and sent is recorded from the first byte", "[link][recorder]") {
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
    auto full = Recorder::create("/dev/full");
    if (!full) return;
    const std::vector<std::uint8_t> packet(4096, 1);
    for (int i = 0; i < 20; ++i) (*full)->add(packet);
    CHECK((*full)->error().find("stopped") != std::string::npos);
}

TEST_CASE("a played link reorders, corrupts, limits and cuts as it is told, while it runs", "[link][transport][loss]") {
    const auto sendAll = [](Pair& p, int n) {
        for (int i = 0; i < n; ++i) {
            p.talker->send(std::string(1, static_cast<char>(i % 100)));
            if (i % 20 == 0) std::this_thread::sleep_for(std::chrono::milliseconds(2));
        }
        until(2, [&] { return p.listener_ear.packets >= n; });
        const std::lock_guard lock(p.listener_ear.mutex);
        return p.listener_ear.heard;
    };
    SECTION("reordering changes the order and loses nothing") {
        LinkConditions c;
        c.reorder = 0.2;
        Pair p(c);
        std::string heard = sendAll(p, 100);
        REQUIRE(heard.size() == 100);
        CHECK_FALSE(std::is_sorted(heard.begin(), heard.end()));
        std::sort(heard.begin(), heard.end());
        CHECK(std::adjacent_find(heard.begin(), heard.end()) == heard.end());
    }
    SECTION("corruption changes a byte of its share of the packets") {
        LinkConditions c;
        c.corrupt = 0.25;
        Pair p(c);
        const std::string heard = sendAll(p, 400);
        REQUIRE(heard.size() == 400);
        int wrong = 0;
        for (std::size_t i = 0; i < heard.size(); ++i) wrong += heard[i] != static_cast<char>(i % 100);
        CHECK(wrong > 60);
        CHECK(wrong < 140);
    }
    SECTION("a slow radio carries so many bytes a second and drops what would wait too long") {
        LinkConditions c;
        c.bytes_per_s = 20000;
        Pair p(c);
        const double start = monotonicMs();
        for (int i = 0; i < 60; ++i) p.talker->send(std::string(1000, 'x'));
        until(4, [&] { return p.listener_ear.packets >= 21; });
        const double took_s = (monotonicMs() - start) / 1000;
        std::this_thread::sleep_for(std::chrono::milliseconds(300));
        CHECK(took_s > 0.9);
        CHECK(took_s < 2.0);
        CHECK(p.listener_ear.packets <= 23);  // a second's worth; the rest was dropped
    }
    SECTION("a cut lets nothing through until it is mended") {
        Pair p;
        LinkConditions cut;
        cut.cut = true;
        p.talker->setConditions(cut);
        p.talker->send("lost");
        std::this_thread::sleep_for(std::chrono::milliseconds(150));
        CHECK(p.listener_ear.packets == 0);
        p.talker->setConditions({});
        p.talker->send("heard");
        REQUIRE(until(3, [&] { return p.listener_ear.packets == 1; }));
        CHECK(p.listener_ear.heard == "heard");
    }
}
