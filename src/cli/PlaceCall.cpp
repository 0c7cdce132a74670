// anhinga-cli place: what is known of a place: ground, magnetic field, coordinates in other forms.
#include <cmath>

#include "cli/Cli.h"
#include "cli/Common.h"
#include "core/base/Text.h"
#include "core/geo/Coordinates.h"
#include "core/geo/Geoid.h"
#include "core/geo/MagneticField.h"

namespace anhinga {

namespace {

/// "2027.5" or "2027-07-02" as a decimal year; nothing when it is neither.
std::optional<double> yearOf(const std::string& text) {
    if (const auto whole = text.size() == 10 ? parseUtc(text + "T00:00:00Z") : std::nullopt; whole) {
        const int y = std::stoi(text.substr(0, 4)), m = std::stoi(text.substr(5, 2)), d = std::stoi(text.substr(8, 2));
        constexpr int kBefore[] = {0, 31, 59, 90, 120, 151, 181, 212, 243, 273, 304, 334};
        const bool leap = (y % 4 == 0 && y % 100 != 0) || y % 400 == 0;
        constexpr int kDays[] = {31, 28, 31, 30, 31, 30, 31, 31, 30, 31, 30, 31};
        if (y < 1900 || m < 1 || m > 12 || d < 1 || d > kDays[m - 1] + (m == 2 && leap ? 1 : 0)) return std::nullopt;
        const int day = kBefore[m - 1] + (m > 2 && leap ? 1 : 0) + d - 1;
        return y + day / (leap ? 366.0 : 365.0);
    }
    const auto year = parseNumber(text);
    return year && *year >= 1900 && *year <= 2200 ? year : std::nullopt;
}

}  // namespace

CliResult cliPlace(const CliArguments& a) {
    const auto place = parsePlace(a.place);
    if (!place) return unusable({"\"" + a.place + "\" is not LAT,LON[,AMSL] in degrees and metres"});
    const auto year = a.date.empty() ? std::optional(1970 + unixNow() / (365.2425 * 86400)) : yearOf(a.date);
    if (!year) return unusable({"--date \"" + a.date + "\" is neither YYYY-MM-DD nor a decimal year"});
    const auto terrain = Terrain::open(a.terrain);
    if (!terrain) return unusable(terrain.error());
    constexpr double kMost_m = 100000;
    if (std::abs(place->amsl_m.value_or(0)) > kMost_m)
        return unusable({fmt::format("\"{}\": its height must be from {:g} to {:g} m", a.place, -kMost_m, kMost_m)});
    const GeoPoint p{place->lat_deg, place->lon_deg};
    const auto ground = (*terrain)->sample(p);
    const MagneticField f = magneticField(p, place->amsl_m.value_or(ground.value_or(0)), *year);
    const auto geoid = Geoid::standard();
    const auto undulation = geoid != nullptr ? geoid->height_m(p) : std::nullopt;
    CliResult out;
    out.json = {{"ground_amsl_m", ground ? Json(*ground) : Json()},
                {"declination_deg", f.declination_deg},
                {"inclination_deg", f.inclination_deg},
                {"field_nt", f.field_nt},
                {"north_nt", f.north_nt},
                {"east_nt", f.east_nt},
                {"down_nt", f.down_nt},
                {"dms", coordinateText(p, CoordinateFormat::dms)},
                {"utm", coordinateText(p, CoordinateFormat::utm)},
                {"mgrs", coordinateText(p, CoordinateFormat::mgrs)},
                {"geoid_m", undulation ? Json(*undulation) : Json()}};
    out.text = fmt::format("{}\n{}\n{}\n{}\nground {}\ndeclination {:+.2f} deg, inclination {:+.2f} deg, {:.0f} nT",
                           coordinateText(p, CoordinateFormat::decimal), coordinateText(p, CoordinateFormat::dms),
                           coordinateText(p, CoordinateFormat::utm), coordinateText(p, CoordinateFormat::mgrs),
                           ground ? fmt::format("{:.1f} m AMSL", *ground) : "unknown", f.declination_deg,
                           f.inclination_deg, f.field_nt);
    out.text += undulation ? fmt::format("\nsea level {:+.2f} m above the ellipsoid", *undulation)
                           : std::string("\nno geoid grid is here: heights above the ellipsoid mean nothing");
    if (!isMagneticModelValid(*year))
        out.error = fmt::format("the magnetic model holds from 2025 to 2030; {:.1f} is extrapolated", *year);
    return out;
}

}  // namespace anhinga
