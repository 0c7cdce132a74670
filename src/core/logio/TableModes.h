// What hand-held transmitters write of modes and arming, in our words.
#pragma once

#include <optional>
#include <string>
#include <string_view>

namespace anhinga::table {

/// The mode that a code of four letters or a name stands for; codes that are not in the table come back as they are.
std::string modeOf(std::string_view code);
/// "armed", "yes", "true", 1 and their opposites; nothing for anything else.
std::optional<bool> armedOf(std::string_view cell);

}  // namespace anhinga::table
