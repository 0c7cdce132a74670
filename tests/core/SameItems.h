// Whether two lists of mission items are the same.
#pragma once

#include <cmath>
#include <vector>

#include "core/dialect/Mission.h"

namespace anhinga::testing {

/// Field by field; what is not a number equals what is not a number.
inline bool identical(const std::vector<MissionItem>& a, const std::vector<MissionItem>& b) {
    const auto f = [](float x, float y) { return x == y || (std::isnan(x) && std::isnan(y)); };
    if (a.size() != b.size()) return false;
    for (std::size_t i = 0; i < a.size(); ++i)
        if (a[i].seq != b[i].seq || a[i].frame != b[i].frame || a[i].command != b[i].command || a[i].x != b[i].x ||
            a[i].y != b[i].y || !f(a[i].z, b[i].z) || !f(a[i].param1, b[i].param1) || !f(a[i].param2, b[i].param2) ||
            !f(a[i].param3, b[i].param3) || !f(a[i].param4, b[i].param4))
            return false;
    return true;
}

}  // namespace anhinga::testing
