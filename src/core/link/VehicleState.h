// What one vehicle says, as plain values: messages in, a snapshot out. Values that cannot be (not a number, a place off
// the globe) are passed over and leave what was known.
#pragma once

#include <cstdint>
#include <deque>
#include <map>
#include <optional>
#include <string>
#include <vector>

#include "core/base/CopyOnWrite.h"
#include "core/base/Modes.h"
#include "core/geo/Geo.h"
#include "core/link/Payload.h"
#include "core/mavlink/Messages.h"

namespace anhinga {

/// A message spoken by the aircraft. `severity` as MAV_SEVERITY: 0 emergency .. 4 warning .. 7 debug.
struct SpokenText {
    int severity = 6;
    std::string text;
    std::uint64_t number = 0;  // counts all that were spoken, from 1
};

/// A mode the vehicle itself offers.
struct OfferedMode {
    std::uint32_t custom_mode = 0;
    std::string name;
    bool selectable = true;
    int standard_mode = 0;  // MAV_STANDARD_MODE
    bool operator==(const OfferedMode&) const = default;
};

/// A place that was flown over.
struct FlownPoint {
    GeoPoint place;
    double height_home_m = 0;
    std::uint32_t custom_mode = 0;
};

/// How well the link carries.
struct LinkQuality {
    std::uint64_t received = 0, lost = 0;  // packets of this vehicle, by sequence numbers
    double recent_loss = 0;                // share over the last seconds
    double heartbeat_age_s = 0;
    std::optional<double> round_trip_ms;
    double bytes_per_s = 0, messages_per_s = 0;  // of the whole link
    // Packets that were not believed: without a signature, with another key's, of a system that speaks elsewhere.
    std::uint64_t not_signed = 0, wrong_signature = 0, other_address = 0;
    std::uint64_t moved = 0;                   // how often a system went on from another address
    bool two_voices = false;                   // clock or place jump to and fro as those of one aircraft cannot
    std::optional<double> radio_left_percent;  // room in the radio's own buffer
    std::optional<int> radio_rssi, radio_remote_rssi;
    double rates = 1;  // share of the wished message rates that is asked for now
};

/// What the vehicle last said; a value that was never received is nothing.
struct VehicleSnapshot {
    bool heard = false;  // a heartbeat has come
    double heartbeat_age_s = 0;
    int system = 0, component = 0, type = 0, autopilot = 0;
    bool armed = false;
    int system_status = 0;  // MAV_STATE
    int base_mode = 0;      // MAV_MODE_FLAG
    std::uint32_t custom_mode = 0;
    std::optional<GeoPoint> position, home;
    std::optional<double> amsl_m, height_home_m, heading_deg, ground_mps, air_mps, climb_mps, course_deg;
    std::optional<double> roll_deg, pitch_deg, yaw_deg, home_amsl_m;
    std::optional<double> desired_roll_deg, desired_pitch_deg, desired_yaw_deg;
    std::optional<double> item_distance_m, cross_track_m, height_error_m;  // to the item flown to, as the vehicle says
    std::optional<double> wind_from_deg, wind_mps, throttle_percent;
    std::optional<double> battery_v, battery_a, battery_percent, battery_used_mah, battery_used_wh;
    std::optional<int> satellites, fix;                                 // fix: GPS_FIX_TYPE
    std::optional<double> hdop, position_within_m;                      // the latter as the receiver estimates it
    std::optional<double> compass_ratio, position_ratio, height_ratio;  // innovation test ratios, below 1 is good
    std::optional<double> field_x_ut, field_y_ut, field_z_ut;           // magnetic field in body axes, microtesla
    std::optional<double> vibration_x, vibration_y, vibration_z, clipped;
    std::vector<int> radio_us;  // pulse lengths of the pilot's transmitter, empty: none heard
    std::optional<int> radio_rssi;
    std::optional<int> landed_state;                                       // MAV_LANDED_STATE
    std::optional<std::uint32_t> sensors_present, sensors_on, sensors_ok;  // MAV_SYS_STATUS_SENSOR bits
    std::optional<bool> fence_breached;
    int fence_breach_kind = 0;  // FENCE_BREACH
    std::optional<std::uint64_t> capabilities;
    std::string firmware;  // "1.2.3"
    std::vector<OfferedMode> modes;
    std::optional<int> mission_item, mission_total, mission_state;  // items count as in the plan's list; MISSION_STATE
    /// It holds on its route without leaving the mission's mode: as it says, or as it was ordered and has accepted.
    bool held_on_route = false;
    std::optional<double> boot_s, unix_s;
    /// The vehicle's own clock (s since its boot) when it last armed and, after that, disarmed: independent of how
    /// often a caller looks.
    std::optional<double> armed_at_s, disarmed_at_s;
    int photos = 0;  // by the camera's own numbers
    std::vector<CameraSnapshot> cameras;
    std::optional<GimbalSnapshot> gimbal;
    std::optional<GeoPoint> last_photo;
    std::optional<double> last_photo_amsl_m;
    CopyOnWrite<std::vector<GeoPoint>> photo_places;  // where known, newest last
    CopyOnWrite<std::vector<int>> reached;            // items reported as reached, in order
    CopyOnWrite<std::vector<SpokenText>> texts;       // messages spoken by the aircraft, newest last
    CopyOnWrite<std::vector<FlownPoint>> track;       // while armed; at most one point each metre
    LinkQuality link;
};

/// What its mode does: by its family's numbers, else by the standard's where the vehicle says it; else nothing. Words
/// decide nothing.
std::optional<ModeKind> modeKind(const VehicleSnapshot& vehicle);
std::optional<ModeKind> modeKind(const VehicleSnapshot& vehicle, std::uint32_t custom_mode);
/// The number to command for it; nothing where none is known.
std::optional<std::uint32_t> modeNumber(const VehicleSnapshot& vehicle, ModeKind kind);
/// Our word for its mode ("mission", "hold"); where the mode is not known, the vehicle's own word, else its number.
std::string modeName(const VehicleSnapshot& vehicle);
/// The vehicle's own word for its mode where it has one that is not ours, to stand beside ours; empty: none.
std::string ownModeWord(const VehicleSnapshot& vehicle);
/// "3D fix", "no fix", ... for a GPS_FIX_TYPE.
const char* fixText(int fix);

class VehicleState {
  public:
    /// `now_ms` of the monotonic clock. Messages of other components than the autopilot are taken only where they
    /// speak for the whole vehicle (a camera's photos, a radio's state).
    void take(const mavlink::Message& message, double now_ms);
    VehicleSnapshot at(double now_ms) const;
    /// Where each item of the list aboard stands in the plan's list, -1: nowhere. From then on items are told so.
    void setItems(std::vector<int> plan_seq) { plan_seq_ = std::move(plan_seq); }
    const std::vector<int>& items() const { return plan_seq_; }
    bool heard() const { return state_.heard; }
    /// What is to be asked of cameras and gimbals now.
    std::vector<PayloadQuestion> questions(double now_ms);

  private:
    void heartbeat(const mavlink::Message& message, double now_ms);
    void position(const mavlink::Message& message);
    void sensors(const mavlink::Message& message);
    bool navigation(const mavlink::Message& message);
    void photo(const mavlink::Message& message);
    void countLoss(const mavlink::Message& message, double now_ms);
    void addTrack();

    VehicleSnapshot state_;
    double last_heartbeat_ms_ = 0, window_ms_ = 0;
    std::uint64_t window_received_ = 0, window_lost_ = 0;
    int last_sequence_[256];
    bool sequence_known_[256] = {};
    /// In the plan's list, where the list aboard is known; nothing for what stands in no plan.
    std::optional<int> planItem(int aboard) const;

    PayloadState payload_;
    std::map<int, PhotoCount> captured_, fed_back_;  // by component
    std::vector<int> plan_seq_;
    std::string partial_text_;
    int partial_id_ = 0;
    double track_step_m_ = 1;
    void listenForTwo(const mavlink::Message& message, double now_ms);
    std::optional<double> heard_boot_s_;
    std::optional<GeoPoint> heard_at_;
    std::deque<double> jumps_ms_;  // when clock or place jumped, lately
};

}  // namespace anhinga
