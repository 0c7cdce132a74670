// How items of a plan are told apart.
#pragma once

#include <cstdint>

namespace anhinga {

/// Stable identity of an item or a fence inside one plan; 0 is nobody.
using ItemId = std::uint32_t;
constexpr ItemId kHomeId = 0xFFFFFFFF;  // selection only: home is not an item

}  // namespace anhinga
