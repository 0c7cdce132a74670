// Whether what an aircraft holds means what was sent, by what its family keeps of an item.
#pragma once

#include "core/dialect/Translate.h"

namespace anhinga {

struct Meaning {
    std::vector<MissionDifference> differences;  // of meaning; `seq` in the plan's list
    std::vector<KeptField> kept;                 // rounded or left out, without a change of meaning
};
/// Item by item; the home slot is the aircraft's own. A list that the dialect has not is not compared.
Meaning compareMeaning(const Translation& sent, const MissionSet& held);

/// What is held, in the plan's items: as in `plan` where it means the same, with the aircraft's numbers where it does
/// not.
MissionSet heldInPlan(const MissionSet& plan, const Translation& sent, const MissionSet& held, const Meaning& meaning);

}  // namespace anhinga
