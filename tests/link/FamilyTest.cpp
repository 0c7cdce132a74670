// Plans handed to aircraft of real families, which were written from what those families do in public and know nothing
// of how plans are translated: each is sealed and flown as rehearsed, or refused before anything is sent. The table in
// docs/autopilots.md is what comes out here.
#include <catch2/catch.hpp>

#include <algorithm>
#include <cstdlib>

#include "core/check/Check.h"
#include "core/derive/PlanAnalysis.h"
#include "core/dialect/Items.h"
#include "core/flight/Rehearse.h"
#include "core/geo/Polygon.h"
#include "core/link/Commands.h"
#include "core/link/LogFetch.h"
#include "core/link/MissionTransfer.h"
#include "core/link/Parameters.h"
#include "core/logio/LogReader.h"
#include "core/plan/PlanFile.h"
#include "core/plan/ProfileLibrary.h"
#include "standin/LinkedStandIn.h"
#include "support.h"
#include "world/VirtualNet.h"

using namespace anhinga;
using namespace anhinga::testing;

namespace {

const GeoPoint kHome{47.3052, -20.1068};

struct FamilyKind {
    const char* name;
    int family;  // -1: our own
    families::Body body;
};
constexpr FamilyKind kAircraft[] = {
    {"own", -1, families::Body::rotors},         {"plain", 0, families::Body::rotors},
    {"3 multirotor", 3, families::Body::rotors}, {"3 helicopter", 3, families::Body::helicopter},
    {"3 fixed wing", 3, families::Body::wing},   {"12 multirotor", 12, families::Body::rotors},
    {"12 fixed wing", 12, families::Body::wing},
};

/// One aircraft and our end of a link to it, in virtual time.
class Meeting {
  public:
    Meeting(const FamilyKind& kind, const Plan& plan, double pace = 60, bool known = true) {
        const int port = world.net.freePort();
        VehicleLink::Options ours;
        ours.world = world.world();
        auto opened = VehicleLink::open(fmt::format("udp-listen:{}", port), ours);
        REQUIRE(opened);
        link = std::move(*opened);
        const double amsl = homeAmsl(plan, island().get()).value_or(0);
        auto linked = kind.family < 0 ? LinkedStandIn::open({LinkKind::udp, "127.0.0.1", port}, own(plan, amsl, pace),
                                                            {}, world.world())
                                      : LinkedStandIn::open({LinkKind::udp, "127.0.0.1", port},
                                                            real(kind, plan, amsl, pace), {}, world.world());
        REQUIRE(linked);
        aircraft = std::move(*linked);
        REQUIRE(link->waitForVehicle(5));
        if (!known) return;  // nothing but its first heartbeat
        REQUIRE(world.until(10, [&] { return link->snapshot().home_amsl_m && link->snapshot().capabilities; }));
    }
    bool until(double seconds, const std::function<bool(const VehicleSnapshot&)>& done) {
        return world.until(seconds, [&] { return done(link->snapshot()); });
    }
    VirtualWorld world;
    std::unique_ptr<VehicleLink> link;
    std::unique_ptr<LinkedStandIn> aircraft;

  private:
    static StandInOptions own(const Plan& plan, double amsl, double pace) {
        StandInOptions o;
        o.pace = pace;
        o.terrain = island();
        o.home = plan.home->position;
        o.home_amsl_m = amsl;
        o.vehicle = plan.vehicle;
        return o;
    }
    static families::AircraftOptions real(const FamilyKind& kind, const Plan& plan, double amsl, double pace) {
        families::AircraftOptions o;
        o.family = kind.family == 3    ? families::familyThree(kind.body)
                   : kind.family == 12 ? families::familyTwelve(kind.body)
                                       : families::familyPlain(kind.body);
        o.pace = pace;
        o.terrain = island();
        o.home = plan.home->position;
        o.home_amsl_m = amsl;
        // It is thrown, or stands on its runway, towards where it goes first.
        for (const Item& item : plan.items)
            if (item.kind != ItemKind::takeOff && hasPosition(item.kind)) {
                o.heading_deg = bearing_deg(plan.home->position, item.position);
                break;
            }
        return o;
    }
};

Item at(Plan& plan, ItemKind kind, double bearing, double away_m, Height height) {
    Item item;
    item.id = plan.newId();
    item.kind = kind;
    item.position = destination(kHome, bearing, away_m);
    item.height = height;
    return item;
}

/// Take-off and return; `fill` puts between them what is flown.
Plan made(const std::function<void(Plan&)>& fill) {
    Plan plan;
    plan.home = Home{kHome, island()->sample(kHome)};
    plan.vehicle.battery_wh = 1000;
    plan.items.push_back(at(plan, ItemKind::takeOff, 0, 0, Height::aboveHome(40)));
    fill(plan);
    plan.items.push_back(at(plan, ItemKind::returnHome, 0, 0, Height::aboveHome(60)));
    return plan;
}

/// As one that flies on wings, so many times as large: they need room to climb and turn.
Plan winged(Plan plan, double larger = 3) {
    plan.vehicle = skimmer();
    plan.vehicle.battery_wh = 1000;
    plan.defaults.speed_mps = plan.vehicle.cruise_mps;
    const auto out = [&](GeoPoint& at) {
        at = destination(kHome, bearing_deg(kHome, at), larger * distance_m(kHome, at));
    };
    for (Item& item : plan.items) {
        if (hasPosition(item.kind)) out(item.position);
        item.radius_m = std::max(item.radius_m, 60.0);
    }
    for (Fence& fence : plan.fences) {
        for (GeoPoint& corner : fence.outline) out(corner);
        fence.radius_m *= larger;
    }
    return plan;
}

Plan pointsOnly() {
    return made([](Plan& p) {
        for (const double bearing : {300.0, 330.0, 0.0, 30.0})
            p.items.push_back(at(p, ItemKind::waypoint, bearing, 250, Height::aboveHome(60.25)));
        Item hold = at(p, ItemKind::hold, 60, 150, Height::aboveHome(50));
        hold.hold_s = 7.6;
        p.items.push_back(hold);
    });
}
Plan everyKind() {
    return made([](Plan& p) {
        p.items.push_back(at(p, ItemKind::waypoint, 320, 200, Height::aboveHome(50)));
        p.items.back().actions = {PhotoNow{}, GimbalPitch{-60}, Video{true}};
        Item turns = at(p, ItemKind::holdTurns, 340, 250, Height::aboveHome(60));
        turns.turns = 2;
        turns.radius_m = 40;
        p.items.push_back(turns);
        p.items.push_back(at(p, ItemKind::waypoint, 10, 250, Height::aboveHome(60)));
        p.items.back().actions = {PhotoEvery{20}, Delay{3}};
        p.items.push_back(at(p, ItemKind::loiterToHeight, 30, 220, Height::aboveHome(80)));
        p.items.push_back(at(p, ItemKind::waypoint, 50, 150, Height::amsl(140)));
        p.items.back().actions = {PhotoEvery{0}, Video{false}};
    });
}
/// A loop of two turns inside a loop of two turns.
Plan enteredTwice() {
    return made([](Plan& p) {
        for (const double bearing : {320.0, 350.0, 20.0})
            p.items.push_back(at(p, ItemKind::waypoint, bearing, 200, Height::aboveHome(50)));
        p.items[3].actions.push_back(Repeat{p.items[2].id, 2});
        p.items.push_back(at(p, ItemKind::waypoint, 60, 150, Height::aboveHome(50)));
        p.items[4].actions.push_back(Repeat{p.items[1].id, 1});
    });
}
/// The same for wings: no loop leads straight back, where it could turn either way.
Plan roundTwice() {
    return made([](Plan& p) {
        for (const auto& [bearing, away_m] : {std::pair{315.0, 140.0}, {337.0, 250.0}, {23.0, 250.0}, {45.0, 140.0}})
            p.items.push_back(at(p, ItemKind::waypoint, bearing, away_m, Height::aboveHome(50)));
        p.items[4].actions.push_back(Repeat{p.items[1].id, 2});
        p.items.push_back(at(p, ItemKind::waypoint, 0, 30, Height::aboveHome(50)));
        p.items[5].actions.push_back(Repeat{p.items[1].id, 1});
    });
}
/// Over the island's hills, 70 m above whatever is below.
Plan alongTheGround(double last_bearing = 60, double last_m = 300) {
    return made([=](Plan& p) {
        for (const auto& [bearing, away_m] : {std::pair{320.0, 640.0}, {14.0, 1240.0}, {55.0, 1500.0}})
            p.items.push_back(at(p, ItemKind::waypoint, bearing, away_m, Height::aboveGround(70)));
        p.items.push_back(at(p, ItemKind::waypoint, last_bearing, last_m, Height::aboveHome(120)));
    });
}
/// Along a valley whose floor changes slower than a wing climbs, and come to straight on.
Plan alongTheValley() {
    return made([](Plan& p) {
        p.items.push_back(at(p, ItemKind::waypoint, 285.9, 728, Height::aboveHome(82.5)));
        for (const auto& [bearing, away_m] : {std::pair{280.8, 1069.0}, {276.9, 1662.0}})
            p.items.push_back(at(p, ItemKind::waypoint, bearing, away_m, Height::aboveGround(100)));
        p.items.push_back(at(p, ItemKind::waypoint, 250, 900, Height::aboveHome(120)));
    });
}
Plan withHeading() {
    return made([](Plan& p) {
        p.items.push_back(at(p, ItemKind::waypoint, 320, 150, Height::aboveHome(50)));
        p.items.back().actions = {SetHeading{123.4}};
        p.items.push_back(at(p, ItemKind::waypoint, 20, 150, Height::aboveHome(50)));
    });
}
Plan fenced() {
    Plan plan = pointsOnly();
    Fence in;
    in.id = plan.newId();
    for (const double bearing : {0.0, 90.0, 180.0, 270.0}) in.outline.push_back(destination(kHome, bearing, 900));
    Fence out;
    out.id = plan.newId();
    out.kind = FenceKind::keepOut;
    out.outline = {destination(kHome, 180, 400)};
    out.radius_m = 55.5;
    plan.fences = {in, out};
    plan.rally.push_back({plan.newId(), "", destination(kHome, 90, 120), Height::aboveHome(31.4), ""});
    return plan;
}

/// Not brought home by its last item.
Plan leftOpen(AtEnd end) {
    Plan plan = pointsOnly();
    plan.items.pop_back();
    plan.at_end = end;
    return plan;
}

struct FamilyCase {
    std::string name;
    Plan plan;
};
std::vector<FamilyCase> familyCases() {
    std::vector<FamilyCase> out;
    for (const char* name :
         {"coast", "lighthouse-face", "lighthouse-rings", "patrol", "quarry", "seawall", "shakedown"}) {
        auto plan = loadPlan(demo(std::string(name) + ".anhinga.geojson"));
        REQUIRE(plan);
        out.push_back({name, std::move(*plan)});
    }
    out.push_back({"points and a hold", pointsOnly()});
    out.push_back({"points and a hold, for wings", winged(pointsOnly())});
    out.push_back({"fences and a rally point, for wings", winged(fenced())});
    out.push_back({"a repeat entered twice, for wings", winged(roundTwice())});
    out.push_back({"every kind of item", everyKind()});
    out.push_back({"a repeat entered twice", enteredTwice()});
    out.push_back({"a heading at a point", withHeading()});
    out.push_back({"fences and a rally point", fenced()});
    out.push_back({"above the ground", alongTheGround()});
    out.push_back({"above the ground, for wings", winged(alongTheGround(100, 900), 1)});
    out.push_back({"along a valley above its ground, for wings", winged(alongTheValley(), 1)});
    out.push_back({"waits at its end", leftOpen(AtEnd::waitThere)});
    out.push_back({"waits over home, for wings", winged(leftOpen(AtEnd::returnAndWait))});
    out.push_back({"lands at its end", leftOpen(AtEnd::landThere)});
    return out;
}

struct FamilyFlight {
    bool verified = false, ended = false;
    double path_m = 0, height_m = 0, missed_m = 0;
    double low_m = 0, high_m = 0;  // against the height above ground asked for, on legs that follow it
    std::vector<Unsaid> refused;
};

/// How far what was flown on the route lies from the rehearsal's line, and how far it stays away from places it should
/// pass, metres.
void compareTrack(FamilyFlight& out, const Plan& plan, const PlanView& view,
                  const std::vector<families::Aircraft::Flown>& track, int family) {
    const int before_first = family == 3 ? 0 : 1;  // items of the plan's list that are none aboard: home

    // As "Take into the plan" does.
    Plan as_aboard = plan;
    as_aboard.traits.ways.acceptance_m = hovers(plan.vehicle.kind) ? 2 : 30;
    FlightProgram program = view.program;
    if (family == 3)  // keeps whole seconds, which the seal says
        for (ProgramStep& step : program.steps)
            if (auto* leg = std::get_if<ProgramLeg>(&step.what)) leg->hold_s = std::round(leg->hold_s);
    const auto r = rehearse(as_aboard, program, island());
    REQUIRE(r);
    const LocalFrame frame(plan.home->position);
    std::vector<Vec2> line;
    std::vector<double> high;
    const Channel &lat = *r->log->find("position.lat_deg"), &lon = *r->log->find("position.lon_deg");
    const Channel& amsl = *r->log->find("position.height_amsl_m");
    constexpr double kEvery_s = 0.24;  // a chord of a wing's turn is within 0.1 m of it
    double last = -1;
    for (std::size_t i = 0; i < lat.t_s.size(); ++i) {
        if (lat.t_s[i] - last < kEvery_s) continue;
        last = lat.t_s[i];
        line.push_back(frame.toLocal({lat.value[i], lon.at(last).value_or(0)}));
        high.push_back(amsl.at(last).value_or(0));
    }
    std::vector<Vec2> places;
    for (const ProgramStep& step : view.program.steps)
        if (const ProgramLeg* leg = step.leg();
            leg != nullptr && ((leg->kind == LegKind::pass && !leg->spline) || leg->kind == LegKind::hold))
            places.push_back(frame.toLocal(leg->place));
    std::vector<double> nearest(places.size(), INFINITY);
    const bool rotors = hovers(plan.vehicle.kind);
    int first_place = 0;
    for (std::size_t k = 0; k < view.program.steps.size() && first_place == 0; ++k)
        if (const ProgramLeg* leg = view.program.steps[k].leg(); leg != nullptr && leg->kind != LegKind::takeOff)
            first_place = view.program.numberOf(k);
    last = -1;
    for (const auto& f : track) {
        if (!f.on_route) continue;
        const Vec2 here = frame.toLocal(f.place);
        for (std::size_t p = 0; p < places.size(); ++p) nearest[p] = std::min(nearest[p], length(here - places[p]));
        if (f.t_s - last < 0.5) continue;
        last = f.t_s;
        double best = INFINITY, path = 0, height = 0;
        for (std::size_t k = 0; k + 1 < line.size(); ++k) {
            const auto near = distanceToSegment(here, line[k], line[k + 1]);
            const double h = std::abs(f.amsl_m - (high[k] + (high[k + 1] - high[k]) * near.along));
            if (std::hypot(near.distance_m, h) >= best) continue;
            best = std::hypot(near.distance_m, h);
            path = near.distance_m;
            height = h;
        }
        out.path_m = std::max(out.path_m, path);
        // How steeply a wing climbs out is its own; it is level with the rehearsal from the first place on.
        if (rotors || f.item + before_first > first_place) out.height_m = std::max(out.height_m, height);
    }
    for (const GroundLeg& leg : view.program.ground_legs)
        for (const auto& f : track) {
            if (!f.on_route) continue;
            const auto near = distanceToSegment(frame.toLocal(f.place), frame.toLocal(leg.from), frame.toLocal(leg.to));
            const auto ground = island()->sample(f.place);
            constexpr double kOnLeg_m = 12, kPastEnds = 0.01;
            if (near.distance_m > kOnLeg_m || near.along < kPastEnds || near.along > 1 - kPastEnds || !ground) continue;
            const double off = f.amsl_m - *ground - (leg.from_m + (leg.to_m - leg.from_m) * near.along);
            out.low_m = std::min(out.low_m, off);
            out.high_m = std::max(out.high_m, off);
        }
    for (const double m : nearest) out.missed_m = std::max(out.missed_m, m);
}

FamilyFlight handAndFly(const FamilyKind& kind, const Plan& plan) {
    FamilyFlight out;
    const PlanView view = viewOf(plan, island().get());
    REQUIRE(view.sendable());
    // Heights that cannot be flown as asked are a stop: nothing is sent unless that is accepted.
    if (!view.program.ground_legs.empty()) {
        const auto flown = withFlights(beginAnalysis(std::make_shared<const Plan>(plan), island()));
        REQUIRE(flown);
        for (const Finding& f : stopsBefore(*flown, 0))
            if (f.rule == "above-ground") out.refused.push_back({0, f.message});
    }
    const bool fits = kind.family < 0 || (kind.body == families::Body::wing) == !hovers(plan.vehicle.kind);
    if (!out.refused.empty() && fits) return out;
    Meeting sky(kind, plan);
    const auto h = handOver(*sky.link, view.toSend(plan), {}, nullptr, translationInput(plan, island()));
    REQUIRE(h);
    if (!h->refused.empty()) out.refused = h->refused;
    REQUIRE((out.refused.empty() || !h->refused.empty()));
    if (!h->refused.empty()) {
        // Nothing was sent: it holds nothing.
        if (kind.family >= 0) CHECK(sky.aircraft->aircraft().held(families::route).empty());
        return out;
    }
    for (const MissionDifference& d : h->differences) {
        CAPTURE(d.type, d.seq, d.field, d.plan, d.vehicle);
        CHECK(d.field.empty());
    }
    CHECK(h->objection == "");
    out.verified = h->verified;
    if (!out.verified) return out;
    REQUIRE(commandArm(*sky.link));
    REQUIRE(commandStart(*sky.link));
    const ProgramLeg* last = view.program.steps.back().leg();
    if (last != nullptr && last->kind == LegKind::stay) {
        // For ever: it is there, and still there and in the air a while later.
        const bool wing = plan.vehicle.kind == VehicleKind::fixedWing;
        const auto there = [&](const VehicleSnapshot& v) {
            return v.position && v.armed && distance_m(*v.position, last->place) < (wing ? 150 : 5) &&
                   std::abs(v.amsl_m.value_or(0) - last->amsl_m.value_or(-1)) < 5 &&
                   v.mission_item == view.program.numberOf(view.program.steps.size() - 1);
        };
        out.ended = sky.until(400, there);
        bool left = false;
        (void)sky.until(10, [&](const VehicleSnapshot& v) {
            left = left || !there(v);
            return false;
        });
        out.ended = out.ended && !left;
        if (kind.family >= 0) compareTrack(out, plan, view, sky.aircraft->aircraft().flown(), kind.family);
        return out;
    }
    if (kind.family < 0) {
        out.ended = sky.until(400, [](const VehicleSnapshot& v) { return v.disarmed_at_s.has_value(); });
        return out;
    }
    // Until it leaves the route: lands, returns, or stays at its end.
    const families::Aircraft& aircraft = sky.aircraft->aircraft();
    REQUIRE(sky.until(20, [&](const VehicleSnapshot&) { return aircraft.onRoute(); }));
    out.ended = sky.until(120, [&](const VehicleSnapshot&) { return !aircraft.onRoute(); });
    compareTrack(out, plan, view, aircraft.flown(), kind.family);
    return out;
}

}  // namespace

TEST_CASE("every plan is sealed and flown by every family's aircraft, or refused before anything is sent",
          "[link][family]") {
    std::string table = "| plan |";
    for (const FamilyKind& k : kAircraft) table += fmt::format(" {} |", k.name);
    table += "\n|---|";
    for (std::size_t i = 0; i < std::size(kAircraft); ++i) table += "---|";
    table += "\n";
    int flown = 0;
    for (const FamilyCase& c : familyCases()) {
        table += fmt::format("| {} |", c.name);
        for (const FamilyKind& k : kAircraft) {
            INFO(c.name << ", " << k.name);
            const FamilyFlight f = handAndFly(k, c.plan);
            if (!f.refused.empty()) {
                CHECK_FALSE(f.refused.front().reason.empty());
                table += fmt::format(" refused: {} |", f.refused.front().reason);
                continue;
            }
            ++flown;
            CHECK(f.verified);
            CHECK(f.ended);
            table += " sealed and flown |";
            if (k.family < 0) continue;
            CAPTURE(f.path_m, f.height_m, f.missed_m);
            const bool wing = k.body == families::Body::wing;
            CHECK(f.missed_m < (wing ? 65 : 5));  // a wing circles a place to hold there
            CHECK(f.path_m < 5);
            CHECK(f.height_m < 5);
            CAPTURE(f.low_m, f.high_m);
            CHECK(f.low_m >= -3);
            CHECK(f.high_m <= 3);
        }
        table += "\n";
    }
    CHECK(flown > 40);
    const std::string file = std::string(DEMO_DIR) + "/../../docs/autopilots.md";
    const std::string begin = "<!-- table: plans and aircraft -->\n", end = "<!-- end of table -->";
    std::string doc = slurp(file);
    const auto from = doc.find(begin), to = doc.find(end);
    REQUIRE(from != std::string::npos);
    REQUIRE(to != std::string::npos);
    if (std::getenv("ANHINGA_WRITE_DOCS") != nullptr) {
        doc.replace(from + begin.size(), to - from - begin.size(), table);
        spit(file, doc);
    }
    CHECK(doc.substr(from + begin.size(), to - from - begin.size()) == table);
}

TEST_CASE("orders reach every family's aircraft as it takes them, or it is said that they cannot", "[link][family]") {
    for (const FamilyKind& k : kAircraft) {
        if (k.family <= 0) continue;
        const Plan plan = k.body == families::Body::wing ? winged(pointsOnly()) : pointsOnly();
        const PlanView view = viewOf(plan, island().get());
        REQUIRE(view.sendable());
        INFO(k.name);
        Meeting sky(k, plan, 4);
        VehicleLink& link = *sky.link;
        REQUIRE(handOver(link, view.toSend(plan), {}, nullptr, translationInput(plan, island())));
        REQUIRE(commandArm(link));
        REQUIRE(commandStart(link));
        REQUIRE(sky.until(10, [](const auto& v) { return modeKind(v) == ModeKind::mission; }));
        REQUIRE(sky.until(60, [](const auto& v) { return v.mission_item && *v.mission_item >= 3; }));
        const auto still = [&] {
            const auto then = link.snapshot();
            return sky.until(30, [&](const auto& v) {
                return v.ground_mps.value_or(9) < 0.3 ||
                       (k.body == families::Body::wing && modeKind(v) == ModeKind::hold);
            }) && then.heard;
        };
        REQUIRE(commandPause(link));
        CHECK(still());
        REQUIRE(commandPause(link));  // twice is once
        CHECK(still());
        const int held_at = link.snapshot().mission_item.value_or(-1);
        REQUIRE(commandResume(link));
        CHECK(sky.until(40, [&](const auto& v) { return v.mission_item && *v.mission_item > held_at; }));
        REQUIRE(commandSpeed(link, k.body == families::Body::wing ? 18 : 6));
        REQUIRE(commandGoTo(link, destination(kHome, 0, 300), 70));
        CHECK(sky.until(80, [&](const auto& v) {
            return v.position && distance_m(*v.position, destination(kHome, 0, 300)) < 80 &&
                   std::abs(v.height_home_m.value_or(0) - 70) < 2;
        }));
        REQUIRE(commandHeight(link, 55));
        CHECK(sky.until(40, [](const auto& v) { return std::abs(v.height_home_m.value_or(0) - 55) < 2; }));
        // By the modes that were asked for, as the family numbers them; none that ends the flight.
        REQUIRE(commandReturn(link));
        CHECK(sky.until(10, [](const auto& v) { return modeKind(v) == ModeKind::returnHome; }));
        for (const std::uint32_t mode : sky.aircraft->aircraft().modes())
            CHECK(mavlink::modeKind(k.family, link.snapshot().type, mode) != ModeKind::ended);
    }
    // The common set has no such orders: that is said, and nothing of another family is tried.
    Meeting sky(kAircraft[1], pointsOnly(), 4);
    for (const auto& refused :
         {commandPause(*sky.link), commandGoTo(*sky.link, kHome, 50), commandTakeOff(*sky.link, 20)}) {
        REQUIRE_FALSE(refused);
        CHECK(refused.error().code == ErrorCode::unsupported);
    }
    CHECK(sky.aircraft->aircraft().modes().empty());
}

TEST_CASE("an aircraft that does not sign is said not to, and is talked to as before", "[link][family][signing]") {
    Meeting sky(kAircraft[5], pointsOnly(), 4);
    const auto refused = commandSetupSigning(*sky.link, mavlink::signingKey("heron"));
    REQUIRE_FALSE(refused);
    CHECK(refused.error().code == ErrorCode::unsupported);
    CHECK_FALSE(sky.link->isSigned());
    REQUIRE(commandArm(*sky.link));
    CHECK(sky.until(3, [](const VehicleSnapshot& v) { return v.armed; }));
}

TEST_CASE("a list that is taken and then called not valid is not sealed", "[link][family]") {
    Plan plan = made([](Plan& p) { p.items.push_back(at(p, ItemKind::waypoint, 0, 200, Height::aboveHome(50))); });
    // What comes before the take-off is objected to by family 12 once it has the list.
    std::swap(plan.items[0], plan.items[1]);
    const PlanView view = viewOf(plan, island().get());
    REQUIRE(view.sendable());
    Meeting sky(kAircraft[5], plan);
    const auto h = handOver(*sky.link, view.toSend(plan), {}, nullptr, translationInput(plan, island()));
    REQUIRE(h);
    CHECK(h->differences.empty());
    CHECK(h->objection.find("rejected") != std::string::npos);
    CHECK_FALSE(h->verified);
}

TEST_CASE("parameters that come before the aircraft has said how it packs them are read right", "[link][family]") {
    for (const FamilyKind& kind : {kAircraft[2], kAircraft[5]}) {
        INFO(kind.name);
        Meeting early(kind, pointsOnly(), 60, false), late(kind, pointsOnly());
        const auto first = readParameters(*early.link), then = readParameters(*late.link);
        REQUIRE(first);
        REQUIRE(then);
        REQUIRE(first->size() == then->size());
        int whole = 0;
        for (const auto& [name, p] : *first) {
            INFO(name);
            CHECK(p.value == then->at(name).value);
            whole += p.type <= 6 && p.value >= 1 && p.value == std::round(p.value);
        }
        CHECK(whole > 0);
    }
}

TEST_CASE("a log fetched from every family's aircraft tells the flight as it flew it", "[link][family][log]") {
    for (const FamilyKind& k : kAircraft) {
        if (k.family <= 0) continue;
        INFO(k.name);
        const Plan plan = k.body == families::Body::wing ? winged(pointsOnly()) : pointsOnly();
        const PlanView view = viewOf(plan, island().get());
        Meeting sky(k, plan, 20);
        CHECK(listLogs(*sky.link)->empty());
        REQUIRE(handOver(*sky.link, view.toSend(plan), {}, nullptr, translationInput(plan, island())));
        REQUIRE(commandArm(*sky.link));
        REQUIRE(commandStart(*sky.link));
        const families::Aircraft& aircraft = sky.aircraft->aircraft();
        REQUIRE(sky.until(20, [&](const VehicleSnapshot&) { return aircraft.onRoute(); }));
        REQUIRE(sky.until(120, [&](const VehicleSnapshot&) { return !aircraft.onRoute(); }));
        if (k.body == families::Body::wing) REQUIRE(commandLand(*sky.link));
        REQUIRE(sky.until(120, [&](const VehicleSnapshot& v) { return !v.armed; }));
        const auto logs = listLogs(*sky.link);
        REQUIRE(logs);
        REQUIRE(logs->size() == 1);
        TempDir dir;
        const std::string file = dir.path() + "/flight";
        REQUIRE(fetchLog(*sky.link, logs->front(), file));
        const auto log = openLog(file);
        REQUIRE(log);
        CHECK(((*log)->format.find("ULog") != std::string::npos) == (k.family == 12));
        if (k.family == 3) {
            const char* kind = k.body == families::Body::wing         ? "fixed wing"
                               : k.body == families::Body::helicopter ? "helicopter"
                                                                      : "multirotor";
            CHECK((*log)->vehicle.find(kind) != std::string::npos);
        }
        CHECK((*log)->damaged_bytes == 0);
        const auto flown = aircraft.flown();
        const Channel *lat = (*log)->find("position.lat_deg"), *lon = (*log)->find("position.lon_deg"),
                      *amsl = (*log)->find("position.height_amsl_m");
        REQUIRE((lat != nullptr && lon != nullptr && amsl != nullptr));
        REQUIRE(lat->value.size() > 200);
        double worst = 0;
        for (std::size_t i = 0; i < flown.size(); i += 7) {
            const double t = lat->t_s.front() + flown[i].t_s - flown.front().t_s;
            const auto a = lat->at(t), b = lon->at(t), h = amsl->at(t);
            if (!a || !b || !h) continue;
            worst = std::max({worst, distance_m({*a, *b}, flown[i].place), std::abs(*h - flown[i].amsl_m)});
        }
        CHECK(worst < 4);  // a tenth of a second at its speed, and the step of a log's clock
        bool mission = false;
        for (const ModeChange& m : (*log)->modes) mission = mission || m.name == "mission";
        CHECK(mission);
    }
}

TEST_CASE("an aircraft that knows no whole numbers for places is told them in single precision, and that is said",
          "[link][family]") {
    const FamilyKind plain = kAircraft[1];
    const Plan plan = pointsOnly();
    const PlanView view = viewOf(plan, island().get());
    Meeting sky(plain, plan);
    const auto h = handOver(*sky.link, view.toSend(plan), {}, nullptr, translationInput(plan, island()));
    REQUIRE(h);
    REQUIRE(h->verified);
    int rounded = 0;
    for (const KeptField& k : h->kept)
        if (k.why.find("single precision") != std::string::npos) {
            ++rounded;
            CHECK((k.field == "x" || k.field == "y"));
            CHECK(std::abs(k.plan - k.vehicle) <= 20);  // 1e-7 degrees: half a step of a float near 47
        }
    CHECK(rounded > 3);
    // What it holds is where the plan has it, within that.
    int near = 0;
    for (const families::Kept& i : sky.aircraft->aircraft().held(families::route)) {
        const GeoPoint place{i.x * 1e-7, i.y * 1e-7};
        for (const Item& item : plan.items)
            if (hasPosition(item.kind) && i.command == 16) near += distance_m(place, item.position) < 0.4;
    }
    CHECK(near >= 4);
    const auto again = compareHeld(*sky.link, view.toSend(plan), {}, translationInput(plan, island()));
    REQUIRE(again);
    CHECK(again->verified);
}
