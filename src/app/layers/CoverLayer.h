// How many photos see each place: counted in the background, tinted on the map, with a legend.
#pragma once

#include <mutex>
#include <vector>

#include "app/layers/GroundLayers.h"
#include "core/pattern/Coverage.h"

namespace anhinga {

/// A pattern whose cover is shown.
struct CoveredArea {
    std::shared_ptr<const PatternFlight> flight;
    std::vector<std::vector<GeoPoint>> area;  // outline and holes
    int promised = 1;                         // photos its overlaps promise
    double level_amsl_m = 0;                  // of the ground where there is no terrain
    bool operator==(const CoveredArea& o) const {
        return flight == o.flight && area == o.area && promised == o.promised && level_amsl_m == o.level_amsl_m;
    }
};

class CoverLayer : public TerrainLayer {
    Q_OBJECT
  public:
    using TerrainLayer::TerrainLayer;
    bool isGround() const override { return false; }
    void setAreas(std::vector<CoveredArea> areas, const CameraProfile& camera);
    /// What the tints mean; over everything else.
    void paintLegend(QPainter& p, const MapTransform& view, const Theme& theme) const;
    /// What was counted last: shares of the area, for the legend.
    QString summary() const;

  protected:
    Job jobFor(const MapTransform& view, const Theme& theme) override;

  private:
    /// Counted once per set of areas, by the job that first needs it.
    struct Counted {
        std::mutex mutex;
        bool done = false;
        std::vector<Coverage> cover;
        double few = 0, none = 0;  // share of all areas that sees fewer than promised, and no photo at all
    };
    std::vector<CoveredArea> areas_;
    CameraProfile camera_;
    std::shared_ptr<Counted> counted_ = std::make_shared<Counted>();
};

}  // namespace anhinga
