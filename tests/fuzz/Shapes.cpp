// Shapes of other programs: KML, GPX, GeoJSON, CSV, KMZ.
#include "fuzz/Fuzz.h"

#include "core/exchange/Archive.h"
#include "core/exchange/Import.h"

using namespace anhinga;

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
    const std::string text = fuzz::text(data, size);
    (void)readKml(text, "x");
    (void)readGpx(text, "x");
    (void)readGeoJson(text, "x");
    (void)readCsv(text, "x");
    (void)readKmz(text, "x");
    return 0;
}
