// A file that is being fetched: written where its pieces belong, with a note beside it of what is already there, so
// that a fetch that was cut off goes on later where it was.
#pragma once

#include <cstdint>
#include <cstdio>
#include <memory>
#include <span>
#include <string>
#include <vector>

#include "core/base/Result.h"

namespace anhinga {

class PartFile {
  public:
    /// Goes on with PATH.part when it is of the same source (`identity`: what makes two sources the same), size and
    /// block size; starts anew otherwise.
    static Result<std::unique_ptr<PartFile>> open(const std::string& path, const std::string& identity,
                                                  std::uint64_t size, std::size_t block);
    ~PartFile();
    PartFile(const PartFile&) = delete;

    std::size_t blocks() const { return have_.size(); }
    std::size_t block() const { return block_; }
    std::uint64_t size() const { return size_; }
    /// One entry a block.
    const std::vector<bool>& have() const { return have_; }
    /// Bytes of block `index`: shorter for the last.
    std::size_t lengthOf(std::size_t index) const;
    Result<void> put(std::size_t index, std::span<const std::uint8_t> bytes);
    /// Writes the note of what is there.
    Result<void> save();
    /// All is there: checks the size, makes it safe on disk under its own name and takes the note away.
    Result<void> finish();

  private:
    PartFile() = default;
    std::FILE* file_ = nullptr;
    std::string path_, identity_;
    std::uint64_t size_ = 0;
    std::size_t block_ = 0;
    std::vector<bool> have_;
};

}  // namespace anhinga
