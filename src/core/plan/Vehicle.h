// The aircraft a plan is made for: how it moves, what it carries, what its autopilot can do.
#pragma once

#include <string>

namespace anhinga {

enum class VehicleKind { multirotor, fixedWing, helicopter };
/// Numbers used by rehearsal and checks. See docs/formulas.md for motion and power.
struct VehicleProfile {
    std::string name = "Darter 4";
    VehicleKind kind = VehicleKind::multirotor;
    double cruise_mps = 8, max_mps = 15, climb_mps = 3, descent_mps = 2, land_mps = 0.7;
    double accel_mps2 = 2.5, jerk_mps3 = 4, yaw_rate_dps = 60;
    double mass_kg = 1.9, rotor_area_m2 = 0.29, drag_area_m2 = 0.07, efficiency = 0.825, other_power_w = 14;
    // Multirotor: what its blades' own drag takes in hover, as a share of the induced power.
    double blade_share = 0.5;
    // Fixed wing: slowest flight, how far above it (in percent) it is kept, banks and circles, drag polar.
    double stall_mps = 9, stall_margin_percent = 20, bank_deg = 35, roll_rate_dps = 60, circle_radius_m = 60;
    double wing_area_m2 = 0.42, drag_zero = 0.04, drag_induced = 0.046;
    double tip_mps = 80;  // of the blades, multirotor and helicopter
    // Helicopter: rotor brought up to speed before take-off, share of the disc that is blade.
    double spool_s = 10, solidity = 0.05;
    double battery_wh = 98, battery_cells = 4, battery_resistance_ohm = 0.03, reserve_percent = 20;
    bool operator==(const VehicleProfile&) const = default;
};

struct CameraProfile {
    std::string name = "1-inch 20 MP, 8.8 mm";
    double sensor_w_mm = 13.2, sensor_h_mm = 8.8, focal_mm = 8.8;
    int px_across = 5472, px_along = 3648;
    double min_interval_s = 1.2, shutter_s = 0.001, photo_mb = 9;
    double card_gb = 64;                             // room for photos; 0: not known
    double pitch_min_deg = -90, pitch_max_deg = 30;  // range of the gimbal
    bool portrait = false;                           // long side of the image along the flight line
    bool triggered = true;                           // by the autopilot; else somebody must start it by hand
    bool operator==(const CameraProfile&) const = default;
};

/// What an autopilot does as it is set, whatever a plan asks.
struct OwnWays {
    double acceptance_m = 0;   // how near a point counts as reached; 0: as the item asks
    double jerk_mps3 = 0;      // of a multirotor; 0: the vehicle's
    double return_cone = 0;    // near home it climbs no higher than so many times its distance; 0: always as set
    double return_wait_s = 0;  // over home, before it comes down
    bool wing_lands = true;    // returning, a fixed wing comes down by itself; else it circles over home
    bool operator==(const OwnWays&) const = default;
    /// Height above home at which it flies back, from a height and distance; all in metres.
    double returnHeight_m(double set_m, double now_m, double distance_m) const;
};

/// What the autopilot can do and how it counts. Defaults fit MAVLink autopilot family 3.
struct AutopilotTraits {
    int item_limit = 700;
    bool item0_is_home = true;
    bool repeats_rearm = true;  // an exhausted counter starts again when the flight comes past again
    bool splines = true;        // flies spline waypoints
    double first_waypoint_max_m = 1000;
    double lowest_height_m = 2;  // above home; lower items are refused
    /// Items that may be changed while it flies are at least so many after the one being flown; 0: none can be.
    int change_ahead = 2;
    OwnWays ways;
    bool operator==(const AutopilotTraits&) const = default;
};

/// What the aircraft does by itself when something happens, or when the mission has no end of its own.
enum class SafetyAction { returnHome, land, hold, carryOn };

/// What a kind of vehicle is, for all that does not fly it: one row a kind. How each flies is its Flight::Motion.
struct KindTraits {
    const char* text;  // "multirotor", "fixed wing", "helicopter"
    /// It can stay at a place and go straight up and down. Else it moves all the time: its speeds are through the air,
    /// it climbs along its way and circles to wait.
    bool hovers;
};
const KindTraits& kindTraits(VehicleKind kind);
inline bool hovers(VehicleKind kind) {
    return kindTraits(kind).hovers;
}
inline const char* vehicleText(VehicleKind kind) {
    return kindTraits(kind).text;
}
/// "return home", "land there", "hold", "carry on".
const char* actionText(SafetyAction action);

}  // namespace anhinga
