// A flight as a page to keep or print: what was flown, against what was planned, and the checklist as it was ticked.
#pragma once

#include "core/review/Health.h"
#include "core/review/PlannedFlown.h"

namespace anhinga {

struct ReportInput {
    std::string file, sha256;  // of the log; empty for one that is not a file
    const FlightLog* log = nullptr;
    const Plan* plan = nullptr;           // null: it is not known to have been flown
    std::string against;                  // what it is held against, in words
    const PlannedFlown* flown = nullptr;  // null: with the reason in `not_compared`
    std::string not_compared;
    std::optional<double> planned_s, planned_wh;
    std::optional<int> planned_photos;
    std::vector<Answer> health;  // empty: not worked out
    std::string map_png;         // a picture of the track, PNG bytes; empty: none
};

/// A complete HTML page without anything from elsewhere, simple enough for any viewer. Figures in SI, times in UTC.
std::string flightReport(const ReportInput& input);

/// RFC 4648.
std::string base64(std::string_view bytes);
/// Text as it may stand in HTML.
std::string escaped(std::string_view text);

}  // namespace anhinga
