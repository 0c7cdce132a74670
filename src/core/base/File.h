// Whole-file reading and atomic writing. Every reader and writer of a document goes through here.
#pragma once

#include <cstddef>
#include <cstdint>
#include <string>
#include <string_view>

#include "core/base/Result.h"

namespace anhinga {

/// Reads a regular file whole. Fails (never throws) for a missing file, a directory, no permission,
/// or more than `max_bytes`.
Result<std::string> readFile(const std::string& path, std::size_t max_bytes = std::size_t{1} << 30);

/// Writes to a temporary file beside `path`, syncs it to disk and renames it over `path`: a reader sees
/// either the old content or the new, also after a power cut.
Result<void> writeFileAtomic(const std::string& path, std::string_view content);

/// 64-bit FNV-1a of the bytes: a fingerprint for "is this the same content", not a cryptographic hash.
std::uint64_t fingerprint(std::string_view bytes);

}  // namespace anhinga
