#include "core/plan/ProfileLibrary.h"

#include <nlohmann/json.hpp>

#include "core/base/Json.h"
#include "core/plan/PlanMembers.h"

namespace anhinga {

namespace {

using Json = nlohmann::ordered_json;
using planfile::Number;

constexpr std::size_t kMostProfiles = 1000;
constexpr int kFormat = 2;  // 1: multirotors without the share of their blades

struct WrongProfile {
    std::string message;
};

/// A number of `j` if it is there and in range; else what is wrong.
void take(const Json& j, const char* key, double low, double high, double& to) {
    const auto at = j.find(key);
    if (at == j.end()) return;
    const double v = at->is_number() ? at->get<double>() : NAN;
    if (!(v >= low && v <= high)) throw WrongProfile{fmt::format("{} must be a number from {} to {}", key, low, high)};
    to = v;
}
void take(const Json& j, const char* key, int low, int high, int& to) {
    double v = to;
    take(j, key, static_cast<double>(low), static_cast<double>(high), v);
    to = static_cast<int>(v);
}
void take(const Json& j, const char* key, bool& to) {
    const auto at = j.find(key);
    if (at == j.end()) return;
    if (!at->is_boolean()) throw WrongProfile{fmt::format("{} must be true or false", key)};
    to = at->get<bool>();
}

VehicleProfile vehicleOf(const Json& j, const std::string& name, double format) {
    VehicleProfile v;
    if (j.contains("kind")) {
        bool known = false;
        for (const planfile::Name& n : planfile::kVehicleKinds)
            if (j["kind"] == n.text) {
                v = planfile::vehicleOfKind(static_cast<VehicleKind>(n.value));
                known = true;
            }
        if (!known) throw WrongProfile{"kind must be multirotor, fixed-wing or helicopter"};
    }
    v.name = name;
    for (const Number& n : planfile::vehicleNumbers(v)) take(j, n.key, n.low, n.high, *n.value);
    if (format < kFormat && j.contains("efficiency")) planfile::splitOffBlades(v);
    return v;
}
CameraProfile cameraOf(const Json& j, const std::string& name) {
    CameraProfile c;
    c.name = name;
    for (const Number& n : planfile::cameraNumbers(c)) take(j, n.key, n.low, n.high, *n.value);
    take(j, "px_across", 1, 200000, c.px_across);
    take(j, "px_along", 1, 200000, c.px_along);
    take(j, "portrait", c.portrait);
    take(j, "triggered", c.triggered);
    return c;
}
NamedTraits traitsOf(const Json& j, const std::string& name) {
    NamedTraits t{name, {}};
    take(j, "item_limit", 1, 65535, t.traits.item_limit);
    take(j, "item0_is_home", t.traits.item0_is_home);
    take(j, "repeats_rearm", t.traits.repeats_rearm);
    take(j, "splines", t.traits.splines);
    take(j, "first_waypoint_max_m", 1.0, 1e6, t.traits.first_waypoint_max_m);
    take(j, "lowest_height_m", -500.0, 1000.0, t.traits.lowest_height_m);
    take(j, "change_ahead", 0, 65535, t.traits.change_ahead);
    take(j, "own_acceptance_m", 0.0, planfile::kWidestAcceptance_m, t.traits.ways.acceptance_m);
    take(j, "own_jerk_mps3", 0.0, planfile::kMostJerk_mps3, t.traits.ways.jerk_mps3);
    take(j, "return_cone", 0.0, planfile::kSteepestCone, t.traits.ways.return_cone);
    take(j, "return_wait_s", 0.0, planfile::kLongestWait_s, t.traits.ways.return_wait_s);
    take(j, "return_wing_lands", t.traits.ways.wing_lands);
    return t;
}

template <class T, class F>
std::vector<T> listOf(const Json& root, const char* key, F one) {
    std::vector<T> out;
    const auto list = root.find(key);
    if (list == root.end()) return out;
    if (!list->is_array()) throw WrongProfile{fmt::format("{} must be a list", key)};
    if (list->size() > kMostProfiles) throw WrongProfile{fmt::format("more than {} {}", kMostProfiles, key)};
    for (const Json& j : *list) {
        const auto name = j.is_object() ? j.find("name") : j.end();
        if (!j.is_object() || name == j.end() || !name->is_string() || name->get<std::string>().empty())
            throw WrongProfile{fmt::format("entry {} of {} has no name", out.size() + 1, key)};
        try {
            out.push_back(one(j, name->get<std::string>()));
        } catch (const WrongProfile& w) {
            throw WrongProfile{fmt::format("{} \"{}\": {}", key, name->get<std::string>().substr(0, 60), w.message)};
        }
    }
    return out;
}

}  // namespace

void planfile::splitOffBlades(VehicleProfile& v) {
    if (v.kind != VehicleKind::multirotor) return;
    v.blade_share = std::min(VehicleProfile{}.blade_share, 1 / v.efficiency - 1);
    v.efficiency *= 1 + v.blade_share;
    struct Once {
        double mass_kg, drag_area_m2;
    };
    static constexpr Once kOnce[] = {{1.9, 0.035}, {0.9, 0.02}, {3.5, 0.06}, {9, 0.14}};
    for (const Once& once : kOnce)
        if (v.mass_kg == once.mass_kg && v.drag_area_m2 == once.drag_area_m2)
            for (const VehicleProfile& now : genericProfiles().vehicles)
                if (now.kind == v.kind && now.mass_kg == v.mass_kg) v.drag_area_m2 = now.drag_area_m2;
}

VehicleProfile skimmer() {
    VehicleProfile v;
    v.name = "Skimmer 2";
    v.kind = VehicleKind::fixedWing;
    v.cruise_mps = 16;
    v.max_mps = 24;
    v.climb_mps = 3;
    v.descent_mps = 2.5;
    v.mass_kg = 2.6;
    v.other_power_w = 12;
    v.efficiency = 0.5;
    v.battery_wh = 104;
    return v;
}
VehicleProfile helicopter() {
    VehicleProfile v = planfile::vehicleOfKind(VehicleKind::helicopter);
    v.name = "Single-rotor helicopter, 6 kg";
    v.cruise_mps = 12;
    v.max_mps = 22;
    v.climb_mps = 3;
    v.mass_kg = 6;
    v.rotor_area_m2 = 2.2;
    v.drag_area_m2 = 0.08;
    v.efficiency = 0.75;
    v.other_power_w = 25;
    v.battery_wh = 533;
    v.battery_cells = 12;
    v.battery_resistance_ohm = 0.03;
    return v;
}

ProfileLibrary genericProfiles() {
    ProfileLibrary library;
    const VehicleProfile standard;
    VehicleProfile small = standard;
    small.name = "Small folding quadcopter, 0.9 kg";
    small.cruise_mps = 9;
    small.max_mps = 15;
    small.mass_kg = 0.9;
    small.rotor_area_m2 = 0.18;
    small.drag_area_m2 = 0.0285;
    small.battery_wh = 60;
    VehicleProfile survey = standard;
    survey.name = "Survey quadcopter, 3.5 kg";
    survey.cruise_mps = 10;
    survey.max_mps = 18;
    survey.mass_kg = 3.5;
    survey.rotor_area_m2 = 0.62;
    survey.drag_area_m2 = 0.093;
    survey.battery_wh = 270;
    survey.battery_cells = 6;
    survey.battery_resistance_ohm = 0.02;
    VehicleProfile heavy = standard;
    heavy.name = "Heavy hexacopter, 9 kg";
    heavy.cruise_mps = 8;
    heavy.accel_mps2 = 2;
    heavy.mass_kg = 9;
    heavy.rotor_area_m2 = 1.6;
    heavy.drag_area_m2 = 0.355;
    heavy.other_power_w = 40;
    heavy.battery_wh = 710;
    heavy.battery_cells = 12;
    heavy.battery_resistance_ohm = 0.02;
    library.vehicles = {standard, small, survey, heavy, skimmer(), helicopter()};
    struct Lens {
        const char* name;
        double w, h, f;
        int across, along;
        double interval, mb, up;
    };
    static constexpr Lens kLenses[] = {{"1/2.3-inch 12 MP, 4.3 mm", 6.2, 4.6, 4.3, 4000, 3000, 1.0, 5, 20},
                                       {"4/3-inch 20 MP, 12 mm", 17.3, 13.0, 12, 5200, 3900, 0.7, 10, 30},
                                       {"APS-C 24 MP, 16 mm", 23.5, 15.6, 16, 6000, 4000, 1.0, 12, 0},
                                       {"Full frame 45 MP, 35 mm", 36.0, 24.0, 35, 8250, 5500, 0.8, 22, 30},
                                       {"Thermal 640 x 512, 13 mm", 7.68, 6.14, 13, 640, 512, 1.0, 1, 30}};
    library.cameras = {CameraProfile{}};
    for (const Lens& l : kLenses) {
        CameraProfile c;
        c.name = l.name;
        c.sensor_w_mm = l.w;
        c.sensor_h_mm = l.h;
        c.focal_mm = l.f;
        c.px_across = l.across;
        c.px_along = l.along;
        c.min_interval_s = l.interval;
        c.photo_mb = l.mb;
        c.pitch_max_deg = l.up;
        library.cameras.push_back(c);
    }
    AutopilotTraits usual;  // family 3, as delivered
    usual.ways = {2, 1, 3, 5, false};
    AutopilotTraits winged = usual;
    winged.ways.acceptance_m = 90;
    AutopilotTraits other;  // family 12: item 0 is a real item, no spline waypoints
    other.item0_is_home = false;
    other.splines = false;
    other.item_limit = 500;
    other.first_waypoint_max_m = 900;
    other.ways.jerk_mps3 = 4;
    other.ways.wing_lands = false;
    AutopilotTraits cautious;  // of an unknown family the least is expected
    cautious.item0_is_home = false;
    cautious.splines = false;
    cautious.repeats_rearm = false;
    cautious.item_limit = 100;
    cautious.first_waypoint_max_m = 500;
    cautious.ways.jerk_mps3 = 1;
    cautious.ways.wing_lands = false;
    library.autopilots = {{"MAVLink autopilot family 3", usual},
                          {"MAVLink autopilot family 3, fixed wing", winged},
                          {"MAVLink autopilot family 12", other},
                          {"Unknown family, cautious", cautious}};
    return library;
}

Result<ProfileLibrary> readProfiles(std::string_view text, const std::string& name) {
    if (nestsDeeper(text)) return fail("{}: lists and objects more than {} deep within each other", name, kDeepestJson);
    try {
        const Json root = Json::parse(text);
        if (!root.is_object() || !root.contains("anhinga_profiles"))
            return fail("{}: not a file of profiles: the member \"anhinga_profiles\" is missing", name);
        double format = 0;
        take(root, "anhinga_profiles", 0.0, 1e6, format);
        if (format > kFormat) return fail("{}: written by a newer version (profiles format {})", name, format);
        const auto vehicle = [&](const Json& j, const std::string& of) { return vehicleOf(j, of, format); };
        return ProfileLibrary{listOf<VehicleProfile>(root, "vehicles", vehicle),
                              listOf<CameraProfile>(root, "cameras", cameraOf),
                              listOf<NamedTraits>(root, "autopilots", traitsOf)};
    } catch (const WrongProfile& w) {
        return fail("{}: {}", name, w.message);
    } catch (const std::exception& e) {
        return fail("{}: not a file of profiles ({})", name, e.what());
    }
}

std::string writeProfiles(const ProfileLibrary& library) {
    Json root{{"anhinga_profiles", kFormat}};
    root["vehicles"] = root["cameras"] = root["autopilots"] = Json::array();
    for (VehicleProfile v : library.vehicles) {
        Json j{{"name", v.name}, {"kind", planfile::nameOf(planfile::kVehicleKinds, int(v.kind))}};
        for (const Number& n : planfile::vehicleNumbers(v)) j[n.key] = *n.value;
        root["vehicles"].push_back(j);
    }
    for (CameraProfile c : library.cameras) {
        Json j{{"name", c.name}, {"px_across", c.px_across}, {"px_along", c.px_along}};
        for (const Number& n : planfile::cameraNumbers(c)) j[n.key] = *n.value;
        if (c.portrait) j["portrait"] = true;
        if (!c.triggered) j["triggered"] = false;
        root["cameras"].push_back(j);
    }
    for (const NamedTraits& t : library.autopilots)
        root["autopilots"].push_back({{"name", t.name},
                                      {"item_limit", t.traits.item_limit},
                                      {"item0_is_home", t.traits.item0_is_home},
                                      {"repeats_rearm", t.traits.repeats_rearm},
                                      {"splines", t.traits.splines},
                                      {"first_waypoint_max_m", t.traits.first_waypoint_max_m},
                                      {"lowest_height_m", t.traits.lowest_height_m},
                                      {"change_ahead", t.traits.change_ahead},
                                      {"own_acceptance_m", t.traits.ways.acceptance_m},
                                      {"own_jerk_mps3", t.traits.ways.jerk_mps3},
                                      {"return_cone", t.traits.ways.return_cone},
                                      {"return_wait_s", t.traits.ways.return_wait_s},
                                      {"return_wing_lands", t.traits.ways.wing_lands}});
    return root.dump(1, ' ', false, Json::error_handler_t::replace) + "\n";
}

namespace {

struct Label {
    const char *key, *label, *unit;
};
constexpr Label kLabels[] = {{"cruise_mps", "Cruise", "m/s"},
                             {"max_mps", "Fastest", "m/s"},
                             {"climb_mps", "Climb", "m/s"},
                             {"descent_mps", "Descent", "m/s"},
                             {"land_mps", "Touchdown", "m/s"},
                             {"accel_mps2", "Acceleration", "m/s²"},
                             {"jerk_mps3", "Jerk", "m/s³"},
                             {"stall_mps", "Stall", "m/s"},
                             {"stall_margin_percent", "Margin to stall", "%"},
                             {"bank_deg", "Bank, most", "°"},
                             {"roll_rate_dps", "Roll rate", "°/s"},
                             {"circle_radius_m", "Circles, radius", "m"},
                             {"wing_area_m2", "Wing area", "m²"},
                             {"drag_zero", "Drag without lift", ""},
                             {"drag_induced", "Drag by lift²", ""},
                             {"spool_s", "Rotor start", "s"},
                             {"tip_mps", "Blade tips", "m/s"},
                             {"blade_share", "Blade drag, share", ""},
                             {"solidity", "Blade share", ""},
                             {"yaw_rate_dps", "Turn rate", "°/s"},
                             {"mass_kg", "Mass", "kg"},
                             {"rotor_area_m2", "Rotor area", "m²"},
                             {"drag_area_m2", "Drag area", "m²"},
                             {"efficiency", "Efficiency", ""},
                             {"other_power_w", "Other power", "W"},
                             {"battery_wh", "Battery", "Wh"},
                             {"battery_cells", "Cells in series", ""},
                             {"battery_resistance_ohm", "Resistance", "Ω"},
                             {"reserve_percent", "Reserve", "%"},
                             {"sensor_w_mm", "Sensor width", "mm"},
                             {"sensor_h_mm", "Sensor height", "mm"},
                             {"focal_mm", "Focal length", "mm"},
                             {"min_interval_s", "Interval, least", "s"},
                             {"shutter_s", "Shutter", "s"},
                             {"photo_mb", "Photo size", "MB"},
                             {"card_gb", "Card holds", "GB"},
                             {"pitch_min_deg", "Gimbal lowest", "°"},
                             {"pitch_max_deg", "Gimbal highest", "°"}};

std::vector<ProfileNumber> labelled(const std::vector<Number>& numbers) {
    std::vector<ProfileNumber> out;
    for (const Number& n : numbers)
        for (const Label& l : kLabels)
            if (std::string_view(l.key) == n.key) out.push_back({l.label, l.unit, n.value, n.low, n.high});
    return out;
}

}  // namespace

std::vector<ProfileNumber> numbersOf(VehicleProfile& vehicle) {
    return labelled(planfile::vehicleNumbers(vehicle));
}
std::vector<ProfileNumber> numbersOf(CameraProfile& camera) {
    return labelled(planfile::cameraNumbers(camera));
}

}  // namespace anhinga
