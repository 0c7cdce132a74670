// Earth's main magnetic field from the World Magnetic Model 2025 (epoch 2025.0, valid to 2030.0).
// Source: The US/UK World Magnetic Model for 2025-2030, NOAA/NCEI; equations of its technical report.
#pragma once

#include "core/geo/Geo.h"

namespace anhinga {

/// North, east and down are those of the ellipsoid at the place; nanotesla and degrees, declination positive east.
struct MagneticField {
    double north_nt = 0, east_nt = 0, down_nt = 0;
    double field_nt = 0;
    double declination_deg = 0, inclination_deg = 0;
};

/// `height_m` above the WGS-84 ellipsoid (above sea level is near enough: 100 m change the field by 3 nT),
/// `year` decimal. Outside 2025.0 to 2030.0 the model is extrapolated; isMagneticModelValid() says so.
MagneticField magneticField(GeoPoint place, double height_m, double year);
bool isMagneticModelValid(double year);

}  // namespace anhinga
