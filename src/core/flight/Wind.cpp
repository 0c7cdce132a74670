#include "core/flight/Wind.h"

#include <algorithm>
#include <cmath>

namespace anhinga {

Air::Air(Wind wind) : random_(wind.seed) {
    set(wind);
}

void Air::set(Wind wind) {
    wind_ = wind;
    const double to = (wind.from_deg + 180) * M_PI / 180;
    towards_ = Vec2{std::sin(to), std::cos(to)} * wind.speed_mps;
}

Vec2 Air::mean(double height_m) const {
    constexpr double kReference_m = 10, kLowest_m = 1, kHighest_m = 500;
    if (wind_.shear == 0) return towards_;
    return towards_ * std::pow(std::clamp(height_m, kLowest_m, kHighest_m) / kReference_m, wind_.shear);
}

/// Box and Muller's transform: the standard library's own normal distribution differs from one to the next.
double Air::normal() {
    const double a = (static_cast<double>(random_()) + 1) / 4294967297.0,
                 b = static_cast<double>(random_()) / 4294967296.0;
    return std::sqrt(-2 * std::log(a)) * std::cos(2 * M_PI * b);
}

void Air::step(double dt_s) {
    if (wind_.gust_mps <= 0) {
        gust_ = {};
        return;
    }
    // First-order Gauss-Markov: correlated over some seconds, with the wanted spread however long the step is.
    constexpr double kCorrelation_s = 4;
    const double keep = std::exp(-dt_s / kCorrelation_s);
    const double fresh = wind_.gust_mps * std::sqrt(1 - keep * keep);
    const double east = normal(), north = normal();
    gust_ = gust_ * keep + Vec2{east, north} * fresh;
}

}  // namespace anhinga
