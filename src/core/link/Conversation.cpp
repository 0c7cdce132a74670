#include "core/link/Conversation.h"

namespace anhinga {

void AnswerTime::answered(double took_s) {
    if (!measured_) {
        mean_s_ = took_s;
        spread_s_ = took_s / 4;
        measured_ = true;
    } else {
        spread_s_ = 0.75 * spread_s_ + 0.25 * std::abs(took_s - mean_s_);
        mean_s_ = 0.875 * mean_s_ + 0.125 * took_s;
    }
    backoff_ = 1;
}

double AnswerTime::wait_s() const {
    constexpr double kLeast_s = 0.03, kMost_s = 3;
    return std::clamp((mean_s_ + std::max(0.02, 3 * spread_s_)) * backoff_, kLeast_s, kMost_s);
}

}  // namespace anhinga
