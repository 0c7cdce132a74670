// A prepared statement of SQLite, for the few files that are databases. Whoever includes this links SQLite.
#pragma once

#include <sqlite3.h>

#include <cstdint>
#include <string>

namespace anhinga {

/// One prepared statement; values are bound in order. A statement that cannot be prepared gives no row and is never
/// done.
class Query {
  public:
    Query(sqlite3* db, const char* sql) { sqlite3_prepare_v2(db, sql, -1, &statement_, nullptr); }
    ~Query() { sqlite3_finalize(statement_); }
    Query(const Query&) = delete;
    Query& operator=(const Query&) = delete;
    Query& bind(std::int64_t v) {
        sqlite3_bind_int64(statement_, ++bound_, v);
        return *this;
    }
    Query& bindReal(double v) {
        sqlite3_bind_double(statement_, ++bound_, v);
        return *this;
    }
    /// The next value: text, or bytes as they are.
    Query& bind(const std::string& v, bool blob = false) {
        const int n = static_cast<int>(v.size());
        if (blob)
            sqlite3_bind_blob(statement_, ++bound_, v.data(), n, SQLITE_TRANSIENT);
        else
            sqlite3_bind_text(statement_, ++bound_, v.data(), n, SQLITE_TRANSIENT);
        return *this;
    }
    /// The next row of an answer.
    bool row() { return statement_ != nullptr && sqlite3_step(statement_) == SQLITE_ROW; }
    /// For what answers nothing: false when it failed.
    bool done() { return statement_ != nullptr && sqlite3_step(statement_) == SQLITE_DONE; }
    std::int64_t integer(int k) const { return sqlite3_column_int64(statement_, k); }
    double real(int k) const { return sqlite3_column_double(statement_, k); }
    std::string text(int k) const {
        const void* data = sqlite3_column_blob(statement_, k);
        return data == nullptr ? std::string()
                               : std::string(static_cast<const char*>(data),
                                             static_cast<std::size_t>(sqlite3_column_bytes(statement_, k)));
    }

  private:
    sqlite3_stmt* statement_ = nullptr;
    int bound_ = 0;
};

}  // namespace anhinga
