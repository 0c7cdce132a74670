#include "core/link/PlayedLine.h"

#include <algorithm>

namespace anhinga {

bool PlayedLine::good() const {
    const LinkConditions& c = conditions_;
    return !c.cut && c.loss <= 0 && c.duplicate <= 0 && c.reorder <= 0 && c.corrupt <= 0 && c.latency_ms <= 0 &&
           c.bytes_per_s <= 0;
}

std::vector<PlayedLine::Arrival> PlayedLine::play(const std::string& bytes, Way way, double now_s) {
    const LinkConditions& c = conditions_;
    std::vector<Arrival> out;
    if (c.cut || chance(c.loss)) return out;
    const int copies = chance(c.duplicate) ? 2 : 1;
    for (int i = 0; i < copies; ++i) {
        std::string copy = bytes;
        if (!copy.empty() && chance(c.corrupt)) copy[random_() % copy.size()] ^= static_cast<char>(1 + random_() % 255);
        double at_s = now_s;
        if (c.bytes_per_s > 0) {
            constexpr double kLongestQueue_s = 1;
            double& free_s = free_s_[way];
            free_s = std::max(free_s, now_s);
            if (free_s - now_s > kLongestQueue_s) continue;
            free_s += static_cast<double>(copy.size()) / c.bytes_per_s;
            at_s = free_s;
        }
        at_s += c.latency_ms * 0.001;
        if (chance(c.reorder)) at_s += 0.001 * static_cast<double>(5 + random_() % 40);
        out.push_back({at_s, std::move(copy)});
    }
    return out;
}

}  // namespace anhinga
