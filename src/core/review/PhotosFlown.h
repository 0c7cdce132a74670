// Photos planned against taken: which were missed, and what ground the ones that were taken show.
#pragma once

#include <vector>

#include "core/base/Result.h"
#include "core/flightlog/FlightLog.h"
#include "core/geo/Geo.h"
#include "core/plan/ItemId.h"

namespace anhinga {

class Terrain;
struct Plan;

struct AreaShown {
    ItemId item = 0;
    double unknown_percent = 0;  // of its ground, whose elevation is not known; the rest is of what is
    double planned_percent = 0, flown_percent = 0;  // of its ground, seen by at least one photo
    int promised = 1;                               // photos its overlaps promise for each place
    double planned_promised_percent = 0, flown_promised_percent = 0;
};
struct PhotosFlown {
    int planned = 0, taken = 0;
    std::vector<GeoPoint> missed;  // planned places without a photo nearer than half the usual spacing
    std::vector<AreaShown> areas;  // Blocks and Corridors
};
/// `planned`: the rehearsal of the plan; both logs tell photos by events. Photos see what the plan's camera sees, from
/// the attitude of the aircraft and the camera's pitch where the log has it, else straight down. Heights are the log's
/// AMSL, else above home. Fails when the plan takes no photos.
Result<PhotosFlown> photosFlown(const Plan& plan, const Terrain* terrain, double home_amsl_m, const FlightLog& planned,
                                const FlightLog& flown);

}  // namespace anhinga
