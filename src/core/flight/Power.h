// Power of the three kinds of vehicle and the battery behind it. Formulas and sources: docs/formulas.md, "Energy".
#pragma once

#include "core/plan/Vehicle.h"

namespace anhinga {

/// Electrical power in watts at an airspeed and climb rate (m/s, climb positive) in air of `density_kgm3`.
double multirotorPower_w(const VehicleProfile& v, double air_mps, double climb_mps, double density_kgm3);
/// The same of a fixed wing, from its drag polar: lift carries weight / cos(bank). Gliding costs no propulsion.
double wingPower_w(const VehicleProfile& v, double air_mps, double climb_mps, double density_kgm3, double bank_rad);
/// The same of a helicopter: momentum theory, and the blades' own drag. Turning on the ground: `lift` false.
double helicopterPower_w(const VehicleProfile& v, double air_mps, double climb_mps, double density_kgm3,
                         bool lift = true);
/// Whichever of these its kind wants.
double flightPower_w(const VehicleProfile& v, double air_mps, double climb_mps, double density_kgm3,
                     double bank_rad = 0);
/// Density of the standard atmosphere, kg/m^3, for heights up to 11 km.
double airDensity_kgm3(double amsl_m);

/// How many batteries, each down to its reserve, a flight of so many seconds at an airspeed takes at sea level.
double batteriesFor(const VehicleProfile& v, double duration_s, double air_mps);

struct Battery {
    double used_wh = 0, used_mah = 0, voltage_v = 0, current_a = 0, left_percent = 100;
    /// Draws `power_w` for `dt_s`. Open-circuit voltage falls linearly from 4.2 to 3.5 V a cell; the internal
    /// resistance takes its share.
    void draw(const VehicleProfile& v, double power_w, double dt_s);
};

}  // namespace anhinga
