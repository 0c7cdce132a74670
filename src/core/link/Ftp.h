// Files on the vehicle over the MAVLink file transfer protocol: folders listed, files fetched with many reads under
// way. MAVLink standard, "File Transfer Protocol (FTP)": requests and answers inside FILE_TRANSFER_PROTOCOL's payload.
#pragma once

#include <array>
#include <cstdint>
#include <optional>
#include <string>
#include <vector>

#include "core/link/LogFetch.h"

namespace anhinga {

/// What travels in a FILE_TRANSFER_PROTOCOL message.
struct FtpPacket {
    enum Opcode : std::uint8_t {
        terminateSession = 1,
        resetSessions = 2,
        listDirectory = 3,
        openFileReadOnly = 4,
        readFile = 5,
        ack = 128,
        nak = 129
    };
    enum Error : std::uint8_t {
        failed = 1,
        failedErrno = 2,
        invalidSize = 3,
        invalidSession = 4,
        noSessions = 5,
        endOfFile = 6,
        unknownCommand = 7,
        fileProtected = 9,
        fileNotFound = 10
    };
    static constexpr std::size_t kMostData = 239;

    std::uint16_t sequence = 0;
    std::uint8_t session = 0, opcode = 0, request = 0;
    std::uint32_t offset = 0;
    std::string data;

    mavlink::Message message(int system, int component) const;
    /// Nothing when the payload is not such a packet.
    static std::optional<FtpPacket> of(const mavlink::Message& message);
};

struct FtpEntry {
    std::string name;
    bool folder = false;
    std::uint64_t bytes = 0;
};
Result<std::vector<FtpEntry>> ftpList(VehicleLink& link, const std::string& folder,
                                      const TransferOptions& options = {});
/// As fetchLog(): kept and gone on with when it was broken off.
Result<Fetched> ftpFetch(VehicleLink& link, const std::string& remote, const std::string& path,
                         const TransferOptions& options = {});

}  // namespace anhinga
