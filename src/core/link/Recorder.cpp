#include "core/link/Recorder.h"

#include <cerrno>
#include <chrono>
#include <cstring>

#include "core/base/Text.h"

namespace anhinga {

namespace {
std::string stopped() {
    return fmt::format("recording has stopped: {}", std::strerror(errno));
}
}  // namespace

Result<std::unique_ptr<Recorder>> Recorder::create(const std::string& path) {
    std::FILE* file = std::fopen(path.c_str(), "wbe");
    if (file == nullptr) return fail("{}: the recording cannot be written: {}", path, std::strerror(errno));
    return std::unique_ptr<Recorder>(new Recorder(file));
}

Recorder::~Recorder() {
    std::fclose(file_);
}

void Recorder::add(std::span<const std::uint8_t> packet) {
    const auto now = std::chrono::system_clock::now().time_since_epoch();
    const auto us = static_cast<std::uint64_t>(std::chrono::duration_cast<std::chrono::microseconds>(now).count());
    std::uint8_t stamp[8];
    for (int i = 0; i < 8; ++i) stamp[i] = static_cast<std::uint8_t>(us >> (56 - 8 * i));
    const std::lock_guard lock(mutex_);
    if (!error_.empty()) return;
    bool ok =
        std::fwrite(stamp, 1, 8, file_) == 8 && std::fwrite(packet.data(), 1, packet.size(), file_) == packet.size();
    if (const double ms = monotonicMs(); ms - flushed_ms_ > 500) {
        flushed_ms_ = ms;
        ok = std::fflush(file_) == 0 && ok;
    }
    if (!ok) error_ = stopped();
}

void Recorder::flush() {
    const std::lock_guard lock(mutex_);
    if (error_.empty() && std::fflush(file_) != 0) error_ = stopped();
}

std::string Recorder::error() const {
    const std::lock_guard lock(mutex_);
    return error_;
}

}  // namespace anhinga
