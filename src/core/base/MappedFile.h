// A file as bytes in memory, read by the system as they are touched.
#pragma once

#include <memory>
#include <string>
#include <string_view>

#include "core/base/Result.h"

namespace anhinga {

/// Bytes with whoever owns them: both live as long as a copy of this.
struct SharedBytes {
    std::shared_ptr<const void> owner;
    std::string_view bytes;
};

/// Maps a regular file. Fails for what cannot be read, is empty, or is larger than `max_bytes`. A file that somebody
/// shortens meanwhile reads as zeros behind its new end.
Result<SharedBytes> mapFile(const std::string& path, std::size_t max_bytes = std::size_t{4} << 30);
/// A copy of bytes.
SharedBytes ownedBytes(std::string bytes);

}  // namespace anhinga
