// The geoid: how far mean sea level lies above the WGS-84 ellipsoid. Satellite receivers measure above the ellipsoid;
// heights above sea level are less by this much.
#pragma once

#include <cstdint>
#include <memory>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "core/base/Result.h"
#include "core/geo/Geo.h"

namespace anhinga {

/// A grid in the GTX form of VDatum: south-west corner, steps, rows from south to north, big-endian floats in metres.
class Geoid {
  public:
    /// Fails for a file that is none, has holes in its header, or is larger than 512 MB.
    static Result<std::shared_ptr<const Geoid>> open(const std::string& path);
    static Result<std::shared_ptr<const Geoid>> read(std::string bytes, const std::string& name);
    /// The operator's own grid ($ANHINGA_GEOID), else EGM96 where the system keeps it; null when there is none. Read
    /// once.
    static std::shared_ptr<const Geoid> standard();

    /// Metres above the ellipsoid, cubic between the 16 nodes around; nothing outside the grid and where it has no
    /// data.
    std::optional<double> height_m(GeoPoint p) const;
    const std::string& name() const { return name_; }

  private:
    std::optional<double> node(std::int64_t row, std::int64_t column) const;

    std::string name_;
    double south_deg_ = 0, west_deg_ = 0, step_lat_deg_ = 0, step_lon_deg_ = 0;
    std::int64_t rows_ = 0, columns_ = 0;
    bool around_ = false;  // it goes round the earth
    std::vector<float> nodes_;
};

}  // namespace anhinga
