#include "core/link/BlockWindow.h"

#include <algorithm>
#include <cmath>

namespace anhinga {

BlockWindow::BlockWindow(std::vector<bool> present, double round_trip_s) : time_(round_trip_s) {
    state_.reserve(present.size());
    first_s_.assign(present.size(), 0);
    for (const bool there : present) {
        state_.push_back(there ? have : none);
        missing_ += there ? 0 : 1;
    }
}

void BlockWindow::expire(double now_s) {
    // Answers may overtake each other; half as long again as usual is patience enough.
    const double wait_s = 1.5 * time_.wait_s();
    while (!asked_.empty()) {
        const Asked a = asked_.front();
        if (state_[a.block] == have) {
            asked_.pop_front();
            continue;
        }
        if (now_s - a.at_s < wait_s) break;
        asked_.pop_front();
        state_[a.block] = none;
        --under_way_;
        ++lost_;
        again_.push_back(a.block);
    }
}

void BlockWindow::adapt(double now_s) {
    constexpr double kBadShare = 0.3;
    constexpr std::size_t kLeast = 4, kMost = 4096;
    if (now_s - epoch_s_ < std::max(0.02, time_.wait_s())) return;
    const std::size_t all = came_ + lost_;
    if (all >= 4) {
        if (static_cast<double>(lost_) > kBadShare * static_cast<double>(all)) {
            window_ = std::max(kLeast, window_ * 2 / 3);
            time_.missed();  // answers may take longer than was thought
        } else if (latest_s_ > 3 * shortest_s_ + 0.05) {
            window_ = std::max(kLeast, window_ * 7 / 8);  // it only queues somewhere
        } else if (full_) {
            window_ = std::min(kMost, window_ + window_ / 2);
        }
    }
    epoch_s_ = now_s;
    came_ = lost_ = 0;
    full_ = false;
}

std::optional<std::size_t> BlockWindow::toAsk(double now_s) {
    expire(now_s);
    adapt(now_s);
    if (under_way_ >= window_) {
        full_ = true;
        return std::nullopt;
    }
    while (!again_.empty() && state_[again_.front()] != none) again_.pop_front();
    std::size_t block = 0;
    if (!again_.empty()) {
        block = again_.front();
        again_.pop_front();
    } else {
        while (next_ < state_.size() && state_[next_] != none) ++next_;
        if (next_ == state_.size()) return std::nullopt;
        block = next_++;
    }
    state_[block] = asked;
    first_s_[block] = first_s_[block] == 0 ? now_s : NAN;
    ++under_way_;
    asked_.push_back({block, now_s});
    return block;
}

bool BlockWindow::arrived(std::size_t block, double now_s) {
    if (block >= state_.size() || state_[block] == have) return false;
    if (state_[block] == asked) {
        --under_way_;
        ++came_;
    }
    // Of a block that was asked for again it is not known which question was answered (Karn's rule). One that is only
    // late tells how long to wait.
    if (first_s_[block] > 0) {
        latest_s_ = now_s - first_s_[block];
        shortest_s_ = std::min(shortest_s_, latest_s_);
        time_.answered(latest_s_);
    }
    state_[block] = have;
    --missing_;
    return true;
}

}  // namespace anhinga
