// A stand-in at its end of a link; its time passes by the clock of the world the link is in.
#pragma once

#include <memory>

#include "core/link/Transport.h"
#include "core/mavlink/Frame.h"
#include "standin/StandIn.h"

namespace anhinga {

class LinkedStandIn {
  public:
    /// Fails as Transport::open() does. `options.clock` is the world's.
    static Result<std::unique_ptr<LinkedStandIn>> open(const LinkAddress& address, StandInOptions options,
                                                       const LinkConditions& conditions = {},
                                                       const LinkWorld& world = {});
    ~LinkedStandIn();
    LinkedStandIn(const LinkedStandIn&) = delete;
    StandIn& standin() { return *standin_; }

  private:
    LinkedStandIn() = default;
    void run(const std::stop_token& stop, Clock& clock, LinkConditions conditions, const StandInOptions& options);

    std::unique_ptr<StandIn> standin_;
    mavlink::Parser parser_;
    std::mutex mutex_;  // of transport_, while it is made
    std::unique_ptr<Transport> transport_;
    Worker time_;
};

}  // namespace anhinga
