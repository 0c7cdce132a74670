#include "core/flight/Rehearse.h"

#include "core/base/Text.h"
#include "core/flight/FlightRecorder.h"
#include "core/mission/Route.h"

namespace anhinga {

FlightSetup flightSetup(const Plan& plan, double home_amsl_m, std::shared_ptr<const Terrain> terrain, Wind wind) {
    return {plan.vehicle,
            plan.home ? plan.home->position : GeoPoint{},
            home_amsl_m,
            std::move(terrain),
            wind,
            plan.return_height_m,
            plan.traits.item0_is_home,
            plan.traits.repeats_rearm};
}

Result<Rehearsal> rehearse(const Plan& plan, const Mission& mission, std::shared_ptr<const Terrain> terrain,
                           const RehearseOptions& options) {
    const auto home = homeAmsl(plan, terrain.get());
    if (!home) return fail("home's height above sea level is unknown: add terrain or type it in");
    const double started = monotonicMs();
    Flight flight(flightSetup(plan, *home, terrain, options.wind));
    flight.setMission(mission.items);
    if (auto ok = flight.arm(); !ok) return tl::unexpected(ok.error());
    if (auto ok = flight.startMission(); !ok) return tl::unexpected(ok.error());

    auto log = std::make_shared<FlightLog>();
    log->format = "rehearsal";
    Rehearsal result;
    FlightRecorder recorder(*log);
    bool away = false;
    int item = 0, ended_steps = 0;
    constexpr int kLogEvery = 2;  // steps: 5 Hz
    for (long step = 0; flight.state().t_s < options.time_limit_s; ++step) {
        if (step % 256 == 0 && options.stop.stop_requested()) return fail("the rehearsal was stopped");
        flight.step();
        const FlightState& s = flight.state();
        for (const FlightEvent& e : flight.takeEvents()) {
            recorder.event(e);
            if (e.kind == FlightEvent::itemStarted) item = e.seq;
            if (e.kind == FlightEvent::message) {
                const bool battery = e.text.starts_with("battery");
                if (battery && !result.reached_reserve)
                    result.reserve_item = mission.source[static_cast<std::size_t>(item)];
                result.reached_reserve |= battery;
            }
        }
        away |= length(s.position) > 10;
        result.max_height_home_m = std::max(result.max_height_home_m, flight.heightHome_m());
        if (step % kLogEvery == 0 || !s.armed) {
            const GeoPoint place = flight.place();
            const auto terrain_here = terrain ? terrain->sample(place) : std::nullopt;
            const auto ground = terrain_here ? std::optional(s.amsl_m - *terrain_here) : std::nullopt;
            recorder.sample(flight, place, ground);
            const bool landing = flight.mode() == FlightMode::landing ||
                                 (flight.mode() == FlightMode::returning && length(s.position) < 3 && s.climb_mps < 0);
            if (ground && away && !landing && s.armed && !s.on_ground &&
                (!result.min_clearance_m || *ground < *result.min_clearance_m)) {
                result.min_clearance_m = ground;
                result.min_clearance_at = place;
                result.min_clearance_item = mission.source[static_cast<std::size_t>(item)];
            }
        }
        if (!s.armed) {
            result.landed = true;
            break;
        }
        // A mission without an end leaves the aircraft holding: a minute of that is enough to see.
        if (flight.mode() == FlightMode::hold && flight.missionEnded() && ++ended_steps > 600) break;
    }
    const FlightState& s = flight.state();
    result.duration_s = s.t_s;
    result.distance_m = s.distance_m;
    result.energy_wh = s.battery.used_wh;
    result.energy_left_percent = s.battery.left_percent;
    result.photos = s.photos;
    std::map<ItemId, std::size_t> first;
    for (std::size_t i = 0; i < mission.items.size(); ++i)
        if (isNavigation(mission.items[i].command)) first.try_emplace(mission.source[i], i);
    for (const auto& [id, seq] : first) {
        if (id == 0) continue;
        const auto at = flight.executor().visits().find(seq);
        result.visits[id] = at == flight.executor().visits().end() ? 0 : at->second;
    }
    log->missions.push_back(static_cast<int>(mission.items.size()));
    log->findSessions({});
    result.log = log;
    result.wall_s = (monotonicMs() - started) / 1000;
    return result;
}

}  // namespace anhinga
