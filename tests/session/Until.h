// Waiting for something with the event loop running; where a world is played, its time passes meanwhile.
#pragma once

#include <QElapsedTimer>
#include <QTimer>
#include <QtTest/QtTest>
#include <functional>

#include "standin/LinkedStandIn.h"
#include "world/VirtualNet.h"

namespace anhinga::testing {

/// Time of a played world passes while the event loop runs, also in dialogs: some twenty times as fast as the real one,
/// so that what is computed beside it keeps up.
class PlayedWorld : public VirtualWorld {
  public:
    PlayedWorld() {
        now_ = this;
        constexpr int kEvery_ms = 4, kFaster = 20;
        QObject::connect(&timer_, &QTimer::timeout, &timer_,
                         [this] { clock.sleep(0.001 * kEvery_ms * (net.inUse() ? kFaster : 1)); });
        timer_.start(kEvery_ms);
    }
    ~PlayedWorld() { now_ = nullptr; }
    /// The one that is played at the moment, if any.
    static PlayedWorld* now() { return now_; }

    /// A stand-in that speaks to that port.
    template <class Options>  // of our own, or of a family's
    std::unique_ptr<LinkedStandIn> standin(int port, Options options) {
        auto opened = LinkedStandIn::open({LinkKind::udp, "127.0.0.1", port}, std::move(options), {}, world());
        return opened ? std::move(*opened) : nullptr;
    }

  private:
    QTimer timer_;
    inline static PlayedWorld* now_ = nullptr;
};

/// True as soon as `done` holds. It has so many milliseconds, of the real time and of the played one; more where the
/// thread sanitizer makes all slow.
inline bool until(int ms, const std::function<bool()>& done) {
#ifdef __SANITIZE_THREAD__
    ms *= 4;
#endif
    const PlayedWorld* played = PlayedWorld::now();
    const double end_s = played != nullptr ? played->clock.now_s() + ms * 0.001 : 0;
    QElapsedTimer t;
    t.start();
    while (!done()) {
        if (t.elapsed() >= ms && (played == nullptr || played->clock.now_s() >= end_s)) return done();
        QTest::qWait(played != nullptr ? 4 : 15);
    }
    return true;
}

/// Options of a stand-in at the place of rowPlan(), with a fault ("NAME" or "NAME@SECONDS"; empty: none).
inline StandInOptions standInAt(GeoPoint home, double amsl_m, double pace = 1, const std::string& fault = {}) {
    StandInOptions o;
    o.home = home;
    o.home_amsl_m = amsl_m;
    o.pace = pace;
    if (!fault.empty() && !o.faults.add(fault)) throw std::invalid_argument(fault);
    return o;
}

}  // namespace anhinga::testing
