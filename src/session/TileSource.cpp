#include "session/TileSource.h"

#include <QDir>
#include <QNetworkAccessManager>
#include <QNetworkReply>
#include <QRegularExpression>
#include <QTimer>
#include <QUrl>

#include "core/base/File.h"

namespace anhinga {

namespace {
constexpr int kAtOnce = 4;                     // polite to the server, and enough to fill a link
constexpr qint64 kRetry_ms = 8000;             // a tile that failed is not asked for again before
constexpr qint64 kPause_ms = 3000;             // after the server did not answer at all
constexpr qsizetype kTileMax = 4 << 20;        // bytes; no sensible tile is larger
constexpr std::uint64_t kSeenMax = 500 << 20;  // bytes of the cache on disk
constexpr int kMemory_kB = 160 << 10;

quint64 keyOf(TileId t) {
    return static_cast<quint64>(t.z) << 56 | static_cast<quint64>(t.x) << 28 | static_cast<quint64>(t.y);
}
}  // namespace

QString tileFileName(const WebMap& map) {
    QString name = map.name.simplified().toLower();
    name.replace(QRegularExpression("[^a-z0-9]+"), "-");
    return QString("%1-%2.mbtiles")
        .arg(name.left(40))
        .arg(fingerprint(map.pattern.toStdString()) & 0xffffffffU, 8, 16, QChar('0'));
}

TileSource::TileSource(WebMap map, const TileFolders& folders, QObject* parent)
    : QObject(parent), map_(std::move(map)), network_(new QNetworkAccessManager(this)) {
    memory_.setMaxCost(kMemory_kB);
    clock_.start();
    const auto open = [&](const QString& folder) -> std::shared_ptr<TileStore> {
        auto store = TileStore::open((folder + "/" + tileFileName(map_)).toStdString(), map_.name.toStdString(),
                                     map_.attribution.toStdString());
        if (store) return *store;
        problem_ = QString::fromStdString(store.error().message);
        return nullptr;
    };
    stored_ = open(folders.stored);
    seen_ = open(folders.seen);
    for (std::jthread& worker : disk_) worker = std::jthread([this](const std::stop_token& stop) { workOnDisk(stop); });
}

TileSource::~TileSource() {
    for (std::jthread& worker : disk_) worker.request_stop();
}

void TileSource::onDisk(std::function<void()> job) {
    {
        const std::lock_guard lock(mutex_);
        jobs_.push_back(std::move(job));
    }
    jobs_waiting_.notify_one();
}

// Ends when all is done that was asked for: what came from the network is put away.
void TileSource::workOnDisk(const std::stop_token& stop) {
    for (;;) {
        std::function<void()> job;
        {
            std::unique_lock lock(mutex_);
            if (!jobs_waiting_.wait(lock, stop, [this] { return !jobs_.empty(); })) return;
            job = std::move(jobs_.front());
            jobs_.pop_front();
        }
        job();
    }
}

QImage TileSource::held(TileId tile) const {
    const QImage* image = memory_.object(keyOf(tile));
    return image != nullptr ? *image : QImage();
}

void TileSource::want(const std::vector<TileId>& tiles) {
    wanted_.assign(tiles.rbegin(), tiles.rend());  // the next one is taken from the back
    next();
}

void TileSource::next() {
    while (!wanted_.empty() && under_way_.size() < 16) {
        const TileId tile = wanted_.back();
        wanted_.pop_back();
        if (memory_.contains(keyOf(tile)) || under_way_.contains(tile)) continue;
        if (const auto f = failed_ms_.find(tile); f != failed_ms_.end() && clock_.elapsed() < f->second + kRetry_ms)
            continue;
        under_way_.insert(tile);
        fromDisk(tile);
    }
}

void TileSource::fromDisk(TileId tile) {
    onDisk([this, tile, stored = stored_, seen = seen_] {
        std::optional<std::string> bytes = stored ? stored->get(tile) : std::nullopt;
        if (!bytes && seen) bytes = seen->get(tile);
        QImage image;
        if (bytes) image = QImage::fromData(QByteArray::fromStdString(*bytes));
        if (!image.isNull()) image = image.convertToFormat(QImage::Format_ARGB32_Premultiplied);
        mail_.post([this, tile, image] {
            if (image.isNull()) return fromNetwork(tile);
            hold(tile, image);
        });
    });
}

void TileSource::fromNetwork(TileId tile) {
    if (clock_.elapsed() < quiet_until_ms_ || on_network_.size() >= kAtOnce) {
        under_way_.erase(tile);  // wanted again when the view is painted next
        if (on_network_.size() >= kAtOnce) wanted_.insert(wanted_.begin(), tile);
        return;
    }
    on_network_.insert(tile);
    fetch(tile, [this, tile](const Fetched& got) {
        on_network_.erase(tile);
        const QImage image = QImage::fromData(got.bytes).convertToFormat(QImage::Format_ARGB32_Premultiplied);
        if (image.isNull()) {
            under_way_.erase(tile);
            failed_ms_[tile] = clock_.elapsed();
            if (!got.missing) {
                quiet_until_ms_ = clock_.elapsed() + kPause_ms;
                setProblem(got.problem);
                QTimer::singleShot(kPause_ms, this, &TileSource::arrived);  // the view asks again
            }
            return next();
        }
        failed_ms_.erase(tile);
        setProblem({});
        if (seen_) {
            onDisk([seen = seen_, tile, bytes = got.bytes.toStdString(), trim = ++puts_ % 500 == 0] {
                (void)seen->put(tile, bytes);  // a full disk only costs the cache
                if (trim) seen->trim(kSeenMax);
            });
        }
        hold(tile, image);
    });
}

void TileSource::hold(TileId tile, const QImage& image) {
    under_way_.erase(tile);
    memory_.insert(keyOf(tile), new QImage(image), static_cast<int>(image.sizeInBytes() / 1024) + 1);
    emit arrived();
    next();
}

void TileSource::fetch(TileId tile, std::function<void(const Fetched&)> done) {
    QNetworkRequest request(
        QUrl(QString::fromStdString(tileAddress(map_.pattern.toStdString(), tile)), QUrl::StrictMode));
    request.setHeader(QNetworkRequest::UserAgentHeader, "Anhinga/0.1");
    request.setTransferTimeout(15000);
    QNetworkReply* reply = network_->get(request);
    connect(reply, &QNetworkReply::downloadProgress, reply, [reply](qint64 received, qint64) {
        if (received > kTileMax) reply->abort();
    });
    connect(reply, &QNetworkReply::finished, this, [reply, done = std::move(done)] {
        reply->deleteLater();
        Fetched got;
        const int status = reply->attribute(QNetworkRequest::HttpStatusCodeAttribute).toInt();
        const QString host = QString("%1:%2").arg(reply->url().host()).arg(reply->url().port(80));
        if (reply->error() == QNetworkReply::NoError) got.bytes = reply->readAll();
        if (status == 404 || status == 204 || status == 410) {
            got.missing = true;
            got.problem = QString("%1 has no such tile").arg(host);
        } else if (reply->error() != QNetworkReply::NoError) {
            got.problem = status >= 400 ? QString("%1 answers with error %2").arg(host).arg(status)
                                        : QString("%1 cannot be reached: %2").arg(host, reply->errorString());
        } else if (pictureFormat(got.bytes.left(16).toStdString()).empty()) {
            got.bytes.clear();
            got.problem = QString("%1 answers, but not with a picture").arg(host);
        }
        done(got);
    });
}

void TileSource::setProblem(const QString& text) {
    if (text == problem_) return;
    problem_ = text;
    emit problemChanged();
}

}  // namespace anhinga
