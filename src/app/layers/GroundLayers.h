// The ground without a picture: coastline of the world and tinted heights as backdrop, shaded relief, contour lines.
#pragma once

#include "app/layers/Layer.h"
#include "core/terrain/Terrain.h"

namespace anhinga {

/// A layer made from the plan's terrain.
class TerrainLayer : public RenderedLayer {
    Q_OBJECT
  public:
    using RenderedLayer::RenderedLayer;
    void setTerrain(std::shared_ptr<const Terrain> terrain);

  protected:
    std::shared_ptr<const Terrain> terrain_ = std::make_shared<const Terrain>();
};

/// Sea, land of the world, and heights tinted where terrain is known: the map is never blank.
class BackdropLayer : public TerrainLayer {
  public:
    using TerrainLayer::TerrainLayer;

  protected:
    Job jobFor(const MapTransform& view, const Theme& theme) override;
};

class ReliefLayer : public TerrainLayer {
  public:
    using TerrainLayer::TerrainLayer;

  protected:
    Job jobFor(const MapTransform& view, const Theme& theme) override;
};

class ContourLayer : public TerrainLayer {
  public:
    using TerrainLayer::TerrainLayer;
    bool isGround() const override { return false; }

  protected:
    Job jobFor(const MapTransform& view, const Theme& theme) override;
};

QColor seaColour(bool night);

}  // namespace anhinga
