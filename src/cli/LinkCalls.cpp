// Calls that talk to a vehicle: send, fetch, fly.
#include <thread>

#include "cli/Common.h"
#include "core/base/Text.h"
#include "core/link/Commands.h"
#include "core/link/MissionTransfer.h"

namespace anhinga {

namespace {

CliResult linkFailed(const std::string& what) {
    return {3, Json::object(), "", what};
}

/// Opens the link and waits for a heartbeat; on failure `failed` holds the answer.
std::unique_ptr<VehicleLink> connect(const CliArguments& a, CliResult& failed) {
    if (const auto address = parseLinkAddress(a.link); !address) {
        failed = unusable(address.error());
        return nullptr;
    }
    auto link = VehicleLink::open(a.link, {a.record, {}});
    if (!link) {
        failed = linkFailed(link.error().message);
        return nullptr;
    }
    if (!(*link)->waitForVehicle(10)) {
        failed = linkFailed(a.link + ": no vehicle heard within 10 s");
        return nullptr;
    }
    return std::move(*link);
}

Json countsOf(const MissionSet& set) {
    return {{"mission", set.mission.size()}, {"fence", set.fence.size()}, {"rally", set.rally.size()}};
}

CliResult handOverAnswer(const HandOver& h) {
    CliResult out;
    Json differences = Json::array();
    for (const MissionDifference& d : h.differences) {
        differences.push_back(
            {{"type", d.type}, {"seq", d.seq}, {"field", d.field}, {"plan", d.plan}, {"vehicle", d.vehicle}});
        out.text += fmt::format("{} item {} {}: plan {}, vehicle {}\n", d.type, d.seq, d.field, d.plan, d.vehicle);
    }
    out.json = {{"sent", countsOf(h.held)}, {"verified", h.verified}, {"differences", differences}};
    out.text += fmt::format("{} mission, {} fence and {} rally items read back: {}", h.held.mission.size(),
                            h.held.fence.size(), h.held.rally.size(),
                            h.verified ? fmt::format("verified, seal {:016x}", h.fingerprint) : "NOT as sent");
    out.code = h.verified ? 0 : 1;
    return out;
}

}  // namespace

CliResult cliSend(const CliArguments& a) {
    const auto loaded = loadForCli(a);
    if (!loaded) return unusable(loaded.error());
    if (!loaded->view.mission) return unusable({a.plan + ": " + loaded->view.not_sendable});
    CliResult failed;
    const auto link = connect(a, failed);
    if (!link) return failed;
    const auto h = handOver(*link, loaded->view.toSend(), loaded->plan.traits.item0_is_home);
    return h ? handOverAnswer(*h) : linkFailed(h.error().message);
}

CliResult cliFetch(const CliArguments& a) {
    CliResult failed;
    const auto link = connect(a, failed);
    if (!link) return failed;
    const auto held = downloadAll(*link);
    if (!held) return linkFailed(held.error().message);
    Plan base;
    base.title = "Fetched from the aircraft";
    const auto back = decompile(*held, base);
    if (!back) return linkFailed(back.error().message);
    if (const auto ok = savePlan(back->plan, a.out); !ok) return unusable(ok.error());
    CliResult out;
    out.json = {{"items", countsOf(*held)}, {"notes", back->notes}};
    out.text = fmt::format("{} mission, {} fence and {} rally items into {}", held->mission.size(), held->fence.size(),
                           held->rally.size(), a.out);
    for (const std::string& note : back->notes) out.text += "\n" + note;
    return out;
}

CliResult cliFly(const CliArguments& a) {
    const auto loaded = loadForCli(a);
    if (!loaded) return unusable(loaded.error());
    if (!loaded->view.mission) return unusable({a.plan + ": " + loaded->view.not_sendable});
    CliResult failed;
    const auto link = connect(a, failed);
    if (!link) return failed;
    const auto h = handOver(*link, loaded->view.toSend(), loaded->plan.traits.item0_is_home);
    if (!h) return linkFailed(h.error().message);
    if (!h->verified) return handOverAnswer(*h);
    if (const auto ok = commandArm(*link); !ok) return linkFailed(ok.error().message);
    if (const auto ok = commandStart(*link); !ok) return linkFailed(ok.error().message);
    const double start = monotonicMs();
    bool landed = false, seen_armed = false;
    while (monotonicMs() - start < a.timeout_s * 1000) {
        std::this_thread::sleep_for(std::chrono::milliseconds(20));
        const VehicleSnapshot v = link->snapshot();
        if (v.heartbeat_age_s > 15) return linkFailed("the vehicle has been silent for 15 s in flight");
        seen_armed |= v.armed;
        if (seen_armed && !v.armed) {
            landed = true;
            break;
        }
    }
    const VehicleSnapshot v = link->snapshot();
    const double now_s = v.boot_s.value_or(0);
    const double flown = v.disarmed_at_s.value_or(now_s) - v.armed_at_s.value_or(now_s);
    double distance = 0;
    for (std::size_t i = 1; i < v.track->size(); ++i)
        distance += distance_m((*v.track)[i - 1].place, (*v.track)[i].place);
    CliResult out;
    out.json = {{"landed", landed},
                {"duration_s", flown},
                {"distance_m", distance},
                {"items_reached", v.reached->size()},
                {"photos", v.photos}};
    out.text = fmt::format("{} after {}, {}, {} items reached, {} photos", landed ? "landed" : "still flying",
                           durationText(flown), distanceText(distance), v.reached->size(), v.photos);
    if (const std::string wrong = link->recordError(); !wrong.empty()) return linkFailed(wrong);
    out.code = landed ? 0 : 1;
    return out;
}

}  // namespace anhinga
