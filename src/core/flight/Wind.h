// The wind a flight is flown in: where it blows from, stronger with height, and gusts that are the same every time.
#pragma once

#include <cstdint>
#include <random>

#include "core/geo/Geo.h"

namespace anhinga {

struct Wind {
    double from_deg = 0, speed_mps = 0;
    double shear = 0;     // exponent of the power law; the speed is that 10 m above home. 0: the same at every height
    double gust_mps = 0;  // standard deviation of the gusts along each axis
    std::uint32_t seed = 1;
    /// What a check reckons with: the mean and a gust on top.
    double strongest_mps() const { return speed_mps + gust_mps; }
    bool operator==(const Wind&) const = default;
};

/// Air as it moves past a flight. Formulas: docs/formulas.md, "Wind".
class Air {
  public:
    Air() = default;
    explicit Air(Wind wind);
    /// Another mean wind from now on; gusts go on as they were.
    void set(Wind wind);
    /// Velocity of the mean wind at a height above home, east and north, m/s.
    Vec2 mean(double height_m) const;
    /// Mean and gust at this step.
    Vec2 at(double height_m) const { return mean(height_m) + gust_; }
    void step(double dt_s);

  private:
    double normal();
    Wind wind_;
    Vec2 towards_;  // of the mean at 10 m
    Vec2 gust_;
    std::mt19937 random_{1};
};

}  // namespace anhinga
