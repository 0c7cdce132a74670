// A simulated autopilot that speaks MAVLink 2 and flies what it was sent with the shared executor. For practice and
// tests; it presents itself as a family of its own, with modes and parameters invented for it.
#pragma once

#include <array>
#include <deque>
#include <functional>
#include <memory>
#include <mutex>
#include <optional>
#include <string>
#include <vector>

#include "core/base/Clock.h"
#include "core/base/Modes.h"
#include "core/flight/Flight.h"
#include "core/flight/FlightRecorder.h"
#include "core/flightlog/FlightLog.h"
#include "core/geo/MagneticField.h"
#include "core/mavlink/Messages.h"
#include "core/mavlink/ModeNames.h"
#include "core/mavlink/Signing.h"
#include "core/program/FenceField.h"
#include "standin/Companions.h"
#include "standin/Faults.h"
#include "standin/FlyOffline.h"
#include "standin/MissionStore.h"
#include "standin/OnboardFiles.h"
#include "standin/ParameterStore.h"
#include "standin/families/SimulatedVehicle.h"

namespace anhinga {

constexpr int kStandInFamily = mavlink::kOwnFamily;

struct StandInOptions {
    GeoPoint home{47.3052, -20.1068};
    double home_amsl_m = 0;
    std::shared_ptr<const Terrain> terrain;
    VehicleProfile vehicle;
    Wind wind;
    double pace = 1;
    double return_height_m = 60;
    SafetyAction lost_link = SafetyAction::returnHome, low_battery = SafetyAction::returnHome;
    int max_items = 700;
    Faults faults;
    CompanionOptions companions;
    std::string logs_dir;    // empty: no onboard log
    std::string store_file;  // of the missions that outlive a power cut; empty: only in memory
    int system = 1;
    double heading_deg = 0;  // as it stands on the ground
    /// Of the onboard log. Few are enough to try out a link; spectra want hundreds a second (see SensorSuite.h).
    SensorRates log_rates = {25, 10, 10, 10, 5, 5};
    unsigned log_seed = 1;
    double log_bytes_per_s = 4e6;            // how fast a log is streamed
    std::optional<mavlink::SigningKey> key;  // set: only what is signed with it is obeyed
    Clock* clock = &Clock::machine();        // what it takes the date from; its own time passes in advance()
};

/// Thread-safe: receive() from the link's thread, advance() from the clock's.
class StandIn : public SimulatedVehicle {
  public:
    StandIn(StandInOptions options, std::function<void(const mavlink::Message&)> send);
    /// What has come over a link: its signature is judged, and a packet the link has doubled is passed over.
    void hear(const mavlink::Message& message, std::span<const std::uint8_t> frame) override;
    void receive(const mavlink::Message& message);
    /// A message of ours as it travels: signed where there is a key.
    std::string frame(const mavlink::Message& message) override;
    void advance(double seconds) override;
    /// Seconds of simulated time since start.
    double time_s() const;
    /// How often each command was executed.
    std::map<int, int> executed() const;
    /// How it really is, whatever is heard of it on the ground.
    struct Truth {
        bool armed = false;
        double height_home_m = 0;
        GeoPoint place;
        int item = 0;
    };
    Truth truth() const;

  private:
    using Message = mavlink::Message;
    bool fault(const char* name) const;
    double faultSeconds(const char* name) const;
    bool deaf() const;
    void say(Message message);
    void text(int severity, const std::string& what);
    void receiveLocked(const Message& message);
    Result<void> takeMission(int type, const std::vector<MissionItem>& items);
    void parameterChanged(const std::string& name, double value);
    // StandInCommands.cpp
    void command(const Message& m);
    Result<void> execute(int command, const Message& m, bool& known);
    Result<void> arm();
    std::string notReady() const;
    Result<void> changeMode(int mode);
    /// Those it can be told to fly in.
    static bool flies(ModeKind kind);
    void requested(int message);
    void restart();
    // StandInTelemetry.cpp
    struct Stream;
    static std::span<const Stream> streams();
    void telemetry();
    void setInterval(std::string_view message, double every_s);
    void heartbeat();
    void sayModes();
    Message systemStatus() const;
    Message battery() const;
    Message globalPosition() const;
    Message attitude() const;
    Message hud() const;
    Message gps() const;
    Message navigation() const;
    Message attitudeTarget() const;
    Message estimator() const;
    Message magnetometer() const;
    Message vibration() const;
    Message transmitter() const;
    Message wind() const;
    Message landedState() const;
    Message fenceStatus() const;
    Message homePosition() const;
    Message missionCurrent() const;
    Message systemTime() const;
    GeoPoint reportedPlace() const;
    double reportedHeading() const;

    void happened(const FlightEvent& event);
    void applyFaults();
    void watchFence();
    void finishLog();

    StandInOptions options_;
    std::function<void(const Message&)> send_;
    mutable std::mutex mutex_;
    Flight flight_;
    MissionStore missions_;
    ParameterStore parameters_;
    OnboardFiles files_;
    MagneticField field_;
    std::optional<FenceField> fences_;
    std::vector<double> every_s_, last_s_;  // a stream each, simulated seconds
    mavlink::SignatureKeeper signatures_;
    std::uint64_t signing_time_ = 0;
    std::deque<std::pair<int, std::uint16_t>> heard_;  // sequence and checksum of what came lately
    struct LastCommand {
        int number = -1, result = 0;
        Message message;
        double wall_s = -1e9;
    } last_command_;
    std::map<int, int> executed_;
    std::uint8_t sequence_ = 0;
    double wall_s_ = 0, owed_s_ = 0, last_heartbeat_s_ = -10, ground_heard_s_ = -1, refused_s_ = -10;
    bool link_lost_ = false;
    int item_ = 0, log_number_ = 0, reached_ = 0, text_id_ = 0;
    int mode_request_ = 11;  // custom mode asked for on the ground: by hand as long as none is
    int fence_breach_ = 0, fence_breaches_ = 0;
    double clipped_ = 0;
    std::array<bool, 8> done_{};  // faults that happen once
    std::unique_ptr<FlightLog> log_;
    std::unique_ptr<FlightRecorder> recorder_;
};

/// MAV_TYPE of a kind of vehicle.
int mavTypeOf(VehicleKind kind);

}  // namespace anhinga
