// Elevation rasters through GDAL. Heights are metres above mean sea level in the raster's own vertical reference.
// Unknown is a value: a hole, a place outside every raster or a non-finite cell samples as nothing, never as zero.
#pragma once

#include <memory>
#include <optional>
#include <string>
#include <vector>

#include "core/base/Result.h"
#include "core/geo/Geo.h"

namespace anhinga {

/// One raster held in memory on a latitude/longitude grid (warped on opening when it is not).
class ElevationRaster {
  public:
    /// Any raster GDAL reads with a position on the earth; at most 120 million cells. Heights in feet become metres,
    /// those above the ellipsoid (EPSG:4979 and other references of three axes) heights above sea level by the geoid.
    static Result<std::shared_ptr<const ElevationRaster>> open(const std::string& path);

    /// Bilinear between the four cell centres around p; unknown if one of them with weight is unknown.
    std::optional<double> sample(GeoPoint p) const;
    int width() const { return width_; }
    int height() const { return height_; }
    const std::string& path() const { return path_; }
    double west_deg() const { return west_; }
    double north_deg() const { return north_; }
    double stepLon_deg() const { return step_lon_; }
    double stepLat_deg() const { return step_lat_; }
    /// Edge of a cell on the ground at the raster's middle, metres.
    double cell_m() const { return cell_m_; }
    /// What the file says heights are measured from, or "not stated".
    const std::string& verticalReference() const { return vertical_; }

  private:
    /// From heights above the ellipsoid to heights above sea level. Fails where no geoid is known.
    Result<void> lowerByGeoid();
    std::string path_, vertical_;
    int width_ = 0, height_ = 0;
    double west_ = 0, north_ = 0, step_lon_ = 0, step_lat_ = 0, cell_m_ = 0;
    std::vector<float> cells_;  // rows north to south; NaN is unknown
};

/// Any number of rasters; the first that knows a place answers.
class Terrain {
  public:
    Terrain() = default;
    explicit Terrain(std::vector<std::shared_ptr<const ElevationRaster>> rasters) : rasters_(std::move(rasters)) {}
    static Result<std::shared_ptr<const Terrain>> open(const std::vector<std::string>& paths);
    /// A file that a plan names and where that is.
    struct Named {
        std::string name, path;
    };
    /// What can be read of them; the rest is missing(). Rasters that `before` has open are not opened again, nor is one
    /// that is named twice.
    static std::shared_ptr<const Terrain> openPresent(const std::vector<Named>& files, const Terrain* before = nullptr);
    /// Files that could not be read, as they are named, and why.
    struct Missing {
        std::string name, why;
        bool operator==(const Missing&) const = default;
    };
    const std::vector<Missing>& missing() const { return missing_; }
    std::optional<double> sample(GeoPoint p) const;
    bool empty() const { return rasters_.empty(); }
    /// Finest cell of all rasters, metres; 30 when there are none.
    double cell_m() const;
    const std::vector<std::shared_ptr<const ElevationRaster>>& rasters() const { return rasters_; }

  private:
    std::vector<std::shared_ptr<const ElevationRaster>> rasters_;
    std::vector<Missing> missing_;
};

}  // namespace anhinga
