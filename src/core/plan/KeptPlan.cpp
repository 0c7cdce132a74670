#include "core/plan/KeptPlan.h"

#include <fcntl.h>
#include <sys/file.h>
#include <sys/stat.h>
#include <unistd.h>

#include <algorithm>
#include <cstring>
#include <filesystem>
#include <nlohmann/json.hpp>

#include "core/base/File.h"
#include "core/plan/PlanFile.h"

namespace anhinga {

namespace {

constexpr const char* kOriginal = "kept_from";  // member of the copy: the plan's own file
constexpr const char* kLock = ".lock";

/// The lock of a copy, taken when its window is gone; -1 while it lives.
int takeLock(const std::string& file) {
    const int fd = ::open((file + kLock).c_str(), O_RDWR | O_CREAT | O_CLOEXEC, 0600);
    if (fd < 0) return -1;
    if (::flock(fd, LOCK_EX | LOCK_NB) == 0) return fd;
    ::close(fd);
    return -1;
}

}  // namespace

Result<KeptCopy> KeptCopy::begin(const std::string& folder) {
    std::error_code error;
    if (auto made = makePrivateFolder(folder); !made) return tl::unexpected(made.error());
    removeLeftParts(folder);
    for (int n = 0; n < 1000; ++n) {
        KeptCopy copy;
        copy.file_ = fmt::format("{}/{}-{}{}", folder, ::getpid(), n, kPlanExtension);
        if (std::filesystem::exists(copy.file_ + kLock, error) || std::filesystem::exists(copy.file_, error)) continue;
        copy.lock_ = takeLock(copy.file_);
        if (copy.lock_ >= 0) return copy;
    }
    return fail("{}: cannot be written: unsaved changes are not kept safe", folder);
}

KeptCopy::KeptCopy(KeptCopy&& other) noexcept
    : file_(std::exchange(other.file_, {})), lock_(std::exchange(other.lock_, -1)) {}

KeptCopy& KeptCopy::operator=(KeptCopy&& other) noexcept {
    std::swap(file_, other.file_);
    std::swap(lock_, other.lock_);
    return *this;
}

KeptCopy::~KeptCopy() {
    if (lock_ < 0) return;
    clear();
    ::unlink((file_ + kLock).c_str());
    ::close(lock_);
}

Result<void> KeptCopy::write(const Plan& plan, const std::string& original) {
    if (lock_ < 0) return fail("unsaved changes are not kept safe");
    Plan copy = plan;
    // The copy lies elsewhere: what is named beside the plan must still be found.
    for (auto* files : {&copy.terrain_files, &copy.imagery_files})
        for (std::string& f : *files) f = resolveBeside(original, f);
    auto extra = nlohmann::ordered_json::parse(copy.unknown, nullptr, false);
    if (!extra.is_object()) extra = nlohmann::ordered_json::object();
    extra[kOriginal] = original;
    copy.unknown = extra.dump(-1, ' ', false, nlohmann::ordered_json::error_handler_t::replace);
    // Whatever it is like: better one that has to be mended by hand than none.
    return writeFileAtomic(file_, writePlanText(copy), {.private_file = true});
}

bool KeptCopy::gone() const {
    struct stat info {};
    return lock_ < 0 || ::fstat(lock_, &info) != 0 || info.st_nlink == 0;
}

void KeptCopy::clear() {
    if (!file_.empty()) ::unlink(file_.c_str());
}

std::vector<LeftPlan> leftPlans(const std::string& folder) {
    struct Found {
        std::filesystem::file_time_type time;
        LeftPlan left;
    };
    std::vector<Found> found;
    std::error_code error;
    for (const auto& entry : std::filesystem::directory_iterator(folder, error)) {
        const std::string file = entry.path().string();
        if (file.ends_with(kLock)) {
            // Of a copy that is not there any more, and nobody is about to make.
            const std::string copy = file.substr(0, file.size() - std::string_view(kLock).size());
            std::error_code none;
            if (std::filesystem::exists(copy, none)) continue;
            if (const int lock = takeLock(copy); lock >= 0) {
                ::unlink(file.c_str());
                ::close(lock);
            }
            continue;
        }
        if (!file.ends_with(kPlanExtension)) continue;
        const int lock = takeLock(file);
        if (lock < 0) continue;
        ::close(lock);
        auto plan = loadPlan(file);
        if (!plan) {
            found.push_back({entry.last_write_time(error), {file, "", {}, plan.error().message}});
            continue;
        }
        LeftPlan left{file, "", std::move(*plan)};
        auto extra = nlohmann::ordered_json::parse(left.plan.unknown, nullptr, false);
        if (extra.is_object() && extra.contains(kOriginal) && extra[kOriginal].is_string()) {
            left.original = extra[kOriginal].get<std::string>();
            extra.erase(kOriginal);
            left.plan.unknown = extra.empty() ? "" : extra.dump();
        }
        found.push_back({entry.last_write_time(error), std::move(left)});
    }
    std::sort(found.begin(), found.end(), [](const Found& a, const Found& b) { return a.time > b.time; });
    std::vector<LeftPlan> out;
    for (Found& f : found) out.push_back(std::move(f.left));
    return out;
}

void removeLeft(const LeftPlan& left) {
    ::unlink(left.file.c_str());
    ::unlink((left.file + kLock).c_str());
}

}  // namespace anhinga
