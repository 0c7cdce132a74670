// Ready-made checklists: what is gone through before a flight of that sort.
#pragma once

#include <span>
#include <string>

#include "core/plan/Plan.h"

namespace anhinga {

struct ChecklistLine {
    const char* text;
    const char* automatic;  // empty: ticked by hand
    bool must;
};
struct ChecklistTemplate {
    const char* name;
    const char* text;  // when to take it
    std::span<const ChecklistLine> lines;
};
std::span<const ChecklistTemplate> checklistTemplates();
/// Adds the lines the plan does not have yet.
void addChecklist(Plan& plan, const ChecklistTemplate& source);

}  // namespace anhinga
