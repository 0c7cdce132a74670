#include "core/link/Recorder.h"

#include <fcntl.h>
#include <sys/stat.h>
#include <unistd.h>

#include <cerrno>
#include <cstring>

#include "core/base/Text.h"
#include "core/mavlink/Frame.h"
#include "core/mavlink/RecordingFiles.h"

namespace anhinga {

namespace {
constexpr std::size_t kMostWaiting = std::size_t{8} << 20, kManyWaiting = std::size_t{64} << 10;
constexpr double kEvery_ms = 500, kAgain_ms = 2000;

int createPrivate(const std::string& path, int how) {
    return ::open(path.c_str(), O_WRONLY | O_CREAT | O_CLOEXEC | how, 0600);
}
/// The parts of a name before and from its extension on.
std::pair<std::string, std::string> splitName(const std::string& path) {
    const auto dot = path.rfind('.');
    const bool extension = dot != std::string::npos && path.find('/', dot) == std::string::npos;
    return extension ? std::pair(path.substr(0, dot), path.substr(dot)) : std::pair(path, std::string());
}
/// A word of the ground.
std::vector<std::uint8_t> markPacket(const std::string& text) {
    mavlink::Message says("STATUSTEXT");
    says.set("severity", 5).setText("text", text);
    says.system = 255;
    says.component = 190;
    const std::string bytes = mavlink::encode(says);
    return {bytes.begin(), bytes.end()};
}
}  // namespace

Result<std::unique_ptr<Recorder>> Recorder::create(const std::string& path, Clock& clock, std::uint64_t rotate_bytes) {
    struct stat there {};
    if (::stat(path.c_str(), &there) == 0 && !S_ISREG(there.st_mode))
        return fail("{}: the recording cannot be written: this is not a file", path);
    const int fd = createPrivate(path, O_TRUNC);
    if (fd < 0) return fail("{}: the recording cannot be written: {}", path, std::strerror(errno));
    return std::unique_ptr<Recorder>(new Recorder(fd, path, clock, rotate_bytes));
}

Recorder::~Recorder() {
    std::string why;
    (void)file_.flush(why);
    (void)doubted_.flush(why);
    file_.close();
    doubted_.close();
}

bool Recorder::Out::flush(std::string& why) {
    if (waiting.empty()) return true;
    std::size_t done = 0;
    while (done < waiting.size()) {
        const ssize_t n =
            ::pwrite(fd, waiting.data() + done, waiting.size() - done, static_cast<off_t>(written + done));
        if (n < 0 && errno == EINTR) continue;
        if (n <= 0) {
            why = n < 0 ? std::strerror(errno) : "nothing can be written";
            // What was begun is taken back: the file ends with a whole packet.
            (void)!::ftruncate(fd, static_cast<off_t>(written));
            return false;
        }
        done += static_cast<std::size_t>(n);
    }
    written += done;
    waiting.clear();
    return true;
}

void Recorder::Out::close() {
    if (fd >= 0) ::close(fd);
    fd = -1;
}

int Recorder::nextFile(std::string& path) const {
    const auto [name, extension] = splitName(path_);
    constexpr std::size_t kMostNames = 10000;
    for (std::size_t n = files_.size() + 1; n < kMostNames; ++n) {
        path = fmt::format("{}-{}{}", name, n, extension);
        // Another recording's file stays as it is.
        const int fd = createPrivate(path, O_EXCL);
        if (fd >= 0 || errno != EEXIST) return fd;
    }
    return -1;
}

void Recorder::rotate() {
    std::string next, why;
    if (!file_.flush(why)) return;
    const int fd = nextFile(next);
    if (fd < 0) return;  // the old one goes on growing: nothing is lost for want of a name
    file_.close();
    file_ = {fd, 0, {}};
    files_.push_back(next);
}

void Recorder::append(Out& out, std::span<const std::uint8_t> packet) const {
    const auto us = static_cast<std::uint64_t>(clock_.unix_s() * 1e6);
    for (int i = 0; i < 8; ++i) out.waiting += static_cast<char>(us >> (56 - 8 * i) & 0xFF);
    out.waiting.append(reinterpret_cast<const char*>(packet.data()), packet.size());
}

void Recorder::tryFlush() {
    flushed_ms_ = clock_.now_ms();
    std::string why;
    struct stat info {};
    // A file that nobody can find any more is not a recording.
    const bool gone = ::fstat(file_.fd, &info) != 0 || info.st_nlink == 0;
    if (gone) {
        std::string next;
        const int fd = nextFile(next);
        if (fd < 0) {
            error_ =
                "nothing is recorded: the file is gone, and no other can be made: " + std::string(std::strerror(errno));
            return;
        }
        file_.close();
        file_ = {fd, 0, std::move(file_.waiting)};
        files_.push_back(next);
    }
    if (!file_.flush(why)) {
        error_ = "nothing is recorded: " + why;
        return;
    }
    error_.clear();
    if (missed_ == 0) return;
    append(file_, markPacket(fmt::format("mark: {} packets were not recorded", missed_)));
    missed_ = 0;
}

void Recorder::add(std::span<const std::uint8_t> packet) {
    const std::lock_guard lock(mutex_);
    if (file_.written + file_.waiting.size() >= rotate_bytes_ && error_.empty()) rotate();
    if (file_.waiting.size() < kMostWaiting) {
        append(file_, packet);
        bytes_ += 8 + packet.size();
    } else {
        ++missed_;
    }
    const double since = clock_.now_ms() - flushed_ms_;
    if (error_.empty() ? since > kEvery_ms || file_.waiting.size() > kManyWaiting : since > kAgain_ms) tryFlush();
}

void Recorder::addNotBelieved(std::span<const std::uint8_t> packet) {
    constexpr std::uint64_t kMost = std::uint64_t{64} << 20;
    const std::lock_guard lock(mutex_);
    ++not_believed_;
    if (doubted_bytes_ >= kMost) return;
    if (doubted_.fd < 0) {
        doubted_.fd = createPrivate(mavlink::notBelievedFile(path_), O_TRUNC);
        if (doubted_.fd < 0) {
            doubted_bytes_ = kMost;  // only counted
            return;
        }
        append(doubted_, markPacket(mavlink::kNotBelievedText));
    }
    append(doubted_, packet);
    doubted_bytes_ += 8 + packet.size();
    if (clock_.now_ms() - doubted_flushed_ms_ < kEvery_ms && doubted_.waiting.size() <= kManyWaiting) return;
    doubted_flushed_ms_ = clock_.now_ms();
    // A full disk is the recording's own matter.
    std::string why;
    if (!doubted_.flush(why)) {
        doubted_.waiting.clear();
        doubted_bytes_ = kMost;
    }
}

std::uint64_t Recorder::notBelieved() const {
    const std::lock_guard lock(mutex_);
    return not_believed_;
}

void Recorder::flush() {
    const std::lock_guard lock(mutex_);
    tryFlush();
    std::string why;
    (void)doubted_.flush(why);
}

void Recorder::sync() {
    int copy = -1;
    {
        const std::lock_guard lock(mutex_);
        tryFlush();
        if (error_.empty()) copy = dup(file_.fd);
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
