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

struct WriteOptions {
    bool private_file = false;  // a new file is for its owner's eyes alone
    bool anyway = false;        // though it is write-protected or another user's
};
/// Writes to a temporary file beside `path`, syncs it to disk and renames it over `path`: a reader sees
/// either the old content or the new, also after a power cut. A link stays a link: what it leads to is written. Mode
/// and owner of a file that is replaced are kept. Fails for what is no regular file, and with ErrorCode::guarded.
Result<void> writeFileAtomic(const std::string& path, std::string_view content, const WriteOptions& options = {});
/// Makes an empty file for its owner's eyes alone where there is none, so that what is written to it later is, too.
void makePrivate(const std::string& path);
/// The same of a folder: makes it with those above it where there is none.
Result<void> makePrivateFolder(const std::string& path);
/// Takes away what writeFileAtomic() of programs that are gone has left in a folder.
void removeLeftParts(const std::string& folder);

/// 64-bit FNV-1a of the bytes: a fingerprint for "is this the same content", not a cryptographic hash.
std::uint64_t fingerprint(std::string_view bytes);

/// A write past the size that a user may give a file is from then on an error as that of a full disk, not the end of
/// the program. For main().
void writeErrorsNotSignals();

}  // namespace anhinga
