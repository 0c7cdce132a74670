// Where the time comes from for all that talks with an aircraft, and how its threads begin, wait and end: by the
// machine's clock, or in tests by one that passes as soon as nobody has anything left to do.
#pragma once

#include <atomic>
#include <condition_variable>
#include <cstdint>
#include <functional>
#include <mutex>
#include <optional>
#include <stop_token>
#include <thread>

namespace anhinga {

/// What is rung when something has changed that others may wait for. It belongs to whoever owns the mutex it goes with.
class Bell {
  public:
    /// Call it after the change, with or without the mutex held.
    void ring() {
        ++count_;
        rung_.notify_all();
    }

  private:
    friend class Clock;
    std::condition_variable_any rung_;
    std::atomic<std::uint64_t> count_{0};
};

/// A thread that is asked to stop and waited for when this is destroyed or overwritten, as a std::jthread.
class Worker {
  public:
    Worker() = default;
    Worker(std::jthread thread, std::function<void()> before_join)
        : thread_(std::move(thread)), before_join_(std::move(before_join)) {}
    ~Worker() { end(); }
    Worker(Worker&& other) noexcept = default;
    Worker& operator=(Worker&& other) noexcept;
    void requestStop() { thread_.request_stop(); }
    void end();

  private:
    std::jthread thread_;
    std::function<void()> before_join_;
};

class Clock {
  public:
    virtual ~Clock() = default;
    /// Seconds since some moment; never goes back.
    virtual double now_s() const = 0;
    double now_ms() const { return now_s() * 1000; }
    /// Seconds since 1970, UTC.
    virtual double unix_s() const = 0;

    /// Waits until `done`, which is looked at now and whenever the bell has rung, with `lock` held. What it says at
    /// the end: at `until_s` of this clock at the latest, or on stop.
    virtual bool wait(Bell& bell, std::unique_lock<std::mutex>& lock, double until_s, const std::stop_token& stop,
                      const std::function<bool()>& done) = 0;
    /// Ends early on stop.
    virtual void sleep(double seconds, const std::stop_token& stop = {}) = 0;
    virtual Worker start(std::function<void(const std::stop_token&)> work) = 0;

    /// Has `work` done at that time, on any thread that waits on this clock. Nothing when this clock does not do such
    /// a thing (the machine's does not): there an event loop's timers serve.
    virtual std::optional<std::uint64_t> call(double at_s, std::function<void()> work) {
        (void)at_s, (void)work;
        return std::nullopt;
    }
    virtual void forget(std::uint64_t call) { (void)call; }

    /// The machine's.
    static Clock& machine();

  protected:
    static std::condition_variable_any& conditionOf(Bell& bell) { return bell.rung_; }
    static std::uint64_t ringsOf(const Bell& bell) { return bell.count_; }
};

}  // namespace anhinga
