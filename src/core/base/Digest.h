// SHA-256 of files: tells whether two are the same, and proves later that an original is untouched.
#pragma once

#include <cstdint>
#include <string>
#include <string_view>

#include "core/base/Result.h"

namespace anhinga {

/// 64 hexadecimal digits (FIPS 180-4).
std::string sha256(std::string_view bytes);
/// Of a whole file, read piece by piece. Fails for what cannot be read, with its name.
Result<std::string> sha256OfFile(const std::string& path);
/// Of its first `bytes`; fails when it has fewer.
Result<std::string> sha256OfBeginning(const std::string& path, std::uint64_t bytes);

}  // namespace anhinga
