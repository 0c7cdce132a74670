#include "core/base/Clock.h"

#include <chrono>

#include "core/base/Text.h"

namespace anhinga {

Worker& Worker::operator=(Worker&& other) noexcept {
    if (this == &other) return *this;
    end();
    thread_ = std::move(other.thread_);
    before_join_ = std::move(other.before_join_);
    return *this;
}

void Worker::end() {
    if (!thread_.joinable()) return;
    thread_.request_stop();
    if (before_join_) before_join_();
    thread_.join();
}

namespace {

class MachineClock : public Clock {
  public:
    double now_s() const override { return monotonicMs() / 1000; }
    double unix_s() const override { return unixNow(); }
    bool wait(Bell& bell, std::unique_lock<std::mutex>& lock, double until_s, const std::stop_token& stop,
              const std::function<bool()>& done) override {
        return conditionOf(bell).wait_for(lock, stop, std::chrono::duration<double>(until_s - now_s()), done);
    }
    void sleep(double seconds, const std::stop_token& stop) override {
        if (!stop.stop_possible()) return std::this_thread::sleep_for(std::chrono::duration<double>(seconds));
        std::mutex mutex;
        std::condition_variable_any never;
        // cppcheck-suppress localMutex  ; only there for the timed wait
        std::unique_lock lock(mutex);
        never.wait_for(lock, stop, std::chrono::duration<double>(seconds), [] { return false; });
    }
    Worker start(std::function<void(const std::stop_token&)> work) override {
        return {std::jthread([w = std::move(work)](const std::stop_token& stop) { w(stop); }), {}};
    }
};

}  // namespace

Clock& Clock::machine() {
    static MachineClock clock;
    return clock;
}

}  // namespace anhinga
