// Recording of a link: every packet, each with the time in microseconds since 1970 (8 bytes, big-endian) before it.
#pragma once

#include <cstdint>
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
    /// Readable by its owner alone.
    static Result<std::unique_ptr<Recorder>> create(const std::string& path, Clock& clock = Clock::machine(),
                                                    std::uint64_t rotate_bytes = std::uint64_t{256} << 20);
    ~Recorder();
    Recorder(const Recorder&) = delete;
    void add(std::span<const std::uint8_t> packet);
    /// A packet that was not believed: into a file of its own beside the recording (mavlink::notBelievedFile()), which
    /// says so in its first packet. Of more than fits in 64 MB only the number is kept.
    void addNotBelieved(std::span<const std::uint8_t> packet);
    std::uint64_t notBelieved() const;
    /// All that was added is in the file from then on, for whoever opens it while it is still written.
    void flush();
    /// Flushed, and on the disk: it outlives a power cut. May take its time; packets are added meanwhile.
    void sync();
    /// Empty while all that was heard is written, else why not: a full disk, a card that was pulled, a folder that is
    /// gone. What is heard then waits in memory, up to 8 MB, and is written as soon as that can be done again; what is
    /// more is missing, and a mark in the recording says so.
    std::string error() const;
    /// Written so far, over all files.
    std::uint64_t bytes() const;
    std::vector<std::string> files() const;

  private:
    /// A file that grows, and what is not in it yet.
    struct Out {
        int fd = -1;
        std::uint64_t written = 0;
        std::string waiting;
        /// False, with the reason in `why`: nothing of it is lost, it goes on waiting.
        bool flush(std::string& why);
        void close();
    };
    Recorder(int fd, std::string path, Clock& clock, std::uint64_t rotate_bytes)
        : clock_(clock), path_(path), rotate_bytes_(rotate_bytes), files_{std::move(path)} {
        file_.fd = fd;
    }
    void rotate();
    /// The next of the recording's files, which is new; below 0: none can be made.
    int nextFile(std::string& path) const;
    void append(Out& out, std::span<const std::uint8_t> packet) const;
    void tryFlush();
    Clock& clock_;
    mutable std::mutex mutex_;
    Out file_, doubted_;
    std::string path_, error_;
    std::uint64_t rotate_bytes_, bytes_ = 0, not_believed_ = 0, doubted_bytes_ = 0, missed_ = 0;
    std::vector<std::string> files_;
    double flushed_ms_ = 0, doubted_flushed_ms_ = 0;
};

}  // namespace anhinga
