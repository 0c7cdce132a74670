// How each kind of pattern is opened: one file and one row in the table of Pattern.cpp each.
#pragma once

#include "core/pattern/Pattern.h"

namespace anhinga::patterns {

PatternFlight block(const Plan& plan, const Item& item, const Terrain* terrain);
PatternFlight corridor(const Plan& plan, const Item& item, const Terrain* terrain);
PatternFlight rings(const Plan& plan, const Item& item, const Terrain* terrain);
PatternFlight face(const Plan& plan, const Item& item, const Terrain* terrain);
PatternFlight lap(const Plan& plan, const Item& item, const Terrain* terrain);

}  // namespace anhinga::patterns
