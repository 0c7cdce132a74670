// Tracks as logs: GPX 1.1 (trk, trkseg, trkpt) and KML 2.2/2.3 (Track with when and coord, LineString). A track without
// times gets one point a second, and says so.
#include <pugixml.hpp>

#include <algorithm>
#include <cmath>
#include <cstring>
#include <sstream>

#include "core/base/Text.h"
#include "core/geo/Geo.h"
#include "core/logio/LogReader.h"

namespace anhinga {

namespace {

struct Point {
    GeoPoint place;
    std::optional<double> height_m, unix_s;
};
struct Track {
    std::vector<Point> points;
    enum Heights { amsl, ground, none } heights = amsl;
};

/// Name without its namespace.
std::string_view bare(const pugi::xml_node& node) {
    const std::string_view name = node.name();
    const auto colon = name.find(':');
    return colon == std::string_view::npos ? name : name.substr(colon + 1);
}

std::optional<double> timeOf(std::string_view text) {
    const auto time = parseIsoTime(text);
    return time ? std::optional(time->unix_s) : std::nullopt;
}

/// Numbers separated by `separator`.
std::vector<double> numbers(std::string_view text, char separator) {
    std::vector<double> out;
    while (!text.empty() && out.size() < 4) {
        const auto end = text.find(separator);
        const auto v = parseNumber(text.substr(0, end));
        if (!v) return {};
        out.push_back(*v);
        text.remove_prefix(end == std::string_view::npos ? text.size() : end + 1);
    }
    return out;
}

class TrackReader {
  public:
    std::vector<Track> tracks;
    std::size_t passed_over = 0;  // points that cannot be

    void gpx(const pugi::xml_node& node, int depth = 0) {
        if (depth > 40) return;
        for (const pugi::xml_node& child : node.children()) {
            if (bare(child) == "trkseg" || bare(child) == "rte") {
                Track t;
                for (const pugi::xml_node& p : child.children()) {
                    if (bare(p) != "trkpt" && bare(p) != "rtept") continue;
                    Point point;
                    const auto lat = parseNumber(p.attribute("lat").value()),
                               lon = parseNumber(p.attribute("lon").value());
                    point.place = {lat.value_or(NAN), lon.value_or(NAN)};
                    for (const pugi::xml_node& v : p.children()) {
                        if (bare(v) == "ele") point.height_m = parseNumber(v.text().get());
                        if (bare(v) == "time") point.unix_s = timeOf(v.text().get());
                    }
                    add(t, point);
                }
                keep(std::move(t));
            } else {
                gpx(child, depth + 1);
            }
        }
    }

    void kml(const pugi::xml_node& node, int depth = 0) {
        if (depth > 40) return;
        for (const pugi::xml_node& child : node.children()) {
            if (bare(child) == "Track") {
                std::vector<std::optional<double>> times;
                Track t;
                t.heights = heightsOf(child);
                for (const pugi::xml_node& v : child.children())
                    if (bare(v) == "when") times.push_back(timeOf(v.text().get()));
                std::size_t n = 0;
                for (const pugi::xml_node& v : child.children()) {
                    if (bare(v) != "coord") continue;
                    Point point = placed(numbers(v.text().get(), ' '));
                    if (n < times.size()) point.unix_s = times[n];
                    ++n;
                    add(t, point);
                }
                keep(std::move(t));
            } else if (bare(child) == "LineString") {
                Track t;
                t.heights = heightsOf(child);
                std::istringstream words(child.child("coordinates").text().get());
                for (std::string word; words >> word;) add(t, placed(numbers(word, ',')));
                keep(std::move(t));
            } else {
                kml(child, depth + 1);
            }
        }
    }

  private:
    static Track::Heights heightsOf(const pugi::xml_node& node) {
        for (const pugi::xml_node& v : node.children())
            if (bare(v) == "altitudeMode") {
                const std::string_view mode = v.text().get();
                return mode == "absolute" ? Track::amsl : mode == "relativeToGround" ? Track::ground : Track::none;
            }
        return Track::none;  // clamped to the ground when nothing is said
    }
    static Point placed(const std::vector<double>& v) {
        Point p;
        p.place = v.size() >= 2 ? GeoPoint{v[1], v[0]} : GeoPoint{NAN, NAN};
        if (v.size() >= 3) p.height_m = v[2];
        return p;
    }
    void add(Track& t, const Point& p) {
        if (isValid(p.place))
            t.points.push_back(p);
        else
            ++passed_over;
    }
    void keep(Track t) {
        if (!t.points.empty()) tracks.push_back(std::move(t));
    }
};

Result<LogPtr> makeLog(const TrackReader& reader, const char* format, const std::string& name, std::size_t lost_bytes) {
    if (reader.tracks.empty()) return fail("{}: {} without a track in it", name, format);
    auto log = std::make_shared<FlightLog>();
    log->format = format;
    log->damaged_records = reader.passed_over + (lost_bytes > 0 ? 1 : 0);
    log->damaged_bytes = lost_bytes;
    Channel& lat = log->channel("position.lat_deg", "deg");
    Channel& lon = log->channel("position.lon_deg", "deg");
    std::optional<double> start;
    for (const Track& t : reader.tracks)
        for (const Point& p : t.points)
            if (p.unix_s && (!start || *p.unix_s < *start)) start = p.unix_s;
    log->start_unix_s = start.value_or(0);
    constexpr double kApart_s = 60;  // between tracks without times: flights of their own
    double t = 0;
    bool untimed = false, clamped = false;
    // Lines drawn beside a track with times show the same flight without them.
    const auto timed = [](const Track& track) {
        return std::any_of(track.points.begin(), track.points.end(),
                           [](const Point& p) { return p.unix_s.has_value(); });
    };
    const bool lines_too = start && !std::all_of(reader.tracks.begin(), reader.tracks.end(), timed);
    std::vector<double> restarts;
    std::optional<double> ground_m;  // the first height, for heights above home
    for (const Track& track : reader.tracks) {
        if (lines_too && !timed(track)) continue;
        bool first = true;
        for (const Point& p : track.points) {
            const double before = t;
            t = p.unix_s ? *p.unix_s - *start : first ? (lat.t_s.empty() ? 0 : before + kApart_s) : before + 1;
            untimed = untimed || !p.unix_s;
            if (!lat.t_s.empty() && t < lat.t_s.back()) {  // back in time
                ++log->damaged_records;
                t = before;
                continue;
            }
            if (first && !lat.t_s.empty()) restarts.push_back(t);
            first = false;
            lat.add(t, p.place.lat_deg);
            lon.add(t, p.place.lon_deg);
            if (!p.height_m || !std::isfinite(*p.height_m)) continue;
            if (track.heights == Track::none) {
                clamped = true;
            } else if (track.heights == Track::ground) {
                log->channel("position.height_ground_m", "m").add(t, *p.height_m);
            } else {
                if (!ground_m) ground_m = *p.height_m;
                log->channel("position.height_amsl_m", "m").add(t, *p.height_m);
                log->channel("position.height_home_m", "m").add(t, *p.height_m - *ground_m);
            }
        }
    }
    const auto say = [&](const char* text) { log->events.push_back({0, "message", text}); };
    if (lines_too) say("Lines without times stand beside the track with times: they are not used");
    if (untimed) say("Points without a time: one a second is assumed");
    if (clamped) say("Heights of this track are clamped to the ground: they are not used");
    if (ground_m) say("Heights above home are above the first point");
    log->message_counts["point"] = lat.t_s.size();
    log->findSessions(restarts);
    return log;
}

bool hasElement(std::string_view bytes, std::string_view element) {
    const auto begin = bytes.substr(0, 65536);
    const auto at = begin.find(element);
    return at != std::string_view::npos && at > 0 && (begin[at - 1] == '<' || begin[at - 1] == ':');
}

Result<LogPtr> readXml(std::string_view bytes, const std::string& name, bool gpx) {
    // A tree of it takes several times as much memory.
    constexpr std::size_t kMostBytes = std::size_t{256} << 20;
    if (bytes.size() > kMostBytes)
        return fail("{}: {} MB; a track as XML may have {} MB", name, bytes.size() >> 20, kMostBytes >> 20);
    pugi::xml_document doc;
    // What stands before the place where a file breaks off is still a track.
    const auto ok = doc.load_buffer(bytes.data(), bytes.size());
    TrackReader reader;
    if (gpx)
        reader.gpx(doc);
    else
        reader.kml(doc);
    if (!ok && reader.tracks.empty()) return fail("{}: damaged at byte {}: {}", name, ok.offset, ok.description());
    const std::size_t lost = ok ? 0 : bytes.size() - std::min(bytes.size(), static_cast<std::size_t>(ok.offset));
    return makeLog(reader, gpx ? "GPX track" : "KML track", name, lost);
}

}  // namespace

bool looksLikeGpxTrack(std::string_view bytes) {
    return hasElement(bytes, "gpx");
}
Result<LogPtr> readGpxTrack(const SharedBytes& bytes, const std::string& name) {
    return readXml(bytes.bytes, name, true);
}
bool looksLikeKmlTrack(std::string_view bytes) {
    return hasElement(bytes, "kml");
}
Result<LogPtr> readKmlTrack(const SharedBytes& bytes, const std::string& name) {
    return readXml(bytes.bytes, name, false);
}

}  // namespace anhinga
