#include "core/plan/Plan.h"

#include <fmt/format.h>

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

const Fence* Plan::findFence(ItemId id) const {
    for (const Fence& fence : fences)
        if (fence.id == id) return &fence;
    return nullptr;
}

Fence* Plan::findFence(ItemId id) {
    return const_cast<Fence*>(std::as_const(*this).findFence(id));
}

Height effectiveHeight(const Plan& plan, const Item& item) {
    return item.height.value_or(plan.defaults.height);
}

double effectiveSpeed(const Plan& plan, const Item& item) {
    return item.speed_mps.value_or(plan.defaults.speed_mps);
}

bool hasPosition(ItemKind kind) {
    return kind == ItemKind::waypoint || kind == ItemKind::hold || kind == ItemKind::land;
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
        case ItemKind::land:
            return "Land";
        case ItemKind::returnHome:
            return "Return home";
        case ItemKind::block:
            return "Block";
    }
    return "";
}

std::string heightText(Height height) {
    return fmt::format("{:.0f} m {}", height.value_m, refText(height.ref));
}

int itemNumber(const Plan& plan, ItemId id) {
    int number = 0;
    for (const Item& item : plan.items) {
        const bool counts = item.kind != ItemKind::takeOff && item.kind != ItemKind::returnHome;
        number += counts;
        if (item.id == id) return counts ? number : 0;
    }
    return 0;
}

std::string itemText(const Plan& plan, ItemId id) {
    if (id == kHomeId) return "Home";
    const Item* item = plan.find(id);
    if (item == nullptr) return "an item that is gone";
    const int number = itemNumber(plan, id);
    return number > 0 ? fmt::format("{} {}", kindText(item->kind), number) : kindText(item->kind);
}

}  // namespace anhinga
