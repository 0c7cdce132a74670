#include "core/logio/LogReader.h"

#include <algorithm>
#include <fstream>

#include "core/mavlink/RecordingFiles.h"

namespace anhinga {

namespace {

struct Format {
    const char* name;
    bool (*looks_like)(std::string_view);
    Result<LogPtr> (*read)(const SharedBytes&, const std::string&);
};
/// The surest sign first.
constexpr Format kFormats[] = {
    {"ULog", looksLikeUlog, readUlog},
    {"a self-describing log", looksLikeSelfDescribing, readSelfDescribing},
    {"a predictor-encoded log", looksLikePredictorLog, readPredictorLog},
    {"a self-describing log as text", looksLikeSelfDescribingText, readSelfDescribingText},
    {"a GPX track", looksLikeGpxTrack, readGpxTrack},
    {"a KML track", looksLikeKmlTrack, readKmlTrack},
    {"a MAVLink recording", looksLikeRecording, readRecording},
    {"a MAVLink capture", looksLikeCapture, readCapture},
    {"a table", looksLikeTable, readTableAsRecognised},
};

struct Stopped {};

Result<LogPtr> readShared(const SharedBytes& shared, const std::string& name) {
    if (shared.bytes.empty()) return fail("{}: the file is empty", name);
    for (const Format& format : kFormats) {
        if (!format.looks_like(shared.bytes)) continue;
        try {
            return format.read(shared, name);
        } catch (const Stopped&) {
            return fail("{}: reading was stopped", name);
        } catch (const std::exception& e) {
            return fail("{}: cannot be read as {}: {}", name, format.name, e.what());
        }
    }
    return fail(
        "{}: not a log this program knows; it reads MAVLink recordings and captures, ULog, self-describing logs, "
        "predictor-encoded logs, GPX and KML tracks, and tables of columns (CSV)",
        name);
}

}  // namespace

Result<LogPtr> readLog(std::string_view bytes, const std::string& name) {
    return readShared(ownedBytes(std::string(bytes)), name);
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

Result<LogPtr> openLog(const std::string& path, const LogWatch& watch) {
    auto mapped = mapFile(path);
    if (!mapped) return tl::unexpected(mapped.error());
    if (watch.progress || watch.stop.stop_possible())
        mapped->told = [watch, size = static_cast<double>(mapped->bytes.size())](std::size_t at) {
            if (watch.stop.stop_requested()) throw Stopped{};
            if (watch.progress) watch.progress(static_cast<double>(at) / size);
        };
    auto log = readShared(*mapped, path);
    if (!log || !(*log)->believed) return log;
    if (const std::size_t n = mavlink::countNotBelieved(path); n > 0) {
        auto more = std::const_pointer_cast<FlightLog>(*log);
        more->not_believed = n;
        more->not_believed_file = mavlink::notBelievedFile(path);
    }
    return log;
}

}  // namespace anhinga
