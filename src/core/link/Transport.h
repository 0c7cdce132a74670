// Bytes to and from a vehicle over UDP or TCP, on a thread of its own. A TCP client reconnects by itself.
// A bad link can be played: loss, latency and duplicates, from a seed.
#pragma once

#include <cstdint>
#include <functional>
#include <memory>
#include <span>
#include <string>

#include "core/link/Address.h"

namespace anhinga {

/// Applied to every packet in both directions.
struct LinkConditions {
    double loss = 0, duplicate = 0;  // shares, 0..1
    int latency_ms = 0;
    unsigned seed = 1;
};

class Transport {
  public:
    /// Called on the transport's thread.
    using Receiver = std::function<void(std::span<const std::uint8_t>)>;
    /// Fails at once for an address that cannot be used (unknown host, port taken).
    static Result<std::unique_ptr<Transport>> open(const LinkAddress& address, Receiver receiver,
                                                   const LinkConditions& conditions = {});
    virtual ~Transport() = default;
    /// From any thread; what cannot be delivered is dropped, as on a radio.
    virtual void send(std::string bytes) = 0;
};

}  // namespace anhinga
