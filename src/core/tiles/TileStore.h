// Map tiles on disk, in an MBTiles file (specification 1.3) that other programs can open too. Remembers which areas the
// operator stored for the field, finished or not.
#pragma once

#include <cstdint>
#include <memory>
#include <mutex>
#include <optional>
#include <string>
#include <vector>

#include "core/base/Result.h"
#include "core/tiles/TileGrid.h"

struct sqlite3;

namespace anhinga {

/// What the operator wants to have in the field.
struct StoredArea {
    std::int64_t id = 0;  // given by the store
    std::string name;
    GeoBox box;
    int zoom_from = 10, zoom_to = 16;
    bool complete = false;
    double stored_s = 0;  // seconds since 1970 UTC of its last completion; 0: never
    bool operator==(const StoredArea&) const = default;
};

/// Thread-safe, and safe with other windows on the same file. One call at a time: a reading that is still open in one
/// thread would make SQLite refuse a writing of another at once when a second window has written meanwhile.
class TileStore {
  public:
    /// Opens, or makes with its folders. A file that is not an MBTiles file is an error and stays as it is.
    static Result<std::shared_ptr<TileStore>> open(const std::string& path, const std::string& name,
                                                   const std::string& attribution);
    ~TileStore();
    TileStore(const TileStore&) = delete;
    TileStore& operator=(const TileStore&) = delete;

    std::optional<std::string> get(TileId tile) const;
    bool has(TileId tile) const;
    Result<void> put(TileId tile, const std::string& picture);
    std::uint64_t count() const;
    /// Of the pictures alone.
    std::uint64_t bytes() const;
    /// Forgets the tiles put first until the pictures take no more than so many bytes.
    void trim(std::uint64_t bytes_max);

    std::vector<StoredArea> areas() const;
    /// Adds the area, or replaces the one with its id. Returns its id.
    Result<std::int64_t> keepArea(const StoredArea& area);
    /// Forgets the area, and the tiles no other area needs.
    Result<void> removeArea(std::int64_t id);
    const std::string& path() const { return path_; }

  private:
    TileStore(std::string path, sqlite3* db) : path_(std::move(path)), db_(db) {}
    Result<void> describe();
    std::string path_;
    sqlite3* db_;
    mutable std::recursive_mutex mutex_;
};

/// "png", "jpg" or "webp" by the first bytes of a picture; empty for anything else.
std::string pictureFormat(const std::string& bytes);
/// "850 kB", "1.2 GB".
std::string bytesText(std::uint64_t bytes);

}  // namespace anhinga
