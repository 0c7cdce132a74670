// MAVLink frames on the wire: version 2 written, versions 1 and 2 read.
// MAVLink 2 standard, "Serialization": magic 0xFD / 0xFE, CRC-16/MCRF4XX over header and payload plus CRC_EXTRA.
#pragma once

#include <cstddef>
#include <cstdint>
#include <functional>
#include <span>
#include <string>

#include "core/mavlink/Messages.h"

namespace anhinga::mavlink {

/// CRC-16/MCRF4XX; `seed` continues an earlier run.
std::uint16_t crc16(std::span<const std::uint8_t> bytes, std::uint16_t seed = 0xFFFF);

/// The message as a version 2 frame; trailing zero payload bytes are cut as the standard demands (one byte stays).
std::string encode(const Message& message);

struct ParserCounts {
    std::size_t messages = 0, unknown = 0, bad_crc = 0, skipped_bytes = 0;
};

/// Finds frames in a stream of bytes cut anywhere. Frames with a wrong CRC are counted and searched again from the next
/// byte; frames of messages not in the table are passed over by their length; incompatible flags are not read.
class Parser {
  public:
    /// The message, and the frame's bytes as received.
    using Handler = std::function<void(const Message&, std::span<const std::uint8_t>)>;
    void feed(std::span<const std::uint8_t> bytes, const Handler& handler);
    const ParserCounts& counts() const { return counts_; }

    enum class Look { message, unknown, bad, more };
    struct Found {
        Look look;
        std::size_t length;  // of the frame; for `more`, of what is needed at least
    };
    /// Judges the frame at the start of `bytes` (which begins with a magic); fills `message` when it is one.
    static Found look(std::span<const std::uint8_t> bytes, Message& message);

  private:
    std::string pending_;
    ParserCounts counts_;
};

}  // namespace anhinga::mavlink
