#include "core/flight/Passes.h"

#include <algorithm>
#include <map>

#include "core/base/Numbers.h"
#include "core/plan/Plan.h"

namespace anhinga {

std::vector<ItemPass> passesOf(const Rehearsal& rehearsal, const FlightProgram& program) {
    std::vector<ItemPass> passes;
    const FlightLog& log = *rehearsal.log;
    const Channel* seq = log.find("mission.item");
    if (seq == nullptr) return passes;
    double before = -1;
    for (std::size_t i = 0; i < seq->value.size(); ++i) {
        const double now = seq->value[i];
        if (now == before) continue;
        const ItemId item = program.sourceAt(toInt(now, -1));
        // Of a pattern the next point goes on with the same pass; flown to an earlier one it begins anew.
        const bool goes_on = !passes.empty() && passes.back().item == item && now > before;
        before = now;
        if (item == 0 || goes_on) continue;
        if (!passes.empty()) passes.back().to_s = seq->t_s[i];
        passes.push_back({.item = item, .from_s = seq->t_s[i]});
    }
    if (passes.empty()) return passes;
    passes.back().to_s = rehearsal.duration_s;
    const auto passAtTime = [&](double t) -> ItemPass* {
        const auto at = std::upper_bound(passes.begin(), passes.end(), t,
                                         [](double when, const ItemPass& p) { return when < p.from_s; });
        return at == passes.begin() ? nullptr : &*std::prev(at);
    };
    for (const LogEvent& e : log.events) {
        ItemPass* pass = passAtTime(e.t_s - 1e-6);
        if (pass == nullptr) continue;
        if (e.kind == "photo") ++pass->photos;
        if ((e.kind == "item" || e.kind == "disarmed") && !pass->arrives_s) pass->arrives_s = e.t_s;
    }
    if (const Channel* left = log.find("battery.left_percent"))
        for (ItemPass& p : passes) p.left_percent = left->at(p.to_s).value_or(0);
    if (const Channel* ground = log.find("position.height_ground_m"))
        for (std::size_t i = 0; i < ground->value.size(); ++i)
            if (ItemPass* p = passAtTime(ground->t_s[i]))
                p->lowest_m = p->lowest_m ? std::min(*p->lowest_m, ground->value[i]) : ground->value[i];
    std::map<ItemId, int> count;
    for (ItemPass& p : passes) p.pass = ++count[p.item];
    for (ItemPass& p : passes) p.of = count[p.item];
    return passes;
}

const ItemPass* passAt(const std::vector<ItemPass>& passes, double t_s) {
    const auto at = std::upper_bound(passes.begin(), passes.end(), t_s,
                                     [](double when, const ItemPass& p) { return when < p.from_s; });
    return at == passes.begin() ? nullptr : &*std::prev(at);
}

std::vector<WindTry> tryWinds(const Plan& plan, const FlightProgram& program,
                              const std::shared_ptr<const Terrain>& terrain, double speed_mps,
                              const RehearseOptions& like) {
    std::vector<WindTry> tries;
    for (int from = 0; from < 360; from += 45) {
        RehearseOptions options = like;
        options.wind.from_deg = from;
        options.wind.speed_mps = speed_mps;
        const auto r = rehearse(plan, program, terrain, options);
        if (!r) break;
        tries.push_back({options.wind, r->landed, r->reached_reserve, r->energy_left_percent, r->duration_s});
    }
    return tries;
}

const WindTry* worstWind(const std::vector<WindTry>& tries) {
    const auto least = std::min_element(tries.begin(), tries.end(), [](const WindTry& a, const WindTry& b) {
        const bool a_fine = a.landed && !a.reached_reserve, b_fine = b.landed && !b.reached_reserve;
        return a_fine != b_fine ? b_fine : a.left_percent < b.left_percent;
    });
    return least == tries.end() ? nullptr : &*least;
}

}  // namespace anhinga
