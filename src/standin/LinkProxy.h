// A relay between a vehicle and a ground station on this machine, whose link can be made bad, deaf or cut while it
// runs.
#pragma once

#include <atomic>
#include <memory>
#include <mutex>

#include "core/link/Transport.h"

namespace anhinga {

class LinkProxy {
  public:
    /// The vehicle sends to UDP `vehicle_port`; the ground station listens on UDP `ground_port`. Fails when a port is
    /// taken.
    static Result<std::unique_ptr<LinkProxy>> open(int vehicle_port, int ground_port,
                                                   const LinkConditions& conditions = {}, const LinkWorld& world = {});
    ~LinkProxy();
    LinkProxy(const LinkProxy&) = delete;

    /// Of both directions, from now on.
    void setConditions(const LinkConditions& conditions) { ground_->setConditions(conditions); }
    /// Which directions let nothing through: down is from the vehicle to the ground.
    void cut(bool up, bool down) {
        up_cut_ = up;
        down_cut_ = down;
    }
    /// Packets that came in from each side, whether or not they were let through.
    std::uint64_t fromGround() const { return from_ground_; }
    std::uint64_t fromVehicle() const { return from_vehicle_; }

  private:
    LinkProxy() = default;
    std::atomic<bool> up_cut_{false}, down_cut_{false};
    std::atomic<std::uint64_t> from_ground_{0}, from_vehicle_{0};
    std::mutex mutex_;  // of vehicle_
    std::unique_ptr<Transport> ground_, vehicle_;
};

}  // namespace anhinga
