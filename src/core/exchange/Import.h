// Shapes of other programs' files, and what they become in a plan. Reading never touches a plan: the operator sees
// first what will become what.
#pragma once

#include <optional>
#include <string>
#include <vector>

#include "core/base/Result.h"
#include "core/plan/Plan.h"

namespace anhinga {

enum class ShapeKind { point, line, area, view };
const char* shapeKindText(ShapeKind kind);

/// One thing of a file. `heights` is as long as `points`; a height the file does not give is nothing.
struct ImportedShape {
    ShapeKind kind = ShapeKind::point;
    std::string name, notes;
    std::vector<GeoPoint> points;
    std::vector<std::optional<Height>> heights;
    std::optional<double> heading_deg, pitch_deg;   // kind view: where the camera looks; pitch -90 is straight down
    std::vector<std::vector<GeoPoint>> holes = {};  // kind area
};

struct ImportedFile {
    std::string format;  // "KML", "GPX", ...
    std::vector<ImportedShape> shapes;
    std::vector<std::string> notes;  // what was left out or had to be assumed
};

/// .kml .kmz .gpx .geojson .json .csv, told apart by content. Damaged files give an error with what and where; a file
/// without shapes is an error too. At most 200,000 points.
Result<ImportedFile> readShapes(const std::string& path);
Result<ImportedFile> readKml(const std::string& text, const std::string& name);
Result<ImportedFile> readGpx(const std::string& text, const std::string& name);
Result<ImportedFile> readGeoJson(const std::string& text, const std::string& name);
/// Columns found by their header (latitude, longitude, height and what it is measured from, name, heading, pitch).
Result<ImportedFile> readCsv(const std::string& text, const std::string& name);

/// What a shape may become. Each is allowed for some kinds only.
enum class ShapeRole { leaveOut, waypoints, home, rally, mast, wire, trees, block, keepIn, keepOut };
const char* roleText(ShapeRole role);
std::vector<ShapeRole> rolesFor(ShapeKind kind);
/// Points, lines and views become waypoints, areas a block; a name that says "home" or "keep out" is believed.
ShapeRole suggestedRole(const ImportedShape& shape);
/// Suggestions for a whole file: a line drawn through the file's own points is left out, the points are the waypoints.
std::vector<ShapeRole> suggestedRoles(const ImportedFile& file);
/// Adds a shape to a plan; waypoints go before a last landing or return. Returns the ids made.
std::vector<ItemId> addShape(Plan& plan, const ImportedShape& shape, ShapeRole role);

}  // namespace anhinga
