#include "core/plan/Templates.h"

namespace anhinga {

namespace {

Plan withHome(const char* title, GeoPoint home) {
    Plan plan;
    plan.title = title;
    plan.home = Home{home, {}};
    return plan;
}

Item& add(Plan& plan, ItemKind kind) {
    Item item;
    item.id = plan.newId();
    item.kind = kind;
    plan.items.push_back(item);
    return plan.items.back();
}

Item& waypoint(Plan& plan, double bearing_deg, double distance_m, Height height) {
    Item& item = add(plan, ItemKind::waypoint);
    item.position = destination(plan.home->position, bearing_deg, distance_m);
    item.height = height;
    return item;
}

Plan empty(GeoPoint home) {
    return withHome("Untitled", home);
}

Plan patrol(GeoPoint home) {
    Plan plan = withHome("Patrol", home);
    add(plan, ItemKind::takeOff).height = Height::aboveHome(40);
    ItemId first = 0;
    for (const double bearing : {45.0, 135.0, 225.0, 315.0}) {
        const ItemId id = waypoint(plan, bearing, 200, Height::aboveHome(60)).id;
        if (first == 0) first = id;
    }
    plan.items.back().actions.push_back(Repeat{first, 2});
    add(plan, ItemKind::returnHome);
    return plan;
}

Plan survey(GeoPoint home) {
    Plan plan = withHome("Survey of an area", home);
    add(plan, ItemKind::takeOff).height = Height::aboveHome(40);
    Item& block = add(plan, ItemKind::block);
    block.height = Height::aboveGround(70);
    const LocalFrame frame(home);
    for (const Vec2 corner : {Vec2{-120, 60}, Vec2{120, 60}, Vec2{120, 240}, Vec2{-120, 240}})
        block.pattern.edit().outline.push_back(frame.toGeo(corner));
    block.pattern.edit().heading_deg = 90;
    add(plan, ItemKind::returnHome);
    return plan;
}

Plan lookAround(GeoPoint home) {
    Plan plan = withHome("Look around a place", home);
    add(plan, ItemKind::takeOff).height = Height::aboveHome(30);
    const GeoPoint middle = destination(home, 0, 120);
    for (int k = 0; k < 8; ++k) {
        Item& item = add(plan, ItemKind::waypoint);
        item.position = destination(middle, 180 + k * 45.0, 40);
        item.height = Height::aboveHome(30);
        item.spline = true;
        if (k == 0) item.actions.push_back(LookAt{middle, Height::aboveGround(2), "the place"});
        if (k == 7) item.actions.push_back(LookAtStop{});
    }
    add(plan, ItemKind::returnHome);
    return plan;
}

}  // namespace

const std::vector<PlanTemplate>& planTemplates() {
    static const std::vector<PlanTemplate> table{{"Empty plan", "Home where the map is now", empty},
                                                 {"Patrol", "Four points flown three times", patrol},
                                                 {"Survey of an area", "A Block of photo lines", survey},
                                                 {"Look around a place", "Eight points, looking inwards", lookAround}};
    return table;
}

}  // namespace anhinga
