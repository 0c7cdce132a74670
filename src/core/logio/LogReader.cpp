#include "core/logio/LogReader.h"

#include <algorithm>
#include <fstream>

#include "core/base/File.h"

namespace anhinga {

namespace {

struct Format {
    const char* name;
    bool (*looks_like)(std::string_view);
    Result<LogPtr> (*read)(std::string_view, const std::string&);
};
constexpr Format kFormats[] = {
    {"ULog", looksLikeUlog, readUlog},
    {"MAVLink recording", looksLikeRecording, readRecording},
};

}  // namespace

Result<LogPtr> readLog(std::string_view bytes, const std::string& name) {
    if (bytes.empty()) return fail("{}: the file is empty", name);
    for (const Format& format : kFormats) {
        if (!format.looks_like(bytes)) continue;
        try {
            return format.read(bytes, name);
        } catch (const std::exception& e) {
            return fail("{}: cannot be read as {}: {}", name, format.name, e.what());
        }
    }
    return fail("{}: not a log this program knows; it reads MAVLink recordings (.tlog) and ULog (.ulg)", name);
}

bool looksLikeLog(const std::string& path) {
    constexpr std::size_t kBegin = 65536;
    std::ifstream file(path, std::ios::binary);
    std::string begin(kBegin, '\0');
    file.read(begin.data(), static_cast<std::streamsize>(begin.size()));
    begin.resize(static_cast<std::size_t>(std::max<std::streamsize>(0, file.gcount())));
    return !begin.empty() &&
           std::any_of(std::begin(kFormats), std::end(kFormats), [&](const Format& f) { return f.looks_like(begin); });
}

Result<LogPtr> openLog(const std::string& path) {
    const auto bytes = readFile(path);
    if (!bytes) return tl::unexpected(bytes.error());
    return readLog(*bytes, path);
}

}  // namespace anhinga
