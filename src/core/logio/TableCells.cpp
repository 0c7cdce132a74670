#include "core/logio/TableCells.h"

#include <fmt/format.h>

#include <algorithm>
#include <cctype>

#include "core/base/Text.h"

namespace anhinga::table {

std::string_view bare(std::string_view t) {
    const auto space = [](char c) { return c == ' ' || c == '\t' || c == '\r' || c == '"'; };
    while (!t.empty() && space(t.front())) t.remove_prefix(1);
    while (!t.empty() && space(t.back())) t.remove_suffix(1);
    return t;
}
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
std::optional<double> numberOf(std::string_view cell, char separator) {
    if (separator != ',' && std::count(cell.begin(), cell.end(), ',') == 1 &&
        cell.find('.') == std::string_view::npos) {
        std::string point(cell);
        std::replace(point.begin(), point.end(), ',', '.');
        return parseNumber(point);
    }
    return parseNumber(cell);
}

std::optional<GeoPoint> placeOf(std::string_view cell) {
    const auto middle = cell.find_first_of(" ;,", 1);
    if (middle == std::string_view::npos) return std::nullopt;
    const auto lat = parseNumber(bare(cell.substr(0, middle))), lon = parseNumber(bare(cell.substr(middle + 1)));
    if (!lat || !lon) return std::nullopt;
    const GeoPoint g{*lat, *lon};
    return isValid(g) ? std::optional(g) : std::nullopt;
}

std::optional<std::string_view> Lines::next() {
    if (at_ >= text_.size()) return std::nullopt;
    const std::size_t end = std::min(text_.find('\n', at_), text_.size());
    const std::string_view line = text_.substr(at_, end - at_);
    at_ = end + 1;
    return line;
}

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

namespace {
/// Takes "Z", "+02:00", "+0200" or "-03" off the end: seconds from UTC.
std::optional<double> zoneOff(std::string_view& text) {
    if (text.ends_with('Z') || text.ends_with('z')) {
        text = bare(text.substr(0, text.size() - 1));
        return 0;
    }
    const auto sign = text.find_last_of("+-");
    if (sign == std::string_view::npos || sign == 0) return std::nullopt;
    std::string digits;
    for (const char c : text.substr(sign + 1))
        if (c != ':') digits += c;
    if ((digits.size() != 2 && digits.size() != 4) || digits.find_first_not_of("0123456789") != std::string::npos)
        return std::nullopt;
    const double hours = (digits[0] - '0') * 10 + (digits[1] - '0'),
                 minutes = digits.size() == 4 ? (digits[2] - '0') * 10 + (digits[3] - '0') : 0;
    const double offset_s = (text[sign] == '-' ? -1 : 1) * (hours * 3600 + minutes * 60);
    text = bare(text.substr(0, sign));
    return offset_s;
}
}  // namespace

std::optional<TimeOfDay> timeOfDay(std::string_view text) {
    TimeOfDay out;
    text = bare(text);
    const auto first = text.find(':');
    if (first == std::string_view::npos) return std::nullopt;
    out.utc_offset_s = zoneOff(text);
    std::optional<bool> afternoon;
    if (text.size() > 2) {
        const std::string end = lower(text.substr(text.size() - 2));
        if (end == "am" || end == "pm") {
            afternoon = end == "pm";
            text = bare(text.substr(0, text.size() - 2));
        }
    }
    const auto second = text.find(':', first + 1);
    const std::string_view none = "0";
    // Without seconds only where am or pm says that it is a time.
    if (second == std::string_view::npos && !afternoon) return std::nullopt;
    const auto h = parseNumber(text.substr(0, first)),
               m = parseNumber(
                   text.substr(first + 1, (second == std::string_view::npos ? text.size() : second) - first - 1));
    const auto s = numberOf(second == std::string_view::npos ? none : text.substr(second + 1), ';');
    if (!h || !m || !s || *h < 0 || *h >= 24 || *m < 0 || *m >= 60 || *s < 0 || *s >= 61) return std::nullopt;
    double hour = *h;
    if (afternoon) {
        if (hour < 1 || hour > 12) return std::nullopt;
        hour = (hour == 12 ? 0 : hour) + (*afternoon ? 12 : 0);
    }
    out.s = hour * 3600 + *m * 60 + *s;
    return out;
}

std::optional<TimeOfDay> momentOf(std::string_view text, std::string& note) {
    text = bare(text);
    const auto apart = text.find_first_of("T ");
    if (apart == std::string_view::npos) return std::nullopt;
    const auto day = dayOf(text.substr(0, apart), note);
    auto time = day ? timeOfDay(text.substr(apart + 1)) : std::nullopt;
    if (time) time->s += *day * 86400;
    return time;
}

}  // namespace anhinga::table
