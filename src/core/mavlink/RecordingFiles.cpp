#include "core/mavlink/RecordingFiles.h"

#include <filesystem>

#include "core/base/File.h"

namespace anhinga::mavlink {

std::string notBelievedFile(const std::string& recording) {
    const auto dot = recording.rfind('.');
    const bool extension = dot != std::string::npos && recording.find('/', dot) == std::string::npos;
    return extension ? recording.substr(0, dot) + "-not-believed" + recording.substr(dot) : recording + "-not-believed";
}

std::size_t countNotBelieved(const std::string& recording, std::size_t most_bytes) {
    const std::string path = notBelievedFile(recording);
    std::error_code none;
    if (!std::filesystem::is_regular_file(path, none)) return 0;
    const auto bytes = readFile(path, most_bytes);
    if (!bytes) return 0;
    // By its layout, whatever the packets say: eight bytes of time, one packet.
    constexpr std::size_t kStamp = 8, kSignature = 13;
    std::size_t n = 0;
    for (std::size_t at = kStamp; at + 3 <= bytes->size();) {
        const auto byte = [&](std::size_t i) { return static_cast<std::uint8_t>((*bytes)[at + i]); };
        std::size_t whole = 0;
        if (byte(0) == 0xFD) whole = std::size_t{12} + byte(1) + ((byte(2) & 1) != 0 ? kSignature : 0);
        if (byte(0) == 0xFE) whole = std::size_t{8} + byte(1);
        if (whole == 0 || at + whole > bytes->size()) break;
        ++n;
        at += whole + kStamp;
    }
    return n > 0 ? n - 1 : 0;
}

}  // namespace anhinga::mavlink
