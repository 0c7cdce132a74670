// Map tiles as the web serves them: at zoom z the Web Mercator square is cut into 2^z by 2^z pictures, x from the west,
// y from the north. Which tiles an area needs, and the address of each.
#pragma once

#include <cstdint>
#include <optional>
#include <string>
#include <tuple>

#include "core/base/Result.h"
#include "core/geo/Mercator.h"

namespace anhinga {

constexpr int kZoomMax = 24;
constexpr int kTileSide_px = 256;

struct TileId {
    int z = 0, x = 0, y = 0;
    bool operator==(const TileId&) const = default;
    bool operator<(const TileId& o) const { return std::tie(z, x, y) < std::tie(o.z, o.x, o.y); }
};
/// An area between parallels and meridians, degrees; `west` > `east` runs over the 180th meridian.
struct GeoBox {
    double south = 0, west = 0, north = 0, east = 0;
    bool operator==(const GeoBox&) const = default;
};
bool isValid(const GeoBox& box);

UnitBox tileBox(TileId tile);
/// Tile at a place; x wraps, y is held on the sheet.
TileId tileAt(GeoPoint place, int zoom);
/// Zoom whose tiles are about as fine as a map of `scale_px` pixels across the unit square; held within 0..kZoomMax.
int zoomFor(double scale_px);

/// The tiles of an area at zooms `from` to `to`, one after the other, coarse ones first: what a field map needs.
class TileWalk {
  public:
    TileWalk(const GeoBox& box, int zoom_from, int zoom_to);
    std::optional<TileId> next();
    std::uint64_t count() const;

  private:
    struct Range {
        int x0 = 0, columns = 0, y0 = 0, rows = 0;
    };
    Range at(int zoom) const;
    GeoBox box_;
    int z_, zoom_to_;
    Range range_;
    std::uint64_t k_ = 0;
};

/// An address pattern of a tile server: http or https, with {z}, {x} and {y} (or {-y}, counted from the south) in it.
/// Fails with what is missing.
Result<void> checkTilePattern(const std::string& pattern);
/// The pattern filled in.
std::string tileAddress(const std::string& pattern, TileId tile);

}  // namespace anhinga
