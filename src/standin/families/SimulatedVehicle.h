// A vehicle that is simulated at its end of a link.
#pragma once

#include <span>
#include <string>

#include "core/mavlink/Messages.h"

namespace anhinga {

/// hear() is called from the link's thread, advance() from the clock's.
class SimulatedVehicle {
  public:
    virtual ~SimulatedVehicle() = default;
    /// What has come over the link.
    virtual void hear(const mavlink::Message& message, std::span<const std::uint8_t> frame) = 0;
    /// A message of its own as it travels.
    virtual std::string frame(const mavlink::Message& message) = 0;
    /// Lets `seconds` of wall time pass.
    virtual void advance(double seconds) = 0;
};

}  // namespace anhinga
