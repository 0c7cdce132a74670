// Numbers with units as they are typed and shown in fields.
#pragma once

#include <QString>
#include <optional>
#include <vector>

#include "core/geo/Coordinates.h"

namespace anhinga {

/// "60", "0.5": no needless zeros.
QString num(double v, int decimals = 1);
/// What a field's number is, beside its unit in SI: heights and distances are both metres, but each has its own unit on
/// screen.
inline constexpr const char* kHeightUnit = "m up";

/// In SI for a typed number with an optional unit of its own: "60", "60 m", "200 ft", "0.3 km", "12 kt", "30 km/h",
/// "2 min". A bare number is in the unit shown on screen. `unit` is the field's: "m" (a distance), kHeightUnit, "m/s",
/// "s", "°", "%", ... Nothing when it is not a number or the unit does not fit.
std::optional<double> typedNumber(QString text, const QString& unit);
/// A value in SI as a field shows it, with its unit on screen: "60 m", "197 ft", "17.5 kt".
QString shownNumber(double si, const QString& unit, int decimals = 1);

/// Quantities whose unit on screen is the operator's choice. Inside the program and in files everything is SI.
enum class UnitKind { height, distance, speed };
struct UnitChoice {
    const char* text;           // in Settings
    const char* name;           // beside a number
    double si;                  // of one
    const char* long_name;      // for long distances
    double long_si, long_from;  // in SI; from where on the long one is used
};
/// First one is SI.
const std::vector<UnitChoice>& unitChoices(UnitKind kind);
int unitChoice(UnitKind kind);
void setUnitChoice(UnitKind kind, int index);
const UnitChoice& unitOf(UnitKind kind);
/// Text of the program's own ("clearance 12 m, 850 m from home, 8 m/s") in the units on screen. What stands in quotes
/// is someone's own words and stays. Plain metres are taken for `lean`; a word after them ("home", "AMSL", "from")
/// decides.
QString inUnits(const QString& text, UnitKind lean = UnitKind::height);
inline QString inUnits(const std::string& text, UnitKind lean = UnitKind::height) {
    return inUnits(QString::fromStdString(text), lean);
}

/// How coordinates are shown everywhere; remembered between runs.
CoordinateFormat coordinateFormat();
void setCoordinateFormat(CoordinateFormat format);
QString shownCoordinate(GeoPoint p);

}  // namespace anhinga
