// A simulated autopilot that speaks MAVLink 2 and flies what it was sent with the shared executor. For practice and
// tests; it presents itself as autopilot family 3.
#pragma once

#include <functional>
#include <map>
#include <memory>
#include <mutex>
#include <optional>
#include <string>
#include <vector>

#include "core/flight/Flight.h"
#include "core/flight/FlightRecorder.h"
#include "core/flightlog/FlightLog.h"
#include "core/mavlink/Messages.h"

namespace anhinga {

struct StandInOptions {
    GeoPoint home{47.3052, -20.1068};
    double home_amsl_m = 0;
    std::shared_ptr<const Terrain> terrain;
    VehicleProfile vehicle;
    Wind wind;
    double speedup = 1;
    double return_height_m = 60;
    SafetyAction at_end = SafetyAction::hold, low_battery = SafetyAction::returnHome;
    int max_items = 700;
    std::map<std::string, double> faults;  // name -> seconds after start (0: from the beginning)
    std::string logs_dir;                  // empty: no onboard log
};

/// Faults by name, with what they do.
struct FaultInfo {
    const char* name;
    const char* text;
};
extern const FaultInfo kFaults[3];

/// Thread-safe: receive() from the link's thread, advance() from the clock's.
class StandIn {
  public:
    StandIn(StandInOptions options, std::function<void(const mavlink::Message&)> send);
    void receive(const mavlink::Message& message);
    /// Lets `seconds` of wall time pass.
    void advance(double seconds);
    /// Seconds of simulated time since start.
    double time_s() const;

  private:
    using Message = mavlink::Message;
    struct Store {
        std::vector<MissionItem> items;
    };
    struct Upload {
        bool active = false, done = false;
        int type = 0, count = 0, next = 0, tries = 0;
        double asked_s = 0;
        std::vector<MissionItem> items;
    };
    bool fault(const std::string& name) const;
    void say(Message message);
    void text(int severity, const std::string& what);
    void missionMessage(const Message& m);
    void takeItem(const Message& m);
    void askNext();
    void acknowledge(int type, int result);
    void command(const Message& m);
    Result<void> execute(int command, const Message& m, bool& known);
    void telemetry();
    void heartbeat();
    void finishLog();

    StandInOptions options_;
    std::function<void(const Message&)> send_;
    mutable std::mutex mutex_;
    Flight flight_;
    std::map<int, Store> stores_;
    Upload upload_;
    std::uint8_t sequence_ = 0;
    double wall_s_ = 0, owed_s_ = 0;
    double last_heartbeat_s_ = -10, last_fast_s_ = -10, last_slow_s_ = -10;
    int item_ = 0, log_number_ = 0;
    int mode_request_ = 0;  // custom mode asked for on the ground
    std::unique_ptr<FlightLog> log_;
    std::unique_ptr<FlightRecorder> recorder_;
};

}  // namespace anhinga
