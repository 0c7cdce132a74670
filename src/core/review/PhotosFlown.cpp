#include "core/review/PhotosFlown.h"

#include <algorithm>
#include <cmath>

#include "core/analysis/Series.h"
#include "core/pattern/Coverage.h"
#include "core/plan/Plan.h"

namespace anhinga {

namespace {

double valueAt(const FlightLog& log, const char* name, double t, double otherwise) {
    const Channel* c = log.find(name);
    const auto v = c != nullptr ? c->at(t) : std::nullopt;
    return v && std::isfinite(*v) ? *v : otherwise;
}

std::vector<PlannedPhoto> photosOf(const FlightLog& log, double home_amsl_m) {
    std::vector<PlannedPhoto> out;
    for (const LogEvent& e : log.events) {
        if (e.kind != "photo") continue;
        const GeoPoint place{valueAt(log, "position.lat_deg", e.t_s, NAN),
                             valueAt(log, "position.lon_deg", e.t_s, NAN)};
        if (!isValid(place)) continue;
        const double home = valueAt(log, "position.height_home_m", e.t_s, 0) + home_amsl_m;
        out.push_back({place, valueAt(log, "position.height_amsl_m", e.t_s, home),
                       valueAt(log, "attitude.yaw_deg", e.t_s, 0), valueAt(log, "camera.pitch_deg", e.t_s, -90)});
    }
    return out;
}

}  // namespace

Result<PhotosFlown> photosFlown(const Plan& plan, const Terrain* terrain, double home_amsl_m, const FlightLog& planned,
                                const FlightLog& flown) {
    const auto wanted = photosOf(planned, home_amsl_m), taken = photosOf(flown, home_amsl_m);
    if (wanted.empty()) return fail("the plan takes no photos");
    PhotosFlown out;
    out.planned = static_cast<int>(wanted.size());
    out.taken = static_cast<int>(taken.size());
    std::vector<double> steps;
    for (std::size_t i = 1; i < wanted.size(); ++i) steps.push_back(distance_m(wanted[i - 1].place, wanted[i].place));
    constexpr double kLeast_m = 3, kAlone_m = 10;
    const double near = std::max(kLeast_m, steps.empty() ? kAlone_m : percentile(steps, 50) / 2);
    // Each photo stands for one place: the nearest planned one that has none yet.
    std::vector<char> used(taken.size(), 0);
    for (const PlannedPhoto& w : wanted) {
        double best = near;
        std::size_t at = taken.size();
        for (std::size_t i = 0; i < taken.size(); ++i) {
            if (used[i] != 0) continue;
            const double d = distance_m(w.place, taken[i].place);
            if (d < best) {
                best = d;
                at = i;
            }
        }
        if (at < taken.size())
            used[at] = 1;
        else
            out.missed.push_back(w.place);
    }
    for (const Item& item : plan.items) {
        if (!coversGround(item.kind)) continue;
        const PhotoArea area = photoAreaOf(item);
        if (area.empty()) continue;
        AreaShown a;
        a.item = item.id;
        a.promised = promisedPhotos(item);
        const auto shown = [&](const std::vector<PlannedPhoto>& photos, int n) {
            const Coverage c = coverageOf(photos, plan.camera, terrain, home_amsl_m, area, {});
            a.unknown_percent = 100 * c.shareUnknown();
            return 100 * (1 - c.shareBelow(n));
        };
        a.planned_percent = shown(wanted, 1);
        a.flown_percent = shown(taken, 1);
        a.planned_promised_percent = shown(wanted, a.promised);
        a.flown_promised_percent = shown(taken, a.promised);
        out.areas.push_back(a);
    }
    return out;
}

}  // namespace anhinga
