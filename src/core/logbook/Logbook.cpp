#include "core/logbook/Logbook.h"

#include <algorithm>
#include <chrono>
#include <cmath>
#include <cstring>
#include <filesystem>

#include "core/base/Digest.h"
#include "core/base/File.h"
#include "core/base/Sqlite.h"
#include "core/base/Text.h"

namespace anhinga {

namespace {
namespace fs = std::filesystem;

constexpr std::size_t kTrackPoints = 160;
constexpr int kVersion = 2;

constexpr const char* kTables =
    "CREATE TABLE IF NOT EXISTS flights (id INTEGER PRIMARY KEY, path TEXT, sha256 TEXT, bytes INTEGER, format TEXT, "
    "session INTEGER, start_unix_s REAL, duration_s REAL, distance_m REAL, top_height_home_m REAL, lat_deg REAL, "
    "lon_deg REAL, track BLOB, added_unix_s REAL, vehicle TEXT, place_name TEXT, notes TEXT, tags TEXT, "
    "plan_path TEXT, changed_unix_s REAL, UNIQUE(sha256, session));"
    "CREATE TABLE IF NOT EXISTS hardware_notes (id INTEGER PRIMARY KEY, time_unix_s REAL, vehicle TEXT, text TEXT);"
    "CREATE TABLE IF NOT EXISTS parameters (sha256 TEXT PRIMARY KEY, content TEXT);";
constexpr const char* kColumns =
    "id, path, sha256, bytes, format, session, start_unix_s, duration_s, distance_m, top_height_home_m, lat_deg, "
    "lon_deg, track, added_unix_s, vehicle, place_name, notes, tags, plan_path";

/// Pairs of 1e-7 degrees, little-endian 32-bit.
std::string packed(const std::vector<GeoPoint>& track) {
    std::string out;
    for (const GeoPoint& g : track)
        for (const double degrees : {g.lat_deg, g.lon_deg}) {
            const auto n = static_cast<std::uint32_t>(static_cast<std::int32_t>(std::lround(degrees * 1e7)));
            for (int byte = 0; byte < 4; ++byte) out += static_cast<char>(n >> (8 * byte) & 0xFF);
        }
    return out;
}

std::vector<GeoPoint> unpacked(const std::string& bytes) {
    std::vector<GeoPoint> out;
    const auto degrees = [&](std::size_t at) {
        std::uint32_t n = 0;
        for (std::size_t byte = 0; byte < 4; ++byte)
            n |= static_cast<std::uint32_t>(static_cast<unsigned char>(bytes[at + byte])) << (8 * byte);
        return static_cast<std::int32_t>(n) * 1e-7;
    };
    for (std::size_t at = 0; at + 8 <= bytes.size() && out.size() < kTrackPoints; at += 8) {
        const GeoPoint g{degrees(at), degrees(at + 4)};
        if (isValid(g)) out.push_back(g);
    }
    return out;
}

LogbookEntry entryOf(const Query& q) {
    LogbookEntry e;
    e.id = q.integer(0);
    e.path = q.text(1);
    e.sha256 = q.text(2);
    e.bytes = static_cast<std::uint64_t>(q.integer(3));
    e.format = q.text(4);
    e.session = static_cast<int>(q.integer(5));
    e.start_unix_s = q.real(6);
    e.duration_s = q.real(7);
    e.distance_m = q.real(8);
    e.top_height_home_m = q.real(9);
    const GeoPoint place{q.real(10), q.real(11)};
    if (isValid(place) && (place.lat_deg != 0 || place.lon_deg != 0)) e.place = place;
    e.track = unpacked(q.text(12));
    e.added_unix_s = q.real(13);
    e.vehicle = q.text(14);
    e.place_name = q.text(15);
    e.notes = q.text(16);
    e.tags = q.text(17);
    e.plan_path = q.text(18);
    return e;
}

std::string lower(std::string text) {
    std::transform(text.begin(), text.end(), text.begin(), [](unsigned char c) { return std::tolower(c); });
    return text;
}

bool matches(const LogbookEntry& e, const std::vector<std::string>& words) {
    if (words.empty()) return true;
    const std::string all =
        lower(fs::path(e.path).filename().string() + "\n" + e.vehicle + "\n" + e.place_name + "\n" + e.notes + "\n" +
              e.tags + "\n" + e.format + "\n" + (e.start_unix_s > 0 ? isoUtc(e.start_unix_s) : "undated"));
    return std::all_of(words.begin(), words.end(),
                       [&](const std::string& w) { return all.find(w) != std::string::npos; });
}

/// When a file was last changed, seconds since 1970; 0 when that cannot be told.
double changedAt(const std::string& path) {
    std::error_code none;
    const auto time = fs::last_write_time(path, none);
    if (none) return 0;
    return std::chrono::duration<double>(std::chrono::file_clock::to_sys(time).time_since_epoch()).count();
}

std::vector<std::string> wordsOf(const std::string& text) {
    std::vector<std::string> words;
    std::string word;
    for (const char c : lower(text) + " ") {
        if (c != ' ' && c != '\t') {
            word += c;
        } else if (!word.empty()) {
            words.push_back(std::exchange(word, {}));
        }
    }
    return words;
}

}  // namespace

std::vector<LogbookEntry> entriesOf(const FlightLog& log) {
    std::vector<LogbookEntry> all, flown;
    for (int i = 0; i < flightsInFile(log); ++i) {
        const FlightOfFile flight = *flightOfFile(log, i);
        const Channel* lat = flight.log->find("position.lat_deg");
        const Channel* lon = flight.log->find("position.lon_deg");
        const LogSession& s = flight.log->sessions[static_cast<std::size_t>(flight.session)];
        LogbookEntry e;
        e.format = log.format;
        e.vehicle = flight.log->vehicle;
        e.session = i;
        e.start_unix_s = s.start_unix_s;
        e.duration_s = s.to_s - s.from_s;
        e.distance_m = s.distance_m;
        e.top_height_home_m = s.max_height_home_m;
        if (lat != nullptr && lon != nullptr) {
            const auto begin = std::lower_bound(lat->t_s.begin(), lat->t_s.end(), s.from_s) - lat->t_s.begin();
            const auto end = std::upper_bound(lat->t_s.begin(), lat->t_s.end(), s.to_s) - lat->t_s.begin();
            const std::size_t n = end > begin ? static_cast<std::size_t>(end - begin) : 0;
            const std::size_t points = std::min(n, kTrackPoints);
            for (std::size_t k = 0; k < points; ++k) {
                const std::size_t at =
                    static_cast<std::size_t>(begin) + k * (n - 1) / std::max<std::size_t>(1, points - 1);
                const auto there = at < lat->t_s.size() ? lon->at(lat->t_s[at]) : std::nullopt;
                if (!there) continue;
                const GeoPoint g{lat->value[at], *there};
                if (isValid(g)) e.track.push_back(g);
            }
            if (!e.track.empty()) e.place = e.track.front();
        }
        constexpr double kLow_m = 2, kShort_m = 10;
        if (s.max_height_home_m >= kLow_m || s.distance_m >= kShort_m) flown.push_back(e);
        all.push_back(std::move(e));
    }
    if (!flown.empty()) return flown;
    if (all.empty()) {
        LogbookEntry e;
        e.format = log.format;
        e.vehicle = log.vehicle;
        e.start_unix_s = log.start_unix_s;
        e.duration_s = log.duration_s();
        all.push_back(std::move(e));
    }
    return all;
}

Result<std::shared_ptr<Logbook>> Logbook::open(const std::string& path) {
    // What was flown where is for its owner's eyes alone; what SQLite lays beside it has the mode of the file itself.
    (void)makePrivateFolder(fs::path(path).parent_path().string());
    makePrivate(path);
    sqlite3* db = nullptr;
    const int code =
        sqlite3_open_v2(path.c_str(), &db, SQLITE_OPEN_READWRITE | SQLITE_OPEN_CREATE | SQLITE_OPEN_FULLMUTEX, nullptr);
    std::shared_ptr<Logbook> book(new Logbook(path, db));
    if (code != SQLITE_OK) return fail("{}: cannot be opened: {}", path, sqlite3_errmsg(db));
    sqlite3_busy_timeout(db, 4000);
    int made = 0;
    {
        Query version(db, "PRAGMA user_version");
        if (!version.row()) return fail("{}: not a logbook: {}", path, sqlite3_errmsg(db));
        if (version.integer(0) > kVersion)
            return fail("{}: this logbook was made by a newer version of the program ({}; this one knows {})", path,
                        version.integer(0), kVersion);
        made = static_cast<int>(version.integer(0));
    }
    // Version 1 did not know when a file was last changed.
    if (made == 1) sqlite3_exec(db, "ALTER TABLE flights ADD COLUMN changed_unix_s REAL", nullptr, nullptr, nullptr);
    // Notes of the operator are never lost to a power cut.
    const std::string make = std::string("PRAGMA journal_mode=WAL; PRAGMA synchronous=FULL;") + kTables +
                             fmt::format("PRAGMA user_version={};", kVersion);
    char* what = nullptr;
    if (sqlite3_exec(db, make.c_str(), nullptr, nullptr, &what) != SQLITE_OK) {
        const std::string why = what != nullptr ? what : "no reason given";
        sqlite3_free(what);
        return fail("{}: not a file a logbook can be kept in: {}", path, why);
    }
    return book;
}

Logbook::~Logbook() {
    sqlite3_close(db_);
}

Result<LogbookAdded> Logbook::add(const std::string& path, const std::string& plan_path) {
    const auto log = openLog(path);
    if (!log) return tl::unexpected(log.error());
    return add(path, **log, plan_path);
}

Result<LogbookAdded> Logbook::add(const std::string& path, const FlightLog& log, const std::string& plan_path) {
    if (!log.believed) {
        LogbookAdded no_flight;
        no_flight.not_logs = 1;
        return no_flight;
    }
    const auto digest = sha256OfFile(path);
    if (!digest) return tl::unexpected(digest.error());
    std::error_code none;
    const std::string where = fs::absolute(path, none).lexically_normal().string();
    const std::lock_guard lock(mutex_);
    LogbookAdded out;
    Query known(db_, "SELECT path FROM flights WHERE sha256=?");
    if (known.bind(*digest).row()) {
        ++out.duplicates;
        const std::string before = known.text(0);
        // Where it was there may be another flight by now.
        const bool gone =
            before != where && (!fs::exists(before, none) || sha256OfFile(before).value_or("") != *digest);
        if (gone || before == where)
            Query(db_, "UPDATE flights SET path=?, changed_unix_s=? WHERE sha256=?")
                .bind(where)
                .bindReal(changedAt(path))
                .bind(*digest)
                .done();
        return out;
    }
    // A recording that has grown since it was noted replaces its entry; what was written beside it stays. It is the
    // same only when what it was is its beginning: a card that was formatted gives its next flight the same name.
    std::vector<LogbookEntry> before;
    {
        Query same(db_, (std::string("SELECT ") + kColumns + " FROM flights WHERE path=?").c_str());
        same.bind(where);
        std::map<std::string, bool> grown;  // by fingerprint
        while (same.row()) {
            LogbookEntry e = entryOf(same);
            const auto [at, anew] = grown.try_emplace(e.sha256, false);
            if (anew) {
                const auto beginning = sha256OfBeginning(path, e.bytes);
                at->second = e.bytes > 0 && beginning && *beginning == e.sha256;
            }
            if (at->second) before.push_back(std::move(e));
        }
    }
    if (sqlite3_exec(db_, "BEGIN IMMEDIATE", nullptr, nullptr, nullptr) != SQLITE_OK)
        return fail("{}: cannot be written: {}", path_, sqlite3_errmsg(db_));
    bool ok = true;
    for (const LogbookEntry& old : before) ok = ok && Query(db_, "DELETE FROM flights WHERE id=?").bind(old.id).done();
    for (LogbookEntry e : entriesOf(log)) {
        for (const LogbookEntry& old : before)
            if (old.session == e.session) {
                e.vehicle = old.vehicle;
                e.place_name = old.place_name;
                e.notes = old.notes;
                e.tags = old.tags;
                e.plan_path = old.plan_path;
            }
        if (!plan_path.empty()) e.plan_path = plan_path;
        const auto bytes = fs::file_size(path, none);
        const GeoPoint place = e.place.value_or(GeoPoint{});
        ok =
            ok &&
            Query(
                db_,
                "INSERT INTO flights (path, sha256, bytes, format, session, start_unix_s, duration_s, "
                "distance_m, top_height_home_m, lat_deg, lon_deg, track, added_unix_s, vehicle, place_name, "
                "notes, tags, plan_path, changed_unix_s) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, "
                "?)")
                .bind(where)
                .bind(*digest)
                .bind(static_cast<std::int64_t>(bytes))
                .bind(e.format)
                .bind(e.session)
                .bindReal(e.start_unix_s)
                .bindReal(e.duration_s)
                .bindReal(e.distance_m)
                .bindReal(e.top_height_home_m)
                .bindReal(place.lat_deg)
                .bindReal(place.lon_deg)
                .bind(packed(e.track), true)
                .bindReal(unixNow())
                .bind(e.vehicle)
                .bind(e.place_name)
                .bind(e.notes)
                .bind(e.tags)
                .bind(e.plan_path)
                .bindReal(changedAt(path))
                .done();
        ++out.flights;
    }
    if (!log.params.empty()) {
        std::string content;
        for (const auto& [name, value] : log.params) content += fmt::format("{}={:.17g}\n", name, value);
        ok = ok && Query(db_, "INSERT OR REPLACE INTO parameters (sha256, content) VALUES (?, ?)")
                       .bind(*digest)
                       .bind(content)
                       .done();
    }
    if (!ok || sqlite3_exec(db_, "COMMIT", nullptr, nullptr, nullptr) != SQLITE_OK) {
        const std::string why = sqlite3_errmsg(db_);
        sqlite3_exec(db_, "ROLLBACK", nullptr, nullptr, nullptr);
        return fail("{}: cannot be written: {}", path_, why);
    }
    out.files = 1;
    if (!before.empty()) out.flights = std::max(0, out.flights - static_cast<int>(before.size()));
    return out;
}

Result<LogbookAdded> Logbook::addFolder(const std::string& folder,
                                        const std::function<void(int, int, const std::string&)>& progress,
                                        const std::stop_token& stop, bool only_new) {
    std::error_code error;
    if (!fs::is_directory(folder, error)) return fail("{}: is not a folder", folder);
    std::vector<std::string> files;
    for (fs::recursive_directory_iterator i(folder, fs::directory_options::skip_permission_denied, error), end;
         i != end && !error && !stop.stop_requested(); i.increment(error)) {
        std::error_code none;
        if (i->is_regular_file(none) && !i->is_symlink(none)) files.push_back(i->path().string());
    }
    std::sort(files.begin(), files.end());
    LogbookAdded out;
    int done = 0;
    for (const std::string& file : files) {
        if (stop.stop_requested()) break;
        if (progress) progress(done, static_cast<int>(files.size()), file);
        ++done;
        if (only_new && knows(file)) continue;
        if (!looksLikeLog(file)) {
            ++out.not_logs;
            continue;
        }
        const auto one = add(file);
        if (!one) {
            out.failed.push_back(one.error().message);
            continue;
        }
        out.flights += one->flights;
        out.files += one->files;
        out.duplicates += one->duplicates;
        out.not_logs += one->not_logs;
    }
    return out;
}

std::vector<LogbookEntry> Logbook::entries(const std::string& search) const {
    const auto words = wordsOf(search);
    const std::lock_guard lock(mutex_);
    std::vector<LogbookEntry> out;
    Query q(db_, (std::string("SELECT ") + kColumns +
                  " FROM flights ORDER BY start_unix_s DESC, added_unix_s DESC, session DESC")
                     .c_str());
    while (q.row()) {
        LogbookEntry e = entryOf(q);
        if (matches(e, words)) out.push_back(std::move(e));
    }
    return out;
}

std::optional<LogbookEntry> Logbook::entry(std::int64_t id) const {
    const std::lock_guard lock(mutex_);
    Query q(db_, (std::string("SELECT ") + kColumns + " FROM flights WHERE id=?").c_str());
    if (!q.bind(id).row()) return std::nullopt;
    return entryOf(q);
}

std::map<std::string, double> Logbook::parameters(const std::string& sha256) const {
    std::map<std::string, double> out;
    const std::lock_guard lock(mutex_);
    Query q(db_, "SELECT content FROM parameters WHERE sha256=?");
    if (!q.bind(sha256).row()) return out;
    const std::string content = q.text(0);
    for (std::size_t at = 0; at < content.size();) {
        const auto end = std::min(content.find('\n', at), content.size());
        const std::string line = content.substr(at, end - at);
        const auto equals = line.rfind('=');
        const auto value = equals != std::string::npos ? parseNumber(line.substr(equals + 1)) : std::nullopt;
        if (value) out[line.substr(0, equals)] = *value;
        at = end + 1;
    }
    return out;
}

std::optional<LogbookEntry> Logbook::flightBefore(const LogbookEntry& entry) const {
    if (entry.start_unix_s <= 0) return std::nullopt;
    const std::lock_guard lock(mutex_);
    Query q(db_, (std::string("SELECT ") + kColumns +
                  " FROM flights WHERE vehicle=? AND start_unix_s>0 AND start_unix_s<? AND sha256<>? AND sha256 IN "
                  "(SELECT sha256 FROM parameters) ORDER BY start_unix_s DESC LIMIT 1")
                     .c_str());
    q.bind(entry.vehicle).bindReal(entry.start_unix_s).bind(entry.sha256);
    return q.row() ? std::optional(entryOf(q)) : std::nullopt;
}

bool Logbook::knows(const std::string& path) const {
    std::error_code none;
    const std::string where = fs::absolute(path, none).lexically_normal().string();
    const auto bytes = fs::file_size(path, none);
    if (none) return false;
    const std::lock_guard lock(mutex_);
    Query q(db_, "SELECT 1 FROM flights WHERE path=? AND bytes=? AND changed_unix_s=?");
    return q.bind(where).bind(static_cast<std::int64_t>(bytes)).bindReal(changedAt(path)).row();
}

bool isTheFileOf(const LogbookEntry& entry) {
    std::error_code none;
    if (fs::file_size(entry.path, none) != entry.bytes || none) return false;
    const auto digest = sha256OfFile(entry.path);
    return digest && *digest == entry.sha256;
}

std::size_t Logbook::count() const {
    const std::lock_guard lock(mutex_);
    Query q(db_, "SELECT count(*) FROM flights");
    return q.row() ? static_cast<std::size_t>(q.integer(0)) : 0;
}

Result<void> Logbook::change(const LogbookEntry& e) {
    const std::lock_guard lock(mutex_);
    const bool ok = Query(db_, "UPDATE flights SET vehicle=?, place_name=?, notes=?, tags=?, plan_path=? WHERE id=?")
                        .bind(e.vehicle)
                        .bind(e.place_name)
                        .bind(e.notes)
                        .bind(e.tags)
                        .bind(e.plan_path)
                        .bind(e.id)
                        .done();
    if (!ok) return fail("{}: cannot be written: {}", path_, sqlite3_errmsg(db_));
    if (sqlite3_changes(db_) == 0) return fail("this flight is no longer in the logbook");
    return {};
}

Result<void> Logbook::remove(const std::vector<std::int64_t>& ids) {
    const std::lock_guard lock(mutex_);
    for (const std::int64_t id : ids)
        if (!Query(db_, "DELETE FROM flights WHERE id=?").bind(id).done())
            return fail("{}: cannot be written: {}", path_, sqlite3_errmsg(db_));
    return {};
}

Result<void> Logbook::addNote(const HardwareNote& note) {
    const std::lock_guard lock(mutex_);
    if (!Query(db_, "INSERT INTO hardware_notes (time_unix_s, vehicle, text) VALUES (?, ?, ?)")
             .bindReal(note.time_unix_s)
             .bind(note.vehicle)
             .bind(note.text)
             .done())
        return fail("{}: cannot be written: {}", path_, sqlite3_errmsg(db_));
    return {};
}

Result<void> Logbook::removeNote(std::int64_t id) {
    const std::lock_guard lock(mutex_);
    if (!Query(db_, "DELETE FROM hardware_notes WHERE id=?").bind(id).done())
        return fail("{}: cannot be written: {}", path_, sqlite3_errmsg(db_));
    return {};
}

std::vector<HardwareNote> Logbook::notes(const std::string& vehicle) const {
    const std::lock_guard lock(mutex_);
    std::vector<HardwareNote> out;
    Query q(db_,
            "SELECT id, time_unix_s, vehicle, text FROM hardware_notes WHERE ?='' OR vehicle=? "
            "ORDER BY time_unix_s DESC, id DESC");
    q.bind(vehicle).bind(vehicle);
    while (q.row()) out.push_back({q.integer(0), q.real(1), q.text(2), q.text(3)});
    return out;
}

}  // namespace anhinga
