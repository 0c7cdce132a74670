// Bytes to and from a vehicle over UDP, TCP or a serial line, on a thread of its own. A TCP client and a serial line
// reconnect by themselves. A bad link can be played, and changed while it runs.
#pragma once

#include <cstdint>
#include <functional>
#include <memory>
#include <span>
#include <string>

#include "core/base/Clock.h"
#include "core/link/Address.h"

namespace anhinga {

/// Applied to every packet in both directions. Shares are 0..1.
struct LinkConditions {
    double loss = 0, duplicate = 0;
    int latency_ms = 0;
    unsigned seed = 1;
    double reorder = 0;      // held back until later ones have passed
    double corrupt = 0;      // one byte is changed
    double bytes_per_s = 0;  // what each direction carries; 0: no limit. What waits longer than a second is dropped
    bool cut = false;        // nothing passes
};

class Transport {
  public:
    /// Called on the transport's thread. `from` tells senders of datagrams apart; 0 where there is but one.
    using Receiver = std::function<void(std::span<const std::uint8_t>, std::uint64_t from)>;
    /// Fails at once for an address that cannot be used (unknown host, port taken). A serial device that is not there
    /// is an error too; one that goes away later is waited for.
    static Result<std::unique_ptr<Transport>> open(const LinkAddress& address, Receiver receiver,
                                                   const LinkConditions& conditions = {});
    virtual ~Transport() = default;
    /// From any thread; what cannot be delivered is dropped, as on a radio.
    virtual void send(std::string bytes) = 0;
    /// From any thread; holds from the next packet on. What is on its way arrives as before.
    virtual void setConditions(const LinkConditions& conditions) = 0;
};

/// What a link lives in: the clock it goes by and what opens its address. The machine's, or a world played in tests.
struct LinkWorld {
    Clock* clock = &Clock::machine();
    std::function<Result<std::unique_ptr<Transport>>(const LinkAddress&, Transport::Receiver, const LinkConditions&)>
        open = &Transport::open;
};

}  // namespace anhinga
