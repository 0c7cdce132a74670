// Bringing the tiles of an area to disk before going out: counts, fetches what is missing, can be cancelled at any
// moment and goes on where it was. What is there stays there.
#pragma once

#include <QObject>
#include <QString>
#include <memory>

#include "session/TileSource.h"

namespace anhinga {

/// Number and size of an area's tiles before anything is fetched.
struct AreaCost {
    std::uint64_t tiles = 0, present = 0;
    std::uint64_t bytes_missing = 0;  // about
    bool known_size = false;          // from tiles of this map already on disk; otherwise a usual size is taken
};

class AreaStoring : public QObject {
    Q_OBJECT
  public:
    /// More tiles than this are refused: weeks of fetching, and no server wants that.
    static constexpr std::uint64_t kTilesMax = 200'000;

    explicit AreaStoring(QObject* parent = nullptr) : QObject(parent) {}
    /// Present tiles are counted exactly up to 4,000 tiles, above that by a sample.
    static AreaCost cost(const TileSource& source, const StoredArea& area);

    /// Begins, or goes on with, an area; its id is known from area(). The source must outlive the work.
    Result<void> start(TileSource* source, StoredArea area);
    /// Stops; what was fetched stays, the area stays listed as unfinished.
    void cancel();
    bool running() const { return source_ != nullptr; }
    const StoredArea& area() const { return area_; }
    std::uint64_t done() const { return done_; }
    std::uint64_t total() const { return total_; }
    std::uint64_t fetchedBytes() const { return bytes_; }
    std::uint64_t missing() const { return missing_; }

  signals:
    void progressed();
    /// `complete` is false after cancel() and after the server stopped answering; `text` says how it ended.
    void finished(bool complete, const QString& text);

  private:
    void step();
    void take(TileId tile, const TileSource::Fetched& got, std::uint64_t run);
    void end(bool complete, const QString& text);

    TileSource* source_ = nullptr;
    StoredArea area_;
    std::unique_ptr<TileWalk> walk_;
    std::vector<TileId> again_;  // failed once, tried again at the end
    std::uint64_t done_ = 0, total_ = 0, bytes_ = 0, missing_ = 0, run_ = 0;
    int in_flight_ = 0, failures_ = 0;
};

}  // namespace anhinga
