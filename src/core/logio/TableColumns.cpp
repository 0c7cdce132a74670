// What the columns of a table are: by their names, their units and their first values.
#include <algorithm>
#include <cmath>
#include <set>

#include "core/base/Text.h"
#include "core/logio/TableCells.h"
#include "core/logio/TableLog.h"
#include "core/logio/TableModes.h"

namespace anhinga {

using namespace table;

namespace {

constexpr std::size_t kSampleRows = 60;

/// "Alt(m)", "GSpd [km/h]", "Curr A": the name and the unit.
std::pair<std::string, std::string> nameAndUnit(std::string_view header) {
    for (const auto& [open, close] : {std::pair('(', ')'), std::pair('[', ']')}) {
        const auto at = header.rfind(open);
        const auto end = header.rfind(close);
        if (at != std::string_view::npos && end != std::string_view::npos && end > at)
            return {std::string(bare(header.substr(0, at))), std::string(bare(header.substr(at + 1, end - at - 1)))};
    }
    static const std::set<std::string> kUnits{"m",  "ft",    "km/h", "kmh", "m/s", "mps", "mph", "kt",  "kts",
                                              "kn", "knots", "v",    "mv",  "a",   "ma",  "mah", "deg", "rad",
                                              "s",  "ms",    "us",   "%",   "fpm", "kph", "utc"};
    for (const char between : {' ', '_'})
        if (const auto at = header.rfind(between);
            at != std::string_view::npos && kUnits.contains(lower(header.substr(at + 1))))
            return {std::string(bare(header.substr(0, at))), std::string(header.substr(at + 1))};
    return {std::string(header), ""};
}

/// Letters and digits alone: "GPS Alt." is "gpsalt".
std::string plain(const std::string& name) {
    std::string out;
    for (const char c : lower(name))
        if (std::isalnum(static_cast<unsigned char>(c)) != 0 || c == '%') out += c;
    return out;
}

struct Word {
    const char* channel;
    std::initializer_list<const char*> names;
};
/// The first match wins, so that the narrower names stand first.
const Word kWords[] = {
    {kDateColumn, {"date", "day"}},
    {kTimeColumn,
     {"time", "timestamp", "clock", "t", "elapsed", "times", "timems", "seconds", "datetime", "utctime", "timeutc",
      "utc", "localtime", "gpstime", "epoch", "epochms", "unixtime", "millis"}},
    {kPlaceColumn, {"gps", "position", "coordinates", "latlon", "gpscoordinates"}},
    {kModeColumn, {"fm", "flightmode", "mode", "fmode", "flmode"}},
    {kArmedColumn, {"armed", "arm", "arming", "armstate", "armingstate", "isarmed"}},
    {"position.lat_deg", {"lat", "latitude", "gpslat", "gpslatitude"}},
    {"position.lon_deg", {"lon", "lng", "long", "longitude", "gpslon", "gpslong", "gpslng", "gpslongitude"}},
    {kEllipsoidColumn,
     {"hae", "altellipsoid", "ellipsoidheight", "ellipsoidalheight", "heightellipsoid", "altitudeellipsoid", "althae",
      "altwgs84", "ellipsoidalt"}},
    {"position.height_amsl_m",
     {"galt", "gpsalt", "gpsaltitude", "altmsl", "altitudemsl", "amsl", "msl", "heightmsl", "heightamsl", "altamsl",
      "altitudeamsl"}},
    {"position.height_ground_m", {"agl", "altagl", "heightagl", "range", "rangefinder", "sonar", "lidar"}},
    {"position.height_home_m",
     {"alt", "altitude", "height", "baroalt", "altbaro", "relalt", "relativealtitude", "altrel", "altituderel",
      "varioalt", "heighthome", "heightabovetakeoff", "altabovehome"}},
    {"velocity.climb_mps", {"vspd", "vario", "vspeed", "verticalspeed", "climb", "climbrate", "vsi"}},
    {"velocity.air_mps", {"aspd", "airspeed", "as", "tas", "ias"}},
    {"velocity.ground_mps", {"gspd", "gpsspeed", "groundspeed", "speed", "spd", "gs", "speedoverground", "sog"}},
    {"attitude.roll_deg", {"roll", "bank"}},
    {"attitude.pitch_deg", {"pitch", "ptch"}},
    {"attitude.yaw_deg", {"yaw", "heading", "hdg", "course", "cog", "gpsheading"}},
    {"stick.roll", {"ail", "aileron", "stickroll", "rollstick"}},
    {"stick.pitch", {"ele", "elev", "elevator", "stickpitch", "pitchstick"}},
    {"stick.yaw", {"rud", "rudd", "rudder", "stickyaw", "yawstick"}},
    {"stick.throttle", {"thr", "stickthrottle", "throttlestick"}},
    {"gps.satellites", {"sats", "sat", "satellites", "nsat", "numsat", "gpssats", "tmp2sats"}},
    {"gps.hdop", {"hdop"}},
    {"battery.left_percent", {"bat%", "batt%", "battery%", "fuel", "remaining", "remainingcapacity", "soc"}},
    {"battery.voltage_v",
     {"vfas", "voltage", "volt", "volts", "batt", "vbat", "battery", "bat", "batteryvoltage", "packvoltage"}},
    {"battery.current_a", {"curr", "current", "amps", "amp", "batterycurrent"}},
    {"battery.used_mah", {"capa", "capacity", "mah", "consumption", "used", "usedmah", "drawn", "capacityused"}},
    {"throttle.percent", {"thr%", "throttle", "throttle%", "thrpercent"}},
    {"link.receiver_v", {"rxbt", "rxbatt", "rxbattery", "receiverbattery", "rxvoltage", "receivervoltage"}},
    {"link.rssi", {"rssi", "1rss", "rss", "rqly", "lq", "linkquality", "trss"}}};
/// Names that do not say what a height is measured from.
const std::set<std::string> kUnsureHeights{"alt", "altitude", "height"};

/// A canonical name as it stands: what this program writes itself.
bool ownName(const std::string& name) {
    static const std::set<std::string> kGroups{
        "position", "velocity", "attitude", "desired", "gps",    "baro",  "imu",      "mag", "motor", "vibration",
        "battery",  "throttle", "mission",  "link",    "camera", "stick", "estimate", "rpm", "wind"};
    const auto dot = name.find('.');
    return dot != std::string::npos && dot + 1 < name.size() && kGroups.contains(name.substr(0, dot)) &&
           std::all_of(name.begin(), name.end(), [](unsigned char c) {
               return std::islower(c) != 0 || std::isdigit(c) != 0 || c == '_' || c == '.';
           });
}

std::string channelByName(const std::string& name) {
    if (ownName(name)) return name;
    const std::string p = plain(name);
    for (const Word& w : kWords)
        for (const char* n : w.names)
            if (p == n) return w.channel;
    return "";
}

class Recogniser {
  public:
    Recogniser(std::string_view bytes, const TableMapping& mapping) : bytes_(bytes), mapping_(mapping) {}
    Result<TableLayout> run() {
        if (auto ok = findHeader(); !ok) return tl::unexpected(ok.error());
        takeSamples();
        for (std::size_t i = 0; i < layout_.columns.size(); ++i) name(i);
        onlyOne();
        sticksOrNone();
        receiverOrPack();
        for (TableColumn& c : layout_.columns) scale(c);
        return layout_;
    }

  private:
    /// The first line of words with at least one row of numbers behind it.
    Result<void> findHeader() {
        std::size_t at = bytes_.starts_with("\xEF\xBB\xBF") ? 3 : 0;
        constexpr int kMostBefore = 30;
        for (int n = 0; n < kMostBefore; ++n) {
            Lines lines(bytes_, at);
            const auto line = lines.next();
            if (!line) break;
            for (const char separator : {',', ';', '\t'}) {
                const auto headers = cellsOf(*line, separator);
                if (headers.size() < 3 || headers.size() >= kMostColumns) continue;
                const auto words = std::count_if(headers.begin(), headers.end(), [](std::string_view h) {
                    return !h.empty() &&
                           std::any_of(h.begin(), h.end(), [](unsigned char c) { return std::isalpha(c); });
                });
                if (words * 4 < static_cast<std::ptrdiff_t>(headers.size()) * 3) continue;
                const auto row = Lines(bytes_, lines.at()).next();
                if (!row) continue;
                const auto cells = cellsOf(*row, separator);
                const auto numbers = std::count_if(
                    cells.begin(), cells.end(), [&](std::string_view c) { return numberOf(c, separator).has_value(); });
                if (numbers < 2 || cells.size() + 2 < headers.size()) continue;
                layout_.separator = separator;
                layout_.first_row = lines.at();
                layout_.signature = std::string(bare(*line));
                for (const std::string_view h : headers) {
                    TableColumn c;
                    c.header = std::string(h);
                    layout_.columns.push_back(std::move(c));
                }
                return {};
            }
            at = lines.at();
        }
        return fail("not a table: a line of column names and rows of numbers are expected");
    }
    void takeSamples() {
        Lines lines(bytes_, layout_.first_row);
        for (std::size_t n = 0; n < kSampleRows; ++n) {
            const auto line = lines.next();
            if (!line) break;
            const auto cells = cellsOf(*line, layout_.separator);
            // A row that is none says nothing of the columns.
            const bool whole = cells.size() <= layout_.columns.size() && cells.size() + 2 >= layout_.columns.size();
            if (whole) samples_.push_back(cells);
        }
        for (std::size_t i = 0; i < layout_.columns.size(); ++i)
            for (const auto& row : samples_)
                if (i < row.size() && !row[i].empty() && layout_.columns[i].sample.empty())
                    layout_.columns[i].sample = std::string(row[i].substr(0, 60));
    }
    /// Whether the samples of a column are as asked: three quarters of them, a damaged row does not count against it.
    template <class Test>
    bool all(std::size_t column, const Test& test) const {
        std::size_t n = 0, good = 0;
        for (const auto& row : samples_) {
            if (column >= row.size() || row[column].empty()) continue;
            ++n;
            good += test(row[column]) ? 1 : 0;
        }
        return n > 0 && good * 4 >= n * 3;
    }
    void name(std::size_t i) {
        TableColumn& c = layout_.columns[i];
        auto [name, unit] = nameAndUnit(c.header);
        c.unit = unit;
        if (const auto said = mapping_.units.find(c.header); said != mapping_.units.end()) c.unit = said->second;
        if (const auto said = mapping_.channels.find(c.header); said != mapping_.channels.end()) {
            c.channel = said->second;
            c.note = "as you said";
            return;
        }
        c.channel = channelByName(name);
        const auto number = [&](std::string_view cell) { return numberOf(cell, layout_.separator); };
        // A name promises, the values must keep it.
        if (c.channel == kPlaceColumn && !all(i, [](std::string_view cell) { return placeOf(cell).has_value(); }))
            c.channel.clear();
        if (c.channel == kDateColumn && !all(i, [&](std::string_view cell) { return dayOf(cell, c.note).has_value(); }))
            c.channel.clear();
        if (c.channel == kTimeColumn && !all(i, [&](std::string_view cell) {
                std::string aside;
                return timeOfDay(cell) || number(cell) || momentOf(cell, aside);
            }))
            c.channel.clear();
        // A date with its time of day is all the time there is.
        if (c.channel.empty() && channelByName(name) == kDateColumn && all(i, [](std::string_view cell) {
                std::string aside;
                return momentOf(cell, aside).has_value();
            }))
            c.channel = kTimeColumn;
        if (c.channel == kArmedColumn && !all(i, [](std::string_view cell) { return armedOf(cell).has_value(); }))
            c.channel.clear();
        // Modes are codes or words, never places on a scale.
        if (c.channel == kModeColumn && !all(i, [&](std::string_view cell) { return !number(cell); }))
            c.channel.clear();
        c.unsure_height = c.channel == "position.height_home_m" && kUnsureHeights.contains(plain(name));
        const double limit = c.channel == "position.lat_deg" ? 90 : c.channel == "position.lon_deg" ? 180 : 0;
        if (limit > 0 && !all(i, [&](std::string_view cell) {
                const auto v = number(cell);
                return v && std::abs(*v) <= limit;
            })) {
            c.note = "the values cannot be degrees";
            c.channel.clear();
        }
        if (!c.channel.empty() && c.channel.find('.') != std::string::npos &&
            !all(i, [&](std::string_view cell) { return number(cell).has_value(); }))
            c.channel.clear();
        // A place in one cell, whatever it is called.
        if (c.channel.empty() &&
            all(i, [](std::string_view cell) { return placeOf(cell) && cell.find('.') != std::string_view::npos; }))
            c.channel = kPlaceColumn;
    }
    /// Of two columns for one channel the first is taken.
    void onlyOne() {
        std::set<std::string> taken;
        for (TableColumn& c : layout_.columns) {
            if (c.channel.empty() || taken.insert(c.channel).second) continue;
            c.note = "another column is taken for " + c.channel;
            c.channel.clear();
        }
        if (taken.contains("position.lat_deg") && taken.contains("position.lon_deg"))
            for (TableColumn& c : layout_.columns)
                if (c.channel == kPlaceColumn) c.channel.clear();
    }
    bool has(std::string_view channel) const {
        return std::any_of(layout_.columns.begin(), layout_.columns.end(),
                           [&](const TableColumn& c) { return c.channel == channel; });
    }
    /// One stick alone is a switch, or something else of that name.
    void sticksOrNone() {
        if (has("stick.roll") && has("stick.pitch")) return;
        for (TableColumn& c : layout_.columns)
            if (c.channel.starts_with("stick.") && c.note.empty()) c.channel.clear();
    }
    /// Some receivers hang on the pack and tell its voltage as their own; then there is no other.
    void receiverOrPack() {
        if (has("battery.voltage_v")) return;
        for (std::size_t i = 0; i < layout_.columns.size(); ++i) {
            TableColumn& c = layout_.columns[i];
            constexpr double kMostOfAReceiver_v = 6.5;
            if (c.channel != "link.receiver_v" || !all(i, [&](std::string_view cell) {
                    return numberOf(cell, layout_.separator).value_or(0) > kMostOfAReceiver_v;
                }))
                continue;
            c.channel = "battery.voltage_v";
            c.note = "more than a receiver is fed with, and no other voltage is there: taken for the pack's";
        }
    }
    void scale(TableColumn& c) const {
        if (c.channel == kEllipsoidColumn && !c.unit.empty())
            c.factor = unitFactor(c.unit, "position.height_amsl_m").value_or(1);
        if (c.channel.find('.') == std::string::npos) return;
        if (c.unit.empty()) {
            if (const std::string unit = canonicalUnit(c.channel);
                !unit.empty() && c.note.empty() && unit != "deg" && unit != "%")
                c.note = "no unit is given: taken as " + unit;
            return;
        }
        if (const auto factor = unitFactor(c.unit, c.channel))
            c.factor = *factor;
        else
            c.note = fmt::format("unit \"{}\" is not known: taken as {}", c.unit, canonicalUnit(c.channel));
    }

    std::string_view bytes_;
    const TableMapping& mapping_;
    TableLayout layout_;
    std::vector<std::vector<std::string_view>> samples_;
};

}  // namespace

std::optional<double> unitFactor(const std::string& given, const std::string& channel) {
    const std::string unit = lower(bare(given)), wanted = canonicalUnit(channel);
    struct Known {
        const char *wanted, *unit;
        double factor;
    };
    static constexpr Known kKnown[] = {{"m", "m", 1},
                                       {"m", "ft", 0.3048},
                                       {"m", "feet", 0.3048},
                                       {"m", "cm", 0.01},
                                       {"m", "km", 1000},
                                       {"m/s", "m/s", 1},
                                       {"m/s", "mps", 1},
                                       {"m/s", "km/h", 1 / 3.6},
                                       {"m/s", "kmh", 1 / 3.6},
                                       {"m/s", "kph", 1 / 3.6},
                                       {"m/s", "mph", 0.44704},
                                       {"m/s", "kts", 1852 / 3600.0},
                                       {"m/s", "kt", 1852 / 3600.0},
                                       {"m/s", "kn", 1852 / 3600.0},
                                       {"m/s", "knots", 1852 / 3600.0},
                                       {"m/s", "ms", 1},
                                       {"m/s", "ft/s", 0.3048},
                                       {"m/s", "fpm", 0.3048 / 60},
                                       {"m/s", "ft/min", 0.3048 / 60},
                                       {"m/s", "cm/s", 0.01},
                                       {"deg", "deg", 1},
                                       {"deg", "°", 1},
                                       {"deg", "@", 1},
                                       {"deg", "rad", 180 / M_PI},
                                       {"V", "v", 1},
                                       {"V", "mv", 0.001},
                                       {"A", "a", 1},
                                       {"A", "ma", 0.001},
                                       {"mAh", "mah", 1},
                                       {"mAh", "ah", 1000},
                                       {"%", "%", 1},
                                       {"Wh", "wh", 1}};
    for (const Known& k : kKnown)
        if (wanted == k.wanted && unit == k.unit) return k.factor;
    return wanted.empty() ? std::optional(1.0) : std::nullopt;
}

Result<TableLayout> recogniseTable(std::string_view bytes, const TableMapping& mapping) {
    return Recogniser(bytes, mapping).run();
}

}  // namespace anhinga
