// Checklist items that look for themselves: each says whether it is fulfilled and why.
#pragma once

#include <functional>
#include <optional>
#include <span>
#include <string>

#include "core/link/Parameters.h"
#include "core/program/Program.h"
#include "core/terrain/Terrain.h"
#include "core/watch/Progress.h"

namespace anhinga {

struct Plan;

enum class CheckState { good, bad, unknown };
struct CheckResult {
    CheckState state = CheckState::unknown;
    std::string text;
    /// The parameter that would make it so, where it is safe to set one.
    std::optional<std::pair<std::string, Parameter>> setting = {};
    /// What the aircraft holds, taken into the plan; empty: nothing to take.
    std::function<void(Plan&)> take = {};
};

/// All there is to go by, before a flight.
struct FieldInput {
    const Plan* plan = nullptr;
    const VehicleSnapshot* vehicle = nullptr;  // null: no link
    const Rehearsal* rehearsal = nullptr;      // null: none
    const FlightProgram* program = nullptr;    // null: it cannot be sent
    std::optional<double> home_amsl_m;         // planned
    bool sealed = false;                       // the aircraft holds this very plan
    bool fence_sent = false;                   // with a fence, where the plan has one
    const ParameterSet* parameters = nullptr;  // null: not read
    std::string heading_test;                  // how it ended; empty: not done
    bool heading_test_good = false;
    double year = 2026;
};

struct AutoCheck {
    const char* name;  // as stored in plans
    const char* title;
    CheckResult (*look)(const FieldInput& input);
};
/// Every automatic item there is; those about the aircraft's own settings are in SafetyChecks.h.
std::span<const AutoCheck> autoChecks();
/// By its name, of both; null: there is none.
const AutoCheck* autoCheck(const std::string& name);

/// The test of compass and heading on the ground: the aircraft stands still, is turned half round, stands still again.
/// Its heading must follow, and the field's strength must be the Earth's in both directions.
class HeadingTest {
  public:
    enum class Stage { idle, settling, turning, settlingAgain, done };
    /// `field_ut`: the Earth's field there by the World Magnetic Model, microtesla.
    void begin(double field_ut);
    void cancel() { stage_ = Stage::idle; }
    /// Times in seconds of any steady clock.
    void look(const VehicleSnapshot& vehicle, double now_s);
    Stage stage() const { return stage_; }
    bool good() const { return good_; }
    /// What to do now, or how it ended.
    std::string text() const;

  private:
    bool settled(double heading_deg, double now_s);
    void finish();
    Stage stage_ = Stage::idle;
    bool good_ = false;
    double field_ut_ = 50, still_since_s_ = 0, still_deg_ = 0;
    double first_deg_ = 0, second_deg_ = 0, now_deg_ = 0;
    std::optional<double> first_ut_, second_ut_;
    std::string result_;
};

/// What changes when the aircraft stands elsewhere than planned.
struct HomeMove {
    double distance_m = 0, bearing_deg = 0;
    std::optional<double> higher_m;  // the aircraft's home above the planned one; nothing: one is not known
    double first_leg_m = 0;          // from the aircraft's home to the first waypoint
    double first_leg_planned_m = 0;
    std::optional<double> clearance_m, clearance_planned_m;  // lowest over the terrain
};
/// Nothing when the vehicle has no home yet, or the plan none. `terrain` may be null.
std::optional<HomeMove> homeMove(const Plan& plan, const Terrain* terrain, const VehicleSnapshot& vehicle);
/// "12 m north-east of the planned home and 1.5 m higher: ...".
std::string homeMoveText(const HomeMove& move);
/// The plan with its home where the aircraft's is; heights above home follow it.
Plan withMeasuredHome(const Plan& plan, const VehicleSnapshot& vehicle);

}  // namespace anhinga
