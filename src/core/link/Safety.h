// What an aircraft is set to do when something goes wrong, and the limits it keeps by itself: read from its parameters,
// whose names and meanings stand in one file for each family (safety/*.inc).
#pragma once

#include <optional>
#include <string>
#include <utility>

#include "core/dialect/Dialect.h"
#include "core/link/Parameters.h"

namespace anhinga {

enum class SafetySubject {
    fenceOn,         // a switch
    fenceAction,     // what it does at the fence
    fenceKinds,      // which limits the fence keeps: FenceLimit bits; without a row all that are set
    ceiling_m,       // above home; 0: none
    reach_m,         // from home; 0: none
    lostLinkOn,      // a switch, where there is one beside the action
    lostLink,        // the ground station is not heard any more
    lowBattery,      // at its reserve
    returnHeight_m,  // above home
    acceptance_m,    // how near a point counts as reached
    speed_mps,       // on the legs of a mission that asks for none
    climb_mps,
    descent_mps,
    acceleration_mps2,
    jerk_mps3,
    returnCone,    // near home it climbs no higher than so many times its distance; 0: none
    returnWait_s,  // over home, before it comes down
    compassX_ut,   // offsets found when it was calibrated
    compassY_ut,
    compassZ_ut
};

/// Bits of SafetySubject::fenceKinds.
enum FenceLimit { keepsCeiling = 1, keepsReach = 2, keepsAreas = 4 };

/// What a value of an action means.
enum class SafetyMeans { unknown, nothing, says, returns, lands, holds, carriesOn, endsFlight };
/// "returns home", "only says so", ...
const char* meansText(SafetyMeans means);

/// One of them as the aircraft holds it.
struct SafetySetting {
    std::string name;
    Parameter held;
    double value = 0;                          // in the subject's unit
    SafetyMeans means = SafetyMeans::unknown;  // of an action
};

class AircraftSafety {
  public:
    AircraftSafety(const ParameterSet& held, AutopilotFamily family, VehicleKind kind)
        : held_(held), family_(family), kind_(kind) {}
    /// False for a family of which no names are known.
    bool known() const;
    /// Nothing where the aircraft has no such parameter, or it holds no finite number.
    std::optional<SafetySetting> at(SafetySubject subject) const;
    /// The parameter with the value that says so; nothing where none does.
    std::optional<std::pair<std::string, Parameter>> wanting(SafetySubject subject, double value) const;
    std::optional<std::pair<std::string, Parameter>> wanting(SafetySubject subject, SafetyMeans means) const;

  private:
    const ParameterSet& held_;
    AutopilotFamily family_;
    VehicleKind kind_;
};

}  // namespace anhinga
