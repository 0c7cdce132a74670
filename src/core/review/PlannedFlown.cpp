#include "core/review/PlannedFlown.h"

#include "core/base/Modes.h"
#include "core/base/Numbers.h"
#include "core/geo/Polygon.h"

namespace anhinga {

namespace {

std::optional<double> heightHome(const ProgramLeg& leg, std::optional<double> home_amsl_m) {
    if (leg.height.ref == HeightRef::home) return leg.height.value_m;
    return leg.amsl_m && home_amsl_m ? std::optional(*leg.amsl_m - *home_amsl_m) : std::nullopt;
}

}  // namespace

Result<PlannedFlown> plannedAgainstFlown(const FlightProgram& program, const FlightLog& log, const FlownWith& with) {
    const Channel* lat = log.find("position.lat_deg");
    const Channel* lon = log.find("position.lon_deg");
    const Channel* height = log.find("position.height_home_m");
    const Channel* item = log.find("mission.item");
    if (lat == nullptr || lon == nullptr || lat->t_s.empty() || lon->value.size() != lat->value.size())
        return fail("the log has no positions");
    if (item == nullptr || item->t_s.empty()) return fail("the log does not say which mission item was flown");
    PlannedFlown out;
    const LocalFrame frame({lat->value[0], lon->value[0]});
    std::size_t k = 0, samples = 0, height_samples = 0;
    int current = -1, before = -1;
    LegError leg;
    std::size_t leg_samples = 0, leg_heights = 0;
    double cross_sum = 0, height_sum = 0, all_cross = 0, all_height = 0;
    const auto close = [&] {
        if (leg_samples > 1) {
            leg.cross_mean_m = cross_sum / static_cast<double>(leg_samples);
            if (leg_heights > 0) {
                leg.height_mean_m = height_sum / static_cast<double>(leg_heights);
                out.height_max_m = std::max(out.height_max_m.value_or(0), *leg.height_max_m);
            }
            if (!out.cross_max_m || leg.cross_max_m > *out.cross_max_m) {
                out.cross_max_m = leg.cross_max_m;
                out.worst_leg = out.legs.size();
            }
            out.legs.push_back(leg);
        }
        leg = {};
        leg_samples = leg_heights = 0;
        cross_sum = height_sum = 0;
    };
    const auto point = [&](int number) -> const ProgramLeg* {
        const ProgramStep* step = program.at(number);
        const ProgramLeg* to = step != nullptr ? step->leg() : nullptr;
        const bool straight =
            to != nullptr && ((to->kind == LegKind::pass && !to->spline) || to->kind == LegKind::hold);
        return straight ? to : nullptr;
    };
    // Above home.
    const auto wantedHeight = [&](const ProgramLeg& from, const ProgramLeg& to, Vec2 at,
                                  double along) -> std::optional<double> {
        if (with.ground_amsl_m && from.height.ref == HeightRef::ground && to.height.ref == HeightRef::ground) {
            const auto ground = with.ground_amsl_m(frame.toGeo(at));
            if (!ground || !with.home_amsl_m) return std::nullopt;
            return *ground + from.height.value_m + (to.height.value_m - from.height.value_m) * along -
                   *with.home_amsl_m;
        }
        const auto a = heightHome(from, with.home_amsl_m), b = heightHome(to, with.home_amsl_m);
        return a && b ? std::optional(*a + (*b - *a) * along) : std::nullopt;
    };
    // Return and landing keep the last item's number; modes tell that the mission is over.
    std::size_t mode_at = 0;
    for (std::size_t i = 0; i < lat->t_s.size(); ++i) {
        const double t = lat->t_s[i];
        while (k + 1 < item->t_s.size() && item->t_s[k + 1] <= t) ++k;
        while (mode_at + 1 < log.modes.size() && log.modes[mode_at + 1].t_s <= t) ++mode_at;
        const bool in_mission = log.modes.empty() ||
                                (log.modes[mode_at].t_s <= t && log.modes[mode_at].name == modeWord(ModeKind::mission));
        if (t < with.from_s || t >= with.to_s) continue;
        const int seq = item->t_s[k] <= t ? toInt(item->value[k], -1) + with.counted_later : -1;
        if (seq != current) {
            close();
            before = current;
            current = seq;
            leg.from_seq = before;
            leg.to_seq = seq;
            leg.from_s = t;
        }
        const ProgramLeg *from = point(before), *to = point(current);
        if (!in_mission || from == nullptr || to == nullptr) continue;
        const Vec2 p = frame.toLocal({lat->value[i], lon->value[i]});
        // Just after the corner: how far it still goes on the way it came.
        constexpr double kCorner_s = 15, kCorner_m = 80, kTurn = 0.94;  // cosine of 20 degrees
        if (!out.legs.empty() && out.legs.back().to_seq == before && t - leg.from_s < kCorner_s)
            if (const ProgramLeg* came = point(out.legs.back().from_seq)) {
                const Vec2 end = frame.toLocal(from->place), in = end - frame.toLocal(came->place),
                           next = frame.toLocal(to->place) - end, off = p - end;
                const double in_m = length(in), next_m = length(next);
                if (in_m > 1 && next_m > 1 && length(off) < kCorner_m &&
                    (in.x * next.x + in.y * next.y) / (in_m * next_m) < kTurn) {
                    LegError& last = out.legs.back();
                    // Turning by less than a right angle the next leg itself goes on that way: what is beside it, on
                    // the outer side, says how far it was on the old line.
                    const double turn = (in.x * next.x + in.y * next.y) / (in_m * next_m), side = cross(in, next);
                    const double sine = std::abs(side) / (in_m * next_m);
                    const double past = turn < 0 ? (off.x * in.x + off.y * in.y) / in_m
                                                 : cross(off, next) * (side > 0 ? 1 : -1) / next_m / sine;
                    last.overshoot_m = std::max(last.overshoot_m, past);
                    out.overshoot_max_m = std::max(out.overshoot_max_m, last.overshoot_m);
                }
            }
        const auto near = distanceToSegment(p, frame.toLocal(from->place), frame.toLocal(to->place));
        // Cross-track: square to the line of the leg, also a little before its start and past its end.
        const Vec2 line = frame.toLocal(to->place) - frame.toLocal(from->place);
        const double off =
            length(line) > 1 ? std::abs(cross(p - frame.toLocal(from->place), line)) / length(line) : near.distance_m;
        cross_sum += off;
        all_cross += off;
        ++leg_samples;
        ++samples;
        leg.to_s = t;
        if (off > leg.cross_max_m) {
            leg.cross_max_m = off;
            leg.max_at_s = t;
        }
        const auto wanted = wantedHeight(*from, *to, p, near.along);
        const auto flown = height != nullptr ? height->at(t) : std::nullopt;
        if (wanted && flown && std::isfinite(*flown)) {
            const double error = std::abs(*flown - *wanted);
            leg.height_max_m = std::max(leg.height_max_m.value_or(0), error);
            height_sum += error;
            all_height += error;
            ++leg_heights;
            ++height_samples;
        }
    }
    close();
    if (samples > 0) out.cross_mean_m = all_cross / static_cast<double>(samples);
    if (height_samples > 0) out.height_mean_m = all_height / static_cast<double>(height_samples);
    for (const LogSession& session : log.sessions) out.distance_m += session.distance_m;
    // Waiting armed on the ground is not flying: the clock starts with the mission, as it does in rehearsal.
    std::optional<double> start;
    double armed = 0, end = lat->t_s.back();
    for (const LogEvent& e : log.events) {
        if (e.kind == "armed" && armed == 0) armed = e.t_s;
        if (e.kind == "disarmed") end = e.t_s;
    }
    for (const ModeChange& m : log.modes)
        if (m.name == modeWord(ModeKind::mission) && !start) start = m.t_s;
    out.flown_s = end - std::max(armed, start.value_or(armed));
    for (const LogEvent& e : log.events) out.photos_flown += e.kind == "photo";
    if (const Channel* used = log.find("battery.used_wh"); used != nullptr && !used->value.empty())
        out.energy_wh = used->value.back() - used->value.front();
    return out;
}

}  // namespace anhinga
