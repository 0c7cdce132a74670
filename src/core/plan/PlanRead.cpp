// Text of the plan file -> Plan, or what is wrong and where.
#include <algorithm>
#include <charconv>
#include <cmath>
#include <nlohmann/json.hpp>
#include <set>

#include "core/base/Json.h"
#include "core/base/Text.h"
#include "core/plan/PlanFile.h"
#include "core/plan/PlanMembers.h"

namespace anhinga {

namespace {

using Json = nlohmann::ordered_json;
using namespace planfile;

constexpr std::size_t kMaxItems = 100000;
constexpr double kMaxHeight_m = 1e5;  // findings say more than that it is a number

/// What is wrong, inside the reader only; becomes a Result at its door.
struct Wrong {
    std::string message;
};
template <class... Args>
[[noreturn]] void wrong(fmt::format_string<Args...> format, Args&&... args) {
    throw Wrong{fmt::format(format, std::forward<Args>(args)...)};
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
std::vector<GeoPoint> readRing(const Json& ring) {
    if (!ring.is_array()) wrong("a ring must be a list of positions");
    std::vector<GeoPoint> outline;
    for (const Json& p : ring) outline.push_back(readPoint(p));
    if (outline.size() > 1 && outline.front() == outline.back()) outline.pop_back();
    if (outline.size() < 3) wrong("an outline needs at least 3 corners, this one has {}", outline.size());
    return outline;
}
std::vector<GeoPoint> readOutline(const Json& feature) {
    const Json geometry = feature.value("geometry", Json());
    if (!geometry.is_object() || geometry.value("type", Json()) != "Polygon") wrong("geometry must be a Polygon");
    const Json rings = geometry.value("coordinates", Json());
    if (!rings.is_array() || rings.empty() || !rings[0].is_array()) wrong("geometry has no ring");
    return readRing(rings[0]);
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
        Repeat repeat{static_cast<ItemId>(number(j, "target", 0, 4294967294.0)),
                      static_cast<int>(number(j, "count", -1, 32767))};
        if (j.contains("leave")) repeat.leave = static_cast<Leave>(valueOf(kLeaves, textOr(j, "leave", ""), "leave"));
        return repeat;
    }
    if (what == "look-at")
        return LookAt{readPoint(j.value("place", Json())), readHeight(j.value("height", Json())),
                      textOr(j, "name", "")};
    if (what == "look-at-stop") return LookAtStop{};
    if (what == "photo") return PhotoNow{};
    if (what == "photo-interval") return PhotoInterval{number(j, "interval_s", 0, 86400)};
    if (what == "video") return Video{boolOr(j, "on", true)};
    if (what == "delay") return Delay{number(j, "delay_s", 0, 86400)};
    if (what == "heading") return SetHeading{number(j, "heading_deg", -360, 360)};
    if (what == "servo")
        return Servo{static_cast<int>(number(j, "channel", 1, 64)), static_cast<int>(number(j, "pulse_us", 0, 5000))};
    if (what == "relay") return Relay{static_cast<int>(number(j, "number", 0, 64)), boolOr(j, "on", true)};
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

void readCamera(const Json& j, Pattern& p) {
    p.makes = static_cast<CameraMakes>(valueOf(kMakes, textOr(j, "makes", "photos"), "what the camera makes"));
    p.when = static_cast<PhotoWhen>(valueOf(kWhen, textOr(j, "when", "distance"), "when photos are taken"));
}

/// From `from` to `to` in even steps no longer than `step`, as Faces of formats 1 to 5 were flown.
std::vector<double> sweep(double from_deg, double to_deg, double step_deg) {
    constexpr double kMost = 72;
    const double span = std::abs(to_deg - from_deg);
    if (span < 0.01) return {from_deg};
    const double n = std::clamp(std::ceil(span / std::max(1.0, std::abs(step_deg)) - 1e-9), 1.0, kMost);
    std::vector<double> out;
    for (int i = 0; i <= static_cast<int>(n); ++i) out.push_back(from_deg + (to_deg - from_deg) * i / n);
    return out;
}

void readAngles(const Json& j, Pattern& p) {
    for (const PatternAngles& a : kPatternAngles) {
        if (!j.contains(a.key)) continue;
        const Json& list = j.at(a.key);
        if (!list.is_array() || list.empty() || list.size() > kMostAngles)
            wrong("{} must be a list of 1 to {} angles", a.key, kMostAngles);
        (p.*a.value).clear();
        for (const Json& v : list) {
            const double angle = v.is_number() ? v.get<double>() : NAN;
            if (!(angle >= a.low && angle <= a.high)) wrong("{} must be from {} to {}", a.key, a.low, a.high);
            (p.*a.value).push_back(angle);
        }
    }
    // Formats 1 to 5 said from where to where in which steps; a range that ends beside a step ends at its end.
    const std::pair<const char*, std::vector<double> Pattern::*> ranges[] = {{"tilt", &Pattern::tilts_deg},
                                                                             {"turn", &Pattern::turns_deg}};
    for (const auto& [name, value] : ranges) {
        const std::string key = name;
        if (!j.contains(key + "_from_deg") && !j.contains(key + "_to_deg")) continue;
        const double most = value == &Pattern::tilts_deg ? 90 : 180;
        const double from = numberOr(j, (key + "_from_deg").c_str(), 0, -most, most),
                     to = numberOr(j, (key + "_to_deg").c_str(), 0, -most, most),
                     step = numberOr(j, (key + "_step_deg").c_str(), 15, 1, 90);
        p.*value = sweep(from, to, step);
    }
}

Pattern readPattern(ItemKind kind, const Json& feature, const Json& data, int format) {
    Pattern p;
    const Json geometry = feature.value("geometry", Json());
    if (kind == ItemKind::rings) {
        if (!geometry.is_object() || geometry.value("type", Json()) != "Point") wrong("geometry must be a Point");
        p.outline = {readPoint(geometry.value("coordinates", Json()))};
    } else if (hasArea(kind)) {
        p.outline = readOutline(feature);
        const Json& rings = geometry.at("coordinates");
        for (std::size_t i = 1; i < rings.size(); ++i) p.holes.push_back(readRing(rings[i]));
    } else {
        if (!geometry.is_object() || geometry.value("type", Json()) != "LineString")
            wrong("geometry must be a LineString");
        const Json places = geometry.value("coordinates", Json());
        if (!places.is_array() || places.size() < 2) wrong("a line needs at least 2 points");
        for (const Json& place : places) p.outline.push_back(readPoint(place));
    }
    // Format 1 and 2 knew a Block alone, under its name.
    const Json j = data.contains("pattern") ? data.at("pattern") : data.value("block", Json::object());
    if (!j.is_object()) wrong("pattern must be an object");
    if (!j.contains("policy"))
        readCamera(j, p);
    else if (const std::string word = textOr(j, "policy", ""); !setCameraByOldWord(p, word))
        wrong("photo policy \"{}\" is not known to this version", word.substr(0, 40));
    // What a file older than the usual sidelap of today leaves out was meant as the usual one of then.
    if (format < 6 && !j.contains("sidelap_percent")) p.sidelap_percent = 65;
    for (const PatternNumber& n : kPatternNumbers)
        if (concerns(n.kinds, kind)) p.*n.value = numberOr(j, n.key, p.*n.value, n.low, n.high);
    for (const PatternCount& n : kPatternCounts)
        if (concerns(n.kinds, kind)) p.*n.value = static_cast<int>(numberOr(j, n.key, p.*n.value, n.low, n.high));
    for (const PatternSwitch& n : kPatternSwitches)
        if (concerns(n.kinds, kind)) p.*n.value = boolOr(j, n.key, false);
    if (kind == ItemKind::face) readAngles(j, p);
    if (j.contains("gsd_cm")) p.gsd_cm = number(j, "gsd_cm", 0.01, 1000);
    if (j.contains("pitch_deg")) p.pitch_deg = number(j, "pitch_deg", -180, 180);
    if (j.contains("target")) p.target = readHeight(j.at("target"));
    return p;
}

Item readItem(const Json& feature, const Json& data, int format) {
    Item item;
    item.id = readId(data, "id");
    item.kind = static_cast<ItemKind>(valueOf(kKinds, textOr(data, "kind", ""), "item kind"));
    item.name = textOr(data, "name", "");
    if (data.contains("height")) item.height = readHeight(data.at("height"));
    if (data.contains("speed_mps")) item.speed_mps = number(data, "speed_mps", 0.1, 150);
    if (data.contains("acceptance_m")) item.acceptance_m = number(data, "acceptance_m", 0.1, 1000);
    item.notes = textOr(data, "notes", "");
    if (data.contains("section")) item.section = readId(data, "section");
    item.spline = boolOr(data, "spline", false);
    item.straight = boolOr(data, "straight", false);
    if (data.contains("hold_s")) item.hold_s = number(data, "hold_s", 0, 86400);
    if (item.kind == ItemKind::holdTurns) {
        item.turns = number(data, "turns", -1000, 1000);
        item.radius_m = number(data, "radius_m", 1, 10000);
    }
    if (isPattern(item.kind)) {
        item.pattern = readPattern(item.kind, feature, data, format);
    } else if (hasPosition(item.kind)) {
        const Json geometry = feature.value("geometry", Json());
        if (!geometry.is_object() || geometry.value("type", Json()) != "Point") wrong("geometry must be a Point");
        item.position = readPoint(geometry.value("coordinates", Json()));
    }
    if (data.contains("actions")) {
        if (!data.at("actions").is_array()) wrong("actions must be a list");
        for (const Json& a : data.at("actions")) item.actions.push_back(readAction(a));
    }
    item.unknown =
        unknownOf(data, {"type", "id", "kind", "name", "notes", "section", "spline", "straight", "height", "speed_mps",
                         "acceptance_m", "hold_s", "turns", "radius_m", "block", "pattern", "actions"});
    return item;
}

Fence readFence(const Json& feature, const Json& data) {
    Fence fence;
    fence.id = readId(data, "id");
    const std::string kind = textOr(data, "kind", "");
    if (kind != "keep-in" && kind != "keep-out") wrong("fence kind must be keep-in or keep-out");
    fence.kind = kind == "keep-in" ? FenceKind::keepIn : FenceKind::keepOut;
    fence.name = textOr(data, "name", "");
    if (data.contains("radius_m")) {
        fence.radius_m = number(data, "radius_m", 1, 1e6);
        fence.outline = {readPoint(data.value("centre", Json()))};
        fence.unknown = unknownOf(data, {"type", "id", "kind", "name", "radius_m", "centre"});
        return fence;
    }
    fence.outline = readOutline(feature);  // one that crosses itself is a finding
    fence.unknown = unknownOf(data, {"type", "id", "kind", "name"});
    return fence;
}

GeoPoint readPointGeometry(const Json& feature) {
    const Json geometry = feature.value("geometry", Json());
    if (!geometry.is_object() || geometry.value("type", Json()) != "Point") wrong("geometry must be a Point");
    return readPoint(geometry.value("coordinates", Json()));
}

RallyPoint readRally(const Json& feature, const Json& data) {
    RallyPoint rally;
    rally.id = readId(data, "id");
    rally.name = textOr(data, "name", "");
    rally.position = readPointGeometry(feature);
    rally.height = readHeight(data.value("height", Json()));
    rally.unknown = unknownOf(data, {"type", "id", "name", "height"});
    return rally;
}

Obstacle readObstacle(const Json& feature, const Json& data) {
    Obstacle o;
    o.id = readId(data, "id");
    o.kind = static_cast<ObstacleKind>(valueOf(kObstacles, textOr(data, "kind", ""), "obstacle kind"));
    o.name = textOr(data, "name", "");
    o.height_m = number(data, "height_m", 0, kMaxHeight_m);
    o.radius_m = numberOr(data, "radius_m", 1, 0, 10000);
    o.margin_m = numberOr(data, "margin_m", 10, 0, 10000);
    if (o.kind == ObstacleKind::mast) {
        o.points = {readPointGeometry(feature)};
    } else if (o.kind == ObstacleKind::trees) {
        o.points = readOutline(feature);
    } else {
        const Json geometry = feature.value("geometry", Json());
        if (!geometry.is_object() || geometry.value("type", Json()) != "LineString")
            wrong("geometry must be a LineString");
        const Json list = geometry.value("coordinates", Json());
        if (!list.is_array() || list.size() < 2) wrong("a wire needs at least 2 points");
        for (const Json& p : list) o.points.push_back(readPoint(p));
    }
    o.unknown = unknownOf(data, {"type", "id", "kind", "name", "height_m", "radius_m", "margin_m"});
    return o;
}

Zone readZone(const Json& feature, const Json& data) {
    Zone z;
    z.id = readId(data, "id");
    z.name = textOr(data, "name", "");
    z.zone_class = textOr(data, "class", "");
    z.floor = readHeight(data.value("floor", Json()));
    if (data.contains("ceiling")) z.ceiling = readHeight(data.at("ceiling"));
    z.times = textOr(data, "times", "");
    z.authorisation = textOr(data, "authorisation", "");
    z.outline = readOutline(feature);
    z.unknown = unknownOf(data, {"type", "id", "name", "class", "floor", "ceiling", "times", "authorisation"});
    return z;
}

AirspaceCover readCover(const Json& feature, const Json& data) {
    AirspaceCover c;
    c.id = readId(data, "id");
    c.source = textOr(data, "source", "");
    c.outline = readOutline(feature);
    c.unknown = unknownOf(data, {"type", "id", "source"});
    return c;
}

double readTime(const Json& j, const char* key) {
    if (!j.contains(key)) return 0;
    const auto time = parseUtc(textOr(j, key, ""));
    if (!time || *time <= 0) wrong("{} must be a time as 2026-05-14T09:12:30Z", key);
    return *time;
}

/// What belongs to the day in the field: checklist and seals.
void readFieldData(Plan& plan, const Json& a) {
    const auto list = [&](const char* key) {
        const Json j = a.value(key, Json::array());
        if (!j.is_array()) wrong("{} must be a list", key);
        if (j.size() > kMaxItems) wrong("{} {}, more than the {} a plan may hold", j.size(), key, kMaxItems);
        for (const Json& entry : j)
            if (!entry.is_object()) wrong("an entry of {} must be an object", key);
        return j;
    };
    for (const Json& j : list("checklist"))
        plan.checklist.push_back({readId(j, "id"), textOr(j, "text", ""), textOr(j, "automatic", ""),
                                  boolOr(j, "must", false), readTime(j, "ticked"),
                                  unknownOf(j, {"id", "text", "automatic", "must", "ticked"})});
    for (const Json& j : list("seals")) {
        Seal s;
        s.sortie = static_cast<int>(numberOr(j, "sortie", 0, 0, 1e6));
        const std::string print = textOr(j, "fingerprint", "");
        const auto end = std::from_chars(print.data(), print.data() + print.size(), s.fingerprint, 16);
        if (print.empty() || end.ec != std::errc{} || end.ptr != print.data() + print.size())
            wrong("the fingerprint of a seal must be 16 hexadecimal digits");
        s.time_unix_s = readTime(j, "time");
        s.vehicle = static_cast<int>(numberOr(j, "vehicle", 0, 0, 255));
        s.revision = static_cast<int>(numberOr(j, "revision", 1, 1, 1e9));
        s.stored = boolOr(j, "stored", false);
        s.flown_unix_s = readTime(j, "flown");
        const Json items = j.value("items", Json::array());
        int* const counts[] = {&s.mission, &s.fence, &s.rally};
        for (std::size_t i = 0; items.is_array() && i < items.size() && i < std::size(counts); ++i)
            if (items[i].is_number_integer() && items[i] >= 0 && items[i] <= 65535) *counts[i] = items[i].get<int>();
        s.unknown = unknownOf(j, {"sortie", "fingerprint", "time", "vehicle", "revision", "stored", "flown", "items"});
        if (plan.sealOf(s.sortie) != nullptr) wrong("sortie {} has two seals", s.sortie);
        plan.seals.push_back(std::move(s));
    }
    plan.revision = static_cast<int>(numberOr(a, "revision", 1, 1, 1e9));
    plan.frozen = boolOr(a, "frozen", boolOr(a, "locked", false));  // "locked": formats 1 to 5
}

void readPlanMembers(Plan& plan, const Json& a, int format) {
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
    plan.defaults.follow_tolerance_m = numberOr(d, "follow_tolerance_m", plan.defaults.follow_tolerance_m, 0.5, 100);
    plan.defaults.hold_s = numberOr(d, "hold_s", plan.defaults.hold_s, 0, 86400);
    const Json v = section("vehicle");
    plan.vehicle = vehicleOfKind(
        static_cast<VehicleKind>(valueOf(kVehicleKinds, textOr(v, "kind", "multirotor"), "vehicle kind")));
    plan.vehicle.name = textOr(v, "name", plan.vehicle.name.c_str());
    for (const Number& n : vehicleNumbers(plan.vehicle)) *n.value = numberOr(v, n.key, *n.value, n.low, n.high);
    if (format < kBladesFormat && v.contains("efficiency")) splitOffBlades(plan.vehicle);
    const Json c = section("camera");
    plan.camera.name = textOr(c, "name", plan.camera.name.c_str());
    for (const Number& n : cameraNumbers(plan.camera)) *n.value = numberOr(c, n.key, *n.value, n.low, n.high);
    plan.camera.px_across = static_cast<int>(numberOr(c, "px_across", plan.camera.px_across, 1, 200000));
    plan.camera.px_along = static_cast<int>(numberOr(c, "px_along", plan.camera.px_along, 1, 200000));
    plan.camera.portrait = boolOr(c, "portrait", plan.camera.portrait);
    plan.camera.triggered = boolOr(c, "triggered", plan.camera.triggered);
    const Json t = section("autopilot");
    plan.traits.item_limit = static_cast<int>(numberOr(t, "item_limit", plan.traits.item_limit, 1, 65535));
    plan.traits.item0_is_home = boolOr(t, "item0_is_home", plan.traits.item0_is_home);
    plan.traits.repeats_rearm = boolOr(t, "repeats_rearm", plan.traits.repeats_rearm);
    plan.traits.splines = boolOr(t, "splines", plan.traits.splines);
    plan.traits.lowest_height_m = numberOr(t, "lowest_height_m", plan.traits.lowest_height_m, -500, 1000);
    plan.traits.change_ahead = static_cast<int>(numberOr(t, "change_ahead", plan.traits.change_ahead, 0, 65535));
    plan.traits.first_waypoint_max_m = numberOr(t, "first_waypoint_max_m", plan.traits.first_waypoint_max_m, 1, 1e6);
    OwnWays& ways = plan.traits.ways;
    ways.acceptance_m = numberOr(t, "own_acceptance_m", ways.acceptance_m, 0, kWidestAcceptance_m);
    ways.jerk_mps3 = numberOr(t, "own_jerk_mps3", ways.jerk_mps3, 0, kMostJerk_mps3);
    ways.return_cone = numberOr(t, "return_cone", ways.return_cone, 0, kSteepestCone);
    ways.return_wait_s = numberOr(t, "return_wait_s", ways.return_wait_s, 0, kLongestWait_s);
    ways.wing_lands = boolOr(t, "return_wing_lands", ways.wing_lands);
    plan.clearance_min_m = numberOr(a, "clearance_min_m", plan.clearance_min_m, 0, 10000);
    plan.clearance_margin_m = numberOr(a, "clearance_margin_m", plan.clearance_margin_m, 0, 10000);
    if (a.contains("ceiling_m") && !a.at("ceiling_m").is_null())
        plan.ceiling_m = number(a, "ceiling_m", -kMaxHeight_m, kMaxHeight_m);
    if (a.contains("floor_m") && !a.at("floor_m").is_null())
        plan.floor_m = number(a, "floor_m", -kMaxHeight_m, kMaxHeight_m);
    const auto action = [&](const char* key, SafetyAction& to, std::optional<SafetyAction> never) {
        if (!a.contains(key)) return;
        to = static_cast<SafetyAction>(valueOf(kSafetyActions, textOr(a, key, ""), key));
        if (to == never) wrong("{} cannot be \"{}\"", key, textOr(a, key, ""));
    };
    if (a.contains("ending")) {
        plan.at_end = static_cast<AtEnd>(valueOf(kEnds, textOr(a, "ending", ""), "ending"));
    } else if (a.contains("at_end")) {
        // Earlier versions told it to nobody and wrote "hold" where nobody had chosen.
        SafetyAction before = SafetyAction::hold;
        action("at_end", before, SafetyAction::carryOn);
        plan.at_end = before == SafetyAction::returnHome ? AtEnd::returnAndLand
                      : before == SafetyAction::land     ? AtEnd::landThere
                                                         : AtEnd::unsaid;
    }
    action("lost_link", plan.lost_link, {});
    action("low_battery", plan.low_battery, SafetyAction::hold);
    plan.return_height_m = numberOr(a, "return_height_m", plan.return_height_m, 0, kMaxHeight_m);
    if (a.contains("heights_set_at_amsl_m"))
        plan.heights_set_at_amsl_m = number(a, "heights_set_at_amsl_m", -kMaxHeight_m, kMaxHeight_m);
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
    const Json sections = a.value("sections", Json::array());
    if (!sections.is_array()) wrong("sections must be a list");
    for (const Json& s : sections) {
        if (!s.is_object()) wrong("a section must be an object");
        plan.sections.push_back({readId(s, "id"), textOr(s, "name", "")});
    }
    const Json cuts = a.value("sorties", Json::array());
    if (!cuts.is_array()) wrong("sorties must be a list");
    if (cuts.size() > kMaxItems) wrong("{} sorties, more than the {} a plan may hold", cuts.size(), kMaxItems);
    for (const Json& j : cuts) {
        if (!j.is_object()) wrong("a sortie must be an object");
        plan.cuts.push_back({readId(j, "from"), static_cast<int>(numberOr(j, "line", 0, 0, 1e6)),
                             static_cast<int>(numberOr(j, "photo", 0, 0, 1e6))});
    }
    readFieldData(plan, a);
    plan.unknown = unknownOf(a, {"format",
                                 "checklist",
                                 "seals",
                                 "revision",
                                 "locked",
                                 "frozen",
                                 "sorties",
                                 "title",
                                 "notes",
                                 "home",
                                 "defaults",
                                 "vehicle",
                                 "camera",
                                 "autopilot",
                                 "clearance_min_m",
                                 "clearance_margin_m",
                                 "ceiling_m",
                                 "floor_m",
                                 "sections",
                                 "return_height_m",
                                 "at_end",
                                 "ending",
                                 "lost_link",
                                 "low_battery",
                                 "heights_set_at_amsl_m",
                                 "terrain",
                                 "imagery",
                                 "next_id"});
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
    readPlanMembers(plan, *a, static_cast<int>(version));
    const Json features = root.value("features", Json());
    if (!features.is_array()) wrong("features must be a list");
    if (features.size() > kMaxItems) wrong("{} features, more than the {} a plan may hold", features.size(), kMaxItems);
    std::set<ItemId> ids;
    for (const Section& s : plan.sections)
        if (!ids.insert(s.id).second) wrong("id {} is used twice", s.id);
    for (const CheckItem& c : plan.checklist)
        if (!ids.insert(c.id).second) wrong("id {} is used twice", c.id);
    for (std::size_t i = 0; i < features.size(); ++i) {
        try {
            const Json& feature = features[i];
            if (!feature.is_object()) wrong("must be an object");
            const Json data = feature.value("anhinga", Json());
            if (!data.is_object()) wrong("the member \"anhinga\" is missing");
            const std::string type = textOr(data, "type", "");
            ItemId id = 0;
            if (type == "item") {
                plan.items.push_back(readItem(feature, data, static_cast<int>(version)));
                id = plan.items.back().id;
            } else if (type == "fence") {
                plan.fences.push_back(readFence(feature, data));
                id = plan.fences.back().id;
            } else if (type == "rally") {
                plan.rally.push_back(readRally(feature, data));
                id = plan.rally.back().id;
            } else if (type == "obstacle") {
                plan.obstacles.push_back(readObstacle(feature, data));
                id = plan.obstacles.back().id;
            } else if (type == "airspace") {
                plan.zones.push_back(readZone(feature, data));
                id = plan.zones.back().id;
            } else if (type == "airspace-cover") {
                plan.covers.push_back(readCover(feature, data));
                id = plan.covers.back().id;
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

bool setCameraByOldWord(Pattern& pattern, std::string_view word) {
    struct Old {
        const char* word;
        CameraMakes makes;
        PhotoWhen when;
    };
    constexpr Old kOld[] = {{"distance", CameraMakes::photos, PhotoWhen::distance},
                            {"time", CameraMakes::photos, PhotoWhen::time},
                            {"stop", CameraMakes::photos, PhotoWhen::standing},
                            {"video", CameraMakes::film, PhotoWhen::distance},
                            {"none", CameraMakes::nothing, PhotoWhen::distance}};
    for (const Old& o : kOld)
        if (word == o.word) {
            pattern.makes = o.makes;
            pattern.when = o.when;
            return true;
        }
    return false;
}

Result<Plan> readPlanText(std::string_view text, const std::string& name) {
    if (text.empty()) return fail("{}: the file is empty", name);
    if (nestsDeeper(text)) return fail("{}: lists and objects more than {} deep within each other", name, kDeepestJson);
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

}  // namespace anhinga
