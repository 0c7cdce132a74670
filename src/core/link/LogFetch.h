// Onboard logs from the vehicle: listed and fetched by the MAVLink log messages. (The other way is Ftp.h.)
#pragma once

#include <string>
#include <vector>

#include "core/link/Conversation.h"

namespace anhinga {

struct OnboardLog {
    int id = 0;
    std::uint64_t bytes = 0;
    double time_unix_s = 0;  // 0: the vehicle did not know
};

/// All the vehicle holds, by id.
Result<std::vector<OnboardLog>> listLogs(VehicleLink& link, const TransferOptions& options = {});

struct Fetched {
    std::uint64_t bytes = 0;     // of the file
    std::uint64_t received = 0;  // now; the rest was there from an earlier try
    double seconds = 0;
};
/// Fetches a log into `path`. What was fetched of it by an earlier, broken-off try is kept. A link that is gone for
/// less than `options.silence_s` (take a long one) does not end it.
Result<Fetched> fetchLog(VehicleLink& link, const OnboardLog& log, const std::string& path,
                         const TransferOptions& options = {});
/// Erases all logs aboard.
Result<void> eraseLogs(VehicleLink& link, const TransferOptions& options = {});

}  // namespace anhinga
