#include "app/layers/PictureLayers.h"

#include <QPainter>

namespace anhinga {

PictureLayer::PictureLayer(LayerSpec spec, QObject* parent) : RenderedLayer(std::move(spec), parent) {
    if (!spec_.source.isEmpty()) files_->paths = {spec_.source.toStdString()};
}

void PictureLayer::setFiles(std::vector<std::string> files) {
    if (files == files_->paths) return;
    files_ = std::make_shared<Files>();
    files_->paths = std::move(files);
    outOfDate();
}

RenderedLayer::Job PictureLayer::jobFor(const MapTransform& view, const Theme&) {
    if (files_->paths.empty()) return {};
    return [view, files = files_](const std::stop_token& stop) {
        if (!files->tried) {
            files->tried = true;
            for (const std::string& path : files->paths) {
                auto source = ImagerySource::open(path);
                if (source)
                    files->open.push_back(*source);
                else
                    files->problem = QString::fromStdString(source.error().message);
            }
        }
        Made made;
        made.problem = files->problem;
        for (auto source = files->open.rbegin(); source != files->open.rend(); ++source) {
            if (stop.stop_requested()) return made;
            if (!made.extent) made.extent = (*source)->extent();
            const UnitBox box = boxOf(view);
            if (!(*source)->extent().meets(box)) continue;
            const auto pixels = (*source)->read(box, view.size.width(), view.size.height());
            if (!pixels) {
                made.problem = QString::fromStdString(pixels.error().message);
                continue;
            }
            const QImage image(pixels->data(), view.size.width(), view.size.height(), view.size.width() * 4,
                               QImage::Format_RGBA8888);
            if (made.image.isNull()) {
                made.image = image.convertToFormat(QImage::Format_ARGB32_Premultiplied);
            } else {
                QPainter(&made.image).drawImage(0, 0, image);
            }
        }
        return made;
    };
}

WebLayer::WebLayer(LayerSpec spec, const TileFolders& folders, QObject* parent)
    : Layer(std::move(spec), parent), source_({spec_.name, spec_.source, spec_.attribution, spec_.zoom_max}, folders) {
    connect(&source_, &TileSource::arrived, this, &Layer::changed);
    connect(&source_, &TileSource::problemChanged, this, &Layer::problemChanged);
}

void WebLayer::paint(QPainter& p, const MapTransform& view, const Theme&) {
    const int zoom = std::min(zoomFor(view.scale), spec_.zoom_max);
    const UnitBox box = boxOf(view);
    const int n = 1 << zoom;
    const int x0 = static_cast<int>(std::floor(box.left * n)), x1 = static_cast<int>(std::floor(box.right * n));
    const int y0 = std::max(0, static_cast<int>(std::floor(box.top * n)));
    const int y1 = std::min(n - 1, static_cast<int>(std::floor(box.bottom * n)));
    std::vector<std::pair<double, TileId>> lacking;
    p.setRenderHint(QPainter::SmoothPixmapTransform);
    for (int y = y0; y <= y1; ++y)
        for (int x = x0; x <= x1; ++x) {
            const TileId tile{zoom, ((x % n) + n) % n, y};
            const double side = view.scale / n;
            // Whole pixels, so that no seam shows between tiles.
            const double left = (static_cast<double>(x) / n - box.left) * view.scale,
                         top = (static_cast<double>(y) / n - box.top) * view.scale;
            const QRectF to(QPointF(std::round(left), std::round(top)),
                            QPointF(std::round(left + side), std::round(top + side)));
            if (const QImage image = source_.held(tile); !image.isNull()) {
                p.drawImage(to, image);
                continue;
            }
            const QPointF off = to.center() - QPointF(view.size.width() / 2.0, view.size.height() / 2.0);
            lacking.emplace_back(std::hypot(off.x(), off.y()), tile);
            // Until it comes: the part of a coarser tile that lies there.
            for (int up = 1; up <= 6 && up <= zoom; ++up) {
                const QImage coarse = source_.held({zoom - up, tile.x >> up, tile.y >> up});
                if (coarse.isNull()) continue;
                const double part = static_cast<double>(coarse.width()) / (1 << up);
                p.drawImage(to, coarse,
                            QRectF((tile.x & ((1 << up) - 1)) * part, (tile.y & ((1 << up) - 1)) * part, part, part));
                break;
            }
        }
    lacking_ = static_cast<int>(lacking.size());
    std::sort(lacking.begin(), lacking.end());
    std::vector<TileId> wanted;
    for (const auto& [far, tile] : lacking) wanted.push_back(tile);
    // Coarser ones too where nothing at all is there: offline, a stored coarse map is better than none.
    std::vector<TileId> coarser;
    for (const TileId& t : wanted)
        for (int up = 1; up <= std::min(4, zoom); ++up) {
            const TileId c{zoom - up, t.x >> up, t.y >> up};
            if (source_.held(c).isNull() && std::find(coarser.begin(), coarser.end(), c) == coarser.end())
                coarser.push_back(c);
        }
    if (!source_.problem().isEmpty()) wanted.insert(wanted.end(), coarser.begin(), coarser.end());
    source_.want(wanted);
}

}  // namespace anhinga
