// One web map: its tiles from memory, from disk (what was stored for the field, what was seen before) and only then
// from the network. Works without a network; says so instead of failing.
#pragma once

#include <QByteArray>
#include <QCache>
#include <QElapsedTimer>
#include <QImage>
#include <QObject>
#include <QString>
#include <array>
#include <condition_variable>
#include <deque>
#include <functional>
#include <map>
#include <memory>
#include <mutex>
#include <set>
#include <stop_token>
#include <thread>
#include <vector>

#include "core/tiles/TileStore.h"
#include "session/Mailbox.h"

class QNetworkAccessManager;

namespace anhinga {

struct WebMap {
    QString name, pattern, attribution;
    int zoom_max = 19;
};

/// Folders of the tile files: kept for the field, and seen before (may be emptied at any time).
struct TileFolders {
    QString stored, seen;
};

class TileSource : public QObject {
    Q_OBJECT
  public:
    /// Disk files are opened at once; a damaged one is named in problem() and left alone.
    TileSource(WebMap map, const TileFolders& folders, QObject* parent = nullptr);
    ~TileSource() override;

    const WebMap& map() const { return map_; }
    /// The tile from memory; a null image when it is not there yet. Nothing is asked for.
    QImage held(TileId tile) const;
    /// What the view needs now, most wanted first; what was wanted before and is not any more is dropped. Each tile
    /// that comes is told by arrived().
    void want(const std::vector<TileId>& tiles);
    /// Why the last tile did not come; empty while all is well.
    QString problem() const { return problem_; }
    /// Tiles for the field; null when its file cannot be used.
    std::shared_ptr<TileStore> stored() const { return stored_; }
    std::shared_ptr<TileStore> seen() const { return seen_; }
    /// From the network alone. Bytes of a picture, or the reason: `missing` when the server has no such tile.
    struct Fetched {
        QByteArray bytes;
        QString problem;
        bool missing = false;
    };
    void fetch(TileId tile, std::function<void(const Fetched&)> done);

  signals:
    void arrived();
    void problemChanged();

  private:
    void next();
    void fromDisk(TileId tile);
    void fromNetwork(TileId tile);
    void hold(TileId tile, const QImage& image);
    void setProblem(const QString& text);

    WebMap map_;
    std::shared_ptr<TileStore> stored_, seen_;
    QNetworkAccessManager* network_;
    mutable QCache<quint64, QImage> memory_;
    std::vector<TileId> wanted_;
    std::set<TileId> under_way_, on_network_;
    std::map<TileId, qint64> failed_ms_;
    QElapsedTimer clock_;
    qint64 quiet_until_ms_ = 0;
    int puts_ = 0;
    QString problem_;

    void onDisk(std::function<void()> job);
    void workOnDisk(const std::stop_token& stop);
    Mailbox mail_;  // before the threads that post
    std::mutex mutex_;
    std::condition_variable_any jobs_waiting_;
    std::deque<std::function<void()>> jobs_;
    std::array<std::jthread, 2> disk_;
};

/// File name for a web map's tiles in a folder: readable, and different for different addresses.
QString tileFileName(const WebMap& map);

}  // namespace anhinga
