#include "core/check/Rules.h"
#include "core/geo/Polygon.h"

namespace anhinga::rules {

namespace {

/// Whether a height can be inside a zone's floor and ceiling; unknown heights can.
bool maybeInside(const CheckInput& in, const Zone& zone, const ProfileSample& s) {
    if (!s.amsl_m) return true;
    const auto level = [&](const Height& h) -> std::optional<double> {
        if (h.ref == HeightRef::ground) return s.ground_m ? std::optional(*s.ground_m + h.value_m) : std::nullopt;
        return amslOf(in.plan, in.terrain, s.place, h);
    };
    const auto floor = level(zone.floor);
    if (floor && *s.amsl_m < *floor) return false;
    if (!zone.ceiling) return true;
    const auto ceiling = level(*zone.ceiling);
    return !ceiling || *s.amsl_m <= *ceiling;
}

}  // namespace

/// Three states for any place: inside a zone, clear where data is known to be complete, and unknown elsewhere.
void airspace(const CheckInput& in, Out& out) {
    const Plan& plan = in.plan;
    if (plan.zones.empty() && plan.covers.empty()) return;  // nothing imported: the status line says "unknown"
    const LocalFrame& frame = in.view.path.frame;
    std::vector<RingIndex> zones, covers;
    for (const Zone& z : plan.zones) zones.emplace_back(toLocal(frame, z.outline));
    for (const AirspaceCover& c : plan.covers) covers.emplace_back(toLocal(frame, c.outline));
    std::vector<bool> said(zones.size(), false);
    bool unknown_said = false;
    for (const auto* profile : {&in.view.clearance.profile, &in.view.clearance.repeats})
        for (const ProfileSample& s : *profile) {
            const Vec2 at = frame.toLocal(s.place);
            bool in_zone = false;
            for (std::size_t i = 0; i < zones.size(); ++i) {
                if (!zones[i].contains(at)) continue;
                in_zone = true;
                if (said[i] || !maybeInside(in, plan.zones[i], s)) continue;
                said[i] = true;
                const Zone& z = plan.zones[i];
                const PathLeg& leg = in.view.path.legs[s.leg];
                const bool prohibited = z.zone_class == "P" || z.zone_class == "p";
                const bool allowed = !z.authorisation.empty();
                out.push_back(
                    {allowed      ? Severity::note
                     : prohibited ? Severity::stop
                                  : Severity::warn,
                     "airspace",
                     leg.source,
                     fmt::format("{} in airspace \"{}\" (class {}){}",
                                 leg.climb ? "climbs or descends" : "flies " + in.legText(leg), z.name,
                                 z.zone_class.empty() ? "not stated" : z.zone_class,
                                 allowed ? ": authorised, " + z.authorisation : ", no authorisation is noted"),
                     s.place,
                     {}});
            }
            if (in_zone || unknown_said) continue;
            bool covered = false;
            for (const RingIndex& c : covers) covered |= c.contains(at);
            if (covered) continue;
            unknown_said = true;
            out.push_back({Severity::warn,
                           "airspace-unknown",
                           in.view.path.legs[s.leg].source,
                           fmt::format("airspace is unknown {}: no airspace data is marked as complete there",
                                       in.legText(in.view.path.legs[s.leg])),
                           s.place,
                           {}});
        }
}

}  // namespace anhinga::rules
