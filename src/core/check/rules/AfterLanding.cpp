#include "core/check/Rules.h"

namespace anhinga::rules {

void afterLanding(const CheckInput& in, Out& out) {
    const auto ends = [](const Item& i) { return i.kind == ItemKind::land || i.kind == ItemKind::returnHome; };
    const auto end = std::find_if(in.plan.items.begin(), in.plan.items.end(), ends);
    if (end == in.plan.items.end() || std::next(end) == in.plan.items.end()) return;
    const auto after = in.plan.items.end() - std::next(end);
    out.push_back({Severity::warn,
                   "after-landing",
                   std::next(end)->id,
                   fmt::format("{} ends the flight: {} after it {} not flown", in.text(end->id),
                               after == 1 ? in.text(std::next(end)->id) : fmt::format("the {} items", after),
                               after == 1 ? "is" : "are"),
                   in.placeOf(std::next(end)->id),
                   {{"Move it to the end",
                     [id = end->id](Plan& plan) {
                         const auto at = std::find_if(plan.items.begin(), plan.items.end(),
                                                      [id](const Item& i) { return i.id == id; });
                         if (at != plan.items.end()) std::rotate(at, at + 1, plan.items.end());
                     },
                     true}}});
}

}  // namespace anhinga::rules
