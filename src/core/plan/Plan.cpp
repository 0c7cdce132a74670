#include "core/plan/Plan.h"

#include <fmt/format.h>

#include <algorithm>
#include <utility>

namespace anhinga {

const Item* Plan::find(ItemId id) const {
    const int index = indexOf(id);
    return index < 0 ? nullptr : &items[static_cast<std::size_t>(index)];
}

Item* Plan::find(ItemId id) {
    const int index = indexOf(id);
    return index < 0 ? nullptr : &items[static_cast<std::size_t>(index)];
}

int Plan::indexOf(ItemId id) const {
    for (std::size_t i = 0; i < items.size(); ++i)
        if (items[i].id == id) return static_cast<int>(i);
    return -1;
}

namespace {
template <class List>
auto findIn(List& list, ItemId id) -> decltype(list.data()) {
    for (auto& entry : list)
        if (entry.id == id) return &entry;
    return nullptr;
}
}  // namespace

const Fence* Plan::findFence(ItemId id) const {
    return findIn(fences, id);
}
Fence* Plan::findFence(ItemId id) {
    return findIn(fences, id);
}
const RallyPoint* Plan::findRally(ItemId id) const {
    return findIn(rally, id);
}
RallyPoint* Plan::findRally(ItemId id) {
    return findIn(rally, id);
}
const Obstacle* Plan::findObstacle(ItemId id) const {
    return findIn(obstacles, id);
}
Obstacle* Plan::findObstacle(ItemId id) {
    return findIn(obstacles, id);
}
const Zone* Plan::findZone(ItemId id) const {
    return findIn(zones, id);
}
Zone* Plan::findZone(ItemId id) {
    return findIn(zones, id);
}
const AirspaceCover* Plan::findCover(ItemId id) const {
    return findIn(covers, id);
}
AirspaceCover* Plan::findCover(ItemId id) {
    return findIn(covers, id);
}
const Section* Plan::findSection(ItemId id) const {
    return findIn(sections, id);
}

const Seal* Plan::sealOf(int sortie) const {
    for (const Seal& seal : seals)
        if (seal.sortie == sortie) return &seal;
    return nullptr;
}

bool Plan::holds(ItemId id) const {
    return id == kHomeId || find(id) != nullptr || findFence(id) != nullptr || findRally(id) != nullptr ||
           findObstacle(id) != nullptr || findZone(id) != nullptr || findCover(id) != nullptr;
}

ItemIndex indexItems(const Plan& plan) {
    ItemIndex index;
    index.reserve(plan.items.size());
    for (std::size_t i = 0; i < plan.items.size(); ++i) index.emplace(plan.items[i].id, i);
    return index;
}

VehicleProfile flownVehicle(const Plan& plan) {
    VehicleProfile vehicle = plan.vehicle;
    constexpr double kLeastJerk_mps3 = 0.2;  // as of a profile
    if (plan.traits.ways.jerk_mps3 > 0) vehicle.jerk_mps3 = std::max(kLeastJerk_mps3, plan.traits.ways.jerk_mps3);
    return vehicle;
}

Height effectiveHeight(const Plan& plan, const Item& item) {
    return item.height.value_or(plan.defaults.height);
}

double effectiveSpeed(const Plan& plan, const Item& item) {
    return item.speed_mps.value_or(plan.defaults.speed_mps);
}

double effectiveHold_s(const Plan& plan, const Item& item) {
    return item.kind == ItemKind::hold ? item.hold_s.value_or(plan.defaults.hold_s) : 0;
}

bool isPattern(ItemKind kind) {
    return kind == ItemKind::block || kind == ItemKind::corridor || kind == ItemKind::rings || kind == ItemKind::face ||
           kind == ItemKind::lap;
}

bool hasArea(ItemKind kind) {
    return kind == ItemKind::block || kind == ItemKind::lap;
}

bool hasPosition(ItemKind kind) {
    return kind == ItemKind::waypoint || kind == ItemKind::hold || kind == ItemKind::holdTurns ||
           kind == ItemKind::loiterToHeight || kind == ItemKind::land;
}

const char* endText(AtEnd end) {
    switch (end) {
        case AtEnd::unsaid:
            return "";
        case AtEnd::returnAndLand:
            return "returns home and lands";
        case AtEnd::returnAndWait:
            return "returns and waits over home";
        case AtEnd::landThere:
            return "lands there";
        case AtEnd::waitThere:
            return "waits there";
    }
    return "";
}

bool endsOpen(const Plan& plan) {
    return !plan.items.empty() && plan.items.back().kind != ItemKind::land &&
           plan.items.back().kind != ItemKind::returnHome;
}

const char* obstacleText(ObstacleKind kind) {
    switch (kind) {
        case ObstacleKind::mast:
            return "mast";
        case ObstacleKind::wire:
            return "wire";
        case ObstacleKind::trees:
            return "trees";
    }
    return "";
}

const char* refText(HeightRef ref) {
    switch (ref) {
        case HeightRef::home:
            return "home";
        case HeightRef::amsl:
            return "AMSL";
        case HeightRef::ground:
            return "ground";
    }
    return "";
}

const char* kindText(ItemKind kind) {
    switch (kind) {
        case ItemKind::takeOff:
            return "Take off";
        case ItemKind::waypoint:
            return "Waypoint";
        case ItemKind::hold:
            return "Hold";
        case ItemKind::holdTurns:
            return "Circle";
        case ItemKind::loiterToHeight:
            return "Height change";
        case ItemKind::land:
            return "Land";
        case ItemKind::returnHome:
            return "Return home";
        case ItemKind::block:
            return "Block";
        case ItemKind::corridor:
            return "Corridor";
        case ItemKind::rings:
            return "Rings";
        case ItemKind::face:
            return "Face";
        case ItemKind::lap:
            return "Lap";
    }
    return "";
}

std::string heightText(Height height) {
    return fmt::format("{:.0f} m {}", height.value_m, refText(height.ref));
}

std::vector<int> itemNumbers(const Plan& plan) {
    std::vector<int> numbers;
    numbers.reserve(plan.items.size());
    int number = 0;
    for (const Item& item : plan.items) {
        const bool counts = item.kind != ItemKind::takeOff && item.kind != ItemKind::returnHome;
        number += counts;
        numbers.push_back(counts ? number : 0);
    }
    return numbers;
}

int itemNumber(const Plan& plan, ItemId id) {
    const int at = plan.indexOf(id);
    return at < 0 ? 0 : itemNumbers(plan)[static_cast<std::size_t>(at)];
}

std::string itemText(const Plan& plan, ItemId id) {
    if (id == kHomeId) return "Home";
    const Item* item = plan.find(id);
    if (item == nullptr) {
        const auto named = [](const std::string& what, const std::string& name) {
            return name.empty() ? what : what + " \"" + name + "\"";
        };
        if (const Fence* f = plan.findFence(id)) return named("Fence", f->name);
        if (const RallyPoint* r = plan.findRally(id)) return named("Rally point", r->name);
        if (const Obstacle* o = plan.findObstacle(id))
            return named(std::string("Obstacle ") + obstacleText(o->kind), o->name);
        if (const Zone* z = plan.findZone(id)) return named("Airspace", z->name);
        if (const AirspaceCover* c = plan.findCover(id)) return named("Airspace data", c->source);
        return "an item that is gone";
    }
    const int number = itemNumber(plan, id);
    return number > 0 ? fmt::format("{} {}", kindText(item->kind), number) : kindText(item->kind);
}

}  // namespace anhinga
