// A file as bytes in memory, read by the system as they are touched.
#pragma once

#include <functional>
#include <memory>
#include <string>
#include <string_view>

#include "core/base/Result.h"

namespace anhinga {

/// Bytes with whoever owns them: both live as long as a copy of this.
struct SharedBytes {
    std::shared_ptr<const void> owner;
    std::string_view bytes;
    /// Whoever reads for long says here how far it is, in bytes; it may throw to end the reading.
    std::function<void(std::size_t)> told = {};
};

/// Says so every few megabytes.
class Milestones {
  public:
    explicit Milestones(const SharedBytes& shared) : told_(shared.told) {}
    void pass(std::size_t at) {
        if (at < next_ || !told_) return;
        next_ = at + kApart;
        told_(at);
    }

  private:
    static constexpr std::size_t kApart = 2 << 20;
    const std::function<void(std::size_t)>& told_;
    std::size_t next_ = 0;
};

/// Maps a regular file. Fails for what cannot be read, is empty, or is larger than `max_bytes`. A file that somebody
/// shortens meanwhile reads as zeros behind its new end.
Result<SharedBytes> mapFile(const std::string& path, std::size_t max_bytes = std::size_t{4} << 30);
/// A copy of bytes.
SharedBytes ownedBytes(std::string bytes);

}  // namespace anhinga
