#include "standin/Faults.h"

#include "core/base/Text.h"

namespace anhinga {

namespace {
constexpr const char *kJump = "gps-jump", *kJumpBefore = "gps-glitch";  // the older word is still understood
}

std::span<const FaultInfo> knownFaults() {
    static constexpr FaultInfo kFaults[] = {
        {"alter-item", "stores mission item 2 five metres higher than it was sent"},
        {"silent", "says and answers nothing from then on"},
        {"silent-transfer", "falls silent in the middle of a mission transfer"},
        {"lost-link", "neither hears nor says anything for 30 s; its lost-link action follows"},
        {"gps-jump", "the position it reports jumps 60 m away for 12 s"},
        {"gps-loss", "it no longer knows where it is: it lands where it drifts"},
        {"compass", "its compass is disturbed by a magnet: heading 35 degrees off, field too strong"},
        {"resonance", "something shakes: vibration and clipping"},
        {"motor-field", "the wires to its motors disturb its compass"},
        {"circling", "it circles while it holds its place (onboard log)"},
        {"swinging", "its roll swings after every change (onboard log)"},
        {"wrong-height", "its estimated height leaves the true one by 6 m and comes back (onboard log)"},
        {"tired-battery", "the battery's resistance is high and its capacity low (onboard log)"},
        {"weak-cell", "cell 3 of the battery sags (onboard log)"},
        {"weak-motor", "motor 2 works harder than the others (onboard log)"},
        {"worn-propellers", "its propellers are out of balance (onboard log)"},
        {"weak-battery", "the battery has a fifth of its charge left"},
        {"wind", "9 m/s more wind from the west"},
        {"motor-loss", "a motor fails in flight"},
        {"refuse-arm", "will not arm: its compasses disagree"},
        {"no-trigger", "the camera takes no photo"},
        {"full-memory", "no room for any mission item"},
        {"slow-radio", "the link carries 1200 bytes a second"},
        {"pilot-switch", "the pilot moves the mode switch of the transmitter to hold"},
        {"radio-lost", "the pilot's transmitter is no longer heard"}};
    return kFaults;
}

Result<void> Faults::add(const std::string& text) {
    const auto at = text.find('@');
    std::string name = text.substr(0, at);
    if (name == kJumpBefore) name = kJump;
    const auto after = at == std::string::npos ? std::optional(0.0) : parseNumber(text.substr(at + 1));
    for (const FaultInfo& f : knownFaults())
        if (name == f.name && after) {
            from_s_[name] = *after;
            return {};
        }
    return fail("fault \"{}\" is not known", text);
}

bool Faults::holds(const std::string& name, double now_s) const {
    return since(name, now_s) >= 0;
}

double Faults::since(const std::string& name, double now_s) const {
    const auto at = from_s_.find(name);
    return at == from_s_.end() ? -1 : now_s - at->second;
}

}  // namespace anhinga
