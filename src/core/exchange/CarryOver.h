// A plan carried by hand to an aircraft that takes no link: the file, checked by reading it back, and a one-page sheet
// of every assumption that the file cannot say.
#pragma once

#include "core/exchange/Export.h"

namespace anhinga {

struct CarryOver {
    std::string file, sheet;  // paths
    std::size_t points = 0;   // of the route that were looked for in the file
    double worst_place_m = 0, worst_height_m = 0;
    std::vector<std::string> differences;  // what the file does not hold as the plan does
    bool agrees() const { return differences.empty(); }
};

/// Writes `file` (.kml .kmz .gpx .csv .geojson) and FILE-sheet.html beside it, reads the file back and looks for every
/// point of the route: within 0.2 m, and within 0.1 m in height. A file that does not agree is still there; the result
/// says what is wrong with it.
Result<CarryOver> carryOver(const Plan& plan, const Path& path, const std::string& file, const PlanExtras& extras = {});

/// The sheet: heights and what they are measured from, angles, what happens at the end and when the link is lost, how
/// photos are taken, limits, point by point. A complete HTML page without anything from elsewhere.
std::string carryOverSheet(const Plan& plan, const Path& path, const std::string& file);

}  // namespace anhinga
