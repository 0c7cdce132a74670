// What flies with a simulated vehicle, each a component of its own on the same link: a camera, a gimbal with its
// manager, a second battery; and a second ground station, a system of its own. Written from the published camera and
// gimbal protocols.
#pragma once

#include <functional>
#include <mutex>

#include "core/geo/Geo.h"
#include "core/mavlink/Messages.h"

namespace anhinga {

struct CompanionOptions {
    bool camera = false, gimbal = false, battery = false, ground = false;
    double card_mb = 61000, photo_mb = 9, video_mb_per_s = 9;  // MiB
    int images = 1204;                                         // on the card as it was put in
    bool any() const { return camera || gimbal || battery || ground; }
};

/// Thread-safe.
class Companions {
  public:
    static constexpr int kCamera = 100, kGimbal = 154, kBattery = 180;
    static constexpr int kOtherGround = 251, kGroundComponent = 190;

    Companions(CompanionOptions options, int system, std::function<void(const mavlink::Message&)> send);
    /// What the vehicle is about to say. False: it is not said, as its camera tells of its photos itself.
    bool says(const mavlink::Message& message);
    /// What has come over the link.
    void hear(const mavlink::Message& message);
    void advance(double seconds);
    /// Photos it has really taken, and where its gimbal really looks.
    int taken() const;
    double pitch_deg() const;
    bool filming() const;

  private:
    using Message = mavlink::Message;
    void say(Message m, int component);
    int camera(const Message& command);
    int gimbal(const Message& command);
    bool request(int component, int message);
    void take();
    void captureStatus();
    void storage();
    void managerStatus();
    double free_mb() const;

    CompanionOptions options_;
    int system_;
    std::function<void(const Message&)> send_;
    mutable std::mutex mutex_;
    std::uint8_t sequences_[256] = {};
    double time_s_ = 0, beat_s_ = -1, attitude_s_ = -1, battery_percent_ = 55;
    GeoPoint place_;
    double amsl_m_ = 0;
    int taken_ = 0, last_capture_ = -1, repeats_left_ = 0;
    double every_s_ = 0, next_s_ = 0;
    bool filming_ = false;
    double filmed_s_ = 0, film_mb_ = 0;
    double pitch_deg_ = 0, yaw_deg_ = 0, wanted_pitch_deg_ = 0, wanted_yaw_deg_ = 0;
    int held_by_system_ = 0, held_by_component_ = 0;
};

}  // namespace anhinga
