// Time that passes as soon as all who go by it wait for it. Its threads are real ones, of which one at a time runs;
// where several could go on, a seed decides, so that what happens once with a seed happens again with it.
#pragma once

#include <map>
#include <random>
#include <thread>
#include <vector>

#include "core/base/Clock.h"

namespace anhinga::testing {

/// Of this run of the tests: ANHINGA_SEED, else 1.
unsigned testSeed();

class VirtualClock : public Clock {
  public:
    /// The thread that makes it is the first that goes by it, and the one that runs.
    explicit VirtualClock(unsigned seed = testSeed());
    ~VirtualClock() override;

    double now_s() const override { return static_cast<double>(now_ns_.load()) * 1e-9; }
    double unix_s() const override;
    bool wait(Bell& bell, std::unique_lock<std::mutex>& lock, double until_s, const std::stop_token& stop,
              const std::function<bool()>& done) override;
    void sleep(double seconds, const std::stop_token& stop = {}) override;
    Worker start(std::function<void(const std::stop_token&)> work) override;
    std::optional<std::uint64_t> call(double at_s, std::function<void()> work) override;
    void forget(std::uint64_t call) override;
    /// 0..1, from the seed.
    double chance();

  private:
    struct Waiter {
        std::int64_t until_ns = 0;
        Bell* bell = nullptr;
        std::uint64_t rings = 0;
        std::stop_token stop;
        bool go = false;
        std::condition_variable turn;
    };
    void waitFor(Waiter& waiter);
    void handOn(std::unique_lock<std::mutex>& lock);
    static bool ready(const Waiter& waiter);

    std::mutex mutex_;
    const double start_unix_s_;
    std::atomic<std::int64_t> now_ns_;
    std::mt19937 random_;
    std::vector<Waiter*> waiters_;
    std::map<std::pair<std::int64_t, std::uint64_t>, std::function<void()>> calls_;
    std::uint64_t call_count_ = 0;
    std::thread::id running_;
    int threads_ = 0;
};

}  // namespace anhinga::testing
