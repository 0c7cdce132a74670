#include "core/check/Rules.h"
#include "core/program/Wing.h"

namespace anhinga::rules {

namespace {
/// A wing keeps its speed and flies the circle wider.
void wingCircles(const CheckInput& in, Out& out) {
    const WingLimits limits = wingLimits(in.plan.vehicle);
    for (const Item& item : in.plan.items) {
        if (item.kind != ItemKind::holdTurns || item.turns == 0) continue;
        const double speed = std::clamp(effectiveSpeed(in.plan, item), limits.least_mps(), limits.max_mps);
        const double least = tightestCircle_m(limits, speed);
        if (item.radius_m >= least - 0.5) continue;
        const double wider = std::ceil(least);
        out.push_back({Severity::warn,
                       "turn-tight",
                       item.id,
                       fmt::format("{}: {:.0f} m is tighter than {} turns at {:.1f} m/s; it will circle with {:.0f} m",
                                   in.text(item.id), item.radius_m, in.plan.vehicle.name, speed, least),
                       item.position,
                       {{fmt::format("Circle with {:.0f} m", wider), [id = item.id, wider](Plan& p) {
                             if (Item* i = p.find(id)) i->radius_m = wider;
                         }}}});
    }
}
}  // namespace

void turnTight(const CheckInput& in, Out& out) {
    if (!hovers(in.plan.vehicle.kind)) return wingCircles(in, out);
    // A circle of radius r at speed v needs v^2/r of sideways acceleration; 0.6 of the profile's is kept for turning.
    const double accel = 0.6 * in.plan.vehicle.accel_mps2;
    for (const Item& item : in.plan.items) {
        if (item.kind != ItemKind::holdTurns || item.turns == 0) continue;
        const double speed = effectiveSpeed(in.plan, item);
        const double possible = std::sqrt(accel * item.radius_m);
        if (speed <= possible + 0.05) continue;
        const double slower = std::floor(possible * 10) / 10;
        out.push_back({Severity::warn,
                       "turn-tight",
                       item.id,
                       fmt::format("{}: {:.1f} m/s round {:.0f} m is tighter than {} turns; it will fly {:.1f} m/s",
                                   in.text(item.id), speed, item.radius_m, in.plan.vehicle.name, possible),
                       item.position,
                       {{fmt::format("Circle at {:.1f} m/s", slower), [id = item.id, slower](Plan& p) {
                             if (Item* i = p.find(id)) i->speed_mps = slower;
                         }}}});
    }
}

}  // namespace anhinga::rules
