// Cells of a table: lines taken apart, numbers, days and times of day in the forms people write them.
#pragma once

#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "core/geo/Geo.h"

namespace anhinga::table {

constexpr std::size_t kMostColumns = 500;

/// Without spaces and quotes around it.
std::string_view bare(std::string_view text);
/// Cells of a line; a quoted one may hold separators.
std::vector<std::string_view> cellsOf(std::string_view line, char separator);
/// A cell as a number; a comma may be the decimal point where it separates nothing.
std::optional<double> numberOf(std::string_view cell, char separator);
std::string lower(std::string_view text);

/// Two numbers in one cell, latitude first, that can be a place.
std::optional<GeoPoint> placeOf(std::string_view cell);

/// Lines of a text without their ends.
class Lines {
  public:
    Lines(std::string_view text, std::size_t at) : text_(text), at_(at) {}
    std::optional<std::string_view> next();
    std::size_t at() const { return at_; }

  private:
    std::string_view text_;
    std::size_t at_;
};

/// Days since 1970 of "2026-05-14", "14.05.2026", "05/14/2026" or "14/05/2026"; `note` says what was assumed.
std::optional<double> dayOf(std::string_view text, std::string& note);
/// A time of day, and how far its clock is from UTC where it says so.
struct TimeOfDay {
    double s = 0;
    std::optional<double> utc_offset_s = {};
};
/// "9:12:30", "09:12:30.120", "09:12:30,12", "9:12:30 PM", "09:12:30Z", "09:12:30+02:00"; nothing for anything else.
std::optional<TimeOfDay> timeOfDay(std::string_view text);
/// A day and a time of day in one cell, seconds since 1970 by its own clock.
std::optional<TimeOfDay> momentOf(std::string_view text, std::string& note);

}  // namespace anhinga::table
