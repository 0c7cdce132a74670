// A stand-in at its end of a link; its time passes by the clock of the world the link is in.
#pragma once

#include <memory>

#include "core/link/Transport.h"
#include "core/mavlink/Frame.h"
#include "standin/StandIn.h"
#include "standin/families/Aircraft.h"

namespace anhinga {

class LinkedStandIn {
  public:
    /// Fails as Transport::open() does. `options.clock` is the world's.
    static Result<std::unique_ptr<LinkedStandIn>> open(const LinkAddress& address, StandInOptions options,
                                                       const LinkConditions& conditions = {},
                                                       const LinkWorld& world = {});
    /// One of a real autopilot family.
    static Result<std::unique_ptr<LinkedStandIn>> open(const LinkAddress& address, families::AircraftOptions options,
                                                       const LinkConditions& conditions = {},
                                                       const LinkWorld& world = {},
                                                       const CompanionOptions& companions = {});
    ~LinkedStandIn();
    LinkedStandIn(const LinkedStandIn&) = delete;
    /// Our own; not to be called for one of a real family.
    StandIn& standin() { return *standin_; }
    families::Aircraft& aircraft() { return *aircraft_; }
    /// Null: it flies alone.
    Companions* companions() { return companions_.get(); }

  private:
    LinkedStandIn() = default;
    Result<void> connect(const LinkAddress& address, const LinkConditions& conditions, const LinkWorld& world);
    void accompany(const CompanionOptions& options, int system);
    /// What the vehicle says; its companions hear it first.
    void say(const mavlink::Message& message);
    void send(const mavlink::Message& message);
    void run(const std::stop_token& stop, Clock& clock, LinkConditions conditions, const Faults& faults, double pace);

    std::unique_ptr<SimulatedVehicle> vehicle_;
    std::unique_ptr<Companions> companions_;
    StandIn* standin_ = nullptr;
    families::Aircraft* aircraft_ = nullptr;
    mavlink::Parser parser_;
    std::mutex mutex_;  // of transport_, while it is made
    std::unique_ptr<Transport> transport_;
    Worker time_;
};

}  // namespace anhinga
