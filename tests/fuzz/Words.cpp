// Parameter files, formulas, addresses, texts.
#include "fuzz/Fuzz.h"

#include "core/analysis/Formula.h"
#include "core/base/Text.h"
#include "core/link/Address.h"
#include "core/link/Parameters.h"

using namespace anhinga;

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
    const std::string text = fuzz::text(data, size);
    (void)parseParameters(text, "x");
    (void)parseLinkAddress(text);
    fuzz::expect(shownText(shownText(text)) == shownText(text));
    FlightLog log;
    Channel& height = log.channel("position.height_home_m", "m");
    for (int i = 0; i < 8; ++i) height.add(i, i * 2.0);
    Channel out;
    FormulaError error;
    if (!evaluateFormula(log, text, out, error)) fuzz::expect(error.at <= text.size());
    return 0;
}
