// MAVLink 2 message signing: who holds the key wrote the message, and it is not an old one sent again.
// MAVLink 2 standard, "Message Signing": 13 bytes behind the checksum: link id, 48-bit time in 10 us since 2015-01-01
// UTC, and the first 6 bytes of SHA-256 over key, frame, link id and time.
#pragma once

#include <array>
#include <cstdint>
#include <map>
#include <span>
#include <string>
#include <tuple>

namespace anhinga::mavlink {

using SigningKey = std::array<std::uint8_t, 32>;

/// The key of a passphrase: its SHA-256.
SigningKey signingKey(const std::string& passphrase);
/// 10 us units since 2015-01-01 UTC; from seconds since 1970.
std::uint64_t signingTime(double unix_s);

/// True when the frame (as received, version 2) carries a signature at all.
bool isSigned(std::span<const std::uint8_t> frame);
/// The frame as encode() gives it, with its signature. The checksum covers the flag and is made anew with `crc_extra`.
std::string signFrame(std::string frame, std::uint8_t crc_extra, const SigningKey& key, std::uint8_t link_id,
                      std::uint64_t time);

enum class SignatureJudgement { good, unsigned_frame, wrong, old };
const char* judgementText(SignatureJudgement judgement);

/// Judges what one receiver gets: the signature, and that each sender's time only goes forward.
class SignatureKeeper {
  public:
    /// `now`: this receiver's own time. A sender heard for the first time may not be more than a minute behind it.
    SignatureJudgement judge(std::span<const std::uint8_t> frame, const SigningKey& key, std::uint64_t now);

  private:
    std::map<std::tuple<std::uint8_t, std::uint8_t, std::uint8_t>, std::uint64_t> last_;  // system, component, link
};

}  // namespace anhinga::mavlink
