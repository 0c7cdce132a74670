#include "core/mavlink/ModeNames.h"

#include <fmt/format.h>

#include <span>

namespace anhinga::mavlink {

namespace {
struct Name {
    std::uint32_t mode;
    const char* text;
};
constexpr Name kRotors[] = {{0, "manual"}, {2, "height hold"}, {3, "mission"},        {4, "guided"}, {5, "hold"},
                            {6, "return"}, {9, "land"},        {16, "position hold"}, {17, "brake"}};
constexpr Name kWings[] = {{0, "manual"}, {2, "stabilised"}, {7, "cruise"},  {10, "mission"}, {11, "return"},
                           {12, "hold"},  {13, "take off"},  {15, "guided"}, {26, "land"}};

std::span<const Name> namesOf(int autopilot, int type) {
    constexpr int kFixedWing = 1;
    if (autopilot != 3) return {};
    return type == kFixedWing ? std::span<const Name>(kWings) : std::span<const Name>(kRotors);
}
}  // namespace

std::string modeName(int autopilot, int type, std::uint32_t custom_mode) {
    for (const Name& n : namesOf(autopilot, type))
        if (n.mode == custom_mode) return n.text;
    return fmt::format("mode {}", custom_mode);
}

std::optional<std::uint32_t> modeNumber(int autopilot, int type, std::string_view name) {
    for (const Name& n : namesOf(autopilot, type))
        if (name == n.text) return n.mode;
    return std::nullopt;
}

}  // namespace anhinga::mavlink
