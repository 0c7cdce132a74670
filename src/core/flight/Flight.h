// A simulated vehicle flying mission items: motion within the limits of its kind, wind, battery, attitude, photos.
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
#include "core/mission/Guidance.h"
#include "core/mission/Wing.h"
#include "core/terrain/Terrain.h"

namespace anhinga {

enum class FlightMode { standby, hold, takingOff, mission, returning, landing };
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
    bool item0_is_home = true, repeats_rearm = true;
    SafetyAction at_end = SafetyAction::hold, lost_link = SafetyAction::returnHome,
                 low_battery = SafetyAction::returnHome;
};

class Flight {
  public:
    static constexpr double kStep_s = 0.1;

    explicit Flight(FlightSetup setup);

    void setMission(std::vector<MissionItem> items);
    /// Commands give the reason in words when they are refused.
    Result<void> arm();
    Result<void> disarm();
    Result<void> takeOff(double height_m);
    Result<void> startMission();
    Result<void> pause();
    Result<void> resume();
    Result<void> returnHome();
    Result<void> land();

    /// The wind is another from now on.
    void setWind(Wind wind) { air_.set(wind); }
    const Air& air() const { return air_; }
    /// As much of the battery is left, if that is less than there is.
    void drainTo(double left_percent);
    /// It no longer knows where it is: it comes down and drifts with the air.
    void loseGps();
    /// Nobody is heard any more: it does what it was told to do then.
    void loseLink();
    /// The mission goes on from this item of the list, counters kept; or starts there when it is started next.
    Result<void> goToItem(std::size_t seq);

    /// One fixed step of kStep_s.
    void step();

    const FlightState& state() const { return state_; }
    FlightMode mode() const { return mode_; }
    bool video() const { return executor_.video; }
    GeoPoint place() const { return frame_.toGeo(state_.position); }
    const LocalFrame& frame() const { return frame_; }
    const FlightSetup& setup() const { return setup_; }
    const Executor& executor() const { return executor_; }
    double heightHome_m() const { return state_.amsl_m - setup_.home_amsl_m; }
    std::optional<double> heightGround_m() const;
    bool missionEnded() const { return mission_ended_; }
    /// On the way up from the ground or down to it, where nobody asks for clearance.
    bool nearGround() const;
    /// Events since the last call.
    std::vector<FlightEvent> takeEvents();

  private:
    struct Leg {
        Vec2 from, to;
        double from_amsl = 0, to_amsl = 0;
        double speed = 0, acceptance = 2, end_speed = 0, hold_s = 0;
        bool spline = false;
        GuidedCurve curve;
    };
    void note(FlightEvent::Kind kind, int seq = 0, std::string text = {});
    void setMode(FlightMode mode);
    void nextItem();
    Leg upLeg(double amsl_m) const;
    std::optional<Leg> legTo(std::size_t seq, const Leg* before) const;
    void shapeLeg(const MissionItem& item, const Leg& before);
    void beginReturn();
    Vec2 withinAirspeed(Vec2 wanted) const;
    void fly(Vec2 wanted, double climb);
    bool followLeg();
    void descend();
    void touchDown();
    void holdHere();
    void endAction(SafetyAction action, const std::string& why);
    // Fixed wing: WingFlight.cpp
    bool isWing() const { return setup_.vehicle.kind == VehicleKind::fixedWing; }
    WingGoal wingGoal(std::size_t seq, const Leg& leg) const;
    WingGoal homeGoal() const;
    void takeWing(std::vector<WingLeg> legs);
    void wingItem(std::size_t seq, const Leg& before);
    void wingTakeOff(double amsl_m, Vec2 towards_place);
    bool followWing();
    void driftDown();
    void showWing();
    void aim();
    void takePhoto();
    double groundHere() const;

    FlightSetup setup_;
    LocalFrame frame_;
    Air air_;
    FlightState state_;
    Vec2 acceleration_;
    FlightMode mode_ = FlightMode::standby, paused_from_ = FlightMode::hold;
    Executor executor_;
    Leg leg_;
    std::optional<std::size_t> start_at_;
    std::vector<Leg> rest_;  // further legs of the present item, last first
    WingState wing_;
    WingLimits wing_limits_;
    std::vector<WingLeg> wing_legs_, wing_paused_;  // last first
    bool taking_off_ = false;                       // fixed wing: on the climb-out
    double spooled_s_ = 0;                          // helicopter: rotor start so far
    int return_phase_ = 0;
    double held_s_ = 0, ground_s_ = 0;
    double take_off_amsl_ = 0;
    bool mission_ended_ = false, low_battery_ = false, climb_first_ = false, gps_lost_ = false;
    std::optional<Vec2> last_photo_;
    double last_photo_s_ = 0;
    std::vector<FlightEvent> events_;
};

}  // namespace anhinga
