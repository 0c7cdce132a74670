#include "core/exchange/KmlFlight.h"

#include <algorithm>
#include <cmath>
#include <initializer_list>
#include <sstream>
#include <utility>

#include "core/base/Text.h"
#include "core/pattern/Coverage.h"

namespace anhinga {

namespace {

constexpr double kUndatedStart_unix_s = 946684800;  // 2000-01-01

void text(pugi::xml_node parent, const char* name, const std::string& value) {
    parent.append_child(name).text().set(value.c_str());
}

/// One moment of a log with a place and a height.
struct Moment {
    double t_s = 0;
    GeoPoint place;
    double amsl_m = 0;
};

std::vector<Moment> momentsOf(const FlightLog& log, std::size_t most, double least_apart_s) {
    std::vector<Moment> moments;
    const Channel* lat = log.find("position.lat_deg");
    const Channel* lon = log.find("position.lon_deg");
    const Channel* amsl = log.find("position.height_amsl_m");
    if (lat == nullptr || lon == nullptr || amsl == nullptr || lat->t_s.empty()) return moments;
    const double apart = std::max(
        least_apart_s, (lat->t_s.back() - lat->t_s.front()) / static_cast<double>(std::max<std::size_t>(1, most)));
    for (std::size_t i = 0; i < lat->t_s.size(); ++i) {
        const double t = lat->t_s[i];
        if (!moments.empty() && t < moments.back().t_s + apart - 1e-6 && i + 1 < lat->t_s.size()) continue;
        const auto east = lon->at(t), high = amsl->at(t);
        if (!east || !high || !isValid({lat->value[i], *east})) continue;
        moments.push_back({t, {lat->value[i], *east}, *high});
    }
    return moments;
}

double valueAt(const FlightLog& log, const char* name, double t, double otherwise) {
    const Channel* c = log.find(name);
    return c != nullptr ? c->at(t).value_or(otherwise) : otherwise;
}

}  // namespace

std::string aircraftModel() {
    // A dart: nose, wing tips, tail notch, and a keel below and a ridge above them. x east, y north, z up, metres.
    constexpr double kCorners[][3] = {{0, 4, 0}, {3, -3, 0}, {0, -1.5, 0.3}, {-3, -3, 0}, {0, -1.5, -0.5}};
    constexpr int kFaces[][3] = {{0, 2, 1}, {0, 3, 2}, {0, 1, 4}, {0, 4, 3}, {1, 2, 4}, {2, 3, 4}};
    std::string places, faces;
    for (const auto& c : kCorners) places += fmt::format("{:g} {:g} {:g} ", c[0], c[1], c[2]);
    for (const auto& f : kFaces) faces += fmt::format("{} {} {} ", f[0], f[1], f[2]);
    pugi::xml_document doc;
    pugi::xml_node root = doc.append_child("COLLADA");
    root.append_attribute("xmlns") = "http://www.collada.org/2005/11/COLLADASchema";
    root.append_attribute("version") = "1.4.1";
    const auto with = [](pugi::xml_node parent, const char* name,
                         std::initializer_list<std::pair<const char*, std::string>> attributes) {
        pugi::xml_node node = parent.append_child(name);
        for (const auto& [key, value] : attributes) node.append_attribute(key) = value.c_str();
        return node;
    };
    pugi::xml_node asset = root.append_child("asset");
    text(asset, "created", "2026-01-01T00:00:00Z");
    text(asset, "modified", "2026-01-01T00:00:00Z");
    with(asset, "unit", {{"name", "meter"}, {"meter", "1"}});
    text(asset, "up_axis", "Z_UP");
    pugi::xml_node effect = with(root.append_child("library_effects"), "effect", {{"id", "paint-effect"}});
    pugi::xml_node lambert =
        with(effect.append_child("profile_COMMON"), "technique", {{"sid", "common"}}).append_child("lambert");
    text(lambert.append_child("diffuse"), "color", "0.85 0.25 0.1 1");
    pugi::xml_node material = with(root.append_child("library_materials"), "material", {{"id", "paint"}});
    with(material, "instance_effect", {{"url", "#paint-effect"}});
    pugi::xml_node geometry = with(root.append_child("library_geometries"), "geometry", {{"id", "dart"}});
    pugi::xml_node mesh = geometry.append_child("mesh");
    pugi::xml_node source = with(mesh, "source", {{"id", "places"}});
    const std::size_t corners = std::size(kCorners);
    pugi::xml_node array = with(source, "float_array", {{"id", "numbers"}, {"count", std::to_string(3 * corners)}});
    array.text().set(places.c_str());
    pugi::xml_node accessor = with(source.append_child("technique_common"), "accessor",
                                   {{"source", "#numbers"}, {"count", std::to_string(corners)}, {"stride", "3"}});
    for (const char* axis : {"X", "Y", "Z"}) with(accessor, "param", {{"name", axis}, {"type", "float"}});
    with(with(mesh, "vertices", {{"id", "corners"}}), "input", {{"semantic", "POSITION"}, {"source", "#places"}});
    pugi::xml_node triangles =
        with(mesh, "triangles", {{"count", std::to_string(std::size(kFaces))}, {"material", "paint"}});
    with(triangles, "input", {{"semantic", "VERTEX"}, {"source", "#corners"}, {"offset", "0"}});
    text(triangles, "p", faces);
    pugi::xml_node scene = with(root.append_child("library_visual_scenes"), "visual_scene", {{"id", "scene"}});
    pugi::xml_node instance = with(scene.append_child("node"), "instance_geometry", {{"url", "#dart"}});
    with(instance.append_child("bind_material").append_child("technique_common"), "instance_material",
         {{"symbol", "paint"}, {"target", "#paint"}});
    with(root.append_child("scene"), "instance_visual_scene", {{"url", "#scene"}});
    std::ostringstream out;
    doc.save(out, " ", pugi::format_default, pugi::encoding_utf8);
    return out.str();
}

void addKmlTrack(pugi::xml_node folder, const FlightLog& log, const std::string& model, std::size_t most) {
    const auto moments = momentsOf(log, most, 0);
    if (moments.size() < 2) return;
    pugi::xml_node mark = folder.append_child("Placemark");
    text(mark, "name", "Flight, animated");
    pugi::xml_node style = mark.append_child("Style").append_child("LineStyle");
    text(style, "color", "ff337a4e");
    text(style, "width", "3");
    pugi::xml_node track = mark.append_child("Track");
    text(track, "altitudeMode", "absolute");
    const double start = log.start_unix_s > 0 ? log.start_unix_s : kUndatedStart_unix_s;
    // All times, then all places, then all angles: the order the standard asks for.
    for (const Moment& m : moments) text(track, "when", isoUtcMillis(start + m.t_s));
    for (const Moment& m : moments)
        text(track, "coord", fmt::format("{:.8f} {:.8f} {:.2f}", m.place.lon_deg, m.place.lat_deg, m.amsl_m));
    for (const Moment& m : moments)
        text(track, "angles",
             fmt::format("{:.1f} {:.1f} {:.1f}", valueAt(log, "attitude.yaw_deg", m.t_s, 0),
                         valueAt(log, "attitude.pitch_deg", m.t_s, 0), valueAt(log, "attitude.roll_deg", m.t_s, 0)));
    if (model.empty()) return;
    pugi::xml_node flies = track.append_child("Model");
    text(flies, "altitudeMode", "absolute");
    text(flies.append_child("Link"), "href", model);
}

void addKmlTour(pugi::xml_node folder, const FlightLog& log, std::size_t most) {
    constexpr double kApart_s = 1;
    const auto moments = momentsOf(log, most, kApart_s);
    if (moments.size() < 2) return;
    pugi::xml_node tour = folder.append_child("Tour");
    text(tour, "name", "Fly-through, as the camera sees it");
    pugi::xml_node list = tour.append_child("Playlist");
    double before = moments.front().t_s;
    for (const Moment& m : moments) {
        pugi::xml_node fly = list.append_child("FlyTo");
        text(fly, "duration", fmt::format("{:.2f}", m.t_s - before));
        text(fly, "flyToMode", "smooth");
        pugi::xml_node camera = fly.append_child("Camera");
        text(camera, "longitude", fmt::format("{:.8f}", m.place.lon_deg));
        text(camera, "latitude", fmt::format("{:.8f}", m.place.lat_deg));
        text(camera, "altitude", fmt::format("{:.2f}", m.amsl_m));
        text(camera, "heading", fmt::format("{:.1f}", valueAt(log, "attitude.yaw_deg", m.t_s, 0)));
        // A tilt of 0 looks straight down, of 90 level.
        text(camera, "tilt",
             fmt::format("{:.1f}", std::clamp(90 + valueAt(log, "camera.pitch_deg", m.t_s, -30), 0.0, 180.0)));
        text(camera, "roll", "0");
        text(camera, "altitudeMode", "absolute");
        before = m.t_s;
    }
}

void addKmlFootprints(pugi::xml_node document, const Plan& plan, const Route& route, const Terrain* terrain,
                      double home_amsl_m) {
    if (route.photos == 0) return;
    pugi::xml_node folder = document.append_child("Folder");
    folder.append_attribute("id") = kFootprintFolder;
    text(folder, "name", "Photo footprints");
    text(folder, "visibility", "0");
    pugi::xml_node style = document.prepend_child("Style");
    style.append_attribute("id") = "footprint";
    pugi::xml_node line = style.append_child("LineStyle");
    text(line, "color", "c0007ab9");
    text(line, "width", "1");
    text(style.append_child("PolyStyle"), "fill", "0");
    for (const OpenedPattern& pattern : route.patterns) {
        int n = 0;
        for (const PlannedPhoto& photo : pattern.flight->photos) {
            ++n;
            if (!photo.amsl_m) continue;
            const auto ring = photoOnGround(photo, plan.camera, terrain, home_amsl_m);
            if (ring.size() < 3) continue;
            pugi::xml_node mark = folder.append_child("Placemark");
            text(mark, "name", fmt::format("{}, photo {}", itemText(plan, pattern.item.id), n));
            text(mark, "visibility", "0");
            text(mark, "styleUrl", "#footprint");
            std::string corners;
            for (std::size_t i = 0; i <= ring.size(); ++i)
                corners += fmt::format("{:.7f},{:.7f} ", ring[i % ring.size()].lon_deg, ring[i % ring.size()].lat_deg);
            text(mark.append_child("Polygon").append_child("outerBoundaryIs").append_child("LinearRing"), "coordinates",
                 corners);
        }
    }
}

}  // namespace anhinga
