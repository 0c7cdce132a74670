// Profile libraries.
#include "fuzz/Fuzz.h"

#include "core/plan/ProfileLibrary.h"

using namespace anhinga;

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
    const std::string text = fuzz::text(data, size);
    if (const auto library = readProfiles(text, "x"))
        fuzz::expect(readProfiles(writeProfiles(*library), "x").has_value());
    return 0;
}
