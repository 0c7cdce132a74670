#include "core/mavlink/Signing.h"

#include <openssl/sha.h>

#include <algorithm>
#include <cstring>

#include "core/mavlink/Frame.h"

namespace anhinga::mavlink {

namespace {

constexpr std::size_t kHeader = 10, kSignature = 13, kTail = 2 + kSignature;
constexpr double kEpochUnix_s = 1420070400;  // 2015-01-01

void putTime(std::uint8_t* at, std::uint64_t time) {
    for (int i = 0; i < 6; ++i) at[i] = static_cast<std::uint8_t>(time >> (8 * i));
}
std::uint64_t timeOf(const std::uint8_t* at) {
    std::uint64_t time = 0;
    for (int i = 0; i < 6; ++i) time |= static_cast<std::uint64_t>(at[i]) << (8 * i);
    return time;
}

/// `covered`: the frame up to and with the signature's time.
std::array<std::uint8_t, 6> signatureOf(const SigningKey& key, std::span<const std::uint8_t> covered) {
    std::string all(key.begin(), key.end());
    all.append(reinterpret_cast<const char*>(covered.data()), covered.size());
    std::uint8_t hash[SHA256_DIGEST_LENGTH];
    SHA256(reinterpret_cast<const std::uint8_t*>(all.data()), all.size(), hash);
    std::array<std::uint8_t, 6> out{};
    std::copy_n(hash, 6, out.begin());
    return out;
}

}  // namespace

SigningKey signingKey(const std::string& passphrase) {
    SigningKey key{};
    SHA256(reinterpret_cast<const std::uint8_t*>(passphrase.data()), passphrase.size(), key.data());
    return key;
}

std::uint64_t signingTime(double unix_s) {
    return static_cast<std::uint64_t>(std::max(0.0, unix_s - kEpochUnix_s) * 1e5);
}

bool isSigned(std::span<const std::uint8_t> frame) {
    return frame.size() >= kHeader + kTail && frame[0] == 0xFD && (frame[2] & 1) != 0;
}

std::string signFrame(std::string frame, std::uint8_t crc_extra, const SigningKey& key, std::uint8_t link_id,
                      std::uint64_t time) {
    const std::size_t body = frame.size() - 2;
    frame.resize(frame.size() + kSignature);
    auto* b = reinterpret_cast<std::uint8_t*>(frame.data());
    b[2] |= 1;
    std::uint16_t crc = crc16({b + 1, body - 1});
    crc = crc16({&crc_extra, 1}, crc);
    b[body] = static_cast<std::uint8_t>(crc);
    b[body + 1] = static_cast<std::uint8_t>(crc >> 8);
    b[body + 2] = link_id;
    putTime(b + body + 3, time);
    const auto signature = signatureOf(key, {b, body + 9});
    std::copy(signature.begin(), signature.end(), b + body + 9);
    return frame;
}

const char* judgementText(SignatureJudgement judgement) {
    switch (judgement) {
        case SignatureJudgement::good:
            return "signed";
        case SignatureJudgement::unsigned_frame:
            return "not signed";
        case SignatureJudgement::wrong:
            return "signed with another key";
        case SignatureJudgement::old:
            return "signed, but an old message sent again";
    }
    return "";
}

SignatureJudgement SignatureKeeper::judge(std::span<const std::uint8_t> frame, const SigningKey& key,
                                          std::uint64_t now) {
    if (!isSigned(frame)) return SignatureJudgement::unsigned_frame;
    const std::size_t n = frame.size();
    const auto expected = signatureOf(key, frame.first(n - 6));
    if (!std::equal(expected.begin(), expected.end(), frame.end() - 6)) return SignatureJudgement::wrong;
    constexpr std::uint64_t kMinute = 60 * 100000;
    const std::uint64_t time = timeOf(frame.data() + n - 12);
    const auto sender = std::tuple(frame[5], frame[6], frame[n - 13]);
    const auto at = last_.find(sender);
    if (at == last_.end() ? time + kMinute < now : time <= at->second) return SignatureJudgement::old;
    last_[sender] = time;
    return SignatureJudgement::good;
}

}  // namespace anhinga::mavlink
