// Opening a log of any known format: what it is is told by its content, not by its name.
#pragma once

#include <functional>
#include <memory>
#include <stop_token>
#include <string>
#include <string_view>

#include "core/base/MappedFile.h"
#include "core/flightlog/FlightLog.h"

namespace anhinga {

using LogPtr = std::shared_ptr<const FlightLog>;

/// Who waits for a log to be read: told the share done, 0..1, now and then; may stop it.
struct LogWatch {
    std::function<void(double)> progress = {};
    std::stop_token stop = {};
};

/// Fails with what is wrong and where. Damaged stretches inside a log that is otherwise readable are skipped and
/// counted.
Result<LogPtr> openLog(const std::string& path, const LogWatch& watch = {});
/// Whether its beginning looks like a log of a known format; false for what cannot be read.
bool looksLikeLog(const std::string& path);
/// The same for bytes in memory; `name` stands in messages.
Result<LogPtr> readLog(std::string_view bytes, const std::string& name);

// One function a format (the table is in LogReader.cpp).
bool looksLikeUlog(std::string_view bytes);
Result<LogPtr> readUlog(const SharedBytes& bytes, const std::string& name);
bool looksLikeSelfDescribing(std::string_view bytes);
Result<LogPtr> readSelfDescribing(const SharedBytes& bytes, const std::string& name);
bool looksLikePredictorLog(std::string_view bytes);
Result<LogPtr> readPredictorLog(const SharedBytes& bytes, const std::string& name);
bool looksLikeSelfDescribingText(std::string_view bytes);
Result<LogPtr> readSelfDescribingText(const SharedBytes& bytes, const std::string& name);
bool looksLikeGpxTrack(std::string_view bytes);
Result<LogPtr> readGpxTrack(const SharedBytes& bytes, const std::string& name);
bool looksLikeKmlTrack(std::string_view bytes);
Result<LogPtr> readKmlTrack(const SharedBytes& bytes, const std::string& name);
bool looksLikeRecording(std::string_view bytes);
Result<LogPtr> readRecording(const SharedBytes& bytes, const std::string& name);
bool looksLikeTable(std::string_view bytes);
Result<LogPtr> readTableAsRecognised(const SharedBytes& bytes, const std::string& name);
bool looksLikeCapture(std::string_view bytes);
Result<LogPtr> readCapture(const SharedBytes& bytes, const std::string& name);

/// ULog text of the canonical channels, modes and events of a log.
std::string writeUlog(const FlightLog& log);

}  // namespace anhinga
