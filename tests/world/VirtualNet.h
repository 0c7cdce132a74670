// UDP and TCP of one machine, played on a virtual clock: addresses are opened as the real ones are, packets take a
// moment of virtual time, and no socket is used.
#pragma once

#include <map>
#include <memory>

#include "core/link/Transport.h"
#include "world/VirtualClock.h"

namespace anhinga::testing {

class VirtualNet {
  public:
    explicit VirtualNet(VirtualClock& clock) : clock_(clock) {}
    VirtualNet(const VirtualNet&) = delete;
    /// For whoever opens links: this clock and this net. Both outlive what is opened.
    LinkWorld world();
    /// Some link is open.
    bool inUse() const { return !ends_.empty(); }
    /// Ports nobody has used yet.
    int freePort() { return next_port_++; }

  private:
    class End;
    Result<std::unique_ptr<Transport>> open(const LinkAddress& address, Transport::Receiver receiver,
                                            const LinkConditions& conditions);
    void carry(int from, int to, std::string bytes);

    VirtualClock& clock_;
    std::map<int, End*> ends_;                      // by a number of its own
    std::map<std::pair<int, int>, double> last_s_;  // arrival on each way: none overtakes another
    int next_end_ = 1, next_port_ = 20000;
};

/// A clock and a net.
struct VirtualWorld {
    VirtualClock clock;
    VirtualNet net{clock};
    LinkWorld world() { return net.world(); }
    /// Lets time pass until `done`, at most so long; what it says then.
    bool until(double seconds, const std::function<bool()>& done) {
        const double end_s = clock.now_s() + seconds;
        while (!done()) {
            if (clock.now_s() >= end_s) return false;
            clock.sleep(0.01);
        }
        return true;
    }
};

}  // namespace anhinga::testing
