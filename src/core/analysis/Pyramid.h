// Extremes of a channel at every coarseness, so that any stretch of it is drawn in a time that depends on the pixels
// and not on the samples.
#pragma once

#include <vector>

#include "core/flightlog/FlightLog.h"

namespace anhinga {

/// References the channel, which must outlive it. Values that are not finite have no part in extremes.
class Pyramid {
  public:
    Pyramid() = default;
    explicit Pyramid(const Channel& channel);

    struct Extremes {
        double lowest = 0, highest = 0;
        bool any = false;
    };
    /// Of the samples first .. last-1.
    Extremes between(std::size_t first, std::size_t last) const;

    /// One pixel column: which samples fall into it and what they reach.
    struct Column {
        std::size_t first = 0, last = 0;  // empty: no sample in it
        double lowest = 0, highest = 0;
    };
    /// `columns` of equal width over from_s .. to_s.
    void columns(double from_s, double to_s, int columns, std::vector<Column>& out) const;
    /// Bytes it takes beyond the channel.
    std::size_t bytes() const;

  private:
    static constexpr std::size_t kBlock = 16, kFactor = 4;
    const Channel* channel_ = nullptr;
    std::vector<std::vector<std::pair<double, double>>> levels_;  // [0]: blocks of kBlock samples
};

}  // namespace anhinga
