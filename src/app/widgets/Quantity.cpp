#include "app/widgets/Quantity.h"

#include <QRegularExpression>
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

namespace {

constexpr double kFoot = 0.3048, kNauticalMile = 1852, kKnot = 1852.0 / 3600;

constexpr const char* kKeys[] = {"units/height", "units/distance", "units/speed"};

/// Read once; settings are slow to ask at every number.
int& chosen(UnitKind kind) {
    static int choices[3] = {-1, -1, -1};
    return choices[static_cast<int>(kind)];
}

std::optional<UnitKind> kindOf(const QString& unit) {
    if (unit == kHeightUnit) return UnitKind::height;
    if (unit == "m") return UnitKind::distance;
    if (unit == "m/s") return UnitKind::speed;
    return std::nullopt;
}

/// A number in another unit, about as fine as it was.
QString converted(const QString& number, double factor, bool speed) {
    const double v = number.toDouble() * factor;
    const bool fine = speed || number.contains('.');
    return num(v, std::abs(v) >= 100 ? 0 : fine || std::abs(v) < 10 ? 1 : 0);
}

}  // namespace

const std::vector<UnitChoice>& unitChoices(UnitKind kind) {
    static const std::vector<UnitChoice> heights{{"metres", "m", 1, "m", 1, 1e12},
                                                 {"feet", "ft", kFoot, "ft", kFoot, 1e12}};
    static const std::vector<UnitChoice> distances{
        {"metres and kilometres", "m", 1, "km", 1000, 1000},
        {"feet and nautical miles", "ft", kFoot, "NM", kNauticalMile, kNauticalMile / 2},
        {"metres and nautical miles", "m", 1, "NM", kNauticalMile, kNauticalMile}};
    static const std::vector<UnitChoice> speeds{{"metres a second", "m/s", 1, "m/s", 1, 1e12},
                                                {"kilometres an hour", "km/h", 1 / 3.6, "km/h", 1 / 3.6, 1e12},
                                                {"knots", "kt", kKnot, "kt", kKnot, 1e12}};
    return kind == UnitKind::height ? heights : kind == UnitKind::distance ? distances : speeds;
}

int unitChoice(UnitKind kind) {
    int& index = chosen(kind);
    if (index < 0)
        index = std::clamp(QSettings().value(kKeys[static_cast<int>(kind)], 0).toInt(), 0,
                           static_cast<int>(unitChoices(kind).size()) - 1);
    return index;
}

void setUnitChoice(UnitKind kind, int index) {
    chosen(kind) = std::clamp(index, 0, static_cast<int>(unitChoices(kind).size()) - 1);
    QSettings().setValue(kKeys[static_cast<int>(kind)], chosen(kind));
}

const UnitChoice& unitOf(UnitKind kind) {
    return unitChoices(kind)[static_cast<std::size_t>(unitChoice(kind))];
}

std::optional<double> typedNumber(QString text, const QString& unit) {
    struct Unit {
        const char *kind, *name;
        double factor;
    };
    // Longest names first: "km/h" must not be read as "h".
    static constexpr Unit kUnits[] = {
        {"m/s", "km/h", 1 / 3.6},   {"m/s", "m/s", 1}, {"m/s", "kt", kKnot}, {"m", "km", 1000}, {"m", "ft", kFoot},
        {"m", "NM", kNauticalMile}, {"m", "m", 1},     {"s", "min", 60},     {"s", "s", 1},     {"s", "h", 3600}};
    text = text.trimmed().replace(',', '.').replace(QChar(0x2212), "-");
    const QString si = unit == kHeightUnit ? "m" : unit;
    std::optional<double> factor;
    for (const Unit& u : kUnits)
        if (si == u.kind && text.endsWith(u.name)) {
            text.chop(static_cast<int>(qstrlen(u.name)));
            factor = u.factor;
            break;
        }
    if (!factor) {
        if (const auto kind = kindOf(unit))
            factor = unitOf(*kind).si;
        else if (!unit.isEmpty() && text.endsWith(unit))
            text.chop(unit.size());
    }
    const auto v = parseNumber(text.trimmed().toStdString());
    return v ? std::optional(*v * factor.value_or(1)) : std::nullopt;
}

QString shownNumber(double si, const QString& unit, int decimals) {
    if (const auto kind = kindOf(unit)) return num(si / unitOf(*kind).si, decimals) + " " + unitOf(*kind).name;
    return unit.isEmpty() ? num(si, decimals) : num(si, decimals) + " " + unit;
}

QString inUnits(const QString& text, UnitKind lean) {
    if (unitChoice(UnitKind::height) == 0 && unitChoice(UnitKind::distance) == 0 && unitChoice(UnitKind::speed) == 0)
        return text;
    // A number or a range with its unit, and the word after it.
    static const QRegularExpression kNumber(
        R"((-?\d+(?:\.\d+)?)(?:( to | of |, )(-?\d+(?:\.\d+)?))? (km|m/s|m)(?![\w²/])(?:( )([A-Za-z]+))?)");
    static const QStringList kUp{"home", "AMSL", "ground", "over", "above", "high", "below", "under"};
    static const QStringList kAlong{"from", "away", "apart", "long", "wide", "round", "beside", "off", "grid"};
    QString out;
    bool quoted = false;
    for (const QString& part : text.split('"')) {
        if (!out.isEmpty() || quoted) out += '"';
        if (quoted) {
            out += part;
            quoted = false;
            continue;
        }
        quoted = true;
        qsizetype at = 0;
        for (auto m = kNumber.globalMatch(part); m.hasNext();) {
            const auto hit = m.next();
            out += part.mid(at, hit.capturedStart() - at);
            at = hit.capturedEnd();
            const QString unit = hit.captured(4), word = hit.captured(6);
            const UnitKind kind = unit == "m/s"           ? UnitKind::speed
                                  : unit == "km"          ? UnitKind::distance
                                  : kUp.contains(word)    ? UnitKind::height
                                  : kAlong.contains(word) ? UnitKind::distance
                                                          : lean;
            const UnitChoice& u = unitOf(kind);
            const double si = unit == "km" ? 1000 : 1;
            const QString last = hit.captured(3).isEmpty() ? hit.captured(1) : hit.captured(3);
            const bool far = std::abs(last.toDouble() * si) >= u.long_from;
            const double factor = si / (far ? u.long_si : u.si);
            const auto one = [&](const QString& n) {
                return factor == 1 ? n
                       : far       ? num(n.toDouble() * factor, 2)
                                   : converted(n, factor, kind == UnitKind::speed);
            };
            out += one(hit.captured(1));
            if (!hit.captured(3).isEmpty()) out += hit.captured(2) + one(hit.captured(3));
            out += QString(" ") + (far ? u.long_name : u.name) + hit.captured(5) + word;
        }
        out += part.mid(at);
    }
    return out;
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
