#include "core/dialect/Held.h"

#include <algorithm>
#include <cmath>

#include "core/base/Numbers.h"

namespace anhinga {

namespace {

EntryWords wordsOf(const MissionItem& i) {
    EntryWords words;
    words.what = commandText(i.command);
    const auto number = [](float value) { return static_cast<double>(value); };
    if (i.command == cmd::jump) {
        words.goes_back_to = toInt(number(i.param1));
        words.passes = toInt(number(i.param2));
        return words;
    }
    if (i.command == cmd::changeSpeed) {
        words.speed_mps = number(i.param2);
        return words;
    }
    const bool fence = i.command >= cmd::fenceKeepIn && i.command <= cmd::fenceCircleOut;
    if (i.command == cmd::fenceCircleIn || i.command == cmd::fenceCircleOut) words.what = "fence circle";
    if (i.command == cmd::fenceKeepIn) words.what = "keep-in corner";
    if (i.command == cmd::fenceKeepOut) words.what = "keep-out corner";
    if (hasPlace(i) && (i.x != 0 || i.y != 0)) words.place = placeOf(i);
    if ((hasPlace(i) && !fence) || i.command == cmd::takeOff) words.height = Height{number(i.z), refOf(i.frame)};
    const std::pair<const char*, float> values[] = {
        {"param1", i.param1}, {"param2", i.param2}, {"param3", i.param3}, {"param4", i.param4}};
    for (const auto& [field, value] : values)
        if (!std::isnan(value) && value != 0) words.numbers.emplace_back(fieldWords(i.command, field), number(value));
    return words;
}

bool alike(const MissionItem& a, const MissionItem& b) {
    return compareMissions("", {a}, {b}, false).empty();
}

}  // namespace

std::vector<HeldRow> HeldPlan::beside(const ToSend& plan) const {
    std::vector<HeldRow> rows;
    const MissionSet ours = itemsOf(plan);
    const auto list = [&](HeldRow::List which, const std::vector<MissionItem>& held,
                          const std::vector<MissionItem>& planned, bool home) {
        for (std::size_t i = 0; i < std::max(held.size(), planned.size()); ++i) {
            HeldRow row;
            row.list = which;
            row.number = static_cast<int>(i);
            row.own_home = home && i == 0;
            if (i < held.size()) row.held = wordsOf(held[i]);
            if (i < planned.size()) row.planned = wordsOf(planned[i]);
            if (row.held && row.planned && !row.own_home)
                for (const MissionDifference& d : compareMissions("", {planned[i]}, {held[i]}, false))
                    row.differences.push_back({fieldWords(planned[i].command, d.field), d.plan, d.vehicle});
            row.same = row.held && row.planned && row.differences.empty();
            rows.push_back(std::move(row));
        }
    };
    list(HeldRow::route, set_.mission, ours.mission, plan.program.home_slot);
    list(HeldRow::fence, set_.fence, ours.fence, false);
    list(HeldRow::rally, set_.rally, ours.rally, false);
    return rows;
}

std::vector<bool> HeldPlan::agreeing(const FlightProgram& program) const {
    const auto ours = itemsOf(program);
    std::vector<bool> out(ours.size(), false);
    for (std::size_t i = 0; i < std::min(ours.size(), set_.mission.size()); ++i)
        out[i] = (i == 0 && program.home_slot) || alike(ours[i], set_.mission[i]);
    return out;
}

std::optional<int> HeldPlan::firstDifference(const FlightProgram& program) const {
    const auto same = agreeing(program);
    const auto at = std::find(same.begin(), same.end(), false);
    if (at == same.end() && same.size() == route()) return std::nullopt;
    return static_cast<int>(at - same.begin());
}

std::string fieldWords(const FlightProgram& program, int number, const std::string& field) {
    const auto items = itemsOf(program);
    const bool known = number >= 0 && number < static_cast<int>(items.size());
    return fieldWords(known ? items[static_cast<std::size_t>(number)].command : std::uint16_t{0}, field);
}

std::uint64_t planFingerprint(const ToSend& plan) {
    return missionFingerprint(itemsOf(plan));
}

}  // namespace anhinga
