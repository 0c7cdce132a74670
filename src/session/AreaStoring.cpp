#include "session/AreaStoring.h"

#include <QPointer>
#include <QTimer>

#include "core/base/Text.h"

namespace anhinga {

namespace {
constexpr int kAtOnce = 4;
constexpr int kFailuresInARow = 6;            // then the server is taken to be gone
constexpr std::uint64_t kUsualTile = 22'000;  // bytes, when nothing is known yet
constexpr std::uint64_t kCountExactly = 4'000;
}  // namespace

AreaCost AreaStoring::cost(const TileSource& source, const StoredArea& area) {
    AreaCost cost;
    TileWalk walk(area.box, area.zoom_from, area.zoom_to);
    cost.tiles = walk.count();
    const auto store = source.stored();
    if (!store) return cost;
    if (cost.tiles <= kCountExactly) {
        while (const auto t = walk.next()) cost.present += store->has(*t) ? 1 : 0;
    } else {
        const std::uint64_t stride = cost.tiles / 4000;
        std::uint64_t seen = 0, there = 0, k = 0;
        while (const auto t = walk.next())
            if (k++ % stride == 0) {
                ++seen;
                there += store->has(*t) ? 1 : 0;
            }
        cost.present = cost.tiles * there / std::max<std::uint64_t>(1, seen);
    }
    std::uint64_t number = 0, bytes = 0;
    for (const auto& s : {store, source.seen()})
        if (s) {
            number += s->count();
            bytes += s->bytes();
        }
    cost.known_size = number >= 8;
    cost.bytes_missing = (cost.tiles - cost.present) * (cost.known_size ? bytes / number : kUsualTile);
    return cost;
}

Result<void> AreaStoring::start(TileSource* source, StoredArea area) {
    if (running()) return fail("an area is being stored already; cancel it first");
    if (!source->stored()) return fail("{}", source->problem().toStdString());
    TileWalk walk(area.box, area.zoom_from, area.zoom_to);
    if (walk.count() == 0) return fail("the area has no tiles: choose an area and zoom levels");
    if (walk.count() > kTilesMax)
        return fail("{} tiles are more than one area may have ({}); choose a smaller area or a lower finest zoom",
                    walk.count(), kTilesMax);
    area.complete = false;
    const auto id = source->stored()->keepArea(area);
    if (!id) return tl::unexpected(id.error());
    area.id = *id;
    area_ = std::move(area);
    total_ = walk.count();
    walk_ = std::make_unique<TileWalk>(walk);
    again_.clear();
    done_ = bytes_ = missing_ = 0;
    in_flight_ = failures_ = 0;
    ++run_;
    source_ = source;
    QTimer::singleShot(0, this, &AreaStoring::step);
    return {};
}

void AreaStoring::step() {
    if (!running()) return;
    // Tiles already there are passed by the hundred, with the window alive in between.
    for (int n = 0; n < 200 && in_flight_ < kAtOnce; ++n) {
        auto tile = walk_->next();
        if (!tile && !again_.empty() && in_flight_ == 0) {
            tile = again_.back();
            again_.pop_back();
        }
        if (!tile) {
            if (in_flight_ > 0 || !again_.empty()) break;
            area_.complete = true;
            area_.stored_s = unixNow();
            const auto kept = source_->stored()->keepArea(area_);
            if (!kept) return end(false, QString::fromStdString(kept.error().message));
            QString text =
                QString("\"%1\" is stored: %2 tiles").arg(QString::fromStdString(area_.name)).arg(total_ - missing_);
            if (missing_ > 0) text += QString("; the server has %1 of its tiles not").arg(missing_);
            return end(true, text);
        }
        if (source_->stored()->has(*tile)) {
            ++done_;
            continue;
        }
        ++in_flight_;
        source_->fetch(*tile, [self = QPointer(this), t = *tile, run = run_](const TileSource::Fetched& got) {
            if (self) self->take(t, got, run);
        });
    }
    emit progressed();
    if (in_flight_ < kAtOnce) QTimer::singleShot(in_flight_ > 0 ? 20 : 0, this, &AreaStoring::step);
}

void AreaStoring::take(TileId tile, const TileSource::Fetched& got, std::uint64_t run) {
    if (!running() || run != run_) return;  // cancelled meanwhile
    --in_flight_;
    if (got.missing) {
        ++missing_;
        ++done_;
        failures_ = 0;
    } else if (got.bytes.isEmpty()) {
        again_.push_back(tile);
        if (++failures_ >= kFailuresInARow)
            return end(false, QString("Stopped after %1 of %2 tiles: %3. What came is kept; Resume goes on from there")
                                  .arg(done_)
                                  .arg(total_)
                                  .arg(got.problem));
    } else {
        if (const auto ok = source_->stored()->put(tile, got.bytes.toStdString()); !ok)
            return end(false, QString::fromStdString(ok.error().message));
        failures_ = 0;
        ++done_;
        bytes_ += static_cast<std::uint64_t>(got.bytes.size());
    }
    emit progressed();
    if (in_flight_ == kAtOnce - 1) QTimer::singleShot(0, this, &AreaStoring::step);
}

void AreaStoring::cancel() {
    if (running())
        end(false, QString("Cancelled after %1 of %2 tiles. What came is kept; Resume goes on from there")
                       .arg(done_)
                       .arg(total_));
}

void AreaStoring::end(bool complete, const QString& text) {
    source_ = nullptr;
    ++run_;
    emit progressed();
    emit finished(complete, text);
}

}  // namespace anhinga
