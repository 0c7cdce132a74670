// Where a flight is in its rehearsal: the moment of the rehearsal it corresponds to, what was rehearsed there, and what
// follows from the difference.
#pragma once

#include <memory>
#include <optional>

#include "core/flight/Rehearse.h"
#include "core/link/VehicleState.h"

namespace anhinga {

struct FlightProgress {
    double rehearsed_s = 0;                                // time of the rehearsal that fits where the aircraft is
    double left_s = 0;                                     // to its end
    double beside_m = 0;                                   // distance from the place it was rehearsed to be at
    std::optional<double> height_home_m, battery_percent;  // rehearsed there
    int photos = 0;                                        // rehearsed up to there
    /// Battery at landing when the rest costs what it costs so far, compared with the rehearsal; percent.
    std::optional<double> battery_at_landing;
    /// In a repeat without an end, instead of `left_s` and that: which pass it is on, from 1, and for how many more the
    /// battery lasts down to the reserve.
    std::optional<int> pass, passes_more;
};

/// Follows one flight; repeats are told apart because it only looks ahead of where it was.
class ProgressFollower {
  public:
    explicit ProgressFollower(std::shared_ptr<const FlightLog> rehearsal, std::optional<EndlessFlown> endless = {});
    /// Nothing as long as the vehicle does not fly the mission of the rehearsal.
    std::optional<FlightProgress> follow(const VehicleSnapshot& vehicle);
    void restart();
    /// In the same flight, which has been rehearsed anew from somewhere ahead on: it is as far as it was.
    void goOnFrom(const ProgressFollower& before);
    /// Seconds of the rehearsal from where it is now until it is on the way to `number` or one after it; nothing when
    /// it never is.
    std::optional<double> until(int number) const;

  private:
    std::optional<double> forecast(const VehicleSnapshot& vehicle, double t_s, std::optional<double> rehearsed_percent);

    std::shared_ptr<const FlightLog> log_;
    std::optional<EndlessFlown> endless_;
    double factor_ = 1;  // what this flight costs against its rehearsal
    const Channel *lat_ = nullptr, *lon_ = nullptr, *item_ = nullptr, *height_ = nullptr;
    std::size_t at_ = 0;
    bool begun_ = false;
    std::optional<double> last_boot_s_, forecast_boot_s_, forecast_;
    // What it began with, measured and rehearsed.
    std::optional<double> battery_began_, drawn_began_mah_;
    double rehearsed_began_ = 100, rehearsed_drawn_mah_ = 0;
};

}  // namespace anhinga
