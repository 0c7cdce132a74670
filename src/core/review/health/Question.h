// What every question of the health report works with: the flight in the air, told apart into steady flying and turns.
#pragma once

#include "core/analysis/Series.h"
#include "core/base/Result.h"
#include "core/base/Text.h"
#include "core/review/Health.h"

namespace anhinga::health {

/// A flight on a grid of one second: which cells were in the air, and which of those were flown steadily (no turn, roll
/// or strong pitch). References the log.
struct Flown {
    const FlightLog& log;
    const Plan* plan = nullptr;
    Stretch span;
    static constexpr double kStep_s = 1;
    std::vector<char> in_air, steady;  // one a cell
    double air_s = 0;
    std::string no_air;  // why it is not known when it was in the air

    Flown(const FlightLog& from, const HealthOptions& options);
    std::size_t cells() const { return in_air.size(); }
    double timeOf(std::size_t cell) const { return span.from_s + (static_cast<double>(cell) + 0.5) * kStep_s; }
    /// Null when there is none or it has no sample in the span.
    const Channel* find(const std::string& name) const;
    /// Means a second; not a number outside of what is asked for.
    std::vector<double> inAir(const Channel& channel) const;
    std::vector<double> steadily(const Channel& channel) const;
    /// The stretch in the air from the first to the last second of it.
    Stretch air() const;
};

/// Verdict by two thresholds, upwards.
Verdict judged(double value, double attention, double bad);
/// An answer that says what is missing.
Answer unknown(std::string why);
/// The stretch of `length_s` with the largest mean of a series of one a second.
Stretch worstStretch(const Flown& flown, const std::vector<double>& per_second, double length_s);

// One a file of this folder; id and question are set by the table.
Answer askVibration(const Flown&);
Answer askClipping(const Flown&);
Answer askGyros(const Flown&);
Answer askCompassMotors(const Flown&);
Answer askCompassModel(const Flown&);
Answer askHeight(const Flown&);
Answer askHeightKept(const Flown&);
Answer askDescent(const Flown&);
Answer askRotorSpeed(const Flown&);
Answer askSticks(const Flown&);
Answer askAttitude(const Flown&);
Answer askHold(const Flown&);
Answer askGpsJumps(const Flown&);
Answer askGpsQuality(const Flown&);
Answer askPower(const Flown&);
Answer askBatteryLeft(const Flown&);
Answer askBatterySag(const Flown&);
Answer askMotors(const Flown&);
Answer askControl(const Flown&);
Answer askRecording(const Flown&);

}  // namespace anhinga::health
