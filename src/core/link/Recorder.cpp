#include "core/link/Recorder.h"

#include <unistd.h>

#include <cerrno>
#include <cstring>

#include "core/base/Text.h"

namespace anhinga {

namespace {
std::string stopped() {
    return fmt::format("recording has stopped: {}", std::strerror(errno));
}
}  // namespace

Result<std::unique_ptr<Recorder>> Recorder::create(const std::string& path, Clock& clock, std::uint64_t rotate_bytes) {
    std::FILE* file = std::fopen(path.c_str(), "wbe");
    if (file == nullptr) return fail("{}: the recording cannot be written: {}", path, std::strerror(errno));
    return std::unique_ptr<Recorder>(new Recorder(file, path, clock, rotate_bytes));
}

Recorder::~Recorder() {
    if (file_ != nullptr) std::fclose(file_);
}

void Recorder::rotate() {
    const auto dot = path_.rfind('.');
    const bool extension = dot != std::string::npos && path_.find('/', dot) == std::string::npos;
    const std::string next = fmt::format("{}-{}{}", path_.substr(0, extension ? dot : path_.size()), files_.size() + 1,
                                         extension ? path_.substr(dot) : "");
    std::FILE* file = std::fopen(next.c_str(), "wbe");
    if (file == nullptr) return;  // the old one goes on growing: nothing is lost for want of a name
    if (std::fclose(file_) != 0) error_ = stopped();
    file_ = file;
    files_.push_back(next);
    in_file_ = 0;
}

void Recorder::add(std::span<const std::uint8_t> packet) {
    const auto us = static_cast<std::uint64_t>(clock_.unix_s() * 1e6);
    std::uint8_t stamp[8];
    for (int i = 0; i < 8; ++i) stamp[i] = static_cast<std::uint8_t>(us >> (56 - 8 * i));
    const std::lock_guard lock(mutex_);
    if (!error_.empty()) return;
    if (in_file_ >= rotate_bytes_) rotate();
    bool ok =
        std::fwrite(stamp, 1, 8, file_) == 8 && std::fwrite(packet.data(), 1, packet.size(), file_) == packet.size();
    in_file_ += 8 + packet.size();
    bytes_ += 8 + packet.size();
    if (const double ms = clock_.now_ms(); ms - flushed_ms_ > 500) {
        flushed_ms_ = ms;
        ok = std::fflush(file_) == 0 && ok;
    }
    if (!ok) error_ = stopped();
}

void Recorder::flush() {
    const std::lock_guard lock(mutex_);
    if (error_.empty() && std::fflush(file_) != 0) error_ = stopped();
}

void Recorder::sync() {
    int copy = -1;
    {
        const std::lock_guard lock(mutex_);
        if (!error_.empty()) return;
        if (std::fflush(file_) != 0) error_ = stopped();
        copy = dup(fileno(file_));
    }
    if (copy < 0) return;
    fdatasync(copy);
    close(copy);
}

std::string Recorder::error() const {
    const std::lock_guard lock(mutex_);
    return error_;
}

std::uint64_t Recorder::bytes() const {
    const std::lock_guard lock(mutex_);
    return bytes_;
}

std::vector<std::string> Recorder::files() const {
    const std::lock_guard lock(mutex_);
    return files_;
}

}  // namespace anhinga
