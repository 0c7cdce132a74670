#include "core/mavlink/RecordingFiles.h"

#include <filesystem>

#include "core/base/File.h"
#include "core/mavlink/Frame.h"

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
    std::size_t n = 0;
    Parser parser;
    parser.feed({reinterpret_cast<const std::uint8_t*>(bytes->data()), bytes->size()},
                [&](const Message&, std::span<const std::uint8_t>) { ++n; });
    return n > 0 ? n - 1 : 0;
}

}  // namespace anhinga::mavlink
