// Height above terrain along the legs of a path: for the profile, the colour of the route's core, and the rules.
#pragma once

#include <optional>
#include <vector>

#include "core/mission/Route.h"

namespace anhinga {

struct ProfileSample {
    double along_m = 0;  // from the start of the path
    GeoPoint place;
    std::optional<double> amsl_m, ground_m;  // unknown is nothing
    std::size_t leg = 0;
    std::optional<double> clearance() const {
        return amsl_m && ground_m ? std::optional(*amsl_m - *ground_m) : std::nullopt;
    }
};

struct LegClearance {
    std::optional<double> lowest_m;  // over the known part
    GeoPoint where;
    double ground_m = 0;  // terrain there
    bool has_unknown = false;
};

struct Clearance {
    std::vector<LegClearance> legs;      // one for each leg of the path
    std::vector<ProfileSample> profile;  // itinerary legs only, climbs included, at least every raster cell
    std::optional<double> lowest_m;      // over all legs but climbs
    std::size_t lowest_leg = 0;
};

/// Samples every leg at the raster's cell size (never coarser than 1/2 cell beyond its end points). Without terrain
/// everything is unknown. At most 200,000 samples a plan: longer legs are sampled wider and say so by has_unknown.
Clearance clearanceOf(const Path& path, const Terrain* terrain);

}  // namespace anhinga
