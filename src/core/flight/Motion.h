// How a kind of vehicle moves: all that a flight asks of it. One class a kind, chosen by make(); a new kind is one
// more of them. What it follows (legs, curves, pieces of a wing's flight) is its own; where the flight is, what is
// ordered and what comes next is Flight's.
#pragma once

#include "core/flight/Flight.h"

namespace anhinga {

inline constexpr double kRadPerDeg = M_PI / 180;

class Flight::Motion {
  public:
    virtual ~Motion() = default;
    static std::unique_ptr<Motion> make(const Flight& flight);

    /// leg_ leads straight up; what comes after it lies towards a place.
    virtual void takeOff(Flight&, double, Vec2) {}
    /// leg_ leads to the entry that has just begun; `before` led to the one before it.
    virtual void beginItem(Flight& f, std::size_t step, const Leg& before) = 0;
    /// One step on the way to the present entry; true once it is there.
    virtual bool flyItem(Flight& f) = 0;
    /// One step along leg_; true at its end.
    virtual bool follow(Flight& f) = 0;
    /// leg_ leads to a place that was ordered.
    virtual void beginOrdered(Flight& f) = 0;
    virtual void beginReturn(Flight& f, bool planned, const Leg& before) = 0;
    virtual void stepReturn(Flight& f) = 0;
    /// On the way home: whether it flies to where home is by now, and not up.
    virtual bool headsHome() const { return false; }
    /// The return is at its end and stays in the air.
    virtual bool waitsOverHome(const Flight&) const { return false; }
    virtual void beginLanding(Flight&) {}
    virtual void descend(Flight& f) = 0;
    /// Over the place a mission lands at.
    virtual void arriveToLand(Flight&) {}
    /// One step of staying where it is.
    virtual void stay(Flight& f) = 0;
    /// From here on it stays.
    virtual void holdHere() {}
    /// What it follows is over; nothing of it is left to fly.
    virtual void drop() {}
    /// What it follows waits for resume(): it leaves it, or flies something else meanwhile (`kept`: with leg_).
    virtual void pause() {}
    virtual void keep() {}
    virtual void keepLeg() {}
    virtual void resume(bool /*kept*/) {}
    virtual void changeSpeed(double) {}
    virtual void stop() {}
    virtual bool nearGround(const Flight& f) const = 0;
    /// At an entry for ever.
    virtual bool isThere(const Flight& f) const = 0;
    virtual double yawRate_dps(const Flight& f) const { return f.setup_.vehicle.yaw_rate_dps; }
    virtual double fallWithoutMotor_mps(const Flight&) const { return 7; }
    /// Whether it can leave the ground now; else one step of getting ready.
    virtual bool readyToLift(Flight&) { return true; }
};

/// Multirotors: up, down and sideways as they like, within speed, acceleration and jerk.
class Flight::RotorMotion : public Motion {
  public:
    void beginItem(Flight& f, std::size_t step, const Leg& before) override;
    bool flyItem(Flight& f) override;
    bool follow(Flight& f) override;
    void beginOrdered(Flight&) override { rest_.clear(); }
    void beginReturn(Flight& f, bool planned, const Leg& before) override;
    void stepReturn(Flight& f) override;
    bool headsHome() const override { return return_phase_ > 0; }
    void descend(Flight& f) override;
    void stay(Flight& f) override { fly(f, {}, 0); }
    void drop() override { rest_.clear(); }
    void keepLeg() override { kept_rest_ = rest_; }
    void resume(bool kept) override;
    void stop() override { acceleration_ = {}; }
    bool nearGround(const Flight& f) const override;
    bool isThere(const Flight& f) const override { return f.held_s_ > 0; }

  private:
    void shapeLeg(Flight& f, const ProgramLeg& to, const Leg& before);
    static double cornerSpeedOf(const Flight& f, Vec2 in, Vec2 out);
    double passingSpeed(const Flight& f, Vec2 in, Vec2 out, const Leg& next) const;
    void fly(Flight& f, Vec2 wanted, double climb);

    Vec2 acceleration_;
    std::vector<Leg> rest_, kept_rest_;  // further legs of the present entry, last first
    bool climb_first_ = false;           // no take-off: up to the first entry's height, then across
    int return_phase_ = 0;
    double over_home_s_ = 0;
};

/// The same with one rotor, which has to be run up.
class Flight::HelicopterMotion : public RotorMotion {
  public:
    bool readyToLift(Flight& f) override;

  private:
    double spooled_s_ = 0;
};

/// Fixed wings: pieces of lines, turns and circles, always moving.
class Flight::WingMotion : public Motion {
  public:
    explicit WingMotion(const Flight& f);
    void takeOff(Flight& f, double amsl_m, Vec2 towards) override;
    void beginItem(Flight& f, std::size_t step, const Leg& before) override;
    bool flyItem(Flight& f) override { return follow(f); }
    bool follow(Flight& f) override;
    void beginOrdered(Flight& f) override;
    void beginReturn(Flight& f, bool planned, const Leg& before) override;
    void stepReturn(Flight& f) override { descend(f); }
    bool waitsOverHome(const Flight& f) const override;
    void beginLanding(Flight& f) override;
    void descend(Flight& f) override;
    void arriveToLand(Flight& f) override { f.touchDown(); }
    void stay(Flight& f) override { (void)follow(f); }
    void holdHere() override { pieces_.clear(); }  // a circle here follows
    void pause() override { paused_ = std::move(pieces_); }
    void keep() override { paused_ = pieces_; }
    void resume(bool) override { pieces_ = std::move(paused_); }
    void changeSpeed(double mps) override;
    bool nearGround(const Flight& f) const override;
    bool isThere(const Flight&) const override { return pieces_.size() <= 1; }
    double yawRate_dps(const Flight&) const override { return 0; }  // its nose is where it flies
    double fallWithoutMotor_mps(const Flight& f) const override { return f.setup_.vehicle.descent_mps * 2; }

  private:
    WingGoal goalOf(const Flight& f, std::size_t step, const Leg& leg) const;
    WingGoal homeGoal(const Flight& f) const;
    void take(const Flight& f, std::vector<WingLeg> pieces);
    void driftDown(Flight& f);
    void show(Flight& f);

    WingState wing_;
    WingLimits limits_;
    std::vector<WingLeg> pieces_, paused_;  // last first
    bool taking_off_ = false;               // on the climb-out
};

}  // namespace anhinga
