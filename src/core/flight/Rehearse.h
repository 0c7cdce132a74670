// rehearse(): the program flown by the simulated vehicle as fast as the machine goes.
#pragma once

#include <map>
#include <memory>
#include <stop_token>

#include "core/base/Result.h"
#include "core/flight/Flight.h"
#include "core/flightlog/FlightLog.h"
#include "core/program/FenceField.h"

namespace anhinga {

struct Plan;

/// A flight in a repeat without an end, which the battery ended there.
struct EndlessFlown {
    EndlessLoop loop;
    int passes = 0;           // done before the reserve
    double pass_percent = 0;  // of the battery, for one of them, the first aside where there are more
    double reserve_percent = 0;
};

struct Rehearsal {
    std::shared_ptr<const FlightLog> log;
    bool landed = false;           // by itself, within the time limit
    bool stays = false;            // it ends in the air and waits there; a minute of that is in the log
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
    /// What is left on landing when the return is ordered at the worst moment, and when that is; while flying out only.
    double least_home_percent = 100, least_home_s = 0;
    /// From when on it could not get home above the reserve, and not at all; nothing when it always could. The channel
    /// `battery.home_percent` of the log has it for every second.
    std::optional<double> reserve_home_s, no_return_s;
    std::optional<double> failed_s;     // time of the first failure that happened
    double landed_from_home_m = 0;      // distance
    std::vector<FenceBreach> breaches;  // of the plan's fences, each once
    std::optional<EndlessFlown> endless;
    std::vector<GroundOff> ground_off;  // one for each leg that follows the ground and was flown, in their order
};

/// "lands with 43 %", "still in the air with 43 %".
std::string endText(const Rehearsal& rehearsal);

/// Something that goes wrong, or is ordered, at a time of the rehearsal.
struct Failure {
    enum Kind { returnHome, lostLink, lowBattery, gpsLoss, wind } kind = returnHome;
    double at_s = 0;
    Wind blows;  // kind wind: from then on
};
/// "return", "lost-link", "low-battery", "gps-loss", "wind".
const char* failureText(Failure::Kind kind);
/// "lost-link@120"; a wind as "wind@120:270:9", from where and metres a second.
Result<Failure> parseFailure(const std::string& text);

struct RehearseOptions {
    Wind wind;
    double time_limit_s = 6 * 3600;
    std::stop_token stop;
    std::vector<Failure> failures = {};
    ItemId start_item = 0;  // 0: from the beginning
};

/// Flown as it will be held aboard (asHeld()). Fails when home's height is unknown (it decides every height above
/// home), when the ground is, where a height is over it, or the run was stopped.
Result<Rehearsal> rehearse(const Plan& plan, const FlightProgram& program, std::shared_ptr<const Terrain> terrain,
                           const RehearseOptions& options = {});

/// What rehearsal and stand-in need of a plan to fly it.
FlightSetup flightSetup(const Plan& plan, double home_amsl_m, std::shared_ptr<const Terrain> terrain, Wind wind);

}  // namespace anhinga
