// Height above terrain and obstacles along the line that is flown: for the profile, the colour of the route's core, and
// the rules.
#pragma once

#include <optional>
#include <vector>

#include "core/check/Obstacles.h"
#include "core/program/Path.h"

namespace anhinga {

struct ProfileSample {
    double along_m = 0;  // from the start of the path
    GeoPoint place = {};
    std::optional<double> amsl_m = {}, ground_m = {};  // unknown is nothing
    std::size_t leg = 0;
    ItemId obstacle = 0;                    // the highest that reaches here; 0: none is drawn here
    std::optional<double> obstacle_m = {};  // its top AMSL
    bool obstacle_unknown = false;          // one reaches here and its top is unknown
    /// Over ground or obstacle, whichever is higher.
    std::optional<double> clearance() const {
        if (!amsl_m || !ground_m || obstacle_unknown) return std::nullopt;
        return *amsl_m - (obstacle_m && *obstacle_m > *ground_m ? *obstacle_m : *ground_m);
    }
};

struct LegClearance {
    std::optional<double> lowest_m;  // over the known part
    GeoPoint where;
    double under_m = 0;   // terrain or obstacle top there, AMSL
    ItemId obstacle = 0;  // when it is an obstacle
    bool has_unknown = false;
    GeoPoint unknown_at;
};

struct Clearance {
    std::vector<LegClearance> legs;      // one for each leg of the path
    std::vector<ProfileSample> profile;  // itinerary legs only, climbs included, at least every raster cell
    std::vector<ProfileSample> repeats;  // the same of the legs only repeats fly
    std::optional<double> lowest_m;      // over all legs but climbs
    std::size_t lowest_leg = 0;
    bool has_unknown = false;  // anywhere but on climbs
};

/// Samples every leg's line at the raster's cell size, and wherever it is nearest to an obstacle. Without terrain
/// everything is unknown. At most 200,000 samples a plan: longer paths are sampled wider and say so by has_unknown.
Clearance clearanceOf(const Path& path, const Terrain* terrain, const std::vector<Obstacle>& obstacles = {});

/// An earlier result for the same terrain and obstacles: legs flown along the same line are taken from it.
struct ClearanceBefore {
    const Path& path;
    const Clearance& clearance;
};
Clearance clearanceOf(const Path& path, const Terrain* terrain, const std::vector<Obstacle>& obstacles,
                      const ClearanceBefore& before);

}  // namespace anhinga
