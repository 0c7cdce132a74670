// Airspace: OpenAir and GeoJSON.
#include "fuzz/Fuzz.h"

#include "core/exchange/OpenAir.h"

using namespace anhinga;

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
    const std::string text = fuzz::text(data, size);
    (void)readOpenAir(text, "x");
    (void)readAirspaceGeoJson(text, "x");
    return 0;
}
