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

/// First words of a file of packets that were not believed, as a text of the ground.
constexpr const char* kNotBelievedText = "mark: what follows was not believed";
/// Where that lies: "flight.tlog" has "flight-not-believed.tlog" beside it.
std::string notBelievedFile(const std::string& recording);

class Recorder {
  public:
    /// A file that grows past `rotate_bytes` is followed by NAME-2.tlog, NAME-3.tlog and so on.
    /// Readable by its owner alone.
    static Result<std::unique_ptr<Recorder>> create(const std::string& path, Clock& clock = Clock::machine(),
                                                    std::uint64_t rotate_bytes = std::uint64_t{256} << 20);
    ~Recorder();
    Recorder(const Recorder&) = delete;
    void add(std::span<const std::uint8_t> packet);
    /// A packet that was not believed: into a file of its own beside the recording (notBelievedFile()), which says so
    /// in its first packet. Of more than fits in 64 MB only the number is kept.
    void addNotBelieved(std::span<const std::uint8_t> packet);
    std::uint64_t notBelieved() const;
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
    bool put(std::FILE* file, std::span<const std::uint8_t> packet);
    Clock& clock_;
    mutable std::mutex mutex_;
    std::FILE *file_, *doubted_ = nullptr;
    std::string path_, error_;
    std::uint64_t rotate_bytes_, in_file_ = 0, bytes_ = 0, not_believed_ = 0, doubted_bytes_ = 0;
    std::vector<std::string> files_;
    double flushed_ms_ = 0;
};

}  // namespace anhinga
