// Plans with a bit of everything, each from a seed.
#pragma once

#include <cmath>
#include <random>

#include "core/geo/Geo.h"
#include "core/plan/Plan.h"
#include "core/plan/ProfileLibrary.h"

namespace anhinga::testing {

/// Items, patterns, actions and repeats; with `all_kinds` also circles, climbs at a place, curves, waits and fixed
/// wings.
inline Plan randomPlan(unsigned seed, bool all_kinds = false) {
    std::mt19937 random(seed);
    const auto pick = [&](int n) { return static_cast<int>(random() % static_cast<unsigned>(n)); };
    const auto value = [&](double low, double high) {
        return low + (high - low) * static_cast<double>(random() % 10001) / 10000.0;
    };
    const GeoPoint homes[] = {{47.31, -20.12}, {-41.2, 179.9996}, {69.9, -179.9995}, {0.001, 0.001}, {-78, 12}};
    Plan plan;
    plan.home = Home{homes[seed % 5], value(-50, 400)};
    plan.defaults.speed_mps = std::round(value(3, 12) * 4) / 4;
    const bool wing = all_kinds && seed % 4 == 3;
    if (wing) plan.vehicle = skimmer();
    const int n = 2 + pick(12);
    for (int i = 0; i < n; ++i) {
        Item item;
        item.id = plan.newId();
        const int what = pick(10);
        item.kind = i == 0     ? ItemKind::takeOff
                    : what < 6 ? ItemKind::waypoint
                    : what < 8 ? ItemKind::hold
                               : ItemKind::block;
        if (all_kinds && i > 0 && pick(5) == 0)
            item.kind = pick(2) == 0 ? ItemKind::holdTurns : ItemKind::loiterToHeight;
        const double bearing = value(0, 360), distance = value(10, 800);  // in this order with every compiler
        item.position = destination(plan.home->position, bearing, distance);
        if (item.kind == ItemKind::hold) item.hold_s = pick(60);
        if (item.kind == ItemKind::holdTurns) {
            item.turns = pick(2) == 0 ? 2.0 : -1.0;
            item.radius_m = value(60, 120);
        }
        if (item.kind == ItemKind::block) {
            const GeoPoint c = item.position;
            for (int k = 0; k < 5; ++k) item.pattern.edit().outline.push_back(destination(c, k * 72.0, value(60, 140)));
            item.pattern.edit().heading_deg = pick(180);
        }
        if (pick(2) == 0) item.height = Height{std::round(value(20, 120)), static_cast<HeightRef>(pick(3))};
        if (item.kind != ItemKind::takeOff && pick(3) == 0) item.speed_mps = std::round(value(2, 12) * 4) / 4;
        if (pick(4) == 0) item.actions.push_back(PhotoNow{});
        if (pick(5) == 0) item.actions.push_back(LookAt{destination(item.position, 10, 50), Height::amsl(12), ""});
        if (pick(5) == 0) item.actions.push_back(LookAtStop{});
        if (pick(5) == 0) item.actions.push_back(GimbalPitch{-30});
        if (all_kinds) {
            if (item.kind == ItemKind::waypoint) item.spline = pick(4) == 0;
            if (pick(6) == 0) item.acceptance_m = value(1, 6);
            if (i > 0 && pick(6) == 0) item.actions.push_back(Delay{1.0 + pick(20)});
            if (pick(6) == 0) item.actions.push_back(SetHeading{1.0 * pick(360)});
            if (pick(6) == 0) item.actions.push_back(PhotoEvery{10.0 * pick(3)});
            if (pick(6) == 0) item.actions.push_back(PhotoInterval{3.0 * pick(2)});
            if (pick(8) == 0) item.actions.push_back(Video{pick(2) == 0});
            if (pick(8) == 0) item.actions.push_back(Servo{5, 1400 + pick(200)});
            if (pick(8) == 0) item.actions.push_back(Relay{pick(3), pick(2) == 0});
            if (pick(12) == 0) item.actions.push_back(RawCommand{2, 530, 0, 1, 0, 0, 0, 0, 0});
        }
        if (i > 1 && pick(3) == 0)
            item.actions.push_back(Repeat{plan.items[static_cast<std::size_t>(1 + pick(i - 1))].id, pick(4)});
        plan.items.push_back(item);
    }
    Item back;
    back.id = plan.newId();
    back.kind = pick(2) == 0 ? ItemKind::returnHome : ItemKind::land;
    back.position = plan.home->position;
    plan.items.push_back(back);
    return plan;
}

}  // namespace anhinga::testing
