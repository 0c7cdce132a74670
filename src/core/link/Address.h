// Link addresses as the operator types them: udp-listen:PORT, udp:HOST:PORT, tcp:HOST:PORT, tcp-listen:PORT,
// serial:DEVICE:BAUD.
#pragma once

#include <string>
#include <vector>

#include "core/base/Result.h"

namespace anhinga {

enum class LinkKind { udpListen, udp, tcp, tcpListen, serial };

struct LinkAddress {
    LinkKind kind = LinkKind::udpListen;
    std::string host;  // a device's path for a serial line
    int port = 0;      // its speed in baud for a serial line
};

/// Fails with the forms that are understood.
Result<LinkAddress> parseLinkAddress(const std::string& text);

/// Speeds a serial line is offered at, baud.
inline constexpr int kBaudRates[] = {9600, 19200, 38400, 57600, 115200, 230400, 460800, 921600};
/// Serial devices of this machine: their stable names by id where there are any, else USB and modem ports.
std::vector<std::string> serialDevices(const std::string& dev_folder = "/dev");

}  // namespace anhinga
