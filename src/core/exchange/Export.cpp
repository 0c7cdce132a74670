#include "core/exchange/Export.h"

#include <pugixml.hpp>
#include <sstream>

#include "core/base/Text.h"

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
    kml.append_attribute("xmlns") = "http://www.opengis.net/kml/2.2";
    pugi::xml_node document = kml.append_child("Document");
    child(document, "name", title);
    return document;
}

void lineString(pugi::xml_node parent, const std::string& name, const std::string& colour, bool absolute,
                const std::string& coordinates) {
    pugi::xml_node mark = parent.append_child("Placemark");
    child(mark, "name", name);
    pugi::xml_node line_style = mark.append_child("Style").append_child("LineStyle");
    child(line_style, "color", colour);
    child(line_style, "width", "3");
    pugi::xml_node line = mark.append_child("LineString");
    child(line, "altitudeMode", absolute ? "absolute" : "clampToGround");
    child(line, "coordinates", coordinates);
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
    std::optional<double> amsl_m;
};
std::vector<Sample> trackOf(const FlightLog& log) {
    std::vector<Sample> track;
    const Channel* lat = log.find("position.lat_deg");
    const Channel* lon = log.find("position.lon_deg");
    const Channel* amsl = log.find("position.height_amsl_m");
    if (lat == nullptr || lon == nullptr) return track;
    for (std::size_t i = 0; i < lat->t_s.size(); ++i) {
        const auto l = lon->at(lat->t_s[i]);
        if (!l || !isValid({lat->value[i], *l})) continue;
        track.push_back({lat->t_s[i], {lat->value[i], *l}, amsl != nullptr ? amsl->at(lat->t_s[i]) : std::nullopt});
    }
    return track;
}

}  // namespace

std::string extensionOf(const std::string& path) {
    const auto dot = path.rfind('.');
    if (dot == std::string::npos || path.find('/', dot) != std::string::npos) return "";
    std::string out = path.substr(dot);
    for (char& c : out) c = static_cast<char>(std::tolower(static_cast<unsigned char>(c)));
    return out;
}

std::string planKml(const Plan& plan, const Path& path) {
    pugi::xml_document doc;
    pugi::xml_node document = kmlDocument(doc, plan.title);
    std::string line;
    bool all_known = true;
    for (const PathPoint& p : path.points) {
        all_known &= p.amsl_m.has_value();
        line += coordinate(p.position, p.amsl_m.value_or(0));
    }
    lineString(document, all_known ? "Route" : "Route (some heights unknown, drawn on the ground)", "ff80740b",
               all_known, line);
    for (const Item& item : plan.items) {
        if (!hasPosition(item.kind)) continue;
        pugi::xml_node mark = document.append_child("Placemark");
        child(mark, "name", itemText(plan, item.id));
        child(mark, "description", heightText(effectiveHeight(plan, item)));
        pugi::xml_node at = mark.append_child("Point");
        for (const PathPoint& p : path.points)
            if (p.source == item.id && p.amsl_m) {
                child(at, "altitudeMode", "absolute");
                child(at, "coordinates", coordinate(item.position, *p.amsl_m));
                break;
            }
        if (!at.child("coordinates")) child(at, "coordinates", coordinate(item.position, 0));
    }
    for (const Fence& fence : plan.fences) {
        std::string ring;
        for (std::size_t i = 0; i <= fence.outline.size(); ++i)
            ring += coordinate(fence.outline[i % fence.outline.size()], 0);
        lineString(document, (fence.kind == FenceKind::keepIn ? "Keep in " : "Keep out ") + fence.name, "ff6e3a6b",
                   false, ring);
    }
    return xmlText(doc);
}

std::string planGpx(const Plan& plan, const Path& path) {
    pugi::xml_document doc;
    pugi::xml_node gpx = gpxRoot(doc, plan.title);
    pugi::xml_node route = gpx.append_child("rte");
    child(route, "name", plan.title);
    for (const PathPoint& p : path.points) {
        pugi::xml_node point = gpxPoint(route, "rtept", p.position);
        if (p.amsl_m) child(point, "ele", fmt::format("{:.2f}", *p.amsl_m));
        child(point, "name", itemText(plan, p.source));
    }
    return xmlText(doc);
}

std::string planCsv(const Plan& plan, const Path& path) {
    std::string out = "number,name,latitude_deg,longitude_deg,height_m,height_reference,height_amsl_m\n";
    int n = 0;
    for (const PathPoint& p : path.points) {
        const Item* item = plan.find(p.source);
        const Height h = item != nullptr ? effectiveHeight(plan, *item) : Height{};
        out += fmt::format("{},{},{:.8f},{:.8f},{:.2f},{},{}\n", n++, csvText(itemText(plan, p.source)),
                           p.position.lat_deg, p.position.lon_deg, h.value_m, refText(h.ref),
                           p.amsl_m ? fmt::format("{:.2f}", *p.amsl_m) : "");
    }
    return out;
}

std::string logKml(const FlightLog& log, const std::string& title) {
    pugi::xml_document doc;
    pugi::xml_node document = kmlDocument(doc, title);
    constexpr const char* kColours[] = {"ff80740b", "ff337a4e", "ff007ab9", "ff6e3a6b", "ff243ab9"};
    std::string line, last_point, mode = "flight";
    std::size_t next_mode = 0, colour = 0;
    bool heights = true;
    const auto flush = [&] {
        if (!line.empty()) lineString(document, mode, kColours[colour++ % std::size(kColours)], heights, line);
        line.clear();
    };
    for (const Sample& s : trackOf(log)) {
        while (next_mode < log.modes.size() && log.modes[next_mode].t_s <= s.t_s) {
            flush();
            line = last_point;  // the lines of two modes meet
            mode = log.modes[next_mode++].name;
        }
        heights = s.amsl_m.has_value();
        last_point = coordinate(s.place, s.amsl_m.value_or(0));
        line += last_point;
    }
    flush();
    return xmlText(doc);
}

std::string logGpx(const FlightLog& log, const std::string& title) {
    pugi::xml_document doc;
    pugi::xml_node gpx = gpxRoot(doc, title);
    pugi::xml_node segment = gpx.append_child("trk").append_child("trkseg");
    for (const Sample& s : trackOf(log)) {
        pugi::xml_node point = gpxPoint(segment, "trkpt", s.place);
        if (s.amsl_m) child(point, "ele", fmt::format("{:.2f}", *s.amsl_m));
        if (log.start_unix_s > 0) child(point, "time", isoUtc(log.start_unix_s + s.t_s));
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
    for (std::size_t i = 0; clock != nullptr && i < clock->t_s.size(); ++i) {
        out += fmt::format("{:.3f}", clock->t_s[i]);
        for (const Channel* c : columns) {
            const auto v = c->at(clock->t_s[i]);
            out += v ? fmt::format(",{:.9g}", *v) : ",";
        }
        out += "\n";
    }
    return out;
}

}  // namespace anhinga
