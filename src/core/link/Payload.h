// What a vehicle carries beside its autopilot, as it says itself: cameras (camera protocol) and a gimbal (gimbal
// protocol v2), each a component of its own on the link or one that the autopilot speaks for.
#pragma once

#include <cstdint>
#include <map>
#include <optional>
#include <string>
#include <vector>

#include "core/mavlink/Messages.h"

namespace anhinga {

/// As MAV's STORAGE_STATUS.
enum class CardState { none = 0, unformatted = 1, ready = 2, unknown = 3 };

struct CameraSnapshot {
    int component = 0;     // that speaks for it
    bool answers = false;  // it has said what it is
    std::string model;     // empty: not said
    bool photos = false, video = false;
    std::optional<int> images;  // on its card or since it was switched on, as it counts
    std::optional<bool> repeating, filming;
    std::optional<double> filming_s;
    std::optional<double> free_mb, total_mb;  // MiB
    std::optional<CardState> card;
};

struct GimbalSnapshot {
    int component = 0;  // its manager
    int device = 0;
    std::optional<double> pitch_deg, yaw_deg;  // against the horizon; yaw as `yaw_to_north` says
    bool yaw_to_north = false;                 // else to the nose
    double pitch_min_deg = -90, pitch_max_deg = 90;
    int held_by_system = 0, held_by_component = 0;  // who steers it; 0: nobody
};

/// Something to be asked of a component: COMMAND_LONG REQUEST_MESSAGE, or the older command of its own.
struct PayloadQuestion {
    int component = 0, command = 0;
    double param1 = 0, param2 = 0;
};

/// Counts photos of one source by the source's own numbers, so that a lost or doubled message changes nothing.
class PhotoCount {
  public:
    /// True for one that was not told before.
    bool take(std::int64_t index, double time_s);
    int taken() const { return taken_; }

  private:
    std::optional<std::int64_t> last_;
    double last_s_ = 0;
    int taken_ = 0;
};

class PayloadState {
  public:
    /// Messages of the vehicle's system, the autopilot's (`autopilot` is its component) among them.
    void take(const mavlink::Message& message, int autopilot, double now_s);
    /// What is not known yet, or not fresh; to be asked each second.
    std::vector<PayloadQuestion> questions(int autopilot, double now_s);
    /// What has been silent for long is gone.
    std::vector<CameraSnapshot> cameras(double now_s) const;
    std::optional<GimbalSnapshot> gimbal(double now_s) const;

  private:
    struct Camera {
        CameraSnapshot is;
        double heard_s = 0, asked_s = -1e9;
        int asked = 0;
    };
    struct Gimbal {
        GimbalSnapshot is;
        bool answers = false;
        double heard_s = 0;
    };
    void camera(Camera& c, const mavlink::Message& m);
    void attitude(const mavlink::Message& m, double now_s);

    std::map<int, Camera> cameras_;
    std::map<int, Gimbal> gimbals_;  // by the component of the manager
    int manager_asked_ = 0;
    double manager_asked_s_ = -1e9;
};

}  // namespace anhinga
