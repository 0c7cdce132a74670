// What one autopilot family does with what it is sent, written from its public behaviour and from nothing of ours: it
// knows neither how plans are translated nor which modes the windows know. The numbers are those of the MAVLink
// standard and of the family itself.
#pragma once

#include <cstdint>
#include <map>
#include <memory>
#include <optional>
#include <string>
#include <vector>

#include "core/geo/Geo.h"
#include "standin/families/OnboardLog.h"

namespace anhinga::families {

enum class Body { rotors, helicopter, wing };

/// One item of a list, as it is kept.
struct Kept {
    int frame = 0, command = 0;
    double p1 = 0, p2 = 0, p3 = 0, p4 = 0;
    std::int32_t x = 0, y = 0;  // 1e-7 degrees
    double z = 0;
};
enum List { route = 0, fence = 1, rally = 2 };

/// What an aircraft does, whatever its family calls it.
enum class Does { nothing, byHand, holdsHeight, holdsPlace, route, led, home, lands, takesOff };

/// Answers of the standard.
enum MissionAnswer { taken = 0, badFrame = 2, badCommand = 3, tooMany = 4, badParam1 = 6 };
enum CommandAnswer { done = 0, notNow = 1, denied = 2, unknown = 3, failed = 4 };

struct Parameter {
    double value = 0;
    bool whole = false;  // a 32-bit integer, else a float
};

class Family {
  public:
    explicit Family(Body body) : body_(body) {}
    virtual ~Family() = default;
    Body body() const { return body_; }

    virtual int autopilot() const = 0;
    /// MAV_TYPE.
    int type() const { return body_ == Body::wing ? 1 : body_ == Body::helicopter ? 4 : 2; }
    virtual std::uint64_t capabilities() const = 0;
    virtual bool homeSlot() const = 0;
    virtual bool knows(List list) const = 0;
    /// MissionAnswer for an item of a list that comes in.
    virtual int judge(List list, const Kept& item) const = 0;
    /// As it comes back after it was stored.
    virtual Kept keep(List list, const Kept& item) const = 0;
    virtual bool takesParts() const = 0;
    /// Why a list that was taken is not flown; empty: it is.
    virtual std::string objection(const std::vector<Kept>& route, GeoPoint home) const = 0;
    /// Whether a counter of repeats starts again when its loop is entered anew.
    virtual bool repeatsRearm() const { return false; }

    /// The number of a mode in the heartbeat.
    virtual std::uint32_t number(Does does) const = 0;
    /// What DO_SET_MODE with these numbers asks for; nothing: no such mode, or one that ends the flight.
    virtual std::optional<Does> mode(double param1, double param2, double param3) const = 0;
    virtual bool armsIn(Does does) const = 0;
    virtual bool pausesByCommand() const = 0;
    /// Heights of orders are AMSL, whatever their frame says.
    virtual bool ordersAmsl() const = 0;
    virtual bool knowsCommand(int command) const = 0;
    virtual bool startArms() const = 0;
    /// MISSION_STATE as it says it; 0: it does not.
    virtual int state(bool nothing_to_fly, bool flies, bool begun) const {
        return nothing_to_fly ? 1 : flies ? 3 : begun ? 4 : 2;
    }

    virtual std::map<std::string, Parameter> parameters() const = 0;
    /// How it flies home, as its parameters say.
    struct WayBack {
        double height_m = 60, cone = 0, wait_s = 0;
    };
    virtual WayBack wayBack(const std::map<std::string, Parameter>&) const { return {}; }
    virtual OnboardLog::Layout logLayout() const { return OnboardLog::Layout::selfDescribing; }
    /// Integers travel as their bytes, else as numbers.
    virtual bool parametersBytewise() const = 0;

    double acceptance_m() const { return body_ == Body::wing ? 30 : 2; }
    double circle_m() const { return 60; }

  private:
    Body body_;
};

std::unique_ptr<Family> familyThree(Body body);
std::unique_ptr<Family> familyTwelve(Body body);
std::unique_ptr<Family> familyPlain(Body body);

}  // namespace anhinga::families
