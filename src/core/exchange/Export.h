// Plans and logs in open formats for other programs. The format follows from the file's extension.
#pragma once

#include <string>
#include <vector>

#include "core/base/Result.h"
#include "core/flightlog/FlightLog.h"
#include "core/program/Path.h"

namespace anhinga {

/// What a KML file holds beside the plan: with a route what its photos show of the ground, with a rehearsal the flight
/// as a time-animated track and a fly-through tour. May all be null.
struct PlanExtras {
    const Route* route = nullptr;
    const Terrain* terrain = nullptr;
    const FlightLog* rehearsal = nullptr;
};
/// KML 2.3: route and points at their true heights (absolute, AMSL), fences as outlines.
/// `model`: the file that flies along an animated track, where one lies beside the document (KMZ).
std::string planKml(const Plan& plan, const Path& path, const PlanExtras& extras = {}, const std::string& model = {});
/// GPX 1.1: the route with heights AMSL, and the points by name.
std::string planGpx(const Plan& plan, const Path& path);
/// One row a point of the path: number, name, latitude, longitude, height and what it is measured from, AMSL.
std::string planCsv(const Plan& plan, const Path& path);

/// RFC 7946: route, points, areas; third coordinates are metres AMSL.
std::string planGeoJson(const Plan& plan, const Path& path);
/// The format that the ending of `file` asks for.
Result<std::string> planExport(const Plan& plan, const Path& path, const std::string& file,
                               const PlanExtras& extras = {});

/// What a file's reader has to know of the heights in it; empty where all are above mean sea level.
std::string heightsNote(const FlightLog& log);
/// The track, one line for each mode and flight; time-animated track, fly-through tour, photos, marks and changes of
/// mode. Heights are above sea level where the log knows them, else those above home, drawn above the ground.
std::string logKml(const FlightLog& log, const std::string& title, const std::string& model = {});
std::string logGpx(const FlightLog& log, const std::string& title);
/// One row a position sample, all canonical channels in columns (last value at that time, empty before the first).
std::string logCsv(const FlightLog& log);

/// A LineString a mode and flight with heights AMSL, and a Point for each photo, mark and change of mode.
std::string logGeoJson(const FlightLog& log, const std::string& title);
/// What a table of a log holds, and how often.
struct LogTable {
    std::vector<std::string> channels;  // empty: all canonical ones
    double rate_hz = 0;                 // 0: at the times of the first channel
};
/// Fails for a channel the log has not.
Result<std::string> logChannels(const FlightLog& log, const LogTable& table);
/// One row a photo: number, UTC where known, seconds, place, heights, attitude and the camera's pitch.
std::string photoTable(const FlightLog& log);
/// The format that the ending of `file` asks for.
Result<std::string> logExport(const FlightLog& log, const std::string& title, const std::string& file);

/// Known endings for each, for messages and file dialogs.
constexpr const char* kPlanExports = ".kml .kmz .gpx .csv .geojson";
constexpr const char* kLogExports = ".kml .kmz .gpx .geojson .csv .ulg";
/// Lower-case ending with its dot; empty when there is none.
std::string extensionOf(const std::string& path);

}  // namespace anhinga
