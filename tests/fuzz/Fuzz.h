// Shared by the targets that are given bytes of all kinds by libFuzzer (scripts/fuzz): each reads them as one reader
// does and holds it to what it promises.
#pragma once

#include <cstddef>
#include <cstdint>
#include <cstdlib>
#include <memory>
#include <string>

#include "core/base/MappedFile.h"

namespace anhinga::fuzz {

inline std::string text(const std::uint8_t* data, std::size_t size) {
    return {reinterpret_cast<const char*>(data), size};
}

/// As a file that is open would be.
inline SharedBytes shared(const std::string& text) {
    auto owner = std::make_shared<const std::string>(text);
    return {owner, *owner};
}

/// Ends the run: what was promised does not hold.
inline void expect(bool holds) {
    if (!holds) std::abort();
}

}  // namespace anhinga::fuzz
