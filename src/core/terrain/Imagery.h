// Pictures of the ground for the map: any georeferenced raster (GeoTIFF in any reference system, MBTiles, ...), read at
// any place and resolution on the Web Mercator unit square.
#pragma once

#include <cstdint>
#include <memory>
#include <mutex>
#include <string>
#include <vector>

#include "core/base/Result.h"
#include "core/geo/Mercator.h"

namespace anhinga {

/// A picture kept open. Grey, palette and colour pictures alike; more than 8 bits are stretched to 8. Thread-safe.
class ImagerySource {
  public:
    /// A file that is open already is shared with whoever has it.
    static Result<std::shared_ptr<const ImagerySource>> open(const std::string& path);
    ~ImagerySource();
    ImagerySource(const ImagerySource&) = delete;
    ImagerySource& operator=(const ImagerySource&) = delete;

    /// Where the picture lies.
    const UnitBox& extent() const { return extent_; }
    /// `box` as rows of `width` x `height` RGBA pixels (4 bytes each), north to south; transparent where the picture
    /// has nothing. Sides of 1 to 16384 pixels.
    Result<std::vector<std::uint8_t>> read(const UnitBox& box, int width, int height) const;
    const std::string& path() const { return path_; }

  private:
    struct Open;
    ImagerySource() = default;
    static Result<std::shared_ptr<const ImagerySource>> openAnew(const std::string& path);
    std::string path_;
    UnitBox extent_;
    std::unique_ptr<Open> open_;
    mutable std::mutex mutex_;
};

/// RGBA pixels as a PNG file's bytes.
Result<std::string> encodePng(const std::vector<std::uint8_t>& rgba, int width, int height);

}  // namespace anhinga
