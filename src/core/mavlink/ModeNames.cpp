#include "core/mavlink/ModeNames.h"

#include <fmt/format.h>

namespace anhinga::mavlink {

std::string modeName(int autopilot, std::uint32_t custom_mode) {
    struct Name {
        std::uint32_t mode;
        const char* text;
    };
    constexpr Name kFamily3[] = {{0, "manual"}, {2, "height hold"}, {3, "mission"},        {4, "guided"}, {5, "hold"},
                                 {6, "return"}, {9, "land"},        {16, "position hold"}, {17, "brake"}};
    if (autopilot == 3)
        for (const Name& n : kFamily3)
            if (n.mode == custom_mode) return n.text;
    return fmt::format("mode {}", custom_mode);
}

}  // namespace anhinga::mavlink
