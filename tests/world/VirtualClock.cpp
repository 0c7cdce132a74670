#include "world/VirtualClock.h"

#include <algorithm>
#include <cmath>
#include <cstdio>
#include <cstdlib>
#include <limits>

namespace anhinga::testing {

namespace {
constexpr std::int64_t kNever = std::numeric_limits<std::int64_t>::max();
constexpr std::int64_t kStart_ns = 1'000'000'000'000;

/// Each world begins a day after the one before, so that what is kept of several stands in its order.
double nextDay_unix_s() {
    static std::atomic<int> days{0};
    return 1.77e9 + 86400.0 * days++;
}

/// Rounded up: whoever waits so long has waited at least that long.
std::int64_t ns(double seconds) {
    return seconds < 9e9 ? static_cast<std::int64_t>(std::ceil(seconds * 1e9)) : kNever;
}

[[noreturn]] void give_up(const char* why) {
    std::fprintf(stderr, "virtual time: %s\n", why);
    std::abort();
}
}  // namespace

unsigned testSeed() {
    const char* text = std::getenv("ANHINGA_SEED");
    return text != nullptr ? static_cast<unsigned>(std::strtoul(text, nullptr, 10)) : 1;
}

VirtualClock::VirtualClock(unsigned seed)
    : start_unix_s_(nextDay_unix_s()), now_ns_(kStart_ns), random_(seed), running_(std::this_thread::get_id()) {}

VirtualClock::~VirtualClock() {
    if (threads_ != 0) give_up("a thread outlives its clock");
}

double VirtualClock::unix_s() const {
    return start_unix_s_ + static_cast<double>(now_ns_.load() - kStart_ns) * 1e-9;
}

double VirtualClock::chance() {
    const std::lock_guard lock(mutex_);
    return std::uniform_real_distribution<double>(0, 1)(random_);
}

bool VirtualClock::wait(Bell& bell, std::unique_lock<std::mutex>& lock, double until_s, const std::stop_token& stop,
                        const std::function<bool()>& done) {
    const std::int64_t until_ns = ns(until_s);
    while (true) {
        const std::uint64_t rings = ringsOf(bell);
        if (done()) return true;
        if (stop.stop_requested() || now_ns_ >= until_ns) return false;
        Waiter waiter;
        waiter.until_ns = until_ns;
        waiter.bell = &bell;
        waiter.rings = rings;
        waiter.stop = stop;
        lock.unlock();
        waitFor(waiter);
        lock.lock();
    }
}

void VirtualClock::sleep(double seconds, const std::stop_token& stop) {
    if (stop.stop_requested()) return;
    Waiter waiter;
    waiter.until_ns = now_ns_ + std::max<std::int64_t>(1, ns(seconds));
    waiter.stop = stop;
    waitFor(waiter);
}

bool VirtualClock::ready(const Waiter& w) {
    return (w.bell != nullptr && ringsOf(*w.bell) != w.rings) || w.stop.stop_requested();
}

void VirtualClock::waitFor(Waiter& waiter) {
    std::unique_lock lock(mutex_);
    if (running_ != std::this_thread::get_id()) give_up("a thread that was not started by the clock waits on it");
    waiters_.push_back(&waiter);
    handOn(lock);
    waiter.turn.wait(lock, [&] { return waiter.go; });
    running_ = std::this_thread::get_id();
}

/// Lets the next one run; what is to be called meanwhile is called here.
void VirtualClock::handOn(std::unique_lock<std::mutex>& lock) {
    int idle = 0;
    while (true) {
        std::vector<Waiter*> next;
        for (Waiter* w : waiters_)
            if (ready(*w)) next.push_back(w);
        if (next.empty()) {
            std::int64_t soonest = calls_.empty() ? kNever : calls_.begin()->first.first;
            for (const Waiter* w : waiters_) soonest = std::min(soonest, w->until_ns);
            if (soonest == kNever) {
                // Only somebody outside can help: a bell rung, or a stop, by a thread that is not ours.
                constexpr int kPatience = 10000;
                if (++idle > kPatience) give_up("all wait, and nothing will ever happen");
                lock.unlock();
                std::this_thread::sleep_for(std::chrono::milliseconds(1));
                lock.lock();
                continue;
            }
            now_ns_ = std::max(now_ns_.load(), soonest);
            for (Waiter* w : waiters_)
                if (w->until_ns <= now_ns_) next.push_back(w);
            const bool call = !calls_.empty() && calls_.begin()->first.first <= now_ns_;
            if (call && random_() % (next.size() + 1) == 0) {
                auto work = std::move(calls_.begin()->second);
                calls_.erase(calls_.begin());
                lock.unlock();
                work();
                lock.lock();
                continue;
            }
        }
        if (next.empty()) continue;
        Waiter* chosen = next[random_() % next.size()];
        std::erase(waiters_, chosen);
        chosen->go = true;
        chosen->turn.notify_one();
        return;
    }
}

Worker VirtualClock::start(std::function<void(const std::stop_token&)> work) {
    struct End {
        std::mutex mutex;
        Bell bell;
        bool over = false;
        Waiter begin;
    };
    const auto end = std::make_shared<End>();
    {
        const std::lock_guard lock(mutex_);
        ++threads_;
        end->begin.until_ns = now_ns_;
        waiters_.push_back(&end->begin);
    }
    std::jthread thread([this, end, work = std::move(work)](const std::stop_token& stop) mutable {
        {
            std::unique_lock lock(mutex_);
            end->begin.turn.wait(lock, [&] { return end->begin.go; });
            running_ = std::this_thread::get_id();
        }
        work(stop);
        work = {};
        {
            const std::lock_guard lock(end->mutex);
            end->over = true;
        }
        end->bell.ring();
        std::unique_lock lock(mutex_);
        --threads_;
        handOn(lock);
    });
    return {std::move(thread), [this, end] {
                {
                    // Whoever does not go by this clock simply joins.
                    const std::lock_guard lock(mutex_);
                    if (running_ != std::this_thread::get_id()) return;
                }
                std::unique_lock lock(end->mutex);
                wait(end->bell, lock, 1e10, {}, [&] { return end->over; });
            }};
}

std::optional<std::uint64_t> VirtualClock::call(double at_s, std::function<void()> work) {
    const std::lock_guard lock(mutex_);
    const std::uint64_t id = ++call_count_;
    calls_.emplace(std::pair(ns(at_s), id), std::move(work));
    return id;
}

void VirtualClock::forget(std::uint64_t call) {
    const std::lock_guard lock(mutex_);
    std::erase_if(calls_, [call](const auto& c) { return c.first.second == call; });
}

}  // namespace anhinga::testing
