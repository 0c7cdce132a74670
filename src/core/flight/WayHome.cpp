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
        const double power = flightPower_w(v, air_mps, climb_mps, airDensity_kgm3(amsl_m));
        for (int k = 0; k < kParts && seconds > 0; ++k) battery.draw(v, power, seconds / kParts);
    };
    const double home = flight.setup().home_amsl_m;
    const double far = length(s.position);
    const double top = home + flight.setup().ways.returnHeight_m(flight.setup().return_height_m, s.amsl_m - home, far);
    // Gusts are not foreseen.
    const Vec2 wind = flight.air().mean(top - home);
    const bool wing = !hovers(v.kind);
    const double still_air = wing ? v.cruise_mps : length(wind);  // through the air while it climbs and descends
    phase((top - s.amsl_m) / v.climb_mps, still_air, v.climb_mps, (top + s.amsl_m) / 2);
    if (far > 1) {
        const Vec2 homeward = s.position * (-1 / far);
        double ground = v.cruise_mps, more_s = 0;
        double air = ground;
        if (wing) {
            // The wind triangle: cruise speed through the air, over ground what is left of it along the way.
            const double along = dot(wind, homeward), aside = cross(wind, homeward);
            const double left = v.cruise_mps * v.cruise_mps - aside * aside;
            ground = left > 0 ? std::sqrt(left) + along : 0;
        } else {
            air = length(homeward * v.cruise_mps - wind);
            if (air > v.max_mps) {
                const double along = dot(wind, homeward), aside = cross(wind, homeward);
                const double left = v.max_mps * v.max_mps - aside * aside;
                ground = left > 0 ? std::min(v.cruise_mps, std::sqrt(left) + along) : 0;
                air = v.max_mps;
            }
            // Speeding up and braking cost about the time of one of them.
            more_s = v.cruise_mps / v.accel_mps2;
        }
        if (ground < 0.5) {  // not against this wind
            way.duration_s = HUGE_VAL;
            return way;
        }
        phase(far / ground + more_s, air, 0, top);
    }
    const double fall = std::max(0.0, top - home);
    if (wing) {
        phase(fall / v.descent_mps, v.cruise_mps, -v.descent_mps, home + fall / 2);
    } else {
        phase(flight.setup().ways.return_wait_s, still_air, 0, top);
        const double fast = std::max(0.0, fall - kLandBelow_m);
        phase(fast / v.descent_mps, still_air, -v.descent_mps, home + fall / 2);
        phase((fall - fast) / v.land_mps, still_air, -v.land_mps, home);
    }
    way.left_percent = battery.left_percent;
    return way;
}

}  // namespace anhinga
