#include "standin/OnboardFiles.h"

#include <algorithm>
#include <chrono>
#include <cstring>
#include <filesystem>

#include "core/base/File.h"

namespace anhinga {

namespace fs = std::filesystem;

namespace {
constexpr std::uint32_t kBlock = 90;
constexpr const char* kLogFolder = "/logs";
}  // namespace

std::vector<OnboardFiles::File> OnboardFiles::files() const {
    std::vector<File> out;
    if (folder_.empty()) return out;
    std::error_code error;
    for (const auto& entry : fs::directory_iterator(folder_, error)) {
        if (!entry.is_regular_file(error) || entry.path().extension() != ".ulg") continue;
        const auto age = fs::file_time_type::clock::now() - entry.last_write_time(error);
        const double now = std::chrono::duration<double>(std::chrono::system_clock::now().time_since_epoch()).count();
        out.push_back({entry.path().filename().string(), entry.file_size(error),
                       std::round(now - std::chrono::duration<double>(age).count())});
    }
    std::sort(out.begin(), out.end(), [](const File& a, const File& b) { return a.name < b.name; });
    return out;
}

const std::string* OnboardFiles::content(const std::string& name) {
    std::error_code error;
    const auto bytes = fs::file_size(folder_ + "/" + name, error);
    if (error) return nullptr;
    if (name != cached_name_ || bytes != cached_bytes_) {
        auto text = readFile(folder_ + "/" + name);
        if (!text) return nullptr;
        cached_ = std::move(*text);
        cached_name_ = name;
        cached_bytes_ = bytes;
    }
    return &cached_;
}

bool OnboardFiles::receive(const Message& m) {
    if (m.is("LOG_REQUEST_LIST"))
        listLogs(m);
    else if (m.is("LOG_REQUEST_DATA"))
        requestData(m);
    else if (m.is("LOG_REQUEST_END"))
        stream_log_ = 0;
    else if (m.is("LOG_ERASE")) {
        std::error_code ignored;
        for (const File& f : files()) fs::remove(folder_ + "/" + f.name, ignored);
        stream_log_ = 0;
    } else if (m.is("FILE_TRANSFER_PROTOCOL"))
        ftp(m);
    else
        return false;
    return true;
}

// ---- log messages; logs are numbered from 1

void OnboardFiles::listLogs(const Message& m) {
    const auto logs = files();
    const auto entry = [&](std::size_t id, const File& f) {
        say_(Message("LOG_ENTRY")
                 .set("id", static_cast<double>(id))
                 .set("num_logs", static_cast<double>(logs.size()))
                 .set("last_log_num", static_cast<double>(logs.size()))
                 .set("time_utc", f.time_unix_s)
                 .set("size", static_cast<double>(f.bytes)));
    };
    if (logs.empty()) return entry(0, {});
    const auto first = std::max<std::int64_t>(1, m.integer("start"));
    const auto last = std::min<std::int64_t>(static_cast<std::int64_t>(logs.size()), m.integer("end"));
    for (auto id = first; id <= last; ++id) entry(static_cast<std::size_t>(id), logs[static_cast<std::size_t>(id - 1)]);
}

void OnboardFiles::requestData(const Message& m) {
    const auto logs = files();
    const auto id = static_cast<std::size_t>(m.integer("id"));
    if (id < 1 || id > logs.size()) return;
    const std::string* text = content(logs[id - 1].name);
    if (text == nullptr) return;
    const auto from = static_cast<std::uint32_t>(m.integer("ofs"));
    const auto count = static_cast<std::uint32_t>(m.integer("count"));
    if (from >= text->size()) return;
    const auto end = static_cast<std::uint32_t>(std::min<std::uint64_t>(text->size(), std::uint64_t{from} + count));
    constexpr std::uint32_t kAtOnce = 8 * kBlock;
    if (end - from <= kAtOnce) {
        const int streamed = std::exchange(stream_log_, static_cast<int>(id));
        for (std::uint32_t at = from; at < end; at += kBlock) sendBlock(at, std::min(kBlock, end - at));
        stream_log_ = streamed;
        return;
    }
    stream_log_ = static_cast<int>(id);
    stream_at_ = from;
    stream_end_ = end;
    owed_bytes_ = 0;
}

void OnboardFiles::sendBlock(std::uint32_t from, std::uint32_t count) {
    Message block("LOG_DATA");
    block.set("id", stream_log_).set("ofs", from).set("count", count);
    std::memcpy(block.payload + block.info->field("data")->offset, cached_.data() + from, count);
    say_(block);
}

void OnboardFiles::advance(double seconds) {
    if (stream_log_ == 0) return;
    owed_bytes_ = std::min(owed_bytes_ + seconds * bytes_per_s_, bytes_per_s_ * 0.1);
    while (stream_at_ < stream_end_ && owed_bytes_ >= kBlock) {
        const std::uint32_t count = std::min(kBlock, stream_end_ - stream_at_);
        sendBlock(stream_at_, count);
        stream_at_ += count;
        owed_bytes_ -= kBlock;
    }
    if (stream_at_ >= stream_end_) stream_log_ = 0;
}

// ---- files

FtpPacket OnboardFiles::refusal(const FtpPacket& request, FtpPacket::Error error) {
    FtpPacket nak;
    nak.opcode = FtpPacket::nak;
    nak.request = request.opcode;
    nak.session = request.session;
    nak.offset = request.offset;
    nak.data = std::string(1, static_cast<char>(error));
    return nak;
}

FtpPacket OnboardFiles::answer(const FtpPacket& request) {
    FtpPacket out;
    out.opcode = FtpPacket::ack;
    out.request = request.opcode;
    out.session = request.session;
    out.offset = request.offset;
    const std::string path = request.data.c_str();  // up to the first zero
    switch (request.opcode) {
        case FtpPacket::terminateSession:
            if (request.session >= sessions_.size()) return refusal(request, FtpPacket::invalidSession);
            sessions_[request.session].clear();
            return out;
        case FtpPacket::resetSessions:
            for (std::string& s : sessions_) s.clear();
            return out;
        case FtpPacket::listDirectory: {
            std::vector<std::string> entries;
            if (path == "/" || path.empty())
                entries.push_back(std::string("D") + (kLogFolder + 1));
            else if (path == kLogFolder)
                for (const File& f : files()) entries.push_back(fmt::format("F{}\t{}", f.name, f.bytes));
            else
                return refusal(request, FtpPacket::fileNotFound);
            if (request.offset >= entries.size()) return refusal(request, FtpPacket::endOfFile);
            for (std::size_t i = request.offset; i < entries.size(); ++i) {
                if (out.data.size() + entries[i].size() + 1 > FtpPacket::kMostData) break;
                out.data += entries[i] + '\0';
            }
            return out;
        }
        case FtpPacket::openFileReadOnly: {
            const std::string prefix = std::string(kLogFolder) + "/";
            const std::string name = path.starts_with(prefix) ? path.substr(prefix.size()) : "";
            // Only what is in the folder: no way out of it by a name with a slash or dots.
            const auto all = files();
            const auto file = std::find_if(all.begin(), all.end(), [&](const File& f) { return f.name == name; });
            if (file == all.end()) return refusal(request, FtpPacket::fileNotFound);
            const auto free = std::find_if(sessions_.begin(), sessions_.end(),
                                           [&](const std::string& s) { return s.empty() || s == name; });
            if (free == sessions_.end()) return refusal(request, FtpPacket::noSessions);
            *free = name;
            out.session = static_cast<std::uint8_t>(free - sessions_.begin());
            for (int i = 0; i < 4; ++i) out.data += static_cast<char>(file->bytes >> (8 * i));
            return out;
        }
        case FtpPacket::readFile: {
            if (request.session >= sessions_.size() || sessions_[request.session].empty())
                return refusal(request, FtpPacket::invalidSession);
            const std::string* text = content(sessions_[request.session]);
            if (text == nullptr) return refusal(request, FtpPacket::failed);
            if (request.offset >= text->size()) return refusal(request, FtpPacket::endOfFile);
            out.data = text->substr(request.offset, std::min(request.data.size(), FtpPacket::kMostData));
            return out;
        }
        default:
            return refusal(request, FtpPacket::unknownCommand);
    }
}

void OnboardFiles::ftp(const Message& m) {
    const auto request = FtpPacket::of(m);
    if (!request) return;
    // The same request again: its answer was lost. Opening twice would take two sessions.
    if (request->opcode != FtpPacket::readFile && last_request_ == request->sequence &&
        last_answer_.request == request->opcode)
        return say_(last_answer_.message(m.system, m.component));
    FtpPacket out = answer(*request);
    out.sequence = static_cast<std::uint16_t>(request->sequence + 1);
    if (request->opcode != FtpPacket::readFile) {
        last_request_ = request->sequence;
        last_answer_ = out;
    }
    say_(out.message(m.system, m.component));
}

}  // namespace anhinga
