#include "core/check/Rules.h"

namespace anhinga::rules {

void gimbalRange(const CheckInput& in, Out& out) {
    const CameraProfile& c = in.plan.camera;
    for (const Item& item : in.plan.items)
        for (std::size_t k = 0; k < item.actions.size(); ++k) {
            const auto* pitch = std::get_if<GimbalPitch>(&item.actions[k]);
            if (pitch == nullptr || (pitch->pitch_deg >= c.pitch_min_deg && pitch->pitch_deg <= c.pitch_max_deg))
                continue;
            const double held = std::clamp(pitch->pitch_deg, c.pitch_min_deg, c.pitch_max_deg);
            out.push_back(
                {Severity::warn,
                 "gimbal-range",
                 item.id,
                 fmt::format("{}: gimbal pitch {:.0f} deg is outside {:.0f} to {:.0f} deg of the camera",
                             in.text(item.id), pitch->pitch_deg, c.pitch_min_deg, c.pitch_max_deg),
                 in.placeOf(item.id),
                 {{fmt::format("Set {:.0f} deg", held), [id = item.id, wrong = pitch->pitch_deg, held](Plan& p) {
                       if (Item* i = p.find(id))
                           for (Action& a : i->actions)
                               if (auto* g = std::get_if<GimbalPitch>(&a); g != nullptr && g->pitch_deg == wrong)
                                   g->pitch_deg = held;
                   }}}});
        }
}

}  // namespace anhinga::rules
