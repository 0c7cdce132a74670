// Plan -> text of the plan file (docs/plan-format.md).
#include <nlohmann/json.hpp>

#include "core/base/Text.h"
#include "core/geo/Polygon.h"
#include "core/plan/PlanFile.h"
#include "core/plan/PlanMembers.h"

namespace anhinga {

namespace {

using Json = nlohmann::ordered_json;
using namespace planfile;

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
        Json operator()(const Repeat& a) const {
            Json j{{"do", "repeat"}, {"target", a.target}, {"count", a.count}};
            if (a.leave != Leave::unsaid) j["leave"] = nameOf(kLeaves, int(a.leave));
            return j;
        }
        Json operator()(const LookAt& a) const {
            return {{"do", "look-at"}, {"place", point(a.place)}, {"height", heightJson(a.height)}, {"name", a.name}};
        }
        Json operator()(const LookAtStop&) const { return {{"do", "look-at-stop"}}; }
        Json operator()(const PhotoNow&) const { return {{"do", "photo"}}; }
        Json operator()(const PhotoEvery& a) const { return {{"do", "photo-every"}, {"distance_m", a.distance_m}}; }
        Json operator()(const PhotoInterval& a) const {
            return {{"do", "photo-interval"}, {"interval_s", a.interval_s}};
        }
        Json operator()(const Video& a) const { return {{"do", "video"}, {"on", a.on}}; }
        Json operator()(const Delay& a) const { return {{"do", "delay"}, {"delay_s", a.delay_s}}; }
        Json operator()(const SetHeading& a) const { return {{"do", "heading"}, {"heading_deg", a.heading_deg}}; }
        Json operator()(const Servo& a) const {
            return {{"do", "servo"}, {"channel", a.channel}, {"pulse_us", a.pulse_us}};
        }
        Json operator()(const Relay& a) const { return {{"do", "relay"}, {"number", a.number}, {"on", a.on}}; }
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

Json pointJson(GeoPoint p) {
    return Json{{"type", "Point"}, {"coordinates", point(p)}};
}
Json lineJson(const std::vector<GeoPoint>& line) {
    Json list = Json::array();
    for (const GeoPoint& p : line) list.push_back(point(p));
    return Json{{"type", "LineString"}, {"coordinates", list}};
}

/// The members of a pattern that concern its kind and are not as they are at first.
Json patternJson(const Item& item) {
    const Pattern &p = *item.pattern, usual;
    Json j{{"makes", nameOf(kMakes, int(p.makes))}, {"when", nameOf(kWhen, int(p.when))}};
    for (const PatternNumber& n : kPatternNumbers)
        if (concerns(n.kinds, item.kind)) j[n.key] = p.*n.value;
    if (item.kind == ItemKind::face)
        for (const PatternAngles& a : kPatternAngles) j[a.key] = p.*a.value;
    for (const PatternCount& n : kPatternCounts)
        if (concerns(n.kinds, item.kind) && p.*n.value != usual.*n.value) j[n.key] = p.*n.value;
    for (const PatternSwitch& n : kPatternSwitches)
        if (concerns(n.kinds, item.kind) && p.*n.value) j[n.key] = true;
    if (p.gsd_cm) j["gsd_cm"] = *p.gsd_cm;
    if (p.pitch_deg) j["pitch_deg"] = *p.pitch_deg;
    if (concerns("rl", item.kind)) j["target"] = heightJson(p.target);
    return j;
}

Json patternGeometry(const Item& item) {
    const Pattern& p = *item.pattern;
    if (item.kind == ItemKind::rings) return pointJson(p.outline.empty() ? GeoPoint{} : p.outline.front());
    if (!hasArea(item.kind)) return lineJson(p.outline);
    Json polygon = outlineJson(p.outline);
    for (const auto& hole : p.holes) polygon["coordinates"].push_back(outlineJson(hole)["coordinates"][0]);
    return polygon;
}

Json itemFeature(const Item& item) {
    Json data{{"type", "item"}, {"id", item.id}, {"kind", nameOf(kKinds, int(item.kind))}};
    if (!item.name.empty()) data["name"] = item.name;
    if (item.height) data["height"] = heightJson(*item.height);
    if (item.speed_mps) data["speed_mps"] = *item.speed_mps;
    if (item.acceptance_m) data["acceptance_m"] = *item.acceptance_m;
    if (!item.notes.empty()) data["notes"] = item.notes;
    if (item.section != 0) data["section"] = item.section;
    if (item.spline) data["spline"] = true;
    if (item.straight) data["straight"] = true;
    if (item.hold_s) data["hold_s"] = *item.hold_s;
    if (item.kind == ItemKind::holdTurns) {
        data["turns"] = item.turns;
        data["radius_m"] = item.radius_m;
    }
    if (isPattern(item.kind)) data["pattern"] = patternJson(item);
    if (!item.actions.empty()) {
        Json actions = Json::array();
        for (const Action& a : item.actions) actions.push_back(actionJson(a));
        data["actions"] = actions;
    }
    addUnknown(data, item.unknown);
    Json geometry = nullptr;
    if (isPattern(item.kind))
        geometry = patternGeometry(item);
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
    std::vector<GeoPoint> outline = fence.outline;
    if (fence.isCircle()) {
        data["centre"] = point(fence.outline.front());
        data["radius_m"] = fence.radius_m;
        outline = circleOutline(fence.outline.front(), fence.radius_m, 64);  // for programs that know no circles
    }
    addUnknown(data, fence.unknown);
    return Json{{"type", "Feature"},
                {"geometry", outlineJson(outline)},
                {"properties", {{"title", fence.name.empty() ? "Fence" : fence.name}}},
                {"anhinga", data}};
}

Json featureOf(const Json& geometry, const std::string& title, const Json& data) {
    return Json{{"type", "Feature"}, {"geometry", geometry}, {"properties", {{"title", title}}}, {"anhinga", data}};
}
Json rallyFeature(const RallyPoint& rally) {
    Json data{{"type", "rally"}, {"id", rally.id}, {"height", heightJson(rally.height)}};
    if (!rally.name.empty()) data["name"] = rally.name;
    addUnknown(data, rally.unknown);
    return featureOf(pointJson(rally.position), rally.name.empty() ? "Rally point" : rally.name, data);
}

Json obstacleFeature(const Obstacle& o) {
    Json data{{"type", "obstacle"}, {"id", o.id}, {"kind", nameOf(kObstacles, int(o.kind))}};
    if (!o.name.empty()) data["name"] = o.name;
    data["height_m"] = o.height_m;
    if (o.kind == ObstacleKind::mast) data["radius_m"] = o.radius_m;
    data["margin_m"] = o.margin_m;
    addUnknown(data, o.unknown);
    const Json geometry = o.kind == ObstacleKind::mast   ? pointJson(o.points.front())
                          : o.kind == ObstacleKind::wire ? lineJson(o.points)
                                                         : outlineJson(o.points);
    return featureOf(geometry, o.name.empty() ? obstacleText(o.kind) : o.name, data);
}

Json zoneFeature(const Zone& z) {
    Json data{
        {"type", "airspace"}, {"id", z.id}, {"name", z.name}, {"class", z.zone_class}, {"floor", heightJson(z.floor)}};
    if (z.ceiling) data["ceiling"] = heightJson(*z.ceiling);
    if (!z.times.empty()) data["times"] = z.times;
    if (!z.authorisation.empty()) data["authorisation"] = z.authorisation;
    addUnknown(data, z.unknown);
    return featureOf(outlineJson(z.outline), z.name, data);
}

Json coverFeature(const AirspaceCover& c) {
    Json data{{"type", "airspace-cover"}, {"id", c.id}, {"source", c.source}};
    addUnknown(data, c.unknown);
    return featureOf(outlineJson(c.outline), "Airspace data: " + c.source, data);
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
                     {"acceptance_m", plan.defaults.acceptance_m},
                     {"hold_s", plan.defaults.hold_s}};
    if (plan.defaults.follow_tolerance_m != Defaults{}.follow_tolerance_m)
        a["defaults"]["follow_tolerance_m"] = plan.defaults.follow_tolerance_m;
    VehicleProfile vehicle = plan.vehicle;
    a["vehicle"] = {{"name", vehicle.name}, {"kind", nameOf(kVehicleKinds, int(vehicle.kind))}};
    for (const Number& n : vehicleNumbers(vehicle)) a["vehicle"][n.key] = *n.value;
    CameraProfile camera = plan.camera;
    a["camera"] = {{"name", camera.name}, {"px_across", camera.px_across}, {"px_along", camera.px_along}};
    for (const Number& n : cameraNumbers(camera)) a["camera"][n.key] = *n.value;
    if (camera.portrait) a["camera"]["portrait"] = true;
    if (!camera.triggered) a["camera"]["triggered"] = false;
    a["autopilot"] = {{"item_limit", plan.traits.item_limit},
                      {"item0_is_home", plan.traits.item0_is_home},
                      {"repeats_rearm", plan.traits.repeats_rearm},
                      {"splines", plan.traits.splines},
                      {"first_waypoint_max_m", plan.traits.first_waypoint_max_m},
                      {"lowest_height_m", plan.traits.lowest_height_m},
                      {"change_ahead", plan.traits.change_ahead},
                      {"own_acceptance_m", plan.traits.ways.acceptance_m},
                      {"own_jerk_mps3", plan.traits.ways.jerk_mps3},
                      {"return_cone", plan.traits.ways.return_cone},
                      {"return_wait_s", plan.traits.ways.return_wait_s},
                      {"return_wing_lands", plan.traits.ways.wing_lands}};
    a["clearance_min_m"] = plan.clearance_min_m;
    a["clearance_margin_m"] = plan.clearance_margin_m;
    if (plan.ceiling_m) a["ceiling_m"] = *plan.ceiling_m;
    if (plan.floor_m) a["floor_m"] = *plan.floor_m;
    a["return_height_m"] = plan.return_height_m;
    if (plan.at_end != AtEnd::unsaid) a["ending"] = nameOf(kEnds, int(plan.at_end));
    a["lost_link"] = nameOf(kSafetyActions, int(plan.lost_link));
    a["low_battery"] = nameOf(kSafetyActions, int(plan.low_battery));
    if (plan.heights_set_at_amsl_m) a["heights_set_at_amsl_m"] = *plan.heights_set_at_amsl_m;
    a["terrain"] = plan.terrain_files;
    a["imagery"] = plan.imagery_files;
    if (!plan.sections.empty()) {
        a["sections"] = Json::array();
        for (const Section& s : plan.sections) a["sections"].push_back({{"id", s.id}, {"name", s.name}});
    }
    if (!plan.cuts.empty()) {
        a["sorties"] = Json::array();
        for (const Cut& cut : plan.cuts) {
            Json j{{"from", cut.item}};
            if (cut.line > 0) j["line"] = cut.line;
            if (cut.photo > 0) j["photo"] = cut.photo;
            a["sorties"].push_back(j);
        }
    }
    if (!plan.checklist.empty()) {
        a["checklist"] = Json::array();
        for (const CheckItem& c : plan.checklist) {
            Json j{{"id", c.id}, {"text", c.text}};
            if (!c.automatic.empty()) j["automatic"] = c.automatic;
            if (c.must) j["must"] = true;
            if (c.ticked_unix_s > 0) j["ticked"] = isoUtc(c.ticked_unix_s);
            addUnknown(j, c.unknown);
            a["checklist"].push_back(j);
        }
    }
    if (!plan.seals.empty()) {
        a["seals"] = Json::array();
        for (const Seal& s : plan.seals) {
            Json j{{"fingerprint", fmt::format("{:016x}", s.fingerprint)},
                   {"time", isoUtc(s.time_unix_s)},
                   {"vehicle", s.vehicle},
                   {"revision", s.revision},
                   {"items", {s.mission, s.fence, s.rally}}};
            if (s.sortie > 0) j["sortie"] = s.sortie;
            if (s.stored) j["stored"] = true;
            if (s.flown_unix_s > 0) j["flown"] = isoUtc(s.flown_unix_s);
            addUnknown(j, s.unknown);
            a["seals"].push_back(j);
        }
    }
    if (plan.revision > 1) a["revision"] = plan.revision;
    if (plan.frozen) a["frozen"] = true;
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
    for (const RallyPoint& r : plan.rally) features.push_back(rallyFeature(r));
    for (const Obstacle& o : plan.obstacles) features.push_back(obstacleFeature(o));
    for (const Zone& z : plan.zones) features.push_back(zoneFeature(z));
    for (const AirspaceCover& c : plan.covers) features.push_back(coverFeature(c));
    for (std::size_t i = 0; i < features.size(); ++i)
        text += dump(features[i]) + (i + 1 < features.size() ? ",\n" : "\n");
    return text + "]}\n";
}

}  // namespace anhinga
