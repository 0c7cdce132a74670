#include "core/plan/Vehicle.h"

namespace anhinga {

const char* vehicleText(VehicleKind kind) {
    switch (kind) {
        case VehicleKind::multirotor:
            return "multirotor";
        case VehicleKind::fixedWing:
            return "fixed wing";
        case VehicleKind::helicopter:
            return "helicopter";
    }
    return "";
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
