// A plan's program, items and path, as the tests ask for them.
#pragma once

#include "core/dialect/Held.h"
#include "core/program/Path.h"

namespace anhinga::testing {

inline FlightProgram programIn(const Plan& plan, const Terrain* terrain = nullptr) {
    return programOf(plan, expand(plan, terrain), terrain);
}
inline std::vector<MissionItem> itemsIn(const Plan& plan, const Terrain* terrain = nullptr) {
    return itemsOf(programIn(plan, terrain));
}
inline Path pathIn(const Plan& plan, const Terrain* terrain = nullptr) {
    return pathOf(plan, programIn(plan, terrain), terrain);
}
inline ToSend toSend(const Plan& plan, const Terrain* terrain = nullptr) {
    return {programIn(plan, terrain), plan.fences, plan.rally};
}

}  // namespace anhinga::testing
