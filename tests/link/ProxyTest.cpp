// The proxy between vehicle and ground: what passes, what is cut, and in which direction.
#include <catch2/catch.hpp>

#include <atomic>

#include "standin/LinkProxy.h"
#include "support.h"
#include "world/VirtualNet.h"

using namespace anhinga;
using namespace anhinga::testing;

namespace {

/// Both ends of a proxied link, counting what they hear.
struct Ends {
    VirtualWorld w;
    std::atomic<int> at_ground{0}, at_vehicle{0};
    std::unique_ptr<LinkProxy> proxy;
    std::unique_ptr<Transport> ground, vehicle;
    Ends() {
        const int vehicle_port = w.net.freePort(), ground_port = w.net.freePort();
        ground = open({LinkKind::udpListen, "127.0.0.1", ground_port}, at_ground);
        auto made = LinkProxy::open(vehicle_port, ground_port, {}, w.world());
        REQUIRE(made);
        proxy = std::move(*made);
        vehicle = open({LinkKind::udp, "127.0.0.1", vehicle_port}, at_vehicle);
        // Whoever listens learns of the other by its first packet.
        say(10);
        REQUIRE(until([&] { return at_ground > 0 && at_vehicle > 0; }));
        settle();
    }
    std::unique_ptr<Transport> open(const LinkAddress& address, std::atomic<int>& count) {
        auto t = w.world().open(address, [&count](std::span<const std::uint8_t>, std::uint64_t) { ++count; }, {});
        REQUIRE(t);
        return std::move(*t);
    }
    void say(int times) {
        for (int i = 0; i < times; ++i) {
            vehicle->send("down");
            ground->send("up");
            w.clock.sleep(0.01);
        }
    }
    bool until(const std::function<bool()>& done) { return w.until(3, done); }
    void settle() {
        w.clock.sleep(0.5);
        at_ground = at_vehicle = 0;
    }
};

}  // namespace

TEST_CASE("a proxy passes both ways, counts, and cuts each way by itself", "[standin][proxy]") {
    Ends ends;
    ends.say(20);
    CHECK(ends.until([&] { return ends.at_ground == 20 && ends.at_vehicle == 20; }));
    ends.settle();
    ends.proxy->cut(true, false);
    ends.say(20);
    CHECK(ends.until([&] { return ends.at_ground == 20; }));
    CHECK(ends.at_vehicle == 0);
    ends.settle();
    ends.proxy->cut(false, true);
    ends.say(20);
    CHECK(ends.until([&] { return ends.at_vehicle == 20; }));
    CHECK(ends.at_ground == 0);
    ends.settle();
    ends.proxy->cut(true, true);
    const auto from_vehicle = ends.proxy->fromVehicle(), from_ground = ends.proxy->fromGround();
    ends.say(20);
    CHECK(ends.until([&] { return ends.proxy->fromVehicle() - from_vehicle == 20; }));
    CHECK(ends.until([&] { return ends.proxy->fromGround() - from_ground == 20; }));
    CHECK(ends.at_ground == 0);
    CHECK(ends.at_vehicle == 0);
    ends.proxy->cut(false, false);
    ends.say(5);
    CHECK(ends.until([&] { return ends.at_ground == 5 && ends.at_vehicle == 5; }));
}

TEST_CASE("a proxy's link is as bad as it is told to be, both ways, from then on", "[standin][proxy]") {
    Ends ends;
    LinkConditions bad;
    bad.loss = 0.5;
    bad.seed = 4;
    ends.proxy->setConditions(bad);
    ends.say(100);
    CHECK(ends.until([&] { return ends.at_ground > 25 && ends.at_vehicle > 25; }));
    CHECK(ends.at_ground > 25);
    CHECK(ends.at_ground < 75);
    CHECK(ends.at_vehicle > 25);
    CHECK(ends.at_vehicle < 75);
    LinkConditions late;
    late.latency_ms = 300;
    ends.proxy->setConditions(late);
    ends.settle();
    const double sent_s = ends.w.clock.now_s();
    ends.vehicle->send("down");
    REQUIRE(ends.until([&] { return ends.at_ground == 1; }));
    CHECK(ends.w.clock.now_s() - sent_s > 0.299);
    CHECK(ends.w.clock.now_s() - sent_s < 0.32);
}

TEST_CASE("a proxy whose port is taken says so, and one that ends while packets fly ends cleanly",
          "[standin][proxy][real]") {
    const int vehicle_port = freePort(), ground_port = freePort();
    auto proxy = LinkProxy::open(vehicle_port, ground_port);
    REQUIRE(proxy);
    auto ground = Transport::open({LinkKind::udpListen, "127.0.0.1", ground_port}, [](auto, auto) {});
    auto vehicle = Transport::open({LinkKind::udp, "127.0.0.1", vehicle_port}, [](auto, auto) {});
    REQUIRE((ground && vehicle));
    std::jthread talker([&](const std::stop_token& stop) {
        for (int i = 0; i < 5000 && !stop.stop_requested(); ++i) {
            (*vehicle)->send("down");
            (*ground)->send("up");
            if (i % 50 == 0) std::this_thread::sleep_for(std::chrono::milliseconds(1));
        }
    });
    std::this_thread::sleep_for(std::chrono::milliseconds(30));
    proxy->reset();
    talker.request_stop();
    talker.join();
    const int port = freePort();
    auto first = LinkProxy::open(port, freePort());
    REQUIRE(first);
    const auto second = LinkProxy::open(port, freePort());
    REQUIRE_FALSE(second);
    CHECK(second.error().message.find(std::to_string(port)) != std::string::npos);
}
