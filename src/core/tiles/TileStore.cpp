#include "core/tiles/TileStore.h"

#include <filesystem>
#include <set>

#include "core/base/Sqlite.h"

namespace anhinga {

namespace {

/// MBTiles counts rows from the south.
int rowOf(TileId t) {
    return (1 << t.z) - 1 - t.y;
}

constexpr const char* kTables =
    "CREATE TABLE IF NOT EXISTS metadata (name text PRIMARY KEY, value text);"
    "CREATE TABLE IF NOT EXISTS tiles (zoom_level integer, tile_column integer, tile_row integer, tile_data blob);"
    "CREATE UNIQUE INDEX IF NOT EXISTS tile_index ON tiles (zoom_level, tile_column, tile_row);"
    "CREATE TABLE IF NOT EXISTS stored_areas (id integer PRIMARY KEY, name text, south real, west real, north real, "
    "east real, zoom_from integer, zoom_to integer, complete integer, stored_s real);";

}  // namespace

std::string pictureFormat(const std::string& b) {
    if (b.rfind("\x89PNG\r\n\x1a\n", 0) == 0) return "png";
    if (b.rfind("\xff\xd8\xff", 0) == 0) return "jpg";
    if (b.size() > 12 && b.rfind("RIFF", 0) == 0 && b.compare(8, 4, "WEBP") == 0) return "webp";
    return "";
}

std::string bytesText(std::uint64_t bytes) {
    const auto b = static_cast<double>(bytes);
    return b < 1e3   ? fmt::format("{} bytes", bytes)
           : b < 1e6 ? fmt::format("{:.0f} kB", b / 1e3)
           : b < 1e9 ? fmt::format("{:.1f} MB", b / 1e6)
                     : fmt::format("{:.1f} GB", b / 1e9);
}

Result<std::shared_ptr<TileStore>> TileStore::open(const std::string& path, const std::string& name,
                                                   const std::string& attribution) {
    std::error_code error;
    std::filesystem::create_directories(std::filesystem::path(path).parent_path(), error);
    sqlite3* db = nullptr;
    const int code =
        sqlite3_open_v2(path.c_str(), &db, SQLITE_OPEN_READWRITE | SQLITE_OPEN_CREATE | SQLITE_OPEN_FULLMUTEX, nullptr);
    std::shared_ptr<TileStore> store(new TileStore(path, db));
    if (code != SQLITE_OK) return fail("{}: cannot be opened: {}", path, sqlite3_errmsg(db));
    sqlite3_busy_timeout(db, 4000);
    char* what = nullptr;
    // A half-written transaction after a crash is rolled back; losing the last tile to a power cut is no harm.
    sqlite3_exec(db, "PRAGMA journal_mode=WAL; PRAGMA synchronous=NORMAL;", nullptr, nullptr, nullptr);
    if (sqlite3_exec(db, kTables, nullptr, nullptr, &what) != SQLITE_OK) {
        const std::string why = what != nullptr ? what : "no reason given";
        sqlite3_free(what);
        return fail("{}: not a file map tiles can be kept in: {}", path, why);
    }
    const std::pair<const char*, std::string> about[] = {
        {"name", name}, {"attribution", attribution}, {"type", "baselayer"}, {"version", "1"}, {"format", "png"}};
    for (const auto& [key, value] : about)
        if (!Query(db, key == std::string("attribution") ? "INSERT OR REPLACE INTO metadata VALUES (?, ?)"
                                                         : "INSERT OR IGNORE INTO metadata VALUES (?, ?)")
                 .bind(std::string(key))
                 .bind(value)
                 .done())
            return fail("{}: cannot be written: {}", path, sqlite3_errmsg(db));
    return store;
}

TileStore::~TileStore() {
    sqlite3_close(db_);
}

std::optional<std::string> TileStore::get(TileId t) const {
    const std::lock_guard lock(mutex_);
    Query q(db_, "SELECT tile_data FROM tiles WHERE zoom_level=? AND tile_column=? AND tile_row=?");
    if (!q.bind(t.z).bind(t.x).bind(rowOf(t)).row()) return std::nullopt;
    return q.text(0);
}

bool TileStore::has(TileId t) const {
    const std::lock_guard lock(mutex_);
    return Query(db_, "SELECT 1 FROM tiles WHERE zoom_level=? AND tile_column=? AND tile_row=?")
        .bind(t.z)
        .bind(t.x)
        .bind(rowOf(t))
        .row();
}

Result<void> TileStore::put(TileId t, const std::string& picture) {
    const std::string format = pictureFormat(picture);
    if (format.empty()) return fail("tile {}/{}/{} is not a picture", t.z, t.x, t.y);
    const std::lock_guard lock(mutex_);
    const bool first = !Query(db_, "SELECT 1 FROM tiles LIMIT 1").row();
    if (!Query(db_, "INSERT OR REPLACE INTO tiles VALUES (?, ?, ?, ?)")
             .bind(t.z)
             .bind(t.x)
             .bind(rowOf(t))
             .bind(picture, true)
             .done())
        return fail("{}: a tile cannot be written: {}", path_, sqlite3_errmsg(db_));
    if (first) Query(db_, "INSERT OR REPLACE INTO metadata VALUES ('format', ?)").bind(format).done();
    return {};
}

std::uint64_t TileStore::count() const {
    const std::lock_guard lock(mutex_);
    Query q(db_, "SELECT count(*) FROM tiles");
    return q.row() ? static_cast<std::uint64_t>(q.integer(0)) : 0;
}

std::uint64_t TileStore::bytes() const {
    const std::lock_guard lock(mutex_);
    Query q(db_, "SELECT coalesce(sum(length(tile_data)), 0) FROM tiles");
    return q.row() ? static_cast<std::uint64_t>(q.integer(0)) : 0;
}

void TileStore::trim(std::uint64_t bytes_max) {
    const std::lock_guard lock(mutex_);
    for (std::uint64_t now = bytes(); now > bytes_max; now = bytes()) {
        // A tenth at a time, oldest first: a tile put again gets a new row number.
        if (!Query(db_,
                   "DELETE FROM tiles WHERE rowid IN (SELECT rowid FROM tiles ORDER BY rowid LIMIT "
                   "(SELECT count(*)/10+1 FROM tiles))")
                 .done())
            return;
    }
}

std::vector<StoredArea> TileStore::areas() const {
    const std::lock_guard lock(mutex_);
    std::vector<StoredArea> areas;
    Query q(db_,
            "SELECT id, name, south, west, north, east, zoom_from, zoom_to, complete, stored_s FROM stored_areas "
            "ORDER BY id");
    while (q.row()) {
        StoredArea a{q.integer(0),
                     q.text(1),
                     {q.real(2), q.real(3), q.real(4), q.real(5)},
                     static_cast<int>(q.integer(6)),
                     static_cast<int>(q.integer(7)),
                     q.integer(8) != 0,
                     q.real(9)};
        if (isValid(a.box)) areas.push_back(a);
    }
    return areas;
}

Result<std::int64_t> TileStore::keepArea(const StoredArea& a) {
    const std::lock_guard lock(mutex_);
    if (!isValid(a.box) || a.zoom_from > a.zoom_to) return fail("the area to store has no size");
    // Identity 0 becomes NULL, for which SQLite chooses a new one.
    Query q(db_, "INSERT OR REPLACE INTO stored_areas VALUES (nullif(?, 0), ?, ?, ?, ?, ?, ?, ?, ?, ?)");
    q.bind(a.id);
    q.bind(a.name).bindReal(a.box.south).bindReal(a.box.west).bindReal(a.box.north).bindReal(a.box.east);
    q.bind(a.zoom_from).bind(a.zoom_to).bind(a.complete ? 1 : 0).bindReal(a.stored_s);
    if (!q.done()) return fail("{}: the area cannot be noted: {}", path_, sqlite3_errmsg(db_));
    const std::int64_t id = a.id != 0 ? a.id : sqlite3_last_insert_rowid(db_);
    if (auto ok = describe(); !ok) return tl::unexpected(ok.error());
    return id;
}

Result<void> TileStore::removeArea(std::int64_t id) {
    const std::lock_guard lock(mutex_);
    std::optional<StoredArea> gone;
    std::set<TileId> kept;
    for (const StoredArea& a : areas()) {
        if (a.id == id) {
            gone = a;
            continue;
        }
        TileWalk walk(a.box, a.zoom_from, a.zoom_to);
        while (const auto t = walk.next()) kept.insert(*t);
    }
    if (!gone) return {};
    sqlite3_exec(db_, "BEGIN", nullptr, nullptr, nullptr);
    TileWalk walk(gone->box, gone->zoom_from, gone->zoom_to);
    bool ok = true;
    while (const auto t = walk.next()) {
        if (kept.contains(*t)) continue;
        ok &= Query(db_, "DELETE FROM tiles WHERE zoom_level=? AND tile_column=? AND tile_row=?")
                  .bind(t->z)
                  .bind(t->x)
                  .bind(rowOf(*t))
                  .done();
    }
    ok &= Query(db_, "DELETE FROM stored_areas WHERE id=?").bind(id).done();
    ok &= sqlite3_exec(db_, "COMMIT", nullptr, nullptr, nullptr) == SQLITE_OK;
    if (!ok) {
        const std::string why = sqlite3_errmsg(db_);
        sqlite3_exec(db_, "ROLLBACK", nullptr, nullptr, nullptr);
        return fail("{}: the area cannot be removed: {}", path_, why);
    }
    sqlite3_exec(db_, "VACUUM", nullptr, nullptr, nullptr);  // gives the room on the disk back
    return describe();
}

/// What MBTiles wants to know of the whole: bounds and zooms of the stored areas.
Result<void> TileStore::describe() {
    const std::vector<StoredArea> all = areas();
    if (all.empty()) return {};
    GeoBox b = all.front().box;
    int low = all.front().zoom_from, high = all.front().zoom_to;
    for (const StoredArea& a : all) {
        b = {std::min(b.south, a.box.south), std::min(b.west, a.box.west), std::max(b.north, a.box.north),
             std::max(b.east, a.box.east)};
        low = std::min(low, a.zoom_from);
        high = std::max(high, a.zoom_to);
    }
    const std::pair<const char*, std::string> about[] = {
        {"bounds", fmt::format("{:.6f},{:.6f},{:.6f},{:.6f}", b.west, b.south, b.east, b.north)},
        {"minzoom", std::to_string(low)},
        {"maxzoom", std::to_string(high)}};
    for (const auto& [key, value] : about)
        if (!Query(db_, "INSERT OR REPLACE INTO metadata VALUES (?, ?)").bind(std::string(key)).bind(value).done())
            return fail("{}: cannot be written: {}", path_, sqlite3_errmsg(db_));
    return {};
}

}  // namespace anhinga
