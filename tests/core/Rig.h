// A stand-in in this process, our end of a link to it, and a proxy between them that plays a bad link. The stand-in's
// clock runs on a thread.
#pragma once

#include <catch2/catch.hpp>

#include "core/base/Text.h"
#include "core/link/Commands.h"
#include "core/link/MissionTransfer.h"
#include "core/mission/Compile.h"
#include "standin/LinkProxy.h"
#include "standin/StandIn.h"
#include "support.h"

namespace anhinga::testing {

class Rig {
  public:
    explicit Rig(StandInOptions options, LinkConditions conditions = {}, VehicleLink::Options ours = {}) {
        const int port = freePort(), vehicle_port = freePort();
        standin_ = std::make_unique<StandIn>(std::move(options), [this](const mavlink::Message& m) {
            if (transport_) transport_->send(standin_->frame(m));
        });
        auto link = VehicleLink::open(fmt::format("udp-listen:{}", port), ours);
        REQUIRE(link);
        link_ = std::move(*link);
        auto proxy = LinkProxy::open(vehicle_port, port, conditions);
        REQUIRE(proxy);
        proxy_ = std::move(*proxy);
        auto transport =
            Transport::open({LinkKind::udp, "127.0.0.1", vehicle_port}, [this](std::span<const std::uint8_t> b) {
                parser_.feed(b, [this](const mavlink::Message& m, std::span<const std::uint8_t> frame) {
                    standin_->hear(m, frame);
                });
            });
        REQUIRE(transport);
        transport_ = std::move(*transport);
        clock_ = std::jthread([this](const std::stop_token& stop) {
            double last = monotonicMs();
            while (!stop.stop_requested()) {
                std::this_thread::sleep_for(std::chrono::milliseconds(5));
                const double now = monotonicMs();
                standin_->advance((now - last) / 1000);
                last = now;
            }
        });
        if (!ours.key) REQUIRE(link_->waitForVehicle(10));
    }
    ~Rig() {
        clock_ = {};
        transport_.reset();
    }
    VehicleLink& link() { return *link_; }
    StandIn& standin() { return *standin_; }
    /// The link is another from now on.
    void conditions(const LinkConditions& c) { proxy_->setConditions(c); }
    LinkProxy& proxy() { return *proxy_; }
    void cut(bool on) { proxy_->cut(on, on); }
    /// Waits until `done`, at most so long.
    bool until(double seconds, const std::function<bool(const VehicleSnapshot&)>& done) {
        const double end = monotonicMs() + seconds * 1000;
        while (monotonicMs() < end) {
            if (done(link_->snapshot())) return true;
            std::this_thread::sleep_for(std::chrono::milliseconds(10));
        }
        return false;
    }

  private:
    std::unique_ptr<StandIn> standin_;
    std::unique_ptr<LinkProxy> proxy_;
    std::unique_ptr<Transport> transport_;
    std::unique_ptr<VehicleLink> link_;
    mavlink::Parser parser_;
    std::jthread clock_;
};

inline StandInOptions standInOptions(double pace = 1) {
    StandInOptions o;
    o.home = {47.31, -20.12};
    o.pace = pace;
    return o;
}

/// The mission of rowPlan().
inline std::vector<MissionItem> rowMission(int n) {
    const Plan plan = rowPlan(n);
    return compileMission(plan, expand(plan, nullptr))->items;
}

}  // namespace anhinga::testing
