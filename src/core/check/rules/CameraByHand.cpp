#include "core/check/Rules.h"

namespace anhinga::rules {

/// A camera that the plan cannot trigger takes no photo unless somebody starts it.
void cameraByHand(const CheckInput& in, Out& out) {
    if (in.plan.camera.triggered) return;
    double seconds = 0;
    ItemId first = 0;
    for (const OpenedPattern& opened : in.view.route.patterns) {
        const Pattern& pattern = *opened.item.pattern;
        if (pattern.makes == CameraMakes::nothing || opened.flight->points.empty()) continue;
        if (first == 0) first = opened.item.id;
        const double speed = effectiveSpeed(in.plan, opened.item);
        const double every = opened.flight->photo_spacing_m / std::max(0.1, speed);
        if (pattern.takesPhotos() && every > 0) seconds = seconds > 0 ? std::min(seconds, every) : every;
    }
    if (first == 0) return;
    out.push_back({Severity::warn,
                   "camera-by-hand",
                   first,
                   "the camera is not triggered by the aircraft: start it by hand before take-off" +
                       (seconds > 0 ? fmt::format(", a photo every {:.1f} s", seconds) : std::string()),
                   in.placeOf(first),
                   {}});
}

}  // namespace anhinga::rules
