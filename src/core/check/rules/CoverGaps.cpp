#include "core/check/Rules.h"

namespace anhinga::rules {

namespace {
std::string areaText(double area_m2) {
    return area_m2 >= 1e4 ? fmt::format("{:.2f} ha", area_m2 / 1e4) : fmt::format("{:.0f} m²", area_m2);
}
/// "1.2 %", and "less than 0.1 %" instead of nothing.
std::string shareText(double share) {
    return share < 0.001 ? "less than 0.1 %" : fmt::format("{:.1f} %", share * 100);
}
}  // namespace

/// Ground of a pattern's area that no photo sees, or fewer than its overlaps promise.
void coverGaps(const CheckInput& in, Out& out) {
    if (in.covers == nullptr) return;
    constexpr std::size_t kMost = 5;      // holes named one by one
    constexpr double kFew = 0.01;         // share seen too seldom that is worth a word
    constexpr double kSmallestCells = 4;  // smaller holes are the grain of the count
    for (const PatternCoverPtr& counted : *in.covers) {
        const Item* item = in.find(counted->item);
        if (item == nullptr || !counted->wanted) continue;
        const Coverage& cover = counted->cover;
        const double grain_m2 = kSmallestCells * cover.cell_m * cover.cell_m;
        std::vector<Correction> help;
        if (!item->pattern->follow && in.terrain != nullptr && !in.terrain->empty())
            help.push_back({.text = "Follow the terrain there",
                            .apply =
                                [id = item->id, h = counted->flight->height_above_ground_m](Plan& p) {
                                    Item* i = p.find(id);
                                    if (i == nullptr || i->pattern->follow) return;
                                    i->pattern.edit().follow = true;
                                    i->height = Height::aboveGround(std::round(h * 10) / 10);
                                },
                            .wide = true});
        constexpr double kSomeUnknown = 0.001;  // share
        if (const double unknown = cover.shareUnknown(); unknown > kSomeUnknown) {
            const double area_m2 = static_cast<double>(cover.cellsInside()) * cover.cell_m * cover.cell_m;
            out.push_back(
                {Severity::note,
                 "cover-unknown",
                 item->id,
                 unknown > 1 - kSomeUnknown
                     ? fmt::format("{}: what its photos show is not known: no elevation is loaded for its area",
                                   in.text(item->id))
                     : fmt::format("{}: what photos show of {} of its area is not known: no elevation is "
                                   "loaded there",
                                   in.text(item->id), areaText(unknown * area_m2)),
                 in.placeOf(item->id),
                 {}});
        }
        bool hole = false;
        for (const Coverage::Gap& gap : cover.gaps(1, kMost)) {
            if (gap.area_m2 < grain_m2) continue;
            hole = true;
            out.push_back(
                {Severity::warn, "cover-hole", item->id,
                 fmt::format("{}: no photo shows {} of its area here", in.text(item->id), areaText(gap.area_m2)),
                 gap.middle, help});
        }
        const double few = cover.shareBelow(counted->promised);
        const auto gaps = cover.gaps(counted->promised, 1);
        if (few < kFew || gaps.empty() || (hole && few <= cover.shareBelow(1))) continue;
        out.push_back(
            {Severity::note, "cover-thin", item->id,
             fmt::format("{}: {} of its area is seen by fewer than {} photos, the largest part of it {}",
                         in.text(item->id), shareText(few), counted->promised, areaText(gaps.front().area_m2)),
             gaps.front().middle, help});
    }
}

}  // namespace anhinga::rules
