// Numbers that came from outside.
#pragma once

#include <optional>
#include <string_view>

namespace anhinga {

/// Towards zero; `otherwise` when it is not a number or an int cannot hold it: that conversion is undefined in C++.
constexpr int toInt(double value, int otherwise = 0) {
    return value > -2147483649.0 && value < 2147483648.0 ? static_cast<int>(value) : otherwise;
}

/// The number that `text` begins with, after white space and one plus sign; `text` then begins behind it. Nothing, and
/// `text` as it was, when there is none or a double cannot hold it. The point is a point in every locale.
std::optional<double> takeNumber(std::string_view& text);

}  // namespace anhinga
