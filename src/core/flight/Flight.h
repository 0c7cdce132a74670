// A simulated vehicle flying a program: motion within the limits of its kind, wind, battery, attitude, photos.
// Rehearsal steps it as fast as it goes; the stand-in steps it with the clock.
#pragma once

#include <memory>
#include <optional>
#include <string>
#include <vector>

#include "core/base/Result.h"
#include "core/flight/Executor.h"
#include "core/flight/Power.h"
#include "core/flight/Wind.h"
#include "core/program/Guidance.h"
#include "core/program/Wing.h"
#include "core/terrain/Terrain.h"

namespace anhinga {

enum class FlightMode { standby, hold, takingOff, mission, returning, landing, led };
const char* modeText(FlightMode mode);

struct FlightState {
    double t_s = 0;
    Vec2 position;  // in the flight's frame, metres from home
    double amsl_m = 0;
    Vec2 velocity;
    double climb_mps = 0;
    double roll_deg = 0, pitch_deg = 0, yaw_deg = 0, gimbal_pitch_deg = 0;
    double air_mps = 0, throttle_percent = 0;
    bool armed = false, on_ground = true;
    Battery battery;
    double distance_m = 0;
    int photos = 0;
};

struct FlightEvent {
    enum Kind { armed, disarmed, modeChanged, itemStarted, itemReached, photo, message } kind;
    double t_s = 0;
    int seq = 0;
    std::string text;
};

struct FlightSetup {
    VehicleProfile vehicle;
    GeoPoint home;
    double home_amsl_m = 0;
    std::shared_ptr<const Terrain> terrain;  // may be null: ground is then everywhere at home's height
    Wind wind;
    double return_height_m = 60;
    OwnWays ways = {};
    bool repeats_rearm = true;
    SafetyAction lost_link = SafetyAction::returnHome, low_battery = SafetyAction::returnHome;
};

class Flight {
  public:
    static constexpr double kStep_s = 0.1;

    explicit Flight(FlightSetup setup);
    ~Flight();

    /// Heights are resolved anew: from where this flight has its home, over its terrain.
    void setMission(FlightProgram program);
    /// Commands give the reason in words when they are refused.
    Result<void> arm();
    Result<void> disarm();
    Result<void> takeOff(double height_m);
    Result<void> startMission();
    Result<void> pause();
    Result<void> resume();
    Result<void> returnHome();
    Result<void> land();

    // What is ordered in flight (FlightOrders.cpp).
    /// Leaves what it does and flies there; holds when it is there. A mission is paused and can be resumed.
    Result<void> goTo(GeoPoint place, double amsl_m);
    /// Until the mission says otherwise, m/s.
    Result<void> changeSpeed(double mps);
    /// Another list for a mission that is under way: the item being flown must be the same in it.
    Result<void> changeMission(FlightProgram program);
    /// All motors stop, wherever it is.
    void cutMotors();
    /// A motor has failed: it comes down fast where it is.
    void loseMotor();
    /// As it stands on the ground before it is armed.
    void faceOnGround(double yaw_deg) { state_.yaw_deg = wrapBearing(yaw_deg); }
    void setReturnHeight(double height_home_m) { setup_.return_height_m = height_home_m; }
    void setReturnWait(double seconds) { setup_.ways.return_wait_s = seconds; }
    void setLowBattery(SafetyAction action) { setup_.low_battery = action; }
    void setLostLink(SafetyAction action) { setup_.lost_link = action; }
    /// A fence was broken: what it does then.
    void breakFence(SafetyAction action);

    /// The wind is another from now on.
    void setWind(Wind wind) { air_.set(wind); }
    const Air& air() const { return air_; }
    /// As much of the battery is left, if that is less than there is.
    void drainTo(double left_percent);
    /// It no longer knows where it is: it comes down and drifts with the air.
    void loseGps();
    /// Nobody is heard any more: it does what it was told to do then.
    void loseLink();
    /// The mission goes on from this entry, as they are counted aboard, counters kept; or starts there when it is
    /// started next.
    Result<void> goToItem(int number);

    /// One fixed step of kStep_s.
    void step();

    const FlightState& state() const { return state_; }
    FlightMode mode() const { return mode_; }
    bool video() const { return executor_.video; }
    GeoPoint place() const { return frame_.toGeo(state_.position); }
    const LocalFrame& frame() const { return frame_; }
    const FlightSetup& setup() const { return setup_; }
    const Executor& executor() const { return executor_; }
    /// Where it is flying to, while it flies somewhere: in its frame; and how far it is beside the line there, positive
    /// to the right.
    struct Target {
        Vec2 place;
        double amsl_m = 0, cross_m = 0;
    };
    std::optional<Target> target() const;
    /// The attitude asked for at this step; the real one follows it.
    double wantedRoll_deg() const { return wanted_roll_deg_; }
    double wantedPitch_deg() const { return wanted_pitch_deg_; }
    double heightHome_m() const { return state_.amsl_m - setup_.home_amsl_m; }
    std::optional<double> heightGround_m() const;
    bool missionEnded() const { return mission_ended_; }
    /// True where the mission has come to an entry it stays at for ever, or the return to a circle it does not leave.
    bool staying() const;
    /// The battery came down to its reserve on the mission, or was empty in the air.
    bool batteryEndedIt() const { return low_battery_ || battery_empty_; }
    /// On the way up from the ground or down to it, where nobody asks for clearance.
    bool nearGround() const;
    /// Events since the last call.
    std::vector<FlightEvent> takeEvents();

  private:
    // What differs by the kind of vehicle: Motion.h.
    class Motion;
    class RotorMotion;
    class HelicopterMotion;
    class WingMotion;
    struct Leg {
        Vec2 from, to;
        double from_amsl = 0, to_amsl = 0;
        double speed = 0, acceptance = 2, end_speed = 0, brake_before = 0, hold_s = 0;
        bool spline = false;
        GuidedCurve curve;
    };
    void note(FlightEvent::Kind kind, int seq = 0, std::string text = {});
    void setMode(FlightMode mode);
    void nextItem();
    Leg upLeg(double amsl_m) const;
    std::optional<Leg> legTo(std::size_t step, const Leg* before) const;
    FlightProgram resolved(FlightProgram program) const;
    Result<void> known(const FlightProgram& program) const;
    double returnAmsl() const;
    void beginReturn();
    void touchDown();
    void holdHere();
    void endAction(SafetyAction action, const std::string& why);
    void fall();
    void keepMission();
    void aim();
    void takePhoto();
    double groundHere() const;

    FlightSetup setup_;
    std::unique_ptr<Motion> motion_;
    LocalFrame frame_;
    Air air_;
    FlightState state_;
    FlightMode mode_ = FlightMode::standby, paused_from_ = FlightMode::hold;
    Executor executor_;
    Leg leg_;
    std::optional<std::size_t> start_at_;
    double wanted_roll_deg_ = 0, wanted_pitch_deg_ = 0;
    std::optional<Leg> kept_leg_;  // of the mission that was left for another place
    double fall_mps_ = 0;          // above 0: falls no faster than this
    double held_s_ = 0, ground_s_ = 0;
    double take_off_amsl_ = 0;
    bool mission_ended_ = false, low_battery_ = false, battery_empty_ = false, gps_lost_ = false;
    std::optional<Vec2> last_photo_;
    double last_photo_s_ = 0;
    std::vector<FlightEvent> events_;
};

}  // namespace anhinga
