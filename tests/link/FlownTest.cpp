// Rehearsed against flown: every demo plan is handed to the stand-in over a link, flown, and its recording held against
// the rehearsal.
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
#include "standin/LinkedStandIn.h"
#include "support.h"
#include "world/VirtualNet.h"

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

/// What is handed over, flown, and the log of its recording.
struct Handed {
    const std::string& plan_file;
    const Plan& plan;
    const ToSend& set;
    Wind wind;
    double duration_s;
    std::string recording;
};

void handOverAndStart(VehicleLink& link, const Handed& h) {
    REQUIRE(link.waitForVehicle(5));
    const auto held = handOver(link, h.set);
    REQUIRE(held);
    REQUIRE(held->verified);
    REQUIRE(commandArm(link));
    REQUIRE(commandStart(link));
}
std::shared_ptr<const FlightLog> recorded(const Handed& h) {
    const auto log = openLog(h.recording);
    REQUIRE(log);
    return *log;
}

/// In virtual time.
std::shared_ptr<const FlightLog> fly(const Handed& h) {
    VirtualWorld w;
    const int port = w.net.freePort();
    StandInOptions o;
    o.pace = 20;
    o.terrain = island();
    o.home = h.plan.home->position;
    o.home_amsl_m = homeAmsl(h.plan, o.terrain.get()).value_or(0);
    o.vehicle = h.plan.vehicle;
    o.return_height_m = h.plan.return_height_m;
    o.lost_link = h.plan.lost_link;
    o.low_battery = h.plan.low_battery;
    o.wind = h.wind;
    {
        VehicleLink::Options ours;
        ours.record_path = h.recording;
        ours.world = w.world();
        const auto link = VehicleLink::open(fmt::format("udp-listen:{}", port), ours);
        REQUIRE(link);
        const auto standin = LinkedStandIn::open({LinkKind::udp, "127.0.0.1", port}, o, {}, w.world());
        REQUIRE(standin);
        handOverAndStart(**link, h);
        REQUIRE(w.until(h.duration_s / o.pace * 2 + 12, [&] { return (*link)->snapshot().disarmed_at_s.has_value(); }));
    }
    return recorded(h);
}

/// In real time, over TCP, by a stand-in in a process of its own.
std::shared_ptr<const FlightLog> flyForReal(const Handed& h) {
    const int port = freePort();
    constexpr double kPace = 120;
    const auto terrain = island();
    const double most_s = h.duration_s / kPace * 2 + 12;
    const GeoPoint home = h.plan.home->position;
    Process standin(
        std::string(BIN_DIR) + "/anhinga-standin",
        {"--link", fmt::format("tcp-listen:{}", port), "--like", h.plan_file, "--home",
         fmt::format("{:.7f},{:.7f},{:.2f}", home.lat_deg, home.lon_deg, homeAmsl(h.plan, terrain.get()).value_or(0)),
         "--terrain", demo("quillmere-elevation.tif"), "--pace", fmt::format("{}", kPace), "--wind-from",
         fmt::format("{}", h.wind.from_deg), "--wind-speed", fmt::format("{}", h.wind.speed_mps), "--run-for",
         fmt::format("{}", most_s + 10)});
    {
        VehicleLink::Options ours;
        ours.record_path = h.recording;
        Result<std::unique_ptr<VehicleLink>> link = fail("not tried");
        for (int i = 0; i < 100 && !link; ++i) {
            link = VehicleLink::open(fmt::format("tcp:127.0.0.1:{}", port), ours);
            if (!link) std::this_thread::sleep_for(std::chrono::milliseconds(50));
        }
        REQUIRE(link);
        handOverAndStart(**link, h);
        bool landed = false;
        for (int i = 0; i < static_cast<int>(most_s * 100) && !landed; ++i) {
            std::this_thread::sleep_for(std::chrono::milliseconds(10));
            landed = (*link)->snapshot().disarmed_at_s.has_value();
        }
        REQUIRE(landed);
    }
    return recorded(h);
}

using Flyer = std::shared_ptr<const FlightLog> (*)(const Handed&);

void rehearsedAgainstFlown(Flyer flyer, const std::string& name, double most_path_m) {
    const std::string file = demo(name + ".anhinga.geojson");
    const auto plan = loadPlan(file);
    REQUIRE(plan);
    const auto terrain = island();
    const PlanView view = viewOf(*plan, terrain.get());
    REQUIRE(view.sendable());
    TempDir dir;
    for (const double speed : {0.0, 6.0}) {
        RehearseOptions options;
        options.wind = {250, speed};
        const auto r = rehearse(*plan, view.program, terrain, options);
        REQUIRE(r);
        const ToSend set = view.toSend(*plan);
        const auto flown =
            flyer({file, *plan, set, options.wind, r->duration_s, dir / fmt::format("{:.0f}.tlog", speed)});
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

TEST_CASE("the patrol is flown as it was rehearsed", "[flown]") {
    rehearsedAgainstFlown(fly, "patrol", 3);
}
TEST_CASE("the quarry is flown as it was rehearsed", "[flown]") {
    rehearsedAgainstFlown(fly, "quarry", 3);
}
TEST_CASE("the sea wall is flown as it was rehearsed", "[flown]") {
    rehearsedAgainstFlown(fly, "seawall", 3);
}
TEST_CASE("the lighthouse rings are flown as they were rehearsed", "[flown]") {
    rehearsedAgainstFlown(fly, "lighthouse-rings", 3);
}
TEST_CASE("the lighthouse face is flown as it was rehearsed", "[flown]") {
    rehearsedAgainstFlown(fly, "lighthouse-face", 3);
}
TEST_CASE("the coast is flown by the fixed wing as it was rehearsed", "[flown]") {
    rehearsedAgainstFlown(fly, "coast", 10);
}
TEST_CASE("every demo plan is flown in real time as it was rehearsed", "[flown][real][long]") {
    for (const auto& [name, most_path_m] :
         {std::pair("patrol", 3.0), std::pair("quarry", 3.0), std::pair("seawall", 3.0),
          std::pair("lighthouse-rings", 3.0), std::pair("lighthouse-face", 3.0), std::pair("coast", 10.0)})
        rehearsedAgainstFlown(flyForReal, name, most_path_m);
}
