#include "app/widgets/Quantity.h"

#include <QSettings>

#include "core/base/Text.h"

namespace anhinga {

QString num(double v, int decimals) {
    QString s = QString::number(v, 'f', decimals);
    if (s.contains('.')) {
        while (s.endsWith('0')) s.chop(1);
        if (s.endsWith('.')) s.chop(1);
    }
    return s;
}

std::optional<double> typedNumber(QString text, const QString& unit) {
    struct Unit {
        const char *kind, *name;
        double factor;
    };
    // Longest names first: "km/h" must not be read as "h".
    static constexpr Unit kUnits[] = {{"m/s", "km/h", 1 / 3.6},
                                      {"m/s", "m/s", 1},
                                      {"m/s", "kt", 1852.0 / 3600},
                                      {"m", "km", 1000},
                                      {"m", "ft", 0.3048},
                                      {"m", "NM", 1852},
                                      {"m", "m", 1},
                                      {"s", "min", 60},
                                      {"s", "s", 1},
                                      {"s", "h", 3600}};
    text = text.trimmed().replace(',', '.').replace(QChar(0x2212), "-");
    double factor = 1;
    bool known = false;
    for (const Unit& u : kUnits)
        if (unit == u.kind && text.endsWith(u.name)) {
            text.chop(static_cast<int>(qstrlen(u.name)));
            factor = u.factor;
            known = true;
            break;
        }
    if (!known && !unit.isEmpty() && text.endsWith(unit)) text.chop(unit.size());
    const auto v = parseNumber(text.trimmed().toStdString());
    return v ? std::optional(*v * factor) : std::nullopt;
}

CoordinateFormat coordinateFormat() {
    return static_cast<CoordinateFormat>(std::clamp(QSettings().value("units/coordinates", 0).toInt(), 0, 3));
}

void setCoordinateFormat(CoordinateFormat format) {
    QSettings().setValue("units/coordinates", static_cast<int>(format));
}

QString shownCoordinate(GeoPoint p) {
    return QString::fromStdString(coordinateText(p, coordinateFormat()));
}

}  // namespace anhinga
