// A flight of the simulated aircraft without a link, as fast as the machine goes, as its onboard log would have it.
#pragma once

#include "core/flight/Rehearse.h"
#include "standin/Faults.h"
#include "standin/SensorSuite.h"

namespace anhinga {

struct Plan;

/// What the named faults do to the sensors, in a log that begins `log_from_s` seconds after the start.
SensorFaults sensorFaults(const Faults& faults, double log_from_s);

struct OfflineFlight {
    Wind wind;
    Faults faults;
    unsigned seed = 1;
    SensorRates rates;
    double start_unix_s = 0;
    std::map<std::string, double> params;
};
/// Fails when the plan cannot be sent or flown.
Result<FlightLog> flyOffline(const Plan& plan, std::shared_ptr<const Terrain> terrain, const OfflineFlight& how);

}  // namespace anhinga
