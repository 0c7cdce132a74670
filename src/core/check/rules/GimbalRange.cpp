#include "core/check/Rules.h"

namespace anhinga::rules {

namespace {
/// Slack for angles that were computed.
constexpr double kSlack_deg = 0.05;

void ofAction(const CheckInput& in, const Item& item, double pitch_deg, Out& out) {
    const CameraProfile& c = in.plan.camera;
    const double held = std::clamp(pitch_deg, c.pitch_min_deg, c.pitch_max_deg);
    out.push_back({Severity::warn,
                   "gimbal-range",
                   item.id,
                   fmt::format("{}: gimbal pitch {:.0f} deg is outside {:.0f} to {:.0f} deg of the camera",
                               in.text(item.id), pitch_deg, c.pitch_min_deg, c.pitch_max_deg),
                   in.placeOf(item.id),
                   {{fmt::format("Set {:.0f} deg", held), [id = item.id, wrong = pitch_deg, held](Plan& p) {
                         if (Item* i = p.find(id))
                             for (Action& a : i->actions)
                                 if (auto* g = std::get_if<GimbalPitch>(&a); g != nullptr && g->pitch_deg == wrong)
                                     g->pitch_deg = held;
                     }}}});
}

void ofPattern(const CheckInput& in, const OpenedPattern& opened, Out& out) {
    const CameraProfile& c = in.plan.camera;
    int outside = 0;
    double worst = 0, by = 0;
    std::optional<GeoPoint> place;
    for (const PlannedPhoto& photo : opened.flight->photos) {
        const double over = std::max(photo.pitch_deg - c.pitch_max_deg, c.pitch_min_deg - photo.pitch_deg);
        if (over <= kSlack_deg) continue;
        ++outside;
        if (over <= by) continue;
        by = over;
        worst = photo.pitch_deg;
        place = photo.place;
    }
    if (outside == 0) return;
    Finding f{
        Severity::warn,
        "gimbal-range",
        opened.item.id,
        fmt::format("{}: {} of {} photos need a gimbal pitch outside {:.0f} to {:.0f} deg of the camera, at worst "
                    "{:.0f} deg",
                    in.text(opened.item.id), outside, opened.flight->photos.size(), c.pitch_min_deg, c.pitch_max_deg,
                    worst),
        place,
        {}};
    if (opened.item.pattern->pitch_deg) {
        const double held = std::clamp(*opened.item.pattern->pitch_deg, c.pitch_min_deg, c.pitch_max_deg);
        f.corrections.push_back({fmt::format("Set {:.0f} deg", held), [id = opened.item.id, held](Plan& p) {
                                     if (Item* i = p.find(id)) i->pattern.edit().pitch_deg = held;
                                 }});
    }
    out.push_back(std::move(f));
}
}  // namespace

void gimbalRange(const CheckInput& in, Out& out) {
    const CameraProfile& c = in.plan.camera;
    for (const Item& item : in.plan.items)
        for (const Action& action : item.actions) {
            const auto* pitch = std::get_if<GimbalPitch>(&action);
            if (pitch != nullptr && (pitch->pitch_deg < c.pitch_min_deg || pitch->pitch_deg > c.pitch_max_deg))
                ofAction(in, item, pitch->pitch_deg, out);
        }
    for (const OpenedPattern& opened : in.view.route.patterns) ofPattern(in, opened, out);
}

}  // namespace anhinga::rules
