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
    const auto beyond = [](const Height& h) { return h.value_m > kHighest_m || h.value_m < -kHighest_m; };
    for (const Item& item : in.plan.items) {
        const ItemId id = item.id;
        if (item.height && beyond(*item.height))
            say(Severity::stop, id,
                fmt::format("{} is at {}; no aircraft here flies above {}", in.text(id), heightText(*item.height),
                            distanceText(kHighest_m)),
                in.placeOf(id));
        if (isPattern(item.kind))
            for (const double height_m : {item.pattern->low_m, item.pattern->high_m})
                if (std::abs(height_m) > kHighest_m) {
                    say(Severity::stop, id,
                        fmt::format("{} reaches to {}; no aircraft here flies above {}", in.text(id),
                                    distanceText(height_m), distanceText(kHighest_m)),
                        in.placeOf(id));
                    break;
                }
        for (const Action& a : item.actions)
            if (const auto* look = std::get_if<LookAt>(&a); look != nullptr && beyond(look->height))
                say(Severity::warn, id,
                    fmt::format("the camera at {} looks at {}; is that meant?", in.text(id), heightText(look->height)),
                    look->place);
    }
    for (const RallyPoint& r : in.plan.rally)
        if (beyond(r.height))
            say(Severity::stop, r.id,
                fmt::format("rally point {} is at {}; no aircraft here flies above {}", r.name, heightText(r.height),
                            distanceText(kHighest_m)),
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
