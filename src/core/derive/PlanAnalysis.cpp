#include "core/derive/PlanAnalysis.h"

#include <algorithm>

namespace anhinga {

const FlownSortie* PlanAnalysis::sortie(int number) const {
    const auto n = static_cast<std::size_t>(std::max(0, number));
    return n > 0 && n <= sorties.size() ? sorties[n - 1].get() : nullptr;
}

const PlanView& PlanAnalysis::viewOf(int number) const {
    const FlownSortie* s = sortie(number);
    return s != nullptr ? s->view : view;
}

const std::shared_ptr<const Rehearsal>& PlanAnalysis::rehearsalOf(int number) const {
    const FlownSortie* s = sortie(number);
    return s != nullptr ? s->rehearsal : rehearsal;
}

const std::string& PlanAnalysis::notRehearsed(int number) const {
    const FlownSortie* s = sortie(number);
    return s != nullptr ? s->not_rehearsed : not_rehearsed;
}

const std::vector<Finding>& PlanAnalysis::findingsOf(int number) const {
    if (const FlownSortie* s = sortie(number)) return s->findings;
    return sorties.empty() ? findings : in_one;
}

namespace {

void findAll(PlanAnalysis& a) {
    CheckInput input{.plan = *a.plan,
                     .view = a.view,
                     .terrain = a.terrain.get(),
                     .energy = a.rehearsal ? std::optional(energyOf(*a.rehearsal)) : std::nullopt,
                     .wind_mps = a.wind.strongest_mps(),
                     .in_sorties = a.complete ? a.sorties.size() > 1 : !a.plan->cuts.empty(),
                     .covers = &a.covers};
    a.findings = check(input);
    a.in_one.clear();
    if (a.plan->cuts.empty()) return;
    // Whoever hands the whole over although it is cut must hear what one battery and one list cannot hold.
    input.in_sorties = false;
    a.in_one = check(input);
    // Until the sorties of this snapshot are flown, what was found in those of the one before still stands.
    if (a.complete || !a.sorties.empty()) a.findings = withSorties(*a.plan, std::move(a.findings), a.sorties);
}

/// True when what every pattern's photos see is counted.
bool allCounted(const PlanAnalysis& a) {
    return std::all_of(a.view.route.patterns.begin(), a.view.route.patterns.end(), [&](const OpenedPattern& o) {
        return o.flight->photos.empty() || photoAreaOf(o.item).empty() ||
               std::any_of(a.covers.begin(), a.covers.end(),
                           [&](const PatternCoverPtr& c) { return c->flight == o.flight; });
    });
}

/// The least number that is flown from `number` on: a repeat still ahead leads back.
int firstFlownFrom(const FlightProgram& program, int number) {
    int first = number;
    for (std::size_t k = 0; k < program.steps.size(); ++k) {
        const ProgramAction* action = program.steps[k].action();
        const auto* back = action != nullptr ? std::get_if<GoBack>(action) : nullptr;
        if (back != nullptr && back->to != GoBack::kNowhere && program.numberOf(k) >= number)
            first = std::min(first, program.numberOf(back->to));
    }
    return first;
}

}  // namespace

PlanAnalysis beginAnalysis(std::shared_ptr<const Plan> plan, std::shared_ptr<const Terrain> terrain, Wind wind,
                           const PlanAnalysis* before) {
    PlanAnalysis a;
    a.plan = std::move(plan);
    a.terrain = std::move(terrain);
    a.wind = wind;
    a.view = before != nullptr ? anhinga::viewOf(*a.plan, a.terrain.get(), *before->plan, before->view)
                               : anhinga::viewOf(*a.plan, a.terrain.get());
    if (!a.view.sendable()) {
        a.not_rehearsed = a.view.not_sendable;
    } else if (before != nullptr) {
        a.rehearsal = before->rehearsal;
        a.not_rehearsed = before->not_rehearsed;
    }
    if (before != nullptr) {
        if (a.plan->cuts == before->plan->cuts) a.sorties = before->sorties;
        for (const PatternCoverPtr& c : before->covers)
            if (a.view.route.flightOf(c->item) == c->flight.get()) a.covers.push_back(c);
    }
    findAll(a);
    return a;
}

std::optional<PlanAnalysis> withFlights(const PlanAnalysis& begun, const std::stop_token& stop) {
    std::shared_ptr<const Rehearsal> rehearsal;
    std::string why_not = begun.view.not_sendable;
    if (begun.view.sendable()) {
        RehearseOptions options;
        options.wind = begun.wind;
        options.stop = stop;
        auto r = rehearse(*begun.plan, begun.view.program, begun.terrain, options);
        if (r)
            rehearsal = std::make_shared<const Rehearsal>(std::move(*r));
        else
            why_not = r.error().message;
    }
    std::optional<std::vector<FlownSortiePtr>> sorties(std::in_place);
    if (!begun.plan->cuts.empty()) sorties = flySorties(*begun.plan, begun.view.route, begun.terrain, begun.wind, stop);
    if (stop.stop_requested() || !sorties) return std::nullopt;
    // Only now is the view copied: most rehearsals begun during a drag are overtaken.
    PlanAnalysis a = begun;
    a.complete = true;
    a.rehearsal = std::move(rehearsal);
    a.not_rehearsed = std::move(why_not);
    a.sorties = std::move(*sorties);
    a.covered = allCounted(a);
    findAll(a);
    return a;
}

std::optional<PlanAnalysis> withCovers(const PlanAnalysis& flown, const std::stop_token& stop,
                                       const std::function<void(double)>& progress) {
    auto covers =
        countCovers(*flown.plan, flown.view.route.patterns, flown.terrain.get(), stop, flown.covers, progress);
    if (!covers) return std::nullopt;
    PlanAnalysis a = flown;
    a.covered = true;
    a.covers = std::move(*covers);
    findAll(a);
    return a;
}

PlanAnalysis completed(const PlanAnalysis& begun) {
    auto a = withFlights(begun);
    return a->covered ? std::move(*a) : *withCovers(*a);
}

std::vector<Finding> stopsBefore(const PlanAnalysis& analysis, int sortie, std::optional<int> first_ahead) {
    const FlightProgram& program = analysis.viewOf(sortie).program;
    if (first_ahead) first_ahead = firstFlownFrom(program, *first_ahead);
    std::vector<Finding> out;
    for (const Finding& f : analysis.findingsOf(sortie)) {
        if (f.severity != Severity::stop) continue;
        const auto last = first_ahead && f.item != 0 ? program.lastOf(f.item) : std::nullopt;
        if (!last || *last >= *first_ahead) out.push_back(f);
    }
    return out;
}

}  // namespace anhinga
