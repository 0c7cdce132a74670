#include "core/geo/Coordinates.h"

#include <GeographicLib/DMS.hpp>
#include <GeographicLib/GeoCoords.hpp>

namespace anhinga {

std::string coordinateText(GeoPoint p, CoordinateFormat format) {
    if (!isValid(p)) return "not a place";
    try {
        const GeographicLib::GeoCoords c(p.lat_deg, p.lon_deg);
        switch (format) {
            case CoordinateFormat::decimal:
                return fmt::format("{:.6f}, {:.6f}", p.lat_deg, p.lon_deg);
            case CoordinateFormat::dms: {
                using GeographicLib::DMS;
                return DMS::Encode(p.lat_deg, DMS::SECOND, 2, DMS::LATITUDE) + " " +
                       DMS::Encode(p.lon_deg, DMS::SECOND, 2, DMS::LONGITUDE);
            }
            case CoordinateFormat::utm: {
                const int zone = c.Zone();
                const std::string where = zone > 0 ? std::to_string(zone) : "";
                return fmt::format("{}{} {:.0f} {:.0f}", where, c.Northp() ? "N" : "S", c.Easting(), c.Northing());
            }
            case CoordinateFormat::mgrs:
                return c.MGRSRepresentation(0);
        }
    } catch (const std::exception&) {
        return "no such coordinate here";
    }
    return "";
}

Result<GeoPoint> parseCoordinate(std::string_view text) {
    std::string plain;
    for (const char ch : text) plain += ch == ',' || ch == ';' || ch == '\t' || ch == '\n' ? ' ' : ch;
    const auto first = plain.find_first_not_of(' ');
    if (first == std::string::npos) return fail("no coordinate: write for example 47.312, -20.118");
    if (plain.size() > 200) return fail("too long for a coordinate");
    try {
        const GeographicLib::GeoCoords c(plain.substr(first, plain.find_last_not_of(' ') - first + 1), true, false);
        const GeoPoint p{c.Latitude(), wrapLongitude(c.Longitude())};
        if (isValid(p)) return p;
    } catch (const std::exception&) {
        // Said below, in one wording.
    }
    return fail(
        "\"{}\" is not a coordinate: write latitude and longitude (47.312, -20.118 or 47d18'43\"N 20d07'05\"W), UTM "
        "(27N "
        "566663 5240214) or MGRS (27TWN6666340213)",
        std::string(text.substr(0, 60)));
}

}  // namespace anhinga
