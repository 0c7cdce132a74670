#include "core/base/File.h"

#include <fcntl.h>
#include <sys/stat.h>
#include <unistd.h>

#include <cerrno>
#include <cstring>

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

Result<void> writeFileAtomic(const std::string& path, std::string_view content) {
    struct stat info {};
    if (::stat(path.c_str(), &info) == 0 && S_ISDIR(info.st_mode)) return fail("{}: is a directory", path);
    std::string temporary = path + ".XXXXXX";
    {
        const Descriptor file{::mkstemp(temporary.data())};
        if (file.fd < 0) return fail("{}: cannot be written: {}", path, std::strerror(errno));
        const mode_t mask = ::umask(0);
        ::umask(mask);
        ::fchmod(file.fd, 0666 & ~mask);
        std::size_t done = 0;
        while (done < content.size()) {
            const ssize_t n = ::write(file.fd, content.data() + done, content.size() - done);
            if (n < 0 && errno == EINTR) continue;
            if (n < 0) {
                const int why = errno;
                ::unlink(temporary.c_str());
                return fail("{}: cannot be written: {}", path, std::strerror(why));
            }
            done += static_cast<std::size_t>(n);
        }
        if (::fsync(file.fd) != 0) {
            const int why = errno;
            ::unlink(temporary.c_str());
            return fail("{}: not safely on disk: {}", path, std::strerror(why));
        }
    }
    if (::rename(temporary.c_str(), path.c_str()) != 0) {
        const int why = errno;
        ::unlink(temporary.c_str());
        return fail("{}: cannot be replaced: {}", path, std::strerror(why));
    }
    const auto slash = path.rfind('/');
    const std::string folder = slash == std::string::npos ? "." : path.substr(0, slash + 1);
    const Descriptor dir{::open(folder.c_str(), O_RDONLY | O_DIRECTORY | O_CLOEXEC)};
    if (dir.fd >= 0) ::fsync(dir.fd);
    return {};
}

std::uint64_t fingerprint(std::string_view bytes) {
    std::uint64_t hash = 14695981039346656037ULL;
    for (const char c : bytes) {
        hash ^= static_cast<unsigned char>(c);
        hash *= 1099511628211ULL;
    }
    return hash;
}

}  // namespace anhinga
