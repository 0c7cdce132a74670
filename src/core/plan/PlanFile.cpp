#include "core/plan/PlanFile.h"

#include <algorithm>
#include <cmath>
#include <filesystem>
#include <nlohmann/json.hpp>
#include <set>

#include "core/base/File.h"
#include "core/geo/Polygon.h"

namespace anhinga {

namespace {

using Json = nlohmann::ordered_json;

constexpr std::size_t kMaxPlanBytes = std::size_t{64} << 20;
constexpr std::size_t kMaxItems = 100000;
constexpr double kMaxHeight_m = 20000;

/// What is wrong, inside the reader only; becomes a Result at its door.
struct Wrong {
    std::string message;
};
template <class... Args>
[[noreturn]] void wrong(fmt::format_string<Args...> format, Args&&... args) {
    throw Wrong{fmt::format(format, std::forward<Args>(args)...)};
}

struct Name {
    const char* text;
    int value;
};
constexpr Name kKinds[] = {
    {"take-off", int(ItemKind::takeOff)}, {"waypoint", int(ItemKind::waypoint)},      {"hold", int(ItemKind::hold)},
    {"land", int(ItemKind::land)},        {"return-home", int(ItemKind::returnHome)}, {"block", int(ItemKind::block)}};
constexpr Name kRefs[] = {
    {"home", int(HeightRef::home)}, {"amsl", int(HeightRef::amsl)}, {"ground", int(HeightRef::ground)}};

template <std::size_t N>
const char* nameOf(const Name (&names)[N], int value) {
    for (const Name& n : names)
        if (n.value == value) return n.text;
    return "";
}
template <std::size_t N>
int valueOf(const Name (&names)[N], const std::string& text, const char* what) {
    std::string known;
    for (const Name& n : names) {
        if (text == n.text) return n.value;
        known += known.empty() ? n.text : std::string(", ") + n.text;
    }
    wrong("{} \"{}\" is not known; expected one of {}", what, text.substr(0, 40), known);
}

// ---- writing

Json point(GeoPoint p) {
    return Json::array({p.lon_deg, p.lat_deg});
}

Json outlineJson(const std::vector<GeoPoint>& outline) {
    Json ring = Json::array();
    for (const GeoPoint& p : outline) ring.push_back(point(p));
    if (!outline.empty()) ring.push_back(point(outline.front()));
    return Json{{"type", "Polygon"}, {"coordinates", Json::array({ring})}};
}

Json heightJson(Height h) {
    return Json{{"value_m", h.value_m}, {"ref", nameOf(kRefs, int(h.ref))}};
}

void addUnknown(Json& object, const std::string& unknown) {
    if (unknown.empty()) return;
    const Json extra = Json::parse(unknown, nullptr, false);
    for (const auto& [key, value] : extra.items())
        if (!object.contains(key)) object[key] = value;
}

Json actionJson(const Action& action) {
    struct Writer {
        Json operator()(const Repeat& a) const { return {{"do", "repeat"}, {"target", a.target}, {"count", a.count}}; }
        Json operator()(const LookAt& a) const {
            return {{"do", "look-at"}, {"place", point(a.place)}, {"height", heightJson(a.height)}, {"name", a.name}};
        }
        Json operator()(const LookAtStop&) const { return {{"do", "look-at-stop"}}; }
        Json operator()(const PhotoNow&) const { return {{"do", "photo"}}; }
        Json operator()(const PhotoEvery& a) const { return {{"do", "photo-every"}, {"distance_m", a.distance_m}}; }
        Json operator()(const GimbalPitch& a) const { return {{"do", "gimbal-pitch"}, {"pitch_deg", a.pitch_deg}}; }
        Json operator()(const RawCommand& a) const {
            return {{"do", "command"},
                    {"frame", a.frame},
                    {"command", a.command},
                    {"params", {a.param1, a.param2, a.param3, a.param4}},
                    {"x", a.x},
                    {"y", a.y},
                    {"z", a.z}};
        }
    };
    return std::visit(Writer{}, action);
}

Json itemFeature(const Item& item) {
    Json data{{"type", "item"}, {"id", item.id}, {"kind", nameOf(kKinds, int(item.kind))}};
    if (!item.name.empty()) data["name"] = item.name;
    if (item.height) data["height"] = heightJson(*item.height);
    if (item.speed_mps) data["speed_mps"] = *item.speed_mps;
    if (item.acceptance_m) data["acceptance_m"] = *item.acceptance_m;
    if (item.kind == ItemKind::hold) data["hold_s"] = item.hold_s;
    if (item.kind == ItemKind::block)
        data["block"] = {{"heading_deg", item.block.heading_deg},
                         {"overlap_percent", item.block.overlap_percent},
                         {"sidelap_percent", item.block.sidelap_percent},
                         {"margin_m", item.block.margin_m}};
    if (!item.actions.empty()) {
        Json actions = Json::array();
        for (const Action& a : item.actions) actions.push_back(actionJson(a));
        data["actions"] = actions;
    }
    addUnknown(data, item.unknown);
    Json geometry = nullptr;
    if (item.kind == ItemKind::block)
        geometry = outlineJson(item.block.outline);
    else if (hasPosition(item.kind))
        geometry = Json{{"type", "Point"}, {"coordinates", point(item.position)}};
    return Json{{"type", "Feature"},
                {"geometry", geometry},
                {"properties", {{"title", item.name.empty() ? kindText(item.kind) : item.name}}},
                {"anhinga", data}};
}

Json fenceFeature(const Fence& fence) {
    Json data{{"type", "fence"}, {"id", fence.id}, {"kind", fence.kind == FenceKind::keepIn ? "keep-in" : "keep-out"}};
    if (!fence.name.empty()) data["name"] = fence.name;
    addUnknown(data, fence.unknown);
    return Json{{"type", "Feature"},
                {"geometry", outlineJson(fence.outline)},
                {"properties", {{"title", fence.name.empty() ? "Fence" : fence.name}}},
                {"anhinga", data}};
}

// The numbers of a profile: one table serves writing and reading.
struct Number {
    const char* key;
    double* value;
    double low, high;
};
std::vector<Number> vehicleNumbers(VehicleProfile& v) {
    return {{"cruise_mps", &v.cruise_mps, 0.1, 100},
            {"max_mps", &v.max_mps, 0.1, 150},
            {"climb_mps", &v.climb_mps, 0.1, 50},
            {"descent_mps", &v.descent_mps, 0.1, 50},
            {"land_mps", &v.land_mps, 0.1, 10},
            {"accel_mps2", &v.accel_mps2, 0.1, 50},
            {"yaw_rate_dps", &v.yaw_rate_dps, 1, 720},
            {"mass_kg", &v.mass_kg, 0.02, 1000},
            {"rotor_area_m2", &v.rotor_area_m2, 0.001, 500},
            {"drag_area_m2", &v.drag_area_m2, 0, 50},
            {"efficiency", &v.efficiency, 0.05, 1},
            {"other_power_w", &v.other_power_w, 0, 1e5},
            {"battery_wh", &v.battery_wh, 0.1, 1e6},
            {"battery_cells", &v.battery_cells, 1, 200},
            {"battery_resistance_ohm", &v.battery_resistance_ohm, 0, 10},
            {"reserve_percent", &v.reserve_percent, 0, 95}};
}
std::vector<Number> cameraNumbers(CameraProfile& c) {
    return {{"sensor_w_mm", &c.sensor_w_mm, 0.5, 200}, {"sensor_h_mm", &c.sensor_h_mm, 0.5, 200},
            {"focal_mm", &c.focal_mm, 0.5, 2000},      {"min_interval_s", &c.min_interval_s, 0, 3600},
            {"shutter_s", &c.shutter_s, 0, 60},        {"photo_mb", &c.photo_mb, 0, 10000}};
}

// ---- reading

double number(const Json& object, const char* key, double low, double high) {
    const auto at = object.find(key);
    if (at == object.end()) wrong("{} is missing", key);
    if (!at->is_number()) wrong("{} must be a number", key);
    const double v = at->get<double>();
    if (!(v >= low && v <= high)) wrong("{} is {}, outside {} to {}", key, v, low, high);
    return v;
}
double numberOr(const Json& object, const char* key, double fallback, double low, double high) {
    return object.contains(key) ? number(object, key, low, high) : fallback;
}
bool boolOr(const Json& object, const char* key, bool fallback) {
    if (!object.contains(key)) return fallback;
    if (!object.at(key).is_boolean()) wrong("{} must be true or false", key);
    return object.at(key).get<bool>();
}
std::string textOr(const Json& object, const char* key, const char* fallback) {
    if (!object.contains(key)) return fallback;
    if (!object.at(key).is_string()) wrong("{} must be a text", key);
    return object.at(key).get<std::string>();
}
GeoPoint readPoint(const Json& j) {
    if (!j.is_array() || j.size() < 2 || !j[0].is_number() || !j[1].is_number())
        wrong("a position must be [longitude, latitude]");
    const GeoPoint p{j[1].get<double>(), j[0].get<double>()};
    if (!isValid(p)) wrong("position [{}, {}] is not on the earth", p.lon_deg, p.lat_deg);
    return p;
}
std::vector<GeoPoint> readOutline(const Json& feature) {
    const Json geometry = feature.value("geometry", Json());
    if (!geometry.is_object() || geometry.value("type", Json()) != "Polygon") wrong("geometry must be a Polygon");
    const Json rings = geometry.value("coordinates", Json());
    if (!rings.is_array() || rings.empty() || !rings[0].is_array()) wrong("geometry has no ring");
    std::vector<GeoPoint> outline;
    for (const Json& p : rings[0]) outline.push_back(readPoint(p));
    if (outline.size() > 1 && outline.front() == outline.back()) outline.pop_back();
    if (outline.size() < 3) wrong("an outline needs at least 3 corners, this one has {}", outline.size());
    return outline;
}
Height readHeight(const Json& j) {
    if (!j.is_object()) wrong("height must be an object with value_m and ref");
    return {number(j, "value_m", -kMaxHeight_m, kMaxHeight_m),
            static_cast<HeightRef>(valueOf(kRefs, textOr(j, "ref", ""), "height ref"))};
}
ItemId readId(const Json& j, const char* key) {
    return static_cast<ItemId>(number(j, key, 1, 4294967294.0));
}

Action readAction(const Json& j) {
    if (!j.is_object()) wrong("an action must be an object");
    const std::string what = textOr(j, "do", "");
    if (what == "repeat") {
        return Repeat{static_cast<ItemId>(number(j, "target", 0, 4294967294.0)),
                      static_cast<int>(number(j, "count", -1, 32767))};
    }
    if (what == "look-at")
        return LookAt{readPoint(j.value("place", Json())), readHeight(j.value("height", Json())),
                      textOr(j, "name", "")};
    if (what == "look-at-stop") return LookAtStop{};
    if (what == "photo") return PhotoNow{};
    if (what == "photo-every") return PhotoEvery{number(j, "distance_m", 0, 100000)};
    if (what == "gimbal-pitch") return GimbalPitch{number(j, "pitch_deg", -180, 180)};
    if (what == "command") {
        RawCommand raw;
        raw.frame = static_cast<int>(number(j, "frame", 0, 255));
        raw.command = static_cast<int>(number(j, "command", 0, 65535));
        const Json params = j.value("params", Json());
        if (!params.is_array() || params.size() != 4) wrong("a command needs 4 params");
        float* to[] = {&raw.param1, &raw.param2, &raw.param3, &raw.param4};
        for (std::size_t i = 0; i < 4; ++i)  // JSON has no NaN: null stands for "not set"
            *to[i] = params[i].is_number() ? params[i].get<float>() : NAN;
        raw.x = static_cast<std::int32_t>(number(j, "x", -2147483648.0, 2147483647.0));
        raw.y = static_cast<std::int32_t>(number(j, "y", -2147483648.0, 2147483647.0));
        raw.z = static_cast<float>(number(j, "z", -1e9, 1e9));
        return raw;
    }
    wrong("action \"{}\" is not known to this version", what.substr(0, 40));
}

/// Members of `object` not in `known`, as the text of a JSON object; empty when there are none.
std::string unknownOf(const Json& object, std::initializer_list<const char*> known) {
    Json rest = Json::object();
    for (const auto& member : object.items()) {
        const std::string& key = member.key();
        if (std::find_if(known.begin(), known.end(), [&](const char* k) { return key == k; }) == known.end())
            rest[key] = member.value();
    }
    return rest.empty() ? std::string() : rest.dump();
}

Item readItem(const Json& feature, const Json& data) {
    Item item;
    item.id = readId(data, "id");
    item.kind = static_cast<ItemKind>(valueOf(kKinds, textOr(data, "kind", ""), "item kind"));
    item.name = textOr(data, "name", "");
    if (data.contains("height")) item.height = readHeight(data.at("height"));
    if (data.contains("speed_mps")) item.speed_mps = number(data, "speed_mps", 0.1, 150);
    if (data.contains("acceptance_m")) item.acceptance_m = number(data, "acceptance_m", 0.1, 1000);
    if (item.kind == ItemKind::hold) item.hold_s = number(data, "hold_s", 0, 86400);
    if (item.kind == ItemKind::block) {
        item.block.outline = readOutline(feature);
        const Json b = data.value("block", Json::object());
        if (!b.is_object()) wrong("block must be an object");
        item.block.heading_deg = numberOr(b, "heading_deg", 0, -360, 360);
        item.block.overlap_percent = numberOr(b, "overlap_percent", 75, 0, 98);
        item.block.sidelap_percent = numberOr(b, "sidelap_percent", 65, 0, 98);
        item.block.margin_m = numberOr(b, "margin_m", 0, 0, 10000);
    } else if (hasPosition(item.kind)) {
        const Json geometry = feature.value("geometry", Json());
        if (!geometry.is_object() || geometry.value("type", Json()) != "Point") wrong("geometry must be a Point");
        item.position = readPoint(geometry.value("coordinates", Json()));
    }
    if (data.contains("actions")) {
        if (!data.at("actions").is_array()) wrong("actions must be a list");
        for (const Json& a : data.at("actions")) item.actions.push_back(readAction(a));
    }
    item.unknown = unknownOf(
        data, {"type", "id", "kind", "name", "height", "speed_mps", "acceptance_m", "hold_s", "block", "actions"});
    return item;
}

Fence readFence(const Json& feature, const Json& data) {
    Fence fence;
    fence.id = readId(data, "id");
    const std::string kind = textOr(data, "kind", "");
    if (kind != "keep-in" && kind != "keep-out") wrong("fence kind must be keep-in or keep-out");
    fence.kind = kind == "keep-in" ? FenceKind::keepIn : FenceKind::keepOut;
    fence.name = textOr(data, "name", "");
    fence.outline = readOutline(feature);
    const LocalFrame frame(middleOf(fence.outline));
    if (selfCrossing(toLocal(frame, fence.outline))) wrong("this fence crosses itself; move its corners apart");
    fence.unknown = unknownOf(data, {"type", "id", "kind", "name"});
    return fence;
}

void readPlanMembers(Plan& plan, const Json& a) {
    plan.title = textOr(a, "title", "Untitled");
    plan.notes = textOr(a, "notes", "");
    if (a.contains("home") && !a.at("home").is_null()) {
        const Json& h = a.at("home");
        if (!h.is_object()) wrong("home must be an object");
        plan.home = Home{readPoint(h.value("position", Json())), {}};
        if (h.contains("amsl_m")) plan.home->amsl_m = number(h, "amsl_m", -kMaxHeight_m, kMaxHeight_m);
    }
    const auto section = [&](const char* key) {
        const Json j = a.value(key, Json::object());
        if (!j.is_object()) wrong("{} must be an object", key);
        return j;
    };
    const Json d = section("defaults");
    if (d.contains("height")) plan.defaults.height = readHeight(d.at("height"));
    plan.defaults.speed_mps = numberOr(d, "speed_mps", plan.defaults.speed_mps, 0.1, 150);
    plan.defaults.acceptance_m = numberOr(d, "acceptance_m", plan.defaults.acceptance_m, 0.1, 1000);
    const Json v = section("vehicle");
    plan.vehicle.name = textOr(v, "name", plan.vehicle.name.c_str());
    for (const Number& n : vehicleNumbers(plan.vehicle)) *n.value = numberOr(v, n.key, *n.value, n.low, n.high);
    const Json c = section("camera");
    plan.camera.name = textOr(c, "name", plan.camera.name.c_str());
    for (const Number& n : cameraNumbers(plan.camera)) *n.value = numberOr(c, n.key, *n.value, n.low, n.high);
    plan.camera.px_across = static_cast<int>(numberOr(c, "px_across", plan.camera.px_across, 1, 200000));
    plan.camera.px_along = static_cast<int>(numberOr(c, "px_along", plan.camera.px_along, 1, 200000));
    const Json t = section("autopilot");
    plan.traits.item_limit = static_cast<int>(numberOr(t, "item_limit", plan.traits.item_limit, 1, 65535));
    plan.traits.item0_is_home = boolOr(t, "item0_is_home", plan.traits.item0_is_home);
    plan.traits.repeats_rearm = boolOr(t, "repeats_rearm", plan.traits.repeats_rearm);
    plan.traits.first_waypoint_max_m = numberOr(t, "first_waypoint_max_m", plan.traits.first_waypoint_max_m, 1, 1e6);
    plan.clearance_min_m = numberOr(a, "clearance_min_m", plan.clearance_min_m, 0, 10000);
    plan.clearance_margin_m = numberOr(a, "clearance_margin_m", plan.clearance_margin_m, 0, 10000);
    if (a.contains("ceiling_m") && !a.at("ceiling_m").is_null())
        plan.ceiling_m = number(a, "ceiling_m", -kMaxHeight_m, kMaxHeight_m);
    plan.return_height_m = numberOr(a, "return_height_m", plan.return_height_m, 0, kMaxHeight_m);
    const auto files = [&](const char* key, std::vector<std::string>& to) {
        const Json list = a.value(key, Json::array());
        if (!list.is_array()) wrong("{} must be a list of file names", key);
        for (const Json& f : list) {
            if (!f.is_string()) wrong("{} must be a list of file names", key);
            to.push_back(f.get<std::string>());
        }
    };
    files("terrain", plan.terrain_files);
    files("imagery", plan.imagery_files);
    plan.unknown = unknownOf(
        a, {"format", "title", "notes", "home", "defaults", "vehicle", "camera", "autopilot", "clearance_min_m",
            "clearance_margin_m", "ceiling_m", "return_height_m", "terrain", "imagery", "next_id"});
}

Plan readPlan(const Json& root) {
    if (!root.is_object() || root.value("type", Json()) != "FeatureCollection")
        wrong("not a GeoJSON FeatureCollection");
    const auto a = root.find("anhinga");
    if (a == root.end() || !a->is_object()) wrong("a GeoJSON file, but not a plan: the member \"anhinga\" is missing");
    const double version = number(*a, "format", 0, 1e6);
    if (version > kPlanFormatVersion)
        wrong("written by a newer version (plan format {}, this program reads up to {})", version, kPlanFormatVersion);
    Plan plan;
    readPlanMembers(plan, *a);
    const Json features = root.value("features", Json());
    if (!features.is_array()) wrong("features must be a list");
    if (features.size() > kMaxItems) wrong("{} features, more than the {} a plan may hold", features.size(), kMaxItems);
    std::set<ItemId> ids;
    for (std::size_t i = 0; i < features.size(); ++i) {
        try {
            const Json& feature = features[i];
            if (!feature.is_object()) wrong("must be an object");
            const Json data = feature.value("anhinga", Json());
            if (!data.is_object()) wrong("the member \"anhinga\" is missing");
            const std::string type = textOr(data, "type", "");
            ItemId id = 0;
            if (type == "item") {
                plan.items.push_back(readItem(feature, data));
                id = plan.items.back().id;
            } else if (type == "fence") {
                plan.fences.push_back(readFence(feature, data));
                id = plan.fences.back().id;
            } else if (type != "home") {
                wrong("type \"{}\" is not known to this version", type.substr(0, 40));
            }
            if (id != 0 && !ids.insert(id).second) wrong("id {} is used twice", id);
        } catch (const Wrong& w) {
            wrong("feature {}: {}", i + 1, w.message);
        }
    }
    const ItemId highest = ids.empty() ? 0 : *ids.rbegin();
    plan.next_id = std::max(static_cast<ItemId>(numberOr(*a, "next_id", 1, 1, 4294967294.0)), highest + 1);
    return plan;
}

}  // namespace

std::string writePlanText(const Plan& plan) {
    Json a{{"format", kPlanFormatVersion}, {"title", plan.title}};
    if (!plan.notes.empty()) a["notes"] = plan.notes;
    if (plan.home) {
        a["home"] = {{"position", point(plan.home->position)}};
        if (plan.home->amsl_m) a["home"]["amsl_m"] = *plan.home->amsl_m;
    }
    a["defaults"] = {{"height", heightJson(plan.defaults.height)},
                     {"speed_mps", plan.defaults.speed_mps},
                     {"acceptance_m", plan.defaults.acceptance_m}};
    VehicleProfile vehicle = plan.vehicle;
    a["vehicle"] = {{"name", vehicle.name}};
    for (const Number& n : vehicleNumbers(vehicle)) a["vehicle"][n.key] = *n.value;
    CameraProfile camera = plan.camera;
    a["camera"] = {{"name", camera.name}, {"px_across", camera.px_across}, {"px_along", camera.px_along}};
    for (const Number& n : cameraNumbers(camera)) a["camera"][n.key] = *n.value;
    a["autopilot"] = {{"item_limit", plan.traits.item_limit},
                      {"item0_is_home", plan.traits.item0_is_home},
                      {"repeats_rearm", plan.traits.repeats_rearm},
                      {"first_waypoint_max_m", plan.traits.first_waypoint_max_m}};
    a["clearance_min_m"] = plan.clearance_min_m;
    a["clearance_margin_m"] = plan.clearance_margin_m;
    if (plan.ceiling_m) a["ceiling_m"] = *plan.ceiling_m;
    a["return_height_m"] = plan.return_height_m;
    a["terrain"] = plan.terrain_files;
    a["imagery"] = plan.imagery_files;
    a["next_id"] = plan.next_id;
    addUnknown(a, plan.unknown);
    const auto dump = [](const Json& j) { return j.dump(-1, ' ', false, Json::error_handler_t::replace); };
    std::string text = "{\"type\":\"FeatureCollection\",\n\"anhinga\":{\n";
    bool first = true;
    for (const auto& [key, value] : a.items()) {
        text += (first ? "" : ",\n") + dump(Json(key)) + ":" + dump(value);
        first = false;
    }
    text += "},\n\"features\":[\n";
    std::vector<Json> features;
    if (plan.home)
        features.push_back(Json{{"type", "Feature"},
                                {"geometry", {{"type", "Point"}, {"coordinates", point(plan.home->position)}}},
                                {"properties", {{"title", "Home"}}},
                                {"anhinga", {{"type", "home"}}}});
    for (const Item& item : plan.items) features.push_back(itemFeature(item));
    for (const Fence& fence : plan.fences) features.push_back(fenceFeature(fence));
    for (std::size_t i = 0; i < features.size(); ++i)
        text += dump(features[i]) + (i + 1 < features.size() ? ",\n" : "\n");
    return text + "]}\n";
}

Result<Plan> readPlanText(std::string_view text, const std::string& name) {
    if (text.empty()) return fail("{}: the file is empty", name);
    try {
        return readPlan(Json::parse(text));
    } catch (const Json::parse_error& e) {
        const std::size_t at = std::min(e.byte == 0 ? 0 : e.byte - 1, text.size());
        const auto before = text.substr(0, at);
        const auto line = 1 + std::count(before.begin(), before.end(), '\n');
        const auto newline = before.rfind('\n');
        const auto column = 1 + at - (newline == std::string_view::npos ? 0 : newline + 1);
        return fail("{}: line {}, column {}: not valid JSON here{}", name, line, column,
                    at >= text.size() ? " (the file ends too early)" : "");
    } catch (const Wrong& w) {
        return fail("{}: {}", name, w.message);
    } catch (const std::exception& e) {
        return fail("{}: not a plan this program can read ({})", name, e.what());
    }
}

Result<Plan> loadPlan(const std::string& path) {
    const auto text = readFile(path, kMaxPlanBytes);
    if (!text) return tl::unexpected(text.error());
    return readPlanText(*text, path);
}

Result<void> savePlan(const Plan& plan, const std::string& path) {
    return writeFileAtomic(path, writePlanText(plan));
}

std::string resolveBeside(const std::string& plan_path, const std::string& file) {
    const std::filesystem::path p(file);
    return p.is_absolute() ? file : (std::filesystem::path(plan_path).parent_path() / p).lexically_normal().string();
}

}  // namespace anhinga
