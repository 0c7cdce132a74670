// A timer of an event loop that goes by a clock: the machine's, or one that is played.
#pragma once

#include <QObject>
#include <QTimer>
#include <optional>

#include "core/base/Clock.h"
#include "session/Mailbox.h"

namespace anhinga {

class ClockTimer : public QObject {
    Q_OBJECT
  public:
    ClockTimer(Clock& clock, int interval_ms, QObject* parent = nullptr);
    ~ClockTimer() override;
    void setSingleShot(bool on) { single_ = on; }
    /// From now; one that runs begins anew.
    void start();
    void stop();
    bool isActive() const { return active_; }

  signals:
    void timeout();

  private:
    void arrange();
    void fire();

    Mailbox mail_;  // before what the clock calls
    Clock& clock_;
    int interval_ms_;
    bool single_ = false, active_ = false;
    QTimer timer_;                       // where the clock does not call
    std::optional<std::uint64_t> call_;  // where it does
    quint64 started_ = 0;
};

}  // namespace anhinga
