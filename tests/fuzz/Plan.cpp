// Plan files: what opens can be saved, and opens again as the same.
#include "fuzz/Fuzz.h"

#include "core/plan/PlanFile.h"

using namespace anhinga;

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
    const std::string text = fuzz::text(data, size);
    if (const auto plan = readPlanText(text, "x")) {
        const std::string again = writePlanText(*plan);
        const auto back = readPlanText(again, "x");
        fuzz::expect(back.has_value() && writePlanText(*back) == again);
    }
    return 0;
}
