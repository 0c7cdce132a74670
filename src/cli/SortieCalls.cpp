// Call about a plan flown in several sorties: where to cut it, and what each part takes.
#include "cli/Common.h"
#include "core/base/Text.h"
#include "core/sortie/Sorties.h"

namespace anhinga {

CliResult cliSorties(const CliArguments& a) {
    const auto loaded = loadForCli(a);
    if (!loaded) return unusable(loaded.error());
    Plan plan = loaded->plan();
    if (!loaded->view().sendable()) return unusable({a.plan + ": " + loaded->view().not_sendable});
    CutOptions options;
    options.wind.from_deg = a.wind_from_deg;
    options.wind.speed_mps = a.wind_speed_mps;
    if (a.resume_item > 0) {
        const Cut cut{static_cast<ItemId>(a.resume_item), 0, a.resume_photo};
        plan.cuts = {cut};
        if (usableCuts(plan, loaded->view().route, loaded->terrain().get()).empty())
            return unusable({fmt::format("{}: no sortie can begin at {}", a.plan, cutText(plan, cut))});
        options.kept = plan.cuts;
    }
    if (a.anew || plan.cuts.empty() || a.resume_item > 0) {
        auto cuts = suggestCuts(plan, loaded->view().route, loaded->terrain(), options);
        if (!cuts) return unusable({a.plan + ": " + cuts.error().message});
        plan.cuts = std::move(*cuts);
    }
    const auto sorties = flySorties(plan, loaded->view().route, loaded->terrain(), options.wind);
    CliResult out;
    out.json["sorties"] = Json::array();
    for (const FlownSortiePtr& s : *sorties) {
        const auto stops = std::count_if(s->findings.begin(), s->findings.end(),
                                         [](const Finding& f) { return f.severity == Severity::stop; });
        const Cut& from = s->sortie.from;
        const auto* r = s->rehearsal.get();
        out.json["sorties"].push_back(
            {{"number", s->sortie.number},
             {"from", from.item == 0 ? Json() : Json{{"item", from.item}, {"line", from.line}, {"photo", from.photo}}},
             {"text", s->sortie.text},
             {"items", s->view.sendable() ? s->view.program.entries() : 0},
             {"photos", s->sortie.photos},
             {"distance_m", s->view.path.length_m},
             {"duration_s", r != nullptr ? Json(r->duration_s) : Json()},
             {"energy_left_percent", r != nullptr ? Json(r->energy_left_percent) : Json()},
             {"stops", stops}});
        out.text += fmt::format(
            "{:2}  {}: {} items, {} photos, {}, {}{}\n", s->sortie.number, s->sortie.text,
            s->view.sendable() ? s->view.program.entries() : 0, s->sortie.photos, distanceText(s->view.path.length_m),
            r != nullptr ? fmt::format("{}, {}", durationText(r->duration_s), endText(*r)) : s->not_rehearsed,
            stops > 0 ? fmt::format(", {} findings of severity stop", stops) : "");
        if (stops > 0) out.code = 1;
    }
    out.text += sorties->empty() ? "flown in one" : fmt::format("{} sorties", sorties->size());
    if (!a.out.empty()) {
        if (const auto ok = savePlan(movedTo(plan, a.plan, a.out), a.out); !ok) return unusable(ok.error());
        out.text += ", into " + a.out;
    }
    return out;
}

}  // namespace anhinga
