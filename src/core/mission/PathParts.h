// What the builders of paths share. Inside core/mission only.
#pragma once

#include "core/mission/Route.h"

namespace anhinga {

/// The plane a path is laid out on: about home, else about the first place.
LocalFrame pathFrame(const Plan& plan, const Route& route);
/// The path of a fixed wing.
Path wingPathOf(const Plan& plan, const Route& route, const Terrain* terrain);

}  // namespace anhinga
