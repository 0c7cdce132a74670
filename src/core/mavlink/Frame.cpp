#include "core/mavlink/Frame.h"

#include <array>
#include <cstring>

namespace anhinga::mavlink {

namespace {

constexpr std::uint8_t kMagic1 = 0xFE, kMagic2 = 0xFD;
constexpr std::uint8_t kSigned = 0x01;  // the only incompatibility flag of the standard
constexpr std::size_t kHeader1 = 6, kHeader2 = 10, kSignature = 13;

/// Tables for eight bytes at a time ("slicing"): table[k][b] is the CRC of byte b followed by k zero bytes.
constexpr auto kTables = [] {
    std::array<std::array<std::uint16_t, 256>, 8> t{};
    for (unsigned i = 0; i < 256; ++i) {
        unsigned c = i;
        for (int bit = 0; bit < 8; ++bit) c = (c & 1) != 0 ? (c >> 1) ^ 0x8408u : c >> 1;
        t[0][i] = static_cast<std::uint16_t>(c);
    }
    for (std::size_t k = 1; k < 8; ++k)
        for (std::size_t i = 0; i < 256; ++i)
            t[k][i] = static_cast<std::uint16_t>((t[k - 1][i] >> 8) ^ t[0][t[k - 1][i] & 0xFF]);
    return t;
}();

}  // namespace

std::uint16_t crc16(std::span<const std::uint8_t> bytes, std::uint16_t seed) {
    unsigned crc = seed;
    std::size_t i = 0;
    for (; i + 8 <= bytes.size(); i += 8) {
        const std::uint8_t* b = bytes.data() + i;
        crc = static_cast<unsigned>(kTables[7][b[0] ^ (crc & 0xFF)] ^ kTables[6][b[1] ^ (crc >> 8)] ^ kTables[5][b[2]] ^
                                    kTables[4][b[3]] ^ kTables[3][b[4]] ^ kTables[2][b[5]] ^ kTables[1][b[6]] ^
                                    kTables[0][b[7]]);
    }
    for (; i < bytes.size(); ++i) crc = (crc >> 8) ^ kTables[0][(crc ^ bytes[i]) & 0xFF];
    return static_cast<std::uint16_t>(crc);
}

std::string encode(const Message& m) {
    std::size_t length = m.info->full_length;
    while (length > 1 && m.payload[length - 1] == 0) --length;
    std::string out(kHeader2 + length + 2, '\0');
    auto* b = reinterpret_cast<std::uint8_t*>(out.data());
    b[0] = kMagic2;
    b[1] = static_cast<std::uint8_t>(length);
    b[4] = m.sequence;
    b[5] = m.system;
    b[6] = m.component;
    b[7] = static_cast<std::uint8_t>(m.info->id);
    b[8] = static_cast<std::uint8_t>(m.info->id >> 8);
    b[9] = static_cast<std::uint8_t>(m.info->id >> 16);
    std::memcpy(b + kHeader2, m.payload, length);
    std::uint16_t crc = crc16({b + 1, kHeader2 - 1 + length});
    crc = crc16({&m.info->crc_extra, 1}, crc);
    b[kHeader2 + length] = static_cast<std::uint8_t>(crc);
    b[kHeader2 + length + 1] = static_cast<std::uint8_t>(crc >> 8);
    return out;
}

Parser::Found Parser::look(std::span<const std::uint8_t> bytes, Message& m) {
    const bool v2 = bytes[0] == kMagic2;
    const std::size_t header = v2 ? kHeader2 : kHeader1;
    if (bytes.size() < header) return {Look::more, header};
    const std::size_t length = bytes[1];
    if (v2 && (bytes[2] & ~kSigned) != 0) return {Look::bad, 1};
    const std::size_t total = header + length + 2 + (v2 && (bytes[2] & kSigned) != 0 ? kSignature : 0);
    const std::uint32_t id = v2 ? bytes[7] | bytes[8] << 8 | bytes[9] << 16 : bytes[5];
    const MessageInfo* info = messageInfo(id);
    // Without CRC_EXTRA the frame cannot be proved; a length that fits is all there is to go by.
    if (info != nullptr && length > info->full_length) return {Look::bad, 1};
    if (bytes.size() < total) return {Look::more, total};
    if (info == nullptr) return {Look::unknown, total};
    std::uint16_t crc = crc16(bytes.subspan(1, header - 1 + length));
    crc = crc16({&info->crc_extra, 1}, crc);
    const auto stated = static_cast<std::uint16_t>(bytes[header + length] | bytes[header + length + 1] << 8);
    if (crc != stated) return {Look::bad, 1};
    m.info = info;
    m.sequence = bytes[v2 ? 4 : 2];
    m.system = bytes[v2 ? 5 : 3];
    m.component = bytes[v2 ? 6 : 4];
    std::memcpy(m.payload, bytes.data() + header, length);
    std::memset(m.payload + length, 0, info->full_length - length);
    return {Look::message, total};
}

void Parser::feed(std::span<const std::uint8_t> bytes, const Handler& handler) {
    std::span<const std::uint8_t> all = bytes;
    if (!pending_.empty()) {
        pending_.append(reinterpret_cast<const char*>(bytes.data()), bytes.size());
        all = {reinterpret_cast<const std::uint8_t*>(pending_.data()), pending_.size()};
    }
    Message message;
    std::size_t at = 0;
    while (at < all.size()) {
        if (all[at] != kMagic2 && all[at] != kMagic1) {
            ++at;
            ++counts_.skipped_bytes;
            continue;
        }
        const Found found = look(all.subspan(at), message);
        if (found.look == Look::more) break;
        if (found.look == Look::message) {
            ++counts_.messages;
            handler(message, all.subspan(at, found.length));
        } else if (found.look == Look::unknown) {
            ++counts_.unknown;
        } else {
            ++counts_.bad_crc;
            ++counts_.skipped_bytes;
        }
        at += found.length;
    }
    std::string rest(reinterpret_cast<const char*>(all.data()) + at, all.size() - at);
    pending_ = std::move(rest);
}

}  // namespace anhinga::mavlink
