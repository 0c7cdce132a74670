#include "core/mavlink/ModeNames.h"

#include <fmt/format.h>

namespace anhinga::mavlink {

namespace {
constexpr ModeName kRotors[] = {{0, "manual"}, {2, "height hold"}, {3, "mission"},        {4, "guided"}, {5, "hold"},
                                {6, "return"}, {9, "land"},        {16, "position hold"}, {17, "brake"}};
constexpr ModeName kWings[] = {{0, "manual"}, {2, "stabilised"}, {7, "cruise"},  {10, "mission"}, {11, "return"},
                               {12, "hold"},  {13, "take off"},  {15, "guided"}, {26, "land"}};

}  // namespace

std::span<const ModeName> modesOf(int autopilot, int type) {
    constexpr int kFixedWing = 1;
    if (autopilot != 3) return {};
    return type == kFixedWing ? std::span<const ModeName>(kWings) : std::span<const ModeName>(kRotors);
}

std::string modeName(int autopilot, int type, std::uint32_t custom_mode) {
    for (const ModeName& n : modesOf(autopilot, type))
        if (n.mode == custom_mode) return n.text;
    return fmt::format("mode {}", custom_mode);
}

std::optional<std::uint32_t> modeNumber(int autopilot, int type, std::string_view name) {
    for (const ModeName& n : modesOf(autopilot, type))
        if (name == n.text) return n.mode;
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
