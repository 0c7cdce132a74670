// Pictures of the ground: files on disk (GeoTIFF, MBTiles, ...) and web maps.
#pragma once

#include "app/layers/Layer.h"
#include "core/terrain/Imagery.h"
#include "session/TileSource.h"

namespace anhinga {

/// One or more picture files, the first on top.
class PictureLayer : public RenderedLayer {
    Q_OBJECT
  public:
    PictureLayer(LayerSpec spec, QObject* parent = nullptr);
    void setFiles(std::vector<std::string> files);

  protected:
    Job jobFor(const MapTransform& view, const Theme& theme) override;

  private:
    /// Opened by the layer's thread on first use and kept.
    struct Files {
        std::vector<std::string> paths;
        std::vector<std::shared_ptr<const ImagerySource>> open;
        QString problem;
        bool tried = false;
    };
    std::shared_ptr<Files> files_ = std::make_shared<Files>();
};

class WebLayer : public Layer {
    Q_OBJECT
  public:
    WebLayer(LayerSpec spec, const TileFolders& folders, QObject* parent = nullptr);
    void paint(QPainter& p, const MapTransform& view, const Theme& theme) override;
    TileSource& source() { return source_; }
    QString problem() const override { return source_.problem(); }
    /// Tiles of the last painting that were not there.
    int lacking() const { return lacking_; }

  private:
    TileSource source_;
    int lacking_ = 0;
};

}  // namespace anhinga
