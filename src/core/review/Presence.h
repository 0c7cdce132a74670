// Presence: whether a flight was in a place, when, for how long, and how near it came; with what is not known.
#pragma once

#include <optional>
#include <string>
#include <vector>

#include "core/base/Result.h"
#include "core/flightlog/FlightLog.h"
#include "core/geo/Geo.h"

namespace anhinga {

/// An area with its holes, or a place with a radius.
struct PresencePlace {
    std::vector<GeoPoint> outline;  // empty: `centre` and `radius_m`
    std::vector<std::vector<GeoPoint>> holes;
    GeoPoint centre;
    double radius_m = 0;
};

struct PresenceVisit {
    double enter_s = 0, leave_s = 0;
    /// True where the log begins or ends inside: it may have been there before or after.
    bool from_begin = false, to_end = false;
    double lowest_m = 0, highest_m = 0;  // above home, where the log has heights
};
/// Nothing was recorded for so long that it could have been there and back.
struct PresenceGap {
    double from_s = 0, to_s = 0;
};

struct Presence {
    bool entered = false;
    std::vector<PresenceVisit> visits;
    double inside_s = 0;
    double nearest_m = 0, nearest_t_s = 0;  // 0 when it was inside
    std::optional<double> height_home_m;    // then, or at the first entry
    std::vector<PresenceGap> unknown;
    double position_every_s = 0;  // median time between positions
};

/// From the channels position.lat_deg and .lon_deg. Times of entry and exit are interpolated between positions no more
/// than `gap_s` apart. Fails when the log has no positions.
Result<Presence> presence(const FlightLog& log, const PresencePlace& place, double gap_s = 5, double fastest_mps = 30);

}  // namespace anhinga
