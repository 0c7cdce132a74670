// Numbers that came from outside.
#pragma once

namespace anhinga {

/// Towards zero; `otherwise` when it is not a number or an int cannot hold it: that conversion is undefined in C++.
constexpr int toInt(double value, int otherwise = 0) {
    return value > -2147483649.0 && value < 2147483648.0 ? static_cast<int>(value) : otherwise;
}

}  // namespace anhinga
