// What Block and Corridor share: lines with photos along them, at a height above ground, become points and photos.
#pragma once

#include <vector>

#include "core/pattern/Pattern.h"

namespace anhinga {

/// A line flown with the camera on. Usually two points; a corridor's line bends.
struct PhotoLine {
    std::vector<Vec2> points;
    double length_m() const;
};

/// What photos are spaced by: height above ground, footprint and spacings; `problem` says what is wrong. Where terrain
/// is followed, ground that rises within a photo brings it nearer: spacings are those of the height above that.
struct PhotoScale {
    double height_m = 0;
    double rise_m = 0;  // taken off the height for the spacings
    Footprint footprint;
    double along_m = 0, across_m = 0;
    std::string problem;
};
PhotoScale photoScale(const Plan& plan, const Item& item, const Terrain* terrain);

/// Flies `lines` in their order on the plane of `frame`; fills points, photos and numbers of `flight`.
void flyLines(const Plan& plan, const Item& item, const Terrain* terrain, const LocalFrame& frame,
              const std::vector<PhotoLine>& lines, const PhotoScale& scale, PatternFlight& flight);

/// Metres between photos along, where the pattern says so itself: its spacing, or its seconds at its speed. Nothing: as
/// the overlap needs.
std::optional<double> photosApart_m(const Plan& plan, const Item& item);

/// The actions with which the camera begins, and with which it ends.
std::vector<Action> startPhotos(const Pattern& pattern, double spacing_m, double speed_mps);
std::vector<Action> endPhotos(const Pattern& pattern);

/// Sets gsd_* of a flight from the ground beneath its photos, where it is known.
void measureGsd(const Plan& plan, const Terrain* terrain, PatternFlight& flight);

}  // namespace anhinga
