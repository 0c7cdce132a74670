// The call that shows the mission items themselves.
#include "cli/Common.h"
#include "core/dialect/Items.h"

namespace anhinga {

namespace {
Json itemsJson(const std::vector<MissionItem>& items) {
    Json list = Json::array();
    const auto f = [](float v) { return std::isfinite(v) ? Json(v) : Json(); };
    for (const MissionItem& i : items)
        list.push_back({{"seq", i.seq},
                        {"frame", i.frame},
                        {"command", i.command},
                        {"param1", f(i.param1)},
                        {"param2", f(i.param2)},
                        {"param3", f(i.param3)},
                        {"param4", f(i.param4)},
                        {"x", i.x},
                        {"y", i.y},
                        {"z", f(i.z)}});
    return list;
}
}  // namespace

CliResult cliCompile(const CliArguments& a) {
    const auto loaded = loadForCli(a);
    if (!loaded) return unusable(loaded.error());
    if (!loaded->view().sendable()) return unusable({a.plan + ": " + loaded->view().not_sendable});
    const MissionSet items = itemsOf(loaded->view().toSend(loaded->plan()));
    CliResult out;
    out.json = {
        {"mission", itemsJson(items.mission)}, {"fence", itemsJson(items.fence)}, {"rally", itemsJson(items.rally)}};
    for (const MissionItem& i : items.mission)
        out.text += fmt::format("{:4} {:22} frame {:2}  {:12.7f} {:12.7f} {:8.2f}  {} {} {} {}\n", i.seq,
                                commandText(i.command), i.frame, i.x * 1e-7, i.y * 1e-7, i.z, i.param1, i.param2,
                                i.param3, i.param4);
    out.text += fmt::format("{} mission items, {} fence items", items.mission.size(), items.fence.size());
    return out;
}

}  // namespace anhinga
