#include "core/base/File.h"

#include <fcntl.h>
#include <sys/stat.h>
#include <unistd.h>

#include <cerrno>
#include <charconv>
#include <csignal>
#include <cstring>
#include <filesystem>
#include <vector>

namespace anhinga {

namespace {

/// Closes a descriptor when the scope ends.
struct Descriptor {
    int fd;
    ~Descriptor() {
        if (fd >= 0) ::close(fd);
    }
};

}  // namespace

Result<std::string> readFile(const std::string& path, std::size_t max_bytes) {
    const Descriptor file{::open(path.c_str(), O_RDONLY | O_CLOEXEC | O_NONBLOCK)};
    if (file.fd < 0) return fail("{}: cannot be opened: {}", path, std::strerror(errno));
    struct stat info {};
    if (::fstat(file.fd, &info) != 0) return fail("{}: {}", path, std::strerror(errno));
    if (S_ISDIR(info.st_mode)) return fail("{}: is a directory, a file is needed", path);
    if (!S_ISREG(info.st_mode)) return fail("{}: is not a regular file", path);
    const auto size = static_cast<std::size_t>(info.st_size);
    if (size > max_bytes) return fail("{}: {} bytes, more than the {} this reader accepts", path, size, max_bytes);
    std::string content(size, '\0');
    std::size_t done = 0;
    while (done < size) {
        const ssize_t n = ::read(file.fd, content.data() + done, size - done);
        if (n < 0 && errno == EINTR) continue;
        if (n < 0) return fail("{}: cannot be read: {}", path, std::strerror(errno));
        if (n == 0) break;
        done += static_cast<std::size_t>(n);
    }
    content.resize(done);
    return content;
}

namespace {

constexpr const char* kPart = ".part";

/// What a name that may be a link stands for; the name itself where it leads nowhere yet.
std::string followed(const std::string& path) {
    namespace fs = std::filesystem;
    std::error_code none;
    fs::path at = path;
    constexpr int kMostLinks = 40;
    for (int n = 0; n < kMostLinks && fs::is_symlink(at, none); ++n) {
        const fs::path to = fs::read_symlink(at, none);
        if (none) break;
        at = to.is_absolute() ? to : at.parent_path() / to;
    }
    return at.string();
}

/// A file beside `path` that nobody else has: its name says whose it is.
int makePart(const std::string& path, mode_t mode, std::string& name) {
    for (int n = 0; n < 1000; ++n) {
        name = fmt::format("{}.{}-{}{}", path, ::getpid(), n, kPart);
        const int fd = ::open(name.c_str(), O_WRONLY | O_CREAT | O_EXCL | O_CLOEXEC, mode);
        if (fd >= 0 || errno != EEXIST) return fd;
    }
    return -1;
}

}  // namespace

Result<void> writeFileAtomic(const std::string& path, std::string_view content, const WriteOptions& options) {
    const std::string target = followed(path);
    struct stat info {};
    if (::lstat(target.c_str(), &info) == 0 && S_ISLNK(info.st_mode))
        return fail("{}: is a link that leads in a ring", path);
    const bool there = ::stat(target.c_str(), &info) == 0;
    if (there && S_ISDIR(info.st_mode)) return fail("{}: is a directory", path);
    if (there && !S_ISREG(info.st_mode)) return fail("{}: is a device or a pipe, not a file", path);
    if (there && !options.anyway) {
        if ((info.st_mode & 0222) == 0 || ::access(target.c_str(), W_OK) != 0)
            return failAs(ErrorCode::guarded, "{}: is write-protected", path);
        if (info.st_uid != ::geteuid()) return failAs(ErrorCode::guarded, "{}: belongs to another user", path);
    }
    std::string part;
    {
        const Descriptor file{makePart(target, options.private_file ? 0600 : 0666, part)};
        if (file.fd < 0) return fail("{}: cannot be written: {}", path, std::strerror(errno));
        const auto give_up = [&](const char* what) {
            const int why = errno;
            ::unlink(part.c_str());
            return fail("{}: {}: {}", path, what, std::strerror(why));
        };
        std::size_t done = 0;
        while (done < content.size()) {
            const ssize_t n = ::write(file.fd, content.data() + done, content.size() - done);
            if (n < 0 && errno == EINTR) continue;
            if (n < 0) return give_up("cannot be written");
            done += static_cast<std::size_t>(n);
        }
        if (there) {
            // Another's stays another's where that may be done, else it is ours from now on.
            if (info.st_uid != ::geteuid() || info.st_gid != ::getegid())
                if (::fchown(file.fd, info.st_uid, info.st_gid) != 0) (void)::fchown(file.fd, -1, info.st_gid);
            (void)::fchmod(file.fd, info.st_mode & 07777);
        }
        if (::fsync(file.fd) != 0) return give_up("not safely on disk");
    }
    if (::rename(part.c_str(), target.c_str()) != 0) {
        const int why = errno;
        ::unlink(part.c_str());
        return fail("{}: cannot be replaced: {}", path, std::strerror(why));
    }
    const auto slash = target.rfind('/');
    const std::string folder = slash == std::string::npos ? "." : target.substr(0, slash + 1);
    const Descriptor dir{::open(folder.c_str(), O_RDONLY | O_DIRECTORY | O_CLOEXEC)};
    if (dir.fd >= 0) ::fsync(dir.fd);
    return {};
}

void makePrivate(const std::string& path) {
    const Descriptor file{::open(path.c_str(), O_WRONLY | O_CREAT | O_EXCL | O_CLOEXEC, 0600)};
}

Result<void> makePrivateFolder(const std::string& path) {
    namespace fs = std::filesystem;
    std::error_code error;
    if (fs::is_directory(path, error)) return {};
    fs::create_directories(path, error);
    if (error) return fail("{}: cannot be made: {}", path, error.message());
    fs::permissions(path, fs::perms::owner_all, error);
    return {};
}

void removeLeftParts(const std::string& folder) {
    namespace fs = std::filesystem;
    std::error_code none;
    std::vector<fs::path> left;
    for (const auto& entry : fs::directory_iterator(folder, none)) {
        // NAME.PROCESS-NUMBER.part
        const std::string name = entry.path().filename().string();
        if (!name.ends_with(kPart)) continue;
        const std::string stem = name.substr(0, name.size() - std::strlen(kPart));
        const auto dot = stem.rfind('.'), dash = stem.rfind('-');
        if (dot == std::string::npos || dash == std::string::npos || dash < dot) continue;
        pid_t process = 0;
        const char* const end = stem.data() + dash;
        const auto read = std::from_chars(stem.data() + dot + 1, end, process);
        if (read.ec != std::errc{} || read.ptr != end || process <= 0) continue;
        if (::kill(process, 0) == 0 || errno != ESRCH) continue;
        left.push_back(entry.path());
    }
    for (const fs::path& file : left) fs::remove(file, none);
}

std::uint64_t fingerprint(std::string_view bytes) {
    std::uint64_t hash = 14695981039346656037ULL;
    for (const char c : bytes) {
        hash ^= static_cast<unsigned char>(c);
        hash *= 1099511628211ULL;
    }
    return hash;
}

void writeErrorsNotSignals() {
    std::signal(SIGXFSZ, SIG_IGN);
}

}  // namespace anhinga
