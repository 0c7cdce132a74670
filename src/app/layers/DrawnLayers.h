// Lines over the ground: the operator's own drawings (GeoJSON, KML, KMZ, GPX, CSV) and the coordinate grid.
#pragma once

#include "app/layers/Layer.h"
#include "core/exchange/Import.h"
#include "core/geo/Coordinates.h"

namespace anhinga {

class OverlayLayer : public RenderedLayer {
    Q_OBJECT
  public:
    OverlayLayer(LayerSpec spec, QObject* parent = nullptr);
    bool isGround() const override { return false; }

  protected:
    Job jobFor(const MapTransform& view, const Theme& theme) override;

  private:
    struct Drawing {
        std::string path;
        ImportedFile file;
        QString problem;
        bool tried = false;
        std::optional<UnitBox> extent;
    };
    std::shared_ptr<Drawing> drawing_ = std::make_shared<Drawing>();
};

/// Meridians and parallels, or kilometre lines of the UTM zone, after the way coordinates are shown.
class GridLayer : public Layer {
    Q_OBJECT
  public:
    using Layer::Layer;
    void paint(QPainter& p, const MapTransform& view, const Theme& theme) override;
    bool isGround() const override { return false; }
};

}  // namespace anhinga
