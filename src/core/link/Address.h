// Link addresses as the operator types them: udp-listen:PORT, udp:HOST:PORT, tcp:HOST:PORT, tcp-listen:PORT.
#pragma once

#include <string>

#include "core/base/Result.h"

namespace anhinga {

enum class LinkKind { udpListen, udp, tcp, tcpListen };

struct LinkAddress {
    LinkKind kind = LinkKind::udpListen;
    std::string host;
    int port = 0;
};

/// Fails with the forms that are understood.
Result<LinkAddress> parseLinkAddress(const std::string& text);

}  // namespace anhinga
