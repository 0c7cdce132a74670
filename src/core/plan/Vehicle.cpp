#include "core/plan/Vehicle.h"

#include <algorithm>

namespace anhinga {

double OwnWays::returnHeight_m(double set_m, double now_m, double distance_m) const {
    constexpr double kLeast_m = 2.5;  // it climbs at least to this on its way
    const double under = return_cone > 0 ? std::min(set_m, std::max(kLeast_m, return_cone * distance_m)) : set_m;
    return std::max(now_m, under);
}

const KindTraits& kindTraits(VehicleKind kind) {
    static constexpr KindTraits kMultirotor{"multirotor", true}, kFixedWing{"fixed wing", false},
        kHelicopter{"helicopter", true};
    switch (kind) {
        case VehicleKind::multirotor:
            return kMultirotor;
        case VehicleKind::fixedWing:
            return kFixedWing;
        case VehicleKind::helicopter:
            return kHelicopter;
    }
    return kMultirotor;
}

const char* actionText(SafetyAction action) {
    switch (action) {
        case SafetyAction::returnHome:
            return "return home";
        case SafetyAction::land:
            return "land there";
        case SafetyAction::hold:
            return "hold";
        case SafetyAction::carryOn:
            return "carry on";
    }
    return "";
}

}  // namespace anhinga
