// The answer to "was it there?" as a page to keep or print: place, flights, sources and fingerprints, what is not
// known.
#pragma once

#include "core/review/Presence.h"

namespace anhinga {

struct PresenceFlight {
    std::string file, sha256, format, vehicle;
    double start_unix_s = 0;
    double first_s = 0;  // of the log: times are said from there
    std::optional<Presence> presence;
    std::string failed;  // why there is none
};
struct PresencePageInput {
    std::string place;  // in words: "within 50 m of 47.31000 N 20.12000 W"
    PresencePlace where;
    std::vector<PresenceFlight> flights;
    std::string map_png;  // PNG bytes; empty: none
    double made_unix_s = 0;
};
/// A complete HTML page. Heights and distances in metres, times in UTC where the log is dated.
std::string presencePage(const PresencePageInput& input);
/// "entered in 1 of 3 flights", "not entered; nearest 120 m"; says what is not known.
std::string presenceSummary(const PresencePageInput& input);

}  // namespace anhinga
