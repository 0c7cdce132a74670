// Plan and route -> sorties, flown and checked one by one.
#include "core/sortie/Sorties.h"

#include <algorithm>
#include <cmath>

#include "core/sortie/Cutter.h"

namespace anhinga {

std::string cutText(const Plan& plan, const Cut& cut) {
    const Item* item = plan.find(cut.item);
    const std::string name = item != nullptr && !item->name.empty() ? item->name : itemText(plan, cut.item);
    return cut.photo > 0  ? fmt::format("{} from photo {}", name, cut.photo)
           : cut.line > 1 ? fmt::format("{} from line {}", name, cut.line)
                          : name;
}

void addCut(Plan& plan, const Cut& cut) {
    if (std::find(plan.cuts.begin(), plan.cuts.end(), cut) != plan.cuts.end()) return;
    plan.cuts.push_back(cut);
    // By item; within one, lines and photos keep the order they came in: how they are flown is known to the route
    // alone.
    const ItemIndex index = indexItems(plan);
    const auto rank = [&](const Cut& c) {
        const auto at = index.find(c.item);
        return at == index.end() ? plan.items.size() : at->second;
    };
    std::stable_sort(plan.cuts.begin(), plan.cuts.end(), [&](const Cut& a, const Cut& b) { return rank(a) < rank(b); });
}

std::optional<Cut> resumeCut(const PlanView& flown, std::optional<GeoPoint> last_photo,
                             std::optional<double> last_photo_amsl_m, std::optional<int> reached) {
    if (!flown.sendable()) return std::nullopt;
    const FlightProgram& program = flown.program;
    const auto holds = [&](ItemId id) { return program.lastOf(id).has_value(); };
    if (last_photo) {
        std::optional<Cut> cut;
        double nearest = INFINITY;
        for (const OpenedPattern& o : flown.route.patterns) {
            if (!holds(o.item.id)) continue;
            const double reach = std::max(10.0, 1.5 * o.flight->photo_spacing_m);
            for (std::size_t i = 0; i < o.flight->photos.size(); ++i) {
                const PlannedPhoto& photo = o.flight->photos[i];
                const double up = photo.amsl_m && last_photo_amsl_m ? *photo.amsl_m - *last_photo_amsl_m : 0;
                const double d = std::hypot(distance_m(photo.place, *last_photo), up);
                if (d >= std::min(nearest, reach)) continue;
                nearest = d;
                cut = Cut{o.item.id, 0, i == 0 ? 0 : static_cast<int>(i) + 1};
            }
        }
        if (cut) return cut;
    }
    if (!reached) return std::nullopt;
    for (int number = std::max(0, *reached) + 1; number < static_cast<int>(program.entries()); ++number) {
        const ProgramLeg* leg = program.at(number) != nullptr ? program.at(number)->leg() : nullptr;
        if (leg != nullptr && !endsFlight(leg->kind)) return Cut{program.sourceAt(number), 0, 0};
    }
    return std::nullopt;
}

std::vector<Cut> usableCuts(const Plan& plan, const Route& whole, const Terrain* terrain) {
    std::vector<Cut> cuts;
    for (const CutPlace& place : Cutter(plan, whole, terrain).placesOf(plan.cuts)) cuts.push_back(place.cut);
    return cuts;
}

std::vector<Sortie> sortiesOf(const Plan& plan, const Route& whole, const Terrain* terrain) {
    const Cutter cutter(plan, whole, terrain);
    const auto places = cutter.placesOf(plan.cuts);
    std::vector<Sortie> sorties;
    std::optional<CutPlace> from;
    for (std::size_t k = 0; k <= places.size(); ++k) {
        const std::optional<CutPlace> to = k < places.size() ? std::optional(places[k]) : std::nullopt;
        sorties.push_back(cutter.part(from, to));
        sorties.back().number = static_cast<int>(k) + 1;
        from = to;
    }
    return sorties;
}

EnergyForecast energyOf(const Rehearsal& r) {
    EnergyForecast energy{r.energy_left_percent, r.reached_reserve, r.reserve_item, r.breaches};
    energy.landed = r.landed;
    if (r.endless) energy.endless_passes = r.endless->passes;
    energy.ground_off = r.ground_off;
    return energy;
}

std::optional<std::vector<FlownSortiePtr>> flySorties(const Plan& plan, const Route& whole,
                                                      std::shared_ptr<const Terrain> terrain, Wind wind,
                                                      const std::stop_token& stop) {
    std::vector<FlownSortiePtr> out;
    auto sorties = sortiesOf(plan, whole, terrain.get());
    if (sorties.size() < 2) return out;
    for (Sortie& sortie : sorties) {
        auto flown = std::make_shared<FlownSortie>();
        flown->view = viewOf(plan, sortie.route, terrain.get());
        flown->sortie = std::move(sortie);
        std::optional<EnergyForecast> energy;
        if (flown->view.sendable()) {
            RehearseOptions options;
            options.wind = wind;
            options.stop = stop;
            auto r = rehearse(plan, flown->view.program, terrain, options);
            if (r) {
                energy = energyOf(*r);
                flown->rehearsal = std::make_shared<const Rehearsal>(std::move(*r));
            } else {
                flown->not_rehearsed = r.error().message;
            }
        }
        if (stop.stop_requested()) return std::nullopt;
        flown->findings = check({plan, flown->view, terrain.get(), energy, wind.strongest_mps()});
        out.push_back(std::move(flown));
    }
    return out;
}

std::vector<Finding> withSorties(const Plan& plan, std::vector<Finding> of_whole,
                                 const std::vector<FlownSortiePtr>& sorties) {
    const std::size_t n = of_whole.size();
    for (const Cut& cut : plan.cuts) {
        const auto made = [&](const FlownSortiePtr& flown) { return flown->sortie.from == cut; };
        if (std::any_of(sorties.begin(), sorties.end(), made)) continue;
        of_whole.push_back(
            {Severity::warn,
             "sortie-cut",
             cut.item,
             fmt::format("no sortie can begin at {}: there is no such place, it lies inside a repeat, or "
                         "nothing is flown before it",
                         cutText(plan, cut)),
             {},
             {{"Remove this cut", [cut](Plan& p) { std::erase(p.cuts, cut); }}}});
    }
    for (const FlownSortiePtr& flown : sorties)
        for (const Finding& f : flown->findings) {
            const auto known = std::find_if(
                of_whole.begin(), of_whole.begin() + static_cast<std::ptrdiff_t>(n),
                [&](const Finding& w) { return w.rule == f.rule && w.item == f.item && w.message == f.message; });
            if (known != of_whole.begin() + static_cast<std::ptrdiff_t>(n)) continue;
            of_whole.push_back(f);
            of_whole.back().message = fmt::format("Sortie {}: {}", flown->sortie.number, f.message);
        }
    std::stable_sort(of_whole.begin(), of_whole.end(),
                     [](const Finding& a, const Finding& b) { return a.severity < b.severity; });
    return of_whole;
}

}  // namespace anhinga
