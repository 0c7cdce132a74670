// Recording of a link: every packet, each with the time in microseconds since 1970 (8 bytes, big-endian) before it.
#pragma once

#include <cstdint>
#include <cstdio>
#include <memory>
#include <mutex>
#include <span>
#include <string>

#include "core/base/Result.h"

namespace anhinga {

class Recorder {
  public:
    static Result<std::unique_ptr<Recorder>> create(const std::string& path);
    ~Recorder();
    Recorder(const Recorder&) = delete;
    void add(std::span<const std::uint8_t> packet);
    /// All that was added is in the file from then on, for whoever opens it while it is still written.
    void flush();
    /// Empty, or why writing has stopped (a full disk).
    std::string error() const;

  private:
    explicit Recorder(std::FILE* file) : file_(file) {}
    mutable std::mutex mutex_;
    std::FILE* file_;
    std::string error_;
    double flushed_ms_ = 0;
};

}  // namespace anhinga
