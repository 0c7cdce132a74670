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

mavlink::Message addressed(std::string_view name, const VehicleSnapshot& vehicle) {
    return mavlink::Message(name).set("target_system", vehicle.system).set("target_component", vehicle.component);
}

Error silent(const TransferOptions& options, const std::string& what) {
    return {fmt::format("the vehicle has not answered for {:.0f} s while {}; check the link and try again",
                        options.silence_s, what)};
}

}  // namespace anhinga
