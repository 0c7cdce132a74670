#include "core/dialect/Dialect.h"

#include <fmt/format.h>

#include <algorithm>
#include <array>

#include "core/dialect/Mission.h"
#include "core/mavlink/ModeNames.h"

namespace anhinga {

namespace {

using enum ItemField;

constexpr const char* kWholeSeconds = "whole seconds";
constexpr const char* kFlag = "kept as a flag";
constexpr const char* kNoTurn = "it keeps no heading here";

// Items of family 3 are kept packed: a command's numbers share few bytes.
constexpr KeptRule kThree[] = {
    {cmd::waypoint, param4, kNotKept, kNoTurn},
    {cmd::loiterForEver, param1, kNotKept, kFlag},
    {cmd::loiterForEver, param2, kNotKept, kFlag},
    {cmd::loiterForEver, param3, 1, "whole metres"},
    {cmd::loiterForEver, param4, kNotKept, kFlag},
    {cmd::loiterTurns, param1, 1, "whole turns"},
    {cmd::loiterTurns, param2, kNotKept, kFlag},
    {cmd::loiterTurns, param3, 10, "whole metres, above 255 m whole tens"},
    {cmd::loiterTurns, param4, kNotKept, kFlag},
    {cmd::loiterTime, param1, 1, kWholeSeconds},
    {cmd::loiterTime, param2, kNotKept, kFlag},
    {cmd::loiterTime, param3, kNotKept, kFlag},
    {cmd::loiterTime, param4, kNotKept, kFlag},
    {cmd::land, param1, kNotKept, kFlag},
    {cmd::land, param4, kNotKept, kFlag},
    {cmd::takeOff, param4, kNotKept, kNoTurn},
    {cmd::takeOff, x, kNotKept, "it takes off where it stands"},
    {cmd::takeOff, y, kNotKept, "it takes off where it stands"},
    {cmd::loiterToHeight, param1, kNotKept, kFlag},
    {cmd::loiterToHeight, param4, kNotKept, kFlag},
    {cmd::delay, param1, 1, kWholeSeconds},
    {cmd::changeSpeed, param3, kNotKept, "throttle stays as it is"},
    {cmd::photoNow, param1, kNotKept, kFlag},
    {cmd::photoNow, z, kNotKept, kFlag},
    {cmd::photoDistance, param2, kNotKept, kFlag},
    {cmd::photoDistance, param3, kNotKept, "first photo at once"},
    {cmd::lookAt, param1, kNotKept, kFlag},
};
constexpr KeptRule kThreeRotors[] = {
    {cmd::waypoint, param1, 1, kWholeSeconds},
    {cmd::waypoint, param2, kNotKept, "how near counts as reached is a parameter of the aircraft"},
    {cmd::waypoint, param3, kNotKept, kFlag},
    {cmd::spline, param1, 1, kWholeSeconds},
    {cmd::spline, param2, kNotKept, "not kept"},
    {cmd::spline, param3, kNotKept, "not kept"},
    {cmd::spline, param4, kNotKept, "not kept"},
};
constexpr KeptRule kThreeWings[] = {
    {cmd::waypoint, param1, kNotKept, "a fixed wing does not wait"},
    {cmd::waypoint, param2, 1, "whole metres"},
    {cmd::waypoint, param3, 1, "whole metres"},
    {cmd::loiterToHeight, param2, 1, "whole metres"},
};
// Family 12 keeps numbers; headings go through radians.
constexpr KeptRule kTwelve[] = {
    {cmd::waypoint, param4, 0.01, "headings are kept in radians"},
    {cmd::loiterTime, param2, kNotKept, kFlag},
    {cmd::loiterTime, param4, kNotKept, kFlag},
    {cmd::loiterForEver, param1, kNotKept, kFlag},
    {cmd::loiterForEver, param2, kNotKept, kFlag},
    {cmd::loiterForEver, param4, kNotKept, kFlag},
    {cmd::loiterTurns, param2, kNotKept, kFlag},
    {cmd::loiterTurns, param4, kNotKept, kFlag},
    {cmd::loiterToHeight, param1, kNotKept, kFlag},
    {cmd::loiterToHeight, param4, kNotKept, kFlag},
    {cmd::land, param1, kNotKept, kFlag},
    {cmd::land, param4, kNotKept, kNoTurn},
    {cmd::takeOff, param1, kNotKept, kFlag},
    {cmd::takeOff, param4, kNotKept, kNoTurn},
    {cmd::changeSpeed, param3, kNotKept, "throttle stays as it is"},
};
// Of a family that is not known anything may be cut that does not move the aircraft.
constexpr KeptRule kPlain[] = {
    {cmd::waypoint, param1, 1, kWholeSeconds},
    {cmd::waypoint, param2, kNotKept, "how near counts as reached may be its own"},
    {cmd::waypoint, param4, kNotKept, kNoTurn},
    {cmd::loiterTime, param1, 1, kWholeSeconds},
    {cmd::loiterTime, param3, kNotKept, kFlag},
    {cmd::loiterTime, param4, kNotKept, kFlag},
    {cmd::land, param4, kNotKept, kNoTurn},
    {cmd::takeOff, param4, kNotKept, kNoTurn},
    {cmd::takeOff, x, kNotKept, "it takes off where it stands"},
    {cmd::takeOff, y, kNotKept, "it takes off where it stands"},
    {cmd::changeSpeed, param3, kNotKept, "throttle stays as it is"},
};

constexpr std::uint16_t kPlainTakes[] = {cmd::waypoint, cmd::loiterTime, cmd::returnHome,
                                         cmd::land,     cmd::takeOff,    cmd::changeSpeed};
constexpr std::uint16_t kDoSetReverse = 214, kImageTrackPoint = 530, kConditionDistance = 112;
constexpr std::uint16_t kThreeRefuses[] = {kDoSetReverse, kImageTrackPoint};
// A curve is stored by a wing and left out in flight; it does not turn to a heading.
constexpr std::uint16_t kThreeWingsRefuse[] = {kDoSetReverse, kImageTrackPoint, cmd::spline, cmd::heading};
constexpr std::uint16_t kTwelveRefuses[] = {cmd::heading, cmd::spline, cmd::relay, kConditionDistance};

AutopilotDialect make(AutopilotFamily family, VehicleKind kind) {
    const bool wing = kind == VehicleKind::fixedWing;
    AutopilotDialect d;
    d.family = family;
    d.kind = kind;
    switch (family) {
        case AutopilotFamily::own:
            d.home_slot = d.verbatim = d.above_ground = d.partial_lists = d.repeats_rearm = true;
            d.pause_command = d.height_command = true;
            break;
        case AutopilotFamily::three:
            d.home_slot = d.partial_lists = d.whole_turns = true;
            d.most_repeats = 15;
            d.pause_command = !wing;
            d.return_lands = !wing;
            d.height_step_m = 0.01;
            d.rally_step_m = 1;
            d.kept = kThree;
            d.kept_by_kind = wing ? std::span<const KeptRule>(kThreeWings) : std::span<const KeptRule>(kThreeRotors);
            d.refused = wing ? std::span<const std::uint16_t>(kThreeWingsRefuse)
                             : std::span<const std::uint16_t>(kThreeRefuses);
            break;
        case AutopilotFamily::twelve:
            d.judges_late = d.orders_amsl = d.modes_split = true;
            d.return_lands = !wing;
            d.kept = kTwelve;
            d.refused = kTwelveRefuses;
            break;
        case AutopilotFamily::plain:
            d.fence = d.rally = d.repeats = false;
            d.height_step_m = 0.01;
            d.kept = kPlain;
            d.only = kPlainTakes;
            break;
    }
    return d;
}

}  // namespace

const char* fieldText(ItemField field) {
    constexpr const char* kTexts[] = {"param1", "param2", "param3", "param4", "x", "y", "z", "frame"};
    return kTexts[static_cast<int>(field)];
}

bool AutopilotDialect::takes(std::uint16_t command) const {
    if (!only.empty() && std::find(only.begin(), only.end(), command) == only.end()) return false;
    return std::find(refused.begin(), refused.end(), command) == refused.end();
}

const KeptRule* AutopilotDialect::rule(std::uint16_t command, ItemField field) const {
    for (const auto& rules : {kept, kept_by_kind})
        for (const KeptRule& r : rules)
            if (r.command == command && r.field == field) return &r;
    return nullptr;
}

const AutopilotDialect& dialectOf(int autopilot, int type) {
    constexpr VehicleKind kKinds[] = {VehicleKind::multirotor, VehicleKind::fixedWing, VehicleKind::helicopter};
    constexpr AutopilotFamily kFamilies[] = {AutopilotFamily::own, AutopilotFamily::plain, AutopilotFamily::three,
                                             AutopilotFamily::twelve};
    static const auto all = [&] {
        std::array<std::array<AutopilotDialect, std::size(kKinds)>, std::size(kFamilies)> table;
        for (const AutopilotFamily family : kFamilies)
            for (const VehicleKind kind : kKinds)
                table[static_cast<std::size_t>(family)][static_cast<std::size_t>(kind)] = make(family, kind);
        return table;
    }();
    constexpr int kFixedWing = 1, kHelicopter = 4, kLiftRotorsFirst = 19, kLiftRotorsLast = 25;
    const bool wing = type == kFixedWing || (type >= kLiftRotorsFirst && type <= kLiftRotorsLast);
    const VehicleKind kind = wing                  ? VehicleKind::fixedWing
                             : type == kHelicopter ? VehicleKind::helicopter
                                                   : VehicleKind::multirotor;
    const AutopilotFamily family = autopilot == mavlink::kOwnFamily ? AutopilotFamily::own
                                   : autopilot == 3                 ? AutopilotFamily::three
                                   : autopilot == 12                ? AutopilotFamily::twelve
                                                                    : AutopilotFamily::plain;
    return all[static_cast<std::size_t>(family)][static_cast<std::size_t>(kind)];
}

std::string dialectText(const AutopilotDialect& d) {
    const char* family = d.family == AutopilotFamily::own      ? "the demo's own autopilot"
                         : d.family == AutopilotFamily::three  ? "autopilot family 3"
                         : d.family == AutopilotFamily::twelve ? "autopilot family 12"
                                                               : "an autopilot of the common set";
    return fmt::format("{}, {}", family, vehicleText(d.kind));
}

}  // namespace anhinga
