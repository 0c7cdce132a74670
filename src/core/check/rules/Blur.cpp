#include "core/check/Rules.h"

namespace anhinga::rules {

void blur(const CheckInput& in, Out& out) {
    constexpr double kMost_px = 1.0;  // more than a pixel of smear is seen in the result
    for (const OpenedPattern& opened : in.view.route.patterns) {
        const Item& item = opened.item;
        const PatternFlight& flight = *opened.flight;
        if (flight.photos.empty() || flight.footprint.gsd_m <= 0 || item.pattern->stands()) continue;
        const double speed = effectiveSpeed(in.plan, item);
        const double smear_px = speed * in.plan.camera.shutter_s / flight.footprint.gsd_m;
        if (smear_px <= kMost_px) continue;
        const double slower = std::floor(kMost_px * flight.footprint.gsd_m / in.plan.camera.shutter_s * 10) / 10;
        Finding f{Severity::warn,
                  "photo-blur",
                  item.id,
                  fmt::format("{}: photos smear by {:.1f} pixels at {:.1f} m/s and 1/{:.0f} s", in.text(item.id),
                              smear_px, speed, 1 / in.plan.camera.shutter_s),
                  in.placeOf(item.id),
                  {}};
        if (slower >= 0.5)
            f.corrections.push_back({fmt::format("Fly {:.1f} m/s there", slower), [id = item.id, slower](Plan& p) {
                                         Item* i = p.find(id);
                                         if (i != nullptr && effectiveSpeed(p, *i) > slower) i->speed_mps = slower;
                                     }});
        out.push_back(std::move(f));
    }
}

}  // namespace anhinga::rules
