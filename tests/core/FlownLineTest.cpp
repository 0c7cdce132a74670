// The line that is drawn and checked is the line that is flown.
#include <catch2/catch.hpp>

#include "Planned.h"
#include "core/check/Check.h"
#include "core/flight/Rehearse.h"
#include "core/geo/Polygon.h"
#include "core/plan/PlanFile.h"
#include "core/program/Guidance.h"
#include "support.h"

using namespace anhinga;
using namespace anhinga::testing;

namespace {

struct Deviation {
    double level_m = 0, height_m = 0;
    std::string where;  // of the largest, for the message
};

/// How far a rehearsed track leaves the drawn line: nearest place of any leg, heights compared there.
Deviation deviation(const Plan& plan, std::shared_ptr<const Terrain> terrain = nullptr) {
    const PlanView v = viewOf(plan, terrain.get());
    REQUIRE(v.sendable());
    const auto r = rehearse(plan, v.program, terrain);
    REQUIRE(r);
    const FlightLog& log = *r->log;
    const Channel &lat = *log.find("position.lat_deg"), &lon = *log.find("position.lon_deg");
    const Channel& amsl = *log.find("position.height_amsl_m");
    Deviation worst;
    for (std::size_t i = 0; i < lat.value.size(); ++i) {
        const Vec2 at = v.path.frame.toLocal({lat.value[i], lon.value[i]});
        double best = INFINITY, height = 0;
        for (const PathLeg& leg : v.path.legs)
            for (std::size_t k = leg.line_from + 1; k < leg.line_to; ++k) {
                const LinePoint &a = v.path.line[k - 1], &b = v.path.line[k];
                const auto d = distanceToSegment(at, a.local, b.local);
                // Of legs one above the other the one nearest in height counts.
                double off = 0;
                if (a.amsl_m && b.amsl_m) {
                    const double low = std::min(*a.amsl_m, *b.amsl_m), high = std::max(*a.amsl_m, *b.amsl_m);
                    const double on = *a.amsl_m + (*b.amsl_m - *a.amsl_m) * d.along;
                    off = leg.climb ? std::max({0.0, low - amsl.value[i], amsl.value[i] - high})
                                    : std::abs(on - amsl.value[i]);
                }
                const double score = d.distance_m + off;
                if (score < best) {
                    best = score;
                    height = off;
                }
            }
        if (best - height > worst.level_m)
            worst.where = fmt::format("{:.1f} s, east {:.1f} north {:.1f}, item {}", lat.t_s[i], at.x, at.y,
                                      log.find("mission.item")->at(lat.t_s[i]).value_or(-1));
        worst.level_m = std::max(worst.level_m, best - height);
        worst.height_m = std::max(worst.height_m, height);
    }
    return worst;
}

Plan zigzag(double turn_deg, double speed, double acceptance) {
    Plan plan = rowPlan(0);
    plan.items.pop_back();
    plan.defaults.speed_mps = speed;
    plan.defaults.acceptance_m = acceptance;
    GeoPoint at = plan.home->position;
    double bearing = 40;
    for (int i = 0; i < 8; ++i) {
        at = destination(at, bearing, 120);
        bearing += i % 2 == 0 ? turn_deg : -turn_deg;
        Item w;
        w.id = plan.newId();
        w.position = at;
        w.height = Height::aboveHome(40 + 10.0 * (i % 3));
        plan.items.push_back(w);
    }
    Item back;
    back.id = plan.newId();
    back.kind = ItemKind::returnHome;
    plan.items.push_back(back);
    return plan;
}

}  // namespace

TEST_CASE("corners are drawn as they are flown", "[mission][path][flown]") {
    for (const double turn : {15.0, 45.0, 90.0, 135.0, 175.0})
        for (const double speed : {4.0, 8.0, 14.0})
            for (const double acceptance : {2.0, 8.0}) {
                INFO(turn << " deg, " << speed << " m/s, " << acceptance << " m");
                const Deviation d = deviation(zigzag(turn, speed, acceptance));
                INFO(d.where);
                CHECK(d.level_m < 1.2 + 0.2 * acceptance);
                CHECK(d.height_m < 2.5);
            }
}

TEST_CASE("a turn drawn as a chord would be wrong by metres where the drawn line is right", "[mission][path][flown]") {
    const Plan plan = zigzag(90, 14, 8);
    const Path path = pathIn(plan);
    double off = 0;  // of the drawn line from the corners' chords
    for (const LinePoint& p : path.line) {
        double nearest = INFINITY;
        for (const PathLeg& leg : path.legs)
            nearest = std::min(nearest, distanceToSegment(p.local, path.frame.toLocal(path.points[leg.from].position),
                                                          path.frame.toLocal(path.points[leg.to].position))
                                            .distance_m);
        off = std::max(off, nearest);
    }
    CHECK(off > 1.5);
}

TEST_CASE("splines, circles and height changes are drawn as they are flown", "[mission][path][flown][spline]") {
    Plan plan = rowPlan(6);
    for (std::size_t i : {2u, 3u, 4u}) plan.items[i].spline = true;
    plan.items[3].position = destination(plan.items[3].position, 0, 90);
    plan.items[4].position = destination(plan.items[4].position, 180, 60);
    plan.items[5].kind = ItemKind::holdTurns;
    plan.items[5].turns = -2.25;
    plan.items[5].radius_m = 35;
    plan.items[6].kind = ItemKind::loiterToHeight;
    plan.items[6].height = Height::aboveHome(95);
    const Deviation d = deviation(plan);
    INFO(d.where);
    CHECK(d.level_m < 1.2);
    CHECK(d.height_m < 2.5);
    // The spline passes its points and the circle keeps its radius.
    const Path path = pathIn(plan);
    for (const PathLeg& leg : path.legs) {
        if (!leg.curve) continue;
        CHECK(leg.line_to - leg.line_from > 10);
        if (leg.source == plan.items[5].id) {
            const Vec2 c = path.frame.toLocal(plan.items[5].position);
            for (std::size_t k = leg.line_from; k < leg.line_to; ++k)
                CHECK(length(path.line[k].local - c) == Approx(35).margin(0.05));
        }
    }
}

TEST_CASE("how far it swings out where a circle is left at speed is drawn", "[mission][path][flown]") {
    double swing = 0;
    for (const double bearing : {10.0, 100.0, 190.0, 280.0})
        for (const double turns : {1.0, -2.0}) {
            INFO(bearing << ", " << turns << " turns");
            Plan plan = rowPlan(2);
            Item circle = plan.items[1];
            circle.id = plan.newId();
            circle.kind = ItemKind::holdTurns;
            circle.position = destination(plan.items[2].position, 0, 200);
            circle.turns = turns;
            circle.radius_m = 40;
            Item then = plan.items[1];
            then.id = plan.newId();
            then.position = destination(circle.position, bearing, 250);
            plan.items.insert(plan.items.begin() + 3, {circle, then});
            const Deviation d = deviation(plan);
            INFO(d.where);
            CHECK(d.level_m < 3.5);
            const Path path = pathIn(plan);
            const auto out = std::find_if(path.legs.begin(), path.legs.end(),
                                          [&](const PathLeg& leg) { return leg.source == then.id; });
            REQUIRE(out != path.legs.end());
            for (std::size_t k = out->line_from; k < out->line_to; ++k)
                swing = std::max(
                    swing, distanceToSegment(path.line[k].local, path.frame.toLocal(path.points[out->from].position),
                                             path.frame.toLocal(path.points[out->to].position))
                               .distance_m);
        }
    CHECK(swing > 8);  // to somewhere behind it
    CHECK(swing < 20);
}

TEST_CASE("repeat legs and the demo patrol are drawn as they are flown", "[mission][path][flown][demo]") {
    const auto terrain = Terrain::open({demo("quillmere-elevation.tif")});
    REQUIRE(terrain);
    const auto plan = loadPlan(demo("patrol.anhinga.geojson"));
    REQUIRE(plan);
    const Deviation d = deviation(*plan, *terrain);
    INFO(d.where);
    CHECK(d.level_m < 1.3);
    CHECK(d.height_m < 2.5);
}

TEST_CASE("a fence only the corner's swing breaks is found", "[check][fence][flown]") {
    Plan plan = zigzag(90, 14, 8);
    const Path path = pathIn(plan);
    // A thin keep-out strip beside the first outgoing leg, where the chord does not go but the swing does.
    const PathLeg& out = path.legs[2];
    const Vec2 from = path.frame.toLocal(path.points[out.from].position),
               to = path.frame.toLocal(path.points[out.to].position);
    const Vec2 along = unit(to - from), side{-along.y, along.x};
    double swing = 0;
    Vec2 where;
    for (std::size_t k = out.line_from; k < out.line_to; ++k) {
        const double s = std::abs(dot(path.line[k].local - from, side));
        if (dot(path.line[k].local - from, along) > 0 && s > swing) {
            swing = s;
            where = path.line[k].local;
        }
    }
    REQUIRE(swing > 0.8);
    Fence fence;
    fence.id = plan.newId();
    fence.kind = FenceKind::keepOut;
    fence.outline = {path.frame.toGeo(where)};
    fence.radius_m = 0.4 * swing;
    plan.fences = {fence};
    const PlanView v = viewOf(plan, nullptr);
    int n = 0;
    for (const Finding& f : check({plan, v, nullptr})) n += f.rule == "fence-crossing";
    CHECK(n >= 1);
}

TEST_CASE("curves begin and end where and how they should", "[mission][guidance]") {
    const auto c = splineCurve({0, 0}, {0, 1}, {100, 0}, {1, 0}, 3);
    CHECK(length(c.front()) == Approx(0).margin(1e-9));
    CHECK(length(c.back() - Vec2{100, 0}) == Approx(0).margin(1e-9));
    CHECK(unit(c[1] - c[0]).y > 0.97);
    CHECK(unit(c[c.size() - 1] - c[c.size() - 2]).x > 0.97);
    const auto circle = circleCurve({50, 0}, {0, 0}, 20, 1, 3);
    CHECK(length(circle.front() - Vec2{20, 0}) < 1e-9);
    CHECK(length(circle.back() - circle.front()) < 1e-9);
    CHECK(circle[1].y < 0);  // clockwise from the east goes south
    CHECK(circleCurve({50, 0}, {0, 0}, 20, -1, 3)[1].y > 0);
    CHECK(circleCurve({0, 0}, {0, 0}, 20, 1, 3).front() == Vec2{0, 20});
    CHECK(cornerSpeed({1, 0}, {1, 0}, 9, 2, GuidanceLimits{}) == 9);
    CHECK(cornerSpeed({1, 0}, {-1, 0}, 9, 2, GuidanceLimits{}) < 0.1);
    CHECK(cornerSpeed({1, 0}, {}, 9, 2, GuidanceLimits{}) == 0);
}
