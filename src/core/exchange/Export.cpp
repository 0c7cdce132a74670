#include "core/exchange/Export.h"

#include <algorithm>
#include <cmath>
#include <nlohmann/json.hpp>
#include <pugixml.hpp>
#include <sstream>
#include <unordered_map>

#include "core/base/Text.h"
#include "core/exchange/Archive.h"
#include "core/exchange/KmlFlight.h"
#include "core/geo/Polygon.h"
#include "core/logio/LogReader.h"

namespace anhinga {

namespace {

std::string xmlText(const pugi::xml_document& doc) {
    std::ostringstream out;
    doc.save(out, " ", pugi::format_default, pugi::encoding_utf8);
    return out.str();
}

std::string coordinate(GeoPoint p, double amsl) {
    return fmt::format("{:.8f},{:.8f},{:.2f} ", p.lon_deg, p.lat_deg, amsl);
}

pugi::xml_node child(pugi::xml_node parent, const char* name, const std::string& text) {
    pugi::xml_node node = parent.append_child(name);
    node.text().set(text.c_str());
    return node;
}

pugi::xml_node kmlDocument(pugi::xml_document& doc, const std::string& title) {
    pugi::xml_node declaration = doc.append_child(pugi::node_declaration);
    declaration.append_attribute("version") = "1.0";
    declaration.append_attribute("encoding") = "UTF-8";
    pugi::xml_node kml = doc.append_child("kml");
    kml.append_attribute("xmlns") = "http://www.opengis.net/kml/2.3";
    pugi::xml_node document = kml.append_child("Document");
    child(document, "name", title);
    return document;
}

constexpr const char* kAbsolute = "absolute";
constexpr const char* kOverGround = "relativeToGround";
constexpr const char* kOnGround = "clampToGround";

void lineString(pugi::xml_node parent, const std::string& name, const std::string& colour, const char* altitude_mode,
                const std::string& coordinates) {
    pugi::xml_node mark = parent.append_child("Placemark");
    child(mark, "name", name);
    pugi::xml_node line_style = mark.append_child("Style").append_child("LineStyle");
    child(line_style, "color", colour);
    child(line_style, "width", "3");
    pugi::xml_node line = mark.append_child("LineString");
    child(line, "altitudeMode", altitude_mode);
    child(line, "coordinates", coordinates);
}

void kmlPoint(pugi::xml_node parent, const std::string& name, const std::string& description, GeoPoint place,
              std::optional<double> amsl_m) {
    pugi::xml_node mark = parent.append_child("Placemark");
    child(mark, "name", name);
    if (!description.empty()) child(mark, "description", description);
    pugi::xml_node at = mark.append_child("Point");
    if (amsl_m) child(at, "altitudeMode", "absolute");
    child(at, "coordinates",
          amsl_m ? coordinate(place, *amsl_m) : fmt::format("{:.8f},{:.8f}", place.lon_deg, place.lat_deg));
}

void kmlPolygon(pugi::xml_node parent, const std::string& name, const std::string& colour,
                const std::vector<GeoPoint>& outline) {
    pugi::xml_node mark = parent.append_child("Placemark");
    child(mark, "name", name);
    pugi::xml_node style = mark.append_child("Style");
    child(style.append_child("LineStyle"), "color", colour);
    child(style.append_child("PolyStyle"), "fill", "0");
    std::string ring;
    for (std::size_t i = 0; i <= outline.size() && !outline.empty(); ++i) {
        const GeoPoint p = outline[i % outline.size()];
        ring += fmt::format("{:.8f},{:.8f} ", p.lon_deg, p.lat_deg);
    }
    child(mark.append_child("Polygon").append_child("outerBoundaryIs").append_child("LinearRing"), "coordinates", ring);
}

std::optional<double> homePoint(const Path& path) {
    return !path.points.empty() && path.points.front().source == kHomeId ? path.points.front().amsl_m : std::nullopt;
}

pugi::xml_node gpxRoot(pugi::xml_document& doc, const std::string& title) {
    pugi::xml_node declaration = doc.append_child(pugi::node_declaration);
    declaration.append_attribute("version") = "1.0";
    declaration.append_attribute("encoding") = "UTF-8";
    pugi::xml_node gpx = doc.append_child("gpx");
    gpx.append_attribute("version") = "1.1";
    gpx.append_attribute("creator") = "Anhinga";
    gpx.append_attribute("xmlns") = "http://www.topografix.com/GPX/1/1";
    child(gpx.append_child("metadata"), "name", title);
    return gpx;
}

pugi::xml_node gpxPoint(pugi::xml_node parent, const char* name, GeoPoint p) {
    pugi::xml_node node = parent.append_child(name);
    node.append_attribute("lat") = fmt::format("{:.8f}", p.lat_deg).c_str();
    node.append_attribute("lon") = fmt::format("{:.8f}", p.lon_deg).c_str();
    return node;
}

std::string csvText(const std::string& text) {
    if (text.find_first_of(",\"\n") == std::string::npos) return text;
    std::string out = "\"";
    for (const char c : text) out += c == '"' ? "\"\"" : std::string(1, c);
    return out + "\"";
}

struct Sample {
    double t_s;
    GeoPoint place;
    std::optional<double> amsl_m, home_m;
    std::size_t flight = 0;  // session of the log
};
std::vector<Sample> trackOf(const FlightLog& log) {
    std::vector<Sample> track;
    const Channel* lat = log.find("position.lat_deg");
    const Channel* lon = log.find("position.lon_deg");
    const Channel* amsl = log.find("position.height_amsl_m");
    const Channel* home = log.find("position.height_home_m");
    if (lat == nullptr || lon == nullptr) return track;
    const auto at = [](const Channel* c, double t) -> std::optional<double> {
        constexpr double kSoon_s = 1;  // heights may come a little after the first place
        if (c == nullptr || c->t_s.empty()) return std::nullopt;
        return t < c->t_s.front() && c->t_s.front() - t < kSoon_s ? c->value.front() : c->at(t);
    };
    std::size_t flight = 0;
    for (std::size_t i = 0; i < lat->t_s.size(); ++i) {
        const double t = lat->t_s[i];
        const auto l = lon->at(t);
        if (!l || !isValid({lat->value[i], *l})) continue;
        while (flight + 1 < log.sessions.size() && t >= log.sessions[flight + 1].from_s) ++flight;
        track.push_back({t, {lat->value[i], *l}, at(amsl, t), at(home, t), flight});
    }
    return track;
}

/// Photos, the operator's marks and changes of mode, each with its place, where there is one.
struct Mark {
    std::string name;
    double t_s;
    LoggedPlace place;
};
std::vector<Mark> marksOf(const FlightLog& log) {
    std::vector<Mark> marks;
    int photos = 0;
    for (const LogEvent& e : log.events) {
        if (e.kind == "photo") ++photos;
        if (e.kind != "photo" && e.kind != "mark") continue;
        if (const auto place = log.placeOf(e))
            marks.push_back({e.kind == "photo" ? fmt::format("photo {}", photos) : e.text, e.t_s, *place});
    }
    for (const ModeChange& m : log.modes)
        if (const auto place = log.placeOf({m.t_s, "mode", m.name}))
            marks.push_back({"mode: " + m.name, m.t_s, *place});
    std::stable_sort(marks.begin(), marks.end(), [](const Mark& a, const Mark& b) { return a.t_s < b.t_s; });
    return marks;
}

}  // namespace

std::string extensionOf(const std::string& path) {
    const auto dot = path.rfind('.');
    if (dot == std::string::npos || path.find('/', dot) != std::string::npos) return "";
    std::string out = path.substr(dot);
    for (char& c : out) c = static_cast<char>(std::tolower(static_cast<unsigned char>(c)));
    return out;
}

namespace {
pugi::xml_node addFlight(pugi::xml_node document, const FlightLog& log, const std::string& model) {
    pugi::xml_node folder = document.append_child("Folder");
    folder.append_attribute("id") = kFlightFolder;
    child(folder, "name", log.format == "rehearsal" ? "Rehearsed flight" : "Flight");
    addKmlTrack(folder, log, model);
    addKmlTour(folder, log);
    return folder;
}
}  // namespace

std::string planKml(const Plan& plan, const Path& path, const PlanExtras& extras, const std::string& model) {
    pugi::xml_document doc;
    pugi::xml_node document = kmlDocument(doc, plan.title);
    std::string line;
    bool all_known = true;
    for (const PathPoint& p : path.points) {
        all_known &= p.amsl_m.has_value();
        line += coordinate(p.position, p.amsl_m.value_or(0));
    }
    lineString(document, all_known ? "Route" : "Route (some heights unknown, drawn on the ground)", "ff80740b",
               all_known ? kAbsolute : kOnGround, line);
    if (plan.home) kmlPoint(document, "Home", "", plan.home->position, homePoint(path));
    std::unordered_map<ItemId, std::optional<double>> amsl;
    for (const PathPoint& p : path.points)
        if (!p.on_the_way) amsl.try_emplace(p.source, p.amsl_m);
    for (const Item& item : plan.items) {
        if (!hasPosition(item.kind)) continue;
        const auto at = amsl.find(item.id);
        kmlPoint(document, itemText(plan, item.id), heightText(effectiveHeight(plan, item)), item.position,
                 at == amsl.end() ? std::nullopt : at->second);
    }
    for (const RallyPoint& r : plan.rally)
        kmlPoint(document, "Rally point " + r.name, heightText(r.height), r.position, {});
    for (const Fence& fence : plan.fences)
        kmlPolygon(document, (fence.kind == FenceKind::keepIn ? "Keep in " : "Keep out ") + fence.name, "ff6e3a6b",
                   fence.isCircle() ? circleOutline(fence.outline.front(), fence.radius_m, 64) : fence.outline);
    for (const Item& item : plan.items)
        if (hasArea(item.kind)) kmlPolygon(document, itemText(plan, item.id), "ff337a4e", item.pattern->outline);
    for (const Obstacle& o : plan.obstacles) {
        const std::string name = std::string(obstacleText(o.kind)) + " " + o.name;
        if (o.kind == ObstacleKind::mast) {
            kmlPoint(document, name, fmt::format("{:.0f} m high", o.height_m), o.points.front(), {});
        } else if (o.kind == ObstacleKind::trees) {
            kmlPolygon(document, name, "ff243ab9", o.points);
        } else {
            std::string wire;
            for (const GeoPoint& p : o.points) wire += coordinate(p, 0);
            lineString(document, name, "ff243ab9", kOnGround, wire);
        }
    }
    if (extras.route != nullptr)
        addKmlFootprints(document, plan, *extras.route, extras.terrain, homeAmsl(plan, extras.terrain).value_or(0));
    if (extras.rehearsal != nullptr) addFlight(document, *extras.rehearsal, model);
    return xmlText(doc);
}

std::string planGeoJson(const Plan& plan, const Path& path) {
    using Json = nlohmann::ordered_json;
    Json features = Json::array();
    const auto position = [](GeoPoint p, std::optional<double> amsl) {
        Json j = Json::array({p.lon_deg, p.lat_deg});
        if (amsl) j.push_back(std::round(*amsl * 100) / 100);
        return j;
    };
    const auto add = [&](const char* type, const Json& coordinates, const Json& properties) {
        features.push_back({{"type", "Feature"},
                            {"geometry", {{"type", type}, {"coordinates", coordinates}}},
                            {"properties", properties}});
    };
    const auto ring = [&](const std::vector<GeoPoint>& outline) {
        Json list = Json::array();
        for (const GeoPoint& p : outline) list.push_back(position(p, {}));
        if (!outline.empty()) list.push_back(position(outline.front(), {}));
        return Json::array({list});
    };
    if (path.points.size() > 1) {
        Json line = Json::array();
        for (const PathPoint& p : path.points) line.push_back(position(p.position, p.amsl_m));
        add("LineString", line, {{"name", "Route"}, {"heights", "above mean sea level"}});
    }
    if (plan.home) add("Point", position(plan.home->position, homePoint(path)), {{"name", "Home"}});
    std::unordered_map<ItemId, std::optional<double>> amsl;
    for (const PathPoint& p : path.points)
        if (!p.on_the_way) amsl.try_emplace(p.source, p.amsl_m);
    for (const Item& item : plan.items) {
        const Json properties{{"name", itemText(plan, item.id)},
                              {"height_m", effectiveHeight(plan, item).value_m},
                              {"height_reference", refText(effectiveHeight(plan, item).ref)}};
        const auto at = amsl.find(item.id);
        if (hasPosition(item.kind))
            add("Point", position(item.position, at == amsl.end() ? std::nullopt : at->second), properties);
        else if (hasArea(item.kind))
            add("Polygon", ring(item.pattern->outline), properties);
    }
    for (const RallyPoint& r : plan.rally) add("Point", position(r.position, {}), {{"name", "Rally point " + r.name}});
    for (const Fence& f : plan.fences)
        add("Polygon", ring(f.isCircle() ? circleOutline(f.outline.front(), f.radius_m, 64) : f.outline),
            {{"name", (f.kind == FenceKind::keepIn ? "Keep in " : "Keep out ") + f.name}});
    for (const Obstacle& o : plan.obstacles) {
        const Json properties{{"name", std::string(obstacleText(o.kind)) + " " + o.name}, {"height_m", o.height_m}};
        Json wire = Json::array();
        for (const GeoPoint& p : o.points) wire.push_back(position(p, {}));
        if (o.kind == ObstacleKind::mast)
            add("Point", position(o.points.front(), {}), properties);
        else if (o.kind == ObstacleKind::trees)
            add("Polygon", ring(o.points), properties);
        else
            add("LineString", wire, properties);
    }
    return Json{{"type", "FeatureCollection"}, {"features", features}}.dump(1, ' ', false,
                                                                            Json::error_handler_t::replace) +
           "\n";
}

Result<std::string> planExport(const Plan& plan, const Path& path, const std::string& file, const PlanExtras& extras) {
    const std::string to = extensionOf(file);
    if (to == ".kml") return planKml(plan, path, extras);
    if (to == ".kmz") return writeKmz(planKml(plan, path, extras, kAircraftModel), {{kAircraftModel, aircraftModel()}});
    if (to == ".gpx") return planGpx(plan, path);
    if (to == ".csv") return planCsv(plan, path);
    if (to == ".geojson" || to == ".json") return planGeoJson(plan, path);
    return fail("{}: a plan is exported as one of {}", file, kPlanExports);
}

std::string planGpx(const Plan& plan, const Path& path) {
    pugi::xml_document doc;
    pugi::xml_node gpx = gpxRoot(doc, plan.title);
    pugi::xml_node route = gpx.append_child("rte");
    child(route, "name", plan.title);
    for (const PathPoint& p : path.points) {
        pugi::xml_node point = gpxPoint(route, "rtept", p.position);
        if (p.amsl_m) child(point, "ele", fmt::format("{:.2f}", *p.amsl_m));
        child(point, "name", pointText(plan, p));
    }
    return xmlText(doc);
}

std::string planCsv(const Plan& plan, const Path& path) {
    std::string out = "number,name,latitude_deg,longitude_deg,height_m,height_reference,height_amsl_m\n";
    int n = 0;
    for (const PathPoint& p : path.points) {
        const Item* item = plan.find(p.source);
        const Height h = p.over_ground_m   ? Height::aboveGround(*p.over_ground_m)
                         : item != nullptr ? effectiveHeight(plan, *item)
                                           : Height{};
        out += fmt::format("{},{},{:.8f},{:.8f},{:.2f},{},{}\n", n++, csvText(pointText(plan, p)), p.position.lat_deg,
                           p.position.lon_deg, h.value_m, refText(h.ref),
                           p.amsl_m ? fmt::format("{:.2f}", *p.amsl_m) : "");
    }
    return out;
}

namespace {
std::string heightsNoteOf(const std::vector<Sample>& track) {
    const auto some = [&](auto&& test) { return std::any_of(track.begin(), track.end(), test); };
    if (!some([](const Sample& s) { return !s.amsl_m; })) return "";
    if (some([](const Sample& s) { return !s.amsl_m && s.home_m; }))
        return "The log has no heights above sea level here: heights are those above home, drawn above the ground.";
    return "The log has no heights here: the track is drawn on the ground.";
}
}  // namespace

std::string heightsNote(const FlightLog& log) {
    return heightsNoteOf(trackOf(log));
}

std::string logKml(const FlightLog& log, const std::string& title, const std::string& model) {
    pugi::xml_document doc;
    pugi::xml_node document = kmlDocument(doc, title);
    const auto track = trackOf(log);
    if (const std::string note = heightsNoteOf(track); !note.empty()) child(document, "description", note);
    constexpr const char* kColours[] = {"ff80740b", "ff337a4e", "ff007ab9", "ff6e3a6b", "ff243ab9"};
    std::string line, last_point, mode = "flight";
    std::size_t next_mode = 0, colour = 0, flight = 0;
    const char* heights = kAbsolute;
    const auto flush = [&] {
        if (!line.empty()) lineString(document, mode, kColours[colour++ % std::size(kColours)], heights, line);
        line.clear();
    };
    for (const Sample& s : track) {
        const char* now = s.amsl_m ? kAbsolute : s.home_m ? kOverGround : kOnGround;
        while (next_mode < log.modes.size() && log.modes[next_mode].t_s <= s.t_s) {
            flush();
            line = last_point;  // the lines of two modes meet
            mode = log.modes[next_mode++].name;
        }
        // No line between two flights, and none of two kinds of heights.
        if (s.flight != flight || (now != heights && !last_point.empty())) {
            if (s.flight == flight || line != last_point) flush();
            line.clear();
        }
        flight = s.flight;
        heights = now;
        last_point = coordinate(s.place, s.amsl_m.value_or(s.home_m.value_or(0)));
        line += last_point;
    }
    flush();
    pugi::xml_node folder = addFlight(document, log, model);
    for (const Mark& m : marksOf(log))
        kmlPoint(folder, m.name, log.start_unix_s > 0 ? isoUtcMillis(log.start_unix_s + m.t_s) : "",
                 {m.place.lat_deg, m.place.lon_deg}, m.place.amsl_m);
    return xmlText(doc);
}

std::string logGpx(const FlightLog& log, const std::string& title) {
    pugi::xml_document doc;
    pugi::xml_node gpx = gpxRoot(doc, title);
    const auto timed = [&](pugi::xml_node node, double t, std::optional<double> amsl_m) {
        if (amsl_m) child(node, "ele", fmt::format("{:.2f}", *amsl_m));
        if (log.start_unix_s > 0) child(node, "time", isoUtcMillis(log.start_unix_s + t));
    };
    for (const Mark& m : marksOf(log)) {
        pugi::xml_node point = gpxPoint(gpx, "wpt", {m.place.lat_deg, m.place.lon_deg});
        timed(point, m.t_s, m.place.amsl_m);
        child(point, "name", m.name);
    }
    pugi::xml_node segment;
    std::size_t flight = 0;
    for (const Sample& s : trackOf(log)) {
        if (segment.empty() || s.flight != flight) {
            pugi::xml_node track = gpx.append_child("trk");
            child(track, "name", log.sessions.size() > 1 ? fmt::format("{}, flight {}", title, s.flight + 1) : title);
            segment = track.append_child("trkseg");
            flight = s.flight;
        }
        timed(gpxPoint(segment, "trkpt", s.place), s.t_s, s.amsl_m);
    }
    return xmlText(doc);
}

std::string logCsv(const FlightLog& log) {
    std::string out = "time_s";
    std::vector<const Channel*> columns;
    for (const Channel* c : log.channels())
        if (isCanonical(c->name)) {
            columns.push_back(c);
            out += "," + csvText(c->unit.empty() ? c->name : c->name + " [" + c->unit + "]");
        }
    out += "\n";
    const Channel* clock = log.find("position.lat_deg");
    if (clock == nullptr && !columns.empty()) clock = columns.front();
    const double zero = log.zero();
    for (std::size_t i = 0; clock != nullptr && i < clock->t_s.size(); ++i) {
        out += fmt::format("{:.3f}", clock->t_s[i] - zero);
        for (const Channel* c : columns) {
            const auto v = c->at(clock->t_s[i]);
            out += v ? fmt::format(",{:.10g}", *v) : ",";
        }
        out += "\n";
    }
    return out;
}

std::string logGeoJson(const FlightLog& log, const std::string& title) {
    using Json = nlohmann::ordered_json;
    Json features = Json::array();
    const auto position = [](const Sample& s) {
        Json j = Json::array({s.place.lon_deg, s.place.lat_deg});
        if (s.amsl_m) j.push_back(std::round(*s.amsl_m * 100) / 100);
        return j;
    };
    Json line = Json::array(), times = Json::array();
    std::string mode = "flight";
    std::size_t flight = 0;
    const auto track = trackOf(log);
    const std::string note = heightsNoteOf(track);
    const double zero = log.zero();
    const auto flush = [&] {
        if (line.size() > 1)
            features.push_back({{"type", "Feature"},
                                {"geometry", {{"type", "LineString"}, {"coordinates", line}}},
                                {"properties",
                                 {{"name", mode},
                                  {"log", title},
                                  {"heights", note.empty() ? "above mean sea level" : note},
                                  {"t_s", times}}}});
    };
    std::size_t next = 0;
    for (const Sample& s : track) {
        while (next < log.modes.size() && log.modes[next].t_s <= s.t_s) {
            flush();
            // The lines of two modes meet.
            if (line.size() > 1) {
                line = Json::array({line.back()});
                times = Json::array({times.back()});
            }
            mode = log.modes[next++].name;
        }
        if (s.flight != flight) {  // no line between two flights
            flush();
            line = Json::array();
            times = Json::array();
            flight = s.flight;
        }
        line.push_back(position(s));
        times.push_back(std::round((s.t_s - zero) * 1000) / 1000);
    }
    flush();
    for (const Mark& m : marksOf(log)) {
        Json at = Json::array({m.place.lon_deg, m.place.lat_deg});
        if (m.place.amsl_m) at.push_back(std::round(*m.place.amsl_m * 100) / 100);
        features.push_back({{"type", "Feature"},
                            {"geometry", {{"type", "Point"}, {"coordinates", at}}},
                            {"properties", {{"name", m.name}, {"t_s", m.t_s - zero}}}});
    }
    return Json{{"type", "FeatureCollection"}, {"features", features}}.dump(1, ' ', false,
                                                                            Json::error_handler_t::replace) +
           "\n";
}

Result<std::string> logChannels(const FlightLog& log, const LogTable& table) {
    std::vector<const Channel*> columns;
    std::string out = "time_s";
    std::vector<std::string> names = table.channels;
    if (names.empty())
        for (const ChannelInfo& c : log.list())
            if (isCanonical(c.name)) names.push_back(c.name);
    for (const std::string& name : names) {
        const Channel* c = log.find(name);
        if (c == nullptr) return fail("no channel \"{}\" in this log", name);
        columns.push_back(c);
        out += "," + csvText(c->unit.empty() ? c->name : c->name + " [" + c->unit + "]");
    }
    if (columns.empty()) return fail("this log has no channel to write");
    out += "\n";
    std::vector<double> times;
    if (table.rate_hz > 0) {
        constexpr std::size_t kMostRows = 50'000'000;
        const double from = log.firstTime(), duration = log.duration_s();
        if (duration * table.rate_hz > static_cast<double>(kMostRows))
            return fail("{:.0f} rows a second over {:.0f} s are more than {} rows", table.rate_hz, duration, kMostRows);
        const auto n = static_cast<std::size_t>(duration * table.rate_hz);
        for (std::size_t i = 0; i <= n; ++i) times.push_back(from + static_cast<double>(i) / table.rate_hz);
    } else {
        times = columns.front()->t_s;
    }
    std::vector<std::size_t> next(columns.size(), 0);
    const double zero = log.zero();
    for (const double t : times) {
        out += fmt::format("{:.4f}", t - zero);
        for (std::size_t i = 0; i < columns.size(); ++i) {
            const Channel& c = *columns[i];
            while (next[i] < c.t_s.size() && c.t_s[next[i]] <= t + 1e-9) ++next[i];
            const double v = next[i] > 0 ? c.value[next[i] - 1] : NAN;
            out += std::isfinite(v) ? fmt::format(",{:.10g}", v) : ",";
        }
        out += "\n";
    }
    return out;
}

std::string photoTable(const FlightLog& log) {
    std::string out =
        "photo,utc,time_s,lat_deg,lon_deg,height_amsl_m,height_home_m,yaw_deg,pitch_deg,roll_deg,camera_pitch_deg\n";
    const char* const names[] = {"position.height_home_m", "attitude.yaw_deg", "attitude.pitch_deg",
                                 "attitude.roll_deg", "camera.pitch_deg"};
    int number = 0;
    for (const LogEvent& e : log.events) {
        if (e.kind != "photo") continue;
        out += fmt::format("{},{},{:.3f}", ++number, log.start_unix_s > 0 ? isoUtcMillis(log.start_unix_s + e.t_s) : "",
                           e.t_s - log.zero());
        const auto place = log.placeOf(e);
        out += place ? fmt::format(",{:.8f},{:.8f},", place->lat_deg, place->lon_deg) : ",,,";
        if (place && place->amsl_m && std::isfinite(*place->amsl_m)) out += fmt::format("{:.2f}", *place->amsl_m);
        for (const char* name : names) {
            const Channel* c = log.find(name);
            const auto v = c != nullptr ? c->at(e.t_s) : std::nullopt;
            out += v && std::isfinite(*v) ? fmt::format(",{:.2f}", *v) : ",";
        }
        out += "\n";
    }
    return out;
}

Result<std::string> logExport(const FlightLog& log, const std::string& title, const std::string& file) {
    const std::string to = extensionOf(file);
    if (to == ".kml") return logKml(log, title);
    if (to == ".kmz") return writeKmz(logKml(log, title, kAircraftModel), {{kAircraftModel, aircraftModel()}});
    if (to == ".gpx") return logGpx(log, title);
    if (to == ".geojson") return logGeoJson(log, title);
    if (to == ".csv") return logCsv(log);
    if (to == ".ulg") return writeUlog(log);
    return fail("{}: a log is exported as {}", file, kLogExports);
}

}  // namespace anhinga
