// Lines that were flown, not drawn: a file of a flight has a point for every fraction of a second.
#pragma once

#include "core/exchange/Import.h"

namespace anhinga {

/// What a flown line is thinned to where nobody says otherwise, metres.
constexpr double kFlownTolerance_m = 2;

/// More than 50 points, half of them nearer than 25 m to the one before.
bool isFlown(const ImportedShape& shape);
/// As few of its points as bend it by no more than that: none that is left out lies further from the line through those
/// that stay, along the ground and in height together. First and last stay, and so do both sides of a change of what
/// heights are measured from, or of whether there are any. 0, or a shape that is no line: unchanged.
/// Douglas and Peucker, The Canadian Cartographer 10 (1973).
ImportedShape thinned(const ImportedShape& shape, double tolerance_m);
/// The file with its flown lines thinned, and a note of each that says how many points stay.
ImportedFile withFlownThinned(ImportedFile file, double tolerance_m);
/// Home where the first flown line that becomes waypoints begins, for a plan that has none. Its ground is the
/// terrain's: nothing says that the aircraft stood there. `roles`: of the file's shapes. True when it was set.
bool takeHomeOfFlight(Plan& plan, const ImportedFile& file, const std::vector<ShapeRole>& roles);

}  // namespace anhinga
