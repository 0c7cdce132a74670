// What a survey pattern is told: one set of parameters for Block, Corridor, Rings, Face and Lap; each kind uses those
// that concern it (see core/pattern). Expanded points are never stored, only these.
#pragma once

#include <optional>
#include <vector>

#include "core/geo/Geo.h"
#include "core/plan/Height.h"

namespace anhinga {

/// What the camera makes along a pattern, and when it takes photos.
enum class CameraMakes { photos, film, nothing };
enum class PhotoWhen { distance, time, standing };  // every so many metres, seconds; standing still at each point

struct Pattern {
    // Where. Block and Lap: an area. Corridor and Face: a line. Rings: its centre alone.
    std::vector<GeoPoint> outline;
    std::vector<std::vector<GeoPoint>> holes;  // Block: left out

    // Photos.
    CameraMakes makes = CameraMakes::photos;
    PhotoWhen when = PhotoWhen::distance;
    double every_s = 0;               // by time: so often; 0: as often as the spacing and the speed need
    double spacing_m = 0;             // between photos along; 0: as the overlap needs (Rings: by `per_ring`)
    double overlap_percent = 75;      // along the line
    double sidelap_percent = 60;      // from line to line; Face: from row to row
    std::optional<double> gsd_cm;     // when set, Block and Corridor are flown as high as gives it
    std::optional<double> pitch_deg;  // of the gimbal; straight down for Block and Corridor, towards the target else

    // Block and Corridor: lines.
    double heading_deg = 0;     // of the lines, true
    bool best_heading = false;  // chosen by the least distance flown instead
    int start_corner = 0;       // 0 to 3, clockwise from the first line's start
    bool reverse = false;       // flown from end to start
    bool crossing = false;      // a second pass across the first
    double margin_m = 0;        // beyond the edge
    bool whole_photos = false;  // as far beyond the edge as photos still show the area
    double lead_m = 0;          // straight run before and after each line
    bool follow = false;        // terrain is followed; the height is then one above ground
    double tolerance_m = 2;     // of following
    double nudge_east_m = 0, nudge_north_m = 0;

    // Corridor.
    double width_m = 60;
    int strips = 0;       // 0: as many as the width needs
    double offset_m = 0;  // to the right of the line

    // Rings, Face and Lap: what is looked at.
    Height target = Height::aboveGround(10);  // Rings and Lap: the middle of the thing
    double radius_m = 40;
    double radius_step_m = 0;        // each ring this much wider than the one below
    double low_m = 20, high_m = 20;  // rings and rows, in the reference of the item's height
    double step_up_m = 10;           // between rings or rows
    int per_ring = 24;
    bool anticlockwise = false;
    double start_deg = 0;  // bearing from the centre at which a ring begins
    double stand_off_m = 15;
    bool left_side = false;            // Face: flown left of its line; the camera looks across it
    std::vector<double> tilts_deg{0};  // Face: of the camera against the level, in this order at each point
    std::vector<double> turns_deg{0};  // of the nose against the face's normal
    bool columns = false;              // up and down instead of along and up
    int shots = 1;

    bool takesPhotos() const { return makes == CameraMakes::photos; }
    bool stands() const { return takesPhotos() && when == PhotoWhen::standing; }

    bool operator==(const Pattern&) const = default;
};

}  // namespace anhinga
