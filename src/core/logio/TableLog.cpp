#include "core/logio/TableLog.h"

#include <algorithm>
#include <cmath>
#include <ctime>
#include <set>

#include "core/base/Text.h"
#include "core/geo/Geo.h"

namespace anhinga {

namespace {

constexpr std::size_t kMostColumns = 500, kSampleRows = 60;

std::string_view bare(std::string_view t) {
    const auto space = [](char c) { return c == ' ' || c == '\t' || c == '\r' || c == '"'; };
    while (!t.empty() && space(t.front())) t.remove_prefix(1);
    while (!t.empty() && space(t.back())) t.remove_suffix(1);
    return t;
}
/// Cells of a line; a quoted one may hold separators.
std::vector<std::string_view> cellsOf(std::string_view line, char separator) {
    std::vector<std::string_view> out;
    std::size_t from = 0;
    bool quoted = false;
    for (std::size_t i = 0; i <= line.size() && out.size() < kMostColumns; ++i) {
        if (i < line.size() && line[i] == '"') quoted = !quoted;
        if (i < line.size() && (line[i] != separator || quoted)) continue;
        out.push_back(bare(line.substr(from, i - from)));
        from = i + 1;
    }
    return out;
}
std::string lower(std::string_view text) {
    std::string out(text);
    std::transform(out.begin(), out.end(), out.begin(), [](unsigned char c) { return std::tolower(c); });
    return out;
}
/// A cell as a number; a comma may be the decimal point where it separates nothing.
std::optional<double> numberOf(std::string_view cell, char separator) {
    if (separator != ',' && std::count(cell.begin(), cell.end(), ',') == 1 &&
        cell.find('.') == std::string_view::npos) {
        std::string point(cell);
        std::replace(point.begin(), point.end(), ',', '.');
        return parseNumber(point);
    }
    return parseNumber(cell);
}

/// Lines of a text without their ends.
class Lines {
  public:
    Lines(std::string_view text, std::size_t at) : text_(text), at_(at) {}
    std::optional<std::string_view> next() {
        if (at_ >= text_.size()) return std::nullopt;
        const std::size_t end = std::min(text_.find('\n', at_), text_.size());
        const std::string_view line = text_.substr(at_, end - at_);
        at_ = end + 1;
        return line;
    }
    std::size_t at() const { return at_; }

  private:
    std::string_view text_;
    std::size_t at_;
};

/// "Alt(m)", "GSpd [km/h]", "Curr A": the name and the unit.
std::pair<std::string, std::string> nameAndUnit(std::string_view header) {
    for (const auto& [open, close] : {std::pair('(', ')'), std::pair('[', ']')}) {
        const auto at = header.rfind(open);
        const auto end = header.rfind(close);
        if (at != std::string_view::npos && end != std::string_view::npos && end > at)
            return {std::string(bare(header.substr(0, at))), std::string(bare(header.substr(at + 1, end - at - 1)))};
    }
    static const std::set<std::string> kUnits{"m",  "ft", "km/h", "kmh", "m/s", "mph", "kt", "kts", "kn", "v",
                                              "mv", "a",  "ma",   "mah", "deg", "rad", "s",  "ms",  "us", "%"};
    if (const auto space = header.rfind(' ');
        space != std::string_view::npos && kUnits.contains(lower(header.substr(space + 1))))
        return {std::string(bare(header.substr(0, space))), std::string(header.substr(space + 1))};
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
    {kTimeColumn, {"time", "timestamp", "clock", "t", "elapsed", "times", "timems", "seconds"}},
    {kPlaceColumn, {"gps", "position", "coordinates", "latlon", "gpscoordinates"}},
    {"position.lat_deg", {"lat", "latitude", "gpslat", "gpslatitude"}},
    {"position.lon_deg", {"lon", "lng", "long", "longitude", "gpslon", "gpslong", "gpslongitude"}},
    {"position.height_amsl_m",
     {"galt", "gpsalt", "gpsaltitude", "altmsl", "altitudemsl", "amsl", "msl", "heightmsl", "heightamsl", "altamsl"}},
    {"position.height_ground_m", {"agl", "altagl", "heightagl", "range", "rangefinder", "sonar", "lidar"}},
    {"position.height_home_m", {"alt", "altitude", "height", "baroalt", "altbaro", "relalt", "varioalt", "heighthome"}},
    {"velocity.climb_mps", {"vspd", "vario", "vspeed", "verticalspeed", "climb", "climbrate", "vsi"}},
    {"velocity.air_mps", {"aspd", "airspeed", "as", "tas", "ias"}},
    {"velocity.ground_mps", {"gspd", "gpsspeed", "groundspeed", "speed", "spd", "gs"}},
    {"attitude.roll_deg", {"roll", "bank"}},
    {"attitude.pitch_deg", {"pitch", "ptch"}},
    {"attitude.yaw_deg", {"yaw", "heading"}},
    {"gps.satellites", {"sats", "sat", "satellites", "nsat", "numsat", "gpssats", "tmp2sats"}},
    {"gps.hdop", {"hdop"}},
    {"battery.left_percent", {"bat%", "batt%", "battery%", "fuel", "remaining", "remainingcapacity", "soc"}},
    {"battery.voltage_v",
     {"vfas", "voltage", "volt", "volts", "batt", "vbat", "battery", "bat", "batteryvoltage", "packvoltage"}},
    {"battery.current_a", {"curr", "current", "amps", "amp", "batterycurrent"}},
    {"battery.used_mah", {"capa", "capacity", "mah", "consumption", "used", "usedmah", "drawn", "capacityused"}},
    {"throttle.percent", {"thr%", "throttle", "throttle%", "thrpercent"}},
    {"link.rssi", {"rssi", "1rss", "rss", "rqly", "lq", "linkquality", "trss"}}};

/// A canonical name as it stands: what this program writes itself.
bool ownName(const std::string& name) {
    static const std::set<std::string> kGroups{"position", "velocity", "attitude", "desired", "gps",
                                               "baro",     "imu",      "mag",      "motor",   "vibration",
                                               "battery",  "throttle", "mission",  "link",    "camera"};
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

/// Two numbers in one cell, latitude first, that can be a place.
std::optional<GeoPoint> placeOf(std::string_view cell) {
    const auto middle = cell.find_first_of(" ;,", 1);
    if (middle == std::string_view::npos) return std::nullopt;
    const auto lat = parseNumber(bare(cell.substr(0, middle))), lon = parseNumber(bare(cell.substr(middle + 1)));
    if (!lat || !lon) return std::nullopt;
    const GeoPoint g{*lat, *lon};
    return isValid(g) ? std::optional(g) : std::nullopt;
}

/// Days since 1970 of "2026-05-14", "14.05.2026", "05/14/2026" or "14/05/2026"; `note` says what was assumed.
std::optional<double> dayOf(std::string_view text, std::string& note) {
    int part[3] = {}, digits[3] = {}, n = 0;
    for (const char c : text) {
        if (c >= '0' && c <= '9') {
            if (++digits[n] > 4) return std::nullopt;
            part[n] = part[n] * 10 + (c - '0');
        } else if ((c == '-' || c == '.' || c == '/') && n < 2 && digits[n] > 0) {
            ++n;
        } else {
            return std::nullopt;
        }
    }
    if (n != 2 || digits[2] == 0) return std::nullopt;
    int year = 0, month = 0, day = 0;
    if (digits[0] == 4) {
        year = part[0];
        month = part[1];
        day = part[2];
    } else {
        year = part[2] < 100 ? 2000 + part[2] : part[2];
        const bool month_first = text.find('/') != std::string_view::npos && part[0] <= 12;
        month = part[month_first ? 0 : 1];
        day = part[month_first ? 1 : 0];
        if (month_first && part[1] <= 12) note = "dates are taken as month/day/year";
    }
    const auto unix_s = parseUtc(fmt::format("{:04}-{:02}-{:02}T00:00:00Z", year, month, day));
    return unix_s ? std::optional(*unix_s / 86400) : std::nullopt;
}

/// Seconds of the day of "9:12:30", "09:12:30.120"; nothing for anything else.
std::optional<double> timeOfDay(std::string_view text) {
    const auto first = text.find(':');
    const auto second = first == std::string_view::npos ? first : text.find(':', first + 1);
    if (second == std::string_view::npos) return std::nullopt;
    const auto h = parseNumber(text.substr(0, first)), m = parseNumber(text.substr(first + 1, second - first - 1)),
               s = parseNumber(text.substr(second + 1));
    if (!h || !m || !s || *h < 0 || *h >= 24 || *m < 0 || *m >= 60 || *s < 0 || *s >= 61) return std::nullopt;
    return *h * 3600 + *m * 60 + *s;
}

/// Local time less UTC at that moment, as this computer has it.
double zoneOffset_s(double local_s) {
    const auto t = static_cast<std::time_t>(local_s);
    std::tm here{};
    localtime_r(&t, &here);
    return static_cast<double>(here.tm_gmtoff);
}

class Recogniser {
  public:
    Recogniser(std::string_view bytes, const TableMapping& mapping) : bytes_(bytes), mapping_(mapping) {}
    Result<TableLayout> run() {
        if (auto ok = findHeader(); !ok) return tl::unexpected(ok.error());
        takeSamples();
        for (std::size_t i = 0; i < layout_.columns.size(); ++i) name(i);
        onlyOne();
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
            if (cells.size() <= layout_.columns.size()) samples_.push_back(cells);
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
        if (c.channel == kTimeColumn && !all(i, [&](std::string_view cell) { return timeOfDay(cell) || number(cell); }))
            c.channel.clear();
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
    void scale(TableColumn& c) const {
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

/// Seconds of one step of a column of numbers that counts time.
double timeUnit(const TableColumn& c, const std::vector<double>& values, std::string& note) {
    const std::string unit = lower(c.unit);
    if (unit == "us" || unit == "µs") return 1e-6;
    if (unit == "ms") return 1e-3;
    if (unit == "min") return 60;
    if (unit == "s" || unit == "sec") return 1;
    std::vector<double> steps;
    for (std::size_t i = 1; i < values.size(); ++i)
        if (values[i] > values[i - 1]) steps.push_back(values[i] - values[i - 1]);
    if (steps.empty()) return 1;
    std::nth_element(steps.begin(), steps.begin() + static_cast<std::ptrdiff_t>(steps.size() / 2), steps.end());
    const double step = steps[steps.size() / 2];
    // At 0.2 to 100 rows a second a step of more than 5 is no second, one of more than 5000 no millisecond.
    const double seconds = step > 5000 ? 1e-6 : step > 5 ? 1e-3 : 1;
    note = seconds == 1      ? "times are taken as seconds"
           : seconds == 1e-3 ? "times are taken as milliseconds"
                             : "times are taken as microseconds";
    return seconds;
}

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

bool looksLikeTableText(std::string_view begin) {
    return begin.find('\0') == std::string_view::npos && begin.substr(0, 4).find("FMT") != 0 &&
           recogniseTable(begin).has_value();
}

bool looksLikeTable(std::string_view bytes) {
    constexpr std::size_t kBegin = 65536;
    const std::string_view begin = bytes.substr(0, kBegin);
    if (begin.find('\0') != std::string_view::npos) return false;
    const auto layout = recogniseTable(begin);
    if (!layout) return false;
    // A table of anything else is no flight: a time, or a place, must be among the columns.
    return std::any_of(layout->columns.begin(), layout->columns.end(), [](const TableColumn& c) {
        return c.channel == kTimeColumn || c.channel == kPlaceColumn || c.channel == "position.lat_deg";
    });
}

Result<LogPtr> readTableAsRecognised(const SharedBytes& bytes, const std::string& name) {
    return readTable(bytes, name, {});
}

Result<LogPtr> readTable(const SharedBytes& shared, const std::string& name, const TableMapping& mapping) {
    const auto found = recogniseTable(shared.bytes, mapping);
    if (!found) return failIn(name, found.error());
    const TableLayout& layout = *found;
    const auto columnOf = [&](const char* channel) {
        for (std::size_t i = 0; i < layout.columns.size(); ++i)
            if (layout.columns[i].channel == channel) return static_cast<int>(i);
        return -1;
    };
    const int time = columnOf(kTimeColumn), date = columnOf(kDateColumn), place = columnOf(kPlaceColumn);
    if (time < 0) return fail("{}: no column with the time was recognised; say which one it is", name);
    const auto time_at = static_cast<std::size_t>(time);

    // Rows, and when each was written.
    struct Row {
        std::vector<std::string_view> cells;
        double t_s = 0;
    };
    std::vector<Row> rows;
    auto log = std::make_shared<FlightLog>();
    log->format = "table";
    std::vector<double> raw;
    bool of_day = false, dated = false;
    std::set<std::string> notes;
    Lines lines(shared.bytes, layout.first_row);
    while (const auto line = lines.next()) {
        if (bare(*line).empty()) continue;
        Row row;
        row.cells = cellsOf(*line, layout.separator);
        const std::string_view cell = time_at < row.cells.size() ? row.cells[time_at] : std::string_view();
        const auto clock = timeOfDay(cell);
        const auto number = clock ? clock : numberOf(cell, layout.separator);
        if (!number || row.cells.size() > layout.columns.size()) {
            ++log->damaged_records;
            log->damaged_bytes += line->size();
            continue;
        }
        if (clock) of_day = true;
        row.t_s = *number;
        if (date >= 0 && static_cast<std::size_t>(date) < row.cells.size()) {
            std::string note;
            if (const auto day = dayOf(row.cells[static_cast<std::size_t>(date)], note)) {
                row.t_s += *day * 86400;
                dated = true;
            }
            if (!note.empty()) notes.insert(note);
        }
        raw.push_back(row.t_s);
        rows.push_back(std::move(row));
    }
    if (rows.empty()) return fail("{}: a table without a row that can be read", name);
    if (of_day && !dated) {
        // Past midnight it goes on with the next day.
        double add = 0;
        for (std::size_t i = 1; i < rows.size(); ++i) {
            constexpr double kHalfDay_s = 43200;
            if (raw[i] < raw[i - 1] - kHalfDay_s) add += 86400;
            rows[i].t_s += add;
        }
    }
    if (!of_day) {
        std::string note;
        const double unit = timeUnit(layout.columns[time_at], raw, note);
        if (!note.empty()) notes.insert(note);
        for (Row& r : rows) r.t_s = dated ? r.t_s : r.t_s * unit;
    }
    // Rows that share a time (a clock of whole seconds) are spread up to the next one.
    bool spread = false;
    for (std::size_t i = 0; i < rows.size();) {
        std::size_t end = i;
        while (end < rows.size() && rows[end].t_s == rows[i].t_s) ++end;
        const double length = end < rows.size() ? std::min(1.0, rows[end].t_s - rows[i].t_s) : 1;
        if (end - i > 1 && length > 0) {
            spread = true;
            const double begin = rows[i].t_s;
            for (std::size_t k = i; k < end; ++k)
                rows[k].t_s = begin + length * static_cast<double>(k - i) / static_cast<double>(end - i);
        }
        i = end;
    }
    if (spread) notes.insert("rows with the same time were spread over the time to the next");
    const double begin = rows.front().t_s;
    if (dated) {
        const double offset = mapping.utc_offset_s.value_or(zoneOffset_s(begin));
        log->start_unix_s = begin - offset;
        notes.insert(mapping.utc_offset_s ? fmt::format("local time is {:+.1f} h from UTC, as you said", offset / 3600)
                                          : fmt::format("local time is taken as {:+.1f} h from UTC", offset / 3600));
    }

    std::vector<Channel*> channels(layout.columns.size(), nullptr);
    for (std::size_t i = 0; i < layout.columns.size(); ++i) {
        const TableColumn& c = layout.columns[i];
        if (c.channel == kTimeColumn || c.channel == kDateColumn || c.channel == kPlaceColumn || c.header.empty())
            continue;
        if (c.channel.empty())
            channels[i] = &log->channel("TABLE." + c.header, c.unit);
        else
            channels[i] = &log->channel(c.channel, canonicalUnit(c.channel));
        if (!c.note.empty() && !c.channel.empty()) notes.insert(c.header + ": " + c.note);
    }
    double last = 0;
    for (const Row& row : rows) {
        const double t = row.t_s - begin;
        if (t < last) {
            ++log->damaged_records;
            continue;
        }
        last = t;
        for (std::size_t i = 0; i < row.cells.size(); ++i) {
            if (static_cast<int>(i) == place) {
                if (const auto g = placeOf(row.cells[i])) {
                    log->channel("position.lat_deg", "deg").add(t, g->lat_deg);
                    log->channel("position.lon_deg", "deg").add(t, g->lon_deg);
                }
            } else if (channels[i] != nullptr) {
                if (const auto v = numberOf(row.cells[i], layout.separator))
                    channels[i]->add(t, *v * layout.columns[i].factor);
            }
        }
    }
    log->message_counts["row"] = rows.size();
    const auto say = [&](const std::string& text) { log->events.push_back({0, "message", text}); };
    for (const std::string& note : notes) say(note);
    if (!log->has("position.height_home_m") && !log->has("position.height_amsl_m") &&
        !log->has("position.height_ground_m"))
        say("no column with a height was recognised: this flight has no heights");
    else if (!log->has("position.height_home_m") && log->has("position.height_amsl_m")) {
        // Above the place where it began.
        const Channel& amsl = *log->find("position.height_amsl_m");
        Channel& home = log->channel("position.height_home_m", "m");
        for (std::size_t i = 0; i < amsl.t_s.size(); ++i) home.add(amsl.t_s[i], amsl.value[i] - amsl.value.front());
        say("heights above home are above the first row");
    }
    log->findSessions({});
    return log;
}

}  // namespace anhinga
