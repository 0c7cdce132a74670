#include "core/flight/Rehearse.h"

#include "core/base/Text.h"
#include "core/mission/Route.h"

namespace anhinga {

namespace {

/// Writes the canonical channels of a simulated flight.
class LogWriter {
  public:
    explicit LogWriter(FlightLog& log)
        : columns_{&log.channel("position.lat_deg", "deg"), &log.channel("position.lon_deg", "deg"),
                   &log.channel("position.height_amsl_m", "m"), &log.channel("position.height_home_m", "m"),
                   &log.channel("velocity.ground_mps", "m/s"), &log.channel("velocity.climb_mps", "m/s"),
                   &log.channel("velocity.air_mps", "m/s"), &log.channel("attitude.roll_deg", "deg"),
                   &log.channel("attitude.pitch_deg", "deg"), &log.channel("attitude.yaw_deg", "deg"),
                   &log.channel("battery.voltage_v", "V"), &log.channel("battery.current_a", "A"),
                   &log.channel("battery.used_mah", "mAh"), &log.channel("battery.left_percent", "%"),
                   &log.channel("throttle.percent", "%"), &log.channel("mission.item", ""),
                   &log.channel("battery.used_wh", "Wh")},
          ground_(&log.channel("position.height_ground_m", "m")) {
        for (Channel* c : columns_) {
            c->t_s.reserve(8192);
            c->value.reserve(8192);
        }
    }
    void add(const Flight& flight, GeoPoint place, std::optional<double> ground, int item) {
        const FlightState& s = flight.state();
        const double values[] = {place.lat_deg, place.lon_deg, s.amsl_m, flight.heightHome_m(), length(s.velocity),
                                 s.climb_mps, s.air_mps, s.roll_deg, s.pitch_deg, s.yaw_deg, s.battery.voltage_v,
                                 s.battery.current_a, s.battery.used_mah, s.battery.left_percent, s.throttle_percent,
                                 static_cast<double>(item), s.battery.used_wh};
        for (std::size_t i = 0; i < std::size(values); ++i) columns_[i]->add(s.t_s, values[i]);
        if (ground) ground_->add(s.t_s, *ground);
    }

  private:
    std::array<Channel*, 17> columns_;
    Channel* ground_;
};

}  // namespace

FlightSetup flightSetup(const Plan& plan, double home_amsl_m, std::shared_ptr<const Terrain> terrain, Wind wind) {
    return {plan.vehicle, plan.home ? plan.home->position : GeoPoint{}, home_amsl_m, std::move(terrain), wind,
            plan.return_height_m, plan.traits.item0_is_home, plan.traits.repeats_rearm};
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
    LogWriter writer(*log);
    bool away = false;
    int item = 0, ended_steps = 0;
    constexpr int kLogEvery = 2;  // steps: 5 Hz
    for (long step = 0; flight.state().t_s < options.time_limit_s; ++step) {
        if (step % 256 == 0 && options.stop.stop_requested()) return fail("the rehearsal was stopped");
        flight.step();
        const FlightState& s = flight.state();
        for (FlightEvent& e : flight.takeEvents()) {
            switch (e.kind) {
                case FlightEvent::modeChanged: log->modes.push_back({e.t_s, e.text}); break;
                case FlightEvent::armed: log->events.push_back({e.t_s, "armed", ""}); break;
                case FlightEvent::disarmed: log->events.push_back({e.t_s, "disarmed", ""}); break;
                case FlightEvent::photo: log->events.push_back({e.t_s, "photo", std::to_string(e.seq)}); break;
                case FlightEvent::itemStarted: item = e.seq; break;
                case FlightEvent::itemReached: log->events.push_back({e.t_s, "item", std::to_string(e.seq)}); break;
                case FlightEvent::message:
                    log->events.push_back({e.t_s, "message", e.text});
                    result.reached_reserve |= e.text.starts_with("battery");
                    break;
            }
        }
        away |= flight.heightHome_m() > 5;
        result.max_height_home_m = std::max(result.max_height_home_m, flight.heightHome_m());
        if (step % kLogEvery == 0 || !s.armed) {
            const GeoPoint place = flight.place();
            const auto terrain_here = terrain ? terrain->sample(place) : std::nullopt;
            const auto ground = terrain_here ? std::optional(s.amsl_m - *terrain_here) : std::nullopt;
            writer.add(flight, place, ground, item);
            const bool landing = flight.mode() == FlightMode::landing ||
                                 (flight.mode() == FlightMode::returning && length(s.position) < 3 && s.climb_mps < 0);
            if (ground && away && !landing && s.armed && (!result.min_clearance_m || *ground < *result.min_clearance_m)) {
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
