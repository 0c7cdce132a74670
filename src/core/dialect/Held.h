// What an aircraft holds, as read back and said in the plan's entries; and what a plan would have it hold.
#pragma once

#include <optional>
#include <string>
#include <vector>

#include "core/dialect/Items.h"

namespace anhinga {

/// One entry of a list in words and numbers, for people.
struct EntryWords {
    std::string what;  // "waypoint", "keep-in corner"
    std::optional<GeoPoint> place;
    std::optional<Height> height;
    std::optional<double> speed_mps;
    std::optional<int> goes_back_to, passes;              // of a repeat; passes below 0: for ever
    std::vector<std::pair<std::string, double>> numbers;  // what else is set: "hold time", 5
};

/// An entry of the aircraft beside the plan's.
struct HeldRow {
    enum List { route, fence, rally } list = route;
    int number = 0;
    std::optional<EntryWords> held, planned;
    bool own_home = false;  // the aircraft writes its own there
    bool same = false;
    struct Difference {
        std::string what;
        double plan = 0, vehicle = 0;
    };
    std::vector<Difference> differences;
};

class HeldPlan {
  public:
    HeldPlan() = default;
    explicit HeldPlan(MissionSet set) : set_(std::move(set)) {}

    std::size_t route() const { return set_.mission.size(); }
    std::size_t fence() const { return set_.fence.size(); }
    std::size_t rally() const { return set_.rally.size(); }
    bool empty() const { return route() + fence() + rally() == 0; }
    const MissionSet& set() const { return set_; }

    /// Route, fence and rally points one below the other.
    std::vector<HeldRow> beside(const ToSend& plan) const;
    /// Of each entry of the route whether the aircraft holds it as the plan has it; its own home is as it should be.
    std::vector<bool> agreeing(const FlightProgram& program) const;
    /// The first entry of the route that is held otherwise, or by one of the two alone.
    std::optional<int> firstDifference(const FlightProgram& program) const;
    /// As a plan; `base` gives what a mission has not.
    Result<Decompiled> plan(const Plan& base) const { return decompile(set_, base); }

  private:
    MissionSet set_;
};

/// What a number ("param1", "z", ...) of an entry of the plan's route says: "hold time", "height".
std::string fieldWords(const FlightProgram& program, int number, const std::string& field);
/// What seals are known by: of all that is handed over.
std::uint64_t planFingerprint(const ToSend& plan);

}  // namespace anhinga
