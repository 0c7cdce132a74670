// What the builders of paths share. Inside core/program only.
#pragma once

#include "core/program/Path.h"

namespace anhinga {

/// The plane a path is laid out on: about home, else about the first place.
LocalFrame pathFrame(const Plan& plan, const FlightProgram& program);
/// The path of a fixed wing.
Path wingPathOf(const Plan& plan, const FlightProgram& program, const Terrain* terrain);

}  // namespace anhinga
