#include "core/link/PartFile.h"

#include <sys/stat.h>
#include <unistd.h>

#include <cerrno>
#include <cstring>
#include <filesystem>

#include "core/base/File.h"

namespace anhinga {

namespace {
std::string partOf(const std::string& path) {
    return path + ".part";
}
std::string noteOf(const std::string& path) {
    return path + ".part.have";
}
/// First line of the note.
std::string headOf(const std::string& identity, std::uint64_t size, std::size_t block) {
    return fmt::format("anhinga part 1 size {} block {} of {}\n", size, block, identity);
}
}  // namespace

Result<std::unique_ptr<PartFile>> PartFile::open(const std::string& path, const std::string& identity,
                                                 std::uint64_t size, std::size_t block) {
    std::unique_ptr<PartFile> part(new PartFile);
    part->path_ = path;
    part->identity_ = identity;
    part->size_ = size;
    part->block_ = block;
    part->have_.assign(static_cast<std::size_t>((size + block - 1) / block), false);
    const std::string head = headOf(identity, size, block);
    const auto note = readFile(noteOf(path));
    std::error_code error;
    const bool goes_on = note && note->starts_with(head) && note->size() == head.size() + part->have_.size() &&
                         std::filesystem::file_size(partOf(path), error) == size && !error;
    if (goes_on)
        for (std::size_t i = 0; i < part->have_.size(); ++i) part->have_[i] = (*note)[head.size() + i] == '1';
    part->file_ = std::fopen(partOf(path).c_str(), goes_on ? "r+be" : "w+be");
    if (part->file_ == nullptr) return fail("{}: cannot be written: {}", partOf(path), std::strerror(errno));
    if (!goes_on && ftruncate(fileno(part->file_), static_cast<off_t>(size)) != 0)
        return fail("{}: there is no room for {} bytes: {}", partOf(path), size, std::strerror(errno));
    return part;
}

PartFile::~PartFile() {
    if (file_ != nullptr) std::fclose(file_);
}

std::size_t PartFile::lengthOf(std::size_t index) const {
    const std::uint64_t from = static_cast<std::uint64_t>(index) * block_;
    return static_cast<std::size_t>(std::min<std::uint64_t>(block_, size_ - from));
}

Result<void> PartFile::put(std::size_t index, std::span<const std::uint8_t> bytes) {
    if (index >= have_.size() || bytes.size() != lengthOf(index)) return fail("a piece that does not fit the file");
    if (have_[index]) return {};
    if (fseeko(file_, static_cast<off_t>(index * block_), SEEK_SET) != 0 ||
        std::fwrite(bytes.data(), 1, bytes.size(), file_) != bytes.size())
        return fail("{}: cannot be written: {}", partOf(path_), std::strerror(errno));
    have_[index] = true;
    return {};
}

Result<void> PartFile::save() {
    // A file that was taken away, or its folder or card: what still comes would go nowhere.
    struct stat info {};
    if (::fstat(fileno(file_), &info) != 0 || info.st_nlink == 0)
        return fail("{}: cannot be written: the file is gone", partOf(path_));
    // The note is written after what it says is there.
    if (std::fflush(file_) != 0 || ::fdatasync(fileno(file_)) != 0)
        return fail("{}: cannot be written: {}", partOf(path_), std::strerror(errno));
    std::string note = headOf(identity_, size_, block_);
    for (const bool there : have_) note += there ? '1' : '0';
    return writeFileAtomic(noteOf(path_), note);
}

Result<void> PartFile::finish() {
    for (const bool there : have_)
        if (!there) return fail("{}: pieces are missing", partOf(path_));
    const bool written = std::fflush(file_) == 0 && fsync(fileno(file_)) == 0;
    const bool closed = std::fclose(file_) == 0;
    file_ = nullptr;
    std::error_code error;
    if (!written || !closed) return fail("{}: cannot be written: {}", partOf(path_), std::strerror(errno));
    if (std::filesystem::file_size(partOf(path_), error) != size_ || error)
        return fail("{}: is not {} bytes long", partOf(path_), size_);
    std::filesystem::rename(partOf(path_), path_, error);
    if (error) return fail("{}: cannot be written: {}", path_, error.message());
    std::filesystem::remove(noteOf(path_), error);
    return {};
}

}  // namespace anhinga
