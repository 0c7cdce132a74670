// How many photos see each place: tinted on the map, with a legend. The counting is PlanSession's.
#pragma once

#include <vector>

#include "app/layers/Layer.h"
#include "core/pattern/Coverage.h"

namespace anhinga {

class CoverLayer : public RenderedLayer {
    Q_OBJECT
  public:
    using RenderedLayer::RenderedLayer;
    bool isGround() const override { return false; }
    /// `counted`: there are no others that still have to be counted.
    void setCovers(const std::vector<PatternCoverPtr>& covers, bool counted);
    void setShare(double counted) { share_ = counted; }
    /// What the tints mean; over everything else.
    void paintLegend(QPainter& p, const MapTransform& view, const Theme& theme) const;
    /// What was counted last: shares of the area, for the legend.
    QString summary() const;

  protected:
    Job jobFor(const MapTransform& view, const Theme& theme) override;

  private:
    std::vector<PatternCoverPtr> covers_;
    bool counted_ = false;
    double share_ = 0;  // counted of the pattern that is
    // Share of all areas of known ground that sees fewer than promised, and no photo at all; of what is not known.
    double few_ = 0, none_ = 0, unknown_ = 0;
};

}  // namespace anhinga
