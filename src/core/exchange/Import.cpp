#include "core/exchange/Import.h"

#include <algorithm>

#include "core/base/File.h"
#include "core/exchange/Archive.h"
#include "core/exchange/Export.h"
#include "core/geo/Polygon.h"
#include "core/plan/Edit.h"

namespace anhinga {

namespace {

constexpr std::size_t kMaxFile = std::size_t{64} << 20;

bool saysWord(const std::string& text, std::initializer_list<const char*> words) {
    std::string low;
    for (const char c : text)
        low += c == '-' || c == '_' ? ' ' : static_cast<char>(std::tolower(static_cast<unsigned char>(c)));
    return std::any_of(words.begin(), words.end(), [&](const char* w) { return low.find(w) != std::string::npos; });
}

}  // namespace

const char* shapeKindText(ShapeKind kind) {
    switch (kind) {
        case ShapeKind::point:
            return "point";
        case ShapeKind::line:
            return "line";
        case ShapeKind::area:
            return "area";
        case ShapeKind::view:
            return "camera view";
    }
    return "";
}

const char* roleText(ShapeRole role) {
    switch (role) {
        case ShapeRole::leaveOut:
            return "leave out";
        case ShapeRole::waypoints:
            return "waypoints";
        case ShapeRole::home:
            return "home";
        case ShapeRole::rally:
            return "rally point";
        case ShapeRole::mast:
            return "obstacle: mast";
        case ShapeRole::wire:
            return "obstacle: wire";
        case ShapeRole::trees:
            return "obstacle: trees";
        case ShapeRole::block:
            return "block";
        case ShapeRole::keepIn:
            return "keep-in fence";
        case ShapeRole::keepOut:
            return "keep-out fence";
    }
    return "";
}

std::vector<ShapeRole> rolesFor(ShapeKind kind) {
    switch (kind) {
        case ShapeKind::point:
            return {ShapeRole::waypoints, ShapeRole::home, ShapeRole::rally, ShapeRole::mast, ShapeRole::leaveOut};
        case ShapeKind::line:
            return {ShapeRole::waypoints, ShapeRole::wire, ShapeRole::leaveOut};
        case ShapeKind::area:
            return {ShapeRole::block, ShapeRole::keepIn,    ShapeRole::keepOut,
                    ShapeRole::trees, ShapeRole::waypoints, ShapeRole::leaveOut};
        case ShapeKind::view:
            return {ShapeRole::waypoints, ShapeRole::leaveOut};
    }
    return {ShapeRole::leaveOut};
}

ShapeRole suggestedRole(const ImportedShape& shape) {
    switch (shape.kind) {
        case ShapeKind::point:
            if (saysWord(shape.name, {"home"})) return ShapeRole::home;
            if (saysWord(shape.name, {"rally"})) return ShapeRole::rally;
            if (saysWord(shape.name, {"mast"})) return ShapeRole::mast;
            return ShapeRole::waypoints;
        case ShapeKind::line:
            if (saysWord(shape.name, {"keep in", "keep out"})) return ShapeRole::leaveOut;
            return saysWord(shape.name, {"wire", "power line"}) ? ShapeRole::wire : ShapeRole::waypoints;
        case ShapeKind::area:
            if (saysWord(shape.name, {"keep in"})) return ShapeRole::keepIn;
            if (saysWord(shape.name, {"keep out"})) return ShapeRole::keepOut;
            return saysWord(shape.name, {"trees"}) ? ShapeRole::trees : ShapeRole::block;
        case ShapeKind::view:
            return ShapeRole::waypoints;
    }
    return ShapeRole::leaveOut;
}

std::vector<ShapeRole> suggestedRoles(const ImportedFile& file) {
    std::vector<GeoPoint> points;
    for (const ImportedShape& s : file.shapes)
        if (s.kind == ShapeKind::point && suggestedRole(s) != ShapeRole::mast) points.push_back(s.points.front());
    const auto isAPoint = [&](GeoPoint p) {
        return std::any_of(points.begin(), points.end(), [&](GeoPoint q) {
            return std::abs(p.lat_deg - q.lat_deg) < 1e-6 && std::abs(p.lon_deg - q.lon_deg) < 1e-6;
        });
    };
    std::vector<ShapeRole> roles;
    for (const ImportedShape& s : file.shapes) {
        ShapeRole role = suggestedRole(s);
        if (s.kind == ShapeKind::line && role == ShapeRole::waypoints && points.size() > 1 && s.points.size() < 2000 &&
            std::count_if(s.points.begin(), s.points.end(), isAPoint) * 2 > static_cast<long>(s.points.size()))
            role = ShapeRole::leaveOut;
        roles.push_back(role);
    }
    return roles;
}

std::vector<ItemId> addShape(Plan& plan, const ImportedShape& shape, ShapeRole role) {
    std::vector<ItemId> made;
    if (shape.points.empty()) return made;
    const std::optional<Height> first = shape.heights.empty() ? std::nullopt : shape.heights.front();
    const auto insertItem = [&](Item item) {
        item.id = plan.newId();
        made.push_back(item.id);
        plan.items.insert(plan.items.begin() + static_cast<std::ptrdiff_t>(endOfRoute(plan)), std::move(item));
    };
    const auto addFence = [&](FenceKind kind) {
        Fence fence;
        fence.id = plan.newId();
        fence.kind = kind;
        fence.name = shape.name;
        fence.outline = shape.points;
        made.push_back(fence.id);
        plan.fences.push_back(std::move(fence));
    };
    const auto addObstacle = [&](ObstacleKind kind) {
        Obstacle o;
        o.id = plan.newId();
        o.kind = kind;
        o.name = shape.name;
        o.points = shape.points;
        if (kind == ObstacleKind::mast) o.points.resize(1);
        // A height over ground in the file is how tall it stands; one above the sea says nothing of that.
        if (first && first->ref == HeightRef::ground && first->value_m > 0) o.height_m = first->value_m;
        made.push_back(o.id);
        plan.obstacles.push_back(std::move(o));
    };
    switch (role) {
        case ShapeRole::leaveOut:
            break;
        case ShapeRole::waypoints:
            for (std::size_t i = 0; i < shape.points.size(); ++i) {
                Item item;
                item.position = shape.points[i];
                if (i < shape.heights.size()) item.height = shape.heights[i];
                if (i == 0) {
                    item.name = shape.name;
                    item.notes = shape.notes;
                }
                if (shape.heading_deg) item.actions.push_back(SetHeading{*shape.heading_deg});
                if (shape.pitch_deg) item.actions.push_back(GimbalPitch{*shape.pitch_deg});
                insertItem(std::move(item));
            }
            break;
        case ShapeRole::home:
            plan.home = Home{shape.points.front(), {}};
            if (first && first->ref == HeightRef::amsl) plan.home->amsl_m = first->value_m;
            made.push_back(kHomeId);
            break;
        case ShapeRole::rally: {
            RallyPoint r;
            r.id = plan.newId();
            r.name = shape.name;
            r.position = shape.points.front();
            if (first) r.height = *first;
            made.push_back(r.id);
            plan.rally.push_back(std::move(r));
            break;
        }
        case ShapeRole::mast:
            addObstacle(ObstacleKind::mast);
            break;
        case ShapeRole::wire:
            addObstacle(ObstacleKind::wire);
            break;
        case ShapeRole::trees:
            addObstacle(ObstacleKind::trees);
            break;
        case ShapeRole::keepIn:
            addFence(FenceKind::keepIn);
            break;
        case ShapeRole::keepOut:
            addFence(FenceKind::keepOut);
            break;
        case ShapeRole::block: {
            Item item = patternItem(ItemKind::block, shape.points);
            item.name = shape.name;
            item.pattern.edit().holes = shape.holes;
            insertItem(std::move(item));
            break;
        }
    }
    return made;
}

Result<ImportedFile> readShapes(const std::string& path) {
    auto text = readFile(path, kMaxFile);
    if (!text) return tl::unexpected(text.error());
    if (text->starts_with("PK\x03\x04")) {
        auto inner = readKmz(*text, path);
        return inner ? readKml(*inner, path) : tl::unexpected(inner.error());
    }
    const auto start = text->find_first_not_of(" \t\r\n\xEF\xBB\xBF");
    if (start == std::string::npos) return fail("{}: the file is empty", path);
    if ((*text)[start] == '{') return readGeoJson(*text, path);
    if ((*text)[start] == '<')
        return text->substr(0, 4096).find("<gpx") != std::string::npos ? readGpx(*text, path) : readKml(*text, path);
    if (text->find('\0') != std::string::npos)
        return fail("{}: not a file this program imports (expected KML, KMZ, GPX, GeoJSON or CSV)", path);
    return readCsv(*text, path);
}

}  // namespace anhinga
