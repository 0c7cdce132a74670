// Which blocks of a file to ask for next: many at a time, those that do not come again, never more than the link
// carries. Knows nothing of messages; times are seconds of any steady clock.
#pragma once

#include <cstddef>
#include <deque>
#include <optional>
#include <vector>

#include "core/link/Conversation.h"

namespace anhinga {

class BlockWindow {
  public:
    /// `have`: one entry a block, true where it is already there. `round_trip_s`: a first guess.
    BlockWindow(std::vector<bool> have, double round_trip_s);

    /// A block to ask for now; nothing while as many as the link carries are under way, or when all are there.
    std::optional<std::size_t> toAsk(double now_s);
    /// A block has come, asked for or not. False when it was there already.
    bool arrived(std::size_t block, double now_s);
    bool complete() const { return missing_ == 0; }
    std::size_t missing() const { return missing_; }
    std::size_t window() const { return window_; }
    bool has(std::size_t block) const { return state_[block] == have; }

  private:
    enum State : unsigned char { none, asked, have };
    struct Asked {
        std::size_t block;
        double at_s;
    };
    void expire(double now_s);
    void adapt(double now_s);

    std::vector<State> state_;
    std::vector<double> first_s_;  // when a block was asked for; not a number when it was asked for again
    std::size_t missing_ = 0, next_ = 0, under_way_ = 0, window_ = 32;
    std::deque<Asked> asked_;
    std::deque<std::size_t> again_;
    AnswerTime time_;
    double shortest_s_ = 1e9, latest_s_ = 0, epoch_s_ = -1e9;
    std::size_t came_ = 0, lost_ = 0;
    bool full_ = false;
};

}  // namespace anhinga
