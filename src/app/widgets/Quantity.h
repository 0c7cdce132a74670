// Numbers with units as they are typed and shown in fields.
#pragma once

#include <QString>
#include <optional>

#include "core/geo/Coordinates.h"

namespace anhinga {

/// "60", "0.5": no needless zeros.
QString num(double v, int decimals = 1);
/// In `unit` for a typed number with an optional unit of its own: "60", "60 m", "200 ft", "0.3 km", "12 kt", "30 km/h",
/// "2 min". Nothing when it is not a number or the unit does not fit.
std::optional<double> typedNumber(QString text, const QString& unit);

/// How coordinates are shown everywhere; remembered between runs.
CoordinateFormat coordinateFormat();
void setCoordinateFormat(CoordinateFormat format);
QString shownCoordinate(GeoPoint p);

}  // namespace anhinga
