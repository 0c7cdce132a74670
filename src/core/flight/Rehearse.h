// rehearse(): the compiled mission flown by the simulated vehicle as fast as the machine goes.
#pragma once

#include <map>
#include <memory>
#include <stop_token>

#include "core/base/Result.h"
#include "core/flight/Flight.h"
#include "core/flightlog/FlightLog.h"
#include "core/mission/Mission.h"

namespace anhinga {

struct Rehearsal {
    std::shared_ptr<const FlightLog> log;
    bool landed = false;           // by itself, within the time limit
    bool reached_reserve = false;  // the battery ended the mission
    ItemId reserve_item = 0;       // on the way to which it did
    double duration_s = 0;         // armed to disarmed
    double distance_m = 0;
    double energy_wh = 0, energy_left_percent = 0;
    int photos = 0;
    double max_height_home_m = 0;
    std::optional<double> min_clearance_m;  // over known terrain, once 10 m away from home until landing begins
    GeoPoint min_clearance_at;
    ItemId min_clearance_item = 0;
    std::map<ItemId, int> visits;  // of the item's first point
    double wall_s = 0;
};

struct RehearseOptions {
    Wind wind;
    double time_limit_s = 6 * 3600;
    std::stop_token stop;
};

/// Fails when home's height is unknown (it decides every height above home) or the run was stopped.
Result<Rehearsal> rehearse(const Plan& plan, const Mission& mission, std::shared_ptr<const Terrain> terrain,
                           const RehearseOptions& options = {});

/// What rehearsal and stand-in need of a plan to fly it.
FlightSetup flightSetup(const Plan& plan, double home_amsl_m, std::shared_ptr<const Terrain> terrain, Wind wind);

}  // namespace anhinga
