#include "core/logio/TableLog.h"

#include <algorithm>
#include <cmath>
#include <ctime>
#include <set>

#include "core/base/Text.h"
#include "core/geo/Geoid.h"
#include "core/logio/TableCells.h"
#include "core/logio/TableModes.h"

namespace anhinga {

using namespace table;

namespace {

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

/// Local time less UTC at that moment, as this computer has it.
double zoneOffset_s(double local_s) {
    const auto t = static_cast<std::time_t>(local_s);
    std::tm here{};
    localtime_r(&t, &here);
    return static_cast<double>(here.tm_gmtoff);
}

}  // namespace

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

namespace {

/// Rows of a table as they stand, and when each was written.
struct Row {
    std::vector<std::string_view> cells;
    double t_s = 0;
};

/// Makes a log of the rows of a table.
class TableReader {
  public:
    TableReader(std::string_view bytes, TableLayout layout, const TableMapping& mapping, FlightLog& log)
        : bytes_(bytes), layout_(std::move(layout)), mapping_(mapping), log_(log) {}

    Result<void> run(const std::string& name) {
        time_ = columnOf(kTimeColumn);
        if (time_ < 0) return fail("{}: no column with the time was recognised; say which one it is", name);
        readRows();
        if (rows_.empty()) return fail("{}: a table without a row that can be read", name);
        layTimes();
        decideHeights();
        decideSticks();
        fill();
        finishHeights();
        log_.message_counts["row"] = rows_.size();
        for (const std::string& note : notes_) log_.events.push_back({0, "message", note});
        log_.findSessions({});
        return {};
    }

  private:
    int columnOf(const char* channel) const {
        for (std::size_t i = 0; i < layout_.columns.size(); ++i)
            if (layout_.columns[i].channel == channel) return static_cast<int>(i);
        return -1;
    }
    TableColumn* column(const char* channel) {
        const int i = columnOf(channel);
        return i < 0 ? nullptr : &layout_.columns[static_cast<std::size_t>(i)];
    }
    static std::string_view cell(const Row& row, int column) {
        return column >= 0 && static_cast<std::size_t>(column) < row.cells.size()
                   ? row.cells[static_cast<std::size_t>(column)]
                   : std::string_view();
    }
    std::optional<double> number(const Row& row, int column) const {
        if (column < 0) return std::nullopt;
        const auto v = numberOf(cell(row, column), layout_.separator);
        return v ? std::optional(*v * layout_.columns[static_cast<std::size_t>(column)].factor) : std::nullopt;
    }

    void readRows() {
        const int date = columnOf(kDateColumn);
        Lines lines(bytes_, layout_.first_row);
        while (const auto line = lines.next()) {
            if (bare(*line).empty()) continue;
            Row row;
            row.cells = cellsOf(*line, layout_.separator);
            const std::string_view when = cell(row, time_);
            std::string note;
            const auto moment = momentOf(when, note);
            const auto clock = moment ? moment : timeOfDay(when);
            const auto value = clock ? std::optional(clock->s) : numberOf(when, layout_.separator);
            if (!value || row.cells.size() > layout_.columns.size()) {
                ++log_.damaged_records;
                log_.damaged_bytes += line->size();
                continue;
            }
            if (clock) {
                of_day_ = true;
                if (clock->utc_offset_s) said_offset_s_ = clock->utc_offset_s;
            }
            if (moment) dated_ = true;
            row.t_s = *value;
            if (date >= 0 && !moment)
                if (const auto day = dayOf(cell(row, date), note)) {
                    row.t_s += *day * 86400;
                    dated_ = true;
                }
            if (!note.empty()) notes_.insert(note);
            rows_.push_back(std::move(row));
        }
    }

    void layTimes() {
        const TableColumn& column = layout_.columns[static_cast<std::size_t>(time_)];
        if (of_day_ && !dated_) {
            // Past midnight it goes on with the next day.
            double add = 0, before = rows_.front().t_s;
            for (Row& row : rows_) {
                constexpr double kHalfDay_s = 43200;
                if (row.t_s < before - kHalfDay_s) add += 86400;
                before = row.t_s;
                row.t_s += add;
            }
        }
        if (!of_day_ && !dated_) {
            std::vector<double> raw;
            for (const Row& row : rows_) raw.push_back(row.t_s);
            std::string note;
            double unit = timeUnit(column, raw, note);
            // Since 1970, in whichever unit: between 2000 and 2100.
            constexpr double kYear2000_s = 946684800, kYear2100_s = 4102444800;
            for (const double u : {1.0, 1e-3, 1e-6})
                if (raw.front() * u > kYear2000_s && raw.front() * u < kYear2100_s) {
                    unit = u;
                    since_1970_ = true;
                    note = "times are taken as since 1970, UTC";
                }
            if (!note.empty()) notes_.insert(note);
            for (Row& row : rows_) row.t_s *= unit;
        }
        spread();
        begin_s_ = rows_.front().t_s;
        if (since_1970_) log_.start_unix_s = begin_s_;
        if (!dated_) return;
        // The header may say that it is UTC, a cell how far it is from it.
        const bool utc = lower(column.unit) == "utc" || lower(column.header).find("utc") != std::string::npos;
        const auto said = mapping_.utc_offset_s ? mapping_.utc_offset_s
                          : said_offset_s_      ? said_offset_s_
                          : utc                 ? std::optional(0.0)
                                                : std::nullopt;
        const double offset = said.value_or(zoneOffset_s(begin_s_));
        log_.start_unix_s = begin_s_ - offset;
        notes_.insert(mapping_.utc_offset_s
                          ? fmt::format("local time is {:+.1f} h from UTC, as you said", offset / 3600)
                      : said ? fmt::format("its clock is {:+.1f} h from UTC, as it says", offset / 3600)
                             : fmt::format("local time is taken as {:+.1f} h from UTC", offset / 3600));
    }
    /// Rows that share a time (a clock of whole seconds) are spread up to the next one.
    void spread() {
        bool done = false;
        for (std::size_t i = 0; i < rows_.size();) {
            std::size_t end = i;
            while (end < rows_.size() && rows_[end].t_s == rows_[i].t_s) ++end;
            const double length = end < rows_.size() ? std::min(1.0, rows_[end].t_s - rows_[i].t_s) : 1;
            if (end - i > 1 && length > 0) {
                done = true;
                const double begin = rows_[i].t_s;
                for (std::size_t k = i; k < end; ++k)
                    rows_[k].t_s = begin + length * static_cast<double>(k - i) / static_cast<double>(end - i);
            }
            i = end;
        }
        if (done) notes_.insert("rows with the same time were spread over the time to the next");
    }

    /// A height that does not say what it is measured from: an aircraft that stands at 0 counts from take-off, one that
    /// stands higher counts from sea level; of one that is in the air already nobody knows.
    void decideHeights() {
        TableColumn* const height = column("position.height_home_m");
        if (height == nullptr || !height->unsure_height || height->note == "as you said") return;
        const int at = columnOf("position.height_home_m"), speed = columnOf("velocity.ground_mps");
        std::vector<double> first;
        double fastest_mps = 0;
        for (const Row& row : rows_) {
            constexpr std::size_t kLooks = 5;
            if (const auto h = number(row, at)) first.push_back(*h);
            if (speed >= 0) fastest_mps = std::max(fastest_mps, number(row, speed).value_or(0));
            if (first.size() >= kLooks) break;
        }
        if (first.empty()) return;
        std::sort(first.begin(), first.end());
        const double stands_m = first.front();
        constexpr double kAtTakeOff_m = 5, kStill_m = 2, kStill_mps = 2;
        if (std::abs(stands_m) <= kAtTakeOff_m) {
            height->note = fmt::format("at {:.1f} m at first: taken as above take-off", stands_m);
        } else if (first.back() - first.front() <= kStill_m && fastest_mps <= kStill_mps &&
                   columnOf("position.height_amsl_m") < 0) {
            height->channel = "position.height_amsl_m";
            height->note = fmt::format("it stands at {:.1f} m at first: taken as above sea level", stands_m);
        } else {
            notes_.insert(
                fmt::format("{}: what it is measured from cannot be told, as it flies at {:.1f} m at first: it is "
                            "not used; say it in the table's columns",
                            height->header, stands_m));
            height->channel.clear();
        }
    }

    /// Transmitters count sticks from -1024 to 1024, others in microseconds, percent or shares.
    void decideSticks() {
        for (std::size_t i = 0; i < layout_.columns.size(); ++i) {
            TableColumn& c = layout_.columns[i];
            if (!c.channel.starts_with("stick.")) continue;
            double least = INFINITY, most = -INFINITY;
            for (const Row& row : rows_)
                if (const auto v = numberOf(cell(row, static_cast<int>(i)), layout_.separator)) {
                    least = std::min(least, *v);
                    most = std::max(most, *v);
                }
            if (least > most) continue;
            const bool throttle = c.channel == "stick.throttle";
            Scale scale;
            if (least >= 700 && most <= 2300)
                scale = {1500, 512};
            else if (std::max(-least, most) > 105)
                scale = {0, 1024};
            else if (std::max(-least, most) > 1.05)
                scale = {0, 100};
            if (throttle && (least < 0 || scale.middle > 0)) {
                scale.middle -= scale.half;
                scale.half *= 2;
            }
            sticks_[i] = scale;
        }
    }

    void fill() {
        std::vector<Channel*> channels(layout_.columns.size(), nullptr);
        for (std::size_t i = 0; i < layout_.columns.size(); ++i) {
            const TableColumn& c = layout_.columns[i];
            if (c.header.empty() || (!c.channel.empty() && c.channel.find('.') == std::string::npos)) continue;
            channels[i] = c.channel.empty() ? &log_.channel("TABLE." + c.header, c.unit)
                                            : &log_.channel(c.channel, canonicalUnit(c.channel));
            if (!c.note.empty() && !c.channel.empty()) notes_.insert(c.header + ": " + c.note);
        }
        const int place = columnOf(kPlaceColumn);
        double last = 0;
        for (const Row& row : rows_) {
            const double t = row.t_s - begin_s_;
            if (t < last) {
                ++log_.damaged_records;
                continue;
            }
            last = t;
            std::optional<GeoPoint> here;
            if (const auto g = placeOf(cell(row, place))) here = g;
            for (std::size_t i = 0; i < row.cells.size(); ++i) {
                if (channels[i] == nullptr) continue;
                const auto v = numberOf(row.cells[i], layout_.separator);
                if (!v) continue;
                if (const auto stick = sticks_.find(i); stick != sticks_.end())
                    channels[i]->add(t, std::clamp((*v - stick->second.middle) / stick->second.half, -1.0, 1.0));
                else if (layout_.columns[i].channel != "position.lat_deg" &&
                         layout_.columns[i].channel != "position.lon_deg")
                    channels[i]->add(t, *v * layout_.columns[i].factor);
            }
            const auto lat = number(row, columnOf("position.lat_deg")), lon = number(row, columnOf("position.lon_deg"));
            if (lat && lon && isValid({*lat, *lon})) here = GeoPoint{*lat, *lon};
            // Before there is a place, it is said to be 0/0.
            if (here && (here->lat_deg != 0 || here->lon_deg != 0)) {
                log_.channel("position.lat_deg", "deg").add(t, here->lat_deg);
                log_.channel("position.lon_deg", "deg").add(t, here->lon_deg);
                takeEllipsoid(row, t, *here);
            }
            takeWords(row, t);
        }
    }
    void takeEllipsoid(const Row& row, double t, GeoPoint here) {
        const int at = columnOf(kEllipsoidColumn);
        if (at < 0 || columnOf("position.height_amsl_m") >= 0) return;
        const auto above = number(row, at);
        const auto geoid = Geoid::standard();
        const auto sea = geoid != nullptr ? geoid->height_m(here) : std::nullopt;
        if (!above) return;
        if (!sea) {
            notes_.insert("heights above the ellipsoid cannot be made heights above sea level: no geoid grid is here");
            return;
        }
        log_.channel("position.height_amsl_m", "m").add(t, *above - *sea);
        notes_.insert("heights above sea level are those above the ellipsoid less the geoid's");
    }
    void takeWords(const Row& row, double t) {
        const std::string_view mode = bare(cell(row, columnOf(kModeColumn)));
        if (!mode.empty()) {
            std::string words = modeOf(mode);
            if (log_.modes.empty() || log_.modes.back().name != words) log_.modes.push_back({t, std::move(words)});
        }
        const auto armed = armedOf(cell(row, columnOf(kArmedColumn)));
        if (armed && *armed != armed_) {
            log_.events.push_back({t, *armed ? "armed" : "disarmed", ""});
            armed_ = *armed;
        }
    }

    void finishHeights() {
        if (!log_.has("position.height_home_m") && !log_.has("position.height_amsl_m") &&
            !log_.has("position.height_ground_m"))
            notes_.insert("no column with a height was recognised: this flight has no heights");
        else if (!log_.has("position.height_home_m") && log_.has("position.height_amsl_m")) {
            // Above the place where it began.
            const Channel& amsl = *log_.find("position.height_amsl_m");
            if (amsl.t_s.empty()) return;
            Channel& home = log_.channel("position.height_home_m", "m");
            for (std::size_t i = 0; i < amsl.t_s.size(); ++i) home.add(amsl.t_s[i], amsl.value[i] - amsl.value.front());
            notes_.insert("heights above home are above the first row");
        }
    }

    struct Scale {
        double middle = 0, half = 1;
    };
    std::string_view bytes_;
    TableLayout layout_;
    const TableMapping& mapping_;
    FlightLog& log_;
    int time_ = -1;
    std::vector<Row> rows_;
    bool of_day_ = false, dated_ = false, since_1970_ = false, armed_ = false;
    std::optional<double> said_offset_s_;
    double begin_s_ = 0;
    std::map<std::size_t, Scale> sticks_;
    std::set<std::string> notes_;
};

}  // namespace

Result<LogPtr> readTable(const SharedBytes& shared, const std::string& name, const TableMapping& mapping) {
    auto found = recogniseTable(shared.bytes, mapping);
    if (!found) return failIn(name, found.error());
    auto log = std::make_shared<FlightLog>();
    log->format = "table";
    if (const auto ok = TableReader(shared.bytes, std::move(*found), mapping, *log).run(name); !ok)
        return tl::unexpected(ok.error());
    return log;
}

}  // namespace anhinga
