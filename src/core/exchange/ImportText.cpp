// GeoJSON (RFC 7946) and CSV into shapes.
#include <algorithm>
#include <nlohmann/json.hpp>

#include "core/base/Json.h"
#include "core/base/Text.h"
#include "core/exchange/Import.h"

namespace anhinga {

namespace {

using Json = nlohmann::json;
constexpr std::size_t kMaxPoints = 200000;

class GeoJsonReader {
  public:
    GeoJsonReader(ImportedFile& file, const std::string& name) : file_(file), name_(name) {}

    Result<void> object(const Json& j, int depth) {
        if (depth > 50) return fail("{}: nested more than 50 deep", name_);
        if (!j.is_object()) return fail("{}: feature {}: not an object", name_, feature_);
        const std::string type = j.value("type", Json()).is_string() ? j["type"].get<std::string>() : "";
        if (type == "FeatureCollection" || type == "GeometryCollection") {
            const Json list = j.value(type == "FeatureCollection" ? "features" : "geometries", Json::array());
            if (!list.is_array()) return fail("{}: {} without a list", name_, type);
            for (const Json& each : list)
                if (auto ok = object(each, depth + 1); !ok) return ok;
            return {};
        }
        if (type == "Feature") {
            ++feature_;
            title_.clear();
            notes_.clear();
            const Json properties = j.value("properties", Json::object());
            if (properties.is_object()) {
                for (const char* key : {"title", "name"})
                    if (properties.contains(key) && properties[key].is_string()) title_ = properties[key];
                if (properties.contains("description") && properties["description"].is_string())
                    notes_ = properties["description"];
            }
            const Json geometry = j.value("geometry", Json());
            return geometry.is_null() ? Result<void>() : object(geometry, depth + 1);
        }
        return geometry(type, j.value("coordinates", Json()));
    }

  private:
    Result<void> geometry(const std::string& type, const Json& c) {
        if (type == "Point") return shape(ShapeKind::point, Json::array({c}));
        if (type == "LineString") return shape(ShapeKind::line, c);
        if (type == "Polygon") {
            if (!c.is_array() || c.empty()) return fail("{}: feature {}: a polygon without a ring", name_, feature_);
            if (auto ok = shape(ShapeKind::area, c[0]); !ok) return ok;
            for (std::size_t i = 1; i < c.size(); ++i) {
                if (auto ok = shape(ShapeKind::area, c[i]); !ok) return ok;
                auto hole = std::move(file_.shapes.back().points);
                file_.shapes.pop_back();
                if (hole.size() > 2) file_.shapes.back().holes.push_back(std::move(hole));
            }
            if (c.size() > 1)
                file_.notes.push_back(fmt::format("holes of feature {} hold for a Block alone", feature_));
            return {};
        }
        if (type.starts_with("Multi")) {
            if (!c.is_array()) return fail("{}: feature {}: coordinates must be a list", name_, feature_);
            for (const Json& part : c)
                if (auto ok = geometry(type.substr(5), part); !ok) return ok;
            return {};
        }
        return fail("{}: feature {}: \"{}\" is not a geometry of RFC 7946", name_, feature_, type.substr(0, 40));
    }

    Result<void> shape(ShapeKind kind, const Json& list) {
        if (!list.is_array()) return fail("{}: feature {}: coordinates must be a list", name_, feature_);
        ImportedShape s;
        s.kind = kind;
        s.name = title_;
        s.notes = notes_;
        for (const Json& p : list) {
            if (!p.is_array() || p.size() < 2 || !p[0].is_number() || !p[1].is_number())
                return fail("{}: feature {}: a position must be [longitude, latitude]", name_, feature_);
            const GeoPoint place{p[1].get<double>(), p[0].get<double>()};
            if (!isValid(place))
                return fail("{}: feature {}: [{}, {}] is not on the earth", name_, feature_, place.lon_deg,
                            place.lat_deg);
            if (++count_ > kMaxPoints) return fail("{}: more than {} points", name_, kMaxPoints);
            s.points.push_back(place);
            const bool high = p.size() > 2 && p[2].is_number() && std::abs(p[2].get<double>()) < 20000;
            s.heights.push_back(high ? std::optional(Height::amsl(p[2].get<double>())) : std::nullopt);
            if (high && !said_) {
                said_ = true;
                file_.notes.push_back("heights are taken as above mean sea level");
            }
        }
        if (kind == ShapeKind::area && s.points.size() > 1 && s.points.front() == s.points.back()) {
            s.points.pop_back();
            s.heights.pop_back();
        }
        const std::size_t least = kind == ShapeKind::area ? 3 : kind == ShapeKind::line ? 2 : 1;
        if (s.points.size() < least)
            return fail("{}: feature {}: a {} of {} points", name_, feature_, shapeKindText(kind), s.points.size());
        file_.shapes.push_back(std::move(s));
        return {};
    }

    ImportedFile& file_;
    const std::string& name_;
    std::string title_, notes_;
    std::size_t feature_ = 0, count_ = 0;
    bool said_ = false;
};

std::vector<std::string> csvRow(const std::string& text, std::size_t& at, char separator) {
    std::vector<std::string> row{""};
    bool quoted = false;
    for (; at < text.size(); ++at) {
        const char c = text[at];
        if (quoted) {
            if (c == '"' && at + 1 < text.size() && text[at + 1] == '"')
                row.back() += text[++at];
            else if (c == '"')
                quoted = false;
            else
                row.back() += c;
        } else if (c == '"') {
            quoted = true;
        } else if (c == separator) {
            row.emplace_back();
        } else if (c == '\n') {
            ++at;
            break;
        } else if (c != '\r') {
            row.back() += c;
        }
    }
    return row;
}

std::string plainHeader(const std::string& text) {
    std::string out;
    for (const char c : text)
        if (std::isalpha(static_cast<unsigned char>(c)))
            out += static_cast<char>(std::tolower(static_cast<unsigned char>(c)));
    return out;
}

}  // namespace

Result<ImportedFile> readGeoJson(const std::string& text, const std::string& name) {
    if (nestsDeeper(text)) return fail("{}: lists and objects more than {} deep within each other", name, kDeepestJson);
    try {
        const Json root = Json::parse(text);
        ImportedFile file{"GeoJSON", {}, {}};
        if (auto ok = GeoJsonReader(file, name).object(root, 0); !ok) return tl::unexpected(ok.error());
        if (file.shapes.empty()) return fail("{}: no places in this GeoJSON file", name);
        return file;
    } catch (const Json::parse_error& e) {
        const std::size_t at = std::min(e.byte == 0 ? 0 : e.byte - 1, text.size());
        const auto line = 1 + std::count(text.begin(), text.begin() + static_cast<std::ptrdiff_t>(at), '\n');
        return fail("{}: line {}: not valid JSON here", name, line);
    } catch (const std::exception& e) {
        return fail("{}: not GeoJSON this program can read ({})", name, e.what());
    }
}

Result<ImportedFile> readCsv(const std::string& text, const std::string& name) {
    const std::string first = text.substr(0, text.find('\n'));
    char separator = ',';
    for (const char c : {';', '\t'})
        if (std::count(first.begin(), first.end(), c) > std::count(first.begin(), first.end(), separator))
            separator = c;
    std::size_t at = text.starts_with("\xEF\xBB\xBF") ? 3 : 0;
    const auto header = csvRow(text, at, separator);
    const auto column = [&](std::initializer_list<const char*> names) -> int {
        for (const char* wanted : names)
            for (std::size_t i = 0; i < header.size(); ++i)
                if (plainHeader(header[i]) == wanted) return static_cast<int>(i);
        return -1;
    };
    const int lat = column({"latdeg", "latitude", "lat", "latitudedeg", "y"});
    const int lon = column({"londeg", "longitude", "lon", "lng", "long", "longitudedeg", "x"});
    const int amsl = column({"amslm", "heightamslm", "altitudeamslm", "elevation", "elevationm", "ele", "amsl"});
    const int height = column({"heightm", "height", "altitude", "altitudem", "alt", "altm"});
    const int ref = column({"ref", "heightref", "reference"});
    const int title = column({"name", "title", "item"});
    const int heading = column({"headingdeg", "heading", "yaw", "yawdeg"});
    const int pitch = column({"gimbalpitchdeg", "gimbalpitch", "pitch", "pitchdeg", "camerapitch"});
    if (lat < 0 || lon < 0)
        return fail("{}: line 1: no columns for latitude and longitude (found: {})", name, first.substr(0, 120));
    ImportedFile file{"CSV", {}, {}};
    std::size_t line = 1;
    while (at < text.size()) {
        ++line;
        const auto row = csvRow(text, at, separator);
        if (row.size() == 1 && row[0].empty()) continue;
        const auto cell = [&](int i) {
            return i >= 0 && static_cast<std::size_t>(i) < row.size() ? row[static_cast<std::size_t>(i)]
                                                                      : std::string();
        };
        const auto la = parseNumber(cell(lat)), lo = parseNumber(cell(lon));
        const GeoPoint place{la.value_or(999), lo.value_or(999)};
        if (!isValid(place))
            return fail("{}: line {}: \"{}\", \"{}\" is not a latitude and longitude", name, line,
                        cell(lat).substr(0, 20), cell(lon).substr(0, 20));
        if (file.shapes.size() >= kMaxPoints) return fail("{}: more than {} points", name, kMaxPoints);
        ImportedShape s;
        s.name = cell(title);
        s.points = {place};
        s.heights = {std::nullopt};
        const std::string what = cell(ref);
        const auto h = parseNumber(cell(height));
        const std::optional<HeightRef> known = what == "home"                     ? std::optional(HeightRef::home)
                                               : what == "ground"                 ? std::optional(HeightRef::ground)
                                               : what == "AMSL" || what == "amsl" ? std::optional(HeightRef::amsl)
                                                                                  : std::nullopt;
        if (h && known)
            s.heights[0] = Height{*h, *known};
        else if (const auto above = parseNumber(cell(amsl)))
            s.heights[0] = Height::amsl(*above);
        else if (h) {
            s.heights[0] = Height::aboveHome(*h);
            if (file.notes.empty())
                file.notes.push_back("the file does not say what heights are measured from: taken as above home");
        }
        if (s.heights[0] && !(std::abs(s.heights[0]->value_m) < 20000))
            return fail("{}: line {}: height {} m is not usable", name, line, s.heights[0]->value_m);
        s.heading_deg = parseNumber(cell(heading));
        s.pitch_deg = parseNumber(cell(pitch));
        if (s.heading_deg || s.pitch_deg) s.kind = ShapeKind::view;
        file.shapes.push_back(std::move(s));
    }
    if (file.shapes.empty()) return fail("{}: no rows with places", name);
    return file;
}

}  // namespace anhinga
