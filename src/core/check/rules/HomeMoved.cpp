#include "core/check/Rules.h"

namespace anhinga::rules {

namespace {
constexpr double kNoticed_m = 1.0;  // below, moving home changes nothing that matters for clearance

bool isAboveHome(const Plan& plan, const Item& item) {
    return item.kind != ItemKind::returnHome && effectiveHeight(plan, item).ref == HeightRef::home;
}

/// Lifts or lowers what is measured from home by `change_m`, defaults included, so that it stays where it was.
void keepInTheAir(Plan& plan, double change_m, double home_amsl_m) {
    if (!plan.heights_set_at_amsl_m || *plan.heights_set_at_amsl_m == home_amsl_m) return;
    for (Item& item : plan.items)
        if (isAboveHome(plan, item) && item.kind != ItemKind::takeOff && item.height) item.height->value_m += change_m;
    if (plan.defaults.height.ref == HeightRef::home) plan.defaults.height.value_m += change_m;
    plan.heights_set_at_amsl_m = home_amsl_m;
}
}  // namespace

void homeMoved(const CheckInput& in, Out& out) {
    const auto now = homeAmsl(in.plan, in.terrain);
    if (!now || !in.plan.heights_set_at_amsl_m) return;
    const double change = *now - *in.plan.heights_set_at_amsl_m;
    const auto n = std::count_if(in.plan.items.begin(), in.plan.items.end(),
                                 [&](const Item& i) { return isAboveHome(in.plan, i) && i.kind != ItemKind::takeOff; });
    if (std::abs(change) < kNoticed_m || n == 0) return;
    const double home = *now;
    out.push_back(
        {Severity::warn,
         "home-moved",
         kHomeId,
         fmt::format("home now lies {:.0f} m {} than when the heights were set: {} heights above home are {:.0f} m {} "
                     "above sea level",
                     std::abs(change), change > 0 ? "higher" : "lower", n, std::abs(change),
                     change > 0 ? "higher" : "lower"),
         in.plan.home->position,
         {{fmt::format("Keep the aircraft where it was: {:+.0f} m on heights above home", -change),
           [change, home](Plan& p) { keepInTheAir(p, -change, home); }},
          {"Keep the numbers", [home](Plan& p) { p.heights_set_at_amsl_m = home; }}}});
}

}  // namespace anhinga::rules
