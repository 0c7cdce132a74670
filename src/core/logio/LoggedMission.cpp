#include "core/logio/LoggedMission.h"
#include "core/base/Numbers.h"

#include <algorithm>
#include <cmath>

namespace anhinga {

namespace {

MissionItem itemOf(const LoggedItem& from) {
    MissionItem item;
    item.seq = static_cast<std::uint16_t>(std::clamp(from.seq, 0, 65535));
    item.frame = static_cast<std::uint8_t>(std::clamp(from.frame, 0, 255));
    item.command = static_cast<std::uint16_t>(std::clamp(from.command, 0, 65535));
    item.param1 = static_cast<float>(from.param[0]);
    item.param2 = static_cast<float>(from.param[1]);
    item.param3 = static_cast<float>(from.param[2]);
    item.param4 = static_cast<float>(from.param[3]);
    const auto e7 = [](double v) { return std::abs(v) <= 180 ? toE7(v) : toInt(v); };
    item.x = e7(from.x);
    item.y = e7(from.y);
    item.z = static_cast<float>(from.z);
    return item;
}

}  // namespace

Result<Decompiled> planOfLog(const LoggedMission& mission, const Plan& base) {
    std::vector<LoggedItem> items = mission.items;
    std::sort(items.begin(), items.end(), [](const LoggedItem& a, const LoggedItem& b) { return a.seq < b.seq; });
    MissionSet held;
    for (const LoggedItem& item : items) held.mission.push_back(itemOf(item));
    return decompile(held, base);
}

}  // namespace anhinga
