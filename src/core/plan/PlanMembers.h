// Names and numbers of the plan file that its writer and its reader share. Inside core/plan only.
#pragma once

#include <string_view>
#include <vector>

#include "core/plan/Plan.h"

namespace anhinga::planfile {

struct Name {
    const char* text;
    int value;
};
inline constexpr Name kKinds[] = {{"take-off", int(ItemKind::takeOff)},
                                  {"waypoint", int(ItemKind::waypoint)},
                                  {"hold", int(ItemKind::hold)},
                                  {"circle", int(ItemKind::holdTurns)},
                                  {"height-change", int(ItemKind::loiterToHeight)},
                                  {"land", int(ItemKind::land)},
                                  {"return-home", int(ItemKind::returnHome)},
                                  {"block", int(ItemKind::block)},
                                  {"corridor", int(ItemKind::corridor)},
                                  {"rings", int(ItemKind::rings)},
                                  {"face", int(ItemKind::face)},
                                  {"lap", int(ItemKind::lap)}};
inline constexpr Name kMakes[] = {
    {"photos", int(CameraMakes::photos)}, {"film", int(CameraMakes::film)}, {"nothing", int(CameraMakes::nothing)}};
inline constexpr Name kWhen[] = {
    {"distance", int(PhotoWhen::distance)}, {"time", int(PhotoWhen::time)}, {"point", int(PhotoWhen::standing)}};
inline constexpr Name kObstacles[] = {
    {"mast", int(ObstacleKind::mast)}, {"wire", int(ObstacleKind::wire)}, {"trees", int(ObstacleKind::trees)}};
inline constexpr Name kRefs[] = {
    {"home", int(HeightRef::home)}, {"amsl", int(HeightRef::amsl)}, {"ground", int(HeightRef::ground)}};

template <std::size_t N>
const char* nameOf(const Name (&names)[N], int value) {
    for (const Name& n : names)
        if (n.value == value) return n.text;
    return "";
}
constexpr double kSteepestCone = 10, kLongestWait_s = 3600;  // of a return
constexpr double kWidestAcceptance_m = 1000, kMostJerk_mps3 = 1000;

/// A vehicle of a kind, with what a file of it may leave out.
inline VehicleProfile vehicleOfKind(VehicleKind kind) {
    constexpr double kHelicopterTip_mps = 110;
    VehicleProfile v;
    v.kind = kind;
    if (kind == VehicleKind::helicopter) v.tip_mps = kHelicopterTip_mps;
    return v;
}
/// A multirotor as it was written before its blades' own drag was a number: hovers on the same power, and needs more
/// in cruise than was said then. Drag areas that came with the library of that time are those it has now.
void splitOffBlades(VehicleProfile& v);

// The numbers of a profile: one table serves writing and reading.
struct Number {
    const char* key;
    double* value;
    double low, high;
};
/// Those that mean something for its kind.
inline std::vector<Number> vehicleNumbers(VehicleProfile& v) {
    std::vector<Number> numbers{{"cruise_mps", &v.cruise_mps, 0.1, 100}, {"max_mps", &v.max_mps, 0.1, 150},
                                {"climb_mps", &v.climb_mps, 0.1, 50},    {"descent_mps", &v.descent_mps, 0.1, 50},
                                {"land_mps", &v.land_mps, 0.1, 10},      {"accel_mps2", &v.accel_mps2, 0.1, 50}};
    const auto add = [&](std::initializer_list<Number> more) { numbers.insert(numbers.end(), more); };
    if (v.kind == VehicleKind::fixedWing)
        add({{"stall_mps", &v.stall_mps, 1, 100},
             {"stall_margin_percent", &v.stall_margin_percent, 0, 200},
             {"bank_deg", &v.bank_deg, 5, 75},
             {"roll_rate_dps", &v.roll_rate_dps, 5, 720},
             {"circle_radius_m", &v.circle_radius_m, 5, 5000},
             {"mass_kg", &v.mass_kg, 0.02, 1000},
             {"wing_area_m2", &v.wing_area_m2, 0.01, 500},
             {"drag_zero", &v.drag_zero, 0.001, 1},
             {"drag_induced", &v.drag_induced, 0, 1}});
    else
        add({{"jerk_mps3", &v.jerk_mps3, 0.2, kMostJerk_mps3},
             {"yaw_rate_dps", &v.yaw_rate_dps, 1, 720},
             {"mass_kg", &v.mass_kg, 0.02, 1000},
             {"rotor_area_m2", &v.rotor_area_m2, 0.001, 500},
             {"drag_area_m2", &v.drag_area_m2, 0, 50}});
    if (v.kind == VehicleKind::multirotor)
        add({{"tip_mps", &v.tip_mps, 10, 300}, {"blade_share", &v.blade_share, 0, 3}});
    if (v.kind == VehicleKind::helicopter)
        add({{"spool_s", &v.spool_s, 0, 600}, {"tip_mps", &v.tip_mps, 10, 300}, {"solidity", &v.solidity, 0.005, 0.3}});
    add({{"efficiency", &v.efficiency, 0.05, 1},
         {"other_power_w", &v.other_power_w, 0, 1e5},
         {"battery_wh", &v.battery_wh, 0.1, 1e6},
         {"battery_cells", &v.battery_cells, 1, 200},
         {"battery_resistance_ohm", &v.battery_resistance_ohm, 0, 10},
         {"reserve_percent", &v.reserve_percent, 0, 95}});
    return numbers;
}
constexpr int kBladesFormat = 8;  // of a plan file: the first that knows a multirotor's blades
inline constexpr Name kVehicleKinds[] = {{"multirotor", int(VehicleKind::multirotor)},
                                         {"fixed-wing", int(VehicleKind::fixedWing)},
                                         {"helicopter", int(VehicleKind::helicopter)}};
inline constexpr Name kSafetyActions[] = {{"return-home", int(SafetyAction::returnHome)},
                                          {"land", int(SafetyAction::land)},
                                          {"hold", int(SafetyAction::hold)},
                                          {"carry-on", int(SafetyAction::carryOn)}};
inline constexpr Name kEnds[] = {{"unsaid", int(AtEnd::unsaid)},
                                 {"return-and-land", int(AtEnd::returnAndLand)},
                                 {"return-and-wait", int(AtEnd::returnAndWait)},
                                 {"land-there", int(AtEnd::landThere)},
                                 {"wait-there", int(AtEnd::waitThere)}};
inline constexpr Name kLeaves[] = {
    {"unsaid", int(Leave::unsaid)}, {"by-order", int(Leave::byOrder)}, {"at-reserve", int(Leave::atReserve)}};
inline std::vector<Number> cameraNumbers(CameraProfile& c) {
    return {{"sensor_w_mm", &c.sensor_w_mm, 0.5, 200},
            {"sensor_h_mm", &c.sensor_h_mm, 0.5, 200},
            {"focal_mm", &c.focal_mm, 0.5, 2000},
            {"min_interval_s", &c.min_interval_s, 0, 3600},
            {"shutter_s", &c.shutter_s, 0, 60},
            {"photo_mb", &c.photo_mb, 0, 10000},
            {"card_gb", &c.card_gb, 0, 100000},
            {"pitch_min_deg", &c.pitch_min_deg, -180, 180},
            {"pitch_max_deg", &c.pitch_max_deg, -180, 180}};
}
// What a pattern is told, and the kinds it concerns: b block, c corridor, r rings, f face, l lap.
struct PatternNumber {
    const char* key;
    double Pattern::*value;
    double low, high;
    const char* kinds;
};
inline constexpr PatternNumber kPatternNumbers[] = {{"overlap_percent", &Pattern::overlap_percent, 0, 99, "bcf"},
                                                    {"sidelap_percent", &Pattern::sidelap_percent, 0, 99, "bcf"},
                                                    {"heading_deg", &Pattern::heading_deg, -360, 360, "b"},
                                                    {"margin_m", &Pattern::margin_m, 0, 10000, "bc"},
                                                    {"lead_m", &Pattern::lead_m, 0, 5000, "bc"},
                                                    {"tolerance_m", &Pattern::tolerance_m, 0.2, 100, "bc"},
                                                    {"nudge_east_m", &Pattern::nudge_east_m, -5000, 5000, "b"},
                                                    {"nudge_north_m", &Pattern::nudge_north_m, -5000, 5000, "b"},
                                                    {"width_m", &Pattern::width_m, 0.1, 20000, "c"},
                                                    {"offset_m", &Pattern::offset_m, -10000, 10000, "c"},
                                                    {"radius_m", &Pattern::radius_m, 1, 20000, "r"},
                                                    {"radius_step_m", &Pattern::radius_step_m, -1000, 1000, "r"},
                                                    {"low_m", &Pattern::low_m, -1000, 20000, "rf"},
                                                    {"high_m", &Pattern::high_m, -1000, 20000, "rf"},
                                                    {"step_up_m", &Pattern::step_up_m, 0, 1000, "rf"},
                                                    {"spacing_m", &Pattern::spacing_m, 0, 5000, "bcrfl"},
                                                    {"every_s", &Pattern::every_s, 0, 3600, "bcrfl"},
                                                    {"start_deg", &Pattern::start_deg, -360, 360, "r"},
                                                    {"stand_off_m", &Pattern::stand_off_m, 1, 2000, "f"}};
/// Lists of angles.
struct PatternAngles {
    const char* key;
    std::vector<double> Pattern::*value;
    double low, high;
};
inline constexpr PatternAngles kPatternAngles[] = {{"tilts_deg", &Pattern::tilts_deg, -90, 90},
                                                   {"turns_deg", &Pattern::turns_deg, -180, 180}};
inline constexpr std::size_t kMostAngles = 50;
struct PatternCount {
    const char* key;
    int Pattern::*value;
    int low, high;
    const char* kinds;
};
inline constexpr PatternCount kPatternCounts[] = {{"start_corner", &Pattern::start_corner, 0, 3, "b"},
                                                  {"strips", &Pattern::strips, 0, 1000, "c"},
                                                  {"per_ring", &Pattern::per_ring, 3, 2000, "r"},
                                                  {"shots", &Pattern::shots, 1, 50, "f"}};
struct PatternSwitch {
    const char* key;
    bool Pattern::*value;
    const char* kinds;
};
inline constexpr PatternSwitch kPatternSwitches[] = {{"best_heading", &Pattern::best_heading, "b"},
                                                     {"reverse", &Pattern::reverse, "bcfl"},
                                                     {"crossing", &Pattern::crossing, "b"},
                                                     {"whole_photos", &Pattern::whole_photos, "bc"},
                                                     {"follow", &Pattern::follow, "bc"},
                                                     {"anticlockwise", &Pattern::anticlockwise, "r"},
                                                     {"left_side", &Pattern::left_side, "f"},
                                                     {"columns", &Pattern::columns, "f"}};
inline bool concerns(const char* kinds, ItemKind kind) {
    const char letter = kind == ItemKind::block      ? 'b'
                        : kind == ItemKind::corridor ? 'c'
                        : kind == ItemKind::rings    ? 'r'
                        : kind == ItemKind::face     ? 'f'
                                                     : 'l';
    return std::string_view(kinds).find(letter) != std::string_view::npos;
}

}  // namespace anhinga::planfile
