#include "core/check/Rules.h"

namespace anhinga::rules {

namespace {

// Above all that small aircraft reach, below the lowest land, and more than the highest building has.
constexpr double kHighest_m = 10000, kLowestLand_m = -500, kHighestBuilt_m = 1000;

}  // namespace

/// Heights that a plan may hold but that nobody means: feet or centimetres taken for metres, a digit too many.
void heightUnlikely(const CheckInput& in, Out& out) {
    const auto say = [&](Severity severity, ItemId item, std::string message, std::optional<GeoPoint> place) {
        out.push_back({severity, "height-unlikely", item, std::move(message), place, {}});
    };
    const auto beyond = [](double height_m) { return std::abs(height_m) > kHighest_m; };
    const auto why = [](double height_m) {
        return height_m > 0 ? "no aircraft here flies above " + distanceText(kHighest_m)
                            : std::string("that is far below all land");
    };
    for (const Item& item : in.plan.items) {
        const ItemId id = item.id;
        if (item.height && beyond(item.height->value_m))
            say(Severity::stop, id,
                fmt::format("{} is at {}; {}", in.text(id), heightText(*item.height), why(item.height->value_m)),
                in.placeOf(id));
        if (isPattern(item.kind))
            for (const double height_m : {item.pattern->low_m, item.pattern->high_m})
                if (beyond(height_m)) {
                    say(Severity::stop, id,
                        fmt::format("{} reaches to {}; {}", in.text(id), distanceText(height_m), why(height_m)),
                        in.placeOf(id));
                    break;
                }
        for (const Action& a : item.actions)
            if (const auto* look = std::get_if<LookAt>(&a); look != nullptr && beyond(look->height.value_m))
                say(Severity::warn, id,
                    fmt::format("the camera at {} looks at {}; is that meant?", in.text(id), heightText(look->height)),
                    look->place);
    }
    for (const auto& [what, height] : {std::pair{"usual height", in.plan.defaults.height},
                                       {"return height", Height::aboveHome(in.plan.return_height_m)}})
        if (beyond(height.value_m))
            say(Severity::stop, 0,
                fmt::format("the plan's {} is {}; {}", what, heightText(height), why(height.value_m)), std::nullopt);
    for (const RallyPoint& r : in.plan.rally)
        if (beyond(r.height.value_m))
            say(Severity::stop, r.id,
                fmt::format("rally point {} is at {}; {}", r.name, heightText(r.height), why(r.height.value_m)),
                r.position);
    for (const Obstacle& o : in.plan.obstacles)
        if (o.height_m > kHighestBuilt_m)
            say(Severity::warn, o.id,
                fmt::format("{} {} is {} high; nothing that is built is higher than {}", obstacleText(o.kind), o.name,
                            distanceText(o.height_m), distanceText(kHighestBuilt_m)),
                o.points.empty() ? std::nullopt : std::optional(o.points.front()));
    if (const auto home = homeAmsl(in.plan, in.terrain); home && (*home > kHighest_m || *home < kLowestLand_m))
        say(Severity::stop, kHomeId,
            fmt::format("home is at {} AMSL; land lies between {} and {}", distanceText(*home),
                        distanceText(kLowestLand_m), distanceText(kHighest_m)),
            in.placeOf(kHomeId));
}

}  // namespace anhinga::rules
