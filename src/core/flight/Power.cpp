#include "core/flight/Power.h"
#include "core/base/Physics.h"

#include <algorithm>
#include <cmath>

namespace anhinga {

namespace {}

double airDensity_kgm3(double amsl_m) {
    // ISO 2533 troposphere: T = 288.15 - 0.0065 h, rho = 1.225 (T / 288.15)^4.2559.
    const double ratio = 1 - 0.0065 * std::clamp(amsl_m, -500.0, 11000.0) / 288.15;
    return 1.225 * std::pow(ratio, 4.2559);
}

namespace {
/// Of the blades' own drag with the advance ratio V / tip speed.
double bladeGrowth(const VehicleProfile& v, double air_mps) {
    constexpr double kAdvance = 4.65;
    const double advance = air_mps / v.tip_mps;
    return 1 + kAdvance * advance * advance;
}

/// Power at the rotors: induced and parasite, climb, and the blades' own drag as a share of what hovering on this
/// thrust takes (blades of fixed pitch turn faster for more thrust: both grow as its power of 1.5).
double rotorPower_w(const VehicleProfile& v, double air_mps, double climb_mps, double density, double blade_share) {
    const double weight = v.mass_kg * kStandardGravity_mps2;
    const double drag = 0.5 * density * v.drag_area_m2 * air_mps * air_mps;
    const double thrust = std::hypot(weight, drag);
    // Induced velocity (Glauert): vi^2 (V^2 + vi^2) = vh^4 with hover value vh^2 = T / (2 rho A).
    const double vh2 = thrust / (2 * density * v.rotor_area_m2);
    const double half = air_mps * air_mps / 2;
    const double induced = std::sqrt(std::sqrt(half * half + vh2 * vh2) - half);
    // A descent gives back only a part: rotors do not brake into the battery.
    const double climb_power = weight * (climb_mps > 0 ? climb_mps : 0.3 * climb_mps);
    const double blades = blade_share * thrust * std::sqrt(vh2) * bladeGrowth(v, air_mps);
    return std::max(0.2 * weight, thrust * induced + blades + drag * air_mps + climb_power);
}
}  // namespace

double multirotorPower_w(const VehicleProfile& v, double air_mps, double climb_mps, double density) {
    return rotorPower_w(v, air_mps, climb_mps, density, v.blade_share) / v.efficiency + v.other_power_w;
}

double wingPower_w(const VehicleProfile& v, double air_mps, double climb_mps, double density, double bank_rad) {
    const double weight = v.mass_kg * kStandardGravity_mps2;
    const double pressure = 0.5 * density * air_mps * air_mps * v.wing_area_m2;
    if (pressure <= 0) return v.other_power_w;
    const double lift = weight / pressure / std::max(0.2, std::cos(bank_rad));
    const double drag = pressure * (v.drag_zero + v.drag_induced * lift * lift);
    return std::max(0.0, drag * air_mps + weight * climb_mps) / v.efficiency + v.other_power_w;
}

double helicopterPower_w(const VehicleProfile& v, double air_mps, double climb_mps, double density, bool lift) {
    constexpr double kBladeDrag = 0.012;
    const double blades = density * v.rotor_area_m2 * v.solidity * kBladeDrag / 8 * v.tip_mps * v.tip_mps * v.tip_mps *
                          bladeGrowth(v, air_mps);
    return (blades + (lift ? rotorPower_w(v, air_mps, climb_mps, density, 0) : 0)) / v.efficiency + v.other_power_w;
}

double flightPower_w(const VehicleProfile& v, double air_mps, double climb_mps, double density, double bank_rad) {
    switch (v.kind) {
        case VehicleKind::multirotor:
            return multirotorPower_w(v, air_mps, climb_mps, density);
        case VehicleKind::fixedWing:
            return wingPower_w(v, air_mps, climb_mps, density, bank_rad);
        case VehicleKind::helicopter:
            return helicopterPower_w(v, air_mps, climb_mps, density);
    }
    return 0;
}

double batteriesFor(const VehicleProfile& v, double duration_s, double air_mps) {
    const double usable_wh = v.battery_wh * (1 - v.reserve_percent / 100);
    return usable_wh > 0 ? flightPower_w(v, air_mps, 0, airDensity_kgm3(0)) * duration_s / 3600 / usable_wh : 0;
}

void Battery::draw(const VehicleProfile& v, double power_w, double dt_s) {
    const double open = v.battery_cells * (3.5 + 0.7 * std::clamp(left_percent / 100, 0.0, 1.0));
    const double r = std::max(1e-6, v.battery_resistance_ohm);
    const double root = open * open - 4 * r * power_w;
    current_a = root > 0 ? (open - std::sqrt(root)) / (2 * r) : open / (2 * r);
    voltage_v = open - current_a * r;
    used_wh += open * current_a * dt_s / 3600;
    used_mah += current_a * dt_s / 3.6;
    left_percent = std::max(0.0, 100 * (1 - used_wh / v.battery_wh));
}

}  // namespace anhinga
