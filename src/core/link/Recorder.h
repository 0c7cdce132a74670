// Recording of a link: every packet, each with the time in microseconds since 1970 (8 bytes, big-endian) before it.
#pragma once

#include <cstdint>
#include <cstdio>
#include <memory>
#include <mutex>
#include <span>
#include <string>
#include <vector>

#include "core/base/Clock.h"
#include "core/base/Result.h"

namespace anhinga {

class Recorder {
  public:
    /// A file that grows past `rotate_bytes` is followed by NAME-2.tlog, NAME-3.tlog and so on.
    static Result<std::unique_ptr<Recorder>> create(const std::string& path, Clock& clock = Clock::machine(),
                                                    std::uint64_t rotate_bytes = std::uint64_t{256} << 20);
    ~Recorder();
    Recorder(const Recorder&) = delete;
    void add(std::span<const std::uint8_t> packet);
    /// All that was added is in the file from then on, for whoever opens it while it is still written.
    void flush();
    /// Flushed, and on the disk: it outlives a power cut. May take its time; packets are added meanwhile.
    void sync();
    /// Empty, or why writing has stopped (a full disk).
    std::string error() const;
    /// Written so far, over all files.
    std::uint64_t bytes() const;
    std::vector<std::string> files() const;

  private:
    Recorder(std::FILE* file, std::string path, Clock& clock, std::uint64_t rotate_bytes)
        : clock_(clock), file_(file), path_(path), rotate_bytes_(rotate_bytes), files_{std::move(path)} {}
    void rotate();
    Clock& clock_;
    mutable std::mutex mutex_;
    std::FILE* file_;
    std::string path_, error_;
    std::uint64_t rotate_bytes_, in_file_ = 0, bytes_ = 0;
    std::vector<std::string> files_;
    double flushed_ms_ = 0;
};

}  // namespace anhinga
