#include "core/link/Address.h"

#include <algorithm>
#include <charconv>
#include <filesystem>
#include <optional>

namespace anhinga {

namespace {
std::optional<int> wholeNumber(const std::string& text, int least, int most) {
    int value = 0;
    const auto [end, error] = std::from_chars(text.data(), text.data() + text.size(), value);
    if (error != std::errc{} || end != text.data() + text.size() || value < least || value > most) return std::nullopt;
    return value;
}
}  // namespace

Result<LinkAddress> parseLinkAddress(const std::string& text) {
    struct Form {
        const char* prefix;
        LinkKind kind;
        bool host;
    };
    constexpr Form kForms[] = {{"udp-listen:", LinkKind::udpListen, false},
                               {"tcp-listen:", LinkKind::tcpListen, false},
                               {"udp:", LinkKind::udp, true},
                               {"tcp:", LinkKind::tcp, true},
                               {"serial:", LinkKind::serial, true}};
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
        const bool serial = form.kind == LinkKind::serial;
        const auto number = wholeNumber(rest, serial ? 300 : 1, serial ? 4000000 : 65535);
        if (!number && serial) return fail("link \"{}\": the speed must be a number of baud, as 57600", text);
        if (!number) return fail("link \"{}\": the port must be a number from 1 to 65535", text);
        address.port = *number;
        return address;
    }
    return fail(
        "link \"{}\": expected udp-listen:PORT, udp:HOST:PORT, tcp:HOST:PORT, tcp-listen:PORT or serial:DEVICE:BAUD",
        text);
}

std::vector<std::string> serialDevices(const std::string& dev_folder) {
    namespace fs = std::filesystem;
    std::error_code error;
    std::vector<std::string> found;
    for (const auto& entry : fs::directory_iterator(dev_folder + "/serial/by-id", error))
        found.push_back(entry.path().string());
    if (found.empty())
        for (const auto& entry : fs::directory_iterator(dev_folder, error)) {
            const std::string name = entry.path().filename().string();
            for (const char* prefix : {"ttyUSB", "ttyACM", "rfcomm"})
                if (name.starts_with(prefix)) found.push_back(entry.path().string());
        }
    std::sort(found.begin(), found.end());
    return found;
}

}  // namespace anhinga
