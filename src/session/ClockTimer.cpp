#include "session/ClockTimer.h"

namespace anhinga {

ClockTimer::ClockTimer(Clock& clock, int interval_ms, QObject* parent)
    : QObject(parent), clock_(clock), interval_ms_(interval_ms) {
    timer_.setSingleShot(true);
    connect(&timer_, &QTimer::timeout, this, &ClockTimer::fire);
}

ClockTimer::~ClockTimer() {
    stop();
}

void ClockTimer::start() {
    stop();
    active_ = true;
    arrange();
}

void ClockTimer::stop() {
    active_ = false;
    ++started_;
    timer_.stop();
    if (call_) clock_.forget(*call_);
    call_.reset();
}

void ClockTimer::arrange() {
    // The clock may call on any thread; what is due is done on ours, unless it was stopped or begun anew meanwhile.
    call_ = clock_.call(clock_.now_s() + interval_ms_ * 0.001, [this, started = started_] {
        mail_.post([this, started] {
            if (started == started_) fire();
        });
    });
    if (!call_) timer_.start(interval_ms_);
}

void ClockTimer::fire() {
    call_.reset();
    if (single_)
        active_ = false;
    else
        arrange();
    emit timeout();
}

}  // namespace anhinga
