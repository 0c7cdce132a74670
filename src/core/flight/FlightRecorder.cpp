#include "core/flight/FlightRecorder.h"

namespace anhinga {

namespace {
constexpr const char* kNames[18] = {"position.lat_deg",       "position.lon_deg",     "position.height_amsl_m",
                                    "position.height_home_m", "velocity.ground_mps",  "velocity.climb_mps",
                                    "velocity.air_mps",       "attitude.roll_deg",    "attitude.pitch_deg",
                                    "attitude.yaw_deg",       "battery.voltage_v",    "battery.current_a",
                                    "battery.used_mah",       "battery.left_percent", "throttle.percent",
                                    "mission.item",           "battery.used_wh",      "camera.pitch_deg"};
}

FlightRecorder::FlightRecorder(FlightLog& log) : log_(log) {
    for (std::size_t i = 0; i < columns_.size(); ++i) {
        columns_[i] = &log.channel(kNames[i], canonicalUnit(kNames[i]));
        columns_[i]->t_s.reserve(8192);
        columns_[i]->value.reserve(8192);
    }
    ground_ = &log.channel("position.height_ground_m", "m");
}

void FlightRecorder::sample(const Flight& flight, GeoPoint place, std::optional<double> ground) {
    const FlightState& s = flight.state();
    const double values[18] = {place.lat_deg,
                               place.lon_deg,
                               s.amsl_m,
                               flight.heightHome_m(),
                               length(s.velocity),
                               s.climb_mps,
                               s.air_mps,
                               s.roll_deg,
                               s.pitch_deg,
                               s.yaw_deg,
                               s.battery.voltage_v,
                               s.battery.current_a,
                               s.battery.used_mah,
                               s.battery.left_percent,
                               s.throttle_percent,
                               static_cast<double>(item_),
                               s.battery.used_wh,
                               s.gimbal_pitch_deg};
    for (std::size_t i = 0; i < columns_.size(); ++i) columns_[i]->add(s.t_s, values[i]);
    if (ground) ground_->add(s.t_s, *ground);
}

void FlightRecorder::event(const FlightEvent& e) {
    switch (e.kind) {
        case FlightEvent::modeChanged:
            log_.modes.push_back({e.t_s, e.text});
            break;
        case FlightEvent::armed:
            log_.events.push_back({e.t_s, "armed", ""});
            break;
        case FlightEvent::disarmed:
            log_.events.push_back({e.t_s, "disarmed", ""});
            break;
        case FlightEvent::photo:
            log_.events.push_back({e.t_s, "photo", std::to_string(e.seq)});
            break;
        case FlightEvent::itemStarted:
            item_ = e.seq;
            break;
        case FlightEvent::itemReached:
            log_.events.push_back({e.t_s, "item", std::to_string(e.seq)});
            break;
        case FlightEvent::message:
            log_.events.push_back({e.t_s, "message", e.text});
            break;
    }
}

}  // namespace anhinga
