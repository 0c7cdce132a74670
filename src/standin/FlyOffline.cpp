#include "standin/FlyOffline.h"

#include "core/plan/Plan.h"

namespace anhinga {

SensorFaults sensorFaults(const Faults& faults, double log_from_s) {
    constexpr double kForever = 1e9;
    SensorFaults out;
    const auto has = [&](const char* name) { return faults.since(name, kForever) >= 0; };
    const auto begins = [&](const char* name) { return kForever - faults.since(name, kForever) - log_from_s; };
    if (has("compass")) out.compass_offset_ut = 24;
    if (has("motor-field")) out.compass_ut_per_a = 2.6;
    if (has("resonance")) {
        out.resonance_hz = 62;
        out.resonance_mps2 = 27;
        out.resonance_s = begins("resonance");
    }
    if (has("gps-jump")) {
        out.jump_m = 60;
        out.jump_at_s = begins("gps-jump");
        out.jump_for_s = 12;
    }
    if (has("tired-battery")) {
        out.resistance_factor = 3.5;
        out.capacity_factor = 0.7;
    }
    if (has("weak-cell")) out.weak_cell_ohm = 0.02;
    if (has("circling")) out.circling_m = 2.6;
    if (has("swinging")) out.oscillation_deg = 13;
    if (has("wrong-height")) out.estimate_leaves_m = 6;
    if (has("weak-motor")) out.weak_motor_percent = 18;
    if (has("worn-propellers")) out.motor_noise_mps2 = 4.5;
    return out;
}

Result<FlightLog> flyOffline(const Plan& plan, std::shared_ptr<const Terrain> terrain, const OfflineFlight& how) {
    const FlightProgram program = programOf(plan, expand(plan, terrain.get()), terrain.get());
    if (const auto ok = sendable(plan, program); !ok) return tl::unexpected(ok.error());
    RehearseOptions options;
    options.wind = how.wind;
    const auto flown = rehearse(plan, program, terrain, options);
    if (!flown) return tl::unexpected(flown.error());
    FlightLog log = withSensors(*flown->log, plan.vehicle, sensorFaults(how.faults, 0), how.seed, how.rates);
    log.vehicle = plan.vehicle.name;
    log.start_unix_s = how.start_unix_s;
    log.params = how.params;
    return log;
}

}  // namespace anhinga
