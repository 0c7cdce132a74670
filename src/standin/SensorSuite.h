// What the sensors aboard would have measured on a simulated flight: inertial unit, compass, barometer, GPS, motors and
// battery at the rates of an onboard log, with what can be wrong with them. Model and figures: docs/formulas.md,
// "Simulated sensors".
#pragma once

#include "core/flightlog/FlightLog.h"
#include "core/plan/Vehicle.h"

namespace anhinga {

struct SensorFaults {
    double compass_ut_per_a = 0;    // the field of the motors' current at the compass
    double compass_offset_ut = 0;   // a magnet near it
    double resonance_hz = 0;        // of the frame; 0: none
    double resonance_mps2 = 0;      // its root mean square at the throttle where it is strongest
    double resonance_throttle = 0;  // that throttle, percent; 0: at every throttle
    double resonance_s = 0;         // begins then
    double jump_m = 0;              // the GPS jumps so far,
    double jump_at_s = 0;           // then,
    double jump_for_s = 0;          // for so long
    double resistance_factor = 1;   // of the battery's internal resistance
    double capacity_factor = 1;     // what is left of its capacity
    double weak_cell_ohm = 0;       // more resistance in cell 3
    double circling_m = 0;          // radius, while it holds its place
    double circling_period_s = 12;  //
    double oscillation_deg = 0;     // of the roll, after every change of it
    double oscillation_hz = 2;      //
    double estimate_leaves_m = 0;   // the estimated height leaves the truth by so much, and comes back
    double weak_motor_percent = 0;  // motor 2 must work so much harder
    double motor_noise_mps2 = 1.1;  // root mean square of the propellers' shaking at half throttle
};

struct SensorRates {
    double inertial_hz = 250, motors_hz = 25, compass_hz = 20, barometer_hz = 20, battery_hz = 10, gps_hz = 5;
};

/// A log of true values (positions, velocities, attitude, battery, throttle; see FlightRecorder) as the sensors aboard
/// would have given it: their channels, and estimates in place of the true ones. `seed` gives the noise. A log without
/// positions or attitude comes back as it is.
FlightLog withSensors(const FlightLog& truth, const VehicleProfile& vehicle, const SensorFaults& faults, unsigned seed,
                      const SensorRates& rates = {});

}  // namespace anhinga
