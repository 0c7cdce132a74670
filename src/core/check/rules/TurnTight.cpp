#include "core/check/Rules.h"

namespace anhinga::rules {

void turnTight(const CheckInput& in, Out& out) {
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
