// Where a test plays: virtual time and a net without sockets. With ANHINGA_REAL set, the machine's clock and sockets:
// the same tests with threads that really meet, for who looks for races.
#pragma once

#include <cstdlib>

#include "support.h"
#include "world/VirtualNet.h"

namespace anhinga::testing {

class World {
  public:
    World() {
        if (std::getenv("ANHINGA_REAL") == nullptr) played_ = std::make_unique<VirtualWorld>();
    }
    bool played() const { return played_ != nullptr; }
    Clock& clock() { return played_ ? static_cast<Clock&>(played_->clock) : Clock::machine(); }
    LinkWorld world() { return played_ ? played_->world() : LinkWorld{}; }
    int port() { return played_ ? played_->net.freePort() : freePort(); }
    void sleep(double seconds) { clock().sleep(seconds); }
    /// Done after so long, beside whatever is done then.
    void later(double seconds, std::function<void()> work) {
        if (played_) {
            played_->clock.call(played_->clock.now_s() + seconds, std::move(work));
        } else {
            later_.push_back(clock().start([seconds, work](const std::stop_token& stop) {
                Clock::machine().sleep(seconds, stop);
                if (!stop.stop_requested()) work();
            }));
        }
    }
    /// Lets time pass until `done`, at most so long; what it says then.
    bool until(double seconds, const std::function<bool()>& done) {
        const double end_s = clock().now_s() + seconds * (played_ ? 1 : kSlower);
        while (!done()) {
            if (clock().now_s() >= end_s) return false;
            sleep(0.01);
        }
        return true;
    }
    /// Seconds since then; none in real time, where only the machine knows how long it takes.
    double since(double start_s) { return played_ ? clock().now_s() - start_s : 0; }

  private:
    static constexpr double kSlower = 10;  // a machine that looks for races takes its time
    std::unique_ptr<VirtualWorld> played_;
    std::vector<Worker> later_;
};

}  // namespace anhinga::testing
