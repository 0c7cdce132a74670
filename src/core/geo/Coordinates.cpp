#include "core/geo/Coordinates.h"

#include <GeographicLib/DMS.hpp>
#include <GeographicLib/GeoCoords.hpp>
#include <GeographicLib/UTMUPS.hpp>

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

std::optional<UtmPoint> utmOf(GeoPoint p) {
    if (!isValid(p)) return std::nullopt;
    return utmOf(p, GeographicLib::UTMUPS::StandardZone(p.lat_deg, p.lon_deg), p.lat_deg >= 0);
}

std::optional<UtmPoint> utmOf(GeoPoint p, int zone, bool north) {
    if (!isValid(p)) return std::nullopt;
    try {
        UtmPoint u;
        GeographicLib::UTMUPS::Forward(p.lat_deg, p.lon_deg, u.zone, u.north, u.easting_m, u.northing_m, zone);
        // Across the equator the numbers go on from the hemisphere asked for.
        if (u.north != north) u.northing_m += north ? -10e6 : 10e6;
        u.north = north;
        return u;
    } catch (const std::exception&) {
        return std::nullopt;
    }
}

std::optional<GeoPoint> fromUtm(const UtmPoint& u) {
    try {
        GeoPoint p;
        const bool other = u.north ? u.northing_m < 0 : u.northing_m > 10e6;
        GeographicLib::UTMUPS::Reverse(u.zone, other ? !u.north : u.north, u.easting_m,
                                       other ? u.northing_m + (u.north ? 10e6 : -10e6) : u.northing_m, p.lat_deg,
                                       p.lon_deg);
        return isValid(p) ? std::optional(p) : std::nullopt;
    } catch (const std::exception&) {
        return std::nullopt;
    }
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
