#include "core/flight/Executor.h"

namespace anhinga {

Executor::Executor(std::vector<MissionItem> items, bool item0_is_home, bool rearm)
    : items_(std::make_shared<const std::vector<MissionItem>>(std::move(items))),
      rearm_(rearm),
      next_(item0_is_home ? 1 : 0) {}

int Executor::repeatsDone(std::size_t seq) const {
    const auto at = repeats_.find(seq);
    return at == repeats_.end() ? 0 : at->second;
}

std::optional<std::size_t> Executor::advance() {
    // A heading holds for the leg after it; a wait on the way does not use it up.
    if (!current_ || items()[*current_].command != cmd::delay) heading_deg.reset();
    current_ = walk(next_, repeats_, this);
    if (current_) ++visits_[*current_];
    return current_;
}

std::optional<std::size_t> Executor::peek() const {
    std::size_t next = next_;
    Counters repeats = repeats_;
    return walk(next, repeats, nullptr);
}

std::optional<std::size_t> Executor::walk(std::size_t& next, Counters& repeats, Executor* actor) const {
    // A ring of repeats with nothing to fly in it would never end: after as many steps as the list allows, it has
    // ended.
    std::size_t budget = 4 * items().size() + 16;
    while (next < items().size() && budget-- > 0) {
        const std::size_t seq = next++;
        const MissionItem& item = items()[seq];
        if (isNavigation(item.command)) return seq;
        if (item.command == cmd::jump) {
            int& done = repeats[seq];
            const auto count = static_cast<int>(item.param2);
            if (count < 0 || done < count) {
                done += count < 0 && done > 1000000 ? 0 : 1;
                next = static_cast<std::size_t>(std::max(0.0f, item.param1));
            } else if (rearm_) {
                done = 0;
            }
        } else if (actor != nullptr) {
            actor->act(item);
        }
    }
    return std::nullopt;
}

void Executor::act(const MissionItem& item) {
    switch (item.command) {
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
        case cmd::heading:
            heading_deg = static_cast<double>(item.param1);
            break;
        case cmd::photoDistance:
            photo_distance_m = static_cast<double>(item.param1);
            if (item.param1 > 0 && item.param3 == 1) ++photos_due;
            break;
        case cmd::photoInterval:
            photo_interval_s = std::max(0.0, static_cast<double>(item.param2));
            ++photos_due;
            break;
        case cmd::photoStop:
            photo_interval_s = 0;
            break;
        case cmd::photoNow:
            ++photos_due;
            break;
        case cmd::videoStart:
            video = true;
            break;
        case cmd::videoStop:
            video = false;
            break;
        default:
            break;
    }
}

}  // namespace anhinga
