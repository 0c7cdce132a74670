#include "core/exchange/OpenAir.h"
#include "core/base/Json.h"

#include <algorithm>
#include <cmath>
#include <nlohmann/json.hpp>

#include "core/base/File.h"
#include "core/base/Numbers.h"
#include "core/base/Text.h"
#include "core/geo/Polygon.h"

namespace anhinga {

namespace {

constexpr double kFoot_m = 0.3048, kMile_m = 1852;
constexpr std::size_t kMaxZones = 20000, kMaxCorners = 20000;

std::string upper(std::string text) {
    for (char& c : text) c = static_cast<char>(std::toupper(static_cast<unsigned char>(c)));
    return text;
}

/// "47:18:36 N 020:07:12 W" or with decimal minutes or degrees.
std::optional<GeoPoint> placeIn(const std::string& text) {
    double value[2] = {0, 0};
    int part = 0, which = 0;
    bool ended = false;
    std::size_t i = 0;
    double factor = 1;
    bool any = false;
    while (i < text.size() && which < 2) {
        const char c = static_cast<char>(std::toupper(static_cast<unsigned char>(text[i])));
        if (std::isdigit(static_cast<unsigned char>(c)) || c == '.') {
            std::string_view rest = std::string_view(text).substr(i);
            const auto v = takeNumber(rest);
            if (!v || part > 2 || ended) return std::nullopt;
            value[which] += *v * factor;
            any = true;
            i = text.size() - rest.size();
        } else if (c == ':') {
            factor /= 60;
            ++part;
            ++i;
        } else if (c == 'N' || c == 'S' || c == 'E' || c == 'W') {
            const bool latitude = c == 'N' || c == 'S';
            if (!any || latitude != (which == 0)) return std::nullopt;
            if (c == 'S' || c == 'W') value[which] = -value[which];
            ++which;
            factor = 1;
            part = 0;
            any = false;
            ++i;
        } else if (c == ' ' || c == '\t') {
            ++i;
        } else {
            return std::nullopt;
        }
    }
    const GeoPoint p{value[0], value[1]};
    if (which != 2 || trimmed(text.substr(i)) != "" || !isValid(p)) return std::nullopt;
    return p;
}

struct Level {
    bool unlimited = false;
    Height height;
    bool flight_level = false;
};
std::optional<Level> levelIn(const std::string& raw) {
    const std::string text = upper(std::string(trimmed(raw)));
    Level level;
    if (text.starts_with("UNL")) {
        level.unlimited = true;
        return level;
    }
    if (text == "GND" || text == "SFC" || text == "0") {
        level.height = Height::aboveGround(0);
        return level;
    }
    if (text.starts_with("FL")) {
        const auto v = parseNumber(trimmed(text.substr(2)));
        if (!v) return std::nullopt;
        level.flight_level = true;
        level.height = Height::amsl(*v * 100 * kFoot_m);
        return level;
    }
    std::string_view behind = text;
    const auto v = takeNumber(behind);
    if (!v || std::abs(*v) > 200000) return std::nullopt;
    std::string rest(trimmed(behind));
    double unit = kFoot_m;
    if (rest.starts_with("FT") || rest.starts_with("F ")) {
        rest = trimmed(rest.substr(rest.starts_with("FT") ? 2 : 1));
    } else if (rest.starts_with("M") && !rest.starts_with("MSL")) {
        unit = 1;
        rest = trimmed(rest.substr(1));
    }
    if (rest.empty() || rest == "MSL" || rest == "AMSL" || rest == "ALT")
        level.height = Height::amsl(*v * unit);
    else if (rest == "AGL" || rest == "GND" || rest == "SFC" || rest == "ASFC")
        level.height = Height::aboveGround(*v * unit);
    else
        return std::nullopt;
    return level;
}

class OpenAirReader {
  public:
    explicit OpenAirReader(const std::string& name) : name_(name) {}

    Result<ImportedAirspace> read(const std::string& text) {
        std::size_t from = 0;
        while (from <= text.size()) {
            const auto to = std::min(text.find('\n', from), text.size());
            ++line_;
            std::string line(trimmed(std::string_view(text).substr(from, to - from)));
            from = to + 1;
            if (const auto star = line.find('*'); star != std::string::npos) line = trimmed(line.substr(0, star));
            if (line.empty()) continue;
            if (auto ok = record(line); !ok) return tl::unexpected(ok.error());
        }
        if (auto ok = closeZone(); !ok) return tl::unexpected(ok.error());
        if (out_.zones.empty()) return fail("{}: no airspace in this file", name_);
        return std::move(out_);
    }

  private:
    Result<void> wrong(const std::string& what) const { return fail("{}: line {}: {}", name_, line_, what); }

    Result<void> closeZone() {
        if (!open_) return {};
        open_ = false;
        if (zone_.outline.size() > 1 && zone_.outline.front() == zone_.outline.back()) zone_.outline.pop_back();
        if (zone_.outline.size() < 3)
            return fail("{}: zone \"{}\" (begun in line {}) has {} corners, at least 3 are needed", name_, zone_.name,
                        begun_, zone_.outline.size());
        if (out_.zones.size() >= kMaxZones) return fail("{}: more than {} zones", name_, kMaxZones);
        out_.zones.push_back(std::move(zone_));
        return {};
    }

    Result<void> corner(GeoPoint p) {
        if (!open_) return wrong("a corner before any zone (AC)");
        if (zone_.outline.size() >= kMaxCorners) return wrong("more corners than a zone may have");
        zone_.outline.push_back(p);
        return {};
    }

    /// Points of an arc about centre_, every 5 degrees, ends included.
    Result<void> arc(double from_deg, double to_deg, double radius_m) {
        if (!centre_) return wrong("an arc before its centre (V X=...)");
        double sweep = clockwise_ ? std::fmod(to_deg - from_deg + 720, 360) : -std::fmod(from_deg - to_deg + 720, 360);
        if (sweep == 0) sweep = 360;
        const int n = std::max(2, static_cast<int>(std::ceil(std::abs(sweep) / 5)));
        for (int i = 0; i <= n; ++i)
            if (auto ok = corner(destination(*centre_, from_deg + sweep * i / n, radius_m)); !ok) return ok;
        return {};
    }

    Result<void> record(const std::string& line) {
        const std::string key = upper(line.substr(0, 2)),
                          rest(trimmed(std::string_view(line).substr(std::min<std::size_t>(2, line.size()))));
        if (key == "AC") {
            if (auto ok = closeZone(); !ok) return ok;
            open_ = true;
            begun_ = line_;
            zone_ = {};
            zone_.zone_class = rest;
            clockwise_ = true;
            centre_.reset();
            return {};
        }
        if (key == "AN") {
            zone_.name = rest;
            return {};
        }
        if (key == "AL" || key == "AH") {
            const auto level = levelIn(rest);
            if (!level)
                return wrong("\"" + rest.substr(0, 40) + "\" is not a height (for example GND, 1500 ft AGL, FL65)");
            if (level->flight_level && !said_) {
                said_ = true;
                out_.notes.push_back("flight levels are pressure altitudes: taken as above sea level in standard air");
            }
            if (key == "AL")
                zone_.floor = level->height;
            else if (!level->unlimited)
                zone_.ceiling = level->height;
            return {};
        }
        if (key == "DP") {
            const auto p = placeIn(rest);
            return p ? corner(*p)
                     : wrong("\"" + rest.substr(0, 40) + "\" is not a place (for example 47:18:36 N 020:07:12 W)");
        }
        if (key == "DC") {
            const auto miles = parseNumber(rest);
            if (!miles || !(*miles > 0 && *miles < 2000))
                return wrong("\"" + rest.substr(0, 40) + "\" is not a radius in nautical miles");
            return arc(0, 360, *miles * kMile_m);
        }
        if (key == "DB") {
            const auto comma = rest.find(',');
            const auto a =
                comma == std::string::npos ? std::nullopt : placeIn(std::string(trimmed(rest.substr(0, comma))));
            const auto b =
                comma == std::string::npos ? std::nullopt : placeIn(std::string(trimmed(rest.substr(comma + 1))));
            if (!a || !b) return wrong("an arc needs two places with a comma between");
            if (!centre_) return wrong("an arc before its centre (V X=...)");
            return arc(bearing_deg(*centre_, *a), bearing_deg(*centre_, *b), distance_m(*centre_, *a));
        }
        if (key == "DA") {
            std::string list = rest;
            std::replace(list.begin(), list.end(), ',', ' ');
            std::string_view left = list;
            const auto radius = takeNumber(left), from = takeNumber(left), to = takeNumber(left);
            if (!radius || !from || !to || !(*radius > 0 && *radius < 2000))
                return wrong("an arc needs radius, start and end bearing");
            return arc(*from, *to, *radius * kMile_m);
        }
        if (key[0] == 'V' && (key == "V " || key == "V=")) {
            const std::string body = upper(std::string(trimmed(line.substr(1))));
            if (body.starts_with("X=")) {
                centre_ = placeIn(std::string(trimmed(body.substr(2))));
                if (!centre_) return wrong("\"" + body.substr(0, 40) + "\" is not a place");
            } else if (body.starts_with("D=")) {
                clockwise_ = body.find('-') == std::string::npos;
            }
        }
        return {};
    }

    const std::string& name_;
    ImportedAirspace out_;
    Zone zone_;
    bool open_ = false, clockwise_ = true, said_ = false;
    std::optional<GeoPoint> centre_;
    std::size_t line_ = 0, begun_ = 0;
};

}  // namespace

Result<ImportedAirspace> readOpenAir(const std::string& text, const std::string& name) {
    return OpenAirReader(name).read(text);
}

Result<ImportedAirspace> readAirspaceGeoJson(const std::string& text, const std::string& name) {
    if (nestsDeeper(text)) return fail("{}: lists and objects more than {} deep within each other", name, kDeepestJson);
    using Json = nlohmann::json;
    try {
        const Json root = Json::parse(text);
        ImportedAirspace out;
        const Json features = root.is_object() ? root.value("features", Json::array()) : Json::array();
        for (std::size_t i = 0; features.is_array() && i < features.size(); ++i) {
            const Json p = features[i].value("properties", Json::object());
            const Json g = features[i].value("geometry", Json::object());
            if (!g.is_object() || g.value("type", Json()) != "Polygon") {
                out.notes.push_back(fmt::format("feature {} is no polygon: left out", i + 1));
                continue;
            }
            Zone z;
            const auto text_of = [&](const char* key) {
                return p.contains(key) && p[key].is_string() ? p[key].get<std::string>() : "";
            };
            const auto height = [&](const char* value, const char* ref) -> std::optional<Height> {
                if (!p.contains(value) || !p[value].is_number()) return std::nullopt;
                const std::string what = text_of(ref);
                return Height{p[value].get<double>(), what == "ground" ? HeightRef::ground : HeightRef::amsl};
            };
            z.name = text_of("name");
            z.zone_class = text_of("class");
            z.times = text_of("times");
            z.floor = height("floor_m", "floor_ref").value_or(Height::aboveGround(0));
            z.ceiling = height("ceiling_m", "ceiling_ref");
            for (const Json& c : g.at("coordinates").at(0)) {
                const GeoPoint place{c.at(1).get<double>(), c.at(0).get<double>()};
                if (!isValid(place)) return fail("{}: feature {}: not a place on the earth", name, i + 1);
                z.outline.push_back(place);
            }
            if (z.outline.size() > 1 && z.outline.front() == z.outline.back()) z.outline.pop_back();
            if (z.outline.size() < 3) return fail("{}: feature {}: a zone needs 3 corners", name, i + 1);
            out.zones.push_back(std::move(z));
        }
        if (out.zones.empty()) return fail("{}: no zones (polygons) in this file", name);
        return out;
    } catch (const std::exception& e) {
        return fail("{}: not GeoJSON this program can read ({})", name, e.what());
    }
}

Result<ImportedAirspace> readAirspace(const std::string& path) {
    const auto text = readFile(path, std::size_t{32} << 20);
    if (!text) return tl::unexpected(text.error());
    const auto start = text->find_first_not_of(" \t\r\n");
    if (start == std::string::npos) return fail("{}: the file is empty", path);
    return (*text)[start] == '{' ? readAirspaceGeoJson(*text, path) : readOpenAir(*text, path);
}

void addAirspace(Plan& plan, const ImportedAirspace& airspace, const std::string& source,
                 const std::vector<GeoPoint>& covered) {
    for (Zone z : airspace.zones) {
        z.id = plan.newId();
        plan.zones.push_back(std::move(z));
    }
    if (covered.size() < 3) return;
    AirspaceCover cover;
    cover.id = plan.newId();
    cover.source = source;
    cover.outline = covered;
    plan.covers.push_back(std::move(cover));
}

}  // namespace anhinga
