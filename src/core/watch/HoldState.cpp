#include "core/watch/HoldState.h"

namespace anhinga {

const char* holdText(HoldState state) {
    switch (state) {
        case HoldState::drawn:
            return "kept here, not sent";
        case HoldState::sent:
            return "sent, not read back";
        case HoldState::confirmed:
            return "confirmed";
        case HoldState::stored:
            return "stored for power-off";
        case HoldState::active:
            return "being flown";
    }
    return "";
}

std::vector<HoldState> holdStates(const HoldInput& in) {
    std::vector<HoldState> out(in.program.entries(), HoldState::drawn);
    const auto same = in.held != nullptr ? in.held->agreeing(in.program) : std::vector<bool>(out.size(), false);
    for (std::size_t i = 0; i < out.size(); ++i) {
        if (i < in.sent) out[i] = HoldState::sent;
        if (!same[i]) continue;
        out[i] = in.stored ? HoldState::stored : HoldState::confirmed;
        if (in.flown && *in.flown == static_cast<int>(i)) out[i] = HoldState::active;
    }
    return out;
}

std::optional<int> firstChangeable(std::optional<int> flown, int ahead) {
    if (ahead <= 0) return std::nullopt;
    return flown ? *flown + ahead : 0;
}

}  // namespace anhinga
