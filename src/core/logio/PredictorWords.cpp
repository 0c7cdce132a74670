#include "core/logio/PredictorWords.h"

#include <fmt/format.h>

#include "core/base/Modes.h"

namespace anhinga {

std::string predictorMode(std::uint32_t flags, bool navigates) {
    struct Bit {
        int bit;
        ModeKind kind;
    };
    // What flies it stands before how it is held level.
    constexpr Bit kNavigating[] = {{4, ModeKind::returnHome},   {11, ModeKind::mission}, {7, ModeKind::takeOff},
                                   {5, ModeKind::positionHold}, {12, ModeKind::cruise},  {3, ModeKind::heightHold},
                                   {8, ModeKind::manual},       {0, ModeKind::levelled}, {1, ModeKind::levelled}};
    constexpr Bit kSwitches[] = {{1, ModeKind::levelled}, {2, ModeKind::levelled}};
    if (navigates) {
        for (const Bit& b : kNavigating)
            if ((flags >> b.bit & 1) != 0) return modeWord(b.kind);
    } else {
        for (const Bit& b : kSwitches)
            if ((flags >> b.bit & 1) != 0) return modeWord(b.kind);
    }
    return modeWord(ModeKind::rate);
}

std::string navigationMode(int state) {
    struct Range {
        int from, to;
        ModeKind kind;
    };
    constexpr Range kStates[] = {
        {2, 3, ModeKind::heightHold}, {4, 7, ModeKind::positionHold}, {8, 16, ModeKind::returnHome},
        {17, 23, ModeKind::mission},  {24, 26, ModeKind::land},       {27, 30, ModeKind::takeOff},
        {31, 34, ModeKind::cruise},   {35, 35, ModeKind::mission},    {36, 36, ModeKind::returnHome}};
    for (const Range& r : kStates)
        if (state >= r.from && state <= r.to) return modeWord(r.kind);
    return state <= 1 ? std::string() : fmt::format("navigation {}", state);
}

std::string failsafePhase(int phase, bool navigates) {
    constexpr const char* kNavigating[] = {"",      "receiver lost", "receiver lost",       "returns home",
                                           "lands", "landed",        "receiver is watched", "receiver is back"};
    constexpr const char* kOther[] = {"",       "receiver lost",       "lands",
                                      "landed", "receiver is watched", "receiver is back"};
    if (phase <= 0) return "";
    const auto n = static_cast<std::size_t>(phase);
    if (navigates && n < std::size(kNavigating)) return kNavigating[n];
    if (!navigates && n < std::size(kOther)) return kOther[n];
    return fmt::format("phase {}", phase);
}

}  // namespace anhinga
