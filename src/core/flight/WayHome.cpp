#include "core/flight/WayHome.h"

#include <algorithm>
#include <cmath>

namespace anhinga {

WayHome wayHome(const Flight& flight) {
    constexpr int kParts = 6;           // of each phase: the battery's voltage sags as it empties
    constexpr double kLandBelow_m = 8;  // the last metres are flown slower, as Flight does
    const VehicleProfile& v = flight.setup().vehicle;
    const FlightState& s = flight.state();
    WayHome way;
    Battery battery = s.battery;
    const auto phase = [&](double seconds, double air_mps, double climb_mps, double amsl_m) {
        way.duration_s += seconds;
        const double power = multirotorPower_w(v, air_mps, climb_mps, airDensity_kgm3(amsl_m));
        for (int k = 0; k < kParts && seconds > 0; ++k) battery.draw(v, power, seconds / kParts);
    };
    const double home = flight.setup().home_amsl_m;
    const double top = std::max(s.amsl_m, home + flight.setup().return_height_m);
    // Gusts are not foreseen.
    const Vec2 wind = flight.air().mean(top - home);
    phase((top - s.amsl_m) / v.climb_mps, length(wind), v.climb_mps, (top + s.amsl_m) / 2);
    const double far = length(s.position);
    if (far > 1) {
        const Vec2 over_ground = s.position * (-v.cruise_mps / far);
        // Speeding up and braking cost about the time of one of them.
        phase(far / v.cruise_mps + v.cruise_mps / v.accel_mps2, length(over_ground - wind), 0, top);
    }
    const double fall = std::max(0.0, top - home);
    const double fast = std::max(0.0, fall - kLandBelow_m);
    phase(fast / v.descent_mps, length(wind), -v.descent_mps, home + fall / 2);
    phase((fall - fast) / v.land_mps, length(wind), -v.land_mps, home);
    way.left_percent = battery.left_percent;
    return way;
}

}  // namespace anhinga
