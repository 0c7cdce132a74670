// Patterns: one item of the itinerary, opened up into points that are flown and photos that are taken.
// Formulas: docs/formulas.md, "Photogrammetry".
#pragma once

#include <functional>
#include <memory>
#include <string>
#include <vector>

#include "core/plan/Plan.h"
#include "core/terrain/Terrain.h"

namespace anhinga {

/// Size on flat ground of what one photo sees, metres, and of one pixel.
struct Footprint {
    double across_m = 0, along_m = 0, gsd_m = 0;
};
/// Footprint = height * sensor / focal length; the long side of the sensor lies across the flight line unless the
/// camera is mounted in portrait.
Footprint footprintAt(const CameraProfile& camera, double height_above_ground_m);
/// Height above ground that gives a ground sample distance in centimetres.
double heightForGsd_m(const CameraProfile& camera, double gsd_cm);

/// A photo as it is planned: where the camera is and where it looks. Yaw is true, clockwise from north; pitch -90 looks
/// straight down.
struct PlannedPhoto {
    GeoPoint place;
    std::optional<double> amsl_m;
    double yaw_deg = 0, pitch_deg = -90;
};

/// A place of a pattern and what is done on reaching it.
struct PatternPoint {
    GeoPoint place;
    Height height;
    std::vector<Action> actions = {};
};

/// One line, ring, row or column of a pattern among its points, both ends included, and its photos.
struct LineSpan {
    std::size_t first_point = 0, last_point = 0;
    std::size_t first_photo = 0, photos = 0;
};

/// A pattern opened up.
struct PatternFlight {
    std::vector<PatternPoint> points;
    std::vector<PlannedPhoto> photos;
    std::vector<LineSpan> spans;  // in the order they are flown; as many as `lines`
    /// Why there is nothing to fly; then everything else is empty.
    std::string problem;
    /// A change to the item that would help against it, in words; `remedy` does it.
    std::string remedy_text;
    std::function<void(Item&)> remedy;
    /// Said beside a flight that is as asked but not as hoped: "steeper than the vehicle climbs".
    std::vector<std::string> notes;

    double area_m2 = 0;
    int lines = 0;               // lines, rings or rows
    double line_m = 0;           // summed length of them
    double distance_m = 0;       // flown from the first point to the last
    double photo_spacing_m = 0;  // along; 0 without photos
    double line_spacing_m = 0;
    double heading_deg = 0;            // of the lines, as flown
    double height_above_ground_m = 0;  // what the spacing was computed with; rings and faces: distance to the thing
    Footprint footprint;
    double gsd_least_m = 0, gsd_mean_m = 0, gsd_most_m = 0;  // straight below the photos; over the thing for the others
};

/// Opens an item of a pattern kind. `terrain` may be null. Deterministic: the same plan gives the same flight.
PatternFlight openPattern(const Plan& plan, const Item& item, const Terrain* terrain);

using PatternFlightPtr = std::shared_ptr<const PatternFlight>;

/// A pattern as it was opened, and all it was opened from: as long as that stays the same it need not be opened again.
struct OpenedPattern {
    Item item;
    PatternFlightPtr flight;
};

/// Largest speed at which the camera keeps up with the photos of a flight, m/s; nothing when it has none.
std::optional<double> largestSpeed_mps(const PatternFlight& flight, const CameraProfile& camera);

/// Most photos one pattern may plan: a mistyped overlap must not fill the memory.
constexpr std::size_t kMaxPhotos = 200000;
constexpr std::size_t kMaxLines = 4000;

}  // namespace anhinga
