#include "core/mavlink/ModeNames.h"

#include <fmt/format.h>

namespace anhinga::mavlink {

namespace {
constexpr ModeName kRotors[] = {{0, ModeKind::manual}, {2, ModeKind::heightHold},    {3, ModeKind::mission},
                                {4, ModeKind::led},    {5, ModeKind::hold},          {6, ModeKind::returnHome},
                                {9, ModeKind::land},   {16, ModeKind::positionHold}, {17, ModeKind::stop}};
constexpr ModeName kWings[] = {{0, ModeKind::manual},   {2, ModeKind::levelled},    {7, ModeKind::cruise},
                               {10, ModeKind::mission}, {11, ModeKind::returnHome}, {12, ModeKind::hold},
                               {13, ModeKind::takeOff}, {15, ModeKind::led},        {26, ModeKind::land}};
}  // namespace

std::span<const ModeName> modesOf(int autopilot, int type) {
    constexpr int kFixedWing = 1;
    if (autopilot != 3) return {};
    return type == kFixedWing ? std::span<const ModeName>(kWings) : std::span<const ModeName>(kRotors);
}

std::string modeName(int autopilot, int type, std::uint32_t custom_mode) {
    for (const ModeName& n : modesOf(autopilot, type))
        if (n.mode == custom_mode) return n.text();
    return fmt::format("mode {}", custom_mode);
}

std::optional<std::uint32_t> modeNumber(int autopilot, int type, ModeKind kind) {
    for (const ModeName& n : modesOf(autopilot, type))
        if (n.kind == kind) return n.mode;
    return std::nullopt;
}

std::optional<ModeKind> modeKind(int autopilot, int type, std::uint32_t custom_mode) {
    for (const ModeName& n : modesOf(autopilot, type))
        if (n.mode == custom_mode) return n.kind;
    return std::nullopt;
}

const char* typeText(int type) {
    switch (type) {
        case 1:
            return "fixed wing";
        case 4:
            return "helicopter";
        case 2:
        case 3:
        case 13:
        case 14:
        case 15:
            return "multirotor";
        case 10:
        case 11:
            return "rover or boat";
        default:
            return "aircraft";
    }
}

}  // namespace anhinga::mavlink
