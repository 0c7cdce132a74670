#include "core/check/Rules.h"

namespace anhinga::rules {

namespace {
void say(const CheckInput& in, Out& out, const Item& item, double interval_s, double speed, double spacing_m) {
    const double need = in.plan.camera.min_interval_s;
    if (interval_s >= need - 1e-6) return;
    Finding f{Severity::warn,
              "photo-interval",
              item.id,
              fmt::format("{}: a photo every {:.1f} s; the camera needs {:.1f} s", in.text(item.id), interval_s, need),
              in.placeOf(item.id),
              {}};
    if (spacing_m > 0) {
        const double slower = std::floor(spacing_m / need * 10) / 10;
        if (slower >= 0.5 && slower < speed)
            f.corrections.push_back({fmt::format("Fly {:.1f} m/s there", slower), [id = item.id, slower](Plan& p) {
                                         Item* i = p.find(id);
                                         if (i != nullptr && effectiveSpeed(p, *i) > slower) i->speed_mps = slower;
                                     }});
    } else {
        f.corrections.push_back({fmt::format("A photo every {:.1f} s", need), [id = item.id, need](Plan& p) {
                                     if (Item* i = p.find(id))
                                         for (Action& a : i->actions)
                                             if (auto* t = std::get_if<PhotoInterval>(&a);
                                                 t != nullptr && t->interval_s > 0)
                                                 t->interval_s = std::max(t->interval_s, need);
                                 }});
    }
    out.push_back(std::move(f));
}
}  // namespace

void photoInterval(const CheckInput& in, Out& out) {
    ItemId said = 0;
    double speed = in.plan.defaults.speed_mps;
    for (const RouteStep& step : in.view.route.steps) {
        if (const auto* nav = std::get_if<RouteNav>(&step.what)) {
            speed = nav->speed_mps;
            continue;
        }
        const Action& action = std::get<Action>(step.what);
        const Item* item = in.find(step.source);
        if (item == nullptr || step.source == said) continue;
        const std::size_t before = out.size();
        if (const auto* t = std::get_if<PhotoInterval>(&action); t != nullptr && t->interval_s > 0)
            say(in, out, *item, t->interval_s, speed, 0);
        if (const auto* d = std::get_if<PhotoEvery>(&action); d != nullptr && d->distance_m > 0)
            say(in, out, *item, d->distance_m / std::max(0.1, speed), speed, d->distance_m);
        if (out.size() > before) said = step.source;
    }
}

}  // namespace anhinga::rules
