// Which ground photos see, and how often.
#pragma once

#include <cstdint>
#include <functional>
#include <stop_token>
#include <vector>

#include "core/geo/Polygon.h"
#include "core/pattern/Pattern.h"

namespace anhinga {

/// Photos per cell of ground, on the plane of `frame`: row 0 is the southernmost, cells are square.
struct Coverage {
    LocalFrame frame{GeoPoint{}};
    Vec2 corner;  // south-west corner of the first cell
    double cell_m = 5;
    int columns = 0, rows = 0;
    std::vector<std::uint16_t> seen;
    std::vector<std::uint8_t> inside;  // 1 where the cell's middle lies inside the area
    std::vector<std::uint8_t> known;   // 1 where the ground is known (level ground is taken where there is no terrain)

    std::size_t at(int column, int row) const {
        return static_cast<std::size_t>(row) * static_cast<std::size_t>(columns) + static_cast<std::size_t>(column);
    }
    Vec2 middle(int column, int row) const { return corner + Vec2{(column + 0.5) * cell_m, (row + 0.5) * cell_m}; }
    /// Share (0..1) of the cells inside the area that fewer than n photos see, of those whose ground is known; 0 where
    /// none is. What unknown ground shows is unknown: neither a gap nor seen.
    double shareBelow(int n) const;
    /// Share of the cells inside the area whose ground is not known.
    double shareUnknown() const;
    std::size_t cellsInside() const;
    /// Middles of the gaps inside the area, cells of known ground that fewer than n photos see joined with their
    /// neighbours; the largest first, at most `most`. Areas in square metres.
    struct Gap {
        GeoPoint middle;
        double area_m2 = 0;
    };
    std::vector<Gap> gaps(int n, std::size_t most) const;
};

struct CoverageOptions {
    double cell_m = 5;
    double range_m = 1500;  // what is further away is not seen
    /// Told the share done, 0..1, now and then.
    std::function<void(double)> progress = {};
    std::stop_token stop = {};
};

/// The ground a pattern is to show: an area with its holes, or what lies within `half_m` of a line that runs `offset_m`
/// to the right of `line`.
struct PhotoArea {
    std::vector<std::vector<GeoPoint>> rings;
    std::vector<GeoPoint> line;
    double half_m = 0, offset_m = 0;
    bool empty() const { return rings.empty() && line.size() < 2; }
};
/// Of a Block and a Corridor; of Rings and Lap the ground they go around. Empty for a Face: what it shows stands.
PhotoArea photoAreaOf(const Item& item);
/// Whether showing that ground is what the pattern is for: gaps in it are findings then.
bool coversGround(ItemKind kind);

/// Counts for every cell of the area's box the photos whose image holds the cell's middle at its height; what stands in
/// between is not looked for. Without terrain the ground is level at `level_amsl_m`. Cancelled: fewer cells than none.
/// At most 16 million cells: cells are made larger where there would be more.
Coverage coverageOf(const std::vector<PlannedPhoto>& photos, const CameraProfile& camera, const Terrain* terrain,
                    double level_amsl_m, const PhotoArea& area, const CoverageOptions& options);

/// Where the corners of a photo meet the ground, clockwise from the upper left of the image; corners that look past
/// `range_m` or above the horizon are cut there.
std::vector<GeoPoint> photoOnGround(const PlannedPhoto& photo, const CameraProfile& camera, const Terrain* terrain,
                                    double level_amsl_m, double range_m = 1500);

/// How many photos a pattern's overlaps promise for every place of its area; of Rings and Lap, three: what is built
/// from photos needs as many sights of a place.
int promisedPhotos(const Item& item);

/// What the photos of one pattern of a plan see.
struct PatternCover {
    ItemId item = 0;
    PatternFlightPtr flight;
    int promised = 1;
    bool wanted = true;  // coversGround()
    Coverage cover;
};
using PatternCoverPtr = std::shared_ptr<const PatternCover>;
/// Of every pattern that takes photos and has such an area, on cells fine enough to see gaps and at most some hundred
/// thousand of them. Those of `before` are taken over where their flight is still the same one. Nothing when stopped.
std::optional<std::vector<PatternCoverPtr>> countCovers(const Plan& plan, const std::vector<OpenedPattern>& patterns,
                                                        const Terrain* terrain, const std::stop_token& stop = {},
                                                        const std::vector<PatternCoverPtr>& before = {},
                                                        const std::function<void(double)>& progress = {});

}  // namespace anhinga
