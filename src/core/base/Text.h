// Numbers, times and places as the operator reads them. One wording for screen, reports and messages.
#pragma once

#include <optional>
#include <string>
#include <string_view>

namespace anhinga {

/// Smallest number of decimals is zero: "850 m", "3.42 km" from 1000 m up.
std::string distanceText(double metres);
/// "48 s", "18 min 42 s", "1 h 04 min". Unknown or negative durations give "unknown".
std::string durationText(double seconds);
/// ISO 8601 in UTC with seconds: "2026-05-14T09:12:30Z".
std::string isoUtc(double unix_seconds);
/// The same with milliseconds where there are any: "2026-05-14T09:12:30.250Z".
std::string isoUtcMillis(double unix_seconds);
/// And back, as seconds since 1970; nothing for any other form.
std::optional<double> parseUtc(std::string_view text);
/// A moment as ISO 8601 writes it; `zoned`: it says how far its clock is from UTC, else it is taken as UTC.
struct IsoTime {
    double unix_s = 0;
    bool zoned = false;
};
/// "2026-05-14T09:12:30.25Z", with a space for the T, with an offset from UTC, or without either.
std::optional<IsoTime> parseIsoTime(std::string_view text);
/// Without the spaces, tabs and carriage returns around it.
std::string_view trimmed(std::string_view text);
/// The whole text as a finite number, or nothing.
std::optional<double> parseNumber(std::string_view text);
/// "LAT,LON[,AMSL]" in decimal degrees and metres; nothing when a part is missing, extra or out of range.
struct ParsedPlace {
    double lat_deg = 0, lon_deg = 0;
    std::optional<double> amsl_m;
};
std::optional<ParsedPlace> parsePlace(std::string_view text);
/// What came from elsewhere, fit to be shown: bytes that are no UTF-8 become U+FFFD, control characters their pictures
/// (U+2400 ...), so that none steers a terminal or turns the line round. Line ends and tabs stay.
std::string shownText(std::string_view text);
/// Milliseconds of a monotonic clock, for measuring.
double monotonicMs();
/// Milliseconds for which this thread has had a processor: what work costs, whatever else the machine does.
double threadMs();
/// Seconds since 1970 UTC.
double unixNow();

}  // namespace anhinga
