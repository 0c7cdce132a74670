// From a plan's items to those of the aircraft that answers, and what became of each.
#pragma once

#include <functional>
#include <memory>
#include <optional>
#include <string>
#include <vector>

#include "core/dialect/Dialect.h"
#include "core/dialect/Mission.h"

namespace anhinga {

struct Plan;
class Terrain;

/// What a translation has to know besides the items.
struct TranslationInput {
    /// Metres AMSL of the ground; nothing where no elevation is loaded.
    std::function<std::optional<double>(GeoPoint)> ground_amsl_m = {};
    std::optional<GeoPoint> home = {};
    std::optional<double> home_amsl_m = {};
    int item_limit = 65535;
    /// The kind of aircraft it was planned for; nothing: whichever answers.
    std::optional<VehicleKind> planned_for = {};
};

/// A number that is kept otherwise than the plan has it, without a change of meaning. `seq` counts in the plan's list.
struct KeptField {
    std::string type;  // "mission", "fence" or "rally"
    int seq = 0;
    std::string field;
    double plan = 0, vehicle = 0;
    std::string why;
};

/// An item that the aircraft cannot be told; `seq` in the plan's list, -1: the list as a whole.
struct Unsaid {
    int seq = 0;
    std::string reason;
};

struct Translation {
    AutopilotDialect dialect;
    MissionSet set;             // as it is sent
    std::vector<int> plan_seq;  // of each item of `set.mission`: where it stands in the plan's list; -1: the home slot
    std::vector<KeptField> kept;  // what was changed so that it can be said
    std::vector<Unsaid> refused;  // not empty: nothing may be sent
};

/// Over this elevation, for this plan's home and the memory it is planned for.
TranslationInput translationInput(const Plan& plan, const std::shared_ptr<const Terrain>& terrain);

/// `plan_has_home`: item 0 of the plan's list is home. Heights above ground become heights above home where the
/// dialect takes none; repeats are written out where it has none, or where an inner one would not count anew.
Translation translate(const MissionSet& plan, bool plan_has_home, const AutopilotDialect& dialect,
                      const TranslationInput& input);

/// What an aircraft holds, as a plan's list with home as item 0.
MissionSet withHomeSlot(MissionSet held, const AutopilotDialect& dialect, std::optional<GeoPoint> home,
                        std::optional<double> home_amsl_m);

}  // namespace anhinga
