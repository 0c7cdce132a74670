// KML 2.2 and GPX 1.1 into shapes.
#include <cmath>
#include <cstring>
#include <pugixml.hpp>

#include "core/base/Numbers.h"
#include "core/base/Text.h"
#include "core/exchange/Import.h"
#include "core/exchange/KmlFlight.h"

namespace anhinga {

namespace {

constexpr std::size_t kMaxPoints = 200000;
constexpr int kMaxDepth = 200;

const char* localName(pugi::xml_node node) {
    const char* name = node.name();
    const char* colon = std::strchr(name, ':');
    return colon != nullptr ? colon + 1 : name;
}
bool is(pugi::xml_node node, const char* name) {
    return std::strcmp(localName(node), name) == 0;
}
pugi::xml_node childNamed(pugi::xml_node parent, const char* name) {
    for (pugi::xml_node c : parent.children())
        if (is(c, name)) return c;
    return {};
}
std::optional<double> numberIn(pugi::xml_node parent, const char* name) {
    const pugi::xml_node node = childNamed(parent, name);
    return node ? parseNumber(node.text().get()) : std::nullopt;
}

Result<void> parse(pugi::xml_document& doc, const std::string& text, const std::string& name) {
    const auto ok = doc.load_buffer(text.data(), text.size(), pugi::parse_default | pugi::parse_declaration);
    if (ok) return {};
    const auto at = std::min(static_cast<std::size_t>(std::max<std::ptrdiff_t>(0, ok.offset)), text.size());
    const auto line = 1 + std::count(text.begin(), text.begin() + static_cast<std::ptrdiff_t>(at), '\n');
    return fail("{}: line {}: {}", name, line, ok.description());
}

class KmlReader {
  public:
    KmlReader(ImportedFile& file, const std::string& name) : file_(file), name_(name) {}
    Result<void> walk(pugi::xml_node node, int depth) {
        if (depth > kMaxDepth) return fail("{}: nested more than {} deep", name_, kMaxDepth);
        for (pugi::xml_node c : node.children()) {
            if (is(c, "Placemark")) {
                if (auto ok = placemark(c); !ok) return ok;
            } else if (const std::string id = c.attribute("id").value();
                       is(c, "Folder") && (id == kFootprintFolder || id == kFlightFolder)) {
                continue;  // what a plan exported from here shows of its photos and its flight is not the plan
            } else if (is(c, "Tour")) {
                note("Tour left out");
            } else if (is(c, "NetworkLink") || is(c, "GroundOverlay") || is(c, "Model")) {
                note(std::string(localName(c)) + " left out");
            } else if (auto ok = walk(c, depth + 1); !ok) {
                return ok;
            }
        }
        return {};
    }

  private:
    void note(const std::string& text) {
        if (file_.notes.size() < 50) file_.notes.push_back(text);
    }

    Result<void> placemark(pugi::xml_node mark) {
        ImportedShape base;
        base.name = childNamed(mark, "name").text().get();
        base.notes = childNamed(mark, "description").text().get();
        bool any = false;
        for (pugi::xml_node c : mark.children())
            if (auto ok = geometry(c, base, any, 0); !ok) return ok;
        if (any) return {};
        // A placemark without geometry but with a view is a place to look from.
        for (const char* view : {"Camera", "LookAt"})
            if (const pugi::xml_node v = childNamed(mark, view)) return viewOf(v, base);
        note("placemark \"" + base.name + "\" has no place: left out");
        return {};
    }

    static HeightRef refOf(pugi::xml_node node, bool& clamped) {
        const std::string mode = childNamed(node, "altitudeMode").text().get();
        clamped = mode.empty() || mode == "clampToGround" || mode == "clampToSeaFloor";
        return mode == "absolute" ? HeightRef::amsl : HeightRef::ground;
    }

    Result<void> geometry(pugi::xml_node node, const ImportedShape& base, bool& any, int depth) {
        if (depth > kMaxDepth) return fail("{}: nested more than {} deep", name_, kMaxDepth);
        if (is(node, "MultiGeometry")) {
            for (pugi::xml_node c : node.children())
                if (auto ok = geometry(c, base, any, depth + 1); !ok) return ok;
            return {};
        }
        ImportedShape shape = base;
        pugi::xml_node coordinates;
        if (is(node, "Point")) {
            coordinates = childNamed(node, "coordinates");
        } else if (is(node, "LineString") || is(node, "LinearRing")) {
            shape.kind = is(node, "LinearRing") ? ShapeKind::area : ShapeKind::line;
            coordinates = childNamed(node, "coordinates");
        } else if (is(node, "Polygon")) {
            shape.kind = ShapeKind::area;
            coordinates = childNamed(childNamed(childNamed(node, "outerBoundaryIs"), "LinearRing"), "coordinates");
            for (pugi::xml_node c : node.children()) {
                if (!is(c, "innerBoundaryIs")) continue;
                ImportedShape hole;
                if (auto ok =
                        points(childNamed(childNamed(c, "LinearRing"), "coordinates").text().get(), std::nullopt, hole);
                    !ok)
                    return ok;
                if (hole.points.size() > 1 && hole.points.front() == hole.points.back()) hole.points.pop_back();
                if (hole.points.size() > 2) shape.holes.push_back(std::move(hole.points));
            }
            if (!shape.holes.empty()) note("holes of \"" + base.name + "\" hold for a Block alone");
        } else if (is(node, "Track")) {
            return track(node, shape, any);
        } else {
            return {};
        }
        bool clamped = false;
        const HeightRef ref = refOf(node, clamped);
        if (auto ok = points(coordinates.text().get(), clamped ? std::nullopt : std::optional(ref), shape); !ok)
            return ok;
        // In a point with a view the view says where to look, from the point itself.
        if (shape.kind == ShapeKind::point)
            if (const pugi::xml_node camera = childNamed(node.parent(), "Camera")) takeAngles(camera, shape);
        return finish(std::move(shape), any);
    }

    Result<void> track(pugi::xml_node node, ImportedShape shape, bool& any) {
        shape.kind = ShapeKind::line;
        bool clamped = false;
        const HeightRef ref = refOf(node, clamped);
        for (pugi::xml_node c : node.children()) {
            if (!is(c, "coord")) continue;
            std::string text = c.text().get();
            std::replace(text.begin(), text.end(), ' ', ',');
            if (auto ok = points(text.c_str(), clamped ? std::nullopt : std::optional(ref), shape); !ok) return ok;
        }
        return finish(std::move(shape), any);
    }

    Result<void> points(const char* text, std::optional<HeightRef> ref, ImportedShape& shape) {
        std::string_view rest = text;
        const auto spaced = [&] { return rest.empty() || std::isspace(static_cast<unsigned char>(rest.front())); };
        while (true) {
            while (!rest.empty() && spaced()) rest.remove_prefix(1);
            if (rest.empty()) return {};
            double v[3] = {0, 0, 0};
            int n = 0;
            while (n < 3) {
                const auto number = takeNumber(rest);
                if (!number) break;
                v[n++] = *number;
                if (!rest.starts_with(',')) break;
                rest.remove_prefix(1);
            }
            const GeoPoint place{v[1], n >= 2 ? v[0] : 999};
            if (n < 2 || !isValid(place) || !spaced())
                return fail("{}: \"{}\": \"{}\" is not a coordinate (expected longitude,latitude[,height])", name_,
                            shape.name, std::string(rest.substr(0, 30)));
            if (!(std::abs(v[2]) < 20000))
                return fail("{}: \"{}\": height {} m is not usable", name_, shape.name, v[2]);
            if (++count_ > kMaxPoints) return fail("{}: more than {} points", name_, kMaxPoints);
            shape.points.push_back(place);
            shape.heights.push_back(ref && n == 3 ? std::optional(Height{v[2], *ref}) : std::nullopt);
        }
    }

    Result<void> finish(ImportedShape shape, bool& any) {
        if (shape.kind == ShapeKind::area && shape.points.size() > 1 && shape.points.front() == shape.points.back()) {
            shape.points.pop_back();
            shape.heights.pop_back();
        }
        const std::size_t least = shape.kind == ShapeKind::area ? 3 : shape.kind == ShapeKind::line ? 2 : 1;
        if (shape.points.size() < least) {
            note(fmt::format("{} \"{}\" has too few points: left out", shapeKindText(shape.kind), shape.name));
            return {};
        }
        any = true;
        file_.shapes.push_back(std::move(shape));
        return {};
    }

    static void takeAngles(pugi::xml_node view, ImportedShape& shape) {
        // KML tilt: 0 looks straight down, 90 at the horizon.
        if (const auto h = numberIn(view, "heading")) shape.heading_deg = *h < 0 ? *h + 360 : *h;
        if (const auto t = numberIn(view, "tilt")) shape.pitch_deg = std::clamp(*t - 90, -90.0, 90.0);
    }

    Result<void> viewOf(pugi::xml_node view, ImportedShape shape) {
        const auto lat = numberIn(view, "latitude"), lon = numberIn(view, "longitude");
        const GeoPoint place{lat.value_or(999), lon.value_or(999)};
        if (!isValid(place)) return fail("{}: the view of \"{}\" has no place", name_, shape.name);
        shape.kind = ShapeKind::view;
        takeAngles(view, shape);
        bool clamped = false;
        const HeightRef ref = refOf(view, clamped);
        const double altitude = numberIn(view, "altitude").value_or(0);
        if (is(view, "Camera")) {
            shape.points = {place};
            shape.heights = {clamped ? std::nullopt : std::optional(Height{altitude, ref})};
        } else {
            // A LookAt gives the place looked at, and how far away the eye is: step back against the view.
            const double range = numberIn(view, "range").value_or(0), tilt = numberIn(view, "tilt").value_or(0);
            const double back = range * std::sin(tilt * M_PI / 180), up = range * std::cos(tilt * M_PI / 180);
            shape.points = {destination(place, shape.heading_deg.value_or(0) + 180, std::abs(back))};
            shape.heights = {Height{(clamped ? 0 : altitude) + up, clamped ? HeightRef::ground : ref}};
            shape.pitch_deg = std::clamp(tilt - 90, -90.0, 90.0);
        }
        if (++count_ > kMaxPoints) return fail("{}: more than {} points", name_, kMaxPoints);
        file_.shapes.push_back(std::move(shape));
        return {};
    }

    ImportedFile& file_;
    const std::string& name_;
    std::size_t count_ = 0;
};

}  // namespace

Result<ImportedFile> readKml(const std::string& text, const std::string& name) {
    pugi::xml_document doc;
    if (auto ok = parse(doc, text, name); !ok) return tl::unexpected(ok.error());
    ImportedFile file{"KML", {}, {}};
    if (auto ok = KmlReader(file, name).walk(doc, 0); !ok) return tl::unexpected(ok.error());
    if (file.shapes.empty()) return fail("{}: no places in this KML file", name);
    return file;
}

Result<ImportedFile> readGpx(const std::string& text, const std::string& name) {
    pugi::xml_document doc;
    if (auto ok = parse(doc, text, name); !ok) return tl::unexpected(ok.error());
    ImportedFile file{"GPX", {}, {}};
    std::size_t count = 0;
    const auto take = [&](pugi::xml_node p, ImportedShape& shape) -> Result<void> {
        const auto lat = parseNumber(p.attribute("lat").as_string()), lon = parseNumber(p.attribute("lon").as_string());
        const GeoPoint place{lat.value_or(999), lon.value_or(999)};
        if (!isValid(place))
            return fail("{}: {} {} has no latitude and longitude", name, localName(p), shape.points.size() + 1);
        if (++count > kMaxPoints) return fail("{}: more than {} points", name, kMaxPoints);
        const auto ele = numberIn(p, "ele");
        shape.points.push_back(place);
        shape.heights.push_back(ele && std::abs(*ele) < 20000 ? std::optional(Height::amsl(*ele)) : std::nullopt);
        return {};
    };
    const pugi::xml_node gpx = childNamed(doc, "gpx");
    for (pugi::xml_node c : gpx.children()) {
        const std::string title = childNamed(c, "name").text().get();
        if (is(c, "wpt")) {
            ImportedShape s{ShapeKind::point, title, childNamed(c, "desc").text().get(), {}, {}, {}, {}};
            if (auto ok = take(c, s); !ok) return tl::unexpected(ok.error());
            file.shapes.push_back(std::move(s));
        } else if (is(c, "rte") || is(c, "trk")) {
            ImportedShape s{ShapeKind::line, title, "", {}, {}, {}, {}};
            for (pugi::xml_node p : c.children()) {
                if (is(p, "rtept")) {
                    if (auto ok = take(p, s); !ok) return tl::unexpected(ok.error());
                } else if (is(p, "trkseg")) {
                    for (pugi::xml_node q : p.children())
                        if (is(q, "trkpt"))
                            if (auto ok = take(q, s); !ok) return tl::unexpected(ok.error());
                }
            }
            if (s.points.size() == 1) s.kind = ShapeKind::point;
            if (!s.points.empty()) file.shapes.push_back(std::move(s));
        }
    }
    if (file.shapes.empty()) return fail("{}: no places in this GPX file", name);
    return file;
}

}  // namespace anhinga
