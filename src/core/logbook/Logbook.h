// The logbook: every flight that was ever opened, fetched or recorded here, found again by place, vehicle, words. It
// keeps where the original lies and its SHA-256; the original itself is never touched, moved or removed.
#pragma once

#include <cstdint>
#include <functional>
#include <map>
#include <memory>
#include <mutex>
#include <optional>
#include <stop_token>
#include <string>
#include <vector>

#include "core/geo/Geo.h"
#include "core/logio/LogReader.h"

struct sqlite3;

namespace anhinga {

/// One flight: a session of a file.
struct LogbookEntry {
    std::int64_t id = 0;  // given by the logbook
    std::string path, sha256;
    std::uint64_t bytes = 0;
    std::string format;
    int session = 0;          // in the file, counted from 0
    double start_unix_s = 0;  // 0: the log does not say
    double duration_s = 0, distance_m = 0, top_height_home_m = 0;
    std::optional<GeoPoint> place;  // where it began
    std::vector<GeoPoint> track;    // a few points of it, for a small picture
    double added_unix_s = 0;
    // What the operator may change.
    std::string vehicle, place_name, notes, tags;
    std::string plan_path;  // the plan that was flown, where known
};

/// What came of adding files.
struct LogbookAdded {
    int flights = 0;                  // new ones
    int files = 0;                    // that hold them
    int duplicates = 0;               // files whose content is in the logbook already
    int not_logs = 0;                 // files of other kinds
    std::vector<std::string> failed;  // logs that cannot be read, with the reason
};

/// Something done to an aircraft between flights.
struct HardwareNote {
    std::int64_t id = 0;
    double time_unix_s = 0;
    std::string vehicle, text;
};

/// Thread-safe; several windows may have the same file open.
class Logbook {
  public:
    /// Opens, or makes with its folders. A file that is something else is an error and stays as it is.
    static Result<std::shared_ptr<Logbook>> open(const std::string& path);
    ~Logbook();
    Logbook(const Logbook&) = delete;
    Logbook& operator=(const Logbook&) = delete;

    /// Reads the log and notes each of its flights. A file whose content is known already adds nothing: the entry is
    /// told where that content lies now, when it is no longer where it was.
    Result<LogbookAdded> add(const std::string& path, const std::string& plan_path = {});
    /// The same for a log that is open already.
    Result<LogbookAdded> add(const std::string& path, const FlightLog& log, const std::string& plan_path = {});
    /// Every log in a folder and those inside it, told by content; `only_new`: files that are known by place, size and
    /// time are passed over unread. `progress`: done, of how many, the present file.
    Result<LogbookAdded> addFolder(const std::string& folder,
                                   const std::function<void(int, int, const std::string&)>& progress = {},
                                   const std::stop_token& stop = {}, bool only_new = false);

    /// Newest flight first. Every word of `search` must be found in file, vehicle, place, notes, tags, format or date
    /// ("2026-05"); empty: all.
    std::vector<LogbookEntry> entries(const std::string& search = {}) const;
    std::optional<LogbookEntry> entry(std::int64_t id) const;
    std::size_t count() const;
    /// Keeps vehicle, place name, notes, tags and plan of the entry with that id.
    Result<void> change(const LogbookEntry& entry);
    /// Parameters that stood in the file with this fingerprint; empty where it has none.
    std::map<std::string, double> parameters(const std::string& sha256) const;
    /// The last flight of the same vehicle before this one that has parameters.
    std::optional<LogbookEntry> flightBefore(const LogbookEntry& entry) const;
    /// Whether the file at that place is in it, by its size and by when it was last changed.
    bool knows(const std::string& path) const;
    /// Forgets flights; their files stay.
    Result<void> remove(const std::vector<std::int64_t>& ids);

    Result<void> addNote(const HardwareNote& note);
    Result<void> removeNote(std::int64_t id);
    /// Newest first; of one vehicle, or of all when it is empty.
    std::vector<HardwareNote> notes(const std::string& vehicle = {}) const;
    const std::string& path() const { return path_; }

  private:
    Logbook(std::string path, sqlite3* db) : path_(std::move(path)), db_(db) {}
    std::string path_;
    sqlite3* db_;
    mutable std::mutex mutex_;
};

/// Whether the file of an entry still is what was noted of it; else it is gone, or another lies there now. Reads all of
/// it.
bool isTheFileOf(const LogbookEntry& entry);
/// What a logbook notes of a log: one entry a flight. Sessions that never left the ground (below 2 m and 10 m) are
/// left out unless there is nothing else.
std::vector<LogbookEntry> entriesOf(const FlightLog& log);

}  // namespace anhinga
