#include "core/link/Recorder.h"

#include <fcntl.h>
#include <unistd.h>

#include <cerrno>
#include <cstring>

#include "core/base/Text.h"
#include "core/mavlink/Frame.h"

namespace anhinga {

namespace {
std::string stopped() {
    return fmt::format("recording has stopped: {}", std::strerror(errno));
}
}  // namespace

namespace {
std::FILE* createPrivate(const std::string& path) {
    const int fd = ::open(path.c_str(), O_WRONLY | O_CREAT | O_TRUNC | O_CLOEXEC, 0600);
    return fd < 0 ? nullptr : ::fdopen(fd, "wb");
}
/// The parts of a name before and from its extension on.
std::pair<std::string, std::string> splitName(const std::string& path) {
    const auto dot = path.rfind('.');
    const bool extension = dot != std::string::npos && path.find('/', dot) == std::string::npos;
    return extension ? std::pair(path.substr(0, dot), path.substr(dot)) : std::pair(path, std::string());
}
}  // namespace

std::string notBelievedFile(const std::string& recording) {
    const auto [name, extension] = splitName(recording);
    return name + "-not-believed" + extension;
}

Result<std::unique_ptr<Recorder>> Recorder::create(const std::string& path, Clock& clock, std::uint64_t rotate_bytes) {
    std::FILE* file = createPrivate(path);
    if (file == nullptr) return fail("{}: the recording cannot be written: {}", path, std::strerror(errno));
    return std::unique_ptr<Recorder>(new Recorder(file, path, clock, rotate_bytes));
}

Recorder::~Recorder() {
    if (file_ != nullptr) std::fclose(file_);
    if (doubted_ != nullptr) std::fclose(doubted_);
}

void Recorder::rotate() {
    const auto [name, extension] = splitName(path_);
    const std::string next = fmt::format("{}-{}{}", name, files_.size() + 1, extension);
    std::FILE* file = createPrivate(next);
    if (file == nullptr) return;  // the old one goes on growing: nothing is lost for want of a name
    if (std::fclose(file_) != 0) error_ = stopped();
    file_ = file;
    files_.push_back(next);
    in_file_ = 0;
}

bool Recorder::put(std::FILE* file, std::span<const std::uint8_t> packet) {
    const auto us = static_cast<std::uint64_t>(clock_.unix_s() * 1e6);
    std::uint8_t stamp[8];
    for (int i = 0; i < 8; ++i) stamp[i] = static_cast<std::uint8_t>(us >> (56 - 8 * i));
    return std::fwrite(stamp, 1, 8, file) == 8 && std::fwrite(packet.data(), 1, packet.size(), file) == packet.size();
}

void Recorder::add(std::span<const std::uint8_t> packet) {
    const std::lock_guard lock(mutex_);
    if (!error_.empty()) return;
    if (in_file_ >= rotate_bytes_) rotate();
    bool ok = put(file_, packet);
    in_file_ += 8 + packet.size();
    bytes_ += 8 + packet.size();
    if (const double ms = clock_.now_ms(); ms - flushed_ms_ > 500) {
        flushed_ms_ = ms;
        ok = std::fflush(file_) == 0 && ok;
    }
    if (!ok) error_ = stopped();
}

void Recorder::addNotBelieved(std::span<const std::uint8_t> packet) {
    constexpr std::uint64_t kMost = std::uint64_t{64} << 20;
    const std::lock_guard lock(mutex_);
    ++not_believed_;
    if (doubted_bytes_ >= kMost) return;
    if (doubted_ == nullptr) {
        doubted_ = createPrivate(notBelievedFile(path_));
        if (doubted_ == nullptr) {
            doubted_bytes_ = kMost;  // only counted
            return;
        }
        mavlink::Message says("STATUSTEXT");
        says.set("severity", 5).setText("text", kNotBelievedText);
        says.system = 255;
        says.component = 190;
        const std::string first = mavlink::encode(says);
        (void)put(doubted_, {reinterpret_cast<const std::uint8_t*>(first.data()), first.size()});
    }
    // A full disk is the recording's own matter.
    if (!put(doubted_, packet)) doubted_bytes_ = kMost;
    doubted_bytes_ += 8 + packet.size();
}

std::uint64_t Recorder::notBelieved() const {
    const std::lock_guard lock(mutex_);
    return not_believed_;
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
