#include "core/base/MappedFile.h"

#include <fcntl.h>
#include <signal.h>
#include <sys/mman.h>
#include <sys/stat.h>
#include <unistd.h>

#include <array>
#include <atomic>
#include <cerrno>
#include <cstdint>
#include <cstring>

namespace anhinga {

namespace {

/// Where files are mapped, for the signal handler: no lock, nothing allocated.
struct Range {
    std::atomic<std::uintptr_t> begin{0}, end{0};
};
std::array<Range, 256> ranges;
struct sigaction before;

/// Behind the end of a file that was shortened there is nothing to read: zeros are put there.
void beyondEnd(int signal, siginfo_t* info, void* context) {
    const auto at = reinterpret_cast<std::uintptr_t>(info->si_addr);
    for (const Range& r : ranges) {
        if (at < r.begin || at >= r.end) continue;
        const auto page = static_cast<std::uintptr_t>(sysconf(_SC_PAGESIZE));
        if (mmap(reinterpret_cast<void*>(at / page * page), page, PROT_READ, MAP_PRIVATE | MAP_ANONYMOUS | MAP_FIXED,
                 -1, 0) != MAP_FAILED)
            return;
    }
    if ((before.sa_flags & SA_SIGINFO) != 0 && before.sa_sigaction != nullptr)
        return before.sa_sigaction(signal, info, context);
    sigaction(SIGBUS, &before, nullptr);  // the fault comes again, and is the system's
}

void guard() {
    static const bool done = [] {
        struct sigaction ours {};
        ours.sa_sigaction = beyondEnd;
        ours.sa_flags = SA_SIGINFO;
        sigemptyset(&ours.sa_mask);
        return sigaction(SIGBUS, &ours, &before) == 0;
    }();
    (void)done;
}

class Mapping {
  public:
    Mapping(void* at, std::size_t size) : at_(at), size_(size) {
        const auto begin = reinterpret_cast<std::uintptr_t>(at);
        for (Range& r : ranges) {
            std::uintptr_t none = 0;
            if (!r.begin.compare_exchange_strong(none, begin)) continue;
            r.end = begin + size;
            range_ = &r;
            break;
        }
    }
    ~Mapping() {
        if (range_ != nullptr) {
            range_->end = 0;
            range_->begin = 0;
        }
        munmap(at_, size_);
    }
    Mapping(const Mapping&) = delete;
    Mapping& operator=(const Mapping&) = delete;
    /// False when so many files are open that this one could not be guarded.
    bool guarded() const { return range_ != nullptr; }

  private:
    void* at_;
    std::size_t size_;
    Range* range_ = nullptr;
};

}  // namespace

Result<SharedBytes> mapFile(const std::string& path, std::size_t max_bytes) {
    const int fd = open(path.c_str(), O_RDONLY | O_CLOEXEC);
    if (fd < 0) return fail("{}: cannot be read: {}", path, std::strerror(errno));
    struct stat about {};
    const bool regular = fstat(fd, &about) == 0 && S_ISREG(about.st_mode);
    const auto size = static_cast<std::size_t>(std::max<off_t>(0, about.st_size));
    void* at = MAP_FAILED;
    if (regular && size > 0 && size <= max_bytes) at = mmap(nullptr, size, PROT_READ, MAP_PRIVATE, fd, 0);
    const int why = errno;
    close(fd);
    if (!regular) return fail("{}: {}", path, S_ISDIR(about.st_mode) ? "is a directory" : "is not a regular file");
    if (size == 0) return fail("{}: the file is empty", path);
    if (size > max_bytes) return fail("{}: {} bytes, more than the {} that can be read", path, size, max_bytes);
    if (at == MAP_FAILED) return fail("{}: cannot be read: {}", path, std::strerror(why));
    guard();
    auto mapping = std::make_shared<Mapping>(at, size);
    if (!mapping->guarded()) return fail("{}: too many logs are open", path);
    madvise(at, size, MADV_WILLNEED);
    return SharedBytes{std::move(mapping), {static_cast<const char*>(at), size}};
}

SharedBytes ownedBytes(std::string bytes) {
    auto owner = std::make_shared<const std::string>(std::move(bytes));
    const std::string_view view = *owner;
    return {std::move(owner), view};
}

}  // namespace anhinga
