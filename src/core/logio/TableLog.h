// Logs that are a table of columns (CSV of hand-held transmitters and the like): what each column is, is told by its
// name, its unit and its values; the operator may say it better.
#pragma once

#include <map>
#include <optional>
#include <string>
#include <vector>

#include "core/logio/LogReader.h"

namespace anhinga {

/// What the operator says of a table; remembered for tables with the same header.
struct TableMapping {
    /// Channel of a column by its header; "" for a column that is none; kTimeColumn, kDateColumn for those.
    std::map<std::string, std::string> channels;
    /// Unit of a column by its header, as "ft", "km/h", "ms"; where its header does not say or says it wrongly.
    std::map<std::string, std::string> units;
    /// Local time less UTC, seconds; nothing: as this computer's own zone has it on that day.
    std::optional<double> utc_offset_s;
    bool operator==(const TableMapping&) const = default;
};
inline constexpr const char* kTimeColumn = "time";
inline constexpr const char* kDateColumn = "date";
/// Latitude and longitude in one cell.
inline constexpr const char* kPlaceColumn = "place";
/// Flight mode, and whether it is armed: in words or codes.
inline constexpr const char* kModeColumn = "mode";
inline constexpr const char* kArmedColumn = "armed";
/// Heights above the ellipsoid, as satellite receivers measure them.
inline constexpr const char* kEllipsoidColumn = "ellipsoid height";

struct TableColumn {
    std::string header, unit;  // unit as written in the header, "" when none is
    std::string channel;       // canonical, kTimeColumn, kDateColumn, kPlaceColumn, or "" when it was not recognised
    double factor = 1;         // to the channel's unit
    std::string sample;        // its first cell that is not empty
    std::string note;          // what was assumed; empty: nothing
    /// A height whose name does not say what it is measured from: its first values do, or nobody.
    bool unsure_height = false;
};
struct TableLayout {
    char separator = ',';
    std::size_t first_row = 0;  // where the rows begin, bytes
    std::vector<TableColumn> columns;
    /// The header as one text: tables with the same one have the same mapping.
    std::string signature;
};

/// Whether the beginning of a file is text with a header and rows of numbers; what they are is another question.
bool looksLikeTableText(std::string_view begin);
/// Looks at the header and the first rows. Fails for what is no table of numbers with a header.
Result<TableLayout> recogniseTable(std::string_view bytes, const TableMapping& mapping = {});
/// The log. Without a column of times it fails and says so; without one of heights the log has none, and says so.
Result<LogPtr> readTable(const SharedBytes& bytes, const std::string& name, const TableMapping& mapping);
/// A factor into the unit of a channel; nothing when the unit is not known or does not fit.
std::optional<double> unitFactor(const std::string& unit, const std::string& channel);

}  // namespace anhinga
