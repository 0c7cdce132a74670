#include "core/flight/Executor.h"

namespace anhinga {

Executor::Executor(std::vector<MissionItem> items, bool item0_is_home, bool rearm)
    : items_(std::move(items)), rearm_(rearm), next_(item0_is_home ? 1 : 0) {}

int Executor::repeatsDone(std::size_t seq) const {
    const auto at = repeats_.find(seq);
    return at == repeats_.end() ? 0 : at->second;
}

std::optional<std::size_t> Executor::advance() {
    // A ring of repeats with nothing to fly in it would never end: after as many steps as the list allows, it has
    // ended.
    std::size_t budget = 4 * items_.size() + 16;
    while (next_ < items_.size() && budget-- > 0) {
        const std::size_t seq = next_++;
        const MissionItem& item = items_[seq];
        if (isNavigation(item.command)) {
            ++visits_[seq];
            return current_ = seq;
        }
        switch (item.command) {
            case cmd::jump: {
                int& done = repeats_[seq];
                const auto count = static_cast<int>(item.param2);
                if (count < 0 || done < count) {
                    done += count < 0 && done > 1000000 ? 0 : 1;
                    next_ = static_cast<std::size_t>(std::max(0.0f, item.param1));
                } else if (rearm_) {
                    done = 0;
                }
                break;
            }
            case cmd::changeSpeed:
                if (item.param2 > 0) speed_mps = static_cast<double>(item.param2);
                break;
            case cmd::lookAt:
                look_at = item;
                break;
            case cmd::lookAtStop:
                look_at.reset();
                break;
            case cmd::mountControl:
                gimbal_pitch_deg = static_cast<double>(item.param1);
                break;
            case cmd::photoDistance:
                photo_distance_m = static_cast<double>(item.param1);
                if (item.param1 > 0 && item.param3 == 1) ++photos_due;
                break;
            case cmd::photoNow:
                ++photos_due;
                break;
            default:
                break;
        }
    }
    current_.reset();
    return std::nullopt;
}

std::optional<std::size_t> Executor::peek() const {
    Executor ahead = *this;
    return ahead.advance();
}

}  // namespace anhinga
