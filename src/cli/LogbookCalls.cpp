// Calls over many flights: logbook, trend, presence of all flights in the logbook.
#include <cstdlib>
#include <filesystem>

#include "cli/Common.h"
#include "core/base/Text.h"
#include "core/logbook/Logbook.h"
#include "core/review/Trend.h"

namespace anhinga {

namespace {
namespace fs = std::filesystem;

/// Where the application keeps its own.
std::string logbookFile(const CliArguments& a) {
    if (!a.book.empty()) return a.book;
    const char* data = std::getenv("XDG_DATA_HOME");
    const char* home = std::getenv("HOME");
    const std::string folder = data != nullptr && *data != '\0'   ? std::string(data)
                               : home != nullptr && *home != '\0' ? std::string(home) + "/.local/share"
                                                                  : std::string(".");
    return folder + "/anhinga/logbook.sqlite";
}

/// Looking something up makes no logbook.
Result<std::shared_ptr<Logbook>> existingBook(const CliArguments& a) {
    const std::string file = logbookFile(a);
    std::error_code error;
    if (!fs::exists(file, error)) return fail("{}: no logbook is here yet; logbook add FOLDER makes one", file);
    return Logbook::open(file);
}

Json entryJson(const LogbookEntry& e) {
    return {{"id", e.id},
            {"start_utc", e.start_unix_s > 0 ? Json(isoUtcMillis(e.start_unix_s)) : Json()},
            {"duration_s", e.duration_s},
            {"distance_m", e.distance_m},
            {"lat", e.place ? Json(e.place->lat_deg) : Json()},
            {"lon", e.place ? Json(e.place->lon_deg) : Json()},
            {"vehicle", e.vehicle},
            {"place", e.place_name},
            {"notes", e.notes},
            {"tags", e.tags},
            {"file", e.path},
            {"session", e.session},
            {"sha256", e.sha256}};
}
std::string entryText(const LogbookEntry& e) {
    return fmt::format("{:>6}  {:<24}  {:>14}  {:>9}  {}  {}{}\n", e.id,
                       e.start_unix_s > 0 ? isoUtc(e.start_unix_s) : "undated", durationText(e.duration_s),
                       distanceText(e.distance_m), e.vehicle, e.path,
                       e.session > 0 ? fmt::format(", flight {}", e.session + 1) : "");
}

}  // namespace

std::vector<std::string> filesIn(const std::vector<std::string>& places, std::string& none) {
    std::vector<std::string> files;
    for (const std::string& place : places) {
        std::error_code error;
        if (fs::is_directory(place, error)) {
            for (fs::recursive_directory_iterator i(place, fs::directory_options::skip_permission_denied, error), end;
                 i != end && !error; i.increment(error)) {
                std::error_code ignored;
                if (i->is_regular_file(ignored)) files.push_back(i->path().string());
            }
        } else if (fs::exists(place, error)) {
            files.push_back(place);
        } else {
            none = place;
        }
    }
    std::sort(files.begin(), files.end());
    return files;
}

CliResult cliLogbookAdd(const CliArguments& a) {
    const auto book = Logbook::open(logbookFile(a));
    if (!book) return unusable(book.error());
    CliResult out;
    LogbookAdded all;
    for (const std::string& place : a.files) {
        std::error_code error;
        Result<LogbookAdded> one;
        if (fs::is_directory(place, error)) {
            one = (*book)->addFolder(place);
        } else {
            one = (*book)->add(place);
            if (!one && !looksLikeLog(place)) return unusable(one.error());
        }
        if (!one) {
            all.failed.push_back(one.error().message);
            continue;
        }
        all.flights += one->flights;
        all.files += one->files;
        all.duplicates += one->duplicates;
        all.not_logs += one->not_logs;
        all.failed.insert(all.failed.end(), one->failed.begin(), one->failed.end());
    }
    out.json = {{"added", all.flights},
                {"files", all.files},
                {"known", all.duplicates},
                {"not_logs", all.not_logs},
                {"failed", all.failed}};
    out.text = fmt::format("{} flights of {} files added, {} files known before, {} no logs, {} that cannot be read",
                           all.flights, all.files, all.duplicates, all.not_logs, all.failed.size());
    for (const std::string& why : all.failed) out.error += (out.error.empty() ? "" : "\n") + why;
    if (!all.failed.empty() && all.files + all.duplicates == 0) out.code = 2;
    return out;
}

CliResult cliLogbookList(const CliArguments& a) {
    const auto book = existingBook(a);
    if (!book) return unusable(book.error());
    CliResult out;
    Json flights = Json::array();
    const auto entries = (*book)->entries(a.search);
    for (const LogbookEntry& e : entries) {
        flights.push_back(entryJson(e));
        out.text += entryText(e);
    }
    out.json = {{"flights", flights}};
    out.text += fmt::format("{} flights", entries.size());
    return out;
}

CliResult presenceInLogbook(const CliArguments& a, const PresencePlace& place) {
    const auto book = existingBook(a);
    if (!book) return unusable(book.error());
    CliResult out;
    Json flights = Json::array();
    int entered = 0, unknown = 0;
    for (const LogbookEntry& e : (*book)->entries()) {
        Json one = entryJson(e);
        const auto log = openLog(e.path);
        const auto flight = log ? flightOfFile(**log, e.session) : std::nullopt;
        const Result<Presence> p = !log      ? Result<Presence>(tl::unexpected(log.error()))
                                   : !flight ? fail("{}: there is no such flight in it any more", e.path)
                                             : presence(*flight->log, place);
        if (!p) {
            one["entered"] = nullptr;
            one["reason"] = p.error().message;
            ++unknown;
            out.text += fmt::format("unknown      {}", entryText(e));
        } else {
            const LogSession& s = flight->log->sessions[static_cast<std::size_t>(flight->session)];
            Json visits = Json::array();
            for (const PresenceVisit& v : p->visits)
                if (v.leave_s >= s.from_s && v.enter_s <= s.to_s)
                    visits.push_back({{"enter_s", v.enter_s - s.from_s}, {"leave_s", v.leave_s - s.from_s}});
            one["entered"] = !visits.empty();
            one["visits"] = visits;
            // Of a file with several flights the nearest is that of all of them.
            if (flight->log->sessions.size() == 1) one["nearest_m"] = p->nearest_m;
            entered += visits.empty() ? 0 : 1;
            out.text += fmt::format("{}{}", visits.empty() ? "not entered  " : "entered      ", entryText(e));
        }
        flights.push_back(std::move(one));
    }
    out.json = {{"entered", entered > 0}, {"flights_entered", entered}, {"unknown", unknown}, {"flights", flights}};
    out.text += fmt::format("entered in {} of {} flights{}", entered, flights.size(),
                            unknown > 0 ? fmt::format(", {} of which are not known", unknown) : "");
    out.code = entered > 0 ? 0 : 1;
    return out;
}

CliResult cliTrend(const CliArguments& a) {
    std::string none;
    const auto files = filesIn({a.log}, none);
    if (!none.empty()) return unusable({fmt::format("{}: there is no such folder or file", none)});
    CliResult out;
    std::vector<TrendFlight> flights;
    std::map<std::string, int> vehicles;
    Json failed = Json::array();
    int undated = 0;
    for (const std::string& file : files) {
        if (!looksLikeLog(file)) continue;
        const auto log = openLog(file);
        if (!log) {
            failed.push_back(log.error().message);
            continue;
        }
        for (int i = 0; i < flightsInFile(**log); ++i) {
            const FlightOfFile flight = *flightOfFile(**log, i);
            const std::string& vehicle = flight.log->vehicle;
            if (!a.vehicle.empty() && vehicle.find(a.vehicle) == std::string::npos) continue;
            TrendFlight f{file, flight.log->sessions[static_cast<std::size_t>(flight.session)].start_unix_s,
                          trendMeasures(*flight.log, flight.session)};
            if (f.measures.empty()) continue;
            if (f.start_unix_s <= 0) {
                ++undated;
                continue;
            }
            ++vehicles[vehicle];
            flights.push_back(std::move(f));
        }
    }
    if (flights.empty())
        return unusable({fmt::format("{}: no log of a flight whose time is known{}{}", a.log,
                                     a.vehicle.empty() ? "" : fmt::format(" of \"{}\"", a.vehicle),
                                     undated > 0 ? fmt::format("; {} are undated", undated) : "")});
    // What was done between them stands in the logbook.
    std::vector<TrendNote> notes;
    std::error_code error;
    if (fs::exists(logbookFile(a), error))
        if (const auto book = Logbook::open(logbookFile(a)))
            for (const HardwareNote& note : (*book)->notes())
                if (note.vehicle.empty() || vehicles.contains(note.vehicle))
                    notes.push_back({note.time_unix_s, note.text});
    Json measures = Json::array();
    for (const MeasureTrend& t : trendsOf(flights, notes)) {
        Json points = Json::array(), steps = Json::array();
        for (const TrendPoint& p : t.flights)
            points.push_back({{"start_utc", isoUtcMillis(p.start_unix_s)},
                              {"value", p.value},
                              {"error", p.error},
                              {"file", p.file}});
        for (const TrendStep& s : t.steps)
            steps.push_back({{"at_utc", isoUtcMillis(s.at_unix_s)}, {"from", s.from}, {"to", s.to}, {"note", s.note}});
        out.text += fmt::format("{:<36} {:3} flights  {:.3g} to {:.3g} {}\n", t.name, t.flights.size(),
                                t.flights.front().value, t.flights.back().value, t.unit);
        for (const TrendStep& s : t.steps)
            out.text += fmt::format("    from {} on {:.3g} {} instead of {:.3g}{}\n", isoUtc(s.at_unix_s), s.to, t.unit,
                                    s.from, s.note.empty() ? "" : " (" + s.note + ")");
        if (t.creep)
            out.text += fmt::format("    creeps by {:+.3g} {} a flight over {} flights\n", t.creep->per_flight, t.unit,
                                    t.creep->flights);
        measures.push_back({{"name", t.name},
                            {"unit", t.unit},
                            {"flights", points},
                            {"steps", steps},
                            {"noise", t.noise},
                            {"creep", t.creep ? Json{{"per_flight", t.creep->per_flight},
                                                     {"error", t.creep->error},
                                                     {"flights", t.creep->flights}}
                                              : Json()}});
    }
    out.json = {{"measures", measures}, {"flights", flights.size()}, {"undated", undated}, {"failed", failed}};
    if (vehicles.size() > 1) {
        out.json["vehicles"] = vehicles;
        out.error = fmt::format("these are flights of {} aircraft; --vehicle NAME takes those of one", vehicles.size());
    }
    if (undated > 0) out.text += fmt::format("{} flights without a known time are left out\n", undated);
    return out;
}

}  // namespace anhinga
