// Tables and tracks.
#include "fuzz/Fuzz.h"

#include "core/logio/LogReader.h"

using namespace anhinga;

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
    const std::string text = fuzz::text(data, size);
    if (const auto log = readTableAsRecognised(fuzz::shared(text), "x")) {
        // All that was promised is decoded, each value with its time.
        for (const Channel* channel : (*log)->channels()) fuzz::expect(channel->t_s.size() == channel->value.size());
    }
    if (const auto log = readGpxTrack(fuzz::shared(text), "x")) {
        // All that was promised is decoded, each value with its time.
        for (const Channel* channel : (*log)->channels()) fuzz::expect(channel->t_s.size() == channel->value.size());
    }
    if (const auto log = readKmlTrack(fuzz::shared(text), "x")) {
        // All that was promised is decoded, each value with its time.
        for (const Channel* channel : (*log)->channels()) fuzz::expect(channel->t_s.size() == channel->value.size());
    }
    return 0;
}
