// Airspace in the OpenAir text format: zones with class, floor and ceiling.
#pragma once

#include <string>
#include <vector>

#include "core/base/Result.h"
#include "core/plan/Plan.h"

namespace anhinga {

struct ImportedAirspace {
    std::vector<Zone> zones;  // ids are not set
    std::vector<std::string> notes;
};

/// Records AC, AN, AL, AH, DP, V, DC, DA, DB of OpenAir; heights in feet or metres, flight levels as 100 ft of pressure
/// altitude (noted: that is not height above sea level on most days). Unknown records are skipped. Lines that cannot be
/// understood are errors with their number: half a zone would be shown as clear where it is not.
Result<ImportedAirspace> readOpenAir(const std::string& text, const std::string& name);
/// The same zones from GeoJSON polygons with properties name, class, floor_m, ceiling_m, floor_ref, ceiling_ref.
Result<ImportedAirspace> readAirspaceGeoJson(const std::string& text, const std::string& name);
/// Either of them, told apart by content.
Result<ImportedAirspace> readAirspace(const std::string& path);
/// Adds the zones to a plan as one edit; with `covered` also the area in which this data is said to be complete.
void addAirspace(Plan& plan, const ImportedAirspace& airspace, const std::string& source,
                 const std::vector<GeoPoint>& covered);

}  // namespace anhinga
