// The ground's end of a MAVLink conversation with one vehicle: what it says (snapshot), waiting for answers (Inbox),
// and the recording of every packet. Threads: the transport's thread receives; everything here may be called from any.
#pragma once

#include <condition_variable>
#include <deque>
#include <map>
#include <memory>
#include <mutex>
#include <optional>
#include <set>
#include <stop_token>
#include <string>
#include <thread>
#include <vector>

#include "core/geo/Geo.h"
#include "core/link/Recorder.h"
#include "core/link/Transport.h"
#include "core/mavlink/Frame.h"

namespace anhinga {

/// What the vehicle last said; a value that was never received is nothing.
struct VehicleSnapshot {
    bool heard = false;  // a heartbeat has come
    double heartbeat_age_s = 0;
    int system = 0, component = 0, type = 0, autopilot = 0;
    bool armed = false;
    std::uint32_t custom_mode = 0;
    std::optional<GeoPoint> position, home;
    std::optional<double> amsl_m, height_home_m, heading_deg, ground_mps, air_mps, climb_mps;
    std::optional<double> roll_deg, pitch_deg, home_amsl_m;
    std::optional<double> battery_v, battery_a, battery_percent, battery_used_mah;
    std::optional<int> satellites, fix;
    std::optional<int> mission_item;
    std::optional<double> boot_s;
    /// The vehicle's own clock (s since its boot) when it last armed and, after that, disarmed: independent of how
    /// often a caller looks.
    std::optional<double> armed_at_s, disarmed_at_s;
    int photos = 0;
    std::optional<GeoPoint> last_photo;
    std::optional<double> last_photo_amsl_m;
    std::vector<int> reached;                        // items reported as reached, in order
    std::vector<std::string> texts;                  // messages spoken by the aircraft, newest last
    std::uint64_t received = 0, lost = 0;            // packets, by sequence numbers
    std::vector<std::pair<GeoPoint, double>> track;  // places with height above home, at most one each metre
};

/// "mission", "hold", ... for a mode of autopilot family 3; "mode 42" for others.
std::string modeName(const VehicleSnapshot& vehicle);

class VehicleLink {
  public:
    struct Options {
        std::string record_path;  // empty: not recorded
        LinkConditions conditions;
    };
    static Result<std::unique_ptr<VehicleLink>> open(const std::string& address, const Options& options);
    ~VehicleLink();
    VehicleLink(const VehicleLink&) = delete;

    VehicleSnapshot snapshot() const;
    /// Stamps sequence and our identity on it and sends it. Fields target_system / target_component are the caller's.
    void send(mavlink::Message message);
    /// Waits until a heartbeat has come. False after the time or on stop.
    bool waitForVehicle(double timeout_s, std::stop_token stop = {}) const;
    void flushRecord() {
        if (recorder_) recorder_->flush();
    }
    std::string recordError() const { return recorder_ ? recorder_->error() : std::string(); }

    /// Collects messages from its making on; for request-and-answer conversations.
    class Inbox {
      public:
        explicit Inbox(VehicleLink& link);
        ~Inbox();
        Inbox(const Inbox&) = delete;
        /// The next message within the time; nothing when it is over or stop is asked for.
        std::optional<mavlink::Message> next(double timeout_s, std::stop_token stop = {});

      private:
        friend class VehicleLink;
        VehicleLink& link_;
        std::deque<mavlink::Message> queue_;
    };

  private:
    VehicleLink() = default;
    void receive(std::span<const std::uint8_t> bytes);
    void take(const mavlink::Message& message);
    void countLoss(const mavlink::Message& message);

    mutable std::mutex mutex_;
    mutable std::condition_variable_any arrived_;
    VehicleSnapshot state_;
    double last_heartbeat_ms_ = 0;
    std::optional<int> last_sequence_;
    std::set<Inbox*> inboxes_;
    mavlink::Parser parser_;
    std::uint8_t sequence_ = 0;
    std::unique_ptr<Recorder> recorder_;
    std::unique_ptr<Transport> transport_;
    std::jthread beat_;  // our own heartbeat
};

}  // namespace anhinga
