#include "core/check/Rules.h"

namespace anhinga::rules {

void cardRoom(const CheckInput& in, Out& out) {
    const CameraProfile& c = in.plan.camera;
    const double need_gb = static_cast<double>(in.view.route.photos) * c.photo_mb / 1000;
    if (c.card_gb <= 0 || need_gb <= c.card_gb) return;
    out.push_back({Severity::warn,
                   "card-room",
                   0,
                   fmt::format("{} photos need {:.1f} GB; the camera's card holds {:.0f} GB", in.view.route.photos,
                               need_gb, c.card_gb),
                   {},
                   {}});
}

}  // namespace anhinga::rules
