// A stand-in, our end of a link to it, and a proxy between them that plays a bad link; in a world that is played.
#pragma once

#include <catch2/catch.hpp>

#include "Planned.h"
#include "core/link/Commands.h"
#include "core/link/MissionTransfer.h"
#include "standin/LinkProxy.h"
#include "standin/LinkedStandIn.h"
#include "support.h"
#include "world/World.h"

namespace anhinga::testing {

class Rig {
  public:
    explicit Rig(StandInOptions options, LinkConditions conditions = {}, VehicleLink::Options ours = {}) {
        const int port = world_.port(), vehicle_port = world_.port();
        ours.world = world_.world();
        auto link = VehicleLink::open(fmt::format("udp-listen:{}", port), ours);
        REQUIRE(link);
        link_ = std::move(*link);
        auto proxy = LinkProxy::open(vehicle_port, port, conditions, world_.world());
        REQUIRE(proxy);
        proxy_ = std::move(*proxy);
        auto vehicle =
            LinkedStandIn::open({LinkKind::udp, "127.0.0.1", vehicle_port}, std::move(options), {}, world_.world());
        REQUIRE(vehicle);
        vehicle_ = std::move(*vehicle);
        if (!ours.key) REQUIRE(link_->waitForVehicle(10));
    }
    VehicleLink& link() { return *link_; }
    StandIn& standin() { return vehicle_->standin(); }
    Companions& companions() { return *vehicle_->companions(); }
    World& world() { return world_; }
    /// The link is another from now on.
    void conditions(const LinkConditions& c) { proxy_->setConditions(c); }
    LinkProxy& proxy() { return *proxy_; }
    void cut(bool on) { proxy_->cut(on, on); }
    /// Lets time pass until `done`, at most so long.
    bool until(double seconds, const std::function<bool(const VehicleSnapshot&)>& done) {
        return world_.until(seconds, [&] { return done(link_->snapshot()); });
    }

  private:
    World world_;
    std::unique_ptr<VehicleLink> link_;
    std::unique_ptr<LinkProxy> proxy_;
    std::unique_ptr<LinkedStandIn> vehicle_;
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
    return itemsIn(plan);
}

}  // namespace anhinga::testing
