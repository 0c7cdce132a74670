// Rehearsed against flown: every demo plan is handed to the stand-in over the link, flown, and its recording held
// against the rehearsal.
#include <catch2/catch.hpp>

#include "core/check/Check.h"
#include "core/flight/Rehearse.h"
#include "core/geo/Polygon.h"
#include "core/link/Commands.h"
#include "core/link/MissionTransfer.h"
#include "core/link/VehicleLink.h"
#include "core/logio/LogReader.h"
#include "core/plan/PlanFile.h"
#include "core/sortie/Sorties.h"
#include "support.h"

using namespace anhinga;
using namespace anhinga::testing;

namespace {

struct Difference {
    double duration_percent = 0, energy_percent = 0, path_m = 0, height_m = 0;
};

/// Times of the mission: from its start to disarming.
std::pair<double, double> flightTime(const FlightLog& log) {
    double from = -1, to = 0;
    for (const ModeChange& m : log.modes)
        if (m.name == "mission" && from < 0) from = m.t_s;
    for (const LogEvent& e : log.events)
        if (e.kind == "disarmed") to = e.t_s;
    return {from, to};
}

double used(const FlightLog& log, double from, double to) {
    const Channel* wh = log.find("battery.used_wh");
    REQUIRE(wh != nullptr);
    return wh->at(to).value_or(0) - wh->at(from).value_or(wh->value.front());
}

struct Track {
    std::vector<Vec2> at;
    std::vector<double> amsl, t;
};
Track trackOf(const FlightLog& log, const LocalFrame& frame, double from, double to) {
    Track track;
    const Channel &lat = *log.find("position.lat_deg"), &lon = *log.find("position.lon_deg");
    const Channel& high = *log.find("position.height_amsl_m");
    for (std::size_t i = 0; i < lat.t_s.size(); ++i) {
        const double t = lat.t_s[i];
        if (t < from || t > to) continue;
        track.at.push_back(frame.toLocal({lat.value[i], lon.at(t).value_or(0)}));
        track.amsl.push_back(high.at(t).value_or(0));
        track.t.push_back(t - from);
    }
    return track;
}

/// How far the flown track leaves the rehearsed one: the nearest place among those rehearsed at about the same share of
/// the flight, so that lines flown side by side are not taken for each other.
Difference differenceOf(const FlightLog& rehearsed, const FlightLog& flown, const LocalFrame& frame) {
    Difference d;
    const auto [a0, a1] = flightTime(rehearsed);
    const auto [b0, b1] = flightTime(flown);
    REQUIRE(a0 >= 0);
    REQUIRE(b0 >= 0);
    d.duration_percent = 100 * ((b1 - b0) / (a1 - a0) - 1);
    d.energy_percent = 100 * (used(flown, b0, b1) / used(rehearsed, a0, a1) - 1);
    const Track r = trackOf(rehearsed, frame, a0, a1), f = trackOf(flown, frame, b0, b1);
    REQUIRE(r.at.size() > 10);
    REQUIRE(f.at.size() > 10);
    const double window = 0.02 * (a1 - a0) + 3;
    std::size_t low = 0;
    for (std::size_t i = 0; i < f.at.size(); ++i) {
        while (low + 1 < r.t.size() && r.t[low] < f.t[i] - window) ++low;
        double best = INFINITY, height = 0;
        for (std::size_t k = low; k + 1 < r.at.size() && (r.t[k] <= f.t[i] + window || best == INFINITY); ++k) {
            const auto near = distanceToSegment(f.at[i], r.at[k], r.at[k + 1]);
            const double h = std::abs(f.amsl[i] - (r.amsl[k] + (r.amsl[k + 1] - r.amsl[k]) * near.along));
            if (std::hypot(near.distance_m, h) < std::hypot(best, height)) {
                best = near.distance_m;
                height = h;
            }
        }
        d.path_m = std::max(d.path_m, best);
        d.height_m = std::max(d.height_m, height);
    }
    return d;
}

/// Flies what is handed over and gives the recording.
std::shared_ptr<const FlightLog> fly(const std::string& plan_file, const Plan& plan, const MissionSet& set, Wind wind,
                                     double duration_s, const std::string& recording) {
    const int port = freePort();
    constexpr double kPace = 120;
    const auto terrain = island();
    const double home = homeAmsl(plan, terrain.get()).value_or(0);
    const double most_s = duration_s / kPace * 2 + 12;
    Process standin(
        std::string(BIN_DIR) + "/anhinga-standin",
        {"--link", fmt::format("tcp-listen:{}", port), "--like", plan_file, "--home",
         fmt::format("{:.7f},{:.7f},{:.2f}", plan.home->position.lat_deg, plan.home->position.lon_deg, home),
         "--terrain", demo("quillmere-elevation.tif"), "--pace", fmt::format("{}", kPace), "--wind-from",
         fmt::format("{}", wind.from_deg), "--wind-speed", fmt::format("{}", wind.speed_mps), "--run-for",
         fmt::format("{}", most_s + 10)});
    {
        Result<std::unique_ptr<VehicleLink>> link = fail("not tried");
        for (int i = 0; i < 100 && !link; ++i) {
            link =
                VehicleLink::open(fmt::format("tcp:127.0.0.1:{}", port), {.record_path = recording, .conditions = {}});
            if (!link) std::this_thread::sleep_for(std::chrono::milliseconds(50));
        }
        REQUIRE(link);
        REQUIRE((*link)->waitForVehicle(5));
        const auto h = handOver(**link, set, plan.traits.item0_is_home);
        REQUIRE(h);
        REQUIRE(h->verified);
        REQUIRE(commandArm(**link));
        REQUIRE(commandStart(**link));
        bool landed = false;
        for (int i = 0; i < static_cast<int>(most_s * 100) && !landed; ++i) {
            std::this_thread::sleep_for(std::chrono::milliseconds(10));
            const VehicleSnapshot v = (*link)->snapshot();
            landed = v.disarmed_at_s.has_value();
        }
        REQUIRE(landed);
    }
    const auto log = openLog(recording);
    REQUIRE(log);
    return *log;
}

void rehearsedAgainstFlown(const std::string& name, double most_path_m) {
    const std::string file = demo(name + ".anhinga.geojson");
    const auto plan = loadPlan(file);
    REQUIRE(plan);
    const auto terrain = island();
    const PlanView view = viewOf(*plan, terrain.get());
    REQUIRE(view.mission);
    TempDir dir;
    for (const double speed : {0.0, 6.0}) {
        RehearseOptions options;
        options.wind = {250, speed};
        const auto r = rehearse(*plan, *view.mission, terrain, options);
        REQUIRE(r);
        const auto flown =
            fly(file, *plan, view.toSend(), options.wind, r->duration_s, dir / fmt::format("{:.0f}.tlog", speed));
        const Difference d = differenceOf(*r->log, *flown, view.path.frame);
        std::printf(
            "%-18s wind %.0f m/s: duration %+.2f %%, energy %+.2f %%, path within %.1f m, height within %.1f m\n",
            name.c_str(), speed, d.duration_percent, d.energy_percent, d.path_m, d.height_m);
        std::fflush(stdout);
        INFO(name << " in " << speed << " m/s");
        CHECK(std::abs(d.duration_percent) < 2);
        CHECK(std::abs(d.energy_percent) < 3);
        CHECK(d.path_m < most_path_m);
        CHECK(d.height_m < 3);
    }
}

}  // namespace

TEST_CASE("the patrol is flown as it was rehearsed", "[flown][slow]") {
    rehearsedAgainstFlown("patrol", 3);
}
TEST_CASE("the quarry is flown as it was rehearsed", "[flown][slow]") {
    rehearsedAgainstFlown("quarry", 3);
}
TEST_CASE("the sea wall is flown as it was rehearsed", "[flown][slow]") {
    rehearsedAgainstFlown("seawall", 3);
}
TEST_CASE("the lighthouse rings are flown as they were rehearsed", "[flown][slow]") {
    rehearsedAgainstFlown("lighthouse-rings", 3);
}
TEST_CASE("the lighthouse face is flown as it was rehearsed", "[flown][slow]") {
    rehearsedAgainstFlown("lighthouse-face", 3);
}
TEST_CASE("the coast is flown by the fixed wing as it was rehearsed", "[flown][slow]") {
    rehearsedAgainstFlown("coast", 10);
}
