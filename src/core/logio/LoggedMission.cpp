#include "core/logio/LoggedMission.h"

#include <algorithm>
#include <cmath>

#include "core/base/Modes.h"
#include "core/base/Numbers.h"
#include "core/dialect/Dialect.h"
#include "core/dialect/Held.h"
#include "core/dialect/Meaning.h"
#include "core/dialect/Translate.h"

namespace anhinga {

namespace {

MissionItem itemOf(const LoggedItem& from) {
    MissionItem item;
    item.seq = static_cast<std::uint16_t>(std::clamp(from.seq, 0, 65535));
    item.frame = static_cast<std::uint8_t>(std::clamp(from.frame, 0, 255));
    item.command = static_cast<std::uint16_t>(std::clamp(from.command, 0, 65535));
    item.param1 = static_cast<float>(from.param[0]);
    item.param2 = static_cast<float>(from.param[1]);
    item.param3 = static_cast<float>(from.param[2]);
    item.param4 = static_cast<float>(from.param[3]);
    const auto e7 = [](double v) { return std::abs(v) <= 180 ? toE7(v) : toInt(v); };
    item.x = e7(from.x);
    item.y = e7(from.y);
    item.z = static_cast<float>(from.z);
    return item;
}

MissionSet setOf(const LoggedMission& mission) {
    std::vector<LoggedItem> items = mission.items;
    std::sort(items.begin(), items.end(), [](const LoggedItem& a, const LoggedItem& b) { return a.seq < b.seq; });
    MissionSet held;
    for (const LoggedItem& item : items) held.mission.push_back(itemOf(item));
    return held;
}
bool whole(const LoggedMission& mission) {
    return mission.count > 0 && mission.items.size() == mission.count;
}
/// Whether entry 0 is the aircraft's home. Of a family that is not known: where it is a point on the sea's frame at the
/// home the log states.
bool homeFirst(const LoggedMission& mission, const FlightLog& log) {
    if (log.autopilot >= 0 && dialectOf(log.autopilot, log.type).family != AutopilotFamily::plain)
        return dialectOf(log.autopilot, log.type).home_slot;
    constexpr double kHome_m = 5;
    const auto home = log.homeAt(mission.t_s);
    for (const LoggedItem& item : mission.items)
        if (item.seq == 0)
            return item.command == cmd::waypoint && item.frame == frame::amsl &&
                   (!home || distance_m({home->lat_deg, home->lon_deg}, {item.x, item.y}) < kHome_m);
    return false;
}

}  // namespace

Result<Decompiled> planOfLog(const LoggedMission& mission, const Plan& base) {
    return decompile(setOf(mission), base);
}

std::pair<double, double> aboard_s(const LoggedMission& mission, const FlightLog& log) {
    double to_s = log.firstTime() + log.duration_s();
    for (const LoggedMission& next : log.mission_lists)
        if (whole(next) && next.t_s > mission.t_s) to_s = std::min(to_s, next.t_s);
    return {mission.t_s, to_s};
}

const LoggedMission* missionFlown(const FlightLog& log) {
    const LoggedMission* flown = nullptr;
    double longest_s = -1;
    const double end_s = log.firstTime() + log.duration_s();
    for (const LoggedMission& m : log.mission_lists) {
        if (!whole(m)) continue;
        const auto [from_s, to_s] = aboard_s(m, log);
        double in_mission_s = 0;
        for (std::size_t i = 0; i < log.modes.size(); ++i) {
            if (log.modes[i].name != modeWord(ModeKind::mission)) continue;
            const double ends_s = i + 1 < log.modes.size() ? log.modes[i + 1].t_s : end_s;
            in_mission_s += std::max(0.0, std::min(ends_s, to_s) - std::max(log.modes[i].t_s, from_s));
        }
        // Read back once more after the flight: the earlier one, which was flown.
        if (in_mission_s > longest_s) {
            longest_s = in_mission_s;
            flown = &m;
        }
    }
    return flown;
}

LoggedProgram programOfLog(const LoggedMission& mission, const FlightLog& log, const Terrain* terrain) {
    LoggedProgram out;
    out.program = programRead(setOf(mission).mission, homeFirst(mission, log));
    // Home as it was when it flew the mission, not when it was told of it.
    double flown_s = mission.t_s;
    for (const ModeChange& m : log.modes)
        if (m.t_s >= mission.t_s && m.name == modeWord(ModeKind::mission)) {
            flown_s = m.t_s;
            break;
        }
    if (const auto home = log.homeAt(flown_s))
        out.home_amsl_m = home->amsl_m;
    else if (out.program.home)
        out.home_amsl_m = out.program.home->amsl_m;
    resolveHeights(out.program, out.home_amsl_m, terrain);
    out.follows_ground = log.autopilot < 0 || dialectOf(log.autopilot, log.type).family != AutopilotFamily::own;
    return out;
}

void recognise(LoggedProgram& logged, const LoggedMission& mission, const FlightLog& log, const Plan& plan,
               const FlightProgram& program, const std::shared_ptr<const Terrain>& terrain) {
    logged.plan_number.clear();
    const MissionSet ours{itemsOf(program), {}, {}};
    const MissionSet held = setOf(mission);
    const bool known = log.autopilot >= 0 && dialectOf(log.autopilot, log.type).family != AutopilotFamily::plain;
    if (known) {
        const Translation sent =
            translate(ours, program.home_slot, dialectOf(log.autopilot, log.type), translationInput(plan, terrain));
        if (!sent.refused.empty() || sent.set.mission.size() != held.mission.size()) return;
        if (compareMeaning(sent, held).differences.empty()) logged.plan_number = sent.plan_seq;
        return;
    }
    // A list of a family that the log does not name: number by number.
    if (held.mission.size() != ours.mission.size() || HeldPlan(held).firstDifference(program)) return;
    for (std::size_t i = 0; i < held.mission.size(); ++i) logged.plan_number.push_back(static_cast<int>(i));
}

int countedLater(const FlightProgram& program, const FlightLog& log) {
    const bool known = log.autopilot >= 0 && dialectOf(log.autopilot, log.type).family != AutopilotFamily::plain;
    return known && program.home_slot && !dialectOf(log.autopilot, log.type).home_slot ? 1 : 0;
}

}  // namespace anhinga
