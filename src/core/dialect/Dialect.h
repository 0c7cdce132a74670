// What an autopilot family takes, keeps and means, as data. A plan is not tied to a family: its items are translated
// for the aircraft that answers (Translate.h), and what it holds is compared by meaning (Meaning.h). docs/autopilots.md
// says what is known of each family.
#pragma once

#include <cstdint>
#include <limits>
#include <optional>
#include <span>
#include <string>

#include "core/plan/Vehicle.h"

namespace anhinga {

enum class AutopilotFamily { own, plain, three, twelve };

/// Which number of a mission item is meant.
enum class ItemField { param1, param2, param3, param4, x, y, z, frame };
const char* fieldText(ItemField field);

/// How a family keeps one number of a command. `step`: what comes back may be less than one step away; infinite: it is
/// not kept at all. A number without a row comes back as it was sent.
struct KeptRule {
    std::uint16_t command = 0;
    ItemField field = ItemField::param1;
    double step = 0;
    const char* why = "";
};
constexpr double kNotKept = std::numeric_limits<double>::infinity();

struct AutopilotDialect {
    AutopilotFamily family = AutopilotFamily::plain;
    VehicleKind kind = VehicleKind::multirotor;
    bool home_slot = false;     // item 0 of a mission is the aircraft's home
    bool verbatim = false;      // items come back as they were sent, number by number
    bool above_ground = false;  // takes heights above ground
    bool fence = true, rally = true;
    bool partial_lists = false;   // takes a part of a list
    bool repeats = true;          // has a command to go back
    bool repeats_rearm = false;   // a repeat counts anew when its loop is entered again
    int most_repeats = 0;         // in one list; 0: as many as fit
    bool whole_turns = false;     // of a circle
    bool judges_late = false;     // takes a list first, and says afterwards whether it can be flown
    bool pause_command = false;   // is held and let go by a command; else by its modes
    bool height_command = false;  // is told another height by a command; else by a place
    bool orders_amsl = false;     // reads heights of orders as AMSL, whatever the frame says
    bool return_lands = true;     // home again after a return it lands; else it circles there
    bool modes_split = false;     // a mode is commanded as main and sub-mode
    double height_step_m = 0;     // heights are cut to this, toward zero; 0: kept as they are
    double rally_step_m = 0;
    double air_speed_kind = 0;                     // SPEED_TYPE that is commanded for a fixed wing's speed
    std::span<const KeptRule> kept, kept_by_kind;  // of the family; and of this kind of it
    std::span<const std::uint16_t> only;           // commands that are taken; empty: all but `refused`
    std::span<const std::uint16_t> refused;

    bool takes(std::uint16_t command) const;
    /// The row of a number; null: it is kept as it is.
    const KeptRule* rule(std::uint16_t command, ItemField field) const;
};

/// By MAV_AUTOPILOT and MAV_TYPE as in the heartbeat. A family that is not known is `plain`: only what the standard's
/// common set says.
const AutopilotDialect& dialectOf(int autopilot, int type);
/// "autopilot family 3, fixed wing"; "the demo's own autopilot, multirotor"; "an autopilot of the common set, ...".
std::string dialectText(const AutopilotDialect& dialect);

}  // namespace anhinga
