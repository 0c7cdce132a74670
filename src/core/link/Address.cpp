#include "core/link/Address.h"

#include <charconv>

namespace anhinga {

Result<LinkAddress> parseLinkAddress(const std::string& text) {
    struct Form {
        const char* prefix;
        LinkKind kind;
        bool host;
    };
    constexpr Form kForms[] = {{"udp-listen:", LinkKind::udpListen, false},
                               {"tcp-listen:", LinkKind::tcpListen, false},
                               {"udp:", LinkKind::udp, true},
                               {"tcp:", LinkKind::tcp, true}};
    for (const Form& form : kForms) {
        if (!text.starts_with(form.prefix)) continue;
        std::string rest = text.substr(std::string(form.prefix).size());
        LinkAddress address{form.kind, "", 0};
        if (form.host) {
            const auto colon = rest.rfind(':');
            if (colon == std::string::npos || colon == 0) break;
            address.host = rest.substr(0, colon);
            rest = rest.substr(colon + 1);
        }
        const auto [end, error] = std::from_chars(rest.data(), rest.data() + rest.size(), address.port);
        if (error != std::errc{} || end != rest.data() + rest.size() || address.port < 1 || address.port > 65535)
            return fail("link \"{}\": the port must be a number from 1 to 65535", text);
        return address;
    }
    return fail("link \"{}\": expected udp-listen:PORT, udp:HOST:PORT, tcp:HOST:PORT or tcp-listen:PORT", text);
}

}  // namespace anhinga
