// Writes a simulated flight into a FlightLog: rehearsals and the stand-in's onboard log.
#pragma once

#include <array>

#include "core/flight/Flight.h"
#include "core/flightlog/FlightLog.h"

namespace anhinga {

class FlightRecorder {
  public:
    /// `log` must outlive the recorder.
    explicit FlightRecorder(FlightLog& log);
    /// One sample of every channel at the flight's present time. `ground`: height above terrain where known.
    void sample(const Flight& flight, GeoPoint place, std::optional<double> ground);
    void event(const FlightEvent& event);

  private:
    FlightLog& log_;
    std::array<Channel*, 18> columns_;
    Channel* ground_;
    int item_ = 0;
};

}  // namespace anhinga
