// Names and numbers of the plan file that its writer and its reader share. Inside core/plan only.
#pragma once

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
                                  {"block", int(ItemKind::block)}};
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
// The numbers of a profile: one table serves writing and reading.
struct Number {
    const char* key;
    double* value;
    double low, high;
};
inline std::vector<Number> vehicleNumbers(VehicleProfile& v) {
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
inline std::vector<Number> cameraNumbers(CameraProfile& c) {
    return {{"sensor_w_mm", &c.sensor_w_mm, 0.5, 200},
            {"sensor_h_mm", &c.sensor_h_mm, 0.5, 200},
            {"focal_mm", &c.focal_mm, 0.5, 2000},
            {"min_interval_s", &c.min_interval_s, 0, 3600},
            {"shutter_s", &c.shutter_s, 0, 60},
            {"photo_mb", &c.photo_mb, 0, 10000},
            {"pitch_min_deg", &c.pitch_min_deg, -180, 180},
            {"pitch_max_deg", &c.pitch_max_deg, -180, 180}};
}

}  // namespace anhinga::planfile
